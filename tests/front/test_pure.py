"""The front end's pure code: numbers and names as the core has them, lines in the order in which they are drawn, a pasted table held."""

import itertools
import json
import random
import unittest
from decimal import ROUND_HALF_EVEN, Decimal

from hypothesis import given, settings
from hypothesis import strategies as st

from nexorem.core.diagnostics import Refused
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.formats import format_value, pattern_fault
from nexorem.core.limits import Budget
from nexorem.core.model.names import quoted, reference_text, split_reference
from nexorem.core.model.specs import spec_json
from nexorem.work.describe import grid_answer
from tests.core.small import STAR
from tests.core.small import grid as small_grid
from tests.core.test_uses import DEMO
from tests.front.bundle import call, calls, close
from tests.oracle.random_models import Maker

PATTERNS = [
    "",
    "#,##0",
    "0",
    "#,##0.00",
    "0.0%",
    "0%",
    "#,##0.##",
    "+#,##0;-#,##0",
    "+0.0%;-0.0%",
    "00000",
    "0.00E0",
    "#,##0.0 'sea miles'",
    "'£'#,##0.00;('£'#,##0.00)",
    "0.0‰",
    "#,##0''",
    "0.000#",
]


def tearDownModule():
    close()


def answered(star=STAR, measures=("seats",), **probe):
    """A grid's answer as it travels."""
    return json.loads(json.dumps(grid_answer(answer(star, probe_of(star, {"measures": list(measures), **probe}), Budget()))))


def random_answers(count):
    """Answers of random models with up to three columns on the axes, all totals."""
    for seed in range(count):
        maker, r = Maker(seed), random.Random(seed)
        columns = [f"{x.name}.{c.name}" for x in maker.star.model.tables for c in x.columns]
        names = r.sample(columns, min(3, len(columns)))
        cut = r.randint(0, len(names))
        try:
            yield (
                seed,
                answered(
                    maker.star,
                    ["x", "y"],
                    rows=names[:cut],
                    columns=names[cut:],
                    totals="all",
                    define={"x": f"rows({maker.star.model.tables[0].name}) * 1.37", "y": "rows(" + maker.star.model.tables[-1].name + ")"},
                ),
            )
        except Refused:
            continue


class Numbers(unittest.TestCase):
    def test_numbers_read_as_the_core_writes_them(self):
        r = random.Random(11)
        values = [0, 1, -1, 0.5, 1.5, 2.5, -0.5, 0.575, 0.285, 1e-9, -1e-9, 12345678.905, 2**53, -(2**40) - 0.25, 1e15 + 0.3]
        values += [round(r.uniform(-2000, 2000), r.randint(0, 4)) for _ in range(150)] + [r.randint(-(10**9), 10**9) for _ in range(50)]
        cases = [(p, v) for p in PATTERNS for v in values if not pattern_fault(p)]
        shown = calls(*(["format", "measureText", [v, p, "integer" if isinstance(v, int) else "number"]] for p, v in cases))
        for (pattern, value), text in zip(cases, shown, strict=True):
            want = format_value(value, pattern)
            if not any(c in "123456789" for c in want):
                want = format_value(abs(value), pattern)  # what rounds to nothing has no sign on screen
            self.assertEqual(text, want, (pattern, value))

    def test_every_pattern_that_is_tried_is_one_that_the_core_takes(self):
        self.assertEqual([p for p in PATTERNS if pattern_fault(p)], [])
        self.assertIn("not closed", pattern_fault("#,##0 'sea miles"))

    def test_what_is_no_number(self):
        for value, dtype, want in (
            (None, "number", ""),
            (True, "boolean", "yes"),
            (False, "boolean", "no"),
            ("2031-07-09", "date", "9 Jul 2031"),
            ("2031-07-09T08:05:00", "datetime", "9 Jul 2031 08:05"),
            ("2031-07-09T00:00:00", "datetime", "9 Jul 2031"),
            ("2031-07-09", "text", "2031-07-09"),
        ):
            self.assertEqual(call("format", "measureText", value, "#,##0", dtype), want)
        for value, want in ((None, "(empty)"), ("", "‘’"), (2031, "2031"), (1234567, "1234567"), (True, "yes"), ("Heron", "Heron")):
            self.assertEqual(call("format", "columnText", value), want)

    def test_allowed_members_in_few_words(self):
        told = {"values": ["a", None], "unmatched": True, "count": 3, "total": 9}
        for change, want in (({}, "a, (empty), (unmatched)"), ({"count": 4}, "4 of 9"), ({"values": [], "unmatched": False}, "nothing")):
            self.assertEqual(call("format", "allowedText", told | change), want)
        self.assertEqual(call("format", "allowedText", None), "any")


