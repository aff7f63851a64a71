"""What each table is in the star: found from links and data, corrected by the author; and whether its grain and its hierarchies hold."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from nexorem.core.design.overlap import COMMON_WORDS, WORD
from nexorem.core.diagnostics import Refused
from nexorem.core.engine.candidates import candidate_keys
from nexorem.core.model.model import Column, Model, Table
from nexorem.core.model.names import columns_text
from nexorem.core.model.specs import Hierarchy
from nexorem.core.model.star import Star
from nexorem.core.results import Result
from nexorem.core.values import NUMERIC, Array, Json, combine, iso

MOST_EXAMPLES = 5
KEY_WORDS = COMMON_WORDS - {"name"}


def role(star: Star, table: Table) -> str:
    """The author's word, or what is found."""
    return table.role or apparent_role(star, table)


def apparent_role(star: Star, table: Table) -> str:
    """What a table is by its links and columns. A fact looks others up and nobody looks it up over an active link; a bridge is such a
    table with a two-way link and nothing but keys, or keys and a share; a dimension that looks up nothing but an outrigger is told from a
    fact by its own key and by having nothing to add up; an outrigger is looked up by dimensions alone."""
    model = star.model
    # The rows are the star's for all its edits; what they say of a key is asked of it.
    made_from = (table, model.links, model.tables, _named_tables(star))
    return star.part(("role", table.name), made_from, lambda: _apparent_role(star.sampled, table))


def _apparent_role(star: Star, table: Table) -> str:
    model = star.model
    if table.calendar:
        return "calendar"
    links = model.links_beside(table.name)
    if not links:
        return "disconnected"
    if looked_up_by(model, table.name):
        return "dimension" if _touches_fact(star, table.name) else "outrigger"
    looks_up = [k for k in links if k.from_table == table.name and k.cardinality != "many-to-many"]
    if not looks_up:
        return "dimension"
    own = [c for c in table.columns if c.name not in {x for k in looks_up for x in k.from_columns}]
    if len(looks_up) > 1 and any(k.flow == "two-way" for k in looks_up) and _only_a_share(star, table, own):
        return "bridge"
    return "dimension" if _is_snowflaked(star, table, {k.to_table for k in looks_up}) else "fact"


def _only_a_share(star: Star, table: Table, own: Sequence[Column]) -> bool:
    """Whether a table has no column but its keys, or one more that is no amount: a word, a date, or numbers from 0 to 1."""
    if len(own) > 1:
        return False
    amounts = [c for c in own if c.dtype in NUMERIC and not c.formula]
    return all(_within_one(star, table.name, c.name) for c in amounts)


def _within_one(star: Star, table: str, column: str) -> bool:
    def find() -> bool:
        column_rows = star.column(table, column).rows()
        values = column_rows.data[column_rows.valid]
        return bool(len(values) == 0 or (values.min() >= 0 and values.max() <= 1))

    return column in star.rows[table].columns and star.derive(("within one", table, column), find)


def _is_snowflaked(star: Star, table: Table, looks_up: set[str]) -> bool:
    """Whether a table that nobody looks up (yet) is a dimension all the same: over one-way links it looks up one other table, is told apart
    by one column of its own, has nothing to add up, and no measure names it."""
    links = [k for k in star.model.links_beside(table.name) if k.from_table == table.name]
    if len(looks_up) != 1 or any(x.calendar and x.name in looks_up for x in star.model.tables) or any(k.flow != "one-way" for k in links):
        return False
    if table.name in _named_tables(star):
        return False
    keys_of_others = {c for k in links for c in k.from_columns}
    own = [c for c in table.columns if c.name not in keys_of_others and not c.formula]
    amounts = [c for c in own if c.dtype in NUMERIC and not _called_a_key(c.name)]
    singles = {key[0] for key in candidate_keys(star, table.name) if len(key) == 1}
    return not amounts and any(c.name in singles and (c.dtype == "text" or _called_a_key(c.name)) for c in own)


def _named_tables(star: Star) -> frozenset[str]:
    """The tables that a measure names, or is listed with."""
    model = star.model

    def find() -> frozenset[str]:
        text = "\n".join(m.formula for m in model.measures).lower()
        named = {x.name for x in model.tables if _has_word(text, x.name.lower())}
        return frozenset(named | {m.home for m in model.measures})

    return star.part(("named tables",), (model.measures, model.tables), find)


def _has_word(text: str, word: str) -> bool:
    """Whether a word stands in a text by itself, and not in a longer one."""
    at = text.find(word)
    while at >= 0:
        beside = text[max(at - 1, 0) : at] + text[at + len(word) : at + len(word) + 1]
        if not any(c.isalnum() or c == "_" for c in beside):
            return True
        at = text.find(word, at + 1)
    return False


def _called_a_key(column: str) -> bool:
    """Whether a column's name says that it tells rows apart."""
    return bool({w.lower() for w in WORD.findall(column)} & KEY_WORDS)


def looked_up_by(model: Model, table: str) -> list[str]:
    """The tables whose rows look a table up over one active link."""
    return [k.from_table for k in model.links_beside(table) if k.to_table == table and k.active and k.cardinality != "many-to-many"]


