"""The oracle: a slow, obvious, row-by-row reading of the language's meaning. Shares the parser with the engine and
nothing else. Tables are lists of dicts; a context is a list of filters and the set of active links."""

from __future__ import annotations

from collections import deque

from nexorem.core.language import syntax as s
from nexorem.core.language.parser import parse
from tests.oracle import scalars
from tests.oracle.scalars import Interval

UNMATCHED = "the unmatched member"


class Refusal(Exception):
    """The formula has no meaning here."""


class Filter:
    """Allowed combinations over columns of a table; `columns` None: allowed row numbers. May allow UNMATCHED."""

    def __init__(self, table, columns, allowed):
        self.table, self.columns, self.allowed = table, columns, set(allowed)


class Context:
    def __init__(self, filters, active):
        self.filters, self.active = list(filters), frozenset(active)


class Oracle:
    """`tables`: name → list of dicts. `links`: dicts with name, from, to (pairs of table and columns), cardinality,
    flow, active, firm (as the model says). `calendars`: table → date column."""

    def __init__(self, tables, columns, links, measures, calendars=()):
        self.tables, self.columns, self.links, self.measures = tables, columns, links, measures
        self.calendars = dict(calendars)
        self.trees = {}

    # rows

    def value(self, table, row, column):
        return None if row == UNMATCHED else self.tables[table][row][column]

    def key(self, table, row, columns):
        key = tuple(self.value(table, row, c) for c in columns)
        return None if None in key else key

    def is_firm(self, link):
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
                if table == source:
                    yield link, target
                elif table == target and link["flow"] == "two-way":
                    yield link, source

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

    def chains(self, context, table):
        found, queue = {table: []}, deque([table])
        while queue:
            at = queue.popleft()
            for link in self.links:
                target = link["to"][0]
                if link["from"][0] == at and link["name"] in context.active and self.is_firm(link) and target not in found:
                    found[target] = [*found[at], link]
                    queue.append(target)
        return found

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
        return self.eval(self.tree(self.measures[name]), context, None)

    def eval(self, node, context, env):
        """env is None in a cell, else a function from a table to the current row of it; `env.inner` is the context
        in which measures and aggregates are computed there."""
        match node:
            case s.Literal():
                return Interval(node.dtype, node.value) if node.dtype in ("months", "days", "microseconds") else node.value
            case s.ColumnName():
                return self.value(node.table, env(node.table), node.column)
            case s.BareName():
                return self.measure(node.name, env.inner if env else context)
            case s.Chain():
                result = self.eval(node.operands[0], context, env)
                for op, operand in zip(node.ops, node.operands[1:], strict=True):
                    value = self.eval(operand, context, env)
                    if op in ("AND", "OR", "||"):
                        result = scalars.function(op, [result, value])
                    else:
                        result = scalars.arithmetic(op, result, value)
                return result
            case s.Call():
                return scalars.function(node.function, [self.eval(a, context, env) for a in node.arguments])
            case s.InList():
                operand = self.eval(node.operand, context, env)
                result = False
                for item in node.items:
                    result = scalars.either(result, scalars.compare("=", operand, self.eval(item, context, env)))
                return (None if result is None else not result) if node.negated else result
            case s.Case():
                return self.case(node, context, env)
            case s.Aggregate():
                return self.aggregate(node, env.inner if env else context)
            case s.Given():
                inner = env.inner if env else context
                for edit in node.edits:
                    inner = self.edit(edit, inner)
                return self.eval(node.operand, inner, None)
        raise Refusal(f"{node}")

    def case(self, node, context, env):
        for when, then in node.branches:
            test = self.eval(when, context, env)
            if node.operand is not None:
                test = scalars.compare("=", self.eval(node.operand, context, env), test)
            if test is True:
                return self.eval(then, context, env)
        return self.eval(node.otherwise, context, env) if node.otherwise else None

    # aggregates

    def named(self, node):
        """Tables named by columns of the row, not of nested aggregates or measures."""
        match node:
            case s.ColumnName():
                return [node.table]
            case s.Aggregate() | s.Given() | s.BareName() | s.Literal() | None:
                return []
            case s.Chain():
                parts = node.operands
            case s.Call():
                parts = node.arguments
            case s.InList():
                parts = [node.operand, *node.items]
            case s.Case():
                parts = [node.operand, node.otherwise, *(x for b in node.branches for x in b)]
        return [table for part in parts for table in self.named(part)]

    def grain(self, node, context):
        named = [*([] if node.function == "rows" else self.named(node.argument)), *self.named(node.where)]
        candidates = [node.argument.name] if node.function == "rows" else named
        for table in candidates:
            if set(named) <= set(self.chains(context, table)):
                return table
        raise Refusal("no grain")

    def aggregate(self, node, context):
        grain = self.grain(node, context)
        values = []
        for row in self.visible_rows(context, grain):
            env = self.environment(grain, context, row)
            if node.where is not None and self.eval(node.where, context, env) is not True:
                continue
            values.append(1 if node.function == "rows" else self.eval(node.argument, context, env))
        if not values:
            return None
        full = [v for v in values if v is not None]
        if node.function in ("rows", "count"):
            return len(set(full)) if node.distinct else len(full)
        if not full:
            return None
        if node.function == "sum":
            total = sum(full)
            return scalars.whole(total) if isinstance(total, int) else scalars.finite(total)
        return {"avg": lambda: sum(full) / len(full), "min": lambda: min(full), "max": lambda: max(full)}[node.function]()

    def environment(self, grain, context, number):
        def env(table):
            return self.look_up(context, grain, number, table)

        env.inner = Context([*context.filters, Filter(grain, None, [number])], context.active)
        return env

    # edits

    def edit(self, edit, context):
        match edit:
            case s.SetWhere():
                return self.condition(edit.predicate, edit.keep, context)
            case s.Clear():
                gone = self.target(edit.target, context) - (self.target(edit.but, context) if edit.but else set())
                return self.cleared(context, gone)
            case s.Via():
                link = next(k for k in self.links if k["name"] == edit.name or (not edit.name and self.is_link(k, edit)))
                tables = {link["from"][0], link["to"][0]}
                rivals = {k["name"] for k in self.links if {k["from"][0], k["to"][0]} == tables}
                return Context(context.filters, (context.active - rivals) | {link["name"]})
        raise Refusal(f"{edit}")

    def is_link(self, link, edit):
        left = [(c.table, c.column) for c in edit.left]
        right = [(c.table, c.column) for c in edit.right]
        ends = [[(link[side][0], c) for c in link[side][1]] for side in ("from", "to")]
        return [left, right] in (ends, ends[::-1])

    def condition(self, predicate, keep, context):
        table = self.named(predicate)[0]
        columns = tuple(dict.fromkeys(self.columns_in(predicate)))

        def allows(row):
            def env(_):
                return row

            env.inner = context
            return self.eval(predicate, context, env) is True

        allowed = [UNMATCHED] if allows(UNMATCHED) else []
        for row in range(len(self.tables[table])):
            if allows(row):
                allowed.append(tuple(self.value(table, row, c) for c in columns))
        if not keep:
            gone = self.columns[table] if self.calendars.get(table) in columns else columns
            context = self.cleared(context, {(table, c) for c in gone})
        return Context([*context.filters, Filter(table, columns, allowed)], context.active)

    def columns_in(self, node):
        match node:
            case s.ColumnName():
                return [node.column]
            case s.Aggregate() | s.Given() | s.BareName() | s.Literal() | None:
                return []
            case s.Chain():
                parts = node.operands
            case s.Call():
                parts = node.arguments
            case s.InList():
                parts = [node.operand, *node.items]
            case s.Case():
                parts = [node.operand, node.otherwise, *(x for b in node.branches for x in b)]
        return [column for part in parts for column in self.columns_in(part)]

    def target(self, target, context):
        tables = {
            "all": lambda: list(self.tables),
            "table": lambda: [target.table],
            "wide": lambda: list(self.chains(context, target.table)),
            "into": lambda: self.sources(context, target.table, None),
        }
        if target.kind == "columns":
            return {(c.table, c.column) for c in target.columns}
        return {(t, c) for t in tables[target.kind]() for c in self.columns[t]}

    def sources(self, context, table, came):
        found = [table]
        for link, other in self.flows(context, table, came):
            found += self.sources(context, other, link["name"])
        return found

    def cleared(self, context, gone):
        """Filters that lose a column keep the combinations of the rest."""
        left = []
        for f in context.filters:
            had = f.columns if f.columns is not None else tuple(self.columns[f.table])
            rest = tuple(c for c in had if (f.table, c) not in gone)
            if rest == had:
                left.append(f)
            elif rest and f.columns is None:
                kept = [x if x == UNMATCHED else tuple(self.value(f.table, x, c) for c in rest) for x in f.allowed]
                left.append(Filter(f.table, rest, kept))
            elif rest:
                places = [had.index(c) for c in rest]
                left.append(Filter(f.table, rest, [x if x == UNMATCHED else tuple(x[i] for i in places) for x in f.allowed]))
        return Context(left, context.active)
