"""Readings and ledgers: golden pairs, from the typed tree and never from the text."""

import unittest
from collections import Counter

from nexorem.core.diagnostics import Refused
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of, read_pick
from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.language.reading import Reader
from nexorem.core.limits import Budget
from nexorem.core.model.specs import UNMATCHED
from nexorem.core.plan.ledger import ledger
from tests.core.small import STAR
from tests.oracle.random_models import Maker
from tests.plain import complete, explained, hover, reach_after, trace

READINGS = [
    ("seats", "Seats."),
    ("sum(Booking.seats)", "The sum of Booking.seats over the visible rows of Booking."),
    ("SUM( booking.SEATS )  -- the same", "The sum of Booking.seats over the visible rows of Booking."),
    ("seats given (set Port.region = 'North')", "Seats, with Port.region replaced by North; every other filter stays."),
    ("seats given (keep Port.depth > 4)", "Seats, with Port.depth kept to where Port.depth is above 4; every other filter stays."),
    ("seats / seats given (clear Port)", "Seats divided by (seats, with the filters on Port cleared; every other filter stays)."),
    ("seats given (clear all)", "Seats, with every filter cleared."),
    ("seats given (clear all, set Port.region = 'North')", "Seats, with every filter cleared, then Port.region replaced by North."),
    ("seats given (reset all)", "Seats, with every filter back to what the page says."),
    ("seats given (keep Port.region = 'North')", "Seats, with Port.region kept to North; every other filter stays."),
    (
        "rows(Booking.port where min(Booking.day) given (clear Cal) IS NOT NULL)",
        "The number of the visible values of Booking.port where (the smallest Booking.day over the visible rows of Booking, with the filters on "
        "Cal cleared; every other filter stays) is not empty.",
    ),
    (
        "seats given (clear Port but Port.region)",
        "Seats, with the filters on Port.code, Port.name, Port.depth cleared, those on Port.region kept; every other filter stays.",
    ),
    ("seats given (reset Cal)", "Seats, with the filters on Cal back to what the page says; every other filter stays."),
    ("seats given (via Booking.refunded = Cal.day)", "Seats, with the link refund switched on."),
    ("seats given (flow Booking.port = Port.code off)", "Seats, with the link port carrying no filter."),
    ("seats given (match Tag.port to Booking.port)", "Seats, with filters on Tag carried to Booking by equal values."),
    ("seats given (shift Cal by -1 year)", "Seats, with the dates of Cal moved back by 1 year; every other filter stays."),
    (
        "seats given (stretch Cal to start of month)",
        "Seats, with the dates of Cal from the start of the month to the last one; every other filter stays.",
    ),
    (
        "seats given (keep Port.name in top 3 of Port.name by seats)",
        "Seats, with Port.name kept to the 3 of the visible values of Port.name with the highest seats; every other filter stays.",
    ),
    (
        "max(seats for each (Port.region, Port.depth))",
        "The largest seats, for each of the visible combinations of Port.region, Port.depth.",
    ),
    ("rank(seats among page Port.name asc)", "The rank of seats among the page's values of Port.name, the smallest first."),
    ("the(Port.name, 'many')", "The single visible value of Port.name, else many."),
    (
        "rows(every Port except (every Port where Port.depth IS NULL))",
        "The number of all rows of Port without all rows of Port where Port.depth is empty.",
    ),
    ("let a = seats in a * 2", "A times 2, a being seats."),
    (
        "count(distinct Booking.port where Booking.note IS NOT NULL)",
        "The number of different values of Booking.port over the visible rows of Booking where Booking.note is not empty.",
    ),
    ("CASE WHEN single(Port.name) THEN seats ELSE 0 END", "Seats if Port.name has a single visible value, else 0."),
]


def lines(formula, picks=()):
    probe = probe_of(
        STAR, {"rows": ["Port.name"], "columns": ["Cal.week"], "measures": ["x"], "define": {"x": formula}, "picks": list(picks)}
    )
    told = explained(STAR, probe, "x", Budget())
    return {x["column"]: (x["arriving"], x["leaving"], x["kind"]) for x in told["ledger"]}


def in_force(told):
    """By column, what the filters allow where the rows are counted."""
    node = told["tree"]
    while node["children"]:
        node = node["children"][-1]
    return {c["column"]: (str(c["values"]), c["count"], c["unmatched"]) for f in node["filters"] for c in f["columns"]}


