"""What the values of typed trees are made from: two states of a model in which it is the same give the same values.

It is taken from the trees, the links that really carry filters to their scans, and the rows of every table that takes part; so a link that
is switched where no filter of a check comes by leaves that check's basis as it was.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, fields
from functools import cache
from typing import Any
from weakref import WeakKeyDictionary

import numpy as np

from nexorem.core.columns import Column
from nexorem.core.functions.registry import Function
from nexorem.core.language import typed as t
from nexorem.core.model.model import Link
from nexorem.core.model.paths import Inflow, LinkState
from nexorem.core.model.proven import Proven
from nexorem.core.model.star import Star
from nexorem.core.plan.tree import parts, walk
from nexorem.core.values import Array

_digests: WeakKeyDictionary[Column, bytes] = WeakKeyDictionary()
ASIDE = frozenset({"span", "state", "scope", "text", "folds"})  # of a node: where it stands, and what is told of its flow instead


@dataclass(slots=True)
class Basis:
    """The tables, links and measures that some trees stand on, by name, and all that decides their values, rows aside, as lines of text."""

    tables: dict[str, None] = field(default_factory=dict)
    links: dict[str, None] = field(default_factory=dict)
    measures: dict[str, None] = field(default_factory=dict)
    lines: list[str] = field(default_factory=list)

    def digest(self, star: Star) -> str:
        """A text that is the same where the lines and all columns of the tables are; of tables that stay elsewhere, where nobody looked at
        them again. Cost: a look at each column not met before."""
        made = hashlib.blake2b("\n".join(self.lines).encode("utf-8", "surrogatepass"), digest_size=20)
        for table in sorted(self.tables):
            if table in star.stay and star.elsewhere is not None:
                made.update(f"\n{table} {star.elsewhere.version(table)}".encode("utf-8", "surrogatepass"))
                continue
            frame = star.rows[table]
            made.update(f"\n{table} {frame.size}".encode("utf-8", "surrogatepass"))
            for name in sorted(frame.columns):
                made.update(f"\n{name} ".encode("utf-8", "surrogatepass") + column_digest(frame.columns[name]))
        return made.hexdigest()


def column_digest(column: Column) -> bytes:
    """16 bytes that are the same for columns of the same type and values; kept as long as the column is."""
    kept = _digests.get(column)
    if kept is None:
        made = hashlib.blake2b(f"{column.dtype} {column.size}".encode(), digest_size=16)
        members = column.members
        for data in (column.codes, column.raw, column.filled, members.data if members else None, members.valid if members else None):
            made.update(_bytes(data))  # type: ignore[arg-type]  # an array is a buffer
        if members is not None and column.dtype == "text":
            for word in members.words.tolist():
                made.update(str(word).encode("utf-8", "surrogatepass") + b"\0")
        kept = _digests[column] = made.digest()
    return kept


def _bytes(data: Array | None) -> Array | bytes:
    return b"-" if data is None else np.ascontiguousarray(data).view(np.uint8)


def basis_of(star: Proven, trees: Iterable[t.Node], tables: Iterable[str] = ()) -> Basis:
    """The basis of some trees, and of the members of these tables that the page shows. Raises DoublePath where filters would come over two
    paths. Cost: one visit of each node, one tree of flows a scan."""
    made = Basis()
    for tree in trees:
        for node in walk(tree):
            _add_node(star, made, node)
        made.lines.append("")
    for table in tables:
        _add_flow(star, made, table, star.state)
    return made


def _add_node(star: Proven, into: Basis, node: t.Node) -> None:
    kind: Any = type(node)
    said = " ".join(f"{name} {_text(getattr(node, name))}" for name in _plain(kind))
    into.lines.append(f"{type(node).__name__} {len(parts(node))} {said}")
    match node:
        case t.MeasureValue():
            into.measures[node.name] = None
        case t.Aggregate() | t.BaseRows():
            _add_flow(star, into, node.grain, node.state)
            for table, chain in node.lookups.items():
                _add_table(star, into, table)
                for link in chain:
                    _add_link(star, into, link, "looked up")
        case t.Single():
            _add_flow(star, into, node.table, node.state)
        case t.ColumnValue() | t.Asked() | t.Condition() | t.Listing():
            _add_table(star, into, node.table)
        case t.Cleared() | t.Restored():
            for table in node.columns:
                _add_table(star, into, table)
        case t.Moved():
            _add_table(star, into, node.calendar)
        case t.Switched() | t.Turned() | t.Matched():
            _add_link(star, into, node.link, "edited")
        case _:
            pass


def _add_flow(star: Proven, into: Basis, grain: str, state: LinkState) -> None:
    for flow in star.inflow(grain, state).walk():
        _add_step(star, into, flow)


def _add_step(star: Proven, into: Basis, flow: Inflow) -> None:
    _add_table(star, into, flow.table)
    if flow.link is not None:
        _add_link(star, into, flow.link, flow.how)
    into.lines.append(f"{flow.table} from {[f.table for f in flow.sources]}")


def _add_link(star: Proven, into: Basis, link: Link, how: str) -> None:
    if star.model.link(link.name) is not None:  # one of `match` is a formula's own
        into.links[link.name] = None
    for table in link.tables:
        _add_table(star, into, table)
    into.lines.append(f"{how} {link.from_table} {link.from_columns} {link.to_table} {link.to_columns}")


def _add_table(star: Proven, into: Basis, name: str) -> None:
    if name in into.tables:
        return
    into.tables[name] = None
    table = star.model.table(name)
    assert table
    columns = [(c.name, c.dtype) for c in table.columns]
    into.lines.append(f"table {name} {columns} {table.calendar} {star.has_unmatched(name)}")


@cache
def _plain(kind: Any) -> tuple[str, ...]:
    """The fields of a node that are none of its parts."""
    return tuple(f.name for f in fields(kind) if f.name not in ASIDE and not any(x in str(f.type) for x in ("Typed", "Rows", "Link")))


def _text(value: object) -> str:
    if isinstance(value, Function):
        return value.name
    if isinstance(value, tuple) and value and isinstance(value[0], Function):
        return str([f.name for f in value])
    if isinstance(value, t.LetDefinition):
        return value.name
    if isinstance(value, Mapping):
        return str({k: sorted(v) if isinstance(v, frozenset) else v for k, v in sorted(value.items())})
    if isinstance(value, tuple) and value and isinstance(value[0], t.LetDefinition):
        return str([d.name for d in value])
    return repr(value)
