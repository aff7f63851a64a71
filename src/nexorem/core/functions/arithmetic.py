"""Operators and functions of numbers, comparison and logic."""

from __future__ import annotations

import operator
from collections.abc import Callable, Sequence

import numpy as np

from nexorem.core.functions.convert import checked, round_away, to_integer, widen
from nexorem.core.functions.registry import (
    Function,
    ResultRule,
    always_number,
    common_type,
    comparable,
    numeric,
    register,
    takes,
)
from nexorem.core.values import INTERVALS, Array, Vector, faults, same_words

Binary = Callable[[Array, Array], Array]


def alike(*vectors: Vector) -> list[Vector]:
    """The vectors brought to their common type, texts to one dictionary."""
    kind = common_type([v.dtype for v in vectors])
    assert kind is not None
    widened = [widen(v, kind) for v in vectors]
    return same_words(widened) if kind == "text" else widened


def overflowing(exact: Array, near: Array, valid: Array) -> Array | None:
    """The faults of 64-bit results that differ from the same done in doubles by more than rounding can."""
    with np.errstate(over="ignore"):
        return faults("overflow", valid & (np.abs(near - exact.astype(np.float64)) > np.abs(near) * 1e-6 + 1.0))


def _small(data: Array) -> bool:
    """Whether whole numbers are so small that no product or sum of two of them leaves 64 bits."""
    return len(data) == 0 or (int(data.max()) < 2**31 and int(data.min()) > -(2**31))


def calculated(kind: str, op: Binary, a: Array, b: Array, valid: Array) -> Vector:
    """`op` over stored values of one kind, with overflow caught."""
    failed = None
    with np.errstate(all="ignore"):
        data = op(a, b)
        if kind not in ("number", "date", "datetime") and not (_small(a) and _small(b)):
            failed = overflowing(data, op(a.astype(np.float64), b.astype(np.float64)), valid)
    return checked(kind, data, valid).failing(failed)


def summed(op: Binary, sparse: bool) -> Callable[[Vector, Vector], Vector]:
    """+ and - of numbers. Where they are `sparse`, an empty side is 0 when the other side is not empty; else the whole is empty."""

    def kernel(x: Vector, y: Vector) -> Vector:
        a, b = alike(x, y)
        if not sparse:
            return calculated(a.dtype, op, a.data, b.data, a.valid & b.valid)
        left = np.where(a.valid, a.data, 0)
        right = np.where(b.valid, b.data, 0)
        return calculated(a.dtype, op, left, right, a.valid | b.valid)

    return kernel


def product(x: Vector, y: Vector) -> Vector:
    """`*`; also an interval times a whole number."""
    if x.dtype in INTERVALS or y.dtype in INTERVALS:
        kind = x.dtype if x.dtype in INTERVALS else y.dtype
        return calculated(kind, operator.mul, x.data, y.data, x.valid & y.valid)
    a, b = alike(x, y)
    return calculated(a.dtype, operator.mul, a.data, b.data, a.valid & b.valid)


def product_type(dtypes: Sequence[str]) -> str | None:
    """Numbers, or one interval and a whole number."""
    kinds = [d for d in dtypes if d in INTERVALS]
    if len(kinds) == 1 and set(dtypes) <= {kinds[0], "integer"}:
        return kinds[0]
    return numeric(dtypes)


def quotient(x: Vector, y: Vector) -> Vector:
    """`/`: always a number with its fraction; division by zero gives empty."""
    a, b = widen(x, "number"), widen(y, "number")
    with np.errstate(all="ignore"):
        return checked("number", a.data / b.data, a.valid & b.valid & (b.data != 0))


def remainder(x: Vector, y: Vector) -> Vector:
    """`%` and MOD: the sign of the dividend; by zero gives empty."""
    a, b = alike(x, y)
    valid = a.valid & b.valid & (b.data != 0)
    divisor = np.where(valid, b.data, 1)
    return checked(a.dtype, np.fmod(np.where(valid, a.data, 0), divisor), valid)


def negated(x: Vector) -> Vector:
    """Unary minus."""
    return Vector(x.dtype, -x.data, x.valid).failing(_no_opposite(x))


def _no_opposite(x: Vector) -> Array | None:
    """The faults of the smallest whole number, which 64 bits hold and its opposite they do not."""
    return None if x.data.dtype != np.int64 else faults("overflow", x.valid & (x.data == np.iinfo(np.int64).min))


def comparison(op: Binary) -> Callable[[Vector, Vector], Vector]:
    """A comparison; empty on either side gives empty, which is not true."""

    def kernel(x: Vector, y: Vector) -> Vector:
        a, b = alike(x, y)
        return Vector("boolean", op(a.data, b.data), a.valid & b.valid)

    return kernel


