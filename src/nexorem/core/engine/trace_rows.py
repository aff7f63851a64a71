"""Telling rows: of the scan of an aggregate, and of the iterations over table expressions."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from nexorem.core.diagnostics import refuse
from nexorem.core.engine.context import Batch
from nexorem.core.engine.exact import exact
from nexorem.core.engine.execute import Execution
from nexorem.core.engine.row_values import row_vector
from nexorem.core.engine.rows import Around, Relation, over_rows, relation, row_batch, without_unmatched
from nexorem.core.engine.trace_filters import At, FilterTeller
from nexorem.core.engine.traced import Arithmetic, TableKept, TracedFlow, TracedRow, TracedRows, Unreached, UsedRows
from nexorem.core.functions.convert import widen
from nexorem.core.language import typed as t
from nexorem.core.model.model import Model
from nexorem.core.model.names import column_text, quoted
from nexorem.core.model.paths import LinkState
from nexorem.core.model.star import Star
from nexorem.core.numbering import distinct_any
from nexorem.core.plan.contexts import Context
from nexorem.core.plan.flow import flow_of
from nexorem.core.plan.logical import Needs
from nexorem.core.plan.reach import Stop, reached_tables
from nexorem.core.plan.tree import column_values, inner_nodes
from nexorem.core.values import Array, Json, Vector, iso

FIRST_ROWS = 6
EACH = "each"


@dataclass(frozen=True, slots=True)
class RowOrder:
    """Which of an aggregate's rows are told: `count` from `start` on, ordered by a column (`Table.column`, or `each` for what is made of
    the row); `` leaves them as they are in the table. Empties stand last."""

    start: int = 0
    count: int = 100
    by: str = ""
    descending: bool = False


@dataclass(frozen=True, slots=True)
class Scanned:
    """What a scan adds to its node."""

    flows: tuple[TracedFlow, ...]
    tables: tuple[TableKept, ...]
    blocked: tuple[Stop, ...]
    unreached: tuple[Unreached, ...]
    arithmetic: Arithmetic


def scan(teller: FilterTeller, node: t.Aggregate | t.Single, at: At, around: Around) -> Scanned:
    """Flows, blocked links and arithmetic of an aggregate, or of `the` and `single`."""
    star, batch, context = teller.star, at.batch, at.context
    flow = flow_of(star, node, context)
    flows: list[TracedFlow] = []
    kept = teller.crossed(flow.tree, batch, flows)
    rows = np.flatnonzero(kept[:-1])
    tables = [TableKept(f.from_, f.rows_from, star.size(f.from_)) for f in flows]
    tables.append(TableKept(flow.grain, len(rows), star.size(flow.grain)))
    arithmetic = _arithmetic(node, batch, around, rows) if isinstance(node, t.Aggregate) else _asked(node, context, around, rows)
    return Scanned(tuple(flows), tuple(tables), teller.blocked(context, flows), teller.unreached(flow, context), arithmetic)


def _asked(node: t.Single, context: Context, around: Around, rows: Array) -> Arithmetic:
    """The different values that `the` and `single` found."""
    star = around.star
    domain = star.domain(node.table, (node.column,))
    members = distinct_any(domain.codes[rows])[: FIRST_ROWS * 2]
    values = star.column(node.table, node.column).take(domain.firsts[members]).tolist()
    counts = np.bincount(domain.codes[rows], minlength=domain.size)
    distinct = int((counts > 0).sum())
    return Arithmetic(
        "single" if node.test else "the",
        node.table,
        rows_visible=len(rows),
        rows_used=len(rows),
        rows_total=star.size(node.table),
        columns=(f"{node.table}.{node.column}", "rows"),
        rows=tuple((iso(v), int(counts[m])) for v, m in zip(values, members, strict=True)),
        lookups={},
        values=(),
        distinct=distinct,
        hint=upward(node, star, context) if distinct > 1 else "",
    )


def upward(node: t.Single, star: Star, context: Context) -> str:
    """Why a filtered table leaves a column that it looks up more than one value, and what to write: filters run from the one side to the
    many, not back."""
    for table in context.tables:
        chain = star.lookups(table, node.state).get(node.table, ())
        if table == node.table or not chain or node.table in reached_tables(star, node.state, [table]):
            continue
        text, over = column_text(node.table, node.column), " and ".join(link.name for link in chain)
        turned = ", ".join(f"flow {star.model.link_text(k)} two-way" for k in chain)
        return (
            f"The filter on {table} does not run up to {node.table} over {over}: {table} looks {node.table} up, and filters run the "
            f"other way. Of the rows that are left write max({text} for each {quoted(table)}); or let filters run back, as in "
            f"the({text}) given ({turned})."
        )
    return ""


def _arithmetic(node: t.Aggregate, batch: Batch, around: Around, rows: Array) -> Arithmetic:
    """The grain, how many rows were used, and the first of them with what was made of each."""
    star = around.star
    visible = len(rows)
    if node.where is not None:
        rows = rows[widen(row_vector(node, node.where, batch, around, rows), "boolean").true()]
    first = rows[:FIRST_ROWS]
    columns = shown_columns(star.model, node)
    listed = {
        f"{table}.{c}": star.column(table, c).take(star.partner_along(node.lookups.get(table, ()), first)).tolist() for table, c in columns
    }
    values: tuple[Json, ...] | None = None
    filled: int | None = None
    if node.argument is not None:
        values = tuple(iso(v) for v in row_vector(node, node.argument, batch, around, first).tolist())
        if exact(star, node, node.argument) is not None:  # nothing of it is ever empty
            filled = len(rows)
        elif not inner_nodes(node.argument):  # what is computed for each row would be computed for all of them
            filled = int(row_vector(node, node.argument, batch, around, rows).valid.sum())
    return Arithmetic(
        "count distinct" if node.distinct else node.function,
        node.grain,
        rows_visible=visible,
        rows_used=len(rows),
        rows_total=star.size(node.grain),
        columns=tuple(listed),
        rows=tuple(tuple(iso(listed[c][i]) for c in listed) for i in range(len(first))),
        lookups={table: tuple(k.name for k in chain) for table, chain in node.lookups.items() if chain},
        values=values,
        rows_filled=filled,
    )


def used_rows(teller: FilterTeller, node: t.Aggregate, batch: Batch, around: Around, order: RowOrder) -> UsedRows:
    """A page of the rows an aggregate used."""
    star = teller.star
    rows = np.flatnonzero(teller.crossed(star.inflow(node.grain, node.state), batch, [])[:-1])
    if node.where is not None:
        rows = rows[widen(row_vector(node, node.where, batch, around, rows), "boolean").true()]
    shown = shown_columns(star.model, node)
    shown += [(node.grain, c) for c in star.rows[node.grain].columns if (node.grain, c) not in shown]

    def along(table: str, column: str, places: Array) -> Vector:
        return star.column(table, column).take(star.partner_along(node.lookups.get(table, ()), places))

    names = {f"{table}.{c}": (table, c) for table, c in shown}
    if order.by == EACH and node.argument is not None:
        rows = rows[_row_places(row_vector(node, node.argument, batch, around, rows), order.descending)]
    elif order.by in names:
        rows = rows[_row_places(along(*names[order.by], rows), order.descending)]
    elif order.by:
        raise refuse("unknown_column", f"These rows have no {order.by}.", f"Order by one of {', '.join([*names, EACH])}.", "by")
    page = rows[order.start : order.start + order.count]
    listed = {name: [iso(v) for v in along(*column, page).tolist()] for name, column in names.items()}
    values = tuple(map(iso, row_vector(node, node.argument, batch, around, page).tolist())) if node.argument is not None else None
    return UsedRows(tuple(listed), tuple(zip(*listed.values(), strict=True)), values, len(rows), order.start, node.text, node.grain)


def _row_places(vector: Vector, descending: bool) -> Array:
    """The order of some values, the same ones as they stand, empties last."""
    ranks, _ = vector.codes()
    return np.lexsort([-ranks if descending else ranks, ~vector.valid])


def shown_columns(model: Model, node: t.Aggregate) -> list[tuple[str, str]]:
    """The columns that an aggregate's rows are told by: those of the key, and those that the formula names."""
    table = model.table(node.grain)
    assert table
    own = table.key or ((table.columns[0].name,) if table.columns else ())
    columns = [(node.grain, c) for c in own]
    for tree in (node.argument, node.where):
        columns += [(c.table, c.column) for c in column_values(tree) if c.table in node.lookups]
    return list(dict.fromkeys(columns))


