"""Tables that stay where they are: what was found when they were last looked at, what their places prove, and what is answered there."""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import sqlalchemy as sa

from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.engine.grid import Grid, over_cells
from nexorem.core.engine.planned import planned
from nexorem.core.engine.probe import Pick, Probe
from nexorem.core.engine.trace_rows import RowOrder
from nexorem.core.engine.traced import Trace, UsedRows
from nexorem.core.limits import Budget
from nexorem.core.model.elsewhere import Here
from nexorem.core.model.model import Link, Model, Table
from nexorem.core.model.proven import ColumnFacts, LinkFacts
from nexorem.core.model.rows import TableRows, table_rows
from nexorem.core.model.star import Star
from nexorem.core.plan.basis import basis_of, column_digest
from nexorem.core.values import vector
from nexorem.core.words import listed
from nexorem.sql.answers import Told, grid_of
from nexorem.sql.build import ROW_NUMBER, Places, Sent, as_here, located
from nexorem.sql.cleared import under_rules
from nexorem.sql.probe import Compiled, compiled
from nexorem.sql.proof import Line
from nexorem.sql.remote import SqlProver, some_rows
from nexorem.sql.traces import trace_there, used_rows_there
from nexorem.sql.tree import Statement, to_run
from nexorem.store.elsewhere import called
from nexorem.store.sides import PROVING_SECONDS, Look, Side, Ways, asking_for, digest

MOST_SENT = 200_000  # rows of a table that go along with a statement
MOST_BESIDE = 200_000  # combinations of members that an order is looked up for
OVERFLOW = "overflow"
ASKED_SECONDS = 120.0  # that a place may take for a grid or a trace, which is longer than anything may take here


@dataclass(frozen=True, slots=True, eq=False)
class Ruling:
    """Rules of rows, and the star that they are held over, with its places."""

    whole: Star
    staying: Staying
    rules: tuple[str, ...]


