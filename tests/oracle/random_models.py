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
from tests.oracle.random_formulas import TEXTS, Formulas

COLUMNS = {
    "id": "integer",
    "c1": "integer",
    "c2": "text",
    "f0": "integer",
    "f1": "integer",
    "g": "text",
    "n": "integer",
    "x": "number",
    "d": "date",
    "b": "boolean",
}


class Maker(Formulas):
    """Makes one random model with its rows, and formulas over it."""

    def __init__(self, seed, wide=False):
        """`wide`: some whole numbers are so large that sums and products of them leave 64 bits."""
        self.r, self.wide = random.Random(seed), wide
        self.more = random.Random(f"more {seed}")  # of what came later: the other choices stay as they were
        self.names = [f"T{i}" for i in range(self.r.randint(2, 5))]
        # Axes, conditions and edits mostly meet on few tables and columns: only there can they disagree.
        self.focus = self.r.sample(self.names, 2)
        self.tables = {name: self.data_rows() for name in self.names}
        self.model = self.make_model()
        self.star = self.make_star(self.model)

    def maybe(self, chance):
        return self.r.random() < chance

    def data_rows(self):
        r = self.r
        size = r.choice([0, 1, 3, 4, 5, 6, 7, 8])
        ids = r.sample(range(1, size + 3), size)
        pairs = r.sample([(i, t) for i in range(4) for t in "ab"], size)
        rows = []
        for i in range(size):
            rows.append(
                {
                    "id": ids[i],
                    "c1": pairs[i][0],
                    "c2": pairs[i][1],
                    "f0": self.some(r.randint(1, 6)),
                    "f1": self.some(r.randint(0, 3)),
                    "g": self.some(r.choice(TEXTS)),
                    "n": self.some(self.whole_number()),
                    "x": self.some(r.choice([0.0, 0.5, -1.25, 2.5, 1e6, 3.0])),
                    "d": self.some(dt.date(2031, 1, 1) + dt.timedelta(days=r.randint(0, 500))),
                    "b": self.some(r.choice([True, False])),
                }
            )
        if size and self.maybe(0.1):
            rows[r.randrange(size)]["id"] = None
        return rows

    def whole_number(self):
        small = self.r.randint(-3, 5)
        return self.r.choice([2**62, -(2**62), 2**63 - 1, -(2**63), small]) if self.wide and self.maybe(0.5) else small

    def calendar_rows(self):
        """Rows whose dates are unique and never empty, mostly without gaps, over a month's end or two."""
        r = self.r
        rows = []
        while not rows:
            rows = self.data_rows()
        start = dt.date(2031, r.choice([1, 2, 3, 12]), r.choice([1, 1, 27, 28]))
        step = r.choice([1, 1, 1, 13])
        days = [start + dt.timedelta(days=step * i) for i in range(r.choice([8, 33, 62]))]
        found = [{**r.choice(rows), "id": i + 1, "c1": i, "c2": "a", "d": day} for i, day in enumerate(days)]
        if self.more.random() < 0.6:  # columns that dates determine, as a calendar has them
            found = [{**row, "f0": row["d"].month, "f1": row["d"].isocalendar().week % 10, "g": f"{row['d']:%Y}"} for row in found]
        return found

    def table(self):
        """One of the tables, mostly of those in focus."""
        return self.r.choice(self.focus if self.maybe(0.7) else self.names)

    def some(self, value):
        return None if self.maybe(0.15) else value

    def make_model(self):
        tables = tuple(Table(n, tuple(Column(c, d) for c, d in COLUMNS.items())) for n in self.names)
        if self.maybe(0.35):
            tables = (replace(tables[0], calendar=Calendar("d", self.r.choice([1, 1, 4, 12]))), *tables[1:])
            if self.maybe(0.85):
                self.tables[self.names[0]] = self.calendar_rows()
                self.focus[0] = self.names[0]
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
            {
                "name": k.name,
                "from": (k.from_table, k.from_columns),
                "to": (k.to_table, k.to_columns),
                "cardinality": k.cardinality,
                "flow": k.flow,
                "firm": k.firm,
                "active": k.active,
            }
            for k in self.model.links
        ]
        measures = {m.name: m.formula for m in self.model.measures}
        calendars = {t.name: (t.calendar.date, t.calendar.year_starts_in) for t in self.model.tables if t.calendar}
        return Oracle(self.tables, {n: list(COLUMNS) for n in self.names}, links, measures, calendars)

    # formulas

    def with_measures(self, count):
        """Adds measures m0, m1, …, each of which may build on those before it."""
        for i in range(count):
            formula = self.plain() if self.maybe(0.5) else self.cell(self.r.randint(1, 3))
            measure = Measure(f"m{i}", formula)
            self.model = replace(self.model, measures=(*self.model.measures, measure))
        self.star = self.star.with_model(self.model)

    # probes

    def cutting(self, probe):
        """Conditions on lines and a top, on some probes."""
        r = random.Random(f"cut {self.r.random()}")
        level = lambda: {"level": r.choice(probe["rows"])} if probe["rows"] and r.random() < 0.5 else {}  # noqa: E731
        measure = lambda: r.choice(probe["measures"])  # noqa: E731
        if r.random() < 0.25:
            tests = [
                f"{measure()} > {r.randint(-1, 4)}",
                f"{measure()} IS NOT NULL",
                f"{measure()} <= {measure()} OR {measure()} > 2",
                f"{measure()} IS NULL",
            ]
            probe["having"] = [{"where": r.choice(tests), **level()} for _ in range(r.randint(1, 2))]
        if r.random() < 0.25:
            probe["top"] = {"count": r.randint(1, 3), "by": measure(), "asc": r.random() < 0.3, **level()}

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
        return {
            "rows": columns[:cut],
            "columns": columns[cut:],
            "measures": measures,
            "picks": picks,
            "totals": r.choice(["none", "grand", "all"]),
            "empty_lines": self.maybe(0.5),
        }


def random_rules(maker):
    """Rules of rows for a random model, as a clearance has them."""
    r = random.Random(f"rules {maker.r.random()}")
    rules = []
    for table in r.sample(maker.names, min(len(maker.names), r.choice([1, 1, 2]))):
        own = maker.predicate(table)
        rules.append(r.choice([own, f"{table}.g = person('name')", f"{table}.g IN ('zz', person('email'))"]))
    return tuple(rules)