def distinct_from(x: Vector, y: Vector) -> Vector:
    """IS DISTINCT FROM: two empties are not distinct."""
    a, b = alike(x, y)
    differs = (a.valid != b.valid) | (a.valid & b.valid & (a.data != b.data))
    return Vector("boolean", differs, np.ones(len(a), bool))


def both(x: Vector, y: Vector) -> Vector:
    """AND of three-valued logic."""
    a, b = widen(x, "boolean"), widen(y, "boolean")
    false = (a.valid & ~a.data) | (b.valid & ~b.data)
    return Vector("boolean", a.true() & b.true(), false | (a.valid & b.valid))


def either(x: Vector, y: Vector) -> Vector:
    """OR of three-valued logic."""
    a, b = widen(x, "boolean"), widen(y, "boolean")
    true = a.true() | b.true()
    return Vector("boolean", true, true | (a.valid & b.valid))


def inverse(x: Vector) -> Vector:
    """NOT; of empty gives empty."""
    a = widen(x, "boolean")
    return Vector("boolean", ~a.data, a.valid)


def is_empty(x: Vector) -> Vector:
    """IS NULL."""
    return Vector("boolean", ~x.valid, np.ones(len(x), bool))


def rounded(x: Vector, digits: Vector | None = None) -> Vector:
    """ROUND: halves away from zero, at a place after (or, negative, before) the point."""
    if digits is None:
        return x if x.dtype == "integer" else checked("number", round_away(x.data), x.valid)
    valid = x.valid & digits.valid
    with np.errstate(all="ignore"):
        places = np.clip(digits.data, -30, 30).astype(np.float64)
        scale = 10.0 ** np.abs(places)
        data = x.data.astype(np.float64)
        scaled = np.where(places >= 0, data * scale, data / scale)
        back = round_away(scaled)
        result = np.where(places >= 0, back / scale, back * scale)
        # Beyond 2**53 a double has no fraction left to round, and scaling it up would only lose digits.
        result = np.where((places >= 0) & (np.abs(scaled) >= 2.0**53), data, result)
    if x.dtype == "integer":
        kept = to_integer(result, valid)
        return Vector("integer", np.where(digits.data >= 0, x.data, kept.data), valid & (kept.valid | (digits.data >= 0)))
    return checked("number", result, valid)


def to_whole(op: Callable[[Array], Array]) -> Callable[[Vector], Vector]:
    """FLOOR and CEIL: a whole number."""
    return lambda x: x if x.dtype == "integer" else to_integer(op(x.data), x.valid)


def of_number(op: Callable[[Array], Array]) -> Callable[[Vector], Vector]:
    """A function of one number; outside its domain it gives empty."""

    def kernel(x: Vector) -> Vector:
        with np.errstate(all="ignore"):
            return checked("number", op(widen(x, "number").data), x.valid)

    return kernel


def power(x: Vector, y: Vector) -> Vector:
    """POWER; outside its domain it gives empty."""
    a, b = widen(x, "number"), widen(y, "number")
    with np.errstate(all="ignore"):
        return checked("number", np.power(a.data, b.data), a.valid & b.valid)


def extreme(op: Binary) -> Callable[..., Vector]:
    """LEAST and GREATEST: one empty makes the result empty."""

    def kernel(*vectors: Vector) -> Vector:
        items = alike(*vectors)
        data = items[0].data
        for item in items[1:]:
            data = op(data, item.data)
        valid = np.logical_and.reduce([v.valid for v in items])
        return Vector(items[0].dtype, data, valid, items[0].words)

    return kernel


def first_of(*vectors: Vector) -> Vector:
    """COALESCE: the first that is not empty."""
    items = alike(*vectors)
    data, valid = items[0].data, items[0].valid
    for item in items[1:]:
        data, valid = np.where(valid, data, item.data), valid | item.valid
    return Vector(items[0].dtype, data, valid, items[0].words)


def null_if(x: Vector, y: Vector) -> Vector:
    """NULLIF: empty where both are equal, else the first."""
    a, b = alike(x, y)
    equal = a.valid & b.valid & (a.data == b.data)
    return Vector(x.dtype, x.data, x.valid & ~equal, x.words)


def choose(condition: Vector, then: Vector, otherwise: Vector) -> Vector:
    """One branch of a CASE."""
    a, b = alike(then, otherwise)
    true = widen(condition, "boolean").true()
    return Vector(a.dtype, np.where(true, a.data, b.data), np.where(true, a.valid, b.valid), a.words)


