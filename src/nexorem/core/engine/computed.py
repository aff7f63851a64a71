"""Computed columns and tables: their order found, a round refused, and a star that holds them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from weakref import WeakKeyDictionary

import numpy as np

from nexorem.core.columns import same_column
from nexorem.core.diagnostics import Diagnostic, Refused, refuse
from nexorem.core.engine.context import Batch
from nexorem.core.engine.execute import Execution
from nexorem.core.engine.rows import Relation, relation, without_unmatched
from nexorem.core.functions.convert import widen
from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.language.mentions import Mentions, mentions
from nexorem.core.language.parser import parse, parse_rows
from nexorem.core.limits import Budget
from nexorem.core.model.derived import Derived
from nexorem.core.model.elsewhere import Elsewhere
from nexorem.core.model.model import Column, Link, Model, Table
from nexorem.core.model.paths import model_state
from nexorem.core.model.rows import Chosen
from nexorem.core.model.star import Star, TableRows, table_rows
from nexorem.core.plan.dependence import asked_tables, made_from
from nexorem.core.plan.logical import Planner
from nexorem.core.values import FAULTS

_asked: WeakKeyDictionary[Star, Model] = WeakKeyDictionary()  # the models of which stars were made, before types were found
Item = tuple[str, str]  # a computed column as (table, column), a computed table as (table, "")


def is_computed(model: Model) -> bool:
    """Whether any column or table of a model is computed."""
    return any(x.formula or any(c.formula for c in x.columns) for x in model.tables)


def make_star(model: Model, rows: Mapping[str, TableRows], budget: Budget | None = None, elsewhere: Elsewhere | None = None) -> Star:
    """The star of a model whose stored rows are at hand, or stay `elsewhere`; refuses with what is wrong with its computed parts."""
    if is_computed(model):
        star = _Maker(model, rows, budget or Budget(), elsewhere).star()
        _asked[star] = model
        return star
    return Star(model, rows, elsewhere=elsewhere)


def edited_star(star: Star, model: Model, budget: Budget | None = None) -> Star:
    """The star of an edited model over the same stored rows; what depends on rows alone is carried over, and what is computed is where
    nothing that it is computed from has changed."""
    if not is_computed(star.model) and not is_computed(model):
        return star.with_model(model)
    if star in _asked and _computed_from(_asked[star]) == _computed_from(model):
        kept = star.with_model(_with_types(model, star.model))
        _asked[kept] = model
        return kept
    stored = {
        x.name: TableRows(star.size(x.name), Chosen.of(star.rows[x.name].columns, (c.name for c in x.columns if not c.formula)))
        for x in star.model.tables
        if not x.formula and not x.stays
    }
    made = make_star(model, stored, budget, star.elsewhere)
    made.cleared, made.unruled = star.cleared, star.unruled
    if not _same_rows(star, made):
        return made
    kept = star.with_model(made.model)
    _asked[kept] = model
    return kept


def made_for(star: Star, model: Model) -> Star:
    """A star that was kept, known from now on as the one that was made for a model: edits keep what is computed, as they do of one that was
    made here."""
    _asked[star] = model
    return star


def _computed_from(model: Model) -> tuple[object, ...]:
    """All of a model that its computed parts depend on, beside stored rows: not what is said of them, nor measures that none mentions."""
    tables = [
        (x.name, x.formula, x.calendar, x.key, x.stays, x.load, [(c.name, c.dtype, c.formula, c.order_by) for c in x.columns])
        for x in model.tables
    ]
    met: dict[str, str] = {}
    queue = [mentions(parse_rows(x.formula)[0]) for x in model.tables if x.formula]
    queue += [mentions(parse(c.formula)[0]) for x in model.tables if not x.formula for c in x.columns if c.formula]
    while queue:
        for name in queue.pop().names:
            measure = model.measure(name)
            if measure and measure.name not in met:
                met[measure.name] = measure.formula
                queue.append(mentions(parse(measure.formula)[0]))
    return tables, model.links, model.hierarchies, model.language, met


def _with_types(model: Model, typed: Model) -> Model:
    """The model with the types, and the columns of computed tables, that an earlier state came to."""
    tables = []
    for table in model.tables:
        was = typed.table(table.name)
        assert was
        mine = {c.name: c for c in table.columns}
        columns = tuple(replace(mine.get(c.name, c), dtype=c.dtype) for c in was.columns if table.formula or c.name in mine)
        tables.append(replace(table, columns=columns, source=was.source if table.formula else table.source))
    return replace(model, tables=tuple(tables))


def _same_rows(star: Star, made: Star) -> bool:
    """Whether all that was computed anew has come to the same columns: then whatever was derived of the rows can be kept."""
    if star.rows.keys() != made.rows.keys():
        return False
    for name, now in made.rows.items():
        was = star.rows[name].columns
        if list(now.columns) != list(was) or not all(same_column(now.columns[n], was[n]) for n in was):
            return False
    return True


class _Maker:
    """Computes one item after the other, each when all it needs is there."""

    def __init__(self, model: Model, rows: Mapping[str, TableRows], budget: Budget, elsewhere: Elsewhere | None) -> None:
        self.model, self.budget, self.elsewhere = model, budget, elsewhere
        self.rows = dict(rows)
        # Rows are only added while there is something to compute: what was derived of others stays true.
        self.derived = Derived(self.rows) if elsewhere is None else None
        self.tables = {x.name: x for x in model.tables}
        self.pending: dict[Item, str] = {}
        for table in model.tables:
            if table.formula:
                self.pending[table.name, ""] = table.formula
            self.pending |= {(table.name, c.name): c.formula for c in table.columns if c.formula and not table.formula}

    def star(self) -> Star:
        """The whole star."""
        while self.pending:
            self.resolve(next(iter(self.pending)), ())
        return self.partial()

    def partial(self) -> Star:
        """The star of what there is by now: links that need more are left out."""
        tables = []
        for table in self.tables.values():
            if (table.name, "") not in self.pending:
                have = tuple(c for c in table.columns if (table.name, c.name) not in self.pending)
                tables.append(replace(table, columns=have))
        order = [x.name for x in self.model.tables]
        tables.sort(key=lambda x: order.index(x.name))
        model = replace(self.model, tables=tuple(tables), links=tuple(k for k in self.model.links if not self.waits(k)))
        return Star(model, self.rows, self.derived, elsewhere=self.elsewhere)

    def waits(self, link: Link) -> list[Item]:
        """The items that a link's ends are still waiting for."""
        ends = [(link.from_table, c) for c in link.from_columns] + [(link.to_table, c) for c in link.to_columns]
        return [i for table, column in ends for i in ((table, ""), (table, column)) if i in self.pending]

    def resolve(self, item: Item, trail: tuple[Item, ...]) -> None:
        """Computes an item, and before it whatever it needs."""
        if item not in self.pending:
            return
        if item in trail:
            names = " › ".join(map(item_text, (*trail[trail.index(item) :], item)))
            message = f"{item_text(item)} is computed from itself: {names}."
            raise refuse("cycle", message, "Break the cycle at one of these.", item_text(item))
        inside = (*trail, item)
        for need in self.named(item):
            self.resolve(need, inside)
        while True:
            star = self.partial()
            wanted: list[Item] = []
            try:
                bound = self.bind(star, item)
                wanted = self.links_needed(asked_tables(bound, item[0] if item[1] else None))
            except Refused:
                wanted = self.links_needed(self.tables_named(item))
                if not wanted:
                    raise
            if not wanted:
                break
            for need in wanted:
                self.resolve(need, inside)
        self.compute(star, item, bound)

    def bind(self, star: Star, item: Item) -> t.Rows:
        """The typed rows of an item."""
        binder = Binder(star, limits=self.budget.limits)
        formula = self.pending[item]
        return binder.computed_column(*item, formula) if item[1] else binder.computed_table(item[0], formula)

    def links_needed(self, tables: set[str]) -> list[Item]:
        """What links wait for over which filters or look-ups of these tables might run."""
        state = model_state(self.model)
        items: list[Item] = []
        near = set(tables)
        queue = list(tables)
        while queue:
            at = queue.pop()
            for link in self.model.links:
                if at in link.tables and link.name in state.active:
                    items += [i for i in self.waits(link) if i[1] or self._passes(i[0], link)]
                    other = link.other(at)
                    if other not in near:
                        near.add(other)
                        queue.append(other)
        return list(dict.fromkeys(items))

    def _passes(self, table: str, link: Link) -> bool:
        """Whether a filter may come into a table over another link than this: one that is yet to be computed has none
        of its own, so without such a link nothing crosses this one."""
        state = model_state(self.model)
        return any(k is not link and table in k.tables and state.carries(k, table) for k in self.model.links)

    def named(self, item: Item) -> list[Item]:
        """The computed items whose values a formula needs, in its measures too. Of a table that is only counted, or run over, they are
        those of no column: a filter over its rows depends on none of their values."""
        own = self.tables[item[0]] if item[1] else None
        items: list[Item] = []
        met: set[str] = set()
        queue = [(self.mentions(item), own)]
        while queue:
            at, home = queue.pop()
            for name in at.names:
                column, measure = home.column(name) if home else None, self.model.measure(name)
                if column is not None and home:
                    items.append((home.name, column.name))
                elif measure and measure.name not in met:
                    met.add(measure.name)
                    queue.append((mentions(parse(measure.formula)[0]), None))
            for table, column_name in at.columns:
                defined = self.model.table(table)
                column = defined.column(column_name) if defined else None
                items += [(defined.name, ""), *([(defined.name, column.name)] if column else [])] if defined else []
            items += [(x.name, "") for name in at.tables if (x := self.model.table(name))]
            items += [(x.name, c.name) for name in at.whole if (x := self.model.table(name)) and x is not own for c in x.columns]
        return [i for i in dict.fromkeys(items) if i in self.pending]

    def mentions(self, item: Item) -> Mentions:
        """What the formula of an item mentions."""
        return mentions(parse(self.pending[item])[0] if item[1] else parse_rows(self.pending[item])[0])

    def tables_named(self, item: Item) -> set[str]:
        """The tables a formula names, with its own."""
        at = self.mentions(item)
        names = {*at.tables, *(table for table, _ in at.columns)}
        return {named.name for n in names if (named := self.model.table(n))} | ({item[0]} if item[1] else set())

    def compute(self, star: Star, item: Item, bound: t.Rows) -> None:
        """Puts the rows of an item in its place. A column of a table that stays elsewhere is typed here, and computed there."""
        table = self.tables[item[0]]
        if table.stays and item[1]:
            assert isinstance(bound, t.WithRows)
            self._type_column(item, table, bound.values[-1].dtype)
            del self.pending[item]
            return
        rows = evaluated(star, bound, self.budget)
        for values in (rows.column(i) for i, c in enumerate(bound.columns) if not c.table):
            if fault := values.fault(int(np.argmax(values.failed))) if values.failed is not None else None:
                raise Refused(Diagnostic(*fault, place=item_text(item)))
        if item[1]:
            self._put_column(item, table, bound, rows)
        else:
            self._put_table(star, table, rows)
        del self.pending[item]

    def _put_column(self, item: Item, table: Table, bound: t.Rows, rows: Relation) -> None:
        values = rows.column(len(bound.columns) - 1)
        made = self._type_column(item, table, values.dtype)
        if made.dtype != values.dtype:
            values = widen(values, made.dtype)
        table = self.tables[table.name]
        stored = self.rows[table.name]
        added = table_rows(stored.size, {made.name: values}).columns
        sources = {**dict.fromkeys(stored.columns, stored.columns), **dict.fromkeys(added, added)}
        self.rows[table.name] = TableRows(stored.size, Chosen(sources, (c.name for c in table.columns if c.name in sources)))

    def _type_column(self, item: Item, table: Table, dtype: str) -> Column:
        """A computed column with the type that its formula gives, or a wider one that it is declared as."""
        column = table.column(item[1])
        assert column
        if column.dtype and column.dtype != dtype:
            if not (column.dtype == "number" and dtype == "integer"):
                raise refuse(
                    "wrong_type",
                    f"{item_text(item)} is declared as {column.dtype}; its formula gives {dtype}.",
                    f"Declare it as {dtype}, or write CAST(… AS {column.dtype}).",
                    item_text(item),
                )
            dtype = column.dtype
        made = replace(column, dtype=dtype)
        self.tables[table.name] = replace(table, columns=tuple(made if c.name == made.name else c for c in table.columns))
        return made

    def _put_table(self, star: Star, table: Table, rows: Relation) -> None:
        kept = {c.name: c for c in table.columns}
        columns, vectors = [], {}
        for place, given in enumerate(rows.shape.columns):
            values = rows.column(place)
            dtype = "text" if values.dtype == "null" else values.dtype
            columns.append(replace(kept.get(given.name, Column(given.name, dtype)), dtype=dtype))
            vectors[given.name] = widen(values, dtype)
        sources = {x.source for x in star.model.tables if x.name in made_from(rows.shape)}
        source = sources.pop() if len(sources) == 1 else table.source
        self.tables[table.name] = replace(table, columns=tuple(columns), source=source)
        self.rows[table.name] = table_rows(len(rows), vectors)


def evaluated(star: Star, bound: t.Rows, budget: Budget) -> Relation:
    """A table expression without any filter, the unmatched member dropped."""
    planner = Planner(star.model)
    needs = planner.needs(bound, 0)
    run = Execution(star, planner.plan, budget).run(Batch(1))
    around = run.around(needs, Batch(1))
    with budget.bounding_texts():
        rows = without_unmatched(relation(bound, Batch(1), around, star.state))
    if around.failed.any():
        raise refuse(*FAULTS[around.failed.max()])
    return rows


def item_text(item: Item) -> str:
    """An item as people name it."""
    return f"{item[0]}.{item[1]}" if item[1] else item[0]
