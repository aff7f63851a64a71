"""A cell explained where its rows stay: the same tree that a trace has here, every number in it from the place.

It is told twice: the first telling notes what it wants to know, one statement gives all the numbers, and the second telling has them.
Of a table all counts are taken in one pass over its rows.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

import sqlalchemy as sa

from nexorem.core.diagnostics import refuse
from nexorem.core.engine.planned import planned
from nexorem.core.engine.probe import Pick, Probe
from nexorem.core.engine.trace import Told, trace_of
from nexorem.core.engine.trace_filters import MOST_VALUES, edit_word
from nexorem.core.engine.trace_rows import FIRST_ROWS, RowOrder, Scanned, shown_columns, upward
from nexorem.core.engine.traced import (
    Allowed,
    Arithmetic,
    CellValue,
    Cut,
    FilterChange,
    TableFilter,
    TableKept,
    Trace,
    TracedEdit,
    TracedFlow,
    TracedRows,
    Unreached,
    UsedRows,
)
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget
from nexorem.core.model.paths import Inflow
from nexorem.core.model.star import Star
from nexorem.core.plan.contexts import AxisMember, Context, CurrentRow, Held, Picked, changes
from nexorem.core.plan.flow import flow_of
from nexorem.core.plan.reach import blocked, carrying_edits, first_stop
from nexorem.core.plan.tree import inner_nodes
from nexorem.core.values import Json, iso
from nexorem.sql.build import Build, Places, Reader
from nexorem.sql.contexts import Ctx, Env, Filter
from nexorem.sql.contexts import Value as Looked
from nexorem.sql.counts import Counting, TableCounts, Wanted, different
from nexorem.sql.dialects import Dialect, number
from nexorem.sql.pools import tree_over
from nexorem.sql.probe import cell_steps
from nexorem.sql.reach import Reach, Seen, reaches
from nexorem.sql.rows import RowScope, known, passing, rows_of
from nexorem.sql.scalars import truth
from nexorem.sql.steps import Steps, aggregate
from nexorem.sql.tree import Relation, Statement, statement

Sql = sa.ColumnElement[Any]
Line = tuple[Any, ...]
Select = Callable[[Statement, Sequence[str]], Sequence[Line]]
Test = Callable[[Reader], list[Sql]]


class TellerThere(Told):
    """Tells a plan that is compiled for a place."""

    def __init__(self, star: Star, probe: Probe, steps: Steps, start: Context, budget: Budget, wanted: Wanted) -> None:
        super().__init__(star, steps.plan, start, budget)
        self.probe, self.steps, self.build, self.wanted = probe, steps, steps.build, wanted
        self.counts: dict[tuple[str, bool], TableCounts] = {}
        self._relations: dict[tuple[str, bool], Relation] = {}

    # What is asked

    def count(self, table: str, what: Callable[[Counting], Sql], plus: bool = False) -> int:
        """A count over the rows of a table."""
        counts = self.counts.setdefault((table, plus), TableCounts(self.build, table, plus))
        name = counts.add(what)

        def read(env: Env) -> Sql:
            key = table, plus
            if key not in self._relations:
                self._relations[key] = counts.made()
            return env.join(self._relations[key], ()).c[name]

        return int(self.wanted.number(read) or 0)

    def ctx(self, context: int) -> Ctx:
        """A context as it is compiled."""
        return self.steps.contexts[context]

    def in_force(self, context: int, tables: set[str]) -> tuple[Filter, ...]:
        """The filters of a context on some tables."""
        ctx = self.ctx(context)
        pattern = ctx.base.patterns[0]
        return tuple(f for f in ctx.filters if f.table in tables and f.in_force(ctx.base, pattern))

    def reach(self, context: int, flow: Inflow, filters: tuple[Filter, ...]) -> Reach:
        """What of some filters comes to the rows of a table over a tree of flows."""
        ctx = self.ctx(context)
        (found,) = reaches(self.build, ctx, flow, filters)
        assert not found.keys and not found.equal and not any(j.deps for j in found.joins), "the members of one cell are conditions"
        return found

    def kept(self, context: int, flow: Inflow, more: Test | None = None) -> int:
        """How many rows of a table are left."""
        found = self.reach(context, flow, self.ctx(context).filters)
        return self.count(flow.table, lambda c: c.rows(*c.passing(found), *(more(c.reader) if more else [])))

    # What is told

    def value(self, node: t.Typed, context: int) -> CellValue:
        """A node's value as JSON."""
        looked = self.steps.values[self.plan.values[id(node), context]]
        return iso(self.wanted.number(looked.sql))

    def traced(self, context: int) -> tuple[TableFilter, ...]:
        """The filters of a context, by table."""
        return tuple(self._of_table(context, table) for table in self.contexts[context].tables)

    def _of_table(self, context: int, table: str) -> TableFilter:
        own = self.in_force(context, {table})
        found = self.reach(context, Inflow(table, None, "", ()), own)
        kept = self.count(table, lambda c: c.rows(*c.passing(found)), plus=True)
        planned_here = [f for f in self.contexts[context].filters if f.table == table]
        columns = dict.fromkeys(c for f in own for c in (f.columns or ()))
        return TableFilter(
            table,
            tuple(self.allowed(context, table, c) for c in columns),
            rows_filtered=any(f.columns is None for f in own),
            origins=tuple(dict.fromkeys(_origin(f.holds) for f in planned_here)),
            rows_kept=kept,
            rows_total=self.star.size(table),
            unmatched=self._lost(context, table, own),
        )

    def _lost(self, context: int, table: str, filters: tuple[Filter, ...]) -> bool:
        """Whether the unmatched member of a table passes its filters."""
        if not self.star.has_unmatched(table):
            return False
        found = self.reach(context, Inflow(table, None, "", ()), filters)
        return self.count(table, lambda c: sa.func.count(sa.case((sa.and_(c.lost(), *c.passing(found)), number(1)))), plus=True) > 0  # type: ignore[arg-type]

    def allowed(self, context: int, table: str, column: str) -> Allowed:
        """What all filters on a column together allow of it: the first values, and how many of how many."""
        held = tuple(f for f in self.in_force(context, {table}) if f.columns is None or column in f.columns)
        found = self.reach(context, Inflow(table, None, "", ()), held)
        count = self.count(table, lambda c: different(c, column, c.passing(found)), plus=True)
        total = self.count(table, lambda c: different(c, column, []), plus=True)
        values = self._known(context, table, column)
        if values is None:
            lines = self.wanted.several(lambda: self._members(table, column, found))
            values = tuple(iso(line[0]) for line in lines)
        return Allowed(f"{table}.{column}", values, self._lost(context, table, held), count, total)

    def _known(self, context: int, table: str, column: str) -> tuple[Json, ...] | None:
        """The member that the cell shows, which nobody has to be asked for."""
        mine = [f for f in self.contexts[context].filters if f.table == table and (f.columns is None or column in f.columns)]
        if len(mine) != 1 or not isinstance(mine[0].holds, AxisMember):
            return None
        (pick,) = (p for p in self.at if (p.table, p.column) == (table, column))
        return tuple(map(iso, pick.values))

    at: tuple[Pick, ...] = ()

    def _members(self, table: str, column: str, found: Reach) -> tuple[Statement, Sequence[str]]:
        build = self.build

        def final() -> sa.SelectBase:
            counting = Counting(build, table, False)
            tests = counting.passing(found)
            value = counting.reader.value((), column)
            ordered = build.dialect.by_code_point(value) if build.dtype(table, column) == "text" else value
            several = sa.select(value.label("value")).select_from(counting.source.joined).where(*tests).group_by(value)
            return several.order_by(value.is_(None), ordered).limit(MOST_VALUES)

        return self._alone(final)

    def _alone(self, final: Callable[[], sa.SelectBase]) -> tuple[Statement, Sequence[str]]:
        """A statement of its own over the relations made so far."""
        for relation in (*self.build.relations, *self.build.sources):
            relation.reads = 0
        return statement(self.build.parts(), final), self.build.tables_read()

    def changed(self, edit: t.TypedEdit, context: int, after: int) -> TracedEdit:
        """What an edit made of a context."""
        traced = TracedEdit(edit.text, edit_word(edit))
        state = self.contexts[context].state
        match edit:
            case t.Switched(link=link):
                off = [k.name for k in self.star.model.links if k.tables == link.tables and k.name in state.active and k.name != link.name]
                return replace(traced, link=link.name, instead_of=tuple(off))
            case t.Turned(link=link):
                return replace(traced, link=link.name, way=edit.way, way_before=state.way(link))
            case t.Matched(link=link):
                return replace(traced, link=link.name, from_=link.to_table, to=link.from_table)
            case t.Condition() | t.Listing() if edit.keep:
                table = edit.table
                flow = Inflow(table, None, "", ())
                rows = []
                for at in (context, after):
                    found = self.reach(at, flow, self.in_force(at, {table}))
                    rows.append(self.count(table, lambda c, r=found: c.rows(*c.passing(r)), plus=True))  # type: ignore[misc]
                traced = replace(traced, cut=Cut(table, *rows))
        told = (
            FilterChange(
                f"{c.table}.{c.column}",
                self.allowed(context, c.table, c.column) if c.before else None,
                self.allowed(after, c.table, c.column) if c.after else None,
                c.kind,
            )
            for c in changes(self.star.model, edit, self.contexts[context], self.contexts[after])
        )
        return replace(traced, changes=tuple(told))

    def crossed(self, context: int, flow: Inflow, flows: list[TracedFlow]) -> int:
        """How many rows are left of a table; notes each link that a filter crossed on its way there."""
        kept = self.kept(context, Inflow(flow.table, None, "", ()))
        come: list[Inflow] = []
        for source in flow.sources:
            if not self.in_force(context, {x.table for x in source.walk()}):
                continue
            there, before = self.crossed(context, source, flows), kept
            come.append(source)
            kept = self.kept(context, Inflow(flow.table, None, "", tuple(come)))
            assert source.link and source.how != ""
            flows.append(TracedFlow(source.link.name, source.table, flow.table, source.how, there, before, kept))
        return kept

    def scanned(self, node: t.Aggregate | t.Single, context: int) -> Scanned:
        """Flows, blocked links and arithmetic of an aggregate, or of `the` and `single`."""
        star, planned_here = self.star, self.contexts[context]
        flow = flow_of(star, node, planned_here)
        flows: list[TracedFlow] = []
        rows = self.crossed(context, flow.tree, flows)
        tables = [TableKept(f.from_, f.rows_from, star.size(f.from_)) for f in flows]
        tables.append(TableKept(flow.grain, rows, star.size(flow.grain)))
        state = planned_here.state
        unreached = tuple(
            Unreached(
                table,
                first_stop(star, state, table, flow.grain),
                blocked(star, state, [table], set()),
                tuple(carrying_edits(star, state, table, flow.grain)),
            )
            for table in flow.unreached
        )
        stops = blocked(star, state, planned_here.tables, {f.link for f in flows})
        made = (
            self._arithmetic(node, context, flow.tree, rows)
            if isinstance(node, t.Aggregate)
            else self._single(node, context, flow.tree, rows)
        )
        return Scanned(tuple(flows), tuple(tables), stops, unreached, made)

    def _arithmetic(self, node: t.Aggregate, context: int, flow: Inflow, visible: int) -> Arithmetic:
        shown = shown_columns(self.star.model, node)
        simple = not inner_nodes(node.where) and not inner_nodes(node.argument)
        where, argument = self._trees(node) if simple else (None, None)
        used, filled = visible, None
        if node.where is not None:
            used = self.kept(context, flow, lambda r: [where(r)]) if where else self._rows_used(node, context)
        if argument is None and node.argument is not None and not inner_nodes(node.argument):
            filled = self._filled(node, context)
        elif argument is not None:
            filled = self.kept(context, flow, lambda r: [*([where(r)] if where else []), argument(r).is_not(None)])
        lines = self.wanted.several(lambda: self.used(node, context, RowOrder(0, FIRST_ROWS), shown))
        values = tuple(iso(line[len(shown)]) for line in lines) if argument is not None else None
        return Arithmetic(
            "count distinct" if node.distinct else node.function,
            node.grain,
            rows_visible=visible,
            rows_used=used,
            rows_total=self.star.size(node.grain),
            columns=tuple(f"{table}.{c}" for table, c in shown),
            rows=tuple(tuple(iso(x) for x in line[: len(shown)]) for line in lines),
            lookups={table: tuple(k.name for k in chain) for table, chain in node.lookups.items() if chain},
            values=values,
            rows_filled=filled,
        )

    def _trees(self, node: t.Aggregate) -> tuple[Callable[[Reader], Sql] | None, Callable[[Reader], Sql] | None]:
        """The condition and the argument of an aggregate over rows."""
        where = tree_over(self.build, node.where, node.lookups) if node.where is not None else None
        argument = tree_over(self.build, node.argument, node.lookups) if node.argument is not None else None
        return (lambda r: truth(where(r))) if where else None, (lambda r: argument(r).sql) if argument else None

    def _rows_used(self, node: t.Aggregate, context: int) -> int:
        """How many rows pass a condition in which something is computed for each row."""
        counting = replace(node, function="rows", argument=None, distinct=False, extra=None, dtype="integer")
        return self._counted(counting, node, context)

    def _filled(self, node: t.Aggregate, context: int) -> int:
        """How many values are not empty, of rows that pass such a condition."""
        return self._counted(replace(node, function="count", distinct=False, extra=None, dtype="integer"), node, context)

    def _counted(self, counting: t.Aggregate, node: t.Aggregate, context: int) -> int:
        looked: Looked = aggregate(counting, self.ctx(context), self.steps.around(self.needs(node, context)))
        return int(self.wanted.number(looked.sql) or 0)

    def used(self, node: t.Aggregate, context: int, order: RowOrder, shown: Sequence[tuple[str, str]]) -> tuple[Statement, Sequence[str]]:
        """A page of the rows that an aggregate uses: the columns that are shown, then what is made of each."""
        found = self.reach(context, self.star.inflow(node.grain, node.state), self.ctx(context).filters)
        where, argument = self._trees(node) if not inner_nodes(node.where) and not inner_nodes(node.argument) else (None, None)
        dialect = self.build.dialect

        def final() -> sa.SelectBase:
            seen = Seen(self.build, node.grain, found)
            columns = [seen.reader.value(node.lookups.get(table, ()), c).label(f"c{i}") for i, (table, c) in enumerate(shown)]
            made = [argument(seen.reader).label("each")] if argument else []
            select = seen.select(*columns, *made, more=[where(seen.reader)] if where else [])
            names = {f"{table}.{c}": (column, self.build.dtype(table, c)) for (table, c), column in zip(shown, columns, strict=True)}
            if argument:
                names["each"] = made[0], node.dtype
            if order.by:
                if order.by not in names:
                    raise refuse("unknown_column", f"These rows have no {order.by}.", f"Order by one of {', '.join(names)}.", "by")
                column, dtype = names[order.by]
                value = dialect.by_code_point(column.element) if dtype == "text" else column.element
                select = select.order_by(column.element.is_(None), value.desc() if order.descending else value.asc())
            return select.limit(order.count).offset(order.start or None)

        return self._alone(final)

    def _single(self, node: t.Single, context: int, flow: Inflow, rows: int) -> Arithmetic:
        found = self.reach(context, flow, self.ctx(context).filters)
        distinct = self.count(node.table, lambda c: different(c, node.column, c.passing(found)))
        build = self.build

        def ask() -> tuple[Statement, Sequence[str]]:
            def final() -> sa.SelectBase:
                seen = Seen(build, node.table, found)
                value = seen.reader.value((), node.column)
                ordered = build.dialect.by_code_point(value) if build.dtype(node.table, node.column) == "text" else value
                select = seen.select(value.label("value"), sa.func.count().label("rows")).group_by(value)
                return select.order_by(value.is_(None), ordered).limit(FIRST_ROWS * 2)

            return self._alone(final)

        lines = self.wanted.several(ask)
        return Arithmetic(
            "single" if node.test else "the",
            node.table,
            rows_visible=rows,
            rows_used=rows,
            rows_total=self.star.size(node.table),
            columns=(f"{node.table}.{node.column}", "rows"),
            rows=tuple((iso(v), int(n)) for v, n in lines),
            lookups={},
            values=(),
            distinct=distinct,
            hint=upward(node, self.star, self.contexts[context]) if distinct > 1 else "",
        )

    def iterated(self, node: t.Iterated | t.Rank, context: int) -> TracedRows:
        """How many rows were run over; which they are is asked of their columns."""
        over = node.over if isinstance(node, t.Iterated) else node.among
        ctx, around = self.ctx(context), self.steps.around(self.needs(node, context))
        rows = rows_of(over, ctx, around, node.state)
        scope = RowScope(rows, ctx, around, node.state)
        if isinstance(node, t.Iterated):
            if node.function == "rows":
                scope = RowScope(known(scope.rows, ctx, around, node.state, scope.rows.shape), ctx, around, node.state)
            if node.where is not None:
                scope = RowScope(passing(scope, node.where, scope.rows.shape), ctx, around, node.state)
        return self._row_count(over, scope)

    def listed(self, edit: t.Listing, context: int, after: int) -> TracedRows | None:
        """How many rows an edit lists."""
        ctx, around = self.ctx(context), self.steps.around(self.plan.context_step(edit, context).needs)
        return self._row_count(edit.rows, RowScope(rows_of(edit.rows, ctx, around, edit.state), ctx, around, edit.state))

    def _row_count(self, over: t.Rows, scope: RowScope) -> TracedRows:
        deps = scope.deps()
        classes = scope.classes(deps)

        def write() -> sa.SelectBase:
            env = scope.env(classes, deps)
            return env.select(sa.func.count().label("rows_"))

        relation = self.build.add("rows_of_it", (), write, over.text, {"rows_": "integer"})
        count = int(self.wanted.number(lambda env: env.join(relation, ()).c["rows_"]) or 0)
        names = tuple(f"{c.table}.{c.column}" if c.table else c.name for c in over.columns[:8])
        return TracedRows(over.text, count, names, ())


