"""Two states of a model compared by what is written in them: what was added, removed and changed, in words."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from nexorem.core.language.former import present_name
from nexorem.core.model.model import Model, link_json, plain, table_json
from nexorem.core.model.specs import spec_json
from nexorem.core.results import Result
from nexorem.core.words import listed

What = Literal["table", "link", "measure", "probe", "folio", "hierarchy", "check"]
RENAMED = ("table", "link", "measure", "probe", "folio", "hierarchy")
NAMES = {"from": "its first end", "to": "its second end", "formula": "its formula", "picks": "its picks", "must": "what must hold"}


@dataclass(frozen=True, slots=True)
class PartChanged(Result):
    """A part of a model that was added, removed, renamed or changed. Of a measure's formula both texts, of others empty ones."""

    what: What
    name: str
    change: Literal["added", "removed", "changed", "renamed"]
    words: str
    before: str = ""
    after: str = ""


def parts_changed(before: Model, after: Model) -> list[PartChanged]:
    """All of them, tables first. Names that were given since are followed, so that what was renamed is not one gone and one new."""
    changes: list[PartChanged] = []
    for what, parts_of, written in LISTS:
        changes += _changes(what, parts_of(before), parts_of(after), written, after)
    return changes


def _changes(
    what: What, before: Sequence[Any], after: Sequence[Any], written: Callable[[Any], dict[str, Any]], model: Model
) -> Iterator[PartChanged]:
    named = {x.name: x for x in after}
    was = {}
    for part in before:
        present = part.name if part.name in named or what not in RENAMED else present_name(model, what, part.name)
        was[present] = part
    for name, part in named.items():
        if name not in was:
            yield PartChanged(what, name, "added", f"The {what} {name} is new.", after=getattr(part, "formula", ""))
            continue
        old = was[name]
        if old.name != name:
            yield PartChanged(what, name, "renamed", f"The {what} {old.name} is called {name}.")
        a, b = ({**written(x), "name": name} for x in (old, part))
        keys = [k for k in dict.fromkeys([*a, *b]) if a.get(k) != b.get(k)]
        if keys:
            formulas = [str(x.get("formula", "")) if "formula" in keys else "" for x in (a, b)]
            yield PartChanged(what, name, "changed", f"The {what} {name}: {_words(keys, a, b)}.", *formulas)
    for name, part in was.items():
        if name not in named:
            yield PartChanged(what, part.name, "removed", f"The {what} {part.name} is gone.", before=getattr(part, "formula", ""))


def _words(keys: Sequence[str], before: dict[str, Any], after: dict[str, Any]) -> str:
    """What is other, with both values where they are short."""
    said = []
    for key in keys:
        old, new = before.get(key), after.get(key)
        if key == "load":
            said.append("other rows")
        elif key == "columns" and isinstance(old, list) and isinstance(new, list):
            said.append(_columns(old, new))
        elif all(isinstance(x, str | bool | int | float | None) and len(str(x)) < 60 for x in (old, new)) and key != "formula":
            said.append(f"{key.replace('_', ' ')} {_value(new)}, before {_value(old)}")
        else:
            said.append(NAMES.get(key, f"its {key.replace('_', ' ')}"))
    return listed(said)


def _columns(old: list[dict[str, Any]], new: list[dict[str, Any]]) -> str:
    before, after = ({c["name"]: c for c in side} for side in (old, new))
    came, went = [n for n in after if n not in before], [n for n in before if n not in after]
    other = [n for n in after if n in before and after[n] != before[n]]
    groups = (("with the column", came), ("without", went), ("another", other))
    return listed([f"{word} {listed(names)}" for word, names in groups if names]) or "its columns in another order"


def _value(value: Any) -> str:
    if value in (None, ""):
        return "nothing"
    return ("yes" if value else "no") if isinstance(value, bool) else str(value)


LISTS: tuple[tuple[What, Callable[[Model], Sequence[Any]], Callable[[Any], dict[str, Any]]], ...] = (
    ("table", lambda m: m.tables, table_json),
    ("link", lambda m: m.links, link_json),
    ("measure", lambda m: m.measures, plain),
    ("probe", lambda m: m.probes, spec_json),
    ("folio", lambda m: m.folios, spec_json),
    ("hierarchy", lambda m: m.hierarchies, spec_json),
    ("check", lambda m: m.checks, spec_json),
)
