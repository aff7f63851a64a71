"""Writing a formula: what can stand at a place, and what stands there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from nexorem.core.diagnostics import OverLimit, Refused
from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.language.lexer import Token, tokenize
from nexorem.core.language.reading import Reader
from nexorem.core.language.vocabulary import vocabulary
from nexorem.core.model.names import column_text, quoted
from nexorem.core.model.proven import Proven
from nexorem.core.results import Result
from nexorem.core.words import counted, listed

MOST = 200
MOST_KEPT = 6  # columns that a `but` keeps that are named
AFTER_LINK = ("via", "flow")


@dataclass(frozen=True, slots=True)
class Suggestion(Result):
    """Something that can be named: `insert` is what is written for it."""

    kind: str
    label: str
    insert: str
    detail: str


@dataclass(frozen=True, slots=True)
class Completion(Result):
    """What can stand at a place: it replaces the code points from `start` to `end`."""

    start: int
    end: int
    items: tuple[Suggestion, ...]


@dataclass(frozen=True, slots=True)
class Hover(Result):
    """What stands at a place; empty where nothing is known of it."""

    start: int
    end: int
    title: str = ""
    text: str = ""


def complete(star: Proven, text: str, at: int) -> Completion:
    """What can be named at a place (a code point).

    After `Table.` its columns; after `via` and `flow` links; inside an aggregate that names columns already, those that
    can be looked up from its rows come first; else measures, functions, edits, tables and columns.
    """
    at = max(0, min(at, len(text)))
    tokens = _before(text, at)
    start = tokens[-1].span.start if tokens and tokens[-1].kind in ("name", "quoted") and tokens[-1].span.end == at else at
    word = text[start:at].strip('"').lower()
    before = [x for x in tokens if x.span.end <= start]
    items = _columns_of(star, before) or _links(star, before) or _everything(star, before)
    fit = list({(i.kind, i.label): i for i in items if word in i.label.lower()}.values())
    fit.sort(key=lambda i: not i.label.lower().startswith(word))
    return Completion(start, at, tuple(fit[:MOST]))


def _before(text: str, at: int) -> list[Token]:
    try:
        tokens, _ = tokenize(text[:at])
    except OverLimit:
        return []
    return tokens[:-1]


def _columns_of(star: Proven, before: list[Token]) -> list[Suggestion]:
    """The columns of a table whose name and dot stand before."""
    if len(before) < 2 or before[-1].text != "." or before[-1].kind != "op":
        return []
    table = star.model.table(before[-2].text)
    return [Suggestion("column", c.name, quoted(c.name), f"{c.dtype} of {table.name}") for c in table.columns] if table else []


def _links(star: Proven, before: list[Token]) -> list[Suggestion]:
    if not before or before[-1].word() not in AFTER_LINK:
        return []
    switched = [k for k in star.model.links if before[-1].word() == "flow" or not k.active]
    return [
        Suggestion("link", star.model.link_text(k), star.model.link_text(k), f"the link {k.name}, {'active' if k.active else 'inactive'}")
        for k in switched
    ]


def _everything(star: Proven, before: list[Token]) -> list[Suggestion]:
    grain = _grain(star, before)
    items = list[Suggestion]()
    if grain:
        for table in star.lookups(grain, star.state):
            items += _table_columns(star, table, f"looked up from {grain}" if table != grain else "of the rows run over")
    items += [Suggestion("measure", m.name, quoted(m.name), m.description or m.formula) for m in star.model.measures]
    if (start := _before_but([*before, *before[-1:]], len(before))) is not None:
        word = before[start].word()
        items.append(Suggestion("edit", "but", "but", BUT.get(word, BUT["rows"])))
    for x in vocabulary():
        if x.kind != "edit" or x.name == "given" or _in_edits(before):
            items.append(Suggestion(x.kind, x.name, x.name, f"{x.signature}: {x.help}"))
    tables = star.model.tables
    items += [Suggestion("table", x.name, quoted(x.name), x.description or f"{counted(star.size(x.name), 'row')}") for x in tables]
    labels = {i.label for i in items}
    for other in tables:
        items += [i for i in _table_columns(star, other.name, "") if i.label not in labels]
    return items


def _table_columns(star: Proven, name: str, note: str) -> list[Suggestion]:
    table = star.model.table(name)
    assert table
    return [Suggestion("column", column_text(name, c.name), column_text(name, c.name), f"{c.dtype} {note}".strip()) for c in table.columns]


def _grain(star: Proven, before: list[Token]) -> str | None:
    """The table that the aggregate a place stands in names first."""
    depth = 0
    for i in range(len(before) - 1, -1, -1):
        token = before[i]
        depth += (token.text == ")") - (token.text == "(") if token.kind == "op" else 0
        if depth < 0:
            inside = before[i + 1 :]
            for name, dot in pairwise(inside):
                table = star.model.table(name.text) if dot.text == "." else None
                if table:
                    return table.name
            return None
    return None


def _in_edits(before: list[Token]) -> bool:
    """Whether the innermost open bracket is that of a `given`."""
    depth = 0
    for i in range(len(before) - 1, -1, -1):
        token = before[i]
        depth += (token.text == ")") - (token.text == "(") if token.kind == "op" else 0
        if depth < 0:
            return i > 0 and before[i - 1].word() == "given"
    return False


def hover(star: Proven, text: str, at: int) -> Hover:
    """What is known of the word at a place: a measure's formula in words, a column's type, a function's help."""
    nothing = Hover(at, at)
    try:
        tokens, _ = tokenize(text)
    except OverLimit:
        return nothing
    place = next((i for i, x in enumerate(tokens) if x.span.start <= at < x.span.end), None)
    if place is None or tokens[place].kind not in ("name", "quoted"):
        return nothing
    token = tokens[place]
    if token.word() == "but" and (told := _but_at(star, text, tokens, place)):
        return Hover(token.span.start, token.span.end, *told)
    hovered = _column_at(star, tokens, place) or _word_at(star, token)
    return Hover(token.span.start, token.span.end, *hovered) if hovered else nothing


