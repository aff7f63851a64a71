"""Computed columns and tables: their values, their order, their rounds, and their way through package and edits."""

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest.mock import patch

from nexorem.core.diagnostics import Refused
from nexorem.core.engine.computed import _Maker, edited_star, make_star
from nexorem.core.model.edits import apply
from nexorem.core.model.model import Column, Measure, Table, link_from_json
from nexorem.package.read import open_package
from nexorem.package.write import write_package
from tests.core.small import STAR, grid

STORED = {name: STAR.rows[name] for name in STAR.rows}


def with_parts(columns=(), tables=(), links=(), measures=()):
    """The small star with computed columns ((table, name, formula[, type])), tables ((name, formula)) and links."""
    model = STAR.model
    for table, name, formula, *kind in columns:
        made = Column(name, kind[0] if kind else "", formula=formula)
        model = replace(model, tables=tuple(replace(x, columns=(*x.columns, made)) if x.name == table else x for x in model.tables))
    model = replace(model, tables=(*model.tables, *(Table(n, (), formula=f) for n, f in tables)))
    model = replace(model, measures=(*model.measures, *(Measure(n, f) for n, f in measures)))
    star = make_star(model, STORED)
    if links:
        star = make_star(replace(star.model, links=(*star.model.links, *(link_from_json(star.model, k) for k in links))), STORED)
    return star


def values(star, table, column):
    return star.column(table, column).rows().tolist()


