"""What the data prove of a link's keys, and why a link is loose."""

from __future__ import annotations

from dataclasses import replace

from nexorem.core.model.model import Link
from nexorem.core.model.star import Star


def proven(star: Star, link: Link) -> Link:
    """The link the right way round, with the cardinality that the rows prove: many-to-one where one side's keys stand once."""
    facts = star.facts(link)
    if not facts.repeated:
        return replace(link, cardinality="many-to-one")
    if not facts.from_repeated:
        return replace(
            link,
            cardinality="many-to-one",
            from_table=link.to_table,
            from_columns=link.to_columns,
            to_table=link.from_table,
            to_columns=link.from_columns,
        )
    return replace(link, cardinality="many-to-many")


def allowed_cardinalities(star: Star, link: Link) -> list[str]:
    """The cardinalities that the rows bear, this way round."""
    facts = star.facts(link)
    one = [] if facts.repeated else ["many-to-one"]
    return [*one, *(["one-to-one"] if one and not facts.from_repeated else []), "many-to-many"]


def loose_reason(star: Star, link: Link) -> str:
    """Why a link is loose, as the end of a sentence; `` for a firm one."""
    if link.name in star.firm:
        return ""
    if link.cardinality == "many-to-many":
        return "a many-to-many link always is"
    if link.firm is False:
        return "its author declared it so"
    facts = star.facts(link)
    if facts.key_empty:
        return "its key has empty places"
    if facts.repeated:
        return "its key is not unique"
    return "the two tables come from different sources"