def _touches_fact(star: Star, table: str) -> bool:
    """Whether a link joins a table to one that nobody looks up: what hangs on dimensions alone is an outrigger."""
    model = star.model
    others = {k.other(table) for k in model.links_beside(table) if k.from_table != k.to_table}
    tables = [table_of for x in others if (table_of := model.table(x)) and not looked_up_by(model, x)]
    return any(not _is_snowflaked(star, x, _looked_up_from(model, x.name)) for x in tables)


def _looked_up_from(model: Model, table: str) -> set[str]:
    """The tables that a table's rows look up, by links of any state."""
    return {k.to_table for k in model.links_beside(table) if k.from_table == table and k.cardinality != "many-to-many"}


@dataclass(frozen=True, slots=True)
class RepeatedKey(Result):
    """A key that several rows share."""

    key: tuple[Json, ...]
    rows: int


@dataclass(frozen=True, slots=True)
class GrainTest(Result):
    """Whether the rows of a table are told apart by some columns: `repeated` rows share their key with another, `empty` ones have an empty
    part; `examples` are keys that repeat."""

    columns: tuple[str, ...]
    rows: int
    repeated: int
    empty: int
    examples: tuple[RepeatedKey, ...]


@dataclass(frozen=True, slots=True)
class TwoParents(Result):
    """A member of a level that stands under several of the level above."""

    member: Json
    parents: tuple[Json, ...]


@dataclass(frozen=True, slots=True)
class HierarchyFault(Result):
    """What is wrong at a level of a hierarchy: it is no column, the next one cannot look it up, or `count` members have several parents."""

    level: str
    above: str
    sentence: str
    count: int = 0
    examples: tuple[TwoParents, ...] = ()


def grain_test(star: Star, table: str, columns: Sequence[str]) -> GrainTest:
    """Whether the rows of a table are told apart by some columns. An empty part is a value here like any other."""
    domain = star.domain(table, tuple(columns))
    counts = np.bincount(domain.codes[:-1], minlength=domain.size)
    again = np.flatnonzero(counts > 1)
    most = again[np.argsort(-counts[again], kind="stable")][:MOST_EXAMPLES]
    full = np.ones(star.size(table), bool)
    for column in columns:
        full &= star.column(table, column).rows().valid
    examples = (
        RepeatedKey(tuple(iso(star.column(table, c).at(int(domain.firsts[m]))) for c in columns), int(counts[m])) for m in most.tolist()
    )
    return GrainTest(tuple(columns), star.size(table), int(counts[again].sum()), int((~full).sum()), tuple(examples))


def hierarchy_faults(star: Star, hierarchy: Hierarchy) -> list[HierarchyFault]:
    """What is wrong with a hierarchy, level by level, the widest first."""
    try:
        levels = [star.model.find_column(x) for x in hierarchy.levels]
    except Refused as refused:
        return [HierarchyFault("", "", refused.diagnostics[0].message)]
    faults = list[HierarchyFault]()
    for above, level in pairwise(levels):
        texts = columns_text(above[0], (above[1],)), columns_text(level[0], (level[1],))
        codes = _beside(star, level[0], above)
        if codes is None:
            words = f"{level[0]} does not look {above[0]} up: no chain of firm active links leads there."
            faults.append(HierarchyFault(texts[1], texts[0], words))
            continue
        faults += _two_parents(star, above, level, codes, texts)
    return faults


def _beside(star: Star, table: str, above: tuple[str, str]) -> Array | None:
    """For each row of a table the member of a column that is its own or looked up; None where it cannot be."""
    chain = star.lookups(table, star.state).get(above[0])
    return None if chain is None else star.spread(above[0], (above[1],), chain)[:-1]


def _two_parents(
    star: Star, above: tuple[str, str], level: tuple[str, str], parents: Array, texts: tuple[str, str]
) -> list[HierarchyFault]:
    domain = star.domain(level[0], (level[1],))
    filled = star.column(*level).rows().valid
    rows = np.flatnonzero(filled)
    if len(rows) == 0:
        return []
    members = domain.codes[:-1][rows]
    _, firsts = combine([(members, domain.size), (parents[rows], star.domain(above[0], (above[1],)).size)])
    pairs = members[firsts]
    counts = np.bincount(pairs, minlength=domain.size)
    several = np.flatnonzero(counts > 1)
    if len(several) == 0:
        return []
    column, upper = star.column(*level), star.column(*above)
    up = star.domain(above[0], (above[1],))
    examples = []
    for m in several[:MOST_EXAMPLES].tolist():
        codes = parents[rows[firsts[pairs == m]]].tolist()
        names = ["(unmatched)" if c == up.size - 1 else iso(upper.at(int(up.firsts[c]))) for c in codes]
        examples.append(TwoParents(iso(column.at(int(domain.firsts[m]))), tuple(names)))
    who = f"{len(several):,} members of {texts[1]} stand" if len(several) > 1 else f"One member of {texts[1]} stands"
    text = f"{who} under several of {texts[0]}."
    return [HierarchyFault(texts[1], texts[0], text, len(several), tuple(examples))]
