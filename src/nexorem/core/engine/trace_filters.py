"""Telling filters: what a context allows, what an edit changed, what a set of filters leaves of a table."""

from __future__ import annotations

from typing import Any

import numpy as np

from nexorem.core.engine.context import Batch, Filter
from nexorem.core.engine.reach import blocked, carrying_edits, first_stop, overridden
from nexorem.core.engine.visibility import selectors
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget
from nexorem.core.model.paths import Inflow, LinkState
from nexorem.core.model.star import ROWS, Star
from nexorem.core.values import Array, iso

MOST_VALUES = 12


class FilterTeller:
    """Tells the filters of batches of one context."""

    def __init__(self, star: Star, budget: Budget) -> None:
        self.star, self.budget = star, budget

    def told(self, batch: Batch) -> list[dict[str, Any]]:
        """For each table with a filter of its own: its columns, what they allow, and the rows that pass them."""
        told = []
        for table in own_tables(batch):
            own = [f for f in batch.filters if f.table == table and f.index[0] >= 0]
            kept = self.mask(Inflow(table, None, "", ()), Batch(1, tuple(own)))
            columns = list(dict.fromkeys(c for f in own for c in (f.columns or ())))
            told.append({
                "table": table,
                "columns": [self.allowed(batch, table, c) for c in columns],
                "rows_filtered": any(f.columns is ROWS for f in own),
                "origins": list(dict.fromkeys(f.origin for f in own)),
                "rows_kept": int(np.count_nonzero(kept[:-1])),
                "rows_total": self.star.size(table),
                "unmatched": bool(kept[-1]) and self.star.has_unmatched(table),
            })  # fmt: skip
        return told

    def allowed(self, batch: Batch, table: str, column: str) -> dict[str, Any]:
        """What all filters on a column together allow of it: the first values, and how many of how many."""
        domain = self.star.domain(table, (column,))
        mask = np.ones(domain.size, bool)
        for found in batch.filters:
            if found.table == table and found.index[0] >= 0 and (found.columns is ROWS or column in found.columns):
                before = self.star.domain(table, found.columns)
                k = int(found.index[0])
                members = found.sets.members[found.sets.offsets[k] : found.sets.offsets[k + 1]]
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

    def edit(self, edit: t.TypedEdit, old: Batch, new: Batch, state: LinkState) -> dict[str, Any]:
        """An edit with the filters before and after on every column it touched."""
        told: dict[str, Any] = {"text": edit.text, "changes": [], "link": None, "children": [], "kind": edit_word(edit)}
        if isinstance(edit, t.Switched):
            links = self.star.model.links
            off = [k.name for k in links if k.tables == edit.link.tables and k.name in state.active and k.name != edit.link.name]
            return told | {"link": edit.link.name, "instead_of": off}
        if isinstance(edit, t.Turned):
            return told | {"link": edit.link.name, "way": edit.way, "way_before": state.way(edit.link)}
        if isinstance(edit, t.Matched):
            return told | {"link": edit.link.name, "from": edit.link.to_table, "to": edit.link.from_table}
        for table, column in self.touched(edit):
            had, has = filtered(old, table, column), filtered(new, table, column)
            if had or has:
                told["changes"].append({
                    "column": f"{table}.{column}",
                    "before": self.allowed(old, table, column) if had else None,
                    "after": self.allowed(new, table, column) if has else None,
                    "kind": change(edit, had, has),
                })  # fmt: skip
        if isinstance(edit, t.Condition | t.Listing) and edit.keep:
            before, after = (self.mask(Inflow(edit.table, None, "", ()), b)[:-1].sum() for b in (old, new))
            told["cut"] = {"table": edit.table, "rows_before": int(before), "rows_after": int(after)}
        return told

    def touched(self, edit: t.FilterEdit) -> list[tuple[str, str]]:
        """The columns an edit is about, as (table, column), each once."""
        own: list[tuple[str, str]] = []
        if isinstance(edit, t.Condition | t.Listing):
            columns = edit.columns if edit.columns is not None else tuple(self.star.rows[edit.table].columns)
            own = [(edit.table, c) for c in columns]
        elif isinstance(edit, t.Moved):
            own = [(edit.calendar, edit.date)]
        return list(dict.fromkeys([*own, *overridden(self.star, edit)]))

    def mask(self, flow: Inflow, batch: Batch) -> Array:
        """bool[n+1]: what these filters leave of `flow.table`."""
        shown: Array | None = None
        for found in selectors(self.star, flow, batch, self.budget):
            if found.index[0] >= 0:
                size = self.star.domain(found.table, found.columns).size
                passing = found.sets.mask(int(found.index[0]), size)[found.codes(self.star)]
                shown = passing if shown is None else np.logical_and(shown, passing, out=shown)
        return np.ones(self.star.size(flow.table) + 1, bool) if shown is None else shown

    def crossed(self, flow: Inflow, batch: Batch, flows: list[dict[str, Any]]) -> Array:
        """bool[n+1], what is left of `flow.table`; notes each link that a filter crossed on its way there."""
        kept = self.mask(Inflow(flow.table, None, "", ()), batch)
        for source in flow.sources:
            behind = {f.table for f in source.walk()}
            filters = tuple(f for f in batch.filters if f.table in behind and f.index[0] >= 0)
            if not filters:
                continue
            there = self.crossed(source, batch, flows)
            before = int(np.count_nonzero(kept[:-1]))
            kept = kept & self.mask(Inflow(flow.table, None, "", (source,)), Batch(1, filters, compared=batch.compared))
            assert source.link
            flows.append({
                "link": source.link.name, "from": source.table, "to": flow.table, "how": source.how,
                "rows_from": int(np.count_nonzero(there[:-1])), "rows_before": before, "rows_after": int(np.count_nonzero(kept[:-1])),
            })  # fmt: skip
        return kept

    def blocked(self, state: LinkState, batch: Batch, flows: list[dict[str, Any]]) -> list[dict[str, Any]]:
        """Each link next to a filtered table that did not carry the filter on."""
        return blocked(self.star, state, own_tables(batch), {f["link"] for f in flows})

    def unreached(self, grain: str, state: LinkState, flow: Inflow, batch: Batch) -> list[dict[str, Any]]:
        """Tables with a filter of their own that does not reach the grain, where it stops (on the shortest way to the grain, `nearest`, and
        all over), and what would carry it."""
        reached = {f.table for f in flow.walk()}
        found = []
        for table in own_tables(batch):
            if table not in reached:
                stops = blocked(self.star, state, [table], set())
                mends = carrying_edits(self.star, state, table, grain)
                found.append({"table": table, "nearest": first_stop(self.star, state, table, grain), "stops": stops, "mends": mends})
        return found


