"""Telling filters: what a context allows, what an edit changed, what a set of filters leaves of a table."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np

from nexorem.core.engine.context import Batch
from nexorem.core.engine.traced import Allowed, Cut, EditWord, FilterChange, TableFilter, TracedEdit, TracedFlow, Unreached
from nexorem.core.engine.visibility import selectors
from nexorem.core.language import typed as t
from nexorem.core.limits import Budget
from nexorem.core.model.paths import Inflow
from nexorem.core.model.rows import MANY_ROWS
from nexorem.core.model.star import ROWS, Star
from nexorem.core.plan.contexts import Context, changes
from nexorem.core.plan.flow import Flow
from nexorem.core.plan.reach import Stop, blocked, carrying_edits, first_stop
from nexorem.core.values import Array, iso

MOST_VALUES = 12


@dataclass(frozen=True, slots=True)
class At:
    """A context as it is planned, and as it was executed."""

    context: Context
    batch: Batch


class FilterTeller:
    """Tells the filters of batches of one context."""

    def __init__(self, star: Star, budget: Budget) -> None:
        self.star, self.budget = star, budget
        self._traced: dict[tuple[int, int], tuple[At, tuple[TableFilter, ...]]] = {}

    def traced(self, at: At) -> tuple[TableFilter, ...]:
        """For each table with a filter of its own: its columns, what they allow, and the rows that pass them. Nodes share contexts."""
        key = id(at.context), id(at.batch)
        if key not in self._traced:  # what is kept holds both, so that no other can come to have their identity
            self._traced[key] = at, tuple(self._of_table(at.batch, table) for table in at.context.tables)
        return self._traced[key][1]

    def _of_table(self, batch: Batch, table: str) -> TableFilter:
        own = [f for f in batch.filters if f.table == table and f.index[0] >= 0]
        kept = self.mask(Inflow(table, None, "", ()), Batch(1, tuple(own)))
        columns = dict.fromkeys(c for f in own for c in (f.columns or ()))
        return TableFilter(
            table,
            tuple(self.allowed(batch, table, c) for c in columns),
            rows_filtered=any(f.columns is ROWS for f in own),
            origins=tuple(dict.fromkeys(f.origin for f in own)),
            rows_kept=int(np.count_nonzero(kept[:-1])),
            rows_total=self.star.size(table),
            unmatched=bool(kept[-1]) and self.star.has_unmatched(table),
        )

    def allowed(self, batch: Batch, table: str, column: str) -> Allowed:
        """What all filters on a column together allow of it: the first values, and how many of how many."""
        domain = self.star.domain(table, (column,))
        held = [f for f in batch.filters if f.table == table and f.index[0] >= 0 and (f.columns is ROWS or column in f.columns)]
        if len(held) == 1 or all(f.columns == (column,) for f in held):
            mask = np.ones(domain.size, bool)
            for one in held:
                before = self.star.domain(table, one.columns)
                k = int(one.index[0])
                members = one.sets.members[one.sets.offsets[k] : one.sets.offsets[k + 1]]
                mine = np.zeros(domain.size, bool)
                mine[domain.codes[before.firsts[members]]] = True
                mask &= mine
        else:  # each may allow a member beside others of other columns, so that no row has it to which all of them come
            mask = np.zeros(domain.size, bool)
            mask[domain.codes[self.mask(Inflow(table, None, "", ()), Batch(1, tuple(held)))]] = True
        values = self.star.column(table, column).take(domain.firsts[np.flatnonzero(mask[:-1])][:MOST_VALUES]).tolist()
        unmatched = bool(mask[-1]) and self.star.has_unmatched(table)
        return Allowed(f"{table}.{column}", tuple(map(iso, values)), unmatched, int(mask[:-1].sum()), domain.size - 1)

    def edit(self, edit: t.TypedEdit, old: At, new: At) -> TracedEdit:
        """An edit with the filters before and after on every column it touched."""
        traced = TracedEdit(edit.text, edit_word(edit))
        match edit:
            case t.Switched(link=link):
                active = old.context.state.active
                off = [k.name for k in self.star.model.links if k.tables == link.tables and k.name in active and k.name != link.name]
                return replace(traced, link=link.name, instead_of=tuple(off))
            case t.Turned(link=link):
                return replace(traced, link=link.name, way=edit.way, way_before=old.context.state.way(link))
            case t.Matched(link=link):
                return replace(traced, link=link.name, from_=link.to_table, to=link.from_table)
            case t.Condition() | t.Listing() if edit.keep:
                before, after = (self.mask(Inflow(edit.table, None, "", ()), x.batch)[:-1].sum() for x in (old, new))
                traced = replace(traced, cut=Cut(edit.table, int(before), int(after)))
        traced_edit = (
            FilterChange(
                f"{c.table}.{c.column}",
                self.allowed(old.batch, c.table, c.column) if c.before else None,
                self.allowed(new.batch, c.table, c.column) if c.after else None,
                c.kind,
            )
            for c in changes(self.star.model, edit, old.context, new.context)
        )
        return replace(traced, changes=tuple(traced_edit))

    def mask(self, flow: Inflow, batch: Batch) -> Array:
        """bool[n+1]: what these filters leave of `flow.table`."""
        shown: Array | None = None
        for selector in selectors(self.star, flow, batch, self.budget):
            if selector.index[0] >= 0:
                size = self.star.domain(selector.table, selector.columns).size
                passing = _passing(selector.sets.mask(int(selector.index[0]), size), selector.codes(self.star))
                shown = passing if shown is None else np.logical_and(shown, passing, out=shown)
        return np.ones(self.star.size(flow.table) + 1, bool) if shown is None else shown

    def crossed(self, flow: Inflow, batch: Batch, flows: list[TracedFlow]) -> Array:
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
            assert source.link and source.how != ""
            counts = int(np.count_nonzero(there[:-1])), before, int(np.count_nonzero(kept[:-1]))
            flows.append(TracedFlow(source.link.name, source.table, flow.table, source.how, *counts))
        return kept

    def blocked(self, context: Context, flows: Sequence[TracedFlow]) -> tuple[Stop, ...]:
        """Each link next to a filtered table that did not carry the filter on."""
        return blocked(self.star, context.state, context.tables, {f.link for f in flows})

    def unreached(self, flow: Flow, context: Context) -> tuple[Unreached, ...]:
        """Tables with a filter of their own that does not reach the grain."""
        state = context.state
        return tuple(
            Unreached(
                table,
                first_stop(self.star, state, table, flow.grain),
                blocked(self.star, state, [table], set()),
                tuple(carrying_edits(self.star, state, table, flow.grain)),
            )
            for table in flow.unreached
        )


def _passing(members: Array, codes: Array) -> Array:
    """bool[n]: which rows have one of these members, by two threads where they are many."""
    passing = np.empty(len(codes), bool)
    if len(codes) < MANY_ROWS:
        return np.take(members, codes, out=passing, mode="clip")
    half = len(codes) // 2
    with ThreadPoolExecutor(2) as pool:
        parts = (slice(0, half), slice(half, len(codes)))
        list(pool.map(lambda part: np.take(members, codes[part], out=passing[part], mode="clip"), parts))
    return passing


def edit_word(edit: t.TypedEdit) -> EditWord:
    """The word an edit starts with."""
    if isinstance(edit, t.Condition | t.Listing):
        return "keep" if edit.keep else "set"
    if isinstance(edit, t.Moved):
        return "shift" if edit.kind == "shift" else "stretch"
    words: dict[type[t.TypedEdit], EditWord] = {
        t.Cleared: "clear",
        t.Restored: "reset",
        t.Switched: "via",
        t.Turned: "flow",
        t.Matched: "match",
    }
    return words[type(edit)]