# iterations


def _iterated(node: t.Iterated | t.Rank, batch: Batch, around: Around) -> tuple[Relation, Vector | None]:
    """The rows an iteration used, and the value of each."""
    over = node.over if isinstance(node, t.Iterated) else node.among
    rows = relation(over, batch, around, node.state)
    if isinstance(node, t.Rank):
        return rows, over_rows(node.by, rows, batch, around, node.state)
    if node.function == "rows":
        rows = without_unmatched(rows)
    if node.where is not None:
        rows = rows.take(np.flatnonzero(widen(over_rows(node.where, rows, batch, around, node.state), "boolean").true()))
    return rows, over_rows(node.argument, rows, batch, around, node.state) if node.argument is not None else None


def first_rows(over: t.Rows, state: LinkState, batch: Batch, around: Around, node: t.Iterated | t.Rank | None = None) -> TracedRows:
    """The rows of a table expression in one context: how many, the first, and those with the largest and the smallest
    values. `key` is a row's place among them, by which a trace goes on in it."""
    if node is not None:
        rows_of, values = _iterated(node, batch, around)
    else:
        rows_of, values = relation(over, batch, around, state), None
    chosen = list(range(min(FIRST_ROWS, len(rows_of))))
    if values is not None and len(rows_of) > FIRST_ROWS:
        valid = np.flatnonzero(values.valid)
        order = valid[np.argsort(values.data[valid], kind="stable")]
        chosen = list(dict.fromkeys([*chosen, *(int(i) for i in order[::-1][:2]), *(int(i) for i in order[:1])]))
    rows = tuple(_traced_row(over, rows_of, values, i) for i in sorted(chosen))
    return TracedRows(over.text, len(rows_of), tuple(_name(c) for c in _traced_columns(over)), rows)