def own_tables(batch: Batch) -> list[str]:
    """The tables with a filter of their own."""
    return list(dict.fromkeys(f.table for f in batch.filters if f.index[0] >= 0))


def filtered(batch: Batch, table: str, column: str) -> bool:
    """Whether a filter sits on a column."""
    return any(_covers(f, table, column) for f in batch.filters)


def _covers(found: Filter, table: str, column: str) -> bool:
    return found.table == table and found.index[0] >= 0 and (found.columns is ROWS or column in found.columns)


def change(edit: t.FilterEdit, had: bool, has: bool) -> str:
    """What became of the filter on a column: kept, replaced, cleared, added, moved."""
    if not has:
        return "cleared"
    if isinstance(edit, t.Moved):
        return "moved"
    if not had:
        return "added"
    return "kept" if isinstance(edit, t.Condition | t.Listing) and edit.keep else "replaced"


def edit_word(edit: t.TypedEdit) -> str:
    """The word an edit starts with."""
    if isinstance(edit, t.Condition | t.Listing):
        return "keep" if edit.keep else "set"
    if isinstance(edit, t.Moved):
        return "shift" if edit.kind == "shift" else "stretch"
    words = {t.Cleared: "clear", t.Restored: "reset", t.Switched: "via", t.Turned: "flow", t.Matched: "match"}
    return words[type(edit)]
