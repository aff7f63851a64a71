"""What is at hand while a statement is made: the model and what is known of its rows, where its tables are, and the relations so far."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

import sqlalchemy as sa

from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.model.model import Link, Model
from nexorem.core.model.proven import Proven
from nexorem.core.plan.tree import inner_nodes, parts
from nexorem.sql.dialects import TYPES, Dialect, number, zero
from nexorem.sql.scalars import Typed, empty, widen
from nexorem.sql.tree import EMPTY, UNMATCHED, VALUE, Names, Pair, Relation, Ruled, RuledTable, Slot, local_name

Path = tuple[Link, ...]
ROW_NUMBER = "row_number"


@dataclass(frozen=True, slots=True)
class Places:
    """Where tables are: the schema, and by table its name there, its columns' names there and the column that tells its rows apart. What is
    not named is called as in the model. Columns in `casts` are of another type there; those that are `computed` are not there;
    those that are `guarded` hold what is no value here: NaN, what is infinite, dates outside the years 1 to 9999. These are empty.
    Tables in `schemas` are in another schema; those that are `sent` are not there: their rows go along with the statement. Of those that
    are `ruled` the rows are read that rules leave, `barred` ones are refused; `taken` are names that statements may give nothing else."""

    schema: str | None = None
    tables: Mapping[str, str] = field(default_factory=dict)
    columns: Mapping[tuple[str, str], str] = field(default_factory=dict)
    keys: Mapping[str, str] = field(default_factory=dict)
    casts: frozenset[tuple[str, str]] = frozenset()
    computed: frozenset[tuple[str, str]] = frozenset()
    guarded: frozenset[tuple[str, str]] = frozenset()
    schemas: Mapping[str, str | None] = field(default_factory=dict)
    sent: Mapping[str, Sent] = field(default_factory=dict)
    ruled: Mapping[str, Ruled] = field(default_factory=dict)
    barred: Mapping[str, Refused] = field(default_factory=dict)
    taken: tuple[str, ...] = ()

    def schema_of(self, table: str) -> str | None:
        """The schema that a table is in."""
        return self.schemas.get(table, self.schema)

    def column(self, table: str, column: str) -> str:
        """The name of a column there."""
        return self.columns.get((table, column), column)

    def key(self, table: str) -> str:
        """The column that tells a table's rows apart, by its name there."""
        if table not in self.keys:
            hint = "Declare a key that is unique and never empty, or run over columns."
            raise refuse("no_row_key", f"Rows of {table} cannot be told apart where they are.", hint=hint)
        return self.keys[table]


@dataclass(frozen=True, slots=True, eq=False)
class Sent:
    """The rows of a table that go along with a statement: how many there are, and the values of a column by its name; ROW_NUMBER numbers
    them. Both are asked for when they are needed."""

    counted: Callable[[], int]
    values: Callable[[str], list[Any]]

    @property
    def size(self) -> int:
        """How many rows there are."""
        return self.counted()


