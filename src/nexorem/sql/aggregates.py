"""Aggregate functions in SQL, over rows or over partial results."""

from __future__ import annotations

import sqlalchemy as sa

from nexorem.sql.dialects import Dialect, number
from nexorem.sql.elements import Joined
from nexorem.sql.scalars import Sql, Typed, as_bigint, as_double, double, integer, op, test, when, widen

BY_PARTS = ("rows", "count", "sum", "avg", "min", "max")


def least(d: Dialect, name: str, sql: Sql, dtype: str) -> Sql:
    """The smallest or the largest; texts by code point, false before true."""
    if dtype == "boolean":
        return sa.cast(getattr(sa.func, name)(sa.cast(sql, sa.Integer())), sa.Boolean())
    return getattr(sa.func, name)(d.by_code_point(sql) if dtype == "text" else sql, type_=sql.type)  # type: ignore[no-any-return]


def parts_of(d: Dialect, function: str, x: Typed | None) -> dict[str, Sql]:
    """What of some rows is enough to put several such together, by the name of the part."""
    if function == "rows" or x is None:
        return {"rows": sa.func.count()}
    if function == "count":
        return {"rows": sa.func.count(), "count": sa.func.count(x.sql)}
    if function == "sum":
        return {"sum": sa.func.sum(x.sql, type_=sa.Numeric() if x.dtype == "integer" else sa.Double())}
    if function == "avg":
        return {"sum": sa.func.sum(as_double(x), type_=sa.Double()), "count": sa.func.count(x.sql)}
    return {function: least(d, function, x.sql, x.dtype)}


def together(d: Dialect, name: str, part: Sql, dtype: str) -> Sql:
    """Partial results of one name, put together."""
    if name in ("min", "max"):
        return least(d, name, part, dtype)
    return sa.func.sum(part, type_=sa.Numeric() if name != "sum" or dtype == "integer" else sa.Double())


def value_of(function: str, parts: dict[str, Sql], dtype: str) -> Sql:
    """The aggregate from its parts; `dtype` is its own."""
    if function == "rows":
        return as_bigint(sa.func.nullif(parts["rows"], integer(0)))
    if function == "count":
        return when((test(parts["rows"], ">", integer(0)), as_bigint(parts["count"])))
    if function == "sum":
        return as_bigint(parts["sum"]) if dtype == "integer" else parts["sum"]
    if function == "avg":
        return op(parts["sum"], "/", sa.func.nullif(sa.cast(parts["count"], sa.Double()), double("0")), sa.Double())
    return parts[function]


def aggregated(d: Dialect, function: str, distinct: bool, x: Typed | None, extra: Sql | None, dtype: str) -> Sql:
    """The aggregate of the rows of a group, at once. `extra` is a percentile's share or a list's separator, the same in the group."""
    if distinct and x is not None:
        return as_bigint(sa.func.count(sa.distinct(x.sql)))
    if function in BY_PARTS:
        parts = parts_of(d, function, x)
        return widen(Typed(value_of(function, parts, dtype), dtype), dtype)
    assert x is not None
    if function == "stddev":
        return sa.func.stddev_samp(as_double(x), type_=sa.Double())
    if function == "listagg":
        assert extra is not None
        untyped = isinstance(extra.type, sa.BigInteger)  # NULL, which has no type of its own
        return listed(d, x.sql, sa.cast(sa.null(), sa.Text()) if untyped else extra)
    data = as_double(x)
    if function == "median":
        return sa.cast(sa.func.percentile_cont(sa.literal_column("0.5")).within_group(data), sa.Double())
    raise AssertionError(function)


def listed(d: Dialect, text: Sql, between: Sql) -> Sql:
    """Texts in order, with a separator between them, which may differ by group."""
    joined = Joined(op(between, "||", text, sa.Text()), d.by_code_point(text))
    start = op(sa.func.length(least(d, "min", between, "text")), "+", number(1))
    return sa.func.substr(joined, sa.cast(start, sa.Integer()), type_=sa.Text())


def percentile_of(x: Sql, share: Sql, place: Sql, count: Sql) -> Sql:
    """The percentile of a group: the value below the share, and so much of the way to the one above, in the very operations of the engine,
    so that it is the same to the last digit. `place` is a value's place among the group's from 1, `count` how many there are."""
    at = op(share, "*", op(sa.cast(count, sa.Double()), "-", double("1")))
    own = op(sa.cast(place, sa.Double()), "-", double("1"))
    asked = sa.and_(test(share, ">=", double("0")), test(share, "<=", double("1")))
    below, above, past = (
        sa.func.max(when((sa.and_(asked, condition), value)), type_=sa.Double())
        for condition, value in (
            (test(own, "=", sa.func.floor(at, type_=sa.Double())), x),
            (test(own, "=", sa.func.ceil(at, type_=sa.Double())), x),
            (x.is_not(None), op(at, "-", sa.func.floor(at, type_=sa.Double()))),
        )
    )
    return op(below, "+", op(past, "*", op(above, "-", below)))
