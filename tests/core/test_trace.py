"""A trace's counts are what a person would count, and its root is the grid's cell."""

import math
import unittest

from nexorem.core.diagnostics import Refused
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of, read_pick
from nexorem.core.engine.trace import trace as whole_trace
from nexorem.core.engine.trace_beside import parting
from nexorem.core.engine.trace_rows import RowOrder
from nexorem.core.limits import Budget
from nexorem.core.model.specs import UNMATCHED
from nexorem.core.results import as_json
from tests.core.small import STAR
from tests.oracle.common import UNMATCHED as MEMBER
from tests.oracle.common import Filter
from tests.oracle.interpreter import Context
from tests.oracle.random_models import Maker
from tests.plain import trace, trace_rows


def traced(formula, picks=(), **at):
    probe = probe_of(STAR, {"measures": ["x"], "define": {"x": formula}, "picks": list(picks)})
    return whole_trace(STAR, probe, "x", [read_pick(STAR, k.replace("__", "."), [v]) for k, v in at.items()], Budget())


def told(formula, **at):
    """A trace as it is sent."""
    return as_json(traced(formula, **at))


def parted(first, second):
    """Where two traces part, as it is sent."""
    return as_json(parting(first, second))


def only(node, kind):
    """The first node of a kind, going down."""
    queue = [node]
    while queue:
        at = queue.pop(0)
        if at["kind"] == kind:
            return at
        queue += at["children"]
    raise AssertionError(kind)


def walked(node):
    """A node and all below it, those in its edits too."""
    yield node
    for child in (*node["children"], *(c for e in node["edits"] for c in e["children"])):
        yield from walked(child)


