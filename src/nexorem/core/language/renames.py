"""Another name for a table, column, link, hierarchy, probe or folio, written everywhere it is named: formulas, links, steps, hierarchies,
probes, folios. The model under the new name is made as a whole; `edits_between` says it as edits."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from itertools import pairwise
from typing import Any

from nexorem.core.diagnostics import Refused, near_hint, refuse
from nexorem.core.language.former import names_of
from nexorem.core.language.lexer import Token, tokenize
from nexorem.core.language.uses import Text, defined_beside, named_in, put_at, texts_of
from nexorem.core.model.model import Link, Measure, Model, Table, link_json, table_json
from nexorem.core.model.names import PLAIN, quoted, reference_text
from nexorem.core.model.star import Star

KINDS = ("table", "column", "link", "hierarchy", "probe", "folio")
Edit = dict[str, Any]


@dataclass(frozen=True, slots=True)
class Renaming:
    """One thing under another name. Of a column `table` is its table; of anything else it is empty."""

    kind: str
    table: str
    old: str
    new: str

    def column(self, table: str, name: str) -> tuple[str, str]:
        """A column as it is called afterwards."""
        if self.kind == "table" and table == self.old:
            return self.new, name
        return (table, self.new) if self.kind == "column" and (table, name) == (self.table, self.old) else (table, name)


def read_renaming(model: Model, kind: str, name: str, to: str) -> Renaming:
    """What is to be renamed, as it is defined; refuses what is not there, and names that are taken."""
    to = to.strip()
    if kind not in KINDS:
        raise refuse("bad_edit", f"There is no {kind} to rename.", f"It is one of {', '.join(KINDS)}.")
    if not to:
        raise refuse("bad_name", f"A {kind} needs a name.")
    if kind == "column":
        table, column = model.find_column(name)
        found = model.table(table)
        assert found
        known = found.column(column)
        assert known
        taken = found.column(to)
        if found.formula:
            message = f"The columns of {table} are named in its formula."
            raise refuse("formula_column", message, "Write with (new name = …) there.", name)
        if taken and taken is not known:
            raise refuse("repeated_name", f"{table} has a column {taken.name} already.", "Choose another name.", to)
        return Renaming(kind, table, known.name, to)
    names = names_of(model, kind)
    old = next((n for n in names if n.lower() == name.lower()), None)
    if old is None:
        raise refuse(f"unknown_{kind}", f"There is no {kind} {name} any more.", near_hint(name, names))
    other = next((n for n in names if n.lower() == to.lower() and n != old), None)
    if other is not None:
        raise refuse("repeated_name", f"There is a {kind} {other} already.", "Choose another name.", to)
    return Renaming(kind, "", old, to)


def renamed(star: Star, change: Renaming, steps: Callable[[Table, Renaming], Table]) -> Model:
    """The model under the new name. `steps` rewrites what shapes and makes a table's rows, which is not read here; formulas keep all else
    of their text, comments too."""
    model = star.model
    formulas = {(x.kind, x.owner, x.key): _written(star, x, change) for x in texts_of(model)}
    tables = [_table(steps(x, change), x, change, formulas) for x in model.tables]
    measures = [_measure(m, change, formulas) for m in model.measures]
    ref = _references(model, change)
    probes = [_probe(p, ref, change, formulas, ("probe", str(p.get("name")))) for p in model.probes]
    folios = [_folio(f, ref, change, formulas) for f in model.folios]
    levels = ({**h, "levels": [ref(x) for x in h.get("levels", ())]} for h in model.hierarchies)
    hierarchies = tuple(_named_anew(h, change, "hierarchy") for h in levels)
    links = tuple(_link(model, k, change) for k in model.links)
    return replace(
        model,
        tables=tuple(tables),
        links=links,
        measures=tuple(measures),
        probes=tuple(probes),
        folios=tuple(folios),
        hierarchies=hierarchies,
        places=_places(model, change),
        accepted=_accepted(model, change),
        renamed=remembered(model, change),
    )


def remembered(model: Model, change: Renaming) -> tuple[Mapping[str, Any], ...]:
    """The names that things had, for addresses and packages given away: a name that is in use again leads to what has it now."""
    was, now = (f"{change.table}.{x}" if change.kind == "column" else x for x in (change.old, change.new))
    if was.lower() == now.lower():
        return model.renamed
    kept = [x for x in model.renamed if (x["kind"], str(x["was"]).lower()) not in ((change.kind, was.lower()), (change.kind, now.lower()))]
    return (*kept, {"kind": change.kind, "was": was, "now": now})


# formulas


def dotted_anew(model: Model, formula: str, change: Renaming) -> str:
    """A formula with the new name wherever `Table.column` is written; what stands alone is left."""
    return _put(formula, dict(_dotted(model, tokenize(formula)[0], change)))


def _put(formula: str, pieces: Mapping[tuple[int, int], str]) -> str:
    for (start, end), word in sorted(pieces.items(), reverse=True):
        formula = formula[:start] + word + formula[end:]
    return formula


def _written(star: Star, text: Text, change: Renaming) -> str:
    """A formula with the new name at its places."""
    tokens, _ = tokenize(text.formula)
    pieces = dict(_dotted(star.model, tokens, change))
    if change.kind == "link":
        pieces |= _link_names(tokens, change)
    elif change.kind in ("table", "column"):
        pieces |= _bare(star, text, tokens, change)
    return _put(text.formula, pieces)


def _dotted(model: Model, tokens: Sequence[Token], change: Renaming) -> Iterator[tuple[tuple[int, int], str]]:
    """`Table.column`, wherever it stands: nothing else is written so."""
    for i in range(len(tokens) - 2):
        first, dot, last = tokens[i : i + 3]
        if dot.text != "." or dot.kind != "op" or not {first.kind, last.kind} <= {"name", "quoted"} or (i and tokens[i - 1].text == "."):
            continue
        table = model.table(first.text)
        if table is None:
            continue
        if change.kind == "table" and table.name == change.old:
            yield (first.span.start, first.span.end), quoted(change.new)
        column = table.column(last.text)
        if change.kind == "column" and column and (table.name, column.name) == (change.table, change.old):
            yield (last.span.start, last.span.end), change.new if PLAIN.fullmatch(change.new) else quoted(change.new)


def _link_names(tokens: Sequence[Token], change: Renaming) -> dict[tuple[int, int], str]:
    """`link "its name"`."""
    word = '"' + change.new.replace('"', '""') + '"'
    named = [b for a, b in pairwise(tokens) if a.word() == "link" and b.kind == "quoted" and b.text.lower() == change.old.lower()]
    return {(b.span.start, b.span.end): word for b in named}


def _bare(star: Star, text: Text, tokens: Sequence[Token], change: Renaming) -> dict[tuple[int, int], str]:
    """Names that stand alone: tables, and columns in the formulas of their own table."""
    wanted = change.old if change.kind == "table" else f"{change.table}.{change.old}"
    places = [
        n for n in named_in(star, text, defined_beside(star.model, text)) if n.kind == change.kind and n.name.lower() == wanted.lower()
    ]
    found: dict[tuple[int, int], str] = {}
    for i, token in enumerate(tokens[:-1]):
        alone = "." not in (tokens[i - 1].text if i else "", tokens[i + 1].text)
        inside = any(n.start <= token.span.start and token.span.end <= n.end for n in places)
        if alone and inside and token.kind in ("name", "quoted") and token.text.lower() == change.old.lower():
            found[token.span.start, token.span.end] = quoted(change.new)
    return found


# the parts of a model


def _table(shaped: Table, table: Table, change: Renaming, formulas: Mapping[Any, str]) -> Table:
    def name(column: str) -> str:
        return change.column(table.name, column)[1]

    columns = tuple(
        replace(
            c,
            name=name(c.name),
            formula=formulas.get(("column", f"{table.name}.{c.name}", ()), c.formula),
            order_by=name(c.order_by) if c.order_by else "",
        )
        for c in table.columns
    )
    calendar = replace(table.calendar, date=name(table.calendar.date)) if table.calendar else None
    return replace(
        shaped,
        name=change.new if change.kind == "table" and table.name == change.old else table.name,
        columns=columns,
        calendar=calendar,
        formula=formulas.get(("table", table.name, ()), table.formula),
        key=tuple(map(name, table.key)),
        grain_columns=tuple(map(name, table.grain_columns)),
    )


def _measure(measure: Measure, change: Renaming, formulas: Mapping[Any, str]) -> Measure:
    home = change.new if change.kind == "table" and measure.home.lower() == change.old.lower() else measure.home
    return replace(measure, formula=formulas.get(("measure", measure.name, ()), measure.formula), home=home)


def _link(model: Model, link: Link, change: Renaming) -> Link:
    ends = [change.column(link.from_table, c) for c in link.from_columns], [change.column(link.to_table, c) for c in link.to_columns]
    named = change.kind == "link" and link.name == change.old
    # A link that has its ends for a name goes on being called by them.
    made = replace(
        link,
        from_table=ends[0][0][0],
        from_columns=tuple(c for _, c in ends[0]),
        to_table=ends[1][0][0],
        to_columns=tuple(c for _, c in ends[1]),
    )
    name = change.new if named else made.ends_text if link.name == link.ends_text else link.name
    return replace(made, name=name)


def _references(model: Model, change: Renaming) -> Callable[[Any], Any]:
    """How a written `Table.column` is written afterwards; what is no column of the model stays."""

    def ref(text: Any) -> Any:
        if not isinstance(text, str) or change.kind not in ("table", "column"):
            return text
        try:
            found = model.find_column(text)
        except Refused:
            return text
        later = change.column(*found)
        return reference_text(*later) if later != found else text

    return ref


def _named_anew(item: Mapping[str, Any], change: Renaming, kind: str) -> dict[str, Any]:
    return {**item, "name": change.new} if change.kind == kind and item.get("name") == change.old else dict(item)


def _probe(
    probe: Mapping[str, Any],
    ref: Callable[[Any], Any],
    change: Renaming,
    formulas: Mapping[Any, str],
    owner: tuple[str, str],
    way: tuple[str | int, ...] = (),
) -> dict[str, Any]:
    """A probe, or the picks of a folio, with its columns and formulas as they are written afterwards."""
    found: Any = dict(probe)
    for (kind, name, key), formula in formulas.items():
        if (kind, name) == owner and key[: len(way)] == way and (way or "tiles" not in key):
            found = put_at(found, key[len(way) :], formula)
    for part in ("rows", "columns"):
        if isinstance(found.get(part), list | tuple):
            found[part] = [ref(x) for x in found[part]]
    if isinstance(found.get("picks"), list | tuple):
        found["picks"] = [{**p, "column": ref(p["column"])} if isinstance(p, Mapping) and "column" in p else p for p in found["picks"]]
    if isinstance(found.get("sort"), list | tuple):
        found["sort"] = [_order(o, ref) if isinstance(o, Mapping) else o for o in found["sort"]]
    if isinstance(found.get("having"), list | tuple):
        found["having"] = [_at_level(x, ref) for x in found["having"]]
    if isinstance(found.get("top"), Mapping):
        found["top"] = _at_level(found["top"], ref)
    return _named_anew(found, change, "probe") if owner[0] == "probe" else found


def _at_level(item: Any, ref: Callable[[Any], Any]) -> Any:
    """A condition on lines, or the top, whose level may be a column."""
    return {**item, "level": ref(item["level"])} if isinstance(item, Mapping) and item.get("level") else item


def _order(order: Mapping[str, Any], ref: Callable[[Any], Any]) -> dict[str, Any]:
    found = dict(order) | ({"by": ref(order["by"])} if "by" in order else {})
    if isinstance(order.get("at"), Mapping):
        found["at"] = {ref(k): v for k, v in order["at"].items()}
    return found


def _folio(folio: Mapping[str, Any], ref: Callable[[Any], Any], change: Renaming, formulas: Mapping[Any, str]) -> dict[str, Any]:
    owner = "folio", str(folio.get("name"))
    own = [(key, formula) for (kind, name, key), formula in formulas.items() if (kind, name) == owner and key[:1] == ("picks",)]
    conditions = {_text_at(folio, key): formula for key, formula in own}
    found = _probe(folio, ref, change, formulas, owner)
    tiles = []
    for place, tile in enumerate(folio.get("tiles") or ()):
        made = dict(tile) if isinstance(tile, Mapping) else tile
        if isinstance(tile, Mapping):
            asked = tile.get("probe")
            if isinstance(asked, Mapping):
                made["probe"] = _probe(asked, ref, change, formulas, owner, ("tiles", place, "probe"))
            elif change.kind == "probe" and asked == change.old:
                made["probe"] = change.new
            if isinstance(tile.get("without"), list | tuple):
                made["without"] = [conditions.get(x, ref(x)) for x in tile["without"]]
        tiles.append(made)
    if "tiles" in folio:
        found["tiles"] = tiles
    return _named_anew(found, change, "folio")


def _text_at(item: Any, key: Sequence[str | int]) -> Any:
    for part in key:
        item = item[part]
    return item


def _places(model: Model, change: Renaming) -> dict[str, Any]:
    """Where tables stand in the star: keys are `FACT/TABLE`, or `FACT + FACT/TABLE`."""
    if change.kind != "table":
        return dict(model.places)

    def key(text: str) -> str:
        roots, slash, name = text.rpartition("/")
        parts = [change.new if x == change.old else x for x in roots.split(" + ")]
        return f"{' + '.join(parts)}{slash}{change.new if name == change.old else name}"

    return {key(k): v for k, v in model.places.items()}


def _accepted(model: Model, change: Renaming) -> tuple[Mapping[str, Any], ...]:
    """What was accepted of a thing stays accepted of it."""
    was, now = f"{change.kind} {change.old}", f"{change.kind} {change.new}"
    return tuple({**x, "about": now} if x.get("about") == was else x for x in model.accepted)


# a model's changes as edits


def edits_between(before: Model, after: Model) -> list[Edit]:
    """The edits that lead from one model to another with as many tables, links and measures in the same order; probes, folios and
    hierarchies by their places."""
    edits: list[Edit] = []
    for a, b in zip(before.tables, after.tables, strict=True):
        edits += _changed("change_table", a.name, _whole(table_json(a), Table), _whole(table_json(b), Table))
    for k, m in zip(before.links, after.links, strict=True):
        edits += _changed("change_link", k.name, link_json(k), link_json(m))
    for x, y in zip(before.measures, after.measures, strict=True):
        edits += _changed("change_measure", x.name, *({f.name: getattr(m, f.name) for f in fields(m)} for m in (x, y)))
    for kept, kind in (("probes", "probe"), ("folios", "folio"), ("hierarchies", "hierarchy")):
        for place, (old, new) in enumerate(zip(getattr(before, kept), getattr(after, kept), strict=True)):
            if dict(old) == dict(new):
                continue
            if old.get("name") != new.get("name"):
                edits.append({"kind": f"remove_{kind}", "name": old["name"]})
            edits.append({"kind": f"put_{kind}", kind: dict(new), "at": place})
    if dict(before.places) != dict(after.places):
        gone = {key: None for key in before.places if key not in after.places}
        edits.append({"kind": "place_tables", "places": gone | {k: v for k, v in after.places.items() if before.places.get(k) != v}})
    for item, other in zip(before.accepted, after.accepted, strict=True):
        if item != other:
            edits.append({"kind": "reopen_finding", **{k: item.get(k, "") for k in ("code", "about", "key")}})
            edits.append({"kind": "accept_finding", **other})
    if before.renamed != after.renamed:
        edits.append({"kind": "put_renamed", "renamed": [dict(x) for x in after.renamed]})
    return edits


def _whole(data: dict[str, Any], kind: type[Table]) -> dict[str, Any]:
    """A table's JSON with the parts that stand at their defaults, so that a change back to one is seen."""
    return {f.name: data.get(f.name) for f in fields(kind)}


def _changed(kind: str, name: str, before: Mapping[str, Any], after: Mapping[str, Any]) -> list[Edit]:
    parts = {k: after.get(k) for k in after if after.get(k) != before.get(k)}
    return [{"kind": kind, "name": name, "set": parts}] if parts else []
