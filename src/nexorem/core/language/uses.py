"""Where a model names a measure, a column or a table: in formulas, at which place of them, and in probes."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from nexorem.core.diagnostics import OverLimit, Refused, Span, refuse
from nexorem.core.language.binder import Binder
from nexorem.core.language.lexer import Token, tokenize
from nexorem.core.language.names import Named
from nexorem.core.model.model import Model, plain
from nexorem.core.model.names import quoted
from nexorem.core.model.star import Star


@dataclass(frozen=True, slots=True)
class Text:
    """A formula of the model. `kind` is measure, column, table, probe or folio; `key` is the way to it in the probe or folio."""

    kind: str
    owner: str
    formula: str
    key: tuple[str | int, ...] = ()


def texts_of(model: Model) -> Iterator[Text]:
    """Every formula of a model."""
    for measure in model.measures:
        yield Text("measure", measure.name, measure.formula)
    for table in model.tables:
        if table.formula:
            yield Text("table", table.name, table.formula)
        for column in table.columns:
            if column.formula:
                yield Text("column", f"{table.name}.{column.name}", column.formula)
    for probe in model.probes:
        yield from _probe_texts("probe", str(probe.get("name")), probe)
    for folio in model.folios:
        name, tiles = str(folio.get("name")), folio.get("tiles")
        yield from _probe_texts("folio", name, {"picks": folio.get("picks")})
        for place, tile in enumerate(tiles if isinstance(tiles, list | tuple) else ()):
            asked = tile.get("probe") if isinstance(tile, Mapping) else None
            if isinstance(asked, Mapping):
                yield from _probe_texts("folio", name, asked, ("tiles", place, "probe"))


def _probe_texts(kind: str, owner: str, probe: Mapping[str, Any], way: tuple[str | int, ...] = ()) -> Iterator[Text]:
    define = probe.get("define")
    for name, formula in define.items() if isinstance(define, Mapping) else ():
        yield Text(kind, owner, str(formula), (*way, "define", name))
    for place, pick in enumerate(probe.get("picks") or ()):
        if isinstance(pick, Mapping) and isinstance(pick.get("where"), str):
            yield Text(kind, owner, pick["where"], (*way, "picks", place, "where"))
    for place, item in enumerate(probe.get("having") or ()):
        if isinstance(item, Mapping) and isinstance(item.get("where"), str):
            yield Text(kind, owner, item["where"], (*way, "having", place, "where"))


def bind_text(star: Star, binder: Binder, text: Text) -> None:
    """Binds a formula as what it is: a measure, a computed table or column, one of a probe's own, or a condition of its page."""
    if text.kind == "measure":
        binder.measure(text.owner)
    elif text.kind == "table":
        binder.computed_table(text.owner, text.formula)
    elif text.kind == "column":
        binder.computed_column(*owner_of(star, text.owner), text.formula)
    elif text.key[-2] == "define":
        binder.measure(str(text.key[-1]))
    elif text.key[-3] == "having":
        binder.having(text.formula)
    else:
        binder.page_condition(text.formula)


def named_in(star: Star, text: Text, define: Mapping[str, str] | None = None) -> list[Named]:
    """Everything a formula names, in its order, each place once. What cannot be bound is read by its words."""
    binder, whole = Binder(star, define), True
    try:
        bind_text(star, binder, text)
    except OverLimit:
        return []
    except Refused:
        whole = False
    place = str(text.key[-1]) if text.key else text.owner  # of a condition: where
    found = {n for n in binder.named if n.place.lower() == place.lower()}
    more = set() if whole else _by_words(star, text.formula, {(n.start, n.end) for n in found})
    return sorted(found | more, key=lambda n: n.start)


def owner_of(star: Star, owner: str) -> tuple[str, str]:
    """The table and name of a computed column, as `Text` writes its owner; either may have a dot."""
    table, _, column = owner.partition(".")
    named = ((x.name, c.name) for x in star.model.tables for c in x.columns if f"{x.name}.{c.name}" == owner)
    return next(named, (table, column))


def _by_words(star: Star, formula: str, known: set[tuple[int, int]]) -> set[Named]:
    """Measures that stand in a formula which could not be bound to its end: bare names that nothing else explains."""
    tokens, _ = tokenize(formula)
    found = set()
    for i, token in enumerate(tokens):
        around = {tokens[i - 1].text if i else "", tokens[i + 1].text if i + 1 < len(tokens) else ""}
        measure = star.model.measure(token.text) if token.kind in ("name", "quoted") and "." not in around else None
        if measure and (token.span.start, token.span.end) not in known:
            found.add(Named("", "measure", measure.name, token.span.start, token.span.end))
    return found


