"""Measures found, renamed and written as text: nothing is lost on the way, and every number stays."""

import random
import unittest
from dataclasses import replace
from pathlib import Path

from nexorem.core.design.patterns import WORDS, patterns
from nexorem.core.diagnostics import Refused
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of, read_probe
from nexorem.core.language.sheet import print_sheet, read_sheet
from nexorem.core.language.uses import named_at, renaming
from nexorem.core.limits import Budget
from nexorem.core.model.edits import apply
from nexorem.core.model.model import Column, Measure, Model, Table
from nexorem.core.model.specs import ProbeSpec, spec_json
from nexorem.core.model.star import Star, table_rows
from nexorem.core.values import vector
from nexorem.package.read import open_package
from tests.core.small import STAR, keeping, make_star
from tests.core.test_computed import with_parts
from tests.oracle.random_models import Maker
from tests.plain import uses_of

DEMO = open_package(Path(__file__).parents[2] / "demo" / "lantern_isles")
MEASURES = {
    "seats": "sum(Booking.seats)",
    "twice": "seats -- seats twice\n  + SEATS /* seats */",
    "hidden": "let seats = 3 in seats + trips",
    "trips": "rows(Booking)",
    "listed": 'sum(n for each Port.code with (n = "seats"))',
    "text": "max('seats' || Port.name)",
    "broken": "seats + nope",
}