class Reading(unittest.TestCase):
    def test_sentences(self):
        for formula, expected in READINGS:
            with self.subTest(formula):
                bound = Binder(STAR, {"x": formula}).measure("x")
                self.assertEqual(Reader(STAR.model).sentence(bound), expected)

    def test_ledger(self):
        own = "the cell's own"
        cases = [
            ("seats", {"Port.name": (own, own, "kept"), "Cal.week": (own, own, "kept")}),
            ("seats given (set Port.name = 'x')", {"Port.name": (own, "Port.name is x", "replaced"), "Cal.week": (own, own, "kept")}),
            ("seats given (clear Port)", {"Port.name": (own, "", "cleared"), "Cal.week": (own, own, "kept")}),
            ("seats given (set Port.region = 'N')", {"Port.region": ("", "Port.region is N", "added"), "Port.name": (own, own, "kept")}),
            (
                "seats given (shift Cal by 1 day)",
                {"Cal.week": (own, "", "cleared"), "Cal.day": ("", "the dates of Cal moved on by 1 day", "moved")},
            ),
            ("seats given (match Port.code to Booking.port)", {"Port.name": (own, own, "carried")}),
        ]
        for formula, expected in cases:
            with self.subTest(formula):
                found = lines(formula) if "match" not in formula else lines(f"({formula}) given (flow Booking.port = Port.code off)")
                self.assertLessEqual(expected.items(), found.items())

    def test_a_given_is_found_wherever_it_stands(self):
        """In a table expression, right of an edit, in rows that are run over; each is told once."""
        own = "the cell's own"
        for formula, given in (
            ("sum(seats for each (top 1 of Port.name by (trips given (clear Cal))))", "given (clear Cal)"),
            ("seats given (keep Port.depth > (max(Port.depth) given (clear Cal)))", "given (clear Cal)"),
            ("sum(seats for each Port where (trips given (clear Cal)) > 1)", "given (clear Cal)"),
        ):
            with self.subTest(formula):
                probe = probe_of(STAR, {"rows": ["Port.name"], "columns": ["Cal.week"], "measures": ["x"], "define": {"x": formula}})
                told = [x for x in explained(STAR, probe, "x", Budget())["ledger"] if x["given"] == given]
                cleared = [(x["column"], x["arriving"], x["leaving"]) for x in told if x["kind"] == "cleared"]
                self.assertEqual(cleared, [("Cal.week", own, "")])
                self.assertIn(("Port.name", "kept"), [(x["column"], x["kind"]) for x in told])
        rows = lines("rows(Booking) given (set Booking in (Booking where seats > 3))")
        self.assertEqual(rows["Booking"], ("", "the visible rows of Booking where seats is above 3", "added"))

    def test_reset_brings_back_the_page(self):
        found = lines("seats given (clear Port, reset Port)", [{"column": "Port.region", "in": ["North"]}])
        self.assertEqual(found["Port.region"], ("the page's North", "the page's North", "kept"))
        self.assertEqual(found["Port.name"][1:], ("", "cleared"))

    def test_the_ledger_says_what_becomes_of_each_filter(self):
        """Against the filters that a trace finds in force before and after the edits, for random models, edits and cells."""
        kinds = Counter()
        for seed in range(400):
            maker = Maker(seed)
            grain = maker.table()
            define = {"x": f"rows({grain}) given ({maker.edits()})", "y": f"rows({grain})"}
            probe = maker.probe(["x"]) | {"define": define, "totals": "none", "empty_lines": True}
            probe["picks"] = [p for p in probe["picks"] if "column" in p]
            try:
                bound = Binder(maker.star, define).measure("x")
                cells = list(answer(maker.star, probe_of(maker.star, probe), Budget()).tidy())
            except Refused:
                continue
            if not isinstance(bound.body, t.Edited):
                continue
            of_rows = {e.table for e in bound.body.edits if isinstance(e, t.Listing) and e.columns is None}
            for cell in maker.r.sample(cells, min(2, len(cells))):
                at = {k: v for k, v in cell.items() if k != "x"}
                picks = [read_pick(maker.star, k, [UNMATCHED if v == "(unmatched)" else v]) for k, v in at.items()]
                before, after = (
                    in_force(trace(maker.star, probe_of(maker.star, probe | {"measures": [m]}), m, picks, Budget())) for m in "yx"
                )
                page = {tuple(p["column"].split(".")): "the page's" for p in probe["picks"]}
                arriving = page | {tuple(k.split(".")): f"the cell's {v}" for k, v in at.items()}
                told = {line.column: line.kind for line in ledger(maker.model, bound, arriving, page)}
                for column in {*before, *after, *told}:
                    if column.split(".")[0] in of_rows:
                        continue  # a filter over the rows of a table is one line of the ledger, and sits on all columns
                    had, has, kind = before.get(column), after.get(column), told.get(column)
                    so = {
                        "kept": had and has == had,
                        "carried": had and has == had,
                        "cleared": had and not has,
                        "added": has and not had,
                        "replaced": had and has,
                        "moved": has,
                    }
                    self.assertTrue(so.get(kind), (seed, define["x"], column, kind, had, has))
                    kinds[kind] += 1
        self.assertEqual({*kinds}, {"kept", "carried", "cleared", "added", "replaced", "moved"})
        self.assertGreater(min(kinds.values()), 5)

    def test_explained(self):
        probe = probe_of(STAR, {"measures": ["x"], "rows": ["Port.name"], "define": {"x": "seats / seats given (clear Port)"}})
        told = explained(STAR, probe, "x", Budget())
        self.assertEqual(told["grain"], ["Booking"])
        self.assertEqual({s["rows"] for s in told["plan"] if "scan" in s["step"]}, {7})
        self.assertTrue(all(s["milliseconds"] >= 0 and s["cells"] == 5 for s in told["plan"]))