def uses_of(star: Star, kind: str, name: str) -> list[dict[str, Any]]:
    """Every place that names a measure, column (`Table.column`) or table: `kind` and `owner` of the formula or probe, and where in the
    formula (code points; none for a probe's lists)."""
    found: list[dict[str, Any]] = []
    for text in texts_of(star.model):
        define = defined_beside(star.model, text)
        for n in named_in(star, text, define):
            if (n.kind, n.name.lower()) == (kind, name.lower()):
                found.append({"kind": text.kind, "owner": text.owner, "formula": text.formula, "start": n.start, "end": n.end})
    for probe in star.model.probes:
        lists = [*(probe.get("measures") or ())] if kind == "measure" else _columns(probe) if kind == "column" else []
        if name.lower() in (str(x).replace('"', "").lower() for x in lists):
            found.append({"kind": "probe", "owner": str(probe.get("name")), "formula": "", "start": 0, "end": 0})
    for folio in star.model.folios:
        tiles = _tiles(folio)
        lists = [x for t in tiles for x in t.get("measures") or ()] if kind == "measure" else []
        lists += [x for t in (folio, *tiles) for x in _columns(t)] if kind == "column" else []
        if name.lower() in (str(x).replace('"', "").lower() for x in lists):
            found.append({"kind": "folio", "owner": str(folio.get("name")), "formula": "", "start": 0, "end": 0})
    return found


def _tiles(folio: Mapping[str, Any]) -> list[Mapping[str, Any]]:
    """The probes written into a folio's tiles."""
    tiles = folio.get("tiles")
    asked = [t.get("probe") for t in tiles if isinstance(t, Mapping)] if isinstance(tiles, list | tuple) else []
    return [p for p in asked if isinstance(p, Mapping)]


def _columns(probe: Mapping[str, Any]) -> list[str]:
    picked = [p["column"] for p in probe.get("picks") or () if isinstance(p, Mapping) and "column" in p]
    return [*(probe.get("rows") or ()), *(probe.get("columns") or ()), *picked]


def defined_beside(model: Model, text: Text) -> Mapping[str, str]:
    """The formulas of the probe that a text stands in."""
    owners = {"probe": model.probes, "folio": model.folios}.get(text.kind, ())
    probe: Any = next((p for p in owners if str(p.get("name")) == text.owner), None)
    for part in text.key[: text.key.index("probe") + 1] if "probe" in text.key else ():
        probe = probe[part]
    define = probe.get("define") if probe else None
    return {str(k): str(v) for k, v in define.items()} if isinstance(define, Mapping) else {}


def renaming(star: Star, name: str, to: str) -> list[dict[str, Any]]:
    """The edits that give a measure another name everywhere it is named; refuses where the new name would mean something else there."""
    measure = star.model.measure(name)
    if measure is None:
        raise refuse("unknown_measure", f"There is no measure {name} any more.")
    to = to.strip()
    taken = star.model.measure(to)
    if not to:
        raise refuse("bad_name", "A measure needs a name.")
    if taken and taken is not measure:
        raise refuse("repeated_name", f"There is a measure {taken.name} already.", "Choose another name.", to)
    edits = [{"kind": "change_measure", "name": measure.name, "set": {"name": to}}, *replacing(star, measure.name, to)]
    return edits + [
        {"kind": "change_measure", "name": m.name if m is not measure else to, "set": {"variant_of": to}}
        for m in star.model.measures
        if m.variant_of.lower() == measure.name.lower()
    ]


def replacing(star: Star, name: str, to: str) -> list[dict[str, Any]]:
    """The edits that put the measure `to` in every place that names the measure `name`. After the first edit of `renaming` they find the
    measure itself under its new name."""
    model = star.model
    edits: list[dict[str, Any]] = []
    columns: dict[str, dict[str, str]] = {}
    kept = {"probe": {str(p.get("name")): p for p in model.probes}, "folio": {str(f.get("name")): f for f in model.folios}}
    for text in texts_of(model):
        named = named_in(star, text, defined_beside(model, text))
        spans = [(n.start, n.end) for n in named if n.kind == "measure" and n.name.lower() == name.lower()]
        if not spans:
            continue
        _check_free(text, spans, to)
        formula = written(text.formula, spans, quoted(to))
        if text.kind == "measure":
            owner = to if text.owner.lower() == name.lower() else text.owner
            edits.append({"kind": "change_measure", "name": owner, "set": {"formula": formula}})
        elif text.kind == "table":
            edits.append({"kind": "change_table", "name": text.owner, "set": {"formula": formula}})
        elif text.kind == "column":
            table, column = owner_of(star, text.owner)
            columns.setdefault(table, {})[column] = formula
        else:
            kept[text.kind][text.owner] = put_at(kept[text.kind][text.owner], text.key, formula)
            if text.key[0] == "picks" and text.kind == "folio":  # a tile that does without a condition names it by its text
                kept["folio"][text.owner] = _doing_without(kept["folio"][text.owner], text.formula, formula)
    edits += [_with_formulas(model, owner, formulas) for owner, formulas in columns.items()]
    for probe in model.probes:
        changed_probe = _renamed_lists(kept["probe"][str(probe.get("name"))], name, to)
        if changed_probe != probe:
            edits.append({"kind": "put_probe", "probe": changed_probe})
    for folio in model.folios:
        changed_folio = kept["folio"][str(folio.get("name"))]
        tiles = [_renamed_tile(t, name, to) for t in changed_folio.get("tiles") or ()]
        if tiles != list(changed_folio.get("tiles") or ()):
            changed_folio = {**changed_folio, "tiles": tiles}
        if changed_folio != folio:
            edits.append({"kind": "put_folio", "folio": changed_folio})
    return edits


