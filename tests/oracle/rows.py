"""The oracle's table expressions: lists of rows."""

from __future__ import annotations

from nexorem.core.language import syntax as s
from tests.oracle.common import UNMATCHED, Filter, Refusal, of_member


class Row:
    """One row: its cells, an UNMATCHED among them where a member is unmatched, and the row number it stands for."""

    def __init__(self, oracle, columns, cells, identity, number, context):
        self.oracle, self.columns, self.cells = oracle, columns, tuple(cells)
        self.identity, self.number, self.context = identity, number, context

    def value(self, table, column):
        if (table, column) in self.columns:
            cell = self.cells[self.columns.index((table, column))]
            return None if cell == UNMATCHED else cell
        if self.identity is None:
            raise Refusal(f"{table}.{column} is not among the columns")
        return self.oracle.value(table, self.oracle.look_up(self.context, self.identity, self.number, table), column)

    def has_name(self, name):
        return any(t is None and c.lower() == name.lower() for t, c in self.columns)

    def name(self, name):
        return next(
            None if cell == UNMATCHED else cell
            for (t, c), cell in zip(self.columns, self.cells, strict=True)
            if t is None and c.lower() == name.lower()
        )

    def shaped(self, columns, cells, identity):
        return Row(self.oracle, columns, cells, identity, self.number if identity else None, self.context)


class Found:
    """The rows of a table expression. columns: (table, column), or (None, name) for one with a name of its own."""

    def __init__(self, columns, rows, identity, replaces):
        self.columns, self.rows, self.identity, self.replaces = columns, rows, identity, replaces

    def known(self):
        if self.identity:
            return [r for r in self.rows if r.number != UNMATCHED]
        of_tables = [i for i, (t, _) in enumerate(self.columns) if t is not None or any(r.cells[i] == UNMATCHED for r in self.rows)]
        return [r for r in self.rows if not of_tables or any(r.cells[i] != UNMATCHED for i in of_tables)]

    def only(self, rows):
        return Found(self.columns, rows, self.identity, self.replaces)


class Tables:
    """Part of the oracle."""

    def with_row(self, context, found, row):
        """The context with a row as one more filter, or in place of those on the row's columns."""
        if found.replaces:
            gone = set()
            for table in {t for t, _ in found.columns if t}:
                own = {c for t, c in found.columns if t == table}
                date = self.calendars.get(table, (None, 1))[0]
                own = set(self.columns[table]) if found.identity == table or date in own else own
                gone |= {(table, c) for c in own}
            context = self.cleared(context, gone)
        if found.identity:
            return context.adding(Filter(found.identity, None, [row.number]))
        return context.adding(*(of_member(t, c, cell) for (t, c), cell in zip(found.columns, row.cells, strict=True) if t))

    def table_rows(self, table, numbers, context):
        columns = [(table, c) for c in self.columns[table]]
        rows = [
            Row(self, columns, [UNMATCHED if n == UNMATCHED else self.value(table, n, c) for _, c in columns], table, n, context)
            for n in numbers
        ]
        return Found(columns, rows, table, False)

    def rows(self, node, env):
        match node:
            case s.TableRows() | s.ColumnRows():
                return self.base(node, env.context)
            case s.KnownRows():
                found = self.rows(node.rows, env)
                return found.only(found.known())
            case s.WhereRows():
                found = self.rows(node.rows, env)
                return found.only([r for r in found.rows if self.eval(node.predicate, self.at_row(env, found, r)) is True])
            case s.TopRows():
                return self.top(node, env)
            case s.ListedRows():
                columns = [(None, f"column{i + 1}") for i in range(len(node.lines[0]))]
                rows = [Row(self, columns, [self.eval(x, env) for x in line], None, None, env.context) for line in node.lines]
                return Found(columns, rows, None, False)
            case s.WithRows():
                found = self.rows(node.rows, env)
                for d in node.definitions:  # a later one sees those before it
                    columns = [*found.columns, (None, d.name)]
                    cells = [[*r.cells, self.eval(d.value, self.at_row(env, found, r))] for r in found.rows]
                    rows = [r.shaped(columns, own, found.identity) for r, own in zip(found.rows, cells, strict=True)]
                    found = Found(columns, rows, found.identity, found.replaces)
                return found
            case s.JoinedRows():
                return self.joined(node, self.rows(node.left, env), self.rows(node.right, env))
        raise Refusal(f"{node}")

    def at_row(self, env, found, row):
        return env.at(row, self.with_row(env.context, found, row))

    def base(self, node, context):
        own = type(context)([], [k["name"] for k in self.links if k["active"]])
        seen = {"": context, "page": own.filtered_by(self.page), "every": own}[node.quantifier]
        if isinstance(node, s.TableRows):
            gone = {c.column for c in node.but}
            table, columns = node.table, [(node.table, c) for c in self.columns[node.table] if c not in gone]
        else:
            columns = [(c.table, c.column) for c in node.columns]
            table = self.grain([t for t, _ in columns], seen)
        numbers = self.visible_rows(seen, table)
        if self.has_unmatched(table) and self.visible(seen, table, UNMATCHED):
            numbers.append(UNMATCHED)
        if isinstance(node, s.TableRows) and not node.but:
            found = self.table_rows(table, numbers, context)
            found.replaces = bool(node.quantifier)
            return found
        cells = []
        for n in numbers:
            there = {t: self.look_up(seen, table, n, t) for t, _ in columns}
            cells.append(tuple(UNMATCHED if there[t] == UNMATCHED else self.value(t, there[t], c) for t, c in columns))
        rows = [Row(self, columns, c, None, None, context) for c in dict.fromkeys(cells)]
        return Found(columns, rows, None, bool(node.quantifier))

    def top(self, node, env):
        count = self.eval(node.count, env)
        found = self.rows(node.rows, env)
        values = [self.eval(node.by, self.at_row(env, found, r)) for r in found.rows]
        kept = []
        for row, value in zip(found.rows, values, strict=True):
            if value is not None and count is not None:
                before = [x for x in values if x is not None and (x < value if node.ascending else x > value)]
                if len(before) + 1 <= count:
                    kept.append(row)
        return found.only(kept)

    def joined(self, node, left, right):
        def key(found, row):
            if left.identity and left.identity == right.identity:
                return (row.number, *(c for (t, _), c in zip(found.columns, row.cells, strict=True) if t is None))
            return row.cells

        theirs = {key(right, r) for r in right.rows}
        replaces = left.replaces or right.replaces
        if node.op == "union":
            identity = left.identity if left.identity == right.identity else None
            columns = [a if a == b and a[0] else (None, a[1]) for a, b in zip(left.columns, right.columns, strict=True)]
            rows = {key(f, r): r.shaped(columns, r.cells, identity) for f in (right, left) for r in f.rows}
            for r in rows.values():
                r.number = r.number if identity else None
            return Found(columns, list(rows.values()), identity, replaces)
        kept, seen = [], set()
        for r in left.rows:
            k = key(left, r)
            if (k in theirs) == (node.op == "intersect") and (left.identity or k not in seen):
                seen.add(k)
                kept.append(r)
        return Found(left.columns, kept, left.identity, replaces)
