"""What statements are made of beside SQLAlchemy's own elements: relations with names, and a statement that is a list of them."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any

import sqlalchemy as sa
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql import ClauseElement
from sqlalchemy.sql.expression import Executable

from nexorem.sql.dialects import TYPES, Dialect
from nexorem.sql.layout import laid_out

LONGEST_NAME = 36  # bytes of names that are made: PostgreSQL cuts at 63


@dataclass(frozen=True, slots=True, eq=False)
class Slot:
    """A member: in every relation that has it, two columns that are never empty, `name_k` (its kind) and `name` (its value)."""

    name: str
    dtype: str

    @property
    def kind(self) -> str:
        """The name of the column that says what it is."""
        return f"{self.name}_k"


VALUE, EMPTY, UNMATCHED, TOTAL = 0, 1, 2, -1  # kinds of members


@dataclass(frozen=True, slots=True)
class Pair:
    """A member as two expressions."""

    kind: sa.ColumnElement[int]
    value: sa.ColumnElement[Any]


@dataclass(frozen=True, slots=True, eq=False)
class Ruled:
    """What rules of rows leave of a table: the SELECT of it, the relations that this reads, by name with a note, and the tables."""

    name: str
    note: str
    relations: Sequence[tuple[str, str, sa.SelectBase]]
    body: sa.SelectBase
    tables: tuple[str, ...]

    @property
    def names(self) -> tuple[str, ...]:
        """Those of all its relations."""
        return (*(name for name, _, _ in self.relations), self.name)


class RuledTable(sa.TableClause):
    """What rules leave of a table, to be read from: the statement that reads it says what it is."""

    inherit_cache = False

    def __init__(self, ruled: Ruled, columns: Sequence[Any]) -> None:
        super().__init__(ruled.name, *columns)
        self.ruled = ruled


@dataclass(eq=False)
class Relation:
    """A named part of a statement, and what comes out of it: members and plain columns by name and dtype. `write` gives its SELECT, once
    everything that reads it is known; `note` says what it stands for."""

    name: str
    slots: tuple[Slot, ...]
    write: Callable[[], sa.SelectBase]
    note: str = ""
    plain: dict[str, str] = field(default_factory=dict)
    reads: int = 0

    @property
    def table(self) -> sa.TableClause:
        """It, to be read from."""
        self.reads += 1
        pairs = [c for s in self.slots for c in (sa.column(s.kind, sa.Integer()), sa.column(s.name, TYPES[s.dtype]))]
        return sa.table(self.name, *pairs, *(sa.column(n, TYPES[d]) for n, d in self.plain.items()))


def pair_of(source: sa.FromClause, slot: Slot) -> Pair:
    """The two columns of a member of a relation."""
    return Pair(source.c[slot.kind], source.c[slot.name])


def labelled(slot: Slot, pair: Pair) -> list[sa.ColumnElement[Any]]:
    """A member, as two columns of a SELECT."""
    return [pair.kind.label(slot.kind), pair.value.label(slot.name)]


def same(a: Pair, b: Pair) -> sa.ColumnElement[bool]:
    """Whether two members are one."""
    return sa.and_(a.kind == b.kind, a.value == b.value)


def plain_name(wish: str) -> str:
    """A wish as a name that needs no quotes, most of the time."""
    plain = re.sub(r"[^a-z0-9]+", "_", wish.lower()).strip("_")[:LONGEST_NAME].strip("_") or "x"
    return f"x_{plain}" if plain[0].isdigit() else plain


def local_name(wish: str, taken: Collection[str]) -> str:
    """A name like the one wished for that nothing else has in one FROM."""
    name, number = plain_name(wish), 1
    while name in taken:
        number += 1
        name = f"{plain_name(wish)}_{number}"
    return name


class Names:
    """Gives names that no other has, nor is `taken`: lower case, short, numbered where they repeat."""

    def __init__(self, taken: Iterable[str] = ()) -> None:
        self._given = set(taken)

    def new(self, wish: str) -> str:
        """A name like the one wished for."""
        plain = plain_name(wish)
        name, number = plain, 1
        while name in self._given or f"{name}_k" in self._given:
            number += 1
            name = f"{plain}_{number}"
        self._given |= {name, f"{name}_k"}
        return name


class Statement(Executable, ClauseElement):
    """`WITH` the relations that are read, in order, then a SELECT over them."""

    inherit_cache = False

    def __init__(self, relations: list[tuple[str, str, sa.SelectBase]], final: sa.SelectBase) -> None:
        self.relations, self.final = relations, final


@compiles(Statement)
def _written(element: Statement, compiler: Any, **more: Any) -> str:
    compiler.ruled = {}
    parts = [_part(compiler, *relation, **more) for relation in element.relations]
    final = str(compiler.process(element.final, **more)).strip()
    before, text = [], "\n".join([*parts, final])
    for ruled in list(compiler.ruled.values()):
        before += [_part(compiler, *relation, **more) for relation in ruled.relations]
        read = [c for c in ruled.body.selected_columns if compiler.preparer.quote(c.name) in text]
        body = ruled.body.with_only_columns(*(read or list(ruled.body.selected_columns)[:1]), maintain_column_froms=True)
        before.append(_part(compiler, ruled.name, ruled.note, body, **more))
    every = [*before, *parts]
    start = "WITH " + ",\n".join(every) + "\n" if every else ""
    return f"{start}{final}"


def _part(compiler: Any, name: str, note: str, body: sa.SelectBase, **more: Any) -> str:
    said = "".join(f"-- {line}\n" for line in note.splitlines())
    text = str(compiler.process(body, **more)).strip()
    return f"{said}{compiler.preparer.quote(name)} AS (\n  " + text.replace("\n", "\n  ") + "\n)"


@compiles(RuledTable)
def _ruled(element: RuledTable, compiler: Any, **more: Any) -> Any:
    """Its name; and the statement notes that it is read."""
    compiler.ruled[element.ruled.name] = element.ruled
    return compiler.visit_table(element, **more)


def statement(parts: Sequence[list[Relation]], final: Callable[[], sa.SelectBase]) -> Statement:
    """A SELECT with the relations that it reads, and those that they read: each behind what it may read. What nobody reads is left out."""
    last = final()
    bodies: list[tuple[str, str, sa.SelectBase]] = []
    for relation in (x for part in reversed(parts) for x in reversed(part)):
        if relation.reads:
            bodies.append((relation.name, relation.note, relation.write()))
    return Statement(bodies[::-1], last)


def text_of(made: Statement, dialect: Dialect) -> str:
    """A statement to be read by people, with the values in it."""
    compiled = made.compile(dialect=dialect.shown, compile_kwargs={"literal_binds": True})
    return laid_out(str(compiled)) + "\n"


def to_run(made: Statement, dialect: Dialect) -> tuple[str, Any]:
    """A statement and its parameters, as the engine's driver takes them."""
    compiled = made.compile(dialect=dialect.running, compile_kwargs={"render_postcompile": True})
    text = re.sub(r"(?m)^\s*--.*\n", "", str(compiled))
    if compiled.positiontup is not None:  # type: ignore[attr-defined]
        return text, [compiled.params[name] for name in compiled.positiontup]  # type: ignore[attr-defined]
    return text, compiled.params