class Assist(unittest.TestCase):
    def labels(self, text):
        return [i["label"] for i in complete(STAR, text, len(text))["items"]]

    def test_completion(self):
        self.assertEqual(self.labels("sum(Port.")[:2], ["code", "name"])
        self.assertEqual(self.labels("seats given (via "), ["Booking.refunded = Cal.day", "Tag.port = Port.code"])
        inside = self.labels("sum(Booking.seats * ")
        self.assertLess(inside.index("Port.depth"), inside.index("seats"))  # looked up from the rows run over
        self.assertNotIn("Tag.tag", inside[: inside.index("seats")])
        self.assertIn("stretch", self.labels("seats given (st"))
        self.assertNotIn("stretch", self.labels("st"))
        self.assertEqual(complete(STAR, "seats + tri", 11)["start"], 8)
        self.assertEqual(self.labels("seats + tri")[:2], ["trips", "TRIM"])

    def test_hover(self):
        self.assertIn("sum(Booking.seats)", hover(STAR, "seats + 1", 2)["text"])
        self.assertIn("4 different values", hover(STAR, "max(Port.code)", 10)["text"])
        self.assertIn("look up", hover(STAR, "rows(Booking)", 6)["text"])
        self.assertIn("median(", hover(STAR, "median(Port.depth)", 1)["title"])
        self.assertEqual(hover(STAR, "1 + 2", 0)["title"], "")

    def test_what_but_does_is_said_where_it_stands(self):
        for formula, title, named, sentence in (
            ("seats given (clear Port but Port.region)", "but keeps", "Here Port.region.", "those on Port.region kept"),
            ("seats given (clear wide Booking but Port)", "but keeps", "Port.code, Port.depth, Port.name", "those on Port kept"),
            ("seats given (clear Port but Cal)", "but keeps", "none of what it clears", "those on Cal kept"),
            ("seats given (reset Port but Port.name)", "but keeps", "Here Port.name.", "those on Port.name as they are"),
            ("sum(seats for each every Port but Port.code)", "but drops", "Here Port.code goes.", "combinations of Port.name, Port.region"),
        ):
            with self.subTest(formula):
                told = hover(STAR, formula, formula.index(" but ") + 2)
                self.assertEqual(told["title"], title)
                self.assertIn(named, told["text"])
                self.assertIn(sentence, Reader(STAR.model).sentence(Binder(STAR, {"x": formula}).measure("x")))
                before = formula[: formula.index(" but ")] + " bu"
                (offer,) = [i for i in complete(STAR, before, len(before))["items"] if i["label"] == "but"]
                self.assertIn("drops" if "every" in formula else "keeps", offer["detail"])

    def test_reach_after_edits(self):
        def pair(given, a, b):
            return next(p for p in reach_after(STAR, given)["pairs"] if (p["from"], p["to"]) == (a, b))

        self.assertEqual(pair("", "Port", "Booking")["path"], ["port"])
        self.assertEqual(pair("", "Booking", "Port")["stops"], [{"link": "port", "to": "Port", "reason": "one-way"}])
        self.assertEqual(pair("flow Booking.port = Port.code two-way", "Booking", "Port")["path"], ["port"])
        self.assertEqual(pair("flow Booking.port = Port.code off", "Port", "Booking")["stops"][0]["reason"], "off")
        self.assertTrue(pair("", "Nobody", "Port")["none"])
        self.assertEqual(pair("match Nobody.y to Port.name", "Nobody", "Port")["path"], ["match Nobody.y to Port.name"])


if __name__ == "__main__":
    unittest.main()