class Trace(unittest.TestCase):
    def test_a_scan(self):
        found = told("seats", Crew__name="Ula", Cal__week=1)
        scan = only(found["tree"], "aggregate")
        flows = {f["link"]: (f["from"], f["to"], f["rows_before"], f["rows_after"]) for f in scan["flows"]}
        self.assertEqual(flows, {"crew": ("Crew", "Port", 4, 1), "port": ("Port", "Booking", 7, 2), "day": ("Cal", "Booking", 2, 1)})
        self.assertEqual(
            {(b["link"], b["to"], b["reason"]) for b in scan["blocked"]}, {("tag", "Tag", "inactive"), ("refund", "Booking", "inactive")}
        )
        sums = scan["arithmetic"]
        self.assertEqual(
            (sums["grain"], sums["rows_used"], sums["rows_total"], sums["rows"], sums["values"]), ("Booking", 1, 7, [[1, 1]], [1])
        )
        self.assertEqual(found["value"], 1)
        kept = {f["table"]: (f["rows_kept"], f["rows_total"]) for f in scan["filters"]}
        self.assertEqual(kept, {"Crew": (1, 4), "Cal": (2, 4)})

    def test_what_filters_on_several_columns_allow_together(self):
        """Each allows South, beside something else of another column: no row has both."""
        picks = [{"where": "Port.depth = 3 OR Port.region = 'North'"}, {"where": "Port.code = 'd' OR Port.region = 'North'"}]
        (kept,) = only(as_json(traced("seats", picks))["tree"], "aggregate")["filters"]
        allowed = {c["column"]: (c["values"], c["count"]) for c in kept["columns"]}
        self.assertEqual(allowed, {"Port.region": (["North"], 1), "Port.depth": ([3, 5], 2), "Port.code": (["a", "d"], 2)})
        self.assertEqual(kept["rows_kept"], 1)

    def test_edits(self):
        found = told("seats given (set Port.region = 'South', keep Port.depth > 1, clear Cal)", Port__region="North", Cal__week=1)
        edits = only(found["tree"], "given")["edits"]
        changes = {c["column"]: c for e in edits for c in e["changes"]}
        self.assertEqual(
            [(e["kind"], [(c["column"], c["kind"]) for c in e["changes"]]) for e in edits],
            [("set", [("Port.region", "replaced")]), ("keep", [("Port.depth", "added")]), ("clear", [("Cal.week", "cleared")])],
        )
        self.assertEqual((changes["Port.region"]["before"]["values"], changes["Port.region"]["after"]["values"]), (["North"], ["South"]))
        self.assertIsNone(changes["Cal.week"]["after"])
        via = only(told("seats given (via Booking.refunded = Cal.day)")["tree"], "given")["edits"][0]
        self.assertEqual((via["link"], via["instead_of"]), ("refund", ["day"]))

    def test_the_right_side_of_an_edit_is_told(self):
        found = told("seats given (set Cal.day <= max(Cal.day))", Cal__week=1)
        inner = only(found["tree"], "given")["edits"][0]["children"]
        self.assertEqual([(n["kind"], n["value"]) for n in inner], [("aggregate", "2031-01-02")])

    def test_what_does_not_reach(self):
        scan = only(told("sum(Port.depth)", Cal__year=2031)["tree"], "aggregate")
        self.assertEqual([(u["table"], [s["link"] for s in u["stops"]]) for u in scan["unreached"]], [("Cal", ["refund", "port"])])
        self.assertEqual(only(told("seats", Nobody__y="q")["tree"], "aggregate")["unreached"][0]["stops"][0]["reason"], "no link")

    def test_rows_in_their_own_context(self):
        sums = only(told("sum(Port.depth * seats)")["tree"], "aggregate")["arithmetic"]
        self.assertEqual(sums["values"], [25, 6, 288, None])

    def test_failures(self):
        self.assertEqual(told("9223372036854775807 * trips")["value"]["error"], "overflow")

    def test_random_traces_agree_with_grid_and_oracle(self):
        checked = scans = entered = 0
        for seed in range(300):
            maker = Maker(seed)
            maker.with_measures(2)
            probe = maker.probe(["m0"]) | {"totals": "all"}
            try:
                cells = list(answer(maker.star, probe_of(maker.star, probe), Budget()).tidy())
            except Refused:
                continue
            for cell in maker.r.sample(cells, min(3, len(cells))):
                at = {k: v for k, v in cell.items() if k != "m0"}
                picks = [read_pick(maker.star, k, [UNMATCHED if v == "(unmatched)" else v]) for k, v in at.items()]
                found = trace(maker.star, probe_of(maker.star, probe), "m0", picks, Budget())
                checked += 1
                a, b = found["value"], cell["m0"]
                if isinstance(a, float) and isinstance(b, float):
                    self.assertTrue(math.isclose(a, b, rel_tol=1e-12), f"seed {seed}: {a} {b}")
                elif isinstance(b, dict):
                    self.assertEqual(a["error"], b["error"])
                else:
                    self.assertEqual(a, b, f"seed {seed}")
                scans += self.count_rows(maker, probe, picks, found["tree"])
                entered += self.enter_rows(maker, probe, picks, found["tree"])
        self.assertGreater(checked, 400)
        self.assertGreater(entered, 20)
        self.assertGreater(scans, 30)

    def enter_rows(self, maker, probe, picks, tree):
        """Goes on in the rows told of every iteration: a value computed there by one node is the row's own."""
        done = 0
        for node in [n for n in walked(tree) if n.get("iteration")][:2]:
            for row in node["iteration"]["rows"][:2]:
                asked = probe_of(maker.star, probe)
                found = trace(maker.star, asked, "m0", picks, Budget(), [(node["path"], row["key"])])
                self.assertEqual(found["within"][0]["row"]["value"], row["value"])
                formula = node["text"].partition("for each")[0]
                if len(found["tree"]["children"]) == 1 and found["tree"]["children"][0]["text"] == formula[4:].strip():
                    self.assertEqual(found["tree"]["children"][0]["value"], row["value"])
                done += 1
        return done

    def count_rows(self, maker, probe, picks, tree):
        """Rows of a scan that no edit stands before, counted by the oracle."""
        node = tree
        while node["kind"] == "measure" and len(node["children"]) == 1:
            node = node["children"][0]
        if node["kind"] != "aggregate" or any("where" in p for p in probe["picks"]):
            return 0
        oracle = maker.oracle()
        filters = [Filter(p.table, (p.column,), [*((v,) for v in p.values), *([MEMBER] if p.unmatched else [])]) for p in picks]
        for pick in probe["picks"]:
            table, column = pick["column"].split(".")
            filters.append(Filter(table, (column,), [MEMBER if isinstance(v, dict) else (v,) for v in pick["in"]]))
        context = Context(filters, [k.name for k in maker.model.links if k.active])
        self.assertEqual(node["arithmetic"]["rows_visible"], len(oracle.visible_rows(context, node["arithmetic"]["grain"])))
        for found in node["filters"]:
            alone = Context([f for f in filters if f.table == found["table"]], [])
            self.assertEqual(found["rows_kept"], len(oracle.visible_rows(alone, found["table"])))
        return 1


