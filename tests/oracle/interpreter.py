"""The oracle: a slow, obvious, row-by-row reading of the language's meaning. Shares the parser with the engine and
nothing else. Tables are lists of dicts; a context is a list of filters and the set of active links."""

from __future__ import annotations

import functools
import math
from collections import deque

from nexorem.core.language import syntax as s
from nexorem.core.language.parser import parse
from tests.oracle import scalars
from tests.oracle.common import UNMATCHED, Refusal
from tests.oracle.edits import Edits
from tests.oracle.rows import Tables
from tests.oracle.scalars import Interval


class Context:
    """Filters, the links that are active, how some are turned (name → two-way, off or a table), the one-way links that
    `match` added, and the columns on which the cell has a coordinate."""

    def __init__(self, filters, active, turned=None, added=(), axes=()):
        self.filters, self.active = list(filters), frozenset(active)
        self.turned, self.added, self.axes = dict(turned or {}), tuple(added), frozenset(axes)

    def filtered_by(self, filters):
        return Context(filters, self.active, self.turned, self.added, self.axes)

    def adding(self, *filters):
        return self.filtered_by([*self.filters, *filters])


class Env:
    """Where a node is evaluated: the context (with the row, if there is one, as a filter), the row, the `let` values and which
    of these are made of a column of a row."""

    def __init__(self, context, row=None, lets=None, in_row=frozenset()):
        self.row, self.lets, self.in_row = row, lets or {}, in_row
        self.context = context

    def cell(self):
        return Env(self.context, None, self.lets, self.in_row)

    def under(self, context):
        return Env(context, None, self.lets, self.in_row)

    def at(self, row, where):
        return Env(where, row, self.lets, self.in_row)

    def knowing(self, name, value, in_row=False):
        name = name.lower()
        names = self.in_row | {name} if in_row else self.in_row - {name}
        return Env(self.context, self.row, {**self.lets, name: value}, names)