class Uses(unittest.TestCase):
    star = make_star(measures=MEASURES)

    def test_every_use_and_no_other(self):
        found = [(u["owner"], u["formula"][u["start"] : u["end"]]) for u in uses_of(self.star, "measure", "seats")]
        self.assertEqual(found, [("twice", "seats"), ("twice", "SEATS"), ("listed", '"seats"'), ("broken", "seats")])
        self.assertEqual(len(uses_of(self.star, "column", "Booking.seats")), 1)
        where = {(u["kind"], u["owner"]) for u in uses_of(DEMO, "column", "Calendar.year") if not u["formula"]}
        for folio in DEMO.model.folios:
            written = spec_json(folio)
            asked = [written, *(t["probe"] for t in written["tiles"] if isinstance(t.get("probe"), dict))]
            named = any(
                "Calendar.year" in (*p.get("rows", ()), *p.get("columns", ()), *(x.get("column") for x in p.get("picks", ())))
                for p in asked
            )
            self.assertEqual(("folio", folio.name) in where, named, folio.name)
        self.assertEqual({u["owner"] for u in uses_of(self.star, "table", "Booking")}, {"trips"})

    def test_what_stands_at_a_place(self):
        formula = "seats + sum(Port.depth) given (via Booking.refunded = Cal.day)"
        for word, want in (("seats", ("measure", "seats")), ("Port.d", ("column", "Port.depth")), ("sum", None)):
            found = named_at(self.star, "x", formula, formula.index(word))
            self.assertEqual((found.kind, found.name) if found else None, want)

    def test_renamed_everywhere_and_back(self):
        model = self.star.model
        edit = {"kind": "together", "edits": renaming(self.star, "seats", "sold seats")}
        changed, inverse = apply(model, edit)
        formulas = {m.name: m.formula for m in changed.measures}
        self.assertEqual(formulas["twice"], '"sold seats" -- seats twice\n  + "sold seats" /* seats */')
        self.assertEqual(
            (formulas["hidden"], formulas["text"], formulas["broken"]), (MEASURES["hidden"], MEASURES["text"], '"sold seats" + nope')
        )
        self.assertEqual(apply(changed, inverse)[0], model)

    def test_a_name_that_would_be_taken_for_another(self):
        for to, code in (("trips", "repeated_name"), (" ", "bad_name"), ("n", "name_in_use")):
            with self.assertRaises(Refused) as caught:
                renaming(self.star, "seats", to)
            self.assertEqual(caught.exception.diagnostics[0].code, code)

    def test_the_demo_keeps_its_numbers_under_other_names(self):
        model = DEMO.model
        edits, star = [], DEMO
        for measure in ("seats_sold", "against_target"):
            more = renaming(star, measure, f"{measure}_anew")
            star = star.with_model(apply(star.model, {"kind": "together", "edits": more})[0])
            edits += more
        for before, after in zip(model.probes, star.model.probes, strict=True):
            cells = [list(answer(s, read_probe(s, p), Budget()).tidy()) for s, p in ((DEMO, before), (star, after))]
            self.assertEqual([list(c.values()) for c in cells[0]], [list(c.values()) for c in cells[1]], before.name)
        tiles = 0
        for before, after in zip(model.folios, star.model.folios, strict=True):
            for one, other in zip(before.tiles, after.tiles, strict=True):
                if not isinstance(one.probe, ProbeSpec):
                    continue
                cells = [list(answer(s, read_probe(s, t.probe), Budget()).tidy()) for s, t in ((DEMO, one), (star, other))]
                self.assertEqual([list(c.values()) for c in cells[0]], [list(c.values()) for c in cells[1]], one)
                tiles += one.probe != other.probe
        self.assertGreater(tiles, 2)
        self.assertEqual(uses_of(star, "measure", "seats_sold"), [])

    def test_renamed_in_computed_tables_and_columns_probes_and_folios(self):
        star = with_parts(
            [("Port", "sold", "seats * 2"), ("Port", "deep", "depth > 4")],
            [("Busy", "every Port where seats > 4")],
            measures=[("over", "seats given (set Port.name in (Busy.name))")],
        )
        condition = "Port.depth < seats -- seats"
        asked = {
            "rows": ["Port.name"],
            "measures": ["seats", "more"],
            "define": {"more": "seats + 1", "own": "2"},
            "picks": [{"where": condition}],
            "sort": [{"by": "seats"}],
            "top": {"count": 2, "by": "SEATS"},
            "look": {"shade": ["seats"], "formats": {"seats": "0"}},
        }
        own = {"measures": ["seats"], "define": {"seats": "3"}}
        tiles = [
            {"kind": "probe", "probe": "A"},
            {"kind": "number", "probe": asked, "against": "seats", "without": [condition, "x"]},
            {"kind": "text"},
            {"kind": "number", "probe": own, "against": "seats"},
        ]
        folio = {"name": "F", "picks": [{"column": "Port.name", "in": ["Alder"]}, {"where": condition}], "tiles": tiles}
        star = keeping(star, probes=[{"name": "A", **asked}], folios=[folio])
        edit = {"kind": "together", "edits": renaming(star, "seats", "sold seats")}
        model, inverse = apply(star.model, edit)
        want = '"sold seats"'
        self.assertEqual(
            (model.table("Port").column("sold").formula, model.table("Port").column("deep").formula), (f"{want} * 2", "depth > 4")
        )
        self.assertEqual(
            (model.table("Busy").formula, model.measure("over").formula),
            (f"every Port where {want} > 4", f"{want} given (set Port.name in (Busy.name))"),
        )
        done = spec_json(model.folios[0])
        for probe in (spec_json(model.probes[0]), done["tiles"][1]["probe"]):
            self.assertEqual((probe["measures"], probe["define"]), (["sold seats", "more"], {"more": f"{want} + 1", "own": "2"}))
            self.assertEqual(
                (probe["picks"], probe["sort"], probe["top"]),
                ([{"where": f"Port.depth < {want} -- seats"}], [{"by": "sold seats"}], {"count": 2, "by": "sold seats"}),
            )
            self.assertEqual(probe["look"], {"shade": ["sold seats"], "formats": {"sold seats": "0"}})
        self.assertEqual(done["picks"], [{"column": "Port.name", "in": ["Alder"]}, {"where": f"Port.depth < {want} -- seats"}])
        self.assertEqual((done["tiles"][1]["against"], done["tiles"][1]["without"]), ("sold seats", [f"Port.depth < {want} -- seats", "x"]))
        self.assertEqual((done["tiles"][0], done["tiles"][2], done["tiles"][3]), (tiles[0], tiles[2], tiles[3]))
        self.assertEqual(apply(model, inverse)[0], star.model)
        places = sorted({(u["kind"], u["owner"]) for u in uses_of(star, "measure", "seats")})
        self.assertEqual(
            places, [("column", "Port.sold"), ("folio", "F"), ("measure", "over"), ("measure", "share"), ("probe", "A"), ("table", "Busy")]
        )


