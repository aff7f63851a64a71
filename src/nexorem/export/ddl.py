"""A model as SQL DDL: tables, keys and comments in standard SQL (ISO/IEC 9075-2), with COMMENT ON, which PostgreSQL takes."""

from __future__ import annotations

from nexorem.core.model.model import Column, Link, Table
from nexorem.core.model.star import Star
from nexorem.core.values import Vector
from nexorem.core.words import counted, verb

TYPES = {"text": "TEXT", "integer": "BIGINT", "number": "DOUBLE PRECISION", "boolean": "BOOLEAN", "date": "DATE", "datetime": "TIMESTAMP"}


def ddl(star: Star) -> str:
    """Statements that run in order: every table with the keys that its rows prove, then the links as foreign keys where every row keeps
    them, then comments. A link that the rows break stands as a comment that says why."""
    model = star.model
    lines = [f"-- {_one_line(model.title or model.name)}", ""]
    for table in model.tables:
        lines += [*_table(star, table), ""]
    for number, link in enumerate(model.links, 1):
        lines += [*_foreign_key(star, link, f"{number} {link.name}"), ""]
    lines += [line for table in model.tables for line in _comments(star, table)]
    if model.measures:
        lines += ["", "-- Measures are formulas over these tables:"]
        lines += [f"-- {_one_line(m.name)} = {_one_line(m.formula)}" for m in model.measures]
    return "\n".join(lines).rstrip() + "\n"


def identifier(name: str) -> str:
    """A name as a delimited identifier, in the case it has."""
    return '"' + name.replace('"', '""') + '"'


def literal(text: str) -> str:
    """A text as SQL writes it."""
    return "'" + text.replace("'", "''") + "'"


def _one_line(text: str) -> str:
    return " ".join(text.split())


def _listed(columns: tuple[str, ...]) -> str:
    return ", ".join(map(identifier, columns))


def _table(star: Star, table: Table) -> list[str]:
    parts = [
        f"    {identifier(c.name)} {TYPES[_type(star, table, c)]}{'' if _may_be_empty(star, table, c) else ' NOT NULL'}"
        for c in table.columns
    ]
    keys = one_sides(star, table)
    key = table.key if table.key and _is_key(star, table, table.key) else next(iter(keys), ())
    if key:
        parts.append(f"    PRIMARY KEY ({_listed(key)})")
    parts += [f"    UNIQUE ({_listed(k)})" for k in keys if k != key]
    return [f"CREATE TABLE {identifier(table.name)} (", ",\n".join(parts), ");"]


def _type(star: Star, table: Table, column: Column) -> str:
    dtype = "" if table.stays else star.column(table.name, column.name).dtype
    return dtype if dtype in TYPES else column.dtype if column.dtype in TYPES else "text"


def _rows(star: Star, table: Table, column: str) -> Vector:
    return star.column(table.name, column).rows()


def _may_be_empty(star: Star, table: Table, column: Column) -> bool:
    """Only what is part of a key is told to be filled: that others are today is no promise."""
    keys = [*one_sides(star, table), *([table.key] if table.key else [])]
    return not any(column.name in key for key in keys) or not bool(_rows(star, table, column.name).valid.all())


def _is_key(star: Star, table: Table, columns: tuple[str, ...]) -> bool:
    full = all(bool(_rows(star, table, c).valid.all()) for c in columns)
    return full and star.domain(table.name, columns).size - 1 == star.size(table.name)


def one_sides(star: Star, table: Table) -> list[tuple[str, ...]]:
    """The keys of a table that links point to, unique and never empty by its rows."""
    ends = dict.fromkeys(k.to_columns for k in star.model.links if k.to_table == table.name and k.cardinality != "many-to-many")
    return [key for key in ends if _is_key(star, table, key)]


def _foreign_key(star: Star, link: Link, called: str) -> list[str]:
    """A link as a constraint, or why it is none. Names are cut to what PostgreSQL keeps; the number keeps them apart."""
    state = f"{link.cardinality}, {link.flow}, {'active' if link.active else 'inactive'}{'' if link.name in star.firm else ', loose'}"
    words = f"-- {_one_line(link.name)}: {_one_line(link.ends_text)} ({state})"
    target = star.model.table(link.to_table)
    assert target
    facts = star.facts(link)
    if link.cardinality == "many-to-many":
        return [words, "-- no constraint: both sides are many"]
    if link.to_columns not in one_sides(star, target):
        return [words, f"-- no constraint: the key of {_one_line(link.to_table)} is not unique and filled"]
    if facts.orphans:
        rows = f"{counted(facts.orphans, 'row')} {verb(facts.orphans, 'names', 'name')} a key"
        return [words, f"-- no constraint: {rows} that {_one_line(link.to_table)} does not have"]
    name = identifier(called.encode()[:63].decode(errors="ignore"))
    return [
        words,
        f"ALTER TABLE {identifier(link.from_table)} ADD CONSTRAINT {name}",
        f"    FOREIGN KEY ({_listed(link.from_columns)}) REFERENCES {identifier(link.to_table)} ({_listed(link.to_columns)});",
    ]


def _comments(star: Star, table: Table) -> list[str]:
    said = [table.description, f"Grain: {table.grain}" if table.grain else "", f"Computed: {table.formula}" if table.formula else ""]
    words = " ".join(x for x in said if x)
    comments = [f"COMMENT ON TABLE {identifier(table.name)} IS {literal(words)};"] if words else []
    for column in table.columns:
        text = " ".join(x for x in (column.description, f"Computed: {column.formula}" if column.formula else "") if x)
        if text:
            comments.append(f"COMMENT ON COLUMN {identifier(table.name)}.{identifier(column.name)} IS {literal(text)};")
    return comments