class Wholes(unittest.TestCase):
    def test_the_step_at_which_nothing_was_left(self):
        for formula, at, words in (
            ("seats", {"Port__name": "Dogwood"}, "Nothing is left of Booking after the filter that comes over port from Port"),
            ("sum(Booking.seats where Booking.seats > 99)", {}, "7 rows of Booking are visible, and its where leaves none"),
            ("seats given (set Booking.note = 'nowhere')", {}, "No row of Booking passes its own filters"),
            ("sum(Booking.fare where Booking.no = 3)", {}, "is empty there"),
            ("the(Port.name)", {}, "4 different values"),
            ("max(Port.depth for each (Port where Port.depth > 99))", {}, "has no rows here"),
            ("1 / 0", {}, "division by zero"),
        ):
            found = told(formula, **at)
            self.assertIsNone(found["value"])
            self.assertIn(words, found["emptied"]["sentence"], formula)
        self.assertIsNone(told("seats")["emptied"])

    def test_an_upward_column_says_what_to_write(self):
        up = told("the(Port.name)", Booking__no=1)["emptied"]["sentence"]
        self.assertIn("The filter on Booking does not run up to Port over port", up)
        for part in ("max(Port.name for each Booking)", "the(Port.name) given (flow Booking.port = Port.code two-way)"):
            self.assertIn(part, up)
            self.assertEqual(told(part, Booking__no=1)["value"], "Alder")
        self.assertNotIn("run up", told("the(Booking.no)", Port__name="Alder")["emptied"]["sentence"])  # a filter that comes down

    def test_rows_with_a_value_and_what_a_condition_takes_away(self):
        sums = told("avg(Booking.fare)")["tree"]["children"][0]["arithmetic"]
        self.assertEqual((sums["rows_used"], sums["rows_filled"]), (7, 6))
        self.assertNotIn("rows_filled", told("rows(Booking)")["tree"]["children"][0]["arithmetic"])
        edits = [told(f"seats given ({e})")["tree"]["children"][0]["edits"][0] for e in ("keep Port.depth > 4", "set Port.depth > 4")]
        self.assertEqual([e.get("cut") for e in edits], [{"table": "Port", "rows_before": 4, "rows_after": 2}, None])

    def test_where_two_cells_part(self):
        a, b = (traced(f"seats given (set Port.region = '{x}')", Cal__week=1) for x in ("North", "South"))
        found = parted(a, b)
        self.assertEqual([s["kind"] for s in found][:2], ["formula", "formula"])
        self.assertIn(
            ("filter", "filter on Port.region", "North", "South"), [(s["kind"], s["what"], s["first"], s["second"]) for s in found]
        )
        self.assertEqual((found[-1]["kind"], found[-1]["first"], found[-1]["second"]), ("value", "1", "2"))
        self.assertEqual(parted(a, a), [])
        weeks = parted(traced("seats", Cal__week=1), traced("seats", Cal__week=2))
        self.assertEqual(weeks[0], {"kind": "coordinate", "path": "0", "what": "Cal.week", "first": "1", "second": "2"})

    def test_two_cells_part_where_something_differs_and_nowhere_else(self):
        apart = alike = 0
        for seed in range(400):
            maker = Maker(seed)
            maker.with_measures(2)
            probe = maker.probe(["m1"]) | {"totals": "all"}
            try:
                cells = list(answer(maker.star, probe_of(maker.star, probe), Budget()).tidy())
            except Refused:
                continue
            if len(cells) < 2:
                continue
            traces = []
            for cell in maker.r.sample(cells, 2):
                at = {k: v for k, v in cell.items() if k != "m1"}
                picks = [read_pick(maker.star, k, [UNMATCHED if v == "(unmatched)" else v]) for k, v in at.items()]
                traces.append(whole_trace(maker.star, probe_of(maker.star, probe), "m1", picks, Budget()))
            self.assertEqual(parted(traces[0], traces[0]), [])
            found = parted(*traces)
            told = {s["what"]: (s["first"], s["second"]) for s in found if s["kind"] == "coordinate"}
            ours, theirs = (t.coordinates for t in traces)
            differ = {k for k in {*ours, *theirs} if ours.get(k, "all") != theirs.get(k, "all")}
            self.assertEqual({*told}, differ, seed)
            self.assertTrue(all(s["first"] != s["second"] for s in found), (seed, found))
            values = [t.value for t in traces]
            if values[0] != values[1] and len(found) < 40:
                self.assertEqual(found[-1]["kind"], "value", seed)
                # Values never part by themselves: something before them does.
                self.assertTrue({s["kind"] for s in found} - {"value"}, seed)
                apart += 1
            alike += values[0] == values[1]
        self.assertGreater(apart, 12)
        self.assertGreater(alike, 15)

    def test_rows_behind_a_number_page_by_page(self):
        probe = probe_of(STAR, {"measures": ["x"], "define": {"x": "sum(Booking.seats * Booking.fare where Booking.no < 7)"}})

        def page(**order):
            return trace_rows(STAR, probe, "x", [], Budget(), [], "0.0", RowOrder(**order))

        whole = page()
        self.assertEqual(
            (whole["total"], whole["columns"][:3], len(whole["rows"])), (6, ["Booking.no", "Booking.seats", "Booking.fare"], 6)
        )
        self.assertEqual(
            sum(v for v in whole["values"] if v is not None), told("sum(Booking.seats * Booking.fare where Booking.no < 7)")["value"]
        )
        pages = [page(start=i, count=2)["rows"] for i in (0, 2, 4, 6)]
        self.assertEqual([r for p in pages for r in p], whole["rows"])
        self.assertEqual([r[0] for r in page(by="each", descending=True)["rows"]], [6, 2, 4, 5, 1, 3])
        self.assertEqual([r[0] for r in page(by="Booking.note")["rows"]], [2, 1, 3, 5, 6, 4])
        for bad in ({"by": "Nope.x"},):
            self.assertRaises(Refused, page, **bad)
        self.assertRaises(Refused, trace_rows, STAR, probe, "x", [], Budget(), [], "0.9", RowOrder())


if __name__ == "__main__":
    unittest.main()