class Sheet(unittest.TestCase):
    def test_there_and_back(self):
        odd = [
            Measure("a b", "1 -- at the end", "Port", "#,##0", "home: a line of its own\n\n| barred", "F", True, "seats"),
            Measure('q"x', "/* first */ sum(\n  Booking.seats -- ; no end\n)", description="-- dashes"),
            Measure("let", "';' || \"seats\""),
            *DEMO.model.measures,
        ]
        self.assertEqual([w.measure for w in read_sheet(print_sheet(odd))], odd)

    def test_random_descriptions(self):
        r = random.Random(7)
        for _ in range(200):
            words = "\n".join("".join(r.choice("ab:|- ;'\"") for _ in range(r.randint(0, 6))).strip() for _ in range(r.randint(0, 3)))
            one = Measure("m", "1", description=words)
            self.assertEqual(read_sheet(print_sheet([one, Measure("n", "2")]))[0].measure, one, repr(words))

    def test_what_is_wrong_is_told_all_at_once(self):
        for text, codes in (
            ("", ["no_measure"]),
            ("seats = 1", ["open_measure"]),
            ("a = 1;\nA = 2;", ["repeated_name"]),
            ("= 3; b 4; c = ;", ["no_measure", "no_measure", "no_formula"]),
            ("-- standing: odd\na = 1;", ["bad_standing"]),
            ("a = 'x", ["open_quote", "open_measure"]),
        ):
            with self.assertRaises(Refused, msg=text) as caught:
                read_sheet(text)
            self.assertEqual([d.code for d in caught.exception.diagnostics], codes, text)
            self.assertTrue(all(d.place.startswith("line ") for d in caught.exception.diagnostics))


class Patterns(unittest.TestCase):
    def test_the_demo_fills_them_all_with_sense(self):
        found = {p.key: p for p in patterns(DEMO)}
        self.assertEqual([p.lacks for p in found.values()], [""] * len(WORDS))
        self.assertIn("match Agent.district to Island.group", found["carried"].formula)
        self.assertIn('match "Price band" to Fare', found["bands"].formula)
        self.assertEqual(found["new_here"].name, "new_customer")
        self.assertIn("growth given", patterns(DEMO, "growth")[2].formula)

    def test_what_is_offered_can_be_computed_in_any_model(self):
        offered = 0
        for seed in range(40):
            star = Maker(seed).star
            model = replace(star.model, measures=tuple(Measure(f"m{i}", f"rows({x.name})") for i, x in enumerate(star.model.tables)))
            star = star.with_model(model)
            for pattern in patterns(star, "m0"):
                self.assertEqual(pattern.formula == "", pattern.lacks != "")
                if pattern.formula:
                    offered += 1
                    answer(star, probe_of(star, {"measures": ["p"], "define": {"p": pattern.formula}}), Budget())
        self.assertGreater(offered, 60)

    def test_a_model_without_facts_says_what_it_lacks(self):
        star = Star(Model("m", (Table("T", (Column("a", "text"),)),)), {"T": table_rows(1, {"a": vector("text", ["x"])})})
        self.assertTrue(all(p.lacks and not p.formula for p in patterns(star)))

    def test_new_members_are_counted_once(self):
        """By hand: all three ports that are named and have days begin in the first week."""
        formula = next(p.formula for p in patterns(STAR) if p.key == "new_here")
        probe = {"measures": ["p"], "define": {"p": formula}, "rows": ["Cal.week"]}
        cells = {c["Cal.week"]: c["p"] for c in answer(STAR, probe_of(STAR, probe), Budget()).tidy()}
        self.assertEqual((cells.get(1), cells.get(2)), (3, None))
