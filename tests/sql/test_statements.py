"""Statements as they are written: each construct and dialect as a file that a person reads, facts read once, odd names, bounds of lines."""

import os
import re
import unittest
from dataclasses import replace
from pathlib import Path

from nexorem.core.diagnostics import Refused
from nexorem.core.engine.cleared import cleared
from nexorem.core.engine.computed import edited_star
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of, read_pick
from nexorem.core.limits import Budget
from nexorem.core.model.model import Column, Link, Measure, Model, Table
from nexorem.core.model.specs import UNMATCHED, Clearance
from nexorem.core.model.star import Star, table_rows
from nexorem.core.values import vector
from nexorem.sql.dialects import DIALECTS, DUCKDB, POSTGRESQL
from nexorem.sql.layout import laid_out
from nexorem.sql.own import own_places
from nexorem.sql.probe import compiled
from nexorem.sql.tree import text_of, to_run
from tests.core.small import STAR, make_star
from tests.sql.voices import Server, columnar

GOLDEN = Path(__file__).parent / "golden"
CONSTRUCTS = {
    "measures_and_totals": {"rows": ["Port.region"], "columns": ["Cal.year"], "measures": ["seats", "share"], "totals": "all"},
    "picks": {"rows": ["Port.name"], "measures": ["x"], "define": {"x": "avg(Booking.fare)"},
              "picks": [{"column": "Port.region", "in": ["South", None, {"unmatched": True}]}, {"where": "Booking.seats > 1"}]},
    "set_and_keep": {"rows": ["Port.name"], "measures": ["x"],
                     "define": {"x": "seats given (set Port.region = 'South', keep Port.depth <= max(Port.depth), clear Port.region)"}},
    "listed": {"measures": ["x"], "define": {"x": "seats given (set (Port.region, Port.depth) in values ('South', 3), keep Port in every Port)"}},
    "calendar": {"rows": ["Cal.week"], "measures": ["x", "y", "z", "u"], "define": {
        "x": "seats given (shift Cal by -1 month)", "y": "seats given (stretch Cal to start of year)",
        "z": "seats given (shift Cal by ABS(-1) day)", "u": "seats given (stretch Cal back 2 day)"}},
    "gates": {"rows": ["Crew.name"], "measures": ["x"], "define": {"x": "seats given (match Tag.port to Booking.port, set Tag.tag = 'red')"}},
    "compared": {"rows": ["Port.region"], "measures": ["x"], "define": {"x": "rows(Crew) given (match Port to Booking where Port.depth < Booking.seats)"}},
    "compared_by_context": {"rows": ["Port.region"], "columns": ["Cal.week"], "totals": "all", "empty_lines": True, "measures": ["x", "y", "z"], "define": {
        "x": "rows(Crew) given (match Port to Booking where Port.depth < Booking.seats AND Booking.seats <> seats)",
        "y": "rows(Crew) given (match Port to Booking where Port.depth < Booking.seats AND Port.depth > seats / 10)",
        "z": "sum(rows(Crew) given (match Port to Booking where Port.depth < Booking.seats AND Booking.seats < seats) for each every Cal.day)"}},
    "sorted": {"rows": ["Port.name"], "measures": ["seats"], "sort": [{"by": "seats", "desc": True}]},
    "sorted_twice": {"rows": ["Port.region"], "measures": ["x"], "define": {"x": "single(Port.name)"}, "totals": "all",
                     "sort": [{"by": "x"}, {"by": "Port.region", "desc": True}]},
    "sorted_members": {"rows": ["Port.region"], "columns": ["Cal.week"], "measures": ["seats"], "sort": [{"by": "Port.region", "desc": True}]},
    "unmatched_listed": {"measures": ["x", "y", "z", "u", "v", "w"], "define": {
        "w": "seats given (set (Port.region, Port.depth) in values ('South', 5), clear Port.depth)",
        "u": "seats given (set Port.depth in values (5.0), (NULL))", "v": "seats given (set Port.depth in values (5.5))",
        "x": "seats given (set Port.region in every Port.region)", "y": "seats given (set Port.name in every Port.region)",
        "z": "seats given (set (Port.region, Port.depth) in every (Port.region, Port.depth))"}},
    "for_each": {"rows": ["Cal.year"], "measures": ["x"], "define": {"x": "sum(seats * Port.depth for each top 2 of known Port by seats)"}},
    "rank_and_let": {"rows": ["Port.name"], "measures": ["x"], "define": {"x": "let s = seats in rank(s among every Port.name) + s"}},
    "rows_joined": {"measures": ["x"], "define": {"x": "rows(Port.code union values ('x'), ('y') except values ('a'))"}},
    "kept_lines": {"rows": ["Port.region", "Port.name"], "measures": ["seats"], "totals": "all",
                   "having": [{"where": "seats > 1", "level": "Port.region"}], "top": {"count": 1, "by": "seats", "ties": False}},
}  # fmt: skip


