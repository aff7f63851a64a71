"""What a database proves of a model whose rows stay there: sizes, keys, links, empties. Each is asked once; what a meaning depends on is
exact."""

from __future__ import annotations

from array import array
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

import sqlalchemy as sa

from nexorem.core.model.model import Link, Model, Table
from nexorem.core.model.proven import ColumnFacts, LinkFacts
from nexorem.core.values import iso
from nexorem.sql.build import Places, as_here, is_value, located, unnested
from nexorem.sql.dialects import Dialect, number
from nexorem.sql.tree import Statement, to_run

Run = Callable[[str, Any], Sequence[Sequence[Any]]]
Key = tuple[str, tuple[str, ...]]
BOUND = ("number", "date", "datetime")  # of which databases have more than we
LINKS_AT_ONCE = 20  # of one table that are looked at in one pass


class SqlProver:
    """Proves by SQL. `run` gives the lines of a statement. Cost: a pass over a table for its size and empties, one for its keys that links
    point to, and one for all links that it has the keys of."""

    def __init__(self, model: Model, run: Run, dialect: Dialect, places: Places, kept: Run | None = None) -> None:
        """`kept` is `run` for counts and a few keys, as JSON, which may be known from before."""
        self.model, self.run, self.dialect, self.places = model, run, dialect, places
        self.kept = kept or run
        self.guarded: set[tuple[str, str]] = set()  # columns in which something is no value here
        self.send: Callable[[str], None] = lambda table: None  # makes sure that a table that is sent is there
        self._empties: dict[str, tuple[int, Mapping[str, int]]] = {}
        self._keys: dict[Key, tuple[int, int]] = {}
        self._links: dict[Any, tuple[int, int]] = {}

    def asked(self, select: Any) -> Sequence[Any]:
        """The one line of a SELECT."""
        text, values = to_run(Statement([], select), self.dialect)
        (line,) = self.kept(text, values)
        return line

    def size(self, table: str) -> int:
        """The number of a table's rows."""
        sent = self.places.sent.get(table)
        return sent.size if sent else self._counted(table)[0]

    def has_empties(self, table: str, column: str) -> bool:
        """Whether some row has nothing in a column."""
        return self._counted(table)[1].get(column, 1) > 0

    def _counted(self, table: str) -> tuple[int, Mapping[str, int]]:
        if table not in self._empties:
            source = located(self.model, self.places, table)
            there = [c for c in _table(self.model, table).columns if (table, c.name) not in self.places.computed]
            held = {c.name: source.c[self.places.column(table, c.name)] for c in there}
            odd = {c.name: as_here(self.places, table, c.name, held[c.name]) for c in there if c.dtype in BOUND}
            filled = [sa.func.count(x) for x in held.values()]
            values = [sa.func.count(sa.case((is_value(x), number(1)))) for x in odd.values()]
            size, *counts = self.asked(sa.select(sa.func.count(), *filled, *values).select_from(source))
            full = dict(zip(held, map(int, counts[: len(held)]), strict=True))
            plain = dict(zip(odd, map(int, counts[len(held) :]), strict=True))
            self.guarded |= {(table, c) for c, count in plain.items() if count < full[c]}
            self._empties[table] = int(size), {c: int(size) - plain.get(c, count) for c, count in full.items()}
        return self._empties[table]

    def column_facts(self, table: str, column: str) -> ColumnFacts:
        """What the rows say of a column. Cost: a pass that tells its values apart."""
        source = located(self.model, self.places, table)
        (distinct,) = self.asked(sa.select(sa.func.count(sa.distinct(source.c[self.places.column(table, column)]))))
        return ColumnFacts(self._counted(table)[1].get(column, 0), int(distinct))

    def facts(self, link: Link) -> LinkFacts:
        """What the rows say of a link, active or not. Of keys that repeat only how many is known: their rows are not."""
        ends = _ends(link)
        if ends not in self._links:
            self._look_up([k for k in self.model.links if k.from_table == link.from_table and _ends(k) not in self._links] or [link])
        if ends not in self._links:  # one that is turned round
            self._look_up([link])
        matched, filled = self._links[ends]
        size = self.size(link.from_table)
        repeated, key_empty = self._key(link.to_table, link.to_columns)
        from_repeated, _ = self._key(link.from_table, link.from_columns) if link.cardinality == "one-to-one" else (0, 0)
        return LinkFacts(matched, filled - matched, size - filled, some_rows(repeated), some_rows(from_repeated), key_empty)

    def _look_up(self, links: Sequence[Link]) -> None:
        """How many rows of a table have a whole key of each link, and how many of these match: one pass over it."""
        for start in range(0, len(links), LINKS_AT_ONCE):
            part = links[start : start + LINKS_AT_ONCE]
            source = located(self.model, self.places, part[0].from_table).alias("many")
            joined: sa.FromClause = source
            columns: list[Any] = []
            for place, link in enumerate(part):
                mine = [source.c[self.places.column(link.from_table, c)] for c in link.from_columns]
                theirs = self._columns(link.to_table, link.to_columns)
                keys = sa.select(*(c.label(f"k{i}") for i, c in enumerate(theirs)), number(1).label("there"))
                one = keys.where(*(c.is_not(None) for c in theirs)).distinct().subquery(f"one_{place}")
                joined = joined.outerjoin(one, sa.and_(*(a == one.c[f"k{i}"] for i, a in enumerate(mine))))
                full = sa.case((sa.and_(*(a.is_not(None) for a in mine)), number(1)))
                columns += [sa.func.count(one.c.there), sa.func.count(full)]
            line = self.asked(sa.select(*columns).select_from(joined))
            for place, link in enumerate(part):
                self._links[_ends(link)] = int(line[2 * place]), int(line[2 * place + 1])

    def _columns(self, table: str, columns: tuple[str, ...]) -> list[sa.ColumnElement[Any]]:
        """Columns of a table, where it is, or of its rows that are sent along."""
        there = located(self.model, self.places, table)
        own: list[sa.ColumnElement[Any]] = [there.c[self.places.column(table, c)] for c in columns]
        if table not in self.places.sent:
            return own
        if not self.dialect.arrays:
            self.send(table)
            return own
        sent = self.places.sent[table]
        rows = unnested({c: (there.c[c].type, sent.values(c)) for c in columns}).subquery("sent_along")
        return [rows.c[c] for c in columns]

    def _key(self, table: str, columns: tuple[str, ...]) -> tuple[int, int]:
        """How many keys repeat, and how many rows have none that is whole."""
        if (table, columns) not in self._keys and table in self.places.sent:
            keys = Counter(zip(*(self.places.sent[table].values(c) for c in columns), strict=True))
            partial = sum(n for key, n in keys.items() if None in key)
            self._keys[table, columns] = sum(n > 1 for key, n in keys.items() if None not in key), partial
        if (table, columns) not in self._keys:
            source = located(self.model, self.places, table)
            own = [source.c[self.places.column(table, c)] for c in columns]
            whole = sa.and_(*(c.is_not(None) for c in own))
            several = sa.select(number(1).label("one")).select_from(source).where(whole).group_by(*own).having(sa.func.count() > 1)
            repeated = sa.select(sa.func.count()).select_from(several.subquery("several")).scalar_subquery()
            filled = sa.func.count(sa.case((whole, number(1))))
            count, full = self.asked(sa.select(repeated, filled).select_from(source))
            self._keys[table, columns] = int(count), self.size(table) - int(full)
        return self._keys[table, columns]

    def key_facts(self, table: str, columns: tuple[str, ...]) -> tuple[int, int]:
        """How many keys repeat, and how many rows have none that is whole."""
        return self._key(table, columns)

    def keys(self, table: str, columns: tuple[str, ...], most: int) -> set[tuple[Any, ...]] | None:
        """The different whole keys of a table; None where they are more than `most`."""
        source = located(self.model, self.places, table)
        own = [as_here(self.places, table, c, source.c[self.places.column(table, c)]).label(f"k{i}") for i, c in enumerate(columns)]
        text, values = to_run(Statement([], sa.select(*own).distinct().order_by(*own).limit(most + 1)), self.dialect)
        lines = self.run(text, values)
        return {tuple(line) for line in lines if None not in line} if len(lines) <= most else None

    def repeats(self, table: str, columns: tuple[str, ...], most: int) -> list[str]:
        """Some keys that stand more than once, as texts."""
        source = located(self.model, self.places, table)
        own = [source.c[self.places.column(table, c)] for c in columns]
        several = sa.select(*own).where(*(c.is_not(None) for c in own)).group_by(*own).having(sa.func.count() > 1)
        text, values = to_run(Statement([], several.order_by(*own).limit(most)), self.dialect)
        return [", ".join(str(iso(x)) for x in line) for line in self.kept(text, values)]

    def orphans(self, link: Link, most: int) -> list[str]:
        """Some keys of the many side that the one side does not have, as texts; those of most rows first."""
        source = located(self.model, self.places, link.from_table).alias("many")
        mine = [source.c[self.places.column(link.from_table, c)] for c in link.from_columns]
        theirs = self._columns(link.to_table, link.to_columns)
        keys = sa.select(*(c.label(f"k{i}") for i, c in enumerate(theirs)), number(1).label("there"))
        one = keys.where(*(c.is_not(None) for c in theirs)).distinct().subquery("one")
        joined = source.outerjoin(one, sa.and_(*(a == one.c[f"k{i}"] for i, a in enumerate(mine))))
        lost = sa.select(*mine).select_from(joined).where(one.c.there.is_(None), *(a.is_not(None) for a in mine)).group_by(*mine)
        text, values = to_run(Statement([], lost.order_by(sa.func.count().desc(), *mine).limit(most)), self.dialect)
        return [" + ".join(str(iso(x)) for x in line) for line in self.kept(text, values)]

    def calendar(self, table: str, date: str) -> tuple[int, int, int]:
        """Of a table of days: its rows with a day, how many days these have, and how many there are from the first to the last."""
        source = located(self.model, self.places, table)
        day = as_here(self.places, table, date, source.c[self.places.column(table, date)])
        asked = [sa.func.count(day), sa.func.count(sa.distinct(day)), sa.func.min(day), sa.func.max(day)]
        ((filled, distinct, first, last),) = self.run(*to_run(Statement([], sa.select(*asked).select_from(source)), self.dialect))
        return int(filled), int(distinct), (last - first).days + 1 if first is not None else 0

    def tells_apart(self, table: str, column: str) -> bool:
        """Whether a column is never empty and tells the rows apart."""
        return self.size(table) > 0 and self._key(table, (column,)) == (0, 0)


def some_rows(count: int) -> array[int]:
    """As many places as there are: which they are is not known."""
    return array("q", [-1] * min(count, 1_000))


def _ends(link: Link) -> tuple[object, ...]:
    return link.from_table, link.from_columns, link.to_table, link.to_columns


def _table(model: Model, name: str) -> Table:
    table = model.table(name)
    assert table
    return table


def with_keys(prover: SqlProver, places: Places, tables: Iterable[Table]) -> Places:
    """The places with a column for each table that tells its rows apart, where a key of it or one that links point to does; and with the
    columns that hold what is no value here."""
    keys = dict(places.keys)
    for table in tables:
        if table.name in places.sent:
            continue
        prover.size(table.name)
        ends = [k.to_columns for k in prover.model.links if k.to_table == table.name]
        single = dict.fromkeys(x[0] for x in (table.key or (), *ends) if len(x) == 1)
        found = next((c for c in single if prover.tells_apart(table.name, c)), None)
        if found and table.name not in keys:
            keys[table.name] = places.column(table.name, found)
    return replace(places, keys=keys, guarded=frozenset(prover.guarded))
