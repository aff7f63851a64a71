"""Classic mistakes, each with its mark and its mend; what is claimed of totals; and that no claim is made that was not checked."""

import datetime as dt
import math
import os
import random
import re
import unittest
from dataclasses import replace

from nexorem.core.design.roles import role
from nexorem.core.design.truth.additive import additivity
from nexorem.core.design.truth.apart import compared_parts, rows_by_lines
from nexorem.core.design.truth.seen import seen
from nexorem.core.diagnostics import Refused
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.limits import Budget
from nexorem.core.plan.tree import scans
from tests.core.small import LINKS, make_star
from tests.core.test_truth import LOOSE, asked, told
from tests.oracle.agreement import Page, same
from tests.oracle.random_models import Maker
from tests.plain import looked_at, marks, unmatched_marks

D = dt.date
SEEDS = int(os.environ.get("SEEDS", "2000")) // 4
LIBRARY = {
    "Loan": (
        "item:text day:date copies:integer",
        [
            ("i1", D(2031, 1, 5), 2),
            ("i2", D(2031, 1, 9), 3),
            ("i1", D(2031, 2, 1), 1),
            ("i9", D(2031, 2, 2), 4),
            (None, D(2032, 3, 1), 8),
            ("i3", D(2031, 3, 3), 5),
        ],
    ),
    "Item": ("code:text kind:text unit_cost:number", [("i1", "book", 10.0), ("i2", "disc", 4.0), ("i3", "book", None)]),
    "Goal": ("day:date copies:integer", [(D(2031, m, 28), m * 10) for m in range(1, 7)]),
    "Cal": (
        "day:date month:text year:integer",
        [
            (
                D(2031, 1, 1) + dt.timedelta(days=i),
                f"{(D(2031, 1, 1) + dt.timedelta(days=i)):%Y-%m}",
                (D(2031, 1, 1) + dt.timedelta(days=i)).year,
            )
            for i in range(731)
        ],
    ),
}
LIBRARY_LINKS = [
    {"name": "item", "from": "Loan.item", "to": "Item.code"},
    {"name": "day", "from": "Loan.day", "to": "Cal.day"},
    {"name": "goal day", "from": "Goal.day", "to": "Cal.day"},
]
LIBRARY_MEASURES = {"copies": "sum(Loan.copies)", "goal": "sum(Goal.copies)"}
STAR = make_star(LIBRARY, LIBRARY_LINKS, LIBRARY_MEASURES)


def one(formula, star=STAR, **probe):
    """The marks of one formula, by kind."""
    return told(asked(star, ["x"], define={"x": formula}, **probe))


def number(formula, star=STAR, **probe):
    found = answer(star, probe_of(star, {"measures": ["x"], "define": {"x": formula}, **probe}), Budget())
    return found.value(0, len(found.rows.lines) - 1, len(found.columns.lines) - 1)