def statement_of(star, data, dialect):
    return compiled(star, probe_of(star, data), dialect, own_places(star)).statement


class Golden(unittest.TestCase):
    """`GOLDEN=write` in the environment writes the files anew, for a person to read what has changed."""

    def test_constructs(self):
        for name, data in CONSTRUCTS.items():
            for dialect in DIALECTS.values():
                with self.subTest(name, dialect=dialect.name):
                    path, text = GOLDEN / f"{name}.{dialect.name}.sql", text_of(statement_of(STAR, data, dialect), dialect)
                    if os.environ.get("GOLDEN") == "write":
                        path.write_text(text, encoding="utf-8")
                    self.assertEqual(text, path.read_text(encoding="utf-8"))

    def test_what_is_read_is_what_runs(self):
        """The laid out text with its literals gives what the statement with its parameters gives."""
        for voice in (columnar, Server()):
            with voice(STAR) as database:
                for name, data in CONSTRUCTS.items():
                    with self.subTest(name, dialect=database.dialect.name):
                        made = statement_of(STAR, data, database.dialect)
                        self.assertEqual(database.run(*to_run(made, database.dialect)), database.run(text_of(made, database.dialect), None))

    def test_constructs_agree_with_the_engine(self):
        for voice in (columnar, Server()):
            with voice(STAR) as database:
                for name, data in CONSTRUCTS.items():
                    with self.subTest(name, dialect=database.dialect.name):
                        self.assertEqual(database.cells(data), list(answer(STAR, probe_of(STAR, data), Budget()).tidy()))

    def test_a_statement_is_laid_out_without_touching_what_is_quoted(self):
        text = (
            """WITH a AS (\n  SELECT ' FROM x, (' AS "SELECT , (" FROM t WHERE x IN (1, 2)\n)\nSELECT a FROM (SELECT 1 AS a FROM a) AS b"""
        )
        laid = laid_out(text)
        self.assertEqual("".join(laid.split()), "".join(text.split()))
        self.assertIn("""' FROM x, (' AS "SELECT , (\"""", laid)
        self.assertGreater(len(laid.splitlines()), 6)


class Cells(unittest.TestCase):
    def test_one_cell_is_what_it_is_in_its_grid(self):
        """By its coordinates, totals and unmatched members among them; what lies elsewhere is not grouped."""
        formulas = {
            "x": "seats",
            "y": "share",
            "z": "CASE WHEN on_axis(Port.region) THEN 1 ELSE 2 END",
            "u": "rank(seats among every Port.region)",
        }
        data = {"rows": ["Port.region"], "columns": ["Cal.week"], "measures": list(formulas), "define": formulas, "totals": "all"}
        probe = probe_of(STAR, {**data, "empty_lines": True})
        grid = answer(STAR, probe, Budget())
        with columnar(STAR) as database:
            for cell in grid.tidy():
                at = [
                    read_pick(STAR, n, [UNMATCHED if cell[n] == "(unmatched)" else cell[n]])
                    for n in ("Port.region", "Cal.week")
                    if n in cell
                ]
                made = compiled(STAR, probe, DUCKDB, own_places(STAR), at=at)
                (line,) = database.run(*to_run(made.statement, DUCKDB))
                self.assertEqual(list(line[2 * len(at) :]), [cell[m] for m in formulas], cell)
        at = [read_pick(STAR, "Port.region", ["North"])]
        self.assertIn("region = 'North'", text_of(compiled(STAR, probe, POSTGRESQL, own_places(STAR), at=at).statement, POSTGRESQL))


class Chains(unittest.TestCase):
    def test_what_an_unmatched_member_looks_up(self):
        """Rows of the fact lead to no row of D, which leads to E in every row of its own: the unmatched member of D has that of E."""
        tables = {
            "F": ("k:integer n:integer", [(1, 1), (2, 2), (9, 4), (None, 8)]),
            "D": ("k:integer e:integer", [(1, 7), (2, 8)]),
            "E": ("k:integer n:text", [(7, "seven"), (8, None)]),
        }
        star = make_star(tables, [{"from": "F.k", "to": "D.k"}, {"from": "D.e", "to": "E.k"}], {"n": "sum(F.n)"})
        formulas = {
            "x": "sum(n for each every (D.k, E.n))",
            "y": "rows(every (D.k, E.n))",
            "z": "n given (set (D.k, D.e) in every (D.k, D.e), clear D.e)",
            "u": "count(n for each every (D.k, E.n) where D.k IS NULL)",
            "v": "sum(n for each every E.n)",
        }
        data = {"rows": ["E.n"], "measures": ["n", *formulas], "define": formulas, "totals": "all"}
        for voice in (columnar, Server()):
            with voice(star) as database:
                self.assertEqual(database.cells(data), list(answer(star, probe_of(star, data), Budget()).tidy()))