class Staying:
    """The tables of a model that stay, in a state of the model."""

    def __init__(
        self, ways: Ways, looks: Mapping[str, Look], model: Model | None = None, here: Here | None = None, ruled: Ruling | None = None
    ) -> None:
        """`looks` are by the number of the look, as text; `ruled`: all that is asked reads what rules of rows leave."""
        self.ways, self.looks_by_number, self.ruled = ways, looks, ruled
        self.model, self.here = model or Model(""), here
        self.looks = {t.name: look for t in self.model.tables if t.stays and (look := looks.get(str(t.load)))}
        self._sides: dict[str, Side] = {}
        self._sent_before: dict[tuple[str, str], list[Any]] = {}

    @property
    def prover(self) -> Staying:
        """It proves by itself."""
        return self

    @property
    def samples(self) -> Mapping[str, TableRows]:
        """Some rows of each table that stays, its columns called as in the model; none under rules of rows, for who looked saw them all."""
        if self.ruled:
            return {t.name: _no_rows(t) for t in self.model.tables if t.stays}
        return {t.name: renamed_rows(t, self.look(t.name).sample) for t in self.model.tables if t.stays}

    def beside(self, model: Model, here: Here) -> Staying:
        """The same places for a state of the model, beside the rows that are here. What is proven goes with it where the tables are the
        same: every trial of a link asks for it."""
        made = Staying(self.ways, self.looks_by_number, model, here, self.ruled)
        if here is self.here and model.tables == self.model.tables:
            made._sides, made._sent_before = self._sides, self._sent_before
        return made

    def under(self, whole: Star, rules: tuple[str, ...]) -> Staying:
        """The same places for who sees of a star what rules of rows leave."""
        assert isinstance(whole.elsewhere, Staying)
        return Staying(self.ways, self.looks_by_number, ruled=Ruling(whole, whole.elsewhere, rules))

    def look(self, table: str) -> Look:
        """The look at a table; refuses where it is forgotten."""
        if table not in self.looks:
            raise refuse("no_look", f"What was found in {table}, which stays elsewhere, is not known.", "Look at it again (Gather).", table)
        return self.looks[table]

    def version(self, table: str) -> str:
        """The number of its look, and what rules of rows it is read under."""
        under = f" under {digest(self.ruled.rules)}" if self.ruled else ""
        return f"look {self.look(table).number}{under}"

    # What is proven

    def side(self, connection: str) -> Side:
        """One place, with the tables that are there and those that go along."""
        if connection not in self._sides:
            looks = {name: look for name, look in self.looks.items() if look.connection == connection}
            speaks = self.ways.speaks(connection)
            plain, before = self._places(looks, speaks.kinds, not speaks.dialect.arrays), None
            if self.ruled:
                before = self.ruled.staying.side(connection)
                plain = under_rules(self.ruled.whole, self.ruled.rules, speaks.dialect, before.places, plain)
            self._sides[connection] = Side(connection, self.ways, self.model, looks, plain, before)
        return self._sides[connection]

    def prove_empties(self) -> None:
        """Has everything proven that the first statement needs to know, so that it does not wait for it. Cost: a pass over each table that
        was not counted yet."""
        for connection in {look.connection for look in self.looks.values()}:
            assert self.side(connection).places

    def _places(self, looks: Mapping[str, Look], kinds: Mapping[str, str], plain_names: bool) -> Places:
        tables: dict[str, str] = {}
        schemas: dict[str, str | None] = {}
        columns: dict[tuple[str, str], str] = {}
        casts: set[tuple[str, str]] = set()
        computed: set[tuple[str, str]] = set()
        sent: dict[str, Sent] = {}
        for table in self.model.tables:
            look = looks.get(table.name)
            if look is None:
                sent[table.name] = self._sent(table)
                schemas[table.name] = None
                tables[table.name] = self._view_name(table) if plain_names else table.name
                continue
            tables[table.name], schemas[table.name] = look.table, look.schema
            there = names_there(table, look.columns)
            for column in table.columns:
                key = table.name, column.name
                if column.formula:
                    computed.add(key)
                elif column.name in there:
                    columns[key] = there[column.name]
                    if look.columns[there[column.name]] != kinds.get(column.dtype):
                        casts.add(key)
        keys = dict.fromkeys(sent, ROW_NUMBER) | {name: look.key for name, look in looks.items() if look.key}
        return Places(None, tables, columns, keys, frozenset(casts), frozenset(computed), frozenset(), schemas, sent)

    def _view_name(self, table: Table) -> str:
        """What a table that goes along is called in a place that takes views, by what it holds."""
        if table.name in self.looks:
            return f"nexorem_{digest(table.name, self.version(table.name), [c.name for c in table.columns])}"
        assert self.here is not None
        rows = self.here.rows.get(table.name)
        held = [(c, column_digest(v)) for c, v in rows.columns.items()] if rows else []
        return f"nexorem_{digest(table.name, held)}"

    def _sent(self, table: Table) -> Sent:
        """A table that is not where is asked: its rows go along, where they are few."""
        here = self.here
        assert here is not None

        def counted() -> int:
            return self.size(table.name) if table.stays else here.size(table.name) if table.name in here.rows else 0

        def values(column: str) -> list[Any]:
            size = counted()
            if size > MOST_SENT:
                raise too_large(table.name, size, sorted({x.connection for x in self.looks.values()}))
            if column == ROW_NUMBER:
                return list(range(size))
            if table.stays:
                return self._fetched(table, column)
            return here.rows[table.name].columns[column].rows().tolist()

        return Sent(counted, values)

    def _fetched(self, table: Table, column: str) -> list[Any]:
        """A column of a small table that stays in another place, as it was when it was first sent along."""
        if (table.name, column) not in self._sent_before:
            self._sent_before[table.name, column] = self._fetch(table, column)
        return self._sent_before[table.name, column]

    def _fetch(self, table: Table, column: str) -> list[Any]:
        look = self.look(table.name)
        side = self.side(look.connection)
        source = located(self.model, side.plain, table.name)
        value = as_here(side.places, table.name, column, source.c[side.plain.column(table.name, column)])
        order = [source.c[side.plain.column(table.name, c.name)] for c in table.columns if not c.formula]
        text, given = to_run(Statement([], sa.select(value).order_by(*order).limit(MOST_SENT + 1)), side.prover.dialect)
        return [line[0] for line in side.lines(text, given, (), PROVING_SECONDS)]

    def size(self, table: str) -> int:
        """The number of a table's rows."""
        return self._prover(table).size(table)

    def has_empties(self, table: str, column: str) -> bool:
        """Whether some row has nothing in a column. A computed column may have."""
        return self._prover(table).has_empties(table, column)

    def column_facts(self, table: str, column: str) -> ColumnFacts:
        """What the rows say of a column."""
        return self._prover(table).column_facts(table, column)

    def calendar(self, table: str, date: str) -> tuple[int, int, int]:
        """Of a table of days: its rows with a day, how many days these have, and how many there are from the first to the last."""
        return self._prover(table).calendar(table, date)

    def repeats(self, table: str, columns: tuple[str, ...], most: int) -> list[str]:
        """Some keys that stand more than once, as texts."""
        return self._prover(table).repeats(table, columns, most)

    def orphans(self, link: Link, most: int) -> list[str]:
        """Some keys of a link that find no partner, those of most rows first; none where the many side is here."""
        if link.from_table not in self.looks:
            return []
        return self._prover(link.from_table).orphans(link, most)

    def _prover(self, table: str) -> SqlProver:
        return self.side(self.look(table).connection).prover

    def facts(self, link: Link) -> LinkFacts:
        """What the rows say of a link with an end in a table that stays, proven where its many side is; from here, with its keys."""
        if link.from_table in self.looks:
            return self._prover(link.from_table).facts(link)
        assert self.here is not None
        side = self.side(self.look(link.to_table).connection)
        keys = side.prover.keys(link.to_table, link.to_columns, MOST_SENT)
        if keys is None:
            raise too_large(link.to_table, self.size(link.to_table), ["this model"])
        columns = [self.here.rows[link.from_table].columns[c].rows().tolist() for c in link.from_columns]
        mine = list(zip(*columns, strict=True))
        filled = [key for key in mine if None not in key]
        matched = sum(key in keys for key in filled)
        repeated, key_empty = side.prover.key_facts(link.to_table, link.to_columns)
        from_repeated = len(filled) - len(set(filled)) if link.cardinality == "one-to-one" else 0
        return LinkFacts(matched, len(filled) - matched, len(mine) - len(filled), some_rows(repeated), some_rows(from_repeated), key_empty)

    # What is asked

    def part(self, star: Star, probe: Probe) -> frozenset[str]:
        """The tables that stay and may have a part in a probe."""
        plan = planned(star, probe)
        axes = dict.fromkeys(t for t, _ in (*probe.rows, *probe.columns, *((p.table, p.column) for p in probe.picks)))
        return star.stay & basis_of(star, [*plan.measures, *plan.conditions, *plan.having], axes).tables.keys()

    def home(self, star: Star, tables: frozenset[str]) -> Side:
        """The place that is asked: the one that has the largest of some tables."""
        largest = max(sorted(tables), key=star.size)
        return self.side(self.look(largest).connection)

    def answer(self, star: Star, probe: Probe, budget: Budget) -> Grid | None:
        """The grid of a probe; None where no table that stays has a part in it."""
        tables = self.part(star, probe)
        if not tables:
            return None
        with asking_for(budget):
            return self._answered(star, probe, tables, budget)

    def _answered(self, star: Star, probe: Probe, tables: frozenset[str], budget: Budget) -> Grid | None:
        side = self.home(star, tables)
        made = compiled(star, replace(probe, sort=()), side.dialect, side.places, budget.limits)
        if not tables & set(made.tables) and any(side.plain.sent[t].size > MOST_SENT for t in made.tables if t in side.plain.sent):
            return None  # what is named of the tables that stay filters nothing, and what is here is too large to go along
        asked = Asked(self, star, side, budget)
        asked.first = replace(probe, sort=()), made
        grid = grid_of(star, probe, asked.told, asked.combinations, budget)
        return replace(grid, said=tuple(asked.words(star.stay.intersection(made.tables))))

    def trace(self, star: Star, probe: Probe, measure: str, at: Sequence[Pick], budget: Budget) -> Trace | None:
        """The trace of a cell; None where no table that stays has a part in it."""
        with asking_for(budget):
            asked = self._cell(star, probe, measure, at, budget)
            if asked is None:
                return None
            return trace_there(star, probe, measure, at, budget, asked.side.dialect, asked.side.places, asked.select)

    def used_rows(
        self, star: Star, probe: Probe, measure: str, at: Sequence[Pick], path: str, order: RowOrder, budget: Budget
    ) -> UsedRows | None:
        """A page of the rows that an aggregate of a trace used; None where no table that stays has a part in it."""
        with asking_for(budget):
            asked = self._cell(star, probe, measure, at, budget)
            if asked is None:
                return None
            side = asked.side
            return used_rows_there(star, probe, measure, at, path, order, budget, side.dialect, side.places, asked.select)

    def _cell(self, star: Star, probe: Probe, measure: str, at: Sequence[Pick], budget: Budget) -> Asked | None:
        """Where a cell is asked; None where no table that stays has a part in it."""
        alone = replace(probe, measures=(measure,), having=(), top=None, sort=(), rows=tuple((p.table, p.column) for p in at), columns=())
        tables = self.part(star, alone)
        return Asked(self, star, self.home(star, tables), budget) if tables else None


