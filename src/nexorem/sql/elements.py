"""What the engines write differently, each as an element with an entry a dialect."""

from __future__ import annotations

from typing import Any

import sqlalchemy as sa
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql.functions import FunctionElement


class DayNumber(FunctionElement[int]):
    """Days since 1970 of a date."""

    type = sa.BigInteger()
    inherit_cache = True


class DayAt(FunctionElement[Any]):
    """The date of a number of days since 1970."""

    type = sa.Date()
    inherit_cache = True


class Trunc(FunctionElement[float]):
    """A double without its fraction."""

    type = sa.Double()
    inherit_cache = True


class RoundAway(FunctionElement[float]):
    """A double rounded, halves away from zero; exact for every double."""

    type = sa.Double()
    inherit_cache = True


class Joined(FunctionElement[str]):
    """Texts of a group, one behind the other, in order."""

    type = sa.Text()
    inherit_cache = True


class Trimmed(FunctionElement[str]):
    """A text without a character at its ends, or at one of them: `side`, text, character."""

    type = sa.Text()
    inherit_cache = False

    def __init__(self, side: str, *clauses: Any) -> None:
        self.side = side
        super().__init__(*clauses)


EPOCH = "DATE '1970-01-01'"


def _parts(element: Any, compiler: Any, more: Any) -> list[str]:
    return [str(compiler.process(x, **more)) for x in element.clauses]


@compiles(DayNumber)
def _day_number(element: Any, compiler: Any, **more: Any) -> str:
    return f"({_parts(element, compiler, more)[0]} - {EPOCH})"


@compiles(DayNumber, "spark")
def _day_number_spark(element: Any, compiler: Any, **more: Any) -> str:
    return f"unix_date({_parts(element, compiler, more)[0]})"


@compiles(DayAt)
def _day_at(element: Any, compiler: Any, **more: Any) -> str:
    return f"CAST({EPOCH} + CAST({_parts(element, compiler, more)[0]} AS INTEGER) AS DATE)"


@compiles(DayAt, "spark")
def _day_at_spark(element: Any, compiler: Any, **more: Any) -> str:
    return f"date_from_unix_date(CAST({_parts(element, compiler, more)[0]} AS INTEGER))"


@compiles(Trunc)
def _trunc(element: Any, compiler: Any, **more: Any) -> str:
    return f"trunc({_parts(element, compiler, more)[0]})"


@compiles(Trunc, "spark")
def _trunc_spark(element: Any, compiler: Any, **more: Any) -> str:
    x = _parts(element, compiler, more)[0]
    return f"({x} - ({x}) % 1)"


@compiles(RoundAway)
def _round_away(element: Any, compiler: Any, **more: Any) -> str:
    x = _parts(element, compiler, more)[0]
    return f"(trunc({x}) + CASE WHEN abs({x} - trunc({x})) >= 0.5 THEN CAST(sign({x}) AS DOUBLE PRECISION) ELSE 0 END)"


@compiles(RoundAway, "spark")
def _round_away_spark(element: Any, compiler: Any, **more: Any) -> str:
    return f"round({_parts(element, compiler, more)[0]})"


@compiles(Joined)
def _joined(element: Any, compiler: Any, **more: Any) -> str:
    text, order = _parts(element, compiler, more)
    return f"string_agg({text}, '' ORDER BY {order})"


@compiles(Joined, "spark")
def _joined_spark(element: Any, compiler: Any, **more: Any) -> str:
    text, order = _parts(element, compiler, more)
    return f"listagg({text}, '') WITHIN GROUP (ORDER BY {order})"


@compiles(Trimmed)
def _trimmed(element: Any, compiler: Any, **more: Any) -> str:
    text, characters = _parts(element, compiler, more)
    return f"trim({element.side} {characters} FROM {text})"
