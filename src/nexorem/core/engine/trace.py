"""One cell explained: the plan of its measure, executed for that cell alone and told step by step (formats.md, 4).

The tree has a node for each measure, aggregate and `given` met. Everything in it is read from the same plan, contexts
and values that a grid is computed with, so the value at the root is the grid's.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import numpy as np

from nexorem.core.diagnostics import CellError
from nexorem.core.engine.aggregate import row_values
from nexorem.core.engine.context import Batch, Filter, constant_filter, each_member
from nexorem.core.engine.execute import Execution, execute
from nexorem.core.engine.plan import Planner, ValueStep
from nexorem.core.engine.probe import Pick, Probe, member_mask, page
from nexorem.core.engine.reach import blocked
from nexorem.core.engine.scalar import children
from nexorem.core.engine.visibility import selectors
from nexorem.core.functions.convert import widen
from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.limits import Budget
from nexorem.core.model.paths import Inflow, LinkState
from nexorem.core.model.star import ROWS, Star
from nexorem.core.values import Array, Vector, iso

MOST_VALUES = 12
FIRST_ROWS = 6


def trace(star: Star, probe: Probe, measure: str, at: Iterable[Pick], budget: Budget) -> dict[str, Any]:
    """The cell of `measure` at the coordinates `at`, under the probe's page."""
    binder = Binder(star, probe.define, budget.limits)
    bound = binder.measure(measure)
    base = page(star, binder, probe, budget)
    at = list(at)
    for pick in at:
        base = base.adding(constant_filter(base, pick.table, (pick.column,), member_mask(star, pick), "coordinate"))
    planner = Planner(star)
    planner.add_root(bound)
    run = execute(star, planner.plan, base, budget)
    teller = Teller(star, planner, run, budget)
    node = teller.node(bound, 0, star.state)
    return {
        "measure": bound.name,
        "coordinates": {f"{p.table}.{p.column}": _member(p) for p in at},
        "picks": [_pick_json(p) for p in probe.picks] + [{"where": text} for text in probe.conditions],
        "value": node["value"],
        "tree": node,
    }


def _member(pick: Pick) -> Any:
    return "(unmatched)" if pick.unmatched else iso(pick.values[0])


def _pick_json(pick: Pick) -> dict[str, Any]:
    values: list[Any] = [iso(v) for v in pick.values]
    return {"column": f"{pick.table}.{pick.column}", "in": values + ([{"unmatched": True}] if pick.unmatched else [])}


