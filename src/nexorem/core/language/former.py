"""Names that things had before: what was given away under them, addresses, packages, probes in files, is brought up to the present ones."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from nexorem.core.language.lexer import tokenize
from nexorem.core.model.model import Model
from nexorem.core.model.names import quoted, reference_text
from nexorem.core.model.specs import FormerName


def names_of(model: Model, kind: str) -> list[str]:
    """What the things of a kind are called, columns left out."""
    match kind:
        case "table":
            return [t.name for t in model.tables]
        case "link":
            return [k.name for k in model.links]
        case "hierarchy":
            return [h.name for h in model.hierarchies]
        case "measure":
            return [m.name for m in model.measures]
    return [x.name for x in model.probes] if kind == "probe" else [x.name for x in model.folios]


def present_name(model: Model, kind: str, name: str) -> str:
    """What a thing that once had a name is called now; the name itself where nothing has had it."""
    names = {x.lower() for x in (names_of(model, kind) if kind != "column" else ())}
    for _ in range(len(model.renamed) + 1):
        if name.lower() in names:
            break
        later = next((x.now for x in model.renamed if x.kind == kind and x.was.lower() == name.lower()), None)
        if later is None:
            break
        name = later
    return name


def earlier_names(model: Model, kind: str, name: str) -> list[str]:
    """A thing's name and those it had before."""
    names = [name]
    for item in reversed(model.renamed):
        if item.kind == kind and item.now.lower() in {x.lower() for x in names}:
            names.append(item.was)
    return names


def presented(model: Model, item: Any) -> Any:
    """JSON of a probe or folio in which things have the names they have now: columns, measures and formulas in it may be of before. What is
    not known under any name stays."""
    if not model.renamed:
        return item
    if isinstance(item, Mapping):
        return {_present_text(model, str(k)): presented(model, v) if k not in ("in", "value") else v for k, v in item.items()}
    if isinstance(item, list | tuple):
        return [presented(model, x) for x in item]
    return _present_text(model, item) if isinstance(item, str) else item


def back_to(model: Model, undone: Sequence[FormerName]) -> Model:
    """A model of before some renamings, or in which they are undone, that knows the names of after them: by it a thing is `presented` with
    the names of before."""
    return replace(model, renamed=(*model.renamed, *(FormerName(x.kind, x.now, x.was) for x in reversed(undone))))


def _present_text(model: Model, text: str) -> str:
    """A name, a written column or a formula, with every former name in it as it is now."""
    whole = present_name(model, "measure", text)
    if whole != text and model.measure(text) is None:
        return whole
    if "." in text and '"' not in text:  # a column as probes write it, whose table's name may be of several words
        table, column = _present_column(model, *text.split(".", 1))
        home = model.table(table)
        if home and home.column(column):
            return reference_text(home.name, column)
    tokens, wrong = tokenize(text)
    if wrong:
        return text
    pieces: list[tuple[int, int, str]] = []
    for i, token in enumerate(tokens):
        if token.kind not in ("name", "quoted"):
            continue
        before = tokens[i - 1].text if i else ""
        after = tokens[i + 1].text if i + 1 < len(tokens) else ""
        if before == ".":
            continue
        if after == "." and i + 2 < len(tokens):
            table, column = _present_column(model, token.text, tokens[i + 2].text)
            if (table, column) != (token.text, tokens[i + 2].text):
                reference = text[token.span.start : tokens[i + 2].span.end]
                plain = '"' not in reference and "." not in table + column
                written = reference_text(table, column) if plain and reference == text else f"{quoted(table)}.{quoted(column)}"
                pieces.append((token.span.start, tokens[i + 2].span.end, written))
        elif len(tokens) > 2 and model.table(token.text) is None and model.measure(token.text) is None:
            now = present_name(model, "measure", token.text)
            now = now if now != token.text else present_name(model, "table", token.text)
            if now != token.text:
                pieces.append((token.span.start, token.span.end, quoted(now)))
    for start, end, word in reversed(pieces):
        text = text[:start] + word + text[end:]
    return text


def _present_column(model: Model, table: str, column: str) -> tuple[str, str]:
    """A column by the names that it and its table had at any time."""
    for _ in range(len(model.renamed) + 1):
        present = model.table(table)
        if present and present.column(column):
            break
        names = [x.now for x in model.renamed if x.kind == "column" and x.was.lower() == f"{table}.{column}".lower()]
        own = present.name if present else table
        if names:
            column = names[-1].removeprefix(f"{own}.").removeprefix(f"{table}.")
            continue
        later = next((x.now for x in model.renamed if x.kind == "table" and x.was.lower() == table.lower()), None)
        if present or later is None:
            break
        table = later
    return table, column
