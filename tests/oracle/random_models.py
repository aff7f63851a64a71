"""Random models, formulas and probes on nasty data, each from one seed."""

from __future__ import annotations

import datetime as dt
import random
from dataclasses import replace

from nexorem.core.model.model import Calendar, Column, Link, Measure, Model, Table
from nexorem.core.model.paths import doubled_paths, model_state
from nexorem.core.model.star import Star, table_rows
from nexorem.core.values import vector
from tests.oracle.interpreter import Oracle

COLUMNS = {
    "id": "integer", "c1": "integer", "c2": "text", "f0": "integer", "f1": "integer", "g": "text", "n": "integer",
    "x": "number", "d": "date", "b": "boolean",
}  # fmt: skip
TEXTS = ["a", "b", "A", "b ", "ü", ""]
UNITS = ("year", "quarter", "month", "week")


class Maker:
    """Makes one random model with its rows, and formulas over it."""

    def __init__(self, seed):
        self.r = random.Random(seed)
        self.names = [f"T{i}" for i in range(self.r.randint(2, 5))]
        # Axes, conditions and edits mostly meet on few tables and columns: only there can they disagree.
        self.focus = self.r.sample(self.names, 2)
        self.tables = {name: self.rows() for name in self.names}
        self.model = self.make_model()
        self.star = self.make_star(self.model)

    def maybe(self, chance):
        return self.r.random() < chance

    def rows(self):
        r = self.r
        size = r.choice([0, 1, 3, 4, 5, 6, 7, 8])
        ids = r.sample(range(1, size + 3), size)
        pairs = r.sample([(i, t) for i in range(4) for t in "ab"], size)
        rows = []
        for i in range(size):
            rows.append({
                "id": ids[i], "c1": pairs[i][0], "c2": pairs[i][1],
                "f0": self.some(r.randint(1, 6)), "f1": self.some(r.randint(0, 3)), "g": self.some(r.choice(TEXTS)),
                "n": self.some(r.randint(-3, 5)), "x": self.some(r.choice([0.0, 0.5, -1.25, 2.5, 1e6, 3.0])),
                "d": self.some(dt.date(2031, 1, 1) + dt.timedelta(days=r.randint(0, 500))), "b": self.some(r.choice([True, False])),
            })  # fmt: skip
        if size and self.maybe(0.1):
            rows[r.randrange(size)]["id"] = None
        return rows

    def table(self):
        """One of the tables, mostly of those in focus."""
        return self.r.choice(self.focus if self.maybe(0.7) else self.names)

    def some(self, value):
        return None if self.maybe(0.15) else value

    def make_model(self):
        tables = tuple(Table(n, tuple(Column(c, d) for c, d in COLUMNS.items())) for n in self.names)
        if self.maybe(0.3):
            tables = (replace(tables[0], calendar=Calendar("d")), *tables[1:])
        links = []
        for i in range(self.r.randint(1, len(self.names) + 2)):
            a, b = self.r.sample(self.names, 2)
            links.append(self.make_link(f"L{i}", a, b))
        model = Model("m", tables, tuple(links))
        while doubled_paths(model, model_state(model)):
            active = [k for k in model.links if k.active]
            off = self.r.choice(active)
            model = replace(model, links=tuple(replace(k, active=False) if k is off else k for k in model.links))
        return model

    def make_link(self, name, a, b):
        r = self.r
        flow = "two-way" if self.maybe(0.3) else "one-way"
        active, firm = self.maybe(0.8), False if self.maybe(0.12) else None
        kind = r.random()
        if kind < 0.55:
            return Link(name, a, (r.choice(["f0", "f1", "n"]),), b, ("id",), "many-to-one", flow, active, firm)
        if kind < 0.7:
            return Link(name, a, ("f1", "c2"), b, ("c1", "c2"), "many-to-one", flow, active, firm)
        if kind < 0.8:
            return Link(name, a, ("id",), b, ("id",), "one-to-one", flow, active, firm)
        column = r.choice(["g", "f0", "n"])
        return Link(name, a, (column,), b, (column,), "many-to-many", flow, active)

    def make_star(self, model):
        rows = {
            name: table_rows(len(rows), {c: vector(d, [row[c] for row in rows]) for c, d in COLUMNS.items()})
            for name, rows in self.tables.items()
        }
        return Star(model, rows)

    def oracle(self):
        """The oracle for the same model and rows."""
        links = [
            {"name": k.name, "from": (k.from_table, k.from_columns), "to": (k.to_table, k.to_columns), "cardinality": k.cardinality,
             "flow": k.flow, "firm": k.firm} for k in self.model.links
        ]  # fmt: skip
        measures = {m.name: m.formula for m in self.model.measures}
        calendars = {t.name: t.calendar.date for t in self.model.tables if t.calendar}
        return Oracle(self.tables, {n: list(COLUMNS) for n in self.names}, links, measures, calendars)

    # formulas

    def with_measures(self, count):
        """Adds measures m0, m1, …, each of which may build on those before it."""
        for i in range(count):
            formula = self.plain() if self.maybe(0.5) else self.cell(self.r.randint(1, 3))
            measure = Measure(f"m{i}", formula)
            self.model = replace(self.model, measures=(*self.model.measures, measure))
        self.star = self.star.with_model(self.model)

    def cell(self, depth):
        """A formula of number type in a cell."""
        r = self.r
        if depth <= 0 or self.maybe(0.15):
            if self.model.measures and self.maybe(0.4):
                return r.choice(self.model.measures).name
            return self.aggregate(1)
        kind = r.random()
        if kind < 0.45:
            edits = ", ".join(self.edit() for _ in range(r.randint(1, 3)))
            return f"({self.cell(depth - 1)}) given ({edits})"
        if kind < 0.75:
            return f"{self.cell(depth - 1)} {r.choice('+-*/%')} {self.cell(depth - 1)}"
        if kind < 0.85:
            return f"CASE WHEN {self.cell(depth - 1)} > {r.randint(-2, 5)} THEN {self.cell(depth - 1)} ELSE {self.number()} END"
        if kind < 0.95:
            return f"COALESCE({self.cell(depth - 1)}, {self.number()})"
        return f"({self.cell(depth - 1)}) * -{self.cell(depth - 1)}"

    def plain(self):
        """An aggregate of a column under one to three edits of the tables in focus."""
        r = self.r
        grain = self.table()
        aggregate = r.choice([f"sum({grain}.n)", f"rows({grain})", f"sum({grain}.x)", f"count(distinct {grain}.id)"])
        if self.model.measures and self.maybe(0.3):
            aggregate = r.choice(self.model.measures).name
        return f"{aggregate} given ({', '.join(self.edit() for _ in range(r.randint(1, 3)))})"

    def number(self):
        return self.r.choice(["1", "0", "2.5", "NULL", "7"])

    def aggregate(self, depth):
        r = self.r
        grain = self.table()
        where = f" where {self.predicate(grain, depth)}" if self.maybe(0.2) else ""
        kind = r.random()
        if kind < 0.2:
            return f"rows({grain}{where})"
        if kind < 0.35:
            return f"count({'distinct ' if self.maybe(0.6) else ''}{self.column(grain, r.choice(list(COLUMNS)))}{where})"
        if kind < 0.5:
            return f"EXTRACT(DAY FROM {r.choice(['min', 'max'])}({self.column(grain, 'd')}{where}))"
        return f"{r.choice(['sum', 'avg', 'min', 'max', 'sum'])}({self.row(grain, depth)}{where})"

    def row(self, grain, depth):
        """A number from a row of the grain; always names the grain."""
        r = self.r
        own = f"{grain}.{r.choice(['n', 'x', 'n', 'id'])}"
        if depth <= 0 or self.maybe(0.5):
            return own
        kind = r.random()
        if kind < 0.4:
            return f"{own} {r.choice('+-*/')} {self.column(grain, r.choice(['n', 'x']))}"
        if kind < 0.55 and self.model.measures:
            return f"{own} + {r.choice(self.model.measures).name}"
        if kind < 0.65:
            return f"{own} * {self.aggregate(0)}"
        if kind < 0.8:
            return f"CASE WHEN {self.predicate(grain, 0)} THEN {own} END"
        return f"COALESCE({self.column(grain, 'n')}, {own})"

    def column(self, grain, column):
        """A column of the grain or of what it looks up."""
        tables = list(self.star.lookups(grain, self.star.state)) if self.maybe(0.9) else self.names
        return f"{self.r.choice([grain, *tables])}.{column}"

    def predicate(self, table, depth=1):
        """A condition over columns of one table."""
        r = self.r
        own = lambda c: f"{table}.{c}"  # noqa: E731
        if self.maybe(0.4):
            return r.choice(
                [
                    f"{own('g')} = '{r.choice(TEXTS[:3])}'",
                    f"{own('n')} <= {r.randint(0, 4)}",
                    f"{own('g')} >= 'a' AND {own('n')} < {r.randint(1, 4)}",
                ]
            )
        choices = [
            lambda: f"{own('g')} = '{r.choice(TEXTS[:3])}'",
            lambda: f"{own('g')} = 'a' AND {own('n')} > {r.randint(-2, 2)}",
            lambda: f"({own('n')} < {r.randint(0, 3)} OR {own('g')} >= 'a')",
            lambda: f"{own('g')} {r.choice(['=', '<>', '<', '>='])} '{r.choice(TEXTS)}'",
            lambda: f"{own('g')} IS {r.choice(['', 'NOT '])}NULL",
            lambda: f"{own('n')} {r.choice(['=', '<', '>=', 'IS DISTINCT FROM'])} {r.randint(-2, 4)}",
            lambda: f"{own('id')} {r.choice(['', 'NOT '])}IN ({r.randint(1, 6)}, {r.randint(1, 11)}{', NULL' if self.maybe(0.2) else ''})",
            lambda: f"{own('x')} BETWEEN -2 AND {r.randint(0, 3)}",
            lambda: f"{own('d')} < DATE '2031-0{r.randint(1, 9)}-15'",
            lambda: f"start_of({r.choice(UNITS)}, {own('d')}) = DATE '2031-0{r.randint(1, 9)}-01'",
            lambda: f"{own('g')} LIKE '{r.choice(['a%', '_', '%b%', ''])}'",
            lambda: own("b"),
        ]
        kind = r.random()
        if depth > 0 and kind < 0.25:
            return f"({self.predicate(table, depth - 1)} {r.choice(['AND', 'OR'])} {self.predicate(table, depth - 1)})"
        if depth > 0 and kind < 0.35:
            return f"NOT ({self.predicate(table, depth - 1)})"
        if depth > 0 and kind < 0.5 and self.model.measures:
            return f"{own('n')} {r.choice(['<', '=', '>='])} {r.choice([m.name for m in self.model.measures])}"
        if depth > 0 and kind < 0.6:
            return f"{own('d')} <= max({r.choice(self.names)}.d)"
        return r.choice(choices)()

    def edit(self):
        r = self.r
        kind = r.random()
        if kind < 0.55:
            return f"{r.choice(['set', 'keep'])} {self.predicate(self.table())}"
        if kind < 0.85 or not self.model.links:
            return f"clear {self.target()}{' but ' + self.target() if self.maybe(0.2) else ''}"
        link = r.choice(self.model.links)
        return f'via link "{link.name}"' if self.maybe(0.5) else f"via {link.ends_text}"

    def target(self):
        table = self.table()
        return self.r.choice(
            [table, f"{table}.g", f"{table}.n", f"{table}.g", f"({table}.g, {table}.n)", f"wide {table}", f"into {table}", "all"]
        )

    # probes

    def probe(self, measures):
        """A probe over one to three columns, with picks."""
        r = self.r
        columns = r.sample([f"{t}.{c}" for t in (*self.focus, self.table()) for c in ("g", "n", "b")], r.randint(0, 3))
        columns = list(dict.fromkeys(columns))
        cut = r.randint(0, len(columns))
        picks = []
        for _ in range(r.choice([0, 0, 1, 2])):
            table = self.table()
            if self.maybe(0.5):
                values = [r.choice(TEXTS), None, {"unmatched": True}, "zz"]
                picks.append({"column": f"{table}.g", "in": r.sample(values, r.randint(1, 3))})
            else:
                picks.append({"where": self.predicate(table)})
        return {"rows": columns[:cut], "columns": columns[cut:], "measures": measures, "picks": picks,
                "totals": r.choice(["none", "grand", "all"]), "empty_lines": self.maybe(0.5)}  # fmt: skip
