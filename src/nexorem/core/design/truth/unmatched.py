"""Which rows an `(unmatched)` line stands for."""

from __future__ import annotations

from nexorem.core.design.truth.mark import Mark, make_mark
from nexorem.core.engine.grid import Grid
from nexorem.core.language import typed as t
from nexorem.core.model.model import Link
from nexorem.core.model.star import LinkFacts, Star
from nexorem.core.plan.tree import edits_of
from nexorem.core.words import listed


def unmatched_marks(grid: Grid) -> list[Mark]:
    """Axis columns on which an `(unmatched)` line is shown: which rows it stands for."""
    star, marks = grid.star, []
    switched = _switched(grid)
    for axis in (grid.rows, grid.columns):
        for place, (table, column) in enumerate(axis.columns):
            size = star.domain(table, (column,)).size
            if not (axis.lines[:, place] == size - 1).any():
                continue
            words, links = _behind(star, table, switched, ())
            text = "; ".join(words) or "none that a measure of this probe counts"
            sentence = f"(unmatched) of {table} stands for rows without a partner there: {text}."
            marks.append(make_mark("unmatched", sentence, [table], [(table, column)], links=links))
    return marks


def _switched(grid: Grid) -> dict[str, str]:
    """By name of a link that is inactive in the model, a measure of the grid that switches it on."""
    switched: dict[str, str] = {}
    for measure in grid.plan.measures:
        for edit in edits_of(measure):
            if isinstance(edit, t.Switched) and edit.link.name not in grid.star.state.active:
                switched.setdefault(edit.link.name, measure.name)
    return switched


def _behind(star: Star, table: str, switched: dict[str, str], way: tuple[str, ...]) -> tuple[list[str], list[str]]:
    """What stands under a table's unmatched member, in words, and over which links: rows that look it up directly, by links that are active
    or that a measure switches on; and rows of tables farther away that end at the unmatched member of one between, `way` from there."""
    words: list[str] = []
    links: list[str] = []
    by_way = f", by way of {listed(way)}" if way else ""
    for link in (k for k in star.model.links if k.to_table == table and k.name in star.firm):
        if not link.active and link.name not in switched:
            continue
        facts = star.facts(link)
        if facts.orphans + facts.empty:
            on = "" if link.active else f" (over {link.name}, which {switched[link.name]} switches on)"
            words.append(f"{_orphans(link, facts)}{by_way}{on}")
            links.append(link.name)
        if link.from_table not in (*way, table) and star.has_unmatched(link.from_table):
            further, more = _behind(star, link.from_table, switched, (link.from_table, *way))
            words += further
            links += more
    return list(dict.fromkeys(words)), list(dict.fromkeys(links))


def _orphans(link: Link, facts: LinkFacts) -> str:
    """The rows of the many side that find no partner."""
    parts = [f"{facts.empty:,} of {link.from_table} with an empty {link.from_text}"] if facts.empty else []
    of = "" if facts.empty else f" of {link.from_table}"
    parts += [f"{facts.orphans:,}{of} with a {link.from_text} that is not in {link.to_table}"] if facts.orphans else []
    return listed(parts)