class Teller:
    """Tells an executed plan of one context."""

    def __init__(self, star: Star, planner: Planner, run: Execution, budget: Budget) -> None:
        self.star, self.planner, self.run, self.budget = star, planner, run, budget

    def batch(self, context: int) -> Batch:
        """The filters of a context; none where its computation failed."""
        found = self.run.contexts[context]
        return Batch(1) if isinstance(found, CellError) else found

    def value(self, node: t.Typed, context: int) -> Any:
        """A node's value as JSON."""
        found = self.run.values[self.planner.value(node, context)]
        return {"error": found.code, "message": str(found)} if isinstance(found, CellError) else iso(found.at(0))

    def node(self, node: t.Typed, context: int, state: LinkState) -> dict[str, Any]:
        """A measure, aggregate or `given` as a node of the tree."""
        told: dict[str, Any] = {"kind": _kind(node), "text": "", "dtype": node.dtype, "value": self.value(node, context)}
        told |= {"edits": [], "filters": self.filters(context), "flows": [], "blocked": [], "children": []}
        if isinstance(node, t.MeasureValue):
            told |= {"name": node.name, "text": node.formula}
            told["children"] = self.nested(node.body, context, state)
        elif isinstance(node, t.Aggregate):
            told["text"] = node.text
            told |= self.scan(node, context)
        elif isinstance(node, t.Edited):
            told["text"] = f"given ({', '.join(e.text for e in node.edits)})"
            contexts = self.planner.edited(node.edits, context)
            for edit, before, after in zip(node.edits, contexts[:-1], contexts[1:], strict=True):
                told["edits"].append(self.edit(edit, before, after, state))
                state = edit.state if isinstance(edit, t.Switched) else state
            told["filters"] = self.filters(contexts[-1])
            told["children"] = self.nested(node.body, contexts[-1], state)
        return told

    def nested(self, node: t.Typed, context: int, state: LinkState) -> list[dict[str, Any]]:
        """The nearest nodes of the tree at or below a node."""
        if isinstance(node, t.MeasureValue | t.Aggregate | t.Edited):
            return [self.node(node, context, state)]
        return [told for child in children(node) for told in self.nested(child, context, state)]

    # filters

    def filters(self, context: int) -> list[dict[str, Any]]:
        """For each table with a filter of its own: its columns, what they allow, and the rows that pass them."""
        batch = self.batch(context)
        told = []
        for table in dict.fromkeys(f.table for f in batch.filters if f.index[0] >= 0):
            own = [f for f in batch.filters if f.table == table and f.index[0] >= 0]
            kept = self.mask(Inflow(table, None, "", ()), own)
            columns = list(dict.fromkeys(c for f in own for c in (f.columns or ())))
            told.append({
                "table": table,
                "columns": [self.allowed(batch, table, c) for c in columns],
                "rows_filtered": any(f.columns is ROWS for f in own),
                "origins": list(dict.fromkeys(f.origin for f in own)),
                "rows_kept": int(kept[:-1].sum()),
                "rows_total": self.star.size(table),
                "unmatched": bool(kept[-1]) and self.star.has_unmatched(table),
            })  # fmt: skip
        return told

    def allowed(self, batch: Batch, table: str, column: str) -> dict[str, Any]:
        """What all filters on a column together allow of it: the first values, and how many of how many."""
        domain = self.star.domain(table, (column,))
        mask = np.ones(domain.size, bool)
        for found in batch.filters:
            if found.table == table and found.index[0] >= 0 and found.columns and column in found.columns:
                before = self.star.domain(table, found.columns)
                members = np.flatnonzero(found.sets.mask(int(found.index[0]), before.size))
                mine = np.zeros(domain.size, bool)
                mine[domain.codes[before.firsts[members]]] = True
                mask &= mine
        values = self.star.column(table, column).take(domain.firsts[np.flatnonzero(mask[:-1])][:MOST_VALUES]).tolist()
        total = domain.size - 1
        return {
            "column": f"{table}.{column}", "values": [iso(v) for v in values],
            "unmatched": bool(mask[-1]) and self.star.has_unmatched(table),
            "count": int(mask[:-1].sum()), "total": total,
        }  # fmt: skip

    def edit(self, edit: t.TypedEdit, before: int, after: int, state: LinkState) -> dict[str, Any]:
        """An edit with the filters before and after on every column it touched."""
        told: dict[str, Any] = {"text": edit.text, "changes": [], "link": None, "children": []}
        if isinstance(edit, t.Switched):
            off = [
                k.name
                for k in self.star.model.links
                if k.tables == edit.link.tables and k.name in state.active and k.name != edit.link.name
            ]
            return told | {"kind": "via", "link": edit.link.name, "instead_of": off}
        old, new = self.batch(before), self.batch(after)
        if isinstance(edit, t.Condition):
            touched = [(edit.table, c) for c in dict.fromkeys((*edit.columns, *edit.replaces))]
            inner = [n for n, _ in self._inputs(after)]
            told["children"] = [x for n in inner for x in self.nested(n.body, before, state)]
        else:
            touched = [(table, c) for table, columns in edit.columns.items() for c in self._in_order(table, columns)]
        for table, column in touched:
            had, has = _filtered(old, table, column), _filtered(new, table, column)
            if had or has:
                told["changes"].append({
                    "column": f"{table}.{column}",
                    "before": self.allowed(old, table, column) if had else None,
                    "after": self.allowed(new, table, column) if has else None,
                    "kind": _change(edit, had, has),
                })  # fmt: skip
        return told | {"kind": "clear" if isinstance(edit, t.Cleared) else "keep" if edit.keep else "set"}

    def _in_order(self, table: str, columns: Iterable[str]) -> list[str]:
        wanted = set(columns)
        return [c for c in self.star.rows[table].columns if c in wanted]

    def _inputs(self, context: int) -> tuple[tuple[t.InContext, int], ...]:
        return next((s.inputs for s in self.run.plan.steps if not isinstance(s, ValueStep) and s.number == context), ())

    # rows

    def mask(self, flow: Inflow, filters: Iterable[Filter]) -> Array:
        """bool[n+1]: what these filters leave of `flow.table`."""
        shown = np.ones(self.star.size(flow.table) + 1, bool)
        for found in selectors(self.star, flow, list(filters), self.budget):
            if found.index[0] >= 0:
                shown &= found.sets.mask(int(found.index[0]), self.star.domain(found.table, found.columns).size)[found.codes(self.star)]
        return shown

    def scan(self, node: t.Aggregate, context: int) -> dict[str, Any]:
        """Flows, blocked links and arithmetic of an aggregate."""
        batch = self.batch(context)
        flow = self.star.inflow(node.grain, node.state)
        flows: list[dict[str, Any]] = []
        kept = self.crossed(flow, batch, flows)
        tables = [{"table": f["from"], "rows_kept": f["rows_from"], "rows_total": self.star.size(f["from"])} for f in flows]
        tables.append({"table": node.grain, "rows_kept": int(kept[:-1].sum()), "rows_total": self.star.size(node.grain)})
        return {
            "flows": flows,
            "tables": tables,
            "blocked": blocked(self.star, node.state, _own_tables(batch), {f["link"] for f in flows}),
            "unreached": self.unreached(node, flow, batch),
            "arithmetic": self.arithmetic(node, batch, np.flatnonzero(kept[:-1])),
        }

    def crossed(self, flow: Inflow, batch: Batch, flows: list[dict[str, Any]]) -> Array:
        """bool[n+1], what is left of `flow.table`; notes each link that a filter crossed on its way there."""
        kept = self.mask(Inflow(flow.table, None, "", ()), [f for f in batch.filters if f.table == flow.table])
        for source in flow.sources:
            behind = {f.table for f in source.walk()}
            filters = [f for f in batch.filters if f.table in behind and f.index[0] >= 0]
            if not filters:
                continue
            there = self.crossed(source, batch, flows)
            before = int(kept[:-1].sum())
            kept = kept & self.mask(Inflow(flow.table, None, "", (source,)), filters)
            assert source.link
            flows.append({
                "link": source.link.name, "from": source.table, "to": flow.table, "how": source.how,
                "rows_from": int(there[:-1].sum()), "rows_before": before, "rows_after": int(kept[:-1].sum()),
            })  # fmt: skip
        return kept

    def unreached(self, node: t.Aggregate, flow: Inflow, batch: Batch) -> list[dict[str, Any]]:
        """Tables with a filter of their own that does not reach the grain, and where it stops."""
        reached = {f.table for f in flow.walk()}
        own = dict.fromkeys(f.table for f in batch.filters if f.index[0] >= 0 and f.table not in reached)
        found = []
        for table in own:
            found.append({"table": table, "stops": blocked(self.star, node.state, [table], set())})
        return found

    def arithmetic(self, node: t.Aggregate, batch: Batch, rows: Array) -> dict[str, Any]:
        """The grain, how many rows were used, and the first of them with what was made of each."""
        visible = len(rows)
        if node.where is not None:
            rows = rows[widen(self._row_vector(node, node.where, batch, rows), "boolean").true()]
        first = rows[:FIRST_ROWS]
        columns = self._shown_columns(node)
        listed = {
            f"{table}.{c}": self.star.column(table, c).take(self.star.partner_along(node.lookups.get(table, ()), first)).tolist()
            for table, c in columns
        }
        told: dict[str, Any] = {
            "function": ("count distinct" if node.distinct else node.function), "grain": node.grain, "rows_visible": visible,
            "rows_used": len(rows), "rows_total": self.star.size(node.grain), "columns": list(listed),
            "rows": [[iso(listed[c][i]) for c in listed] for i in range(len(first))],
            "lookups": {table: [k.name for k in chain] for table, chain in node.lookups.items() if chain},
        }  # fmt: skip
        if node.argument is not None:
            told["values"] = [iso(v) for v in self._row_vector(node, node.argument, batch, first).tolist()]
        return told

    def _row_vector(self, node: t.Aggregate, tree: t.Typed, batch: Batch, rows: Array) -> Vector:
        each = Filter(node.grain, ROWS, each_member(self.star.size(node.grain) + 1), rows, "row")
        pairs = batch.at(np.zeros(len(rows), np.int64)).adding(each)

        def inner(leaf: t.InRow) -> Vector:
            planner = Planner(self.star)
            planner.add_root(leaf.body)
            found = execute(self.star, planner.plan, pairs, self.budget).root(0)
            if isinstance(found, CellError):
                raise found
            return found

        return row_values(self.star, node, tree, rows, inner)

    def _shown_columns(self, node: t.Aggregate) -> list[tuple[str, str]]:
        table = self.star.model.table(node.grain)
        assert table
        own = table.key or ((table.columns[0].name,) if table.columns else ())
        found = [(node.grain, c) for c in own]
        for tree in (node.argument, node.where):
            found += [(c.table, c.column) for c in _column_values(tree)]
        return list(dict.fromkeys(found))


def _column_values(node: t.Typed | None) -> list[t.ColumnValue]:
    if node is None:
        return []
    if isinstance(node, t.ColumnValue):
        return [node]
    return [found for child in children(node) for found in _column_values(child)]


def _kind(node: t.Typed) -> str:
    return {t.MeasureValue: "measure", t.Aggregate: "aggregate", t.Edited: "given"}[type(node)]


def _filtered(batch: Batch, table: str, column: str) -> bool:
    return any(f.table == table and f.index[0] >= 0 and f.columns and column in f.columns for f in batch.filters)


def _change(edit: t.TypedEdit, had: bool, has: bool) -> str:
    if isinstance(edit, t.Cleared) or not has:
        return "cleared"
    if not had:
        return "added"
    return "kept" if isinstance(edit, t.Condition) and edit.keep else "replaced"


def _own_tables(batch: Batch) -> list[str]:
    return list(dict.fromkeys(f.table for f in batch.filters if f.index[0] >= 0))