def _name(column: t.RowColumn) -> str:
    return f"{column.table}.{column.column}" if column.table else column.name


def _traced_columns(over: t.Rows) -> list[t.RowColumn]:
    return list(over.columns[:8])


def _traced_row(over: t.Rows, rows_of: Relation, values: Vector | None, at: int) -> TracedRow:
    one = rows_of.take(np.array([at]))
    cells = ("(unmatched)" if bool(one.unmatched(i)[0]) else iso(one.column(i).at(0)) for i in range(len(_traced_columns(over))))
    return TracedRow(at, tuple(cells), iso(values.at(at)) if values is not None else None)


def through(
    node: t.Iterated | t.Rank, batch: Batch, run: Execution, needs: Needs, key: int
) -> tuple[list[tuple[t.InRow, Execution]], Batch, TracedRow] | None:
    """One row of an iteration: the executions of what is computed in its context, that context, and the row; None for a
    key that is no row's."""
    around = run.around(needs, batch)
    rows_of, values = _iterated(node, batch, around)
    if not 0 <= key < len(rows_of):
        return None
    tree = node.argument if isinstance(node, t.Iterated) else node.by
    one = rows_of.take(np.array([key]))
    met: list[tuple[t.InRow, Execution]] = []
    if tree is not None:
        over_rows(tree, one, batch, run.around(needs, batch, met), node.state)
    return met, row_batch(batch, one), _traced_row(one.shape, rows_of, values, key)
