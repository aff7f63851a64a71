"""Another name for a table, column, link, hierarchy, probe or folio, written everywhere it is named: formulas, links, steps, hierarchies,
probes, folios. The model under the new name is made as a whole; `edits_between` says it as edits."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, fields, replace
from itertools import pairwise
from typing import Any, TypeVar

from nexorem.core.diagnostics import Refused, near_hint, refuse
from nexorem.core.language.former import names_of
from nexorem.core.language.lexer import Token, tokenize
from nexorem.core.language.uses import (
    Owner,
    Text,
    Way,
    check_with,
    clearance_with,
    defined_beside,
    folio_with,
    named_in,
    probe_with,
    texts_of,
)
from nexorem.core.model.check_specs import AddUpMust, CheckSpec, TableMust, TileOf
from nexorem.core.model.edits import Edit
from nexorem.core.model.model import Link, Measure, Model, Table, link_json, table_json
from nexorem.core.model.names import PLAIN, quoted, reference_text
from nexorem.core.model.proven import Proven
from nexorem.core.model.specs import (
    Accepted,
    FolioSpec,
    FormerName,
    Hierarchy,
    MemberPick,
    PickSpec,
    Place,
    ProbeSpec,
    Tile,
    read_spec,
    spec_json,
)

LISTED = (("probes", "probe"), ("folios", "folio"), ("hierarchies", "hierarchy"), ("checks", "check"), ("clearances", "clearance"))
KINDS = ("table", "column", "link", "hierarchy", "probe", "folio")
Ref = Callable[[str], str]
N = TypeVar("N", ProbeSpec, FolioSpec, Hierarchy)


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
        table_of = model.table(table)
        assert table_of
        column_of = table_of.column(column)
        assert column_of
        taken = table_of.column(to)
        if table_of.formula:
            message = f"The columns of {table} are named in its formula."
            raise refuse("formula_column", message, "Write with (new name = …) there.", name)
        if taken and taken is not column_of:
            raise refuse("repeated_name", f"{table} has a column {taken.name} already.", "Choose another name.", to)
        return Renaming(kind, table, column_of.name, to)
    names = names_of(model, kind)
    old = next((n for n in names if n.lower() == name.lower()), None)
    if old is None:
        raise refuse(f"unknown_{kind}", f"The {kind} {name} no longer exists.", near_hint(name, names))
    other = next((n for n in names if n.lower() == to.lower() and n != old), None)
    if other is not None:
        raise refuse("repeated_name", f"There is already a {kind} {other}.", "Choose another name.", to)
    return Renaming(kind, "", old, to)


def renamed(star: Proven, change: Renaming, steps: Callable[[Table, Renaming], Table]) -> Model:
    """The model under the new name. `steps` rewrites what shapes and makes a table's rows, which is not read here; formulas keep all else
    of their text, comments too."""
    model = star.model
    formulas = {(x.kind, x.owner, x.key): _written(star, x, change) for x in texts_of(model)}
    tables = [_table(steps(x, change), x, change, formulas) for x in model.tables]
    measures = [_measure(m, change, formulas) for m in model.measures]
    ref = _references(model, change)
    probes = [_named_anew(_probe(probe_with(p, _of(formulas, "probe", p.name)), ref), change, "probe") for p in model.probes]
    folios = [_named_anew(_folio(folio_with(f, _of(formulas, "folio", f.name)), ref, change), change, "folio") for f in model.folios]
    hierarchies = tuple(_named_anew(replace(h, levels=tuple(map(ref, h.levels))), change, "hierarchy") for h in model.hierarchies)
    links = tuple(_link(model, k, change) for k in model.links)
    clearances = tuple(clearance_with(c, _of(formulas, "clearance", c.name)) for c in model.clearances)
    checks = tuple(_check(check_with(c, _of(formulas, "check", c.name)), ref, change) for c in model.checks)
    return replace(
        model,
        tables=tuple(tables),
        links=links,
        measures=tuple(measures),
        probes=tuple(probes),
        folios=tuple(folios),
        hierarchies=hierarchies,
        checks=checks,
        clearances=clearances,
        places=_places(model, change),
        accepted=_accepted(model, change),
        renamed=remembered(model, change),
    )


def _of(formulas: Mapping[tuple[Owner, str, Way], str], kind: Owner, owner: str) -> dict[Way, str]:
    return {way: formula for (k, o, way), formula in formulas.items() if (k, o) == (kind, owner)}


def remembered(model: Model, change: Renaming) -> tuple[FormerName, ...]:
    """The names that things had, for addresses and packages given away: a name that is in use again leads to what has it now."""
    was, now = (f"{change.table}.{x}" if change.kind == "column" else x for x in (change.old, change.new))
    if was.lower() == now.lower():
        return model.renamed
    kept = [x for x in model.renamed if (x.kind, x.was.lower()) not in ((change.kind, was.lower()), (change.kind, now.lower()))]
    return (*kept, read_spec(FormerName, {"kind": change.kind, "was": was, "now": now}))


# formulas


def dotted_anew(model: Model, formula: str, change: Renaming) -> str:
    """A formula with the new name wherever `Table.column` is written; what stands alone is left."""
    return _put(formula, dict(_dotted(model, tokenize(formula)[0], change)))


def _put(formula: str, pieces: Mapping[tuple[int, int], str]) -> str:
    for (start, end), word in sorted(pieces.items(), reverse=True):
        formula = formula[:start] + word + formula[end:]
    return formula


def _written(star: Proven, text: Text, change: Renaming) -> str:
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


def _bare(star: Proven, text: Text, tokens: Sequence[Token], change: Renaming) -> dict[tuple[int, int], str]:
    """Names that stand alone: tables, and columns in the formulas of their own table."""
    wanted = change.old if change.kind == "table" else f"{change.table}.{change.old}"
    places = [
        n for n in named_in(star, text, defined_beside(star.model, text)) if n.kind == change.kind and n.name.lower() == wanted.lower()
    ]
    names: dict[tuple[int, int], str] = {}
    for i, token in enumerate(tokens[:-1]):
        alone = "." not in (tokens[i - 1].text if i else "", tokens[i + 1].text)
        inside = any(n.start <= token.span.start and token.span.end <= n.end for n in places)
        if alone and inside and token.kind in ("name", "quoted") and token.text.lower() == change.old.lower():
            names[token.span.start, token.span.end] = quoted(change.new)
    return names


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


def _references(model: Model, change: Renaming) -> Ref:
    """How a written `Table.column` is written afterwards; what is not a column of the model stays."""

    def ref(text: str) -> str:
        if change.kind not in ("table", "column"):
            return text
        try:
            column = model.find_column(text)
        except Refused:
            return text
        later = change.column(*column)
        return reference_text(*later) if later != column else text

    return ref


def _named_anew(item: N, change: Renaming, kind: str) -> N:
    return replace(item, name=change.new) if change.kind == kind and item.name == change.old else item


def _probe(probe: ProbeSpec, ref: Ref) -> ProbeSpec:
    """A probe with its columns as they are written afterwards."""

    def level(at: str | None) -> str | None:
        return ref(at) if at else at

    return replace(
        probe,
        rows=tuple(map(ref, probe.rows)),
        columns=tuple(map(ref, probe.columns)),
        picks=_picks(probe.picks, ref),
        sort=tuple(replace(o, by=ref(o.by), at={ref(k): v for k, v in o.at.items()}) for o in probe.sort),
        having=tuple(replace(h, level=level(h.level)) for h in probe.having),
        top=replace(probe.top, level=level(probe.top.level)) if probe.top else None,
    )


def _picks(picks: Sequence[PickSpec], ref: Ref) -> tuple[PickSpec, ...]:
    return tuple(replace(p, column=ref(p.column)) if isinstance(p, MemberPick) else p for p in picks)


def _folio(folio: FolioSpec, ref: Ref, change: Renaming) -> FolioSpec:
    return replace(folio, picks=_picks(folio.picks, ref), tiles=tuple(_tile(t, ref, change) for t in folio.tiles))


def _named(probe: str | ProbeSpec | None, ref: Ref, change: Renaming) -> str | ProbeSpec | None:
    """A probe of its own, or the name of one."""
    if isinstance(probe, ProbeSpec):
        return _probe(probe, ref)
    return change.new if change.kind == "probe" and probe == change.old else probe


def _tile(tile: Tile, ref: Ref, change: Renaming) -> Tile:
    return replace(tile, probe=_named(tile.probe, ref, change), without=tuple(map(ref, tile.without)))


def _check(check: CheckSpec, ref: Ref, change: Renaming) -> CheckSpec:
    probe, must, about = check.probe, check.must, check.about
    if not isinstance(probe, TileOf):
        probe = _named(probe, ref, change)
    elif change.kind == "folio" and probe.folio == change.old:
        probe = replace(probe, folio=change.new)
    if isinstance(must, TableMust):
        must = replace(must, table=replace(must.table, columns=tuple(map(ref, must.table.columns))))
    elif isinstance(must, AddUpMust):
        must = replace(must, add_up=tuple(map(ref, must.add_up)))
    if about == f"{change.kind} {change.old}":
        about = f"{change.kind} {change.new}"
    table = change.new if change.kind == "table" and check.table == change.old else check.table
    return replace(check, probe=probe, must=must, table=table, about=about)


def _places(model: Model, change: Renaming) -> dict[str, Place]:
    """Where tables stand in the star: keys are `FACT/TABLE`, or `FACT + FACT/TABLE`."""
    if change.kind != "table":
        return dict(model.places)

    def key(text: str) -> str:
        roots, slash, name = text.rpartition("/")
        parts = [change.new if x == change.old else x for x in roots.split(" + ")]
        return f"{' + '.join(parts)}{slash}{change.new if name == change.old else name}"

    return {key(k): v for k, v in model.places.items()}


def _accepted(model: Model, change: Renaming) -> tuple[Accepted, ...]:
    """What was accepted of a thing stays accepted of it."""
    was, now = f"{change.kind} {change.old}", f"{change.kind} {change.new}"
    return tuple(replace(x, about=now) if x.about == was else x for x in model.accepted)


# a model's changes as edits


def edits_between(before: Model, after: Model) -> list[Edit]:
    """The edits that lead from one model to another with as many tables, links and measures in the same order; probes, folios,
    hierarchies and checks by their places."""
    edits: list[Edit] = []
    for a, b in zip(before.tables, after.tables, strict=True):
        edits += _changed("change_table", a.name, _whole(table_json(a), Table), _whole(table_json(b), Table))
    for k, m in zip(before.links, after.links, strict=True):
        edits += _changed("change_link", k.name, link_json(k), link_json(m))
    for x, y in zip(before.measures, after.measures, strict=True):
        edits += _changed("change_measure", x.name, *({f.name: getattr(m, f.name) for f in fields(m)} for m in (x, y)))
    for kept, kind in LISTED:
        for place, (old, new) in enumerate(zip(getattr(before, kept), getattr(after, kept), strict=True)):
            if old == new:
                continue
            if old.name != new.name:
                edits.append({"kind": f"remove_{kind}", "name": old.name})
            edits.append({"kind": f"put_{kind}", kind: spec_json(new), "at": place})
    if dict(before.places) != dict(after.places):
        gone = {key: None for key in before.places if key not in after.places}
        moved = {k: spec_json(v) for k, v in after.places.items() if before.places.get(k) != v}
        edits.append({"kind": "place_tables", "places": gone | moved})
    for item, other in zip(before.accepted, after.accepted, strict=True):
        if item != other:
            edits.append({"kind": "reopen_finding", "code": item.code, "about": item.about, "key": item.key})
            edits.append({"kind": "accept_finding", **asdict(other)})
    if before.renamed != after.renamed:
        edits.append({"kind": "put_renamed", "renamed": [spec_json(x) for x in after.renamed]})
    return edits


def _whole(data: dict[str, Any], kind: type[Table]) -> dict[str, Any]:
    """A table's JSON with the parts that stand at their defaults, so that a change back to one is seen."""
    return {f.name: data.get(f.name) for f in fields(kind)}


def _changed(kind: str, name: str, before: Mapping[str, Any], after: Mapping[str, Any]) -> list[Edit]:
    parts = {k: after.get(k) for k in after if after.get(k) != before.get(k)}
    return [{"kind": kind, "name": name, "set": parts}] if parts else []