class Names(unittest.TestCase):
    @settings(derandomize=True, max_examples=150, deadline=None)
    @given(
        st.text(st.characters(codec="utf-8", exclude_categories=["Cs"]), min_size=1, max_size=8)
        | st.sampled_from(["By", "and", "Top", "_x9", "ärm", "a b", 'a"b', "VALUES"])
    )
    def test_a_name_is_quoted_as_the_core_does(self, name):
        self.assertEqual(call("format", "quotedName", name), quoted(name))

    @settings(derandomize=True, max_examples=150, deadline=None)
    @given(*[st.text(st.sampled_from('ab ."_é'), min_size=1, max_size=5)] * 2)
    def test_a_column_is_written_and_read_as_the_core_does(self, table, column):
        written = reference_text(table, column)
        self.assertEqual(call("format", "referenceText", table, column), written)
        self.assertEqual((tuple(call("format", "splitReference", written)), split_reference(written)), ((table, column), (table, column)))

    @settings(derandomize=True, max_examples=100, deadline=None)
    @given(st.text(st.sampled_from("ab😀é\n\U0001d4d0"), max_size=12), st.integers(0, 14))
    def test_offsets_count_code_points(self, text, place):
        self.assertEqual(call("client", "toUtf16", text, place), len(text[:place].encode("utf-16-le")) // 2)


class Lines(unittest.TestCase):
    def test_totals_head_their_parts_and_nothing_is_lost(self):
        looked = 0
        for seed, told in random_answers(60):
            for part in ("rows", "columns"):
                lines = told[part]["lines"]
                shown = call("axes", "shownLines", lines)
                self.assertEqual(sorted(x["place"] for x in shown), list(range(len(lines))), seed)
                level = {x["place"]: x["level"] for x in shown}
                width = len(told[part]["columns"])
                self.assertEqual(level, {i: sum(m["kind"] != "total" for m in line) for i, line in enumerate(lines)})
                self.assertEqual([x["isGrand"] for x in shown][:-1], [False] * max(len(shown) - 1, 0), "the whole stays last")
                for i, line in enumerate(shown[:-1] if width else []):
                    # The nearest line above that is wider is the one it is a part of.
                    above = [x for x in shown[:i] if x["level"] < line["level"]][-1:]
                    for x in above:
                        self.assertEqual(x["members"][: x["level"]], line["members"][: x["level"]], seed)
                same = {}
                for line in shown:  # those of one total keep the order of the answer
                    same.setdefault((json.dumps(line["members"][: line["level"] - 1]), line["level"]), []).append(line["place"])
                self.assertTrue(all(x == sorted(x) for x in same.values()), seed)
                looked += len(shown)
        self.assertGreater(looked, 500)

    def test_what_is_folded_hides_its_parts_alone(self):
        told = answered(rows=["Port.region", "Port.name"], totals="all")
        lines = call("axes", "shownLines", told["rows"]["lines"])
        north = next(x for x in lines if x["label"] == "North")
        key = call("axes", "lineKey", north)
        left = call("axes", "unfolded", lines, [key])
        gone = [x["label"] for x in lines if x not in left]
        self.assertEqual(gone, [x["label"] for x in lines if x["level"] == 2 and x["members"][0] == north["members"][0]])
        self.assertTrue(gone)
        self.assertIn(north, left)
        self.assertEqual(call("axes", "unfolded", lines, []), lines)

    def test_a_place_across_names_its_members(self):
        told = answered(rows=["Port.name"], columns=["Cal.year", "Port.region"], totals="all")
        for line in told["columns"]["lines"]:
            want = {
                c: {"unmatched": True} if m["kind"] == "unmatched" else m.get("value")
                for c, m in zip(told["columns"]["columns"], line, strict=True)
                if m["kind"] != "total"
            }
            self.assertEqual(call("axes", "orderPlace", told, line), want or None)


class Grids(unittest.TestCase):
    LOOK = {"formats": {"x": "#,##0.00", "y": "0.0%"}}

    def test_a_grid_taken_out_as_text_agrees_with_itself_and_a_wrong_cell_is_found(self):
        held = 0
        for seed, told in random_answers(40):
            lines = ["axes", "shownLines", [told["rows"]["lines"]]], ["axes", "shownLines", [told["columns"]["lines"]]]
            text = calls(*lines, ["grid", "asText", [told, {"$": 0}, {"$": 1}, self.LOOK]])[2]
            rows = len(told["rows"]["lines"])
            if len({x.split("\t", 1)[0] for x in text.split("\n")}) < 2 or not told["rows"]["columns"]:
                continue
            cells = [line.split("\t") for line in text.split("\n")]
            found = calls(*lines, ["pasted", "hold", [told, {"$": 0}, {"$": 1}, self.LOOK, text]])[2]
            self.assertEqual((found["differ"], found["missing"]), ([], []), seed)
            self.assertEqual(found["agree"], rows * len(told["columns"]["lines"]) * 2, seed)
            labels, r = len(told["rows"]["columns"]), random.Random(seed)
            places = [(i, k) for i in range(len(cells) - rows, len(cells)) for k in range(labels, len(cells[i])) if cells[i][k]]
            if not places:
                continue
            i, k = r.choice(places)
            cells[i][k] = "77,777.7"
            found = calls(*lines, ["pasted", "hold", [told, {"$": 0}, {"$": 1}, self.LOOK, "\n".join("\t".join(c) for c in cells)]])[2]
            self.assertEqual([x["pasted"] for x in found["differ"]], ["77,777.7"], seed)
            # Without its totals, down and across, it is no other table.
            down, over = calls(*lines)
            parts = [k for k, line in enumerate(over) if not line["isTotal"] and not line["isGrand"]]
            kept = [c[:labels] + [c[labels + 2 * k + m] for k in parts for m in (0, 1)] for c in cells[-rows:]]
            some = "\n".join("\t".join(c) for c, line in zip(kept, down, strict=True) if not line["isTotal"] and not line["isGrand"])
            found = calls(*lines, ["pasted", "hold", [told, {"$": 0}, {"$": 1}, self.LOOK, some]])[2]
            self.assertEqual(([x for x in found["differ"] if x["pasted"] != "77,777.7"], found["missing"]), ([], []), seed)
            held += 1
        self.assertGreater(held, 15)

    def test_a_pasted_number_agrees_to_its_last_digit(self):
        told = answered(measures=["seats"], rows=["Port.name"], totals="none", picks=[{"column": "Port.name", "in": ["Alder"]}])
        seats = small_grid("seats", rows=["Port.name"], picks=[{"column": "Port.name", "in": ["Alder"]}])[0]["x"]
        lines = ["axes", "shownLines", [told["rows"]["lines"]]], ["axes", "shownLines", [told["columns"]["lines"]]]
        for text, agrees in (
            (f"{seats}", 1),
            (f" {seats}.0", 1),
            (f"{seats}.4", 0),
            (f"{seats + 1}", 0),
            (f"-{seats}", 0),
            (f"({seats})", 0),
            (f"{seats * 100}%", 1),
            ("", 0),
            ("none", 0),
        ):
            found = calls(*lines, ["pasted", "hold", [told, {"$": 0}, {"$": 1}, {}, f"Alder\t{text}\nNowhere\t7"]])[2]
            self.assertEqual((found["agree"], found["unknown"]), (agrees, ["Nowhere"]), text)

    def test_shades_lie_between_nothing_and_the_largest(self):
        for seed, told in random_answers(25):
            lines = ["axes", "shownLines", [told["rows"]["lines"]]], ["axes", "shownLines", [told["columns"]["lines"]]]
            ranges = dict(calls(*lines, ["grid", "ranges", [told, {"$": 0}, {"$": 1}]])[2])
            whole = lambda part: [i for i, line in enumerate(part["lines"]) if all(m["kind"] != "total" for m in line)]  # noqa: E731
            for m, name in enumerate("xy"):
                numbers = [told["values"][m][r][c] for r in whole(told["rows"]) for c in whole(told["columns"])]
                numbers = [v for v in numbers if v is not None]
                self.assertEqual(ranges.get(name), {"low": min(numbers), "high": max(numbers)} if numbers else None, seed)
                low, high = min(0, min(numbers, default=0)), max(0, max(numbers, default=0))
                for value in numbers[:20]:
                    want = Decimal(value - low) / Decimal(high - low) if high > low else Decimal(0)
                    self.assertAlmostEqual(
                        call("grid", "share", value, ranges[name]), float(want.quantize(Decimal("1e-9"), ROUND_HALF_EVEN)), 6
                    )

    def test_series_share_a_scale_where_all_of_them_can_be_read(self):
        r = random.Random(8)
        for seed in range(40):
            series = []
            for m in range(r.randint(1, 5)):
                size, format_ = r.choice([0, 0.4, 3, 50, 900, 1e6]), r.choice(["#,##0", "0.0%", ""])
                for place in range(r.randint(1, 2)):
                    values = [None if r.random() < 0.2 else r.uniform(-size, size) for _ in range(3)]
                    series.append({"key": f"{m} {place}", "measure": f"m{m}", "format": format_, "values": values})
            groups = call("series", "scales", series)
            self.assertCountEqual([s["key"] for g in groups for s in g], [s["key"] for s in series], seed)
            sizes = {
                m: max((abs(v or 0) for s in series if s["measure"] == m for v in s["values"]), default=0)
                for m in {s["measure"] for s in series}
            }
            homes = {s["key"]: i for i, g in enumerate(groups) for s in g}
            for one, other in itertools.combinations(series, 2):
                alike = ("%" in one["format"]) == ("%" in other["format"])
                low, high = sorted([sizes[one["measure"]], sizes[other["measure"]]])
                fit = alike and (low == 0 or high <= 20 * low)
                if homes[one["key"]] == homes[other["key"]]:
                    self.assertTrue(fit or one["measure"] == other["measure"], seed)
                elif one["measure"] == other["measure"]:
                    self.fail(f"{seed}: a measure on two scales")
            # No two groups that could be one: each later one has something that does not fit some of the former.
            for a, b in itertools.combinations(groups, 2):
                pairs = [(x, y) for x in a for y in b]
                self.assertTrue(
                    any(
                        ("%" in x["format"]) != ("%" in y["format"])
                        or (lambda p: p[0] and p[1] > 20 * p[0])(sorted([sizes[x["measure"]], sizes[y["measure"]]]))
                        for x, y in pairs
                    ),
                    seed,
                )


class Asked(unittest.TestCase):
    def test_a_probe_is_asked_for_without_its_looks_and_its_idle_picks(self):
        picks = [{"column": "Port.name", "in": []}, {"column": "Port.region", "in": [None]}, {"where": "Cal.year = 2031"}]
        stored = {
            "name": "A",
            "description": "B",
            "rows": ["Port.name"],
            "measures": ["seats"],
            "picks": picks,
            "look": {"picture": "bars"},
        }
        asked = call("probes", "askedProbe", call("shapes", "asProbe", stored))
        want = {"name": "A", "rows": ["Port.name"], "columns": [], "measures": ["seats"], "picks": picks[1:], "totals": "none"}
        self.assertEqual(asked, want)
        self.assertEqual(probe_of(STAR, asked).conditions, ("Cal.year = 2031",))


JSON = st.recursive(
    st.none() | st.booleans() | st.integers(-9, 9) | st.sampled_from(["", "rows", "cell", "Port.name", "value"]),
    lambda inner: (
        st.lists(inner, max_size=3)
        | st.dictionaries(
            st.sampled_from("s p f o c x kind name rows picks in where look tiles at measure member column sort by".split()),
            inner,
            max_size=4,
        )
    ),
    max_leaves=14,
)


class Addresses(unittest.TestCase):
    def test_what_the_model_stores_is_read_whole(self):
        for probe in map(spec_json, DEMO.model.probes):
            told = call("shapes", "readNamed", json.dumps({"p": probe}))
            self.assertEqual(
                (told["whole"], told["named"]["p"]), (True, {"rows": [], "columns": [], "picks": [], "totals": "none"} | dict(probe))
            )
        for folio in map(spec_json, DEMO.model.folios):
            self.assertTrue(call("shapes", "readNamed", json.dumps({"o": folio}))["whole"], folio["name"])
        cell = {
            "kind": "cell",
            "measure": "seats",
            "at": [
                {"column": "Port.name", "member": {"kind": "value", "value": "Alder"}},
                {"column": "Cal.year", "member": {"kind": "unmatched"}},
            ],
        }
        for named in (
            {"s": cell},
            {"c": {k: cell[k] for k in ("measure", "at")}},
            {"s": {"kind": "history", "number": None}},
            {"h": {"given": "clear Port"}},
            {"x": [{"kind": "remove_link", "name": "a"}], "w": "star", "v": "make", "r": "in", "b": "Sailing"},
            {},
        ):
            self.assertEqual(call("shapes", "readNamed", json.dumps(named)), {"named": named, "whole": True})

    def test_what_is_mangled_is_left_out_and_told(self):
        for given_, want in (
            ('{"p": {"rows": ["a.b"', {}),
            ("[]", {}),
            ("7", {}),
            ('{"p": 5}', {}),
            ('{"s": {"kind": "cell"}}', {}),
            ('{"f": 3, "m": "x"}', {"m": "x"}),
            (
                '{"p": {"rows": "a", "measures": ["x", 4], "look": 3, "totals": "odd"}}',
                {"p": {"rows": [], "columns": [], "measures": ["x"], "picks": [], "totals": "none"}},
            ),
            (
                '{"p": {"picks": [3, {"where": "a"}, {"column": "b"}], "top": {"count": 0, "by": "x"}}}',
                {"p": {"rows": [], "columns": [], "measures": [], "picks": [{"where": "a"}, {"column": "b", "in": []}], "totals": "none"}},
            ),
        ):
            self.assertEqual(call("shapes", "readNamed", given_), {"named": want, "whole": False}, given_)

    def test_the_same_in_another_order_is_the_same(self):
        r = random.Random(3)
        for stored in map(spec_json, [*DEMO.model.probes, *DEMO.model.folios]):
            name = "sameFolio" if "tiles" in stored else "sameProbe"
            mixed = dict(r.sample(sorted(stored.items()), len(stored)))
            self.assertTrue(call("shapes", name, stored, mixed), stored["name"])
            self.assertFalse(call("shapes", name, stored, mixed | {"name": "another"}))
            self.assertFalse(call("shapes", name, stored, None))
        one = {"rows": ["Port.name"], "columns": [], "measures": ["seats"], "picks": [], "totals": "none"}
        self.assertTrue(call("shapes", "sameProbe", one, {"measures": ["seats"], "rows": ["Port.name"]}))
        self.assertFalse(call("shapes", "sameProbe", one, {**one, "totals": "all"}))

    @settings(derandomize=True, max_examples=300, deadline=None)
    @given(JSON)
    def test_nothing_that_is_read_is_mangled(self, value):
        told = call("shapes", "readNamed", json.dumps(value))
        again = call("shapes", "readNamed", json.dumps(told["named"]))
        self.assertEqual(again, {"named": told["named"], "whole": True})
        probe = call("shapes", "asProbe", value)
        self.assertTrue(all(isinstance(x, str) for part in ("rows", "columns", "measures") for x in probe[part]))
        self.assertTrue(all(("where" in p) != ("in" in p) for p in probe["picks"]))
        folio = call("shapes", "asFolio", value)
        self.assertTrue(all(t["kind"] in ("probe", "number", "text") for t in folio["tiles"]))


if __name__ == "__main__":
    unittest.main()