def _origin(holds: Held) -> str:
    """Where a filter comes from, as people read it."""
    match holds:
        case AxisMember():
            return "coordinate"
        case Picked():
            return "pick"
        case CurrentRow():
            return "row"
        case _:
            return holds.edit.text


def trace_there(
    star: Star, probe: Probe, measure: str, at: Sequence[Pick], budget: Budget, dialect: Dialect, places: Places, select: Select
) -> Trace:
    """The trace of a cell by SQL: one statement for all counts and values, and one for each list of rows or members."""
    told = _Telling(star, probe, measure, at, budget, dialect, places)
    teller = told.teller(Wanted())
    teller.node(told.bound, 0, "0")
    wanted = teller.wanted
    numbers = told.numbers(teller)
    (line,) = select(*numbers)
    again = Wanted()
    again.given = list(line)
    again.given_lines = [select(*ask()) for ask in wanted.lines]
    node = told.teller(again).node(told.bound, 0, "0")
    return trace_of(probe, told.bound.name, list(at), node, node)


class _Telling:
    """A cell that is told: its plan, compiled anew for each telling."""

    def __init__(
        self, star: Star, probe: Probe, measure: str, at: Sequence[Pick], budget: Budget, dialect: Dialect, places: Places
    ) -> None:
        self.star, self.budget, self.dialect, self.places, self.at = star, budget, dialect, places, list(at)
        self.probe = replace(probe, measures=(measure,), having=(), top=None, sort=(), empty_lines=True)
        self.plan = planned(star, self.probe, budget.limits)
        self.bound = self.plan.measures[0]
        self.env: Env | None = None

    def teller(self, wanted: Wanted) -> TellerThere:
        """One that tells it."""
        build = Build(self.star, self.dialect, self.places)
        build.call([*self.plan.measures])
        steps, self.env = cell_steps(build, self.probe, self.plan, self.at)
        start = self.plan.context(self.probe, [(p.table, p.column) for p in self.at])
        made = TellerThere(self.star, self.probe, steps, start, self.budget, wanted)
        made.at = tuple(self.at)
        return made

    def numbers(self, teller: TellerThere) -> tuple[Statement, Sequence[str]]:
        """The statement of all numbers, and the tables that it reads."""
        build, wanted = teller.build, teller.wanted

        def final() -> sa.SelectBase:
            assert self.env
            read = [x(self.env).label(f"v{i}") for i, x in enumerate(wanted.reads)]
            return self.env.select(*read)

        made = statement(build.parts(), final)
        return made, build.tables_read()