def any_common(dtypes: Sequence[str]) -> str | None:
    """The arguments' common type."""
    return common_type(dtypes)


def first_type(dtypes: Sequence[str]) -> str | None:
    """The first argument's type, when both compare."""
    return dtypes[0] if common_type(dtypes) else None


def logic(dtypes: Sequence[str]) -> str | None:
    """boolean of booleans."""
    return "boolean" if common_type([*dtypes, "boolean"]) == "boolean" else None


def absolute(x: Vector) -> Vector:
    """ABS."""
    return Vector(x.dtype, np.abs(x.data), x.valid).failing(_no_opposite(x))


def _operator(name: str, arity: int, result: ResultRule, kernel: Callable[..., Vector], help_: str) -> None:
    signature = f"{name} x" if arity == 1 else f"x {name} y"
    register(Function(name, arity, arity, result, kernel, signature, help_, operator=True))


_operator("*", 2, product_type, product, "Multiplies; with an empty side it is empty.")
_operator("/", 2, always_number, quotient, "Divides; always with the fraction; by zero it is empty.")
_operator("%", 2, numeric, remainder, "Remainder with the sign of the dividend; by zero it is empty.")
_operator("negate", 1, numeric, negated, "Changes the sign.")
_operator("AND", 2, logic, both, "True when both are.")
_operator("OR", 2, logic, either, "True when one of them is.")
_operator("NOT", 1, logic, inverse, "True when it is false; of empty it is empty.")
_operator("IS NULL", 1, lambda d: "boolean", is_empty, "True when it is empty.")
_operator("IS DISTINCT FROM", 2, comparable, distinct_from, "Unequal, where two empties count as equal.")
_operator("CASE", 3, lambda d: common_type(d[1:]) if logic(d[:1]) else None, choose, "One branch of a CASE.")
for _name, _op in (
    ("=", operator.eq),
    ("<>", operator.ne),
    ("<", operator.lt),
    ("<=", operator.le),
    (">", operator.gt),
    (">=", operator.ge),
):
    _operator(_name, 2, comparable, comparison(_op), "Compares; with an empty side it is not true.")


def _function(
    name: str,
    arity: tuple[int, int],
    result: ResultRule,
    kernel: Callable[..., Vector],
    signature: str,
    help_: str,
    example: str,
) -> None:
    register(Function(name, *arity, result, kernel, signature, help_, example))


_function("ABS", (1, 1), numeric, absolute, "ABS(x)", "The number without its sign.", "ABS(-3)")
_function(
    "ROUND",
    (1, 2),
    lambda d: numeric(d[:1]) if takes("x", "integer")(d[1:]) or len(d) == 1 else None,
    rounded,
    "ROUND(x [, places])",
    "Rounded, halves away from zero.",
    "ROUND(2.5)",
)
_function("FLOOR", (1, 1), takes("integer", "integer|number"), to_whole(np.floor), "FLOOR(x)", "The next whole number below.", "FLOOR(2.7)")
_function("CEIL", (1, 1), takes("integer", "integer|number"), to_whole(np.ceil), "CEIL(x)", "The next whole number above.", "CEIL(2.1)")
_function("POWER", (2, 2), always_number, power, "POWER(x, y)", "x to the power of y; empty where there is none.", "POWER(2, 10)")
_function("SQRT", (1, 1), always_number, of_number(np.sqrt), "SQRT(x)", "Square root; empty below zero.", "SQRT(9)")
_function("LN", (1, 1), always_number, of_number(np.log), "LN(x)", "Natural logarithm; empty at zero and below.", "LN(1)")
_function("EXP", (1, 1), always_number, of_number(np.exp), "EXP(x)", "e to the power of x.", "EXP(1)")
_function("MOD", (2, 2), numeric, remainder, "MOD(x, y)", "Remainder with the sign of x; empty when y is 0.", "MOD(7, 3)")
_function("LEAST", (1, 99), any_common, extreme(np.minimum), "LEAST(x, y, …)", "The smallest; empty when one is empty.", "LEAST(3, 1, 2)")
_function(
    "GREATEST", (1, 99), any_common, extreme(np.maximum), "GREATEST(x, y, …)", "The largest; empty when one is empty.", "GREATEST(3, 1, 2)"
)
_function("COALESCE", (1, 99), any_common, first_of, "COALESCE(x, y, …)", "The first that is not empty.", "COALESCE(NULL, 4)")
_function("NULLIF", (2, 2), first_type, null_if, "NULLIF(x, y)", "Empty when x equals y, else x.", "NULLIF(0, 0)")
