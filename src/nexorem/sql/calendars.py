"""`shift` and `stretch`: a calendar's dates in context, read and moved."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import sqlalchemy as sa

from nexorem.core.language import typed as t
from nexorem.core.model.paths import Inflow
from nexorem.sql.build import Build, Source
from nexorem.sql.contexts import Classes, Ctx, Env, Filter, Members, Value, in_order
from nexorem.sql.dates import FIRST_MONTH, LAST_MONTH, LENGTHS, add_months, between, day_at, day_number, month_number, unit_end, unit_start
from nexorem.sql.dialects import number
from nexorem.sql.reach import reaches, visible
from nexorem.sql.scalars import Sql, as_bigint, integer, op, test
from nexorem.sql.tree import VALUE, Pair, Relation, Slot, labelled, pair_of, same

DAYS = {"day": 1, "week": 7}
NEAR = 1_200  # months, days and so on that lead no calendar beyond what a database has
FARTHEST = 120_000  # months or days in either direction: more than a calendar reaches


@dataclass(frozen=True, slots=True, eq=False)
class Dates:
    """Days in context: a relation of `deps` and a day, and how far they move, by `classes` of its own members."""

    build: Build
    relation: Relation
    deps: tuple[Slot, ...]
    day: Slot
    by: Value | None
    classes: Classes

    @property
    def all_deps(self) -> tuple[Slot, ...]:
        """The members on which what comes out depends."""
        return in_order(frozenset(self.deps) | (self.by.deps if self.by else frozenset()))


def moved(build: Build, edit: t.Moved, ctx: Ctx, by: Value | None) -> Filter:
    """The filter on the date column that an edit puts in place of all filters on the calendar."""
    own = tuple(f for f in ctx.filters if f.table == edit.calendar)
    found = reaches(build, ctx, Inflow(edit.calendar, None, "", ()), own)
    day = build.slot_of(edit.calendar, edit.date)
    relation, deps = visible(build, f"{edit.calendar}_days", edit.calendar, found, [(((), edit.date), day)], False)
    needed = frozenset(deps) | (by.deps if by else frozenset())
    dates = Dates(build, relation, in_order(deps), day, by, ctx.base.classes(needed if by and by.deps else frozenset()))
    target = build.slot_of(edit.calendar, edit.date)
    slots = dates.all_deps

    def write() -> sa.SelectBase:
        return _written(dates, edit, target)

    result = build.add(f"{edit.calendar}_{edit.kind}", (*slots, target), write, edit.text)
    return Filter(edit.calendar, (edit.date,), Members(result, frozenset(slots), (target,)))


class _From:
    """A FROM of the days in context, and of how far they move."""

    def __init__(self, dates: Dates, relation: sa.FromClause) -> None:
        by = dates.by
        self.steps: Sql | None = None
        self.pairs = {s: pair_of(relation, s) for s in dates.deps}
        self.where: list[Sql] = []
        if by is None or not by.deps:
            self.joined: sa.FromClause = relation
            if by is not None:
                env = Env(dates.build, Classes(None), ())
                value = by.sql(env)
                if by.reads:
                    self.joined = relation.join(env.source.joined, sa.true())
                self.steps = value
        else:
            slots = dates.all_deps
            env = Env(dates.build, dates.classes, slots)
            self.steps = by.sql(env)
            env.source.inner(relation, sa.and_(sa.true(), *(same(env.pairs[s], pair_of(relation, s)) for s in dates.deps)))
            self.joined, self.pairs = env.source.joined, {s: env.pairs[s] for s in slots}
        self.known = by.known if by is not None and by.known is not None and abs(by.known) < NEAR else None
        if self.known is not None:
            self.steps = integer(self.known)
        elif self.steps is not None:
            self.where.append(self.steps.is_not(None))
            self.steps = as_bigint(sa.func.greatest(sa.func.least(self.steps, integer(FARTHEST)), integer(-FARTHEST)))

    def labelled(self, slots: tuple[Slot, ...]) -> list[Sql]:
        """Members of contexts as columns."""
        return [c for s in slots for c in labelled(s, self.pairs[s])]


def _written(dates: Dates, edit: t.Moved, target: Slot) -> sa.SelectBase:
    """The dates that the calendar has of those that come out."""
    build, slots = dates.build, dates.all_deps
    table = build.model.table(edit.calendar)
    assert table and table.calendar
    first = table.calendar.year_starts_in - 1
    _, calendar = Source.of_table(build, edit.calendar)
    date = calendar.c[build.column(edit.calendar, edit.date)]

    def taken(joined: sa.FromClause, pairs: list[Any], where: list[Sql], on: Sql) -> sa.Select[Any]:
        columns = [*pairs, *labelled(target, Pair(number(VALUE), date))]
        return sa.select(*columns).select_from(joined.join(calendar, on)).where(*where).distinct()

    if edit.kind == "shift":
        return _shifted(dates, edit.unit, date, taken)
    day = dates.relation.table
    if edit.kind == "whole":
        at = _From(dates, day)
        start = unit_start(build.dialect, edit.unit, day.c[dates.day.name], first)
        on = sa.and_(test(date, ">=", start), test(date, "<=", unit_end(build.dialect, edit.unit, start)))
        return taken(at.joined, at.labelled(slots), at.where, on)
    last, name = _last(dates)
    at = _From(dates, last)
    end = last.c[name]
    on = test(date, "<=", end)
    if edit.kind == "back":
        assert at.steps is not None
        on = sa.and_(test(_back(build, at, end, edit.unit), "<=", day_number(date)), on)
    elif edit.unit != "all":
        on = sa.and_(test(date, ">=", unit_start(build.dialect, edit.unit, end, first)), on)
    return taken(at.joined, at.labelled(slots), at.where, on)


def _last(dates: Dates) -> tuple[sa.FromClause, str]:
    """The last day in each context, and the name of its column."""
    days = dates.relation.table
    pairs = [c for s in dates.deps for c in labelled(s, pair_of(days, s))]
    by = [c for s in dates.deps for c in (days.c[s.kind], days.c[s.name])]
    name = dates.build.names.new("last_day")
    last = sa.select(*pairs, sa.func.max(days.c[dates.day.name], type_=sa.Date()).label(name))
    return (last.group_by(*by) if by else last.having(sa.func.count() > 0)).subquery(dates.build.names.new("last")), name


def _back(build: Build, at: _From, last: Sql, unit: str) -> Sql:
    """The first day, as a number, of the N units that end on a day."""
    assert at.steps is not None
    after = op(day_number(last), "+", integer(1))
    if unit in DAYS:
        return op(after, "-", op(integer(DAYS[unit]), "*", at.steps))
    return _moved(build, at, day_at(after), unit, -1)


def _moved(build: Build, at: _From, day: Sql, unit: str, sign: int = 1) -> Sql:
    """The same day of another month, as its number: how far is known, or it may be anywhere."""
    if at.known is not None:
        return day_number(sa.cast(add_months(build.dialect, day, integer(sign * LENGTHS[unit] * at.known)), sa.Date()))
    assert at.steps is not None
    return _month_day(build, day, op(integer(sign * LENGTHS[unit]), "*", at.steps))


def _month_day(build: Build, day: Sql, months: Sql) -> Sql:
    """The number of the same day of another month; far away where no calendar is."""
    there = between(op(month_number(day), "+", months), FIRST_MONTH, LAST_MONTH)
    moved_day = day_number(sa.cast(add_months(build.dialect, day, months), sa.Date()))
    far = sa.case((test(months, "<", integer(0)), integer(-10_000_000)), else_=integer(10_000_000))
    return sa.case((there, moved_day), else_=far)


def _shifted(dates: Dates, unit: str, date: Sql, taken: Any) -> sa.SelectBase:
    """Every day by itself; a month of which every day is there moves as a whole month."""
    build, slots = dates.build, dates.all_deps
    if unit in DAYS:
        days = dates.relation.table
        at = _From(dates, days)
        assert at.steps is not None
        to = op(day_number(days.c[dates.day.name]), "+", op(integer(DAYS[unit]), "*", at.steps))
        return taken(at.joined, at.labelled(slots), at.where, test(day_number(date), "=", to))  # type: ignore[no-any-return]
    days = dates.relation.table
    day = days.c[dates.day.name]
    pairs = [c for s in dates.deps for c in labelled(s, pair_of(days, s))]
    month = unit_start(build.dialect, "month", day)
    by = [c for s in dates.deps for c in (days.c[s.kind], days.c[s.name])]
    there = sa.func.count().over(partition_by=[*by, month])
    names = [build.names.new(x) for x in ("moved_day", "moved_month", "days_there")]
    labels = (x.label(n) for x, n in zip((day, month, there), names, strict=True))
    marked = sa.select(*pairs, *labels).subquery(build.names.new("months"))
    its_day, its_month, its_days = (marked.c[n] for n in names)
    length = sa.extract("day", unit_end(build.dialect, "month", its_month))
    parts = []
    for whole in (True, False):
        at = _From(dates, marked)
        assert at.steps is not None
        is_whole = test(its_days, "=", length)
        if whole:
            to = _moved(build, at, its_month, unit)
            on = test(day_number(unit_start(build.dialect, "month", date)), "=", to)
        else:
            on = test(day_number(date), "=", _moved(build, at, its_day, unit))
        parts.append(taken(at.joined, at.labelled(slots), [*at.where, is_whole if whole else sa.not_(is_whole)], on))
    return sa.union(*parts)