class Scans(unittest.TestCase):
    def test_a_fact_is_read_once(self):
        """Measures of a fact, their totals and their shares are one pass over its rows."""
        measures = {
            "seats": None,
            "share": None,
            "x": "avg(Booking.fare where Booking.seats > 2)",
            "y": "seats given (keep Port.depth > 3)",
        }
        data = {"rows": ["Port.region"], "columns": ["Cal.year"], "measures": list(measures), "totals": "all"}
        data["define"] = {n: f for n, f in measures.items() if f}
        with Server()(STAR) as database:
            text, values = to_run(statement_of(STAR, data, POSTGRESQL), POSTGRESQL)
            plan = "\n".join(line for (line,) in database.run("EXPLAIN " + text, values))
        self.assertEqual(len(re.findall(r'Scan on "?Booking', plan)), 1, plan)


NASTY = 'T "a" `b` .c'
LONG = "x" * 70
STRANGE = {
    NASTY: ("select:text", ["it's", 'say "x"', "back\\slash", "two\nlines", None, "%s :x ?"]),
    "Group by": (f"{LONG}:text user:integer", ["it's", 'say "x"', "back\\slash", "two\nlines", None, "%s :x ?"]),
}


def strange_star():
    model = Model("m", (Table(NASTY, (Column("select", "text"),)), Table("Group by", (Column(LONG, "text"), Column("user", "integer")))))
    words = STRANGE[NASTY][1]
    rows = {
        NASTY: table_rows(5, {"select": vector("text", [w for w in words if w is not None])}),
        "Group by": table_rows(6, {LONG: vector("text", words), "user": vector("integer", list(range(6)))}),
    }
    link = Link("a link", "Group by", (LONG,), NASTY, ("select",))
    return Star(Model("m", model.tables, (link,), (Measure("sum of: user", 'sum("Group by".user)'),)), rows)


class Names(unittest.TestCase):
    def test_what_is_computed_is_computed_of_what_rules_leave(self):
        tables = tuple(
            replace(t, columns=(*t.columns, Column("depth there", "integer", formula="COALESCE(Port.depth, -1)")))
            if t.name == "Booking"
            else t
            for t in STAR.model.tables
        )
        made = Table("Region", (), formula="every Port.region")
        whole = edited_star(STAR, replace(STAR.model, tables=(*tables, made)))
        star = cleared(
            whole, Clearance("near", ("Port.region = 'North' OR Port.region IS NULL", 'Booking."depth there" <> 7')), {}, Budget()
        )
        data = {"rows": ["Booking.depth there"], "measures": ["seats", "x"], "define": {"x": 'sum(Booking."depth there")'}, "totals": "all"}
        wanted = list(answer(star, probe_of(star, data), Budget()).tidy())
        self.assertGreater(len(wanted), 2)
        self.assertLess(wanted[-1]["seats"], 63)
        for voice in (columnar, Server()):
            with voice(whole) as database:
                self.assertEqual(database.cells(data, star), wanted)
        with self.assertRaises(Refused) as caught:
            statement_of(star, {"measures": ["x"], "define": {"x": "rows(Region)"}}, POSTGRESQL)
        self.assertEqual(caught.exception.diagnostics[0].code, "no_sql")

    def test_odd_names_and_texts(self):
        star = strange_star()
        data = {"rows": [f'"{NASTY.replace(chr(34), chr(34) * 2)}".select'], "measures": ["sum of: user"], "totals": "all"}
        data["picks"] = [{"column": data["rows"][0], "in": [*STRANGE[NASTY][1][:4], {"unmatched": True}]}]
        wanted = list(answer(star, probe_of(star, data), Budget()).tidy())
        self.assertEqual(len(wanted), 6)
        for voice in (columnar, Server()):
            with voice(star) as database:
                self.assertEqual([c["sum of: user"] for c in database.cells(data)], [c["sum of: user"] for c in wanted])

    def test_rows_without_a_key_are_refused(self):
        data = {"measures": ["x"], "define": {"x": "sum(seats for each Crew)"}}
        with self.assertRaises(Refused) as caught:
            statement_of(STAR, data, DUCKDB)
        self.assertEqual(caught.exception.diagnostics[0].code, "no_row_key")


if __name__ == "__main__":
    unittest.main()