class Build:
    """A statement in the making."""

    def __init__(self, star: Proven, dialect: Dialect, places: Places, names: Names | None = None) -> None:
        self.star, self.dialect, self.places = star, dialect, places
        self.names = names or Names(places.taken)
        self.relations: list[Relation] = []
        self.sources: list[Relation] = []  # tables with their unmatched member, which read nothing else
        self._known: dict[str, tuple[Relation, str]] = {}
        self._sent: dict[str, Relation] = {}
        self._named: dict[str, dict[str, None]] = {}  # of tables that are sent the columns that are named
        self.used: dict[str, dict[str, None]] = {}  # of these tables the columns that somebody reads
        self.kept: dict[object, Any] = {}
        self.read: dict[str, None] = {}  # the tables that the statement reads
        self.called: dict[int, str] = {}  # the measure that a node stands in, by its id

    @property
    def model(self) -> Model:
        """The model."""
        return self.star.model

    def add(
        self, wish: str, slots: tuple[Slot, ...], write: Callable[[], sa.SelectBase], note: str = "", plain: Mapping[str, str] | None = None
    ) -> Relation:
        """A new relation, behind those it may read."""
        relation = Relation(self.names.new(wish), slots, write, note, dict(plain or {}))
        self.relations.append(relation)
        return relation

    def call(self, trees: Iterable[t.Typed]) -> None:
        """Notes which measure each node of some trees stands in, so that what is computed for it is called after it."""
        for tree in trees:
            queue: list[tuple[t.Node, str]] = [(tree, "")]
            while queue:
                node, name = queue.pop()
                name = node.name if isinstance(node, t.MeasureValue) else name
                if id(node) not in self.called:
                    self.called[id(node)] = name
                    queue += [(x, name) for _, x in parts(node)]

    def name_of(self, node: t.Node, otherwise: str) -> str:
        """What a node's value is called: after its measure, where it stands in one."""
        return self.called.get(id(node)) or otherwise

    def slot(self, wish: str, dtype: str) -> Slot:
        """A new member."""
        return Slot(self.names.new(wish), dtype)

    def slot_of(self, table: str, column: str | None) -> Slot:
        """A new member for a column of a table, or (None) for its rows."""
        if column is None:
            return self.slot(f"{table}_row", self.key_type(table))
        return self.slot(column, self.dtype(table, column))

    def dtype(self, table: str, column: str) -> str:
        """The type of a column."""
        return self.model.dtype(table, column)

    def key_type(self, table: str) -> str:
        """The type of what tells a table's rows apart."""
        key = self.places.key(table)
        of = self.model.table(table)
        own = [c.dtype for c in of.columns if self.column(table, c.name) == key] if of else []
        return own[0] if own else "integer"

    def column(self, table: str, column: str) -> str:
        """The name of a column where it is."""
        name = self.places.column(table, column)
        self.named(table, name)
        return name

    def named(self, table: str, column: str) -> None:
        """Notes that somebody reads a column, by its name where it is."""
        self._named.setdefault(table, {})[column] = None

    def table(self, name: str) -> sa.TableClause:
        """A table of the model, where it is."""
        self.read[name] = None
        if name in self.places.ruled:
            self.read |= dict.fromkeys(self.places.ruled[name].tables)
        if name in self.places.sent and self.dialect.arrays:
            return self._sent_along(name).table
        return located(self.model, self.places, name)

    def parts(self) -> list[list[Relation]]:
        """All relations, those that others read before them."""
        return [self.sources, self.relations]

    def tables_read(self) -> tuple[str, ...]:
        """The tables that the statement reads, once it is written."""
        return tuple(self.read)

    def columns_there(self, name: str) -> dict[str, str]:
        """The columns of a table by their names where it is, with their types."""
        return {c.name: _dtype_of(c.type) for c in located(self.model, self.places, name).c}

    def _sent_along(self, name: str) -> Relation:
        """A table whose rows go along with the statement: as arrays, of the columns that are named anywhere."""
        if name not in self._sent:
            sent, plain = self.places.sent[name], located(self.model, self.places, name)
            types = {c.name: c.type for c in plain.c}

            def write() -> sa.SelectBase:
                used = [c for c in types if c in self._named.get(name, ())] or list(types)[:1]
                return unnested({c: (types[c], sent.values(c)) for c in used})

            note = f"{name}: {sent.size:,} rows that are sent along"
            relation = Relation(self.names.new(name), (), write, note, self.columns_there(name))
            self.sources.insert(0, relation)
            self._sent[name] = relation
        return self._sent[name]

    def computed(self, table: str, column: str) -> t.Typed:
        """What a column that is not there is computed from, row by row."""
        key = "computed", table, column
        if key not in self.kept:
            info = self.model.table(table)
            formula = info.column(column) if info else None
            assert formula is not None and formula.formula
            rows = Binder(self.star).computed_column(table, column, formula.formula)
            tree = rows.values[-1]
            if inner_nodes(tree):
                said = f"{table}.{column} is computed from measures, and is not where the table is."
                raise refuse("no_sql", said, hint="Have the column made there, or take the rows in.")
            self.kept[key] = tree
        return self.kept[key]  # type: ignore[no-any-return]

    def with_unmatched(self, name: str) -> tuple[Relation, str]:
        """The rows of a table and its unmatched member, which a column of that name marks with 1."""
        if name not in self._known:
            of = self.model.table(name)
            assert of
            if name in self.places.sent and self.dialect.arrays:
                self._sent_along(name)  # which stands before it
            columns = {self.places.column(name, c.name): c.dtype for c in of.columns}
            key = self.places.keys.get(name)
            if key and key not in columns:
                columns[key] = "integer"
            mark = next(x for x in ("unmatched", *(f"unmatched_{i}" for i in range(99))) if x not in columns)

            def write() -> sa.SelectBase:
                rows, used = self.table(name), {c: d for c, d in columns.items() if c in self.used.get(name, ())}
                own = {self.places.column(name, c.name): c.name for c in of.columns}
                for c in used:
                    self.named(name, c)
                there = [rows.c[c] if c not in own else named(as_here(self.places, name, own[c], rows.c[c]), c) for c in used]
                real = sa.select(*there, number(0).label(mark)).select_from(rows)
                lost = sa.select(*(empty(d).label(c) for c, d in used.items()), number(1).label(mark))
                return sa.union_all(real, lost)

            relation = Relation(
                self.names.new(f"{name}_and_unmatched"), (), write, f"{name}, and its unmatched member", {**columns, mark: "integer"}
            )
            self.sources.append(relation)
            self._known[name] = relation, mark
        return self._known[name]

    def may_be_empty(self, table: str, column: str) -> bool:
        """Whether some row has nothing there."""
        return self.star.has_empties(table, column)

    def may_lose(self, path: Path) -> bool:
        """Whether some row finds no partner on its way, or none is looked for because one before is missing."""
        return any(self.star.facts(k).matched < self.star.size(k.from_table) for k in path)