def used_rows_there(
    star: Star,
    probe: Probe,
    measure: str,
    at: Sequence[Pick],
    path: str,
    order: RowOrder,
    budget: Budget,
    dialect: Dialect,
    places: Places,
    select: Select,
) -> UsedRows:
    """A page of the rows that an aggregate of a trace used, by the `path` of its node; in no order but the one that is asked for."""
    told = _Telling(star, probe, measure, at, budget, dialect, places)
    teller = told.teller(Wanted())
    teller.node(told.bound, 0, "0")
    node, context = teller.told.get(path, (None, 0))
    if not isinstance(node, t.Aggregate):
        raise refuse("no_such_node", f"There is no arithmetic at {path}.", "Take the path of an aggregate's node.", "path")
    table = star.model.table(node.grain)
    shown = shown_columns(star.model, node)
    shown += [(node.grain, c.name) for c in table.columns if (node.grain, c.name) not in shown] if table else []
    fresh = told.teller(Wanted())
    flow = flow_of(star, node, fresh.contexts[context])
    where, argument = fresh._trees(node) if not inner_nodes(node.where) and not inner_nodes(node.argument) else (None, None)
    used = fresh.kept(context, flow.tree, lambda r: [where(r)]) if where else fresh.kept(context, flow.tree)
    assert used == 0
    (line,) = select(*told.numbers(fresh))
    lines = select(*teller.used(node, context, order, shown))
    values = tuple(iso(line_[len(shown)]) for line_ in lines) if argument else None
    rows = tuple(tuple(iso(x) for x in line_[: len(shown)]) for line_ in lines)
    return UsedRows(tuple(f"{a}.{b}" for a, b in shown), rows, values, int(line[0]), order.start, node.text, node.grain)
