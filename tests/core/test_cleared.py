"""Rules of rows on the small star: what is left, what is refused, and what is found to be missing. Random models are in tests/properties."""

import unittest
from dataclasses import replace

from nexorem.core.diagnostics import Refused
from nexorem.core.engine.cleared import cleared
from nexorem.core.engine.computed import edited_star, make_star
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.language.renames import read_renaming, renamed
from nexorem.core.limits import Budget
from nexorem.core.lint.findings import findings
from nexorem.core.model.edits import apply
from nexorem.core.model.specs import Clearance
from tests.core.small import STAR

WHO = {"email": "a", "name": "O'Neil' OR 1 = 1 OR '' = '"}


def value(star, formula):
    ((cell),) = answer(star, probe_of(star, {"measures": ["x"], "define": {"x": formula}}), Budget()).tidy()
    return cell["x"]


class Rows(unittest.TestCase):
    def clear(self, *rules, star=STAR, who=WHO):
        return cleared(star, Clearance("c", rules), who, Budget())

    def test_what_is_left(self):
        for rules, left in (
            (("Port.code = 'a'",), {"Booking": [1, 3], "Port": ["a"], "Crew": ["Ula", "Bo"], "Tag": 5, "Cal": 4}),
            (("Port.region = 'South'",), {"Booking": [2, 7], "Port": ["b", "d"], "Crew": []}),
            (("Port.region IS NULL",), {"Booking": [4, 5, 6], "Port": ["c"], "Crew": ["Cid", "Dot"]}),  # no port is an empty region, too
            (("Booking.seats > 3",), {"Booking": [3, 4, 5, 6], "Port": ["a", "b", "c", "d"]}),
            (("Crew.name = 'Bo'",), {"Port": ["a"], "Booking": [1, 3], "Crew": ["Bo"]}),  # that link runs both ways
            (("Port.code = person('email')",), {"Booking": [1, 3]}),
            (("Port.code = person('name')",), {"Booking": [], "Port": []}),
            (("Port.code = 'a'", "Cal.week = 2"), {"Booking": [3], "Cal": 2}),
        ):
            star = self.clear(*rules)
            for table, rows in left.items():
                with self.subTest(rules=rules, table=table):
                    first = {"Booking": "no", "Port": "code", "Crew": "name"}.get(table)
                    self.assertEqual(rows, star.column(table, first).rows().tolist() if first else star.size(table))

    def test_no_formula_gets_around_it(self):
        star = self.clear("Port.code = 'a'")
        for formula in (
            "sum(Booking.seats)",
            "sum(Booking.seats) given (clear all)",
            "sum(Booking.seats) given (clear Port, via Booking.refunded = Cal.day)",
            "sum((sum(Booking.seats) given (clear all)) for each Port)",
            "sum(Booking.seats) given (set Port.code IN ('a', 'b', 'c'))",
        ):
            with self.subTest(formula):
                self.assertEqual(value(star, formula), 5)
        self.assertEqual(value(star, "rows(Port) given (clear all)"), 1)

    def test_what_is_computed_is_computed_of_what_is_left(self):
        columns = [*({"name": c.name, "dtype": c.dtype} for c in STAR.model.table("Port").columns)]
        columns.append({"name": "of_all", "dtype": "integer", "formula": "sum(Booking.seats) given (clear all)"})
        model, _ = apply(STAR.model, {"kind": "change_table", "name": "Port", "set": {"columns": columns}})
        table = {"name": "Days", "columns": [{"name": "day", "dtype": "date"}], "formula": "(Booking.day)"}
        model, _ = apply(model, {"kind": "add_table", "table": table})
        star = make_star(model, {x.name: STAR.rows[x.name] for x in STAR.model.tables})
        self.assertEqual(star.column("Port", "of_all").rows().tolist(), [63, 63, 63, 63])
        near = self.clear("Port.code = 'a'", star=star)
        self.assertEqual(near.column("Port", "of_all").rows().tolist(), [5])
        self.assertEqual(near.size("Days"), 2)
        last = self.clear("Days.day = DATE '2031-01-01'", star=star)
        self.assertEqual(last.size("Days"), 1)
        self.assertEqual(edited_star(near, replace(near.model, measures=())).cleared, near.cleared)
        with self.assertRaises(Refused) as caught:
            columns[-1]["formula"] = "rows(Days) given (clear all)"
            circle, _ = apply(model, {"kind": "change_table", "name": "Port", "set": {"columns": columns}})
            self.clear("Days.day = DATE '2031-01-01'", star=edited_star(star, circle))
        self.assertEqual(caught.exception.diagnostics[0].code, "rule_circle")

    def test_refused(self):
        for rules, who, codes in (
            (("Port.cod = 'a'", "Port.code > 1"), WHO, ["unknown_column", "wrong_type"]),
            (("Port.code = 'a' OR Cal.week = 1",), WHO, ["condition_tables"]),
            (("Port.depth > avg(Port.depth)",), WHO, ["rule_looks_wide"]),
            (("Port.code = person('age')",), WHO, ["unknown_person"]),
            (("Port.code = person(",), WHO, ["unknown_person"]),
            (("Port.code = person('email')",), {}, ["no_person"]),
            (("Port.depth * 9223372036854775807 > 0",), WHO, ["overflow"]),
        ):
            with self.subTest(rules), self.assertRaises(Refused) as caught:
                self.clear(*rules, who=who)
            self.assertEqual([d.code for d in caught.exception.diagnostics], codes)

    def test_findings_and_names(self):
        put = {"kind": "put_clearance", "clearance": {"name": "near", "rules": ["Cal.week = 1 -- the first"]}}
        model, back = apply(STAR.model, put)
        self.assertEqual(apply(model, back)[0], STAR.model)
        found = {f.code: f for f in findings(edited_star(STAR, model))}
        self.assertNotIn("broken_clearance", found)
        self.assertNotIn("Booking", found["missed_by_rules"].sentence)
        calm, _ = apply(model, {"kind": "change_link", "name": "day", "set": {"active": False}})
        found = {f.code: f for f in findings(edited_star(STAR, calm))}
        self.assertIn("Booking", found["missed_by_rules"].sentence)
        star = edited_star(STAR, model)
        later = renamed(star, read_renaming(model, "column", "Cal.week", "week of year"), lambda table, _: table)
        self.assertEqual(later.clearances[0].rules, ('Cal."week of year" = 1 -- the first',))
        broken, _ = apply(model, {"kind": "put_clearance", "clearance": {"name": "near", "rules": ["Cal.weak = 1"]}})
        self.assertIn("broken_clearance", {f.code for f in findings(edited_star(STAR, broken))})


if __name__ == "__main__":
    unittest.main()
