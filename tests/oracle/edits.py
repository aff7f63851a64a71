"""The oracle's edits of a context."""

from __future__ import annotations

import calendar
import datetime as dt

from nexorem.core.language import syntax as s
from tests.oracle import scalars
from tests.oracle.common import UNMATCHED, Filter, Refusal
from tests.oracle.rows import Row

MONTHS = {"month": 1, "quarter": 3, "year": 12}
DAYS = {"day": 1, "week": 7}
ONE_DAY = dt.timedelta(days=1)


def plus_months(day, by):
    """The same day of another month, cut to its end; None outside the years 1 to 9999."""
    number = day.year * 12 + day.month - 1 + by
    year, month = divmod(number, 12)
    if not 1 <= year <= 9999:
        return None
    return dt.date(year, month + 1, min(day.day, calendar.monthrange(year, month + 1)[1]))


class Edits:
    """Part of the oracle; an edit is given an Env and gives a Context."""

    def edit(self, edit, env):
        context = env.context
        match edit:
            case s.SetWhere():
                return self.condition(edit.predicate, edit.keep, env)
            case s.SetIn():
                return self.listing(edit, env)
            case s.Clear():
                return self.cleared(context, self.targeted(edit, context))
            case s.Reset():
                return self.reset(context, self.targeted(edit, context))
            case s.Via():
                link = self.link(edit.link)
                tables = {link["from"][0], link["to"][0]}
                rivals = {k["name"] for k in self.links if {k["from"][0], k["to"][0]} == tables}
                active = (context.active - rivals) | {link["name"]}
                return type(context)(context.filters, active, context.turned, context.added, context.axes)
            case s.Flow():
                turned = {**context.turned, self.link(edit.link)["name"]: edit.table if edit.way == "to" else edit.way}
                return type(context)(context.filters, context.active, turned, context.added, context.axes)
            case s.MatchColumns() | s.MatchWhere():
                added = [*context.added, self.match(edit, env)]
                return type(context)(context.filters, context.active, context.turned, added, context.axes)
            case s.Shift() | s.Stretch():
                return self.moved(edit, env)
        raise Refusal(f"{edit}")

    def link(self, named):
        return next(k for k in self.links if k["name"] == named.name or (not named.name and self.is_link(k, named)))

    def is_link(self, link, named):
        left = [(c.table, c.column) for c in named.left]
        right = [(c.table, c.column) for c in named.right]
        ends = [[(link[side][0], c) for c in link[side][1]] for side in ("from", "to")]
        return [left, right] in (ends, ends[::-1])

    def match(self, edit, env):
        if isinstance(edit, s.MatchColumns):
            ends = [(side[0].table, [c.column for c in side]) for side in (edit.target, edit.source)]
            return {"name": f"match {edit.span}", "from": ends[0], "to": ends[1], "cardinality": "many-to-many", "firm": False}

        def holds(source, target):
            row = Both({edit.source: source, edit.target: target}, self)
            return self.eval(edit.predicate, env.at(row, env.context)) is True

        return {"name": f"match {edit.span}", "from": (edit.target, ()), "to": (edit.source, ()), "holds": holds}

    # set and keep

    def condition(self, predicate, keep, env):
        columns = self.columns_in(predicate)
        table = columns[0].table
        columns = tuple(dict.fromkeys(c.column for c in columns))

        def allows(number):
            row = Row(self, [], [], table, number, env.context)
            return self.eval(predicate, env.at(row, env.context)) is True

        allowed = [UNMATCHED] if allows(UNMATCHED) else []
        for row in range(len(self.tables[table])):
            if allows(row):
                allowed.append(tuple(self.value(table, row, c) for c in columns))
        return self.put(env.context, keep, Filter(table, columns, allowed))

    def put(self, context, keep, found):
        if not keep:
            own = self.columns[found.table]
            gone = own if found.columns is None or self.calendars.get(found.table, (None, 1))[0] in found.columns else found.columns
            context = self.cleared(context, {(found.table, c) for c in gone})
        return context.adding(found)

    def listing(self, edit, env):
        found = self.rows(edit.rows, env)
        table = edit.table or edit.columns[0].table
        if edit.table and found.identity == table:
            return self.put(env.context, edit.keep, Filter(table, None, [r.number for r in found.rows]))
        columns = tuple(self.columns[table]) if edit.table else tuple(c.column for c in edit.columns)
        if all((table, c) in found.columns for c in columns):
            places = [found.columns.index((table, c)) for c in columns]
        else:
            places = range(len(columns))
        allowed = []
        for row in found.rows:
            cells = [row.cells[p] for p in places]
            own = [found.columns[p] == (table, c) for p, c in zip(places, columns, strict=True)]
            if UNMATCHED not in cells:
                allowed.append(tuple(cells))
            elif all(own) and set(cells) == {UNMATCHED}:
                allowed.append(UNMATCHED)
        occurring = {tuple(self.value(table, r, c) for c in columns) for r in range(len(self.tables[table]))}
        return self.put(env.context, edit.keep, Filter(table, columns, [x for x in allowed if x == UNMATCHED or x in occurring]))

    # clear and reset

    def targeted(self, edit, context):
        return self.target(edit.target, context) - (self.target(edit.but, context) if edit.but else set())

    def target(self, target, context):
        tables = {
            "all": lambda: list(self.tables),
            "table": lambda: [target.table],
            "wide": lambda: list(self.chains(context, target.table)),
            "into": lambda: self.sources(context, target.table),
        }
        if target.kind == "columns":
            return {(c.table, c.column) for c in target.columns}
        return {(t, c) for t in tables[target.kind]() for c in self.columns[t]}

    def sources(self, context, table):
        found = [table]
        for at in found:
            found += [other for _, other in self.flows(context, at, None) if other not in found]
        return found

    def without(self, found, gone):
        """A filter that loses columns keeps the combinations of the rest; None where nothing is left of it."""
        had = found.columns if found.columns is not None else tuple(self.columns[found.table])
        rest = tuple(c for c in had if (found.table, c) not in gone)
        if rest == had:
            return found
        if not rest:
            return None
        if found.columns is None:
            kept = [x if x == UNMATCHED else tuple(self.value(found.table, x, c) for c in rest) for x in found.allowed]
        else:
            places = [had.index(c) for c in rest]
            kept = [x if x == UNMATCHED else tuple(x[i] for i in places) for x in found.allowed]
        return Filter(found.table, rest, kept)

    def cleared(self, context, gone):
        left = [self.without(f, gone) for f in context.filters]
        return context.filtered_by([f for f in left if f is not None])

    def reset(self, context, wanted):
        left = []
        for f in context.filters:
            kept = f if any(f is p for p in self.page) else self.without(f, wanted)
            if kept is not None:
                left.append(kept)
        for p in self.page:
            if any(f is p for f in left):
                continue
            others = {(p.table, c) for c in p.columns if (p.table, c) not in wanted}
            back = self.without(p, others)
            if back is not None:
                left.append(back)
        return context.filtered_by(left)

    # calendars

    def moved(self, edit, env):
        table = edit.calendar
        date, first_month = self.calendars[table]
        own = [f for f in env.context.filters if f.table == table]
        numbers = [r for r in range(len(self.tables[table])) if all(self.satisfies(f, r) for f in own)]
        days = {self.value(table, r, date) for r in numbers}
        known = {self.value(table, r, date) for r in range(len(self.tables[table]))}
        by = self.eval(edit.by, env) if edit.by is not None else 0
        if by is None or not days:
            wanted = set()
        elif isinstance(edit, s.Shift):
            wanted = self.shifted(days, by, edit.unit)
        else:
            wanted = self.stretched(edit, days, by, known, first_month)
        context = self.cleared(env.context, {(table, c) for c in self.columns[table]})
        return context.adding(Filter(table, (date,), [(d,) for d in wanted & known]))

    def shifted(self, days, by, unit):
        if unit in DAYS:
            return {scalars.dates("+", d, scalars.Interval("days", DAYS[unit] * by)) for d in days}
        wanted = set()
        for day in days:
            month = [day.replace(day=1) + i * ONE_DAY for i in range(calendar.monthrange(day.year, day.month)[1])]
            target = plus_months(day, MONTHS[unit] * by)
            if target is None:
                continue
            if set(month) <= days:
                end = calendar.monthrange(target.year, target.month)[1]
                wanted |= {target.replace(day=i + 1) for i in range(end)}
            else:
                wanted.add(target)
        return wanted

    def stretched(self, edit, days, by, known, first_month):
        last = max(days)
        if edit.kind == "start":
            return {
                d
                for d in known
                if d <= last
                and (edit.unit == "all" or self.unit_of(d, edit.unit, first_month) == self.unit_of(last, edit.unit, first_month))
            }
        if edit.kind == "whole":
            touched = {self.unit_of(d, edit.unit, first_month) for d in days}
            return {d for d in known if self.unit_of(d, edit.unit, first_month) in touched}
        after = last + ONE_DAY
        start = after - dt.timedelta(days=DAYS[edit.unit] * by) if edit.unit in DAYS else plus_months(after, -MONTHS[edit.unit] * by)
        return {d for d in known if (start is None or start <= d) and d <= last}

    def unit_of(self, day, unit, first_month):
        """What two days of the same unit have in common."""
        if unit == "day":
            return day
        if unit == "week":
            return day.isocalendar()[:2]
        return (day.year * 12 + day.month - first_month) // MONTHS[unit]


class Both:
    """A pair of rows that a `match` compares."""

    def __init__(self, numbers, oracle):
        self.numbers, self.oracle = numbers, oracle

    def value(self, table, column):
        return self.oracle.value(table, self.numbers[table], column)

    def has_name(self, _):
        return False