class Computed(unittest.TestCase):
    def test_columns(self):
        cases = [
            ("Booking", "seats * fare", [10.0, 40.0, None, 20.0, 16.0, 128.0, None]),
            ("Booking", "Port.region", ["North", "South", "North", None, None, None, "South"]),
            ("Port", "seats", [5, 2, 32, None]),  # a measure, with the row in context
            ("Port", "rows(Booking) given (clear Port)", [7, 7, 7, 7]),
            ("Port", "depth - max(depth for each every Port)", [-4, -6, 0, None]),
            ("Port", "rank(depth among every Port)", [2, 3, 1, None]),
            ("Booking", "sum(Booking.seats where Booking.port = 'a')", [1, None, 4, None, None, None, None]),
        ]
        for table, formula, expected in cases:
            with self.subTest(formula):
                self.assertEqual(values(with_parts([(table, "c", formula)]), table, "c"), expected)

    def test_one_builds_on_another_whatever_the_order(self):
        star = with_parts([("Port", "twice", "total * 2"), ("Port", "total", "sum(Booking.money)"), ("Booking", "money", "seats * fare")])
        self.assertEqual(values(star, "Port", "twice"), [20.0, 80.0, 256.0, None])
        self.assertEqual(star.model.table("Port").column("twice").dtype, "number")

    def test_rows_that_are_counted_ask_for_no_values(self):
        """A count of another table's rows, and a column there that looks it up, are no round; nor is a name of a `let` a measure of that
        name, or a column that `with` made."""
        star = with_parts([("Port", "bookings", "rows(Booking)"), ("Booking", "port_bookings", "Port.bookings")])
        self.assertEqual(values(star, "Booking", "port_bookings"), [2, 2, 2, None, None, 1, 2])
        star = with_parts([("Port", "many", "count(1 for each Booking where seats > 1)"), ("Booking", "of_port", "Port.many")])
        self.assertEqual(values(star, "Booking", "of_port"), [1, 1, 1, None, None, 1, 1])
        own = [
            ("Port", "a", "let made = depth in made + 1"),
            ("Port", "b", "max(made for each every Port.code with (made = 2))"),
            ("Booking", "needs_a", "Port.a"),
        ]
        star = with_parts(own, measures=[("made", "sum(Booking.needs_a)")])
        self.assertEqual(values(star, "Port", "b"), [2, 2, 2, 2])
        with self.assertRaisesRegex(Refused, "computed from itself"):
            with_parts([("Port", "bookings", "rows(Booking union Booking)"), ("Booking", "port_bookings", "Port.bookings")])

    def test_declared_type(self):
        star = with_parts([("Port", "deep", "depth * 2", "number")])
        self.assertEqual(values(star, "Port", "deep"), [10.0, 6.0, 18.0, None])
        with self.assertRaisesRegex(Refused, "declared as text"):
            with_parts([("Port", "deep", "depth", "text")])

    def test_tables(self):
        cases = [
            ("every Port where seats > 4", "code", ["a", "c"]),
            ("every (Port.region) with (all_seats = seats)", "all_seats", [5, 2, 32]),  # the unmatched member is no row
            ("values ('low', 0), ('high', 5)", "column1", ["low", "high"]),
            ("every Port.region union values ('East')", "region", ["North", "South", None, "East"]),
            ("top 1 of every Port.name by seats", "name", ["Cedar"]),
        ]
        for formula, column, expected in cases:
            with self.subTest(formula):
                self.assertCountEqual(values(with_parts(tables=[("Made", formula)]), "Made", column), expected)

    def test_a_computed_table_in_the_star(self):
        link = {"from": "Booking.port", "to": "Busy.code"}
        star = with_parts(tables=[("Busy", "every Port where seats > 4")], links=[link])
        self.assertTrue(star.firm >= {"Booking.port = Busy.code"})
        cells = {c["Busy.name"]: c["x"] for c in grid("seats", star, rows=["Busy.name"])}
        self.assertEqual(cells, {"Alder": 5, "Cedar": 32, "(unmatched)": 26})

    def test_a_link_over_a_computed_key(self):
        link = {"from": "Booking.key", "to": "Port.code"}
        star = with_parts([("Booking", "key", "REPLACE(COALESCE(port, 'a'), 'zz', 'd')")], links=[link | {"active": False}])
        self.assertEqual([c["x"] for c in grid("seats given (via Booking.key = Port.code)", star, rows=["Port.code"])], [13, 2, 32, 16])

    def test_rounds_are_named(self):
        cases = [
            ([("Port", "a", "b + 1"), ("Port", "b", "a + 1")], (), "Port.a › Port.b › Port.a"),
            ([("Port", "a", "m")], (("m", "sum(Port.a)"),), "Port.a › Port.a"),
        ]
        for columns, measures, text in cases:
            with self.subTest(text), self.assertRaisesRegex(Refused, text):
                with_parts(columns, measures=measures)

    def test_errors_name_their_place(self):
        for columns, tables, code in (
            ([("Port", "a", "dept + 1")], (), "unknown_name"),
            ([("Port", "a", "Booking.seats")], (), "no_lookup"),
            ((), [("M", "every (Port.region, Port.region)")], "repeated_column"),
            ((), [("M", "(every Port where")], "syntax"),
            ((), [("M", "every Port.code with (code = 1)")], "repeated_column"),
        ):
            with self.subTest(code), self.assertRaises(Refused) as caught:
                with_parts(columns, tables)
            self.assertEqual(caught.exception.diagnostics[0].code, code)
            self.assertIn(caught.exception.diagnostics[0].place, ("Port.a", "M"))

    def test_edits_compute_again(self):
        star = with_parts([("Port", "total", "seats")])
        doubled = replace(
            star.model,
            measures=tuple(replace(m, formula="sum(Booking.seats) * 2") if m.name == "seats" else m for m in star.model.measures),
        )
        self.assertEqual(values(edited_star(star, doubled), "Port", "total"), [10, 4, 64, None])

    def test_what_an_edit_does_not_touch_is_not_computed_again(self):
        star = with_parts([("Port", "total", "seats * 2")], [("Busy", "every Port where Port.total > 4")])
        star = edited_star(star, replace(star.model, title="asked of once"))
        untouched = {
            "measure": {"kind": "add_measure", "measure": {"name": "more", "formula": "seats + 1"}},
            "words": {"kind": "change_table", "name": "Port", "set": {"description": "where ships call", "hidden": True}},
        }
        touched = {
            "measure": {"kind": "change_measure", "name": "seats", "set": {"formula": "sum(Booking.seats) + 1"}},
            "link": {"kind": "remove_link", "name": star.model.links[0].name},
        }
        for name, change in untouched.items():
            model = apply(star.model, change)[0]
            with self.subTest(name), patch.object(_Maker, "star", side_effect=AssertionError("computed again")):
                after = edited_star(star, model)
            self.assertIs(after.rows["Busy"], star.rows["Busy"])
            fresh = make_star(model, {n: r for n, r in star.rows.items() if n != "Busy"})
            self.assertEqual(after.model, fresh.model)
        with patch.object(_Maker, "star", side_effect=StopIteration):
            for name, change in touched.items():
                with self.subTest(name), self.assertRaises(StopIteration):
                    edited_star(star, apply(star.model, change)[0])

    def test_package_and_back(self):
        star = with_parts(
            [("Port", "total", "seats")], [("Busy", "every Port where seats > 4")], [{"from": "Booking.port", "to": "Busy.code"}]
        )
        with tempfile.TemporaryDirectory() as folder:
            first, second = Path(folder) / "a", Path(folder) / "b"
            write_package(star, first)
            again = open_package(first)
            write_package(again, second)
            self.assertEqual(again.model, star.model)
            self.assertEqual(values(again, "Busy", "total"), [5, 32])
            for path in first.rglob("*.*"):
                self.assertEqual(path.read_bytes(), (second / path.relative_to(first)).read_bytes())
            self.assertFalse(list(first.rglob("busy*")))


if __name__ == "__main__":
    unittest.main()
