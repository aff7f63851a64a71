"""Where a table or column comes from, and everything that is built on it, forwards and back.

Things are named by kind and name: `source bookings.csv`, `table Booking`, `column Booking.seats`, `link route`, `measure seats_sold`,
`probe Ports by year`, `hierarchy Where`, `folio …`.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from nexorem.core.diagnostics import Refused
from nexorem.core.language.mentions import mentions
from nexorem.core.language.parser import parse, parse_rows
from nexorem.core.language.uses import columns_of
from nexorem.core.model.model import Model, Table
from nexorem.core.model.specs import ConditionPick, FolioSpec, ProbeSpec
from nexorem.gather import made
from nexorem.gather.sources.kinds import source_words
from nexorem.gather.steps import kinds as k

Thing = tuple[str, str]


@dataclass(slots=True)
class Lineage:
    """`built_from[x]` are the things that x is made of; `builds[x]` those made of x."""

    built_from: dict[Thing, list[Thing]] = field(default_factory=dict)
    builds: dict[Thing, list[Thing]] = field(default_factory=dict)

    def add(self, thing: Thing, origins: Iterable[Thing]) -> None:
        """One thing and what it is made of."""
        sources = self.built_from.setdefault(thing, [])
        for origin in origins:
            if origin != thing and origin not in sources:
                sources.append(origin)
                self.builds.setdefault(origin, []).append(thing)

    def after(self, thing: Thing) -> list[Thing]:
        """Everything that is built on a thing, near things first."""
        return _walk(thing, self.builds)

    def before(self, thing: Thing) -> list[Thing]:
        """Everything that a thing is built on, near things first."""
        return _walk(thing, self.built_from)


def _walk(start: Thing, edges: Mapping[Thing, list[Thing]]) -> list[Thing]:
    things: dict[Thing, None] = {}
    queue = [start]
    while queue:
        for near in edges.get(queue.pop(0), []):
            if near not in things and near != start:
                things[near] = None
                queue.append(near)
    return list(things)


def lineage(model: Model) -> Lineage:
    """What everything in a model is made of."""
    story = Lineage()
    for table in model.tables:
        _of_table(story, model, table)
    for link in model.links:
        story.add(
            ("link", link.name),
            [("column", f"{t}.{c}") for t, cs in ((link.from_table, link.from_columns), (link.to_table, link.to_columns)) for c in cs],
        )
    for measure in model.measures:
        story.add(("measure", measure.name), _named(model, measure.formula, None, rows=False))
    for hierarchy in model.hierarchies:
        story.add(("hierarchy", hierarchy.name), _columns(model, hierarchy.levels))
    for probe in model.probes:
        story.add(("probe", probe.name), _of_probe(model, probe))
    for folio in model.folios:
        story.add(("folio", folio.name), _of_folio(model, folio))
    return story


def _of_folio(model: Model, folio: FolioSpec) -> list[Thing]:
    things: list[Thing] = [("probe", tile.probe) for tile in folio.tiles if isinstance(tile.probe, str)]
    for probe in (*folio.own_probes(), folio.shared()):
        things += _of_probe(model, probe)
    return things


def _of_table(story: Lineage, model: Model, table: Table) -> None:
    own = ("table", table.name)
    if table.formula:
        story.add(own, _named(model, table.formula, None, rows=True))
    elif table.origin:
        words = source_words(dict(table.origin))
        story.add(own, [("source", words)])
        if made.is_made(table.origin):
            story.add(own, _columns(model, table.origin.get("dates", [])) + [("table", t) for t in made.tables_needed(table.origin)])
    else:
        story.add(own, [("source", table.source or "the package")])
    from_columns = columns_from(table)
    for data in table.steps:
        step = _step(data, table)
        if step is None or step.off:
            continue
        for other in k.tables_needed(step):
            if model.table(other):
                story.add(own, [("table", other)])
        if isinstance(step, k.LookUp):
            other_table = model.table(step.table)
            for theirs, mine in step.columns.items():
                if other_table and (column := other_table.column(theirs)):
                    story.add(("column", f"{table.name}.{mine}"), [("column", f"{other_table.name}.{column.name}")])
    for column in table.columns:
        name = ("column", f"{table.name}.{column.name}")
        story.add(name, [own])
        if column.formula:
            story.add(name, _named(model, column.formula, table.name, rows=False))
        for raw in from_columns.get(column.name, []):
            story.add(name, [("source column", f"{table.name} as loaded: {raw}")])


def _step(data: Mapping[str, Any], table: Table) -> Any:
    try:
        return k.read_step(dict(data), table.name)
    except Refused:
        return None


def columns_from(table: Table) -> dict[str, list[str]]:
    """For each column after the steps, the columns as loaded that it is made of; a column that steps leave alone is made of itself."""
    now: dict[str, list[str]] = {}
    for data in table.steps:
        step = _step(data, table)
        if step is None or step.off:
            continue
        _trace_step(now, step)
    return {c.name: now.get(c.name, [c.name]) for c in table.columns if not c.formula}


def _named_columns(formula: str) -> list[str]:
    """The columns that the formula of a step names; none where it cannot be read."""
    try:
        named = mentions(parse(formula)[0])
    except Refused:
        return []
    return [*named.names, *(column for _, column in named.columns)]


def _trace_step(now: dict[str, list[str]], step: Any) -> None:
    """Follows names through one step."""

    def of(*names: str) -> list[str]:
        return list(dict.fromkeys(x for n in names for x in now.get(n, [n])))

    match step:
        case k.Rename():
            moved = {new: of(old) for old, new in step.names.items()}
            now.update(moved)
        case k.ColumnsToRows():
            values = (
                [p.split(step.separator)[step.parts.index("*")] for p in step.columns]
                if "*" in step.parts and step.separator
                else [step.value]
            )
            now.update({v: of(*step.columns) for v in values} | {p: of(*step.columns) for p in step.parts if p != "*"})
        case k.SplitText():
            now.update({x: of(step.column) for x in step.into})
        case k.JoinText():
            now[step.into] = of(*step.columns)
        case k.DatePart():
            now[step.into] = of(step.column)
        case k.DateOfParts():
            now[step.into] = of(*(x for x in (step.year, step.month, step.day, step.hour, step.minute) if x))
        case k.AddMissing():
            now[step.into] = []
        case k.Compute():
            now[step.name] = of(*_named_columns(step.formula))
        case k.LookUp():
            now.update({mine: of(*(m.mine for m in step.on)) for mine in step.columns.values()})
        case k.NumberRows():
            now[step.into] = []
        case k.Append():
            if step.into:
                now[step.into] = []


def _columns(model: Model, texts: Iterable[Any]) -> list[Thing]:
    things: list[Thing] = []
    for text in texts:
        try:
            table, column = model.find_column(str(text))
            things.append(("column", f"{table}.{column}"))
        except Refused:
            continue
    return things


def _of_probe(model: Model, probe: ProbeSpec) -> list[Thing]:
    things = _columns(model, columns_of(probe))
    things += [("measure", m.name) for name in probe.measures if (m := model.measure(name))]
    conditions = [p.where for p in probe.picks if isinstance(p, ConditionPick)] + [h.where for h in probe.having]
    for formula in (*conditions, *probe.define.values()):
        things += _named(model, formula, None, rows=False)
    return things


def _named(model: Model, formula: str, home: str | None, rows: bool) -> list[Thing]:
    """Columns, tables and measures that a formula names."""
    try:
        node = (parse_rows(formula) if rows else parse(formula))[0]
    except Refused:
        return []
    at, table = mentions(node), model.table(home) if home else None
    things: list[Thing] = []
    for name in at.names:
        column, measure = table.column(name) if table else None, model.measure(name)
        if table and column:
            things.append(("column", f"{table.name}.{column.name}"))
        elif measure:
            things.append(("measure", measure.name))
    for owner, name in at.columns:
        if defined := model.table(owner):
            named = defined.column(name)
            things.append(("column", f"{defined.name}.{named.name}") if named else ("table", defined.name))
    things += [("table", x.name) for name in at.tables if (x := model.table(name))]
    return list(dict.fromkeys(things))


def story(model: Model, kind: str, name: str) -> dict[str, Any]:
    """A thing with everything before and after it, and the edges between these, for the Lens and its picture."""
    every = lineage(model)
    thing = (kind, _proper(model, kind, name))
    before, after = every.before(thing), every.after(thing)
    if kind == "table":
        # What is built on its columns is built on it, too; the columns themselves say nothing.
        after = [x for x in after if not (x[0] == "column" and x[1].startswith(f"{thing[1]}."))]
    shown = {thing, *before, *after}
    edges = [[list(a), list(b)] for b, origins in every.built_from.items() if b in shown for a in origins if a in shown]
    return {"thing": list(thing), "before": [list(x) for x in before], "after": [list(x) for x in after], "edges": edges}


def _proper(model: Model, kind: str, name: str) -> str:
    if kind == "column":
        table, column = model.find_column(name)
        return f"{table}.{column}"
    return name


def touched_by(model: Model, table: str, columns: Iterable[str] | None = None) -> list[Thing]:
    """What is built on a table, or on some of its columns: what a removal would touch. Columns of the table itself are left out."""
    every = lineage(model)
    starts: list[Thing] = [("table", table)] if columns is None else [("column", f"{table}.{c}") for c in columns]
    things: dict[Thing, None] = {}
    for start in starts:
        things |= dict.fromkeys(every.after(start))
    return [x for x in things if not (x[0] == "column" and x[1].startswith(f"{table}.")) and x not in starts]