def located(model: Model, places: Places, name: str) -> sa.TableClause:
    """A table of the model, where it is."""
    of = model.table(name)
    assert of
    columns = [sa.column(places.column(name, c.name), TYPES[c.dtype]) for c in of.columns if (name, c.name) not in places.computed]
    key = places.keys.get(name)
    if key and key not in {c.name for c in columns}:
        columns.append(sa.column(key, sa.BigInteger()))
    if name in places.barred:
        raise places.barred[name]
    if name in places.ruled:
        return RuledTable(places.ruled[name], columns)
    return sa.table(places.tables.get(name, name), *columns, schema=places.schema_of(name))


def unnested(columns: Mapping[str, tuple[Any, list[Any]]]) -> sa.SelectBase:
    """Rows that are given as an array a column."""
    arrays = [sa.cast(sa.bindparam(None, values, type_=Given(), unique=True), sa.ARRAY(kind)) for kind, values in columns.values()]
    named_columns = [sa.column(c, kind) for c, (kind, _) in columns.items()]
    rows = sa.func.unnest(*arrays).table_valued(*named_columns).render_derived(name="sent")
    return sa.select(*(rows.c[c] for c in columns))


class Given(sa.types.UserDefinedType[list[Any]]):
    """An array of values that travel as a parameter; shown as how many there are."""

    cache_ok = True

    def literal_processor(self, dialect: Any) -> Any:
        """The number of values, in place of them."""
        return lambda values: f":values_{len(values)}"


def _dtype_of(kind: Any) -> str:
    return next(d for d, t_ in TYPES.items() if isinstance(kind, type(t_)))


def as_here(places: Places, table: str, column: str, found: sa.ColumnElement[Any]) -> sa.ColumnElement[Any]:
    """A column that is somewhere else, in its type here; what is no value here is empty."""
    value = sa.cast(found, found.type) if (table, column) in places.casts else found
    return sa.case((is_value(value), value)) if (table, column) in places.guarded else value


def named(value: sa.ColumnElement[Any], name: str) -> sa.ColumnElement[Any]:
    """A value by a name; a column has its own."""
    return value if isinstance(value, sa.Column | sa.sql.elements.ColumnClause) else value.label(name)


def is_value(found: sa.ColumnElement[Any]) -> sa.ColumnElement[bool]:
    """Whether a number or a date that is there is one here: neither NaN, which is beyond all others, nor infinite, nor of other years."""
    if isinstance(found.type, sa.Double):
        below, beyond = _edge("-Infinity", found.type), _edge("Infinity", found.type)
        return sa.and_(found > below, found < beyond)
    first, last = ("0001-01-01", "9999-12-31") if isinstance(found.type, sa.Date) else ("0001-01-01 00:00:00", "9999-12-31 23:59:59.999999")
    return found.between(_edge(first, found.type), _edge(last, found.type))


def _edge(text: str, of: Any) -> sa.ColumnElement[Any]:
    return sa.cast(sa.literal_column(f"'{text}'", sa.Text()), of)


class Source:
    """A FROM that grows by what is asked of it. `names` are those of what stands in it."""

    def __init__(self, start: sa.FromClause, names: set[str]) -> None:
        self.joined: sa.FromClause = start
        self.names = names

    @classmethod
    def of_table(cls, build: Build, name: str) -> tuple[Source, sa.FromClause]:
        """A FROM that starts with a table of the model, and that table in it."""
        taken = {r.name for r in build.relations}
        alias = build.table(name).alias(local_name(name, taken))
        return cls(alias, {*taken, alias.name}), alias

    def table(self, build: Build, name: str) -> sa.FromClause:
        """A table of the model, named apart from what else stands here."""
        own = local_name(name, self.names)
        self.names.add(own)
        return build.table(name).alias(own)

    def left(self, other: sa.FromClause, on: Any) -> None:
        """A left join."""
        self.joined = self.joined.outerjoin(other, on)

    def inner(self, other: sa.FromClause, on: Any) -> None:
        """A join."""
        self.joined = self.joined.join(other, on)