class Asked:
    """A probe that is being answered in one place. `oldest` is when the oldest of what was used was asked for."""

    def __init__(self, staying: Staying, star: Star, side: Side, budget: Budget) -> None:
        self.staying, self.star, self.side, self.budget = staying, star, side, budget
        self._states: dict[str, str] | None = None
        self.first: tuple[Probe, Compiled] | None = None  # a probe that is compiled already
        self.oldest = time.monotonic()

    def told(self, probe: Probe) -> Told:
        """The lines of a probe. Where a number is beyond its type the measures are asked one by one."""
        try:
            return Told(self.lines(self._compiled(probe), probe.limit), {})
        except Refused as refused:
            if refused.diagnostics[0].code != OVERFLOW or len(probe.measures) == 1:
                raise
        return self._one_by_one(probe)

    def _one_by_one(self, probe: Probe) -> Told:
        width = 2 * len((*probe.rows, *probe.columns))
        lines: dict[Line, list[Any]] = {}
        faults: dict[str, str] = {}
        for place, name in enumerate(probe.measures):
            try:
                told = self.lines(self._compiled(replace(probe, measures=(name,))), probe.limit)
            except Refused as refused:
                if refused.diagnostics[0].code != OVERFLOW:
                    raise
                faults[name] = OVERFLOW
                continue
            for line in told:
                lines.setdefault(tuple(line[:width]), [None] * len(probe.measures))[place] = line[width]
        if len(faults) == len(probe.measures):
            raise refuse(OVERFLOW, "Each measure has a number that is beyond its type.", "Cast what is added up to a wider type.")
        return Told([(*at, *values) for at, values in lines.items()], faults)

    def _compiled(self, probe: Probe) -> Compiled:
        self.budget.check()
        if self.first is not None and self.first[0] == probe:
            return self.first[1]
        return compiled(self.star, probe, self.side.prover.dialect, self.side.places, self.budget.limits)

    def lines(self, made: Compiled, most: int) -> Sequence[Line]:
        """The lines of a compiled probe, at most so many cells."""
        limit = min(most, self.budget.limits.probe_cells)
        bounded = Statement(made.statement.relations, made.statement.final.limit(limit + 1))  # type: ignore[attr-defined]
        lines = self.select(bounded, made.tables)
        if len(lines) > limit:
            raise over_cells(len(lines), limit)
        return lines

    def select(self, statement: Statement, tables: Sequence[str]) -> Sequence[Line]:
        """The lines of a statement, as they were when they were last asked for, if that was lately."""
        text, values = to_run(statement, self.side.prover.dialect)
        sent = [t for t in tables if t in self.side.plain.sent and not self.side.prover.dialect.arrays]
        looks = sorted((t, self.staying.version(t)) for t in tables if t in self.star.stay)
        key = digest(self.side.connection, looks, text, values, sorted(self.states().items()))
        ways = self.staying.ways
        with ways.lock:
            kept = ways.answers.get(key)
        if kept is None:
            self.budget.check()
            lines = self.side.lines(text, values, sent, max(self.budget.limits.seconds, ASKED_SECONDS))
            kept = lines, time.monotonic()
            with ways.lock:
                ways.answers[key] = kept
        self.oldest = min(self.oldest, kept[1])
        return kept[0]

    def states(self) -> dict[str, str]:
        """What the place counts now of changes to the tables that stay there, by table; of those where it can tell."""
        if self._states is None:
            self._states = self.side.states(self.budget.limits.seconds)
        return self._states

    def combinations(self, table: str, columns: Sequence[str]) -> Sequence[Line]:
        """The different combinations that columns of a table have, for the order of lines; none of them where they are very many."""
        side = self.staying.side(self.staying.look(table).connection)
        source = located(self.star.model, side.plain, table)
        values = [as_here(side.places, table, c, source.c[side.plain.column(table, c)]).label(f"c{i}") for i, c in enumerate(columns)]
        found = Asked(self.staying, self.star, side, self.budget).select(
            Statement([], sa.select(*values).distinct().limit(MOST_BESIDE + 1)), [table]
        )
        return found if len(found) <= MOST_BESIDE else []

    def words(self, tables: frozenset[str]) -> list[str]:
        """How old what was answered is."""
        age = time.monotonic() - self.oldest
        since = "now" if age < 1 else f"{age:.0f} seconds ago" if age < 90 else f"{age / 60:.0f} minutes ago"
        looks = [self.staying.look(t) for t in sorted(tables)]
        where = listed(list(dict.fromkeys(x.connection for x in looks)))
        said = [f"{listed(sorted(tables))} {'stays' if len(tables) == 1 else 'stay'} in {where}: asked there {since}."]
        changed = [t for t, state in self.states().items() if t in tables and state != self.staying.look(t).state]
        if changed:
            names = f"{listed(sorted(changed))} {'has' if len(changed) == 1 else 'have'}"
            said.append(f"{names} changed there since links and empties were looked at ({looks[0].at[:16].replace('T', ' ')}): look again.")
        return said