class Mistakes(unittest.TestCase):
    def test_a_product_is_mended_as_a_whole_or_not_at_all(self):
        by_hand = sum(c * k for c, k in ((2, 10.0), (3, 4.0), (1, 10.0)))
        for formula in (
            "copies * sum(Item.unit_cost)",
            "sum(Item.unit_cost) * copies",
            "copies * avg(Item.unit_cost)",
            "copies * sum(Item.unit_cost) * 2",
        ):
            with self.subTest(formula):
                mark = one(formula, rows=["Cal.year"])["dimension_side"]
                self.assertEqual(len(mark["mends"]), 1)
                times = 2 if formula.endswith("2") else 1
                self.assertEqual(number(mark["mends"][0]["formula"]), by_hand * times)
                self.assertNotIn("dimension_side", one(mark["mends"][0]["formula"], rows=["Cal.year"]))
        # No mend where the factors cannot go into one sum.
        for formula in (
            "copies * copies * sum(Item.unit_cost)",
            "sum(Item.unit_cost) / copies",
            "copies * sum(Item.unit_cost where Item.kind = 'book')",
        ):
            with self.subTest(formula):
                self.assertEqual(one(formula, rows=["Cal.year"])["dimension_side"]["mends"], [])

    def test_rows_fall_out_of_a_product(self):
        mark = one("sum(Loan.copies * Item.unit_cost)", rows=["Cal.year"])["lost"]
        self.assertIn("3 rows of Loan have no Item.unit_cost and fall out", mark["sentence"])
        self.assertEqual(
            one("sum(Loan.copies * Item.unit_cost)", picks=[{"where": "Cal.year = 2032"}])["lost"]["sentence"][:9], "1 row of "
        )
        mended = mark["mends"][0]["formula"]
        self.assertEqual(
            (mended, number(mended)), ("sum(Loan.copies * COALESCE(Item.unit_cost, 0))", number("sum(Loan.copies * Item.unit_cost)"))
        )
        less = one("sum(Loan.copies - Item.unit_cost)", rows=["Cal.year"])["lost"]
        self.assertIn("3 rows of Loan have no Item.unit_cost and fall out", less["sentence"])
        self.assertNotEqual(number(less["mends"][0]["formula"]), number("sum(Loan.copies - Item.unit_cost)"))
        for quiet in (mended, less["mends"][0]["formula"], "sum(Loan.copies)", "sum(Item.unit_cost)", "max(Loan.copies * Item.unit_cost)"):
            self.assertNotIn("lost", one(quiet, rows=["Cal.year"]))

    def test_a_rank_that_is_first_everywhere(self):
        for formula, axis, mended in (
            ("rank(copies among Item.kind)", "Item.kind", "rank(copies among page Item.kind)"),
            ("rank(copies among page Item.kind)", "Cal.year", None),
            ("rank(copies among page Item.kind)", "Item.kind", False),
            ("copies * 0 + 1", "Item.kind", False),
        ):
            with self.subTest(formula, axis=axis):
                found = one(formula, rows=[axis])
                self.assertEqual("first" in found, mended is not False)
                if mended:
                    self.assertEqual([m["formula"] for m in found["first"]["mends"]], [mended])
                    self.assertNotIn("first", one(mended, rows=[axis]))
                for mend in found["first"]["mends"] if mended is None else ():
                    self.assertNotIn("first", one(mend["formula"], rows=[axis]))

    def test_a_given_on_the_name_of_a_let(self):
        fixed = one("let a = copies in copies / a given (clear Item)", rows=["Item.kind"])["fixed"]
        self.assertIn("changes nothing of a in x", fixed["sentence"])
        self.assertNotIn("overridden", one("let a = copies in a given (clear Item)", rows=["Item.kind"]))  # for it has no effect
        self.assertEqual([m["formula"] for m in fixed["mends"]], ["let a = copies in copies / (copies) given (clear Item)"])
        for quiet in (
            "let a = copies in a / copies given (clear Item)",
            "let a = copies in (a + copies) given (clear Item)",
            "let a = 2 in a given (clear Item)",
        ):
            self.assertNotIn("fixed", one(quiet, rows=["Item.kind"]))

    def test_a_fact_of_months_shown_by_days(self):
        for column, marked in (("Cal.day", True), ("Cal.month", False), ("Cal.year", False), ("Item.kind", False)):
            found = one("copies / goal", rows=[column])
            self.assertEqual("coarse" in found, marked, column)
        mend = one("copies / goal", rows=["Cal.day"])["coarse"]["mends"][0]
        self.assertEqual(mend["formula"], "copies / goal given (stretch Cal to whole month)")
        self.assertNotIn("coarse", one(mend["formula"], rows=["Cal.day"]))
        cells = {c.get("Cal.day"): c["x"] for c in asked(STAR, ["x"], define={"x": mend["formula"]}, rows=["Cal.day"]).tidy()}
        self.assertEqual((cells["2031-01-05"], cells["2031-02-01"]), (2 / 10, 1 / 20))
        self.assertEqual(one("goal", rows=["Cal.day"])["coarse"]["mends"][0]["formula"], "goal given (stretch Cal to whole month)")
        few = make_star(LIBRARY | {"Goal": (LIBRARY["Goal"][0], LIBRARY["Goal"][1][:2])}, LIBRARY_LINKS, LIBRARY_MEASURES)
        self.assertNotIn("coarse", one("goal", few, rows=["Cal.day"]))

    def test_periods_that_are_not_alike(self):
        daily = [(None, D(2031, 6, 1) + dt.timedelta(days=i), 1) for i in range(500)]  # to October 2032
        star = make_star(LIBRARY | {"Loan": (LIBRARY["Loan"][0], daily)}, LIBRARY_LINKS, LIBRARY_MEASURES)
        growth = "copies / copies given (shift Cal by -1 year) - 1"
        mark = one(growth, star, rows=["Cal.month"])["uneven"]
        lines = asked(star, ["x"], define={"x": growth}, rows=["Cal.month"])
        months = [c.get("Cal.month") for c in lines.tidy()]
        self.assertEqual({months[r] for r, _ in mark["cells"]}, {"2032-10", None})  # half of October 2032; and the whole
        (mend,) = mark["mends"]
        self.assertNotIn("uneven", one(mend["formula"], star, rows=["Cal.month"]))
        cells = {c.get("Cal.month"): c["x"] for c in asked(star, ["x"], define={"x": mend["formula"]}, rows=["Cal.month"]).tidy()}
        self.assertEqual((cells["2032-10"], cells["2032-07"], cells[None]), (0.0, 0.0, 0.0))
        self.assertNotIn(
            "uneven",
            one(
                "copies given (shift Cal by -1 month)",
                star,
                rows=["Cal.month"],
                picks=[{"where": "Cal.month between '2031-08' and '2032-09'"}],
                totals="none",
            ),
        )

    def test_parents_beside_their_children(self):
        accounts = [
            ("all", None),
            ("cost", "all"),
            ("fuel", "cost"),
            ("wages", "cost"),
            ("income", "all"),
            ("fares", "income"),
            ("bar", "income"),
        ]
        amounts = {"fuel": 5, "wages": 7, "cost": 12, "fares": 20, "bar": 3, "income": 23, "all": 35}
        tables = {"Post": ("account:text amount:number", list(amounts.items())), "Account": ("code:text parent_code:text", accounts)}
        links = [{"name": "account", "from": "Post.account", "to": "Account.code"}]
        star = make_star(tables, links, {"amount": "sum(Post.amount)"})
        mark = told(asked(star, ["amount"], rows=["Account.code"]))["nested"]
        self.assertIn("3 rows of it, all for one, have what their children have together", mark["sentence"])
        self.assertEqual(number(mark["mends"][0]["formula"], star), 35)
        self.assertEqual(number("amount", star), 105)
        leaves = make_star(
            tables | {"Post": (tables["Post"][0], [p for p in amounts.items() if p[0] not in ("cost", "income", "all")])},
            links,
            {"amount": "sum(Post.amount)"},
        )
        self.assertNotIn("nested", told(asked(leaves, ["amount"], rows=["Account.code"])))
        self.assertNotIn(
            "nested", told(asked(star, ["amount"], rows=["Account.code"], picks=[{"column": "Account.code", "in": ["fuel", "cost"]}]))
        )

    def test_unmatched_rows_come_by_a_link_that_is_switched_on(self):
        star = make_star(
            links=[*(k for k in LINKS if k["name"] != "crew"), {"name": "crew", "from": "Crew.port", "to": "Port.code", "active": False}]
        )
        probe = {"rows": ["Port.region"], "define": {"x": "rows(Crew) given (via Crew.port = Port.code)"}}
        (mark,) = unmatched_marks(asked(star, ["x"], **probe))
        self.assertIn("1 of Crew with a Crew.port that is not in Port (over crew, which x switches on)", mark["sentence"])