AFTER_BUT = ("by", "where", "union", "except", "intersect", "for", "among")  # what ends the columns that a `but` names
BUT = {
    "clear": "In clear, but keeps: the filters on what is named after it stay in force.",
    "reset": "In reset, but keeps: the filters on what is named after it stay as they are.",
    "rows": "In rows, but drops: what is named after it is left out, and rows that differ in nothing else are one.",
}


def _before_but(tokens: Sequence[Token], place: int) -> int | None:
    """Where the edit or the rows begin that a `but` stands in."""
    depth = 0
    for at in range(place - 1, -1, -1):
        token = tokens[at]
        depth += (token.text == ")") - (token.text == "(") if token.kind == "op" else 0
        if depth < 0:
            return None
        if depth == 0 and token.word() in ("clear", "reset", "every", "page"):
            return at
    return None


def _but_at(star: Proven, text: str, tokens: Sequence[Token], place: int) -> tuple[str, str] | None:
    """What a `but` does where it stands, with the columns that it keeps or drops."""
    start = _before_but(tokens, place)
    if start is None:
        return None
    end, depth = place + 1, 0
    while end < len(tokens):
        token = tokens[end]
        depth += (token.text == "(") - (token.text == ")") if token.kind == "op" else 0
        if depth < 0 or (depth == 0 and (token.text == "," or token.word() in AFTER_BUT)):
            break
        end += 1
    word = tokens[start].word()
    named = text[tokens[place + 1].span.start : tokens[end - 1].span.end] if end > place + 1 else ""
    if word in ("every", "page"):
        return "but drops", f"{BUT['rows']}{f' Here {named} goes.' if named else ''}"
    return "but keeps", f"{BUT[word]}{_kept(star, text[tokens[start].span.start : tokens[end - 1].span.end], named)}"


def _kept(star: Proven, edit: str, named: str) -> str:
    """Which filters a `but` keeps: the columns that its edit would clear without it."""
    try:
        (whole,) = Binder(star).given(edit.rpartition(" but ")[0])
        (left,) = Binder(star).given(edit)
    except (Refused, ValueError):
        return f" Here those on {named}." if named else ""
    if not isinstance(whole, t.Cleared | t.Restored) or not isinstance(left, t.Cleared | t.Restored):
        return ""
    kept = [column_text(n, c) for n, cs in whole.columns.items() for c in sorted(cs - left.columns.get(n, frozenset()))]
    more = f" and {counted(len(kept) - MOST_KEPT, 'more column')}" if len(kept) > MOST_KEPT else ""
    return f" Here {listed(kept[:MOST_KEPT])}{more}." if kept else " Here that is none of what it clears."


def _column_at(star: Proven, tokens: list[Token], place: int) -> tuple[str, str] | None:
    if place >= 2 and tokens[place - 1].text == ".":
        table = star.model.table(tokens[place - 2].text)
        column = table.column(tokens[place].text) if table else None
        if table and column:
            told = "" if table.stays else f", {star.column_facts(table.name, column.name).distinct:,} different values"
            more = f" {column.description}" if column.description else ""
            computed = f" Computed: {column.formula}." if column.formula else ""
            return column_text(table.name, column.name), f"{column.dtype}{told}.{computed}{more}"
    return None


def _word_at(star: Proven, token: Token) -> tuple[str, str] | None:
    measure = star.model.measure(token.text)
    if measure:
        try:
            bound: t.MeasureValue = Binder(star).measure(measure.name)
        except Refused as refused:
            return measure.name, refused.diagnostics[0].message
        return measure.name, f"{measure.formula}\n{Reader(star.model).sentence(bound)}"
    table = star.model.table(token.text)
    if table:
        looked = [x for x in star.lookups(table.name, star.state) if x != table.name]
        return table.name, f"{counted(star.size(table.name), 'row')}" + (f"; its rows look up {', '.join(looked)}" if looked else "")
    word = next((x for x in vocabulary() if x.name.lower() == token.word()), None)
    return (word.signature, f"{word.help} For example: {word.example}") if word else None