def too_large(table: str, rows: int, places: Sequence[str]) -> Refused:
    """What is said where two large tables are not in one place."""
    return refuse(
        "two_places",
        f"{table} has {rows:,} rows and is not in {listed(list(places))}, where the statement is asked: {MOST_SENT:,} rows may go along.",
        "Bring both tables to one place, or take the rows of both in.",
        table,
    )


def names_there(table: Table, columns: Mapping[str, str]) -> dict[str, str]:
    """By its name in the model, what a column is called where its table stays; the steps of one that stays rename."""
    names = {c: c for c in columns}
    for step in table.steps:
        if step.get("kind") == "rename" and not step.get("off"):
            given = dict(step.get("names", {}))
            names = {given.get(name, name): there for name, there in names.items()}
    low = {name.lower(): there for name, there in names.items()}
    own = ((c.name, low.get(c.name.lower()) or called(c.name, columns)) for c in table.columns if not c.formula)
    return {name: there for name, there in own if there}


def renamed_rows(table: Table, sample: TableRows) -> TableRows:
    """Some rows of a table with its columns as the model calls them."""
    there = names_there(table, dict.fromkeys(sample.columns, ""))
    return TableRows(sample.size, {name: sample.columns[x] for name, x in there.items()})


def _no_rows(table: Table) -> TableRows:
    """A table without rows."""
    return table_rows(0, {c.name: vector(c.dtype, []) for c in table.columns if not c.formula})