class Sums(unittest.TestCase):
    def test_what_is_said_of_totals(self):
        for formula, probe, status, why in (
            ("copies", {"rows": ["Item.kind"]}, "sum", ""),
            ("copies * 2 - rows(Loan)", {"rows": ["Item.kind"]}, "sum", ""),
            ("copies / goal", {"rows": ["Cal.month"]}, "not", "ratio"),
            ("copies * sum(Item.unit_cost)", {"rows": ["Item.kind"]}, "not", "product"),
            ("avg(Loan.copies)", {"rows": ["Item.kind"]}, "not", "average"),
            ("max(Loan.copies)", {"rows": ["Item.kind"]}, "not", "extreme"),
            ("copies + 1", {"rows": ["Item.kind"]}, "not", "constant"),
            ("0 - copies", {"rows": ["Item.kind"]}, "sum", ""),
            ("rows(Item.kind)", {"rows": ["Cal.month"]}, "apart", "distinct"),
            ("ROUND(copies)", {"rows": ["Item.kind"]}, "found", ""),
            ("copies given (set Item.kind = 'book')", {"rows": ["Item.kind"]}, "apart", "edit"),
            ("copies given (set Item.kind = 'book')", {"rows": ["Cal.month"]}, "sum", ""),
            ("copies", {"rows": ["Item.kind"], "totals": "none"}, "", ""),
            ("Max(Item.kind)", {"rows": ["Item.kind"]}, "", ""),
            ("copies", {}, "", ""),
            ("goal", {"rows": ["Item.kind"], "empty_lines": True}, "apart", "unreached"),
        ):
            with self.subTest(formula, **probe):
                ((_, found),) = looked_at(asked(STAR, ["x"], define={"x": formula}, **probe))
                self.assertEqual((found["status"], found["why"]), (status, why), found["sentence"])
                self.assertEqual(bool(found["sentence"]), bool(status))

    def test_rows_of_a_total_are_counted_on_its_lines(self):
        found = asked(LOOSE, ["seats"], rows=["Tag.tag"])
        look = seen(found, Budget())
        measure = look.grid.plan.measures[look.grid.probe.measures.index("seats")]
        (item,) = compared_parts(look, 0)
        self.assertEqual(rows_by_lines(look, measure, scans(measure)[0], item), (7, 2, 3))
        self.assertIn(
            "of the 7 rows in the total that is furthest off, 2 count on several of its lines and 3 count on none",
            told(found)["apart"]["sentence"],
        )
        negative = one("0 - seats", LOOSE, rows=["Tag.tag"])
        self.assertEqual(negative["apart"]["sentence"], told(found)["apart"]["sentence"].replace("seats:", "x:"))

    def test_claims_hold_on_random_models(self):
        claims = mends = 0
        for seed in range(SEEDS):
            maker, r = Maker(seed), random.Random(seed)
            maker.with_measures(2)
            model = maker.model
            amounts = [f"{t.name}.{c.name}" for t in model.tables for c in t.columns if c.dtype in ("integer", "number")]
            define = (
                {
                    "a": f"rows({r.choice(model.tables).name})",
                    "b": f"sum({r.choice(amounts)}) - 2 * sum({r.choice(amounts)})",
                    "c": f"sum({r.choice(amounts)}) * sum({r.choice(amounts)})",
                }
                if amounts
                else {}
            )
            probe = maker.probe([model.measures[-1].name]) | {"totals": "all"}
            probe = {k: v for k, v in probe.items() if k != "top"} | {"measures": [model.measures[-1].name, *define], "define": define}
            try:
                grid = answer(maker.star, probe_of(maker.star, probe), Budget())
            except Refused:
                continue
            look = seen(grid, Budget())
            for place, (found, sums) in enumerate(looked_at(grid)):
                measure = look.grid.plan.measures[place]
                parts = compared_parts(look, place)
                if parts and additivity(maker.star, measure, look.axes, {t for t, _ in look.paged}).status == "sum":
                    claims += 1
                    self.assertFalse([p.cells for p in parts if len(p.cells)], (seed, measure.formula))
                self.assertTrue(sums["status"] != "found" or not any(len(p.cells) for p in parts), seed)
                for mark, mend in (
                    (m, x) for m in found if m["kind"] in ("dimension_side", "lost", "coarse", "uneven", "nested") for x in m["mends"]
                ):
                    mends += 1
                    self.mends_it(maker, probe, measure.name, mark, mend, seed)
        self.assertGreater(claims, SEEDS // 8)

    def mends_it(self, maker, probe, name, mark, mend, seed):
        """With a mend its mark is gone; an explicit 0 leaves the number of products what it was, and brings rows back into sums, as the
        oracle counts them."""
        star, again = maker.star, dict(probe)
        if mend["own"]:
            again["define"] = probe["define"] | {mend["measure"]: mend["formula"]}
        else:
            kept = tuple(replace(x, formula=mend["formula"]) if x.name == mend["measure"] else x for x in maker.model.measures)
            star = star.with_model(replace(maker.model, measures=kept))
        after = answer(star, probe_of(star, again), Budget())
        place = after.probe.measures.index(name)
        self.assertNotIn(
            (mark["kind"], mark["sentence"]), [(m["kind"], m["sentence"]) for m in marks(after)[place]], (seed, mend["formula"])
        )
        if mark["kind"] == "lost" and after.values[place].failed is None:
            before = answer(maker.star, probe_of(maker.star, probe), Budget())
            mine, theirs = (
                {repr({k: v for k, v in c.items() if k not in probe["measures"]}): c[name] for c in g.tidy()} for g in (before, after)
            )
            added = re.search("[+-]", mark["sentence"].rsplit(" out of ", 1)[1])
            if added:
                page = Page(maker, again)
                page.oracle.measures[mend["measure"]] = mend["formula"]
                mine, theirs = {"whole": page.cell_or_error(name, {})}, {"whole": theirs["{}"]}
            self.assertTrue(
                all(same(theirs[k], v) or math.isclose(v or 0, theirs[k] or 0) for k, v in mine.items()), (seed, mend["formula"])
            )


class Roles(unittest.TestCase):
    def test_bridges_facts_and_dimensions_are_told_apart(self):
        lines = [("a", "x", 3), ("b", "y", 9)]
        base = {"P": ("code:text", [("a",), ("b",)]), "T": ("tag:text", [("x",), ("y",)])}
        links = [{"name": "p", "from": "B.port", "to": "P.code", "flow": "two-way"}, {"name": "t", "from": "B.tag", "to": "T.tag"}]
        for columns, rows, kind in (
            ("port:text tag:text", [x[:2] for x in lines], "bridge"),
            ("port:text tag:text share:number", [(*x[:2], 0.5) for x in lines], "bridge"),
            ("port:text tag:text copies:integer", lines, "fact"),
            ("port:text tag:text note:text", [(*x[:2], "n") for x in lines], "bridge"),
        ):
            star = make_star(base | {"B": (columns, rows)}, links, {})
            self.assertEqual(role(star, star.model.table("B")), kind, columns)
        branch = {
            "Branch": ("branch_code:text name:text region:text", [("b1", "Quay", "r1"), ("b2", "Mill", "r1")]),
            "Region": ("code:text", [("r1",), ("r2",)]),
        }
        link = [{"name": "r", "from": "Branch.region", "to": "Region.code"}]
        star = make_star(branch, link, {})
        self.assertEqual([role(star, t) for t in star.model.tables], ["dimension", "outrigger"])
        counted = make_star(branch, link, {"branches": "rows(Branch)"})
        self.assertEqual(role(counted, counted.model.table("Branch")), "fact")
        orders = {"Order": ("order_no:integer region:text amount:number", [(1, "r1", 2.0), (2, "r1", 3.0)]), "Region": branch["Region"]}
        star = make_star(orders, [{"name": "r", "from": "Order.region", "to": "Region.code"}], {})
        self.assertEqual(role(star, star.model.table("Order")), "fact")


if __name__ == "__main__":
    unittest.main()