def _with_formulas(model: Model, owner: str, formulas: Mapping[str, str]) -> dict[str, Any]:
    """The edit that gives computed columns of a table other formulas."""
    table = model.table(owner)
    assert table
    columns = [plain(c) | {"name": c.name, "dtype": c.dtype} for c in table.columns]
    columns = [c | {"formula": formulas[c["name"]]} if c["name"] in formulas else c for c in columns]
    return {"kind": "change_table", "name": table.name, "set": {"columns": columns}}


def _check_free(text: Text, spans: list[tuple[int, int]], to: str) -> None:
    """Refuses where a formula has a name of its own that the new one would be taken for."""
    tokens, _ = tokenize(text.formula)
    for i, token in enumerate(tokens):
        dotted = "." in (tokens[i - 1].text if i else "", tokens[i + 1].text if i + 1 < len(tokens) else "")
        if _is_name(token, to) and not dotted and (token.span.start, token.span.end) not in spans:
            raise refuse(
                "name_in_use",
                f"In {text.owner} the name {to} means something else: {text.formula[token.span.start : token.span.end]}.",
                "Choose another name, or rename what stands there.",
                text.owner,
            )


def _is_name(token: Token, name: str) -> bool:
    return token.kind in ("name", "quoted") and token.text.lower() == name.lower()


def written(formula: str, spans: list[tuple[int, int]], word: str) -> str:
    """A formula with a word at some places of it; all else, comments too, as it was."""
    for start, end in sorted(spans, reverse=True):
        formula = formula[:start] + word + formula[end:]
    return formula


def _doing_without(folio: Mapping[str, Any], before: str, after: str) -> dict[str, Any]:
    tiles = [
        {**t, "without": [after if x == before else x for x in t["without"]]} if isinstance(t, Mapping) and t.get("without") else t
        for t in folio.get("tiles") or ()
    ]
    return {**folio, "tiles": tiles}


def put_at(owner: Any, key: tuple[str | int, ...], formula: str) -> Any:
    """A copy of a probe or folio with another formula at the end of a way; what is beside the way is shared with the original."""
    if not key:
        return formula
    if isinstance(owner, Mapping):
        return {**owner, key[0]: put_at(owner[key[0]], key[1:], formula)}
    return [put_at(x, key[1:], formula) if i == key[0] else x for i, x in enumerate(owner)]


def _renamed_lists(probe: Mapping[str, Any], name: str, to: str) -> dict[str, Any]:
    """A probe whose measures, order and look name the measure anew."""

    def new(x: Any) -> Any:
        return to if isinstance(x, str) and x.lower() == name.lower() else x

    found = dict(probe)
    if isinstance(found.get("define"), Mapping) and any(str(k).lower() == name.lower() for k in found["define"]):
        return found  # a formula of its own goes by that name here
    if isinstance(found.get("measures"), list | tuple):
        found["measures"] = list(dict.fromkeys(new(m) for m in found["measures"]))
    if isinstance(found.get("sort"), list | tuple):
        found["sort"] = [{**x, "by": new(x.get("by"))} if isinstance(x, Mapping) else x for x in found["sort"]]
    if isinstance(found.get("top"), Mapping):
        found["top"] = {**found["top"], "by": new(found["top"].get("by"))}
    if isinstance(found.get("look"), Mapping):
        found["look"] = {k: _renamed_look(v, new) for k, v in found["look"].items()}
    return found


def _renamed_tile(tile: Any, name: str, to: str) -> Any:
    """A tile whose probe, and what its number is held against, name the measure anew."""
    if not isinstance(tile, Mapping) or not isinstance(tile.get("probe"), Mapping):
        return tile
    found = {**tile, "probe": _renamed_lists(tile["probe"], name, to)}
    if found["probe"] != tile["probe"] and str(tile.get("against")).lower() == name.lower():
        found["against"] = to
    return found


def _renamed_look(value: Any, new: Any) -> Any:
    if isinstance(value, Mapping):
        return {new(k): v for k, v in value.items()}
    return [new(x) for x in value] if isinstance(value, list | tuple) else value


def named_at(star: Star, name: str, formula: str, at: int) -> Named | None:
    """What stands at a place of a formula that is being written, for going to where it is defined."""
    found = named_in(star, Text("probe", "", formula, ("define", name)), {name: formula})
    return next((n for n in found if Span(n.start, n.end).start <= at <= n.end), None)