class Oracle(Tables, Edits):
    """`tables`: name → list of dicts. `links`: dicts with name, from, to (pairs of table and columns), cardinality,
    flow, active, firm (as the model says). `calendars`: table → (date column, first month of the year). `page` are the page's filters."""

    def __init__(self, tables, columns, links, measures, calendars=()):
        self.tables, self.columns, self.links, self.measures = tables, columns, links, measures
        self.calendars = dict(calendars)
        self.trees = {}
        self.names = {link["name"] for link in links}
        self.page = []

    # rows

    def value(self, table, row, column):
        return None if row == UNMATCHED else self.tables[table][row][column]

    def key(self, table, row, columns):
        key = tuple(self.value(table, row, c) for c in columns)
        return None if None in key else key

    def is_firm(self, link):
        if link["name"] not in self.names:
            return False
        keys = [self.key(link["to"][0], r, link["to"][1]) for r in range(len(self.tables[link["to"][0]]))]
        return link["cardinality"] != "many-to-many" and link["firm"] is not False and None not in keys and len(set(keys)) == len(keys)

    def partner(self, link, row):
        (source, columns), (target, others) = link["from"], link["to"]
        key = self.key(source, row, columns)
        if key is not None:
            for r in range(len(self.tables[target])):
                if self.key(target, r, others) == key:
                    return r
        return UNMATCHED

    def has_unmatched(self, table, seen=()):
        for link in self.links:
            if self.is_firm(link) and link["to"][0] == table and link["name"] not in seen:
                source = link["from"][0]
                if any(self.partner(link, r) == UNMATCHED for r in range(len(self.tables[source]))):
                    return True
                if self.has_unmatched(source, (*seen, link["name"])):
                    return True
        return False

    # which rows are visible

    def flows(self, context, table, came):
        """(link, table at its other end) for every link that can carry a filter into `table`."""
        for link in self.links:
            if link["name"] in context.active and link["name"] != came:
                source, target = link["from"][0], link["to"][0]
                way = context.turned.get(link["name"], "two-way" if link["flow"] == "two-way" else source)
                if table == source and way in ("two-way", source):
                    yield link, target
                elif table == target and way in ("two-way", target):
                    yield link, source
        for link in context.added:
            if link["name"] != came and table == link["from"][0]:
                yield link, link["to"][0]

    def filtered(self, context, table, came):
        return any(f.table == table for f in context.filters) or any(
            self.filtered(context, other, link["name"]) for link, other in self.flows(context, table, came)
        )

    def satisfies(self, found, row):
        if found.columns is None or row == UNMATCHED:
            return row in found.allowed
        return tuple(self.value(found.table, row, c) for c in found.columns) in found.allowed

    def visible(self, context, table, row, came=None):
        if not all(self.satisfies(f, row) for f in context.filters if f.table == table):
            return False
        return all(self.passes(context, table, row, link, other) for link, other in self.flows(context, table, came))

    def passes(self, context, table, row, link, other):
        name = link["name"]
        if "holds" in link:
            if not self.filtered(context, other, name):
                return True
            others = range(len(self.tables[other]))
            return row != UNMATCHED and any(link["holds"](r, row) and self.visible(context, other, r, name) for r in others)
        into_many = table == link["from"][0]
        if self.is_firm(link) and into_many:
            partner = UNMATCHED if row == UNMATCHED else self.partner(link, row)
            return self.visible(context, other, partner, name)
        if not self.filtered(context, other, name):
            return True
        if row == UNMATCHED:
            return False
        others = range(len(self.tables[other]))
        if self.is_firm(link):
            return any(self.partner(link, r) == row and self.visible(context, other, r, name) for r in others)
        mine, theirs = (link["from"][1], link["to"][1]) if into_many else (link["to"][1], link["from"][1])
        key = self.key(table, row, mine)
        return key is not None and any(self.key(other, r, theirs) == key and self.visible(context, other, r, name) for r in others)

    def visible_rows(self, context, table):
        return [r for r in range(len(self.tables[table])) if self.visible(context, table, r)]

    # look-ups

    def chains(self, context, table, back=True):
        """With `back` over links of one to one from their other side too."""
        steps = [k for k in self.links if k["name"] in context.active and self.is_firm(k)]
        steps += [{**k, "from": k["to"], "to": k["from"]} for k in steps if back and self.is_firm_back(k)]
        found, queue = {table: []}, deque([table])
        while queue:
            at = queue.popleft()
            for link in steps:
                target = link["to"][0]
                if link["from"][0] == at and target not in found:
                    found[target] = [*found[at], link]
                    queue.append(target)
        return found

    def is_firm_back(self, link):
        table, columns = link["from"]
        keys = [k for r in range(len(self.tables[table])) if (k := self.key(table, r, columns)) is not None]
        return link["cardinality"] == "one-to-one" and len(set(keys)) == len(keys)

    def look_up(self, context, grain, row, table):
        chains = self.chains(context, grain)
        if table not in chains:
            raise Refusal(f"{grain} does not look up {table}")
        for link in chains[table]:
            row = UNMATCHED if row == UNMATCHED else self.partner(link, row)
        return row

    # formulas

    def tree(self, formula):
        if formula not in self.trees:
            tree, wrong = parse(formula)
            if wrong:
                raise Refusal(str(wrong))
            self.trees[formula] = tree
        return self.trees[formula]

    def measure(self, name, context):
        return self.eval(self.tree(self.measures[name]), Env(context))

    def eval(self, node, env):
        match node:
            case s.Literal():
                return Interval(node.dtype, node.value) if node.dtype in ("months", "days", "microseconds") else node.value
            case s.ColumnName():
                return env.row.value(node.table, node.column)
            case s.BareName():
                return self.name(node.name, env)
            case s.Chain():
                result = self.eval(node.operands[0], env)
                in_row = self.of_row(node.operands[0], env)
                for op, operand in zip(node.ops, node.operands[1:], strict=True):
                    value = self.eval(operand, env)
                    in_row = in_row or self.of_row(operand, env)
                    if op in ("AND", "OR", "||"):
                        result = scalars.function(op, [result, value])
                    else:
                        result = scalars.arithmetic(op, result, value, in_row)
                return result
            case s.Call():
                return scalars.function(node.function, [self.eval(a, env) for a in node.arguments])
            case s.InList():
                operand = self.eval(node.operand, env)
                result = False
                for item in node.items:
                    result = scalars.either(result, scalars.compare("=", operand, self.eval(item, env)))
                return (None if result is None else not result) if node.negated else result
            case s.Case():
                return self.case(node, env)
            case s.Let():
                for definition in node.definitions:
                    # What nothing uses cannot fail: a definition is computed, where the `let` stands, when its name is asked for.
                    value = functools.cache(functools.partial(self.eval, definition.value, env))
                    env = env.knowing(definition.name, value, self.of_row(definition.value, env))
                return self.eval(node.body, env)
            case s.Aggregate():
                return self.aggregate(node, env.cell())
            case s.Asked():
                return self.asked(node, env.cell())
            case s.Rank():
                return self.rank(node, env)
            case s.Given():
                inner = env.cell()
                for edit in node.edits:
                    inner = inner.under(self.edit(edit, inner))
                return self.eval(node.operand, inner)
        raise Refusal(f"{node}")

    def of_row(self, node, env):
        """Whether a column of the row, one that `with` made, or a `let` of such, is named in an expression, outside its aggregates."""
        match node:
            case s.ColumnName():
                return True
            case s.BareName():
                if node.name.lower() in env.lets:
                    return node.name.lower() in env.in_row
                return env.row is not None and env.row.has_name(node.name)
            case s.Let():
                for definition in node.definitions:
                    env = env.knowing(definition.name, None, self.of_row(definition.value, env))
                return self.of_row(node.body, env)
            case s.Rank():
                return False
        return any(self.of_row(part, env) for part in self.parts(node))

    def name(self, name, env):
        if name.lower() in env.lets:
            return env.lets[name.lower()]()
        if env.row is not None and env.row.has_name(name):
            return env.row.name(name)
        return self.measure(next(m for m in self.measures if m.lower() == name.lower()), env.context)

    def case(self, node, env):
        for when, then in node.branches:
            test = self.eval(when, env)
            if node.operand is not None:
                test = scalars.compare("=", self.eval(node.operand, env), test)
            if test is True:
                return self.eval(then, env)
        return self.eval(node.otherwise, env) if node.otherwise else None

    # aggregates

    def parts(self, node):
        """What an expression is made of, aggregates and measures aside."""
        match node:
            case s.Chain():
                return node.operands
            case s.Call():
                return node.arguments
            case s.InList():
                return [node.operand, *node.items]
            case s.Case():
                return [node.operand, node.otherwise, *(x for b in node.branches for x in b)]
            case s.Let():
                return [*(d.value for d in node.definitions), node.body]
            case s.Rank():
                return [node.operand]
        return []

    def columns_in(self, node):
        """The columns (as nodes) of the row, not those of nested aggregates or measures."""
        if isinstance(node, s.ColumnName):
            return [node]
        return [column for part in self.parts(node) for column in self.columns_in(part)]

    def named(self, node):
        return [c.table for c in self.columns_in(node)]

    def grain(self, named, context):
        for back in (False, True):
            for table in named:
                if set(named) <= set(self.chains(context, table, back)):
                    return table
        raise Refusal("no grain")

    def aggregate(self, node, env):
        if node.over is not None:
            found = self.rows(node.over, env)
            rows = found.known() if node.function == "rows" else found.rows
            places = [env.at(row, self.with_row(env.context, found, row)) for row in rows]
        else:
            grain = self.grain([*self.named(node.argument), *self.named(node.where)], env.context)
            found = self.table_rows(grain, self.visible_rows(env.context, grain), env.context)
            places = [env.at(row, self.with_row(env.context, found, row)) for row in found.rows]
        if node.where is not None:
            places = [p for p in places if self.eval(node.where, p) is True]
        if not places:
            return None
        values = [1 if node.function == "rows" else self.eval(node.argument, p) for p in places]
        full = [v for v in values if v is not None]
        if node.function in ("rows", "count"):
            return len(set(full)) if node.distinct else len(full)
        if not full:
            return None
        if node.function == "sum":
            total = sum(full)
            return scalars.whole(total) if isinstance(total, int) else scalars.finite(total)
        extra = self.eval(node.extra, env) if node.extra is not None else None
        return getattr(self, f"total_{node.function}")(full, extra)

    def total_avg(self, full, _):
        return sum(full) / len(full)

    def total_min(self, full, _):
        return min(full)

    def total_max(self, full, _):
        return max(full)

    def total_median(self, full, _):
        return self.total_percentile(full, 0.5)

    def total_percentile(self, full, share):
        if share is None or not 0 <= share <= 1:
            return None
        full = sorted(full)
        place = share * (len(full) - 1)
        low, high = math.floor(place), math.ceil(place)
        return full[low] + (place - low) * (full[high] - full[low])

    def total_stddev(self, full, _):
        if len(full) < 2:
            return None
        mean = sum(full) / len(full)
        return math.sqrt(sum((x - mean) ** 2 for x in full) / (len(full) - 1))

    def total_listagg(self, full, between):
        return None if between is None else between.join(sorted(full))

    # asking about the context

    def asked(self, node, env):
        context = env.context
        if node.column is None:
            return any(f.table == node.table for f in context.filters)
        table, column = node.column.table, node.column.column
        if node.function == "filtered":
            return any(f.table == table and (f.columns is None or column in f.columns) for f in context.filters)
        if node.function == "on_axis":
            return (table, column) in context.axes
        values = {self.value(table, r, column) for r in self.visible_rows(context, table)}
        if node.function == "single":
            return len(values) == 1
        if len(values) == 1:
            return values.pop()
        return self.eval(node.default, env) if node.default is not None else None

    def rank(self, node, env):
        own = self.eval(node.operand, env)
        found = self.rows(node.among, env.cell())
        others = [self.eval(node.operand, env.at(row, self.with_row(env.context, found, row))) for row in found.rows]
        if own is None:
            return None
        before = [x for x in others if x is not None and (x < own if node.ascending else x > own)]
        return len(before) + 1
