"""Scalar functions and operators, written for each dialect. A function without an entry is refused by name; nothing is translated from one
dialect to another."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

import sqlalchemy as sa

from nexorem.core.diagnostics import refuse
from nexorem.core.functions.library import FUNCTIONS, IN_ROW
from nexorem.core.functions.registry import Function, common_type
from nexorem.core.values import INTERVALS, NUMERIC
from nexorem.sql.dialects import TYPES, Dialect
from nexorem.sql.elements import RoundAway, Trunc

Sql = sa.ColumnElement[Any]


class Typed(NamedTuple):
    """An expression and its dtype."""

    sql: Sql
    dtype: str


Builder = Callable[[Dialect, Sequence[Typed]], Sql]
BUILDERS: dict[str, Builder] = {}


def applied(dialect: Dialect, function: Function, arguments: Sequence[Typed], dtype: str) -> Sql:
    """A function of the registry over expressions; what comes out has the dtype."""
    builder = BUILDERS.get(f"{function.name} in a row" if IN_ROW.get(function.name) is function else function.name)
    if builder is None:
        raise refuse("no_sql", f"{function.signature} cannot be written for {dialect.title}.", hint="Say it with other functions.")
    result = builder(dialect, typed_nulls(arguments))
    return widen(Typed(result, _result(function, arguments)), dtype)


def _result(function: Function, arguments: Sequence[Typed]) -> str:
    return function.result([a.dtype for a in arguments]) or "null"


def typed_nulls(arguments: Sequence[Typed]) -> list[Typed]:
    """Empty literals take the type of another argument."""
    dtype = next((a.dtype for a in arguments if a.dtype != "null"), None)
    return [Typed(empty(dtype), dtype) if a.dtype == "null" and dtype else a for a in arguments]


def widen(x: Typed, dtype: str) -> Sql:
    """Null to anything, integer to number, date to datetime at midnight; the same type stays."""
    if x.dtype == dtype or dtype == "null":
        return x.sql
    return empty(dtype) if x.dtype == "null" else sa.cast(x.sql, TYPES[dtype])


def alike(arguments: Sequence[Typed]) -> list[Typed]:
    """Arguments brought to their common type."""
    kind = common_type([a.dtype for a in arguments])
    assert kind is not None
    return [Typed(widen(a, kind), kind) for a in arguments]


def empty(dtype: str) -> Sql:
    """NULL, of a type."""
    return sa.cast(sa.null(), TYPES[dtype])


def op(a: Sql, sign: str, b: Sql, kind: Any = None) -> Sql:
    """A binary operator, as it is written."""
    return a.op(sign, precedence=6, return_type=kind if kind is not None else a.type)(b)


def test(a: Sql, sign: str, b: Sql) -> Sql:
    """A comparison, as it is written."""
    return a.op(sign, is_comparison=True, return_type=sa.Boolean())(b)


def when(*branches: tuple[Any, Any], otherwise: Any = None) -> Sql:
    """CASE."""
    return sa.case(*branches, else_=otherwise) if otherwise is not None else sa.case(*branches)


def integer(value: int) -> Sql:
    """A whole number of 64 bits that a function needs."""
    return sa.literal_column(str(value), sa.BigInteger())


def double(text: str) -> Sql:
    """A double that a function needs."""
    return sa.cast(sa.literal_column(text), sa.Double())


def as_double(x: Typed) -> Sql:
    """A number as a double."""
    return widen(x, "number")


def as_bigint(sql: Sql) -> Sql:
    """A whole number as one of 64 bits."""
    return sa.cast(sql, sa.BigInteger())


def chain(arguments: Sequence[Typed], signs: Sequence[str]) -> Sql:
    """Sums and differences of cells from left to right: an empty side is 0 where another is not empty."""
    items = alike(arguments)
    none = sa.and_(*(a.sql.is_(None) for a in items))
    total: Sql = sa.func.coalesce(items[0].sql, integer(0), type_=items[0].sql.type)
    for sign, item in zip(signs, items[1:], strict=True):
        total = op(total, sign, sa.func.coalesce(item.sql, integer(0), type_=item.sql.type))
    return when((sa.not_(none), total))


def _product(d: Dialect, arguments: Sequence[Typed]) -> Sql:
    x, y = arguments
    if x.dtype in INTERVALS or y.dtype in INTERVALS:
        return op(x.sql, "*", y.sql)
    a, b = alike(arguments)
    return finite(d, op(a.sql, "*", b.sql), a.dtype)


def _quotient(d: Dialect, arguments: Sequence[Typed]) -> Sql:
    a, b = (as_double(x) for x in arguments)
    return op(a, "/", sa.func.nullif(b, double("0"), type_=sa.Double()), sa.Double())


def finite(d: Dialect, sql: Sql, dtype: str) -> Sql:
    """A double; empty where it is beyond all doubles, where the engine says so instead of failing."""
    if dtype != "number" or d.name == "postgresql":
        return sql
    return sa.func.nullif(sa.func.nullif(sql, double("'Infinity'")), double("'-Infinity'"), type_=sa.Double())


def _remainder(d: Dialect, arguments: Sequence[Typed]) -> Sql:
    a, b = alike(arguments)
    divisor = sa.func.nullif(b.sql, integer(0), type_=b.sql.type)
    if a.dtype == "integer":
        # The one quotient that 64 bits do not hold has no remainder.
        return when((test(b.sql, "=", integer(-1)), integer(0) + a.sql - a.sql), otherwise=sa.func.mod(a.sql, divisor, type_=a.sql.type))
    if d.name == "postgresql":
        exact = sa.func.mod(sa.cast(a.sql, sa.Numeric()), sa.cast(divisor, sa.Numeric()))
        return sa.cast(exact, sa.Double())
    return op(a.sql, "%", divisor, sa.Double())


def _comparison(sign: str) -> Builder:
    def builder(d: Dialect, arguments: Sequence[Typed]) -> Sql:
        a, b = alike(arguments)
        left = d.by_code_point(a.sql) if a.dtype == "text" and sign not in ("=", "<>") else a.sql
        return test(left, sign, b.sql)

    return builder


def _distinct(d: Dialect, arguments: Sequence[Typed]) -> Sql:
    a, b = alike(arguments)
    return a.sql.is_distinct_from(b.sql)


def round_away(x: Sql) -> Sql:
    """Rounded, halves away from zero."""
    return RoundAway(x)


def to_integer(x: Sql) -> Sql:
    """A whole double as an integer; empty where 64 bits do not hold it."""
    return when((test(sa.func.abs(x), "<", double("9223372036854775808")), as_bigint(x)))


def _rounded(d: Dialect, arguments: Sequence[Typed]) -> Sql:
    x = arguments[0]
    if len(arguments) == 1:
        return x.sql if x.dtype == "integer" else round_away(x.sql)
    places = arguments[1].sql
    data = as_double(x)
    bounded: Sql = sa.cast(sa.func.least(sa.func.abs(places), integer(30)), sa.Double())
    scale: Sql = sa.func.power(double("10"), bounded, type_=sa.Double())
    up, down = op(data, "*", scale), op(data, "/", scale)
    after = op(round_away(up), "/", scale)
    before = op(round_away(down), "*", scale)
    positive = test(places, ">=", integer(0))
    if x.dtype == "integer":
        return when((places.is_(None), empty("integer")), (positive, x.sql), otherwise=to_integer(before))
    large = test(sa.func.abs(up), ">=", double("9007199254740992"))
    return when((sa.and_(positive, large), data), (positive, after), (test(places, "<", integer(0)), before))


def _whole(name: str) -> Builder:
    def builder(d: Dialect, arguments: Sequence[Typed]) -> Sql:
        x = arguments[0]
        inside = test(sa.func.abs(x.sql), "<", double("9223372036854775808"))
        return x.sql if x.dtype == "integer" else when((inside, as_bigint(getattr(sa.func, name)(x.sql))))

    return builder


def _power(d: Dialect, arguments: Sequence[Typed]) -> Sql:
    x, y = (as_double(a) for a in arguments)
    size = op(y, "*", sa.func.ln(sa.func.abs(sa.func.nullif(x, double("0"))), type_=sa.Double()))
    none = sa.or_(
        sa.and_(test(x, "=", double("0")), test(y, "<", double("0"))),
        sa.and_(test(x, "<", double("0")), test(y, "<>", Trunc(y))),
        test(size, ">", double("709.78")),
    )
    raised: Sql = sa.func.power(x, y, type_=sa.Double())
    return when((none, empty("number")), (test(size, "<", double("-708")), double("0")), otherwise=raised)


def _exp(d: Dialect, arguments: Sequence[Typed]) -> Sql:
    x = as_double(arguments[0])
    small = test(x, "<", double("-708"))
    return when((small, double("0")), (test(x, "<", double("709.78")), sa.func.exp(x, type_=sa.Double())))


def _of_positive(name: str, sign: str) -> Builder:
    def builder(d: Dialect, arguments: Sequence[Typed]) -> Sql:
        x = as_double(arguments[0])
        return when((test(x, sign, double("0")), getattr(sa.func, name)(x, type_=sa.Double())))

    return builder


def _extreme(name: str) -> Builder:
    def builder(d: Dialect, arguments: Sequence[Typed]) -> Sql:
        items = [d.by_code_point(a.sql) if a.dtype == "text" else a.sql for a in alike(arguments)]
        full = sa.and_(*(a.sql.is_not(None) for a in arguments))
        return when((full, getattr(sa.func, name)(*items, type_=items[0].type)))

    return builder


def _coalesce(d: Dialect, arguments: Sequence[Typed]) -> Sql:
    items = [a.sql for a in alike(arguments)]
    return sa.func.coalesce(*items, type_=items[0].type) if len(items) > 1 else items[0]


def _null_if(d: Dialect, arguments: Sequence[Typed]) -> Sql:
    x = arguments[0]
    a, b = alike(arguments)
    if a.dtype == x.dtype:
        return sa.func.nullif(a.sql, b.sql, type_=a.sql.type)
    return when((a.sql.is_distinct_from(b.sql), x.sql))


def truth(x: Typed) -> Sql:
    """A condition."""
    return widen(x, "boolean")


BUILDERS |= {
    "*": _product,
    "/": _quotient,
    "%": _remainder,
    "MOD": _remainder,
    "negate": lambda d, a: op(integer(0), "-", a[0].sql, a[0].sql.type) if a[0].dtype == "integer" else -a[0].sql,
    "AND": lambda d, a: sa.and_(*map(truth, a)),
    "OR": lambda d, a: sa.or_(*map(truth, a)),
    "NOT": lambda d, a: sa.not_(truth(a[0])),
    "IS NULL": lambda d, a: a[0].sql.is_(None),
    "IS DISTINCT FROM": _distinct,
    **{sign: _comparison(sign) for sign in ("=", "<>", "<", "<=", ">", ">=")},
    "ABS": lambda d, a: sa.func.abs(a[0].sql, type_=a[0].sql.type),
    "ROUND": _rounded,
    "FLOOR": _whole("floor"),
    "CEIL": _whole("ceil"),
    "POWER": _power,
    "SQRT": _of_positive("sqrt", ">="),
    "LN": _of_positive("ln", ">"),
    "EXP": _exp,
    "LEAST": _extreme("least"),
    "GREATEST": _extreme("greatest"),
    "COALESCE": _coalesce,
    "NULLIF": _null_if,
}


def cases(branches: Sequence[tuple[Typed, Typed]], otherwise: Typed, dtype: str) -> Sql:
    """CASE, brought to a type."""
    pairs = [(truth(condition), widen(then, dtype)) for condition, then in branches]
    return when(*pairs, otherwise=widen(otherwise, dtype))


def member(d: Dialect, operand: Typed, items: Sequence[Typed]) -> Sql:
    """IN."""
    first, *others = alike([operand, *items])
    return sa.or_(*(test(first.sql, "=", item.sql) for item in others))


def fold(d: Dialect, functions: Sequence[Function], arguments: Sequence[Typed], dtype: str) -> Sql:
    """Operators of one precedence from left to right. Sums of cells are written as one; a long chain costs no depth."""
    sums = all(f.name in ("+", "-") and f is FUNCTIONS[f.name] for f in functions)
    if sums and all(a.dtype in (*NUMERIC, "null") for a in arguments) and any(a.dtype != "null" for a in arguments):
        total = chain(typed_nulls(arguments), [f.name for f in functions])
        return widen(Typed(total, common_type([a.dtype for a in arguments]) or "null"), dtype)
    for name, join in (("AND", sa.and_), ("OR", sa.or_)):
        if all(f.name == name for f in functions):
            return join(*map(truth, arguments))
    result = arguments[0]
    for function, argument in zip(functions, arguments[1:], strict=True):
        kind = _result(function, [result, argument])
        result = Typed(applied(d, function, [result, argument], kind), kind)
    return widen(result, dtype)