class Reader:
    """A row of a table in a FROM, and what it looks up along paths of links. `lost` is true where the row is the unmatched member, None
    where it never is."""

    def __init__(self, build: Build, source: Source, table: str, root: sa.FromClause, lost: sa.ColumnElement[bool] | None) -> None:
        self.build, self.source, self.table, self._lost = build, source, table, lost
        self._is_canonical = lost is not None and isinstance(root, sa.TableClause)  # with its unmatched member: cast there
        self._at: dict[tuple[str, ...], sa.FromClause] = {(): root}

    def at(self, path: Path) -> sa.FromClause:
        """The table at the end of a path, joined where it is not yet."""
        names = tuple(f"{k.name}>{k.to_table}" for k in path)
        if names not in self._at:
            link = path[-1]
            column = self.build.column
            partner = self.source.table(self.build, link.to_table)
            pairs = zip(link.from_columns, link.to_columns, strict=True)
            on = [self._read(path[:-1], column(link.from_table, a)) == partner.c[column(link.to_table, b)] for a, b in pairs]
            self.source.left(partner, sa.and_(*on))
            self._at[names] = partner
        return self._at[names]

    def table_at(self, path: Path) -> str:
        """The table at the end of a path."""
        return path[-1].to_table if path else self.table

    def lost(self, path: Path) -> sa.ColumnElement[bool] | None:
        """Where there is no row at the end of a path; None where there always is."""
        if not path:
            return self._lost
        if self._lost is None and not self.build.may_lose(path):
            return None
        link = path[-1]
        return self.at(path).c[self.build.column(link.to_table, link.to_columns[0])].is_(None)

    def value(self, path: Path, column: str) -> sa.ColumnElement[Any]:
        """A column's value; empty where there is no row."""
        table = self.table_at(path)
        if (table, column) in self.build.places.computed:
            return self._computed(path, table, column)
        found = self._read(path, self.build.column(table, column))
        return found if not path and self._is_canonical else as_here(self.build.places, table, column, found)

    def _computed(self, path: Path, table: str, column: str) -> sa.ColumnElement[Any]:
        """A column that is not there, computed where it is read."""
        from nexorem.sql.row_values import row_value

        lookups = self.build.star.lookups(table, self.build.star.state)

        def leaf(node: t.Typed) -> Typed | None:
            if not isinstance(node, t.ColumnValue):
                return None
            return Typed(self.value((*path, *lookups[node.table]), node.column), node.dtype)

        tree, lost = self.build.computed(table, column), self.lost(path)
        value = widen(row_value(self.build.dialect, tree, leaf), self.build.dtype(table, column))
        return value if lost is None else sa.case((sa.not_(lost), value))

    def _read(self, path: Path, name: str) -> sa.ColumnElement[Any]:
        """A column by its name there; noted, for of a table with its unmatched member only what is read is taken."""
        if not path:
            self.build.used.setdefault(self.table, {})[name] = None
        self.build.named(self.table_at(path), name)
        return self.at(path).c[name]

    def pair(self, path: Path, column: str | None) -> Pair:
        """A member: of a column, or (None) the row itself."""
        table, lost = self.table_at(path), self.lost(path)
        if column is None:
            key = self._read(path, self.build.places.key(table))
            kind = number(VALUE) if lost is None else sa.case((lost, number(UNMATCHED)), else_=number(VALUE))
            return Pair(kind, key if lost is None else sa.func.coalesce(key, zero(self.build.key_type(table)), type_=key.type))
        value, empties = self.value(path, column), self.build.may_be_empty(table, column)
        branches = [(lost, number(UNMATCHED))] if lost is not None else []
        branches += [(value.is_(None), number(EMPTY))] if empties else []
        if not branches:
            return Pair(number(VALUE), value)
        filled = sa.func.coalesce(value, zero(self.build.dtype(table, column)), type_=value.type)
        return Pair(sa.case(*branches, else_=number(VALUE)), filled)


def reader_of(build: Build, table: str, plus: bool) -> tuple[Source, Reader]:
    """A FROM of a table's rows; with `plus` the unmatched member too, where it has one."""
    if plus and build.star.has_unmatched(table):
        relation, mark = build.with_unmatched(table)
        root = relation.table
        source = Source(root, {r.name for r in (*build.relations, *build.sources)})
        return source, Reader(build, source, table, root, root.c[mark] == number(1))
    source, alias = Source.of_table(build, table)
    return source, Reader(build, source, table, alias, None)
