"""Every step against the plain one, on random tables with empties, repeats, spaces, letters of other alphabets, and none at all."""

import datetime as dt
import os
import random
import time
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np

from nexorem.core.diagnostics import Diagnostic, Refused
from nexorem.core.limits import Budget, Limits
from nexorem.core.model.model import Column, Measure, Model, Table
from nexorem.core.values import vector
from nexorem.gather.frame import Frame
from nexorem.gather.lineage import columns_from, story, touched_by
from nexorem.gather.shape import Shaper
from nexorem.gather.steps import kinds
from nexorem.gather.steps.replay import RUN, outcome_json, replay
from nexorem.package.read import open_package
from tests.gather import plain_steps as plain

DEMO = Path(__file__).parents[2] / "demo" / "lantern_isles"
SEEDS = int(os.environ.get("SEEDS", "1500"))
FIRST_SEED = int(os.environ.get("FIRST_SEED", "1"))
TEXTS = [
    "p",
    "P",
    " p",
    "p ",
    "",
    "q-r",
    "q-r-s",
    "a  b",
    "Ärger",
    "ß",
    "7",
    "007",
    "1.5",
    "1e400",
    "31.12.2031",
    "2032-02-29",
    "2031-02-29",
    "-0",
    " ",
]
VALUES = {
    "text": lambda r: r.choice(TEXTS),
    "integer": lambda r: r.choice([0, 1, 2, -3, 2**40]),
    "number": lambda r: r.choice([0.0, 1.0, 2.5, -0.5, 1e300]),
    "boolean": lambda r: r.random() < 0.5,
    "date": lambda r: dt.date(2031, 1, 1) + dt.timedelta(days=r.choice([-1, 0, 58, 364, 365, 1154])),
}
NAMES = ["a", "x", "y", "n-1", "n-2", "when"]


def table(r, names, size=None):
    types = {n: r.choice(list(VALUES)) for n in names}
    types["x"] = "text" if "x" in types and r.random() < 0.8 else types.get("x", "text")
    count = r.choice([0, 1, 2, 5, 9]) if size is None else size
    return plain.Rows(
        {n: types[n] for n in names}, [[None if r.random() < 0.25 else VALUES[types[n]](r) for n in names] for _ in range(count)]
    )


def frame(t):
    return Frame(len(t.rows), {n: vector(d, [row[i] for row in t.rows]) for i, (n, d) in enumerate(t.types.items())})


def as_json(found):
    """A step as JSON holds it."""
    if isinstance(found, dict):
        return {k: as_json(v) for k, v in found.items()}
    return [as_json(x) for x in found] if isinstance(found, list) else found.isoformat() if isinstance(found, dt.date) else found


def random_step(r, t):
    names = list(t.types) or ["a"]
    one = lambda: r.choice([*names, "gone"] if r.random() < 0.05 else names)  # noqa: E731
    some = lambda: r.sample(names, r.randint(1, len(names)))  # noqa: E731
    new = lambda: r.choice(["z", "w", "z2", *names[:1]])  # noqa: E731
    value = lambda c: None if r.random() < 0.2 else VALUES[t.types.get(c, "text")](r)  # noqa: E731
    columns = some()
    numbered = [c for c in names if c.startswith("n-")]
    return r.choice(
        [
            {"kind": "choose_columns", "columns": columns},
            {"kind": "rename", "names": {one(): new(), "x": "X"} if "x" in names else {one(): new()}},
            {
                "kind": "retype",
                "column": one(),
                "to": r.choice(list(VALUES)),
                "pattern": r.choice(["", "d.M.yyyy"]),
                "misfits": r.choice(["empty", "empty", "refuse"]),
            },
            {"kind": "keep_rows", "condition": r.choice(plain.CONDITIONS)},
            {"kind": "compute", "name": new(), "formula": r.choice(list(plain.FORMULAS))},
            {"kind": "remove_repeats", "columns": r.choice([[], columns]), "keep": r.choice(["first", "last"])},
            {"kind": "number_rows", "into": new()},
            {"kind": "trim", "columns": columns[:2], "inner": r.random() < 0.5},
            {"kind": "change_case", "columns": columns[:1], "to": r.choice(["upper", "lower"])},
            {
                "kind": "replace",
                "columns": columns[:2],
                "pairs": [{"from": [value(c) for c in columns[:2]], "to": [value(c) for c in columns[:2]]} for _ in range(3)],
            },
            {"kind": "replace", "columns": ["x"], "pairs": [{"from": ["p"], "to": [r.choice(["", "pp", "-"])]}], "within": True},
            {"kind": "fill_down", "columns": columns, "up": r.random() < 0.5},
            {
                "kind": "date_part",
                "column": one(),
                "part": r.choice(["year", "quarter", "month", "week", "isoyear", "day", "isodow", "doy"]),
                "into": new(),
            },
            {
                "kind": "split_text",
                "column": one(),
                "into": r.choice([["z"], ["z", "w"], ["u", "v", "w"]]),
                "keep": r.random() < 0.5,
                **r.choice([{"separator": "-"}, {"after": 1}, {"after": 3}]),
            },
            {"kind": "join_text", "columns": columns, "separator": r.choice(["", " ", "+"]), "into": new(), "keep": r.random() < 0.5},
            {
                "kind": "columns_to_rows",
                "columns": columns,
                "parts": ["head"],
                "value": r.choice(["value", "z"]),
                "skip_empty": r.random() < 0.5,
            },
            {
                "kind": "columns_to_rows",
                "columns": numbered or columns,
                "parts": r.choice([["*", "no"], ["no", "*"], ["head", "no"]]),
                "separator": "-",
                "skip_empty": r.random() < 0.5,
            },
            {
                "kind": "rows_to_columns",
                "names_from": one(),
                "values_from": one(),
                "several": r.choice(["refuse", "sum", "first", "last", "count", "smallest", "largest"]),
            },
            {
                "kind": "date_of_parts",
                "year": one(),
                "month": one(),
                "day": one(),
                **r.choice([{}, {"hour": one()}, {"hour": one(), "minute": one()}]),
                "into": new(),
                "keep": r.random() < 0.5,
                "misfits": r.choice(["empty", "empty", "refuse"]),
            },
            {
                "kind": "add_missing",
                "key": [one()],
                "named_by": r.choice(
                    [[{"table": "O", "columns": ["a"]}], [{"table": "O", "columns": ["k"]}, {"table": "O", "columns": ["a"]}]]
                ),
                "into": new(),
            },
            {"kind": "append", "tables": r.choice([["O"], ["O", "E"]]), "into": r.choice(["", "src"]), "label": r.choice(["", "mine"])},
            {
                "kind": "look_up",
                "table": "O",
                "on": [{"mine": one(), "theirs": r.choice(["a", "k"])}],
                "columns": {"k": "found", "a": "found a"},
                "unmatched": r.choice(["empty", "empty", "refuse"]),
            },
        ]
    )


class Steps(unittest.TestCase):
    maxDiff = None

    def agree(self, found, expected, step):
        self.assertEqual(list(found.columns), list(expected.types), step)
        self.assertEqual({n: v.dtype for n, v in found.columns.items()}, expected.types, step)
        self.assertEqual(found.size, len(expected.rows), step)
        self.assertEqual(
            [list(row) for row in zip(*(v.tolist() for v in found.columns.values()), strict=True)] if found.columns else [],
            expected.rows if expected.types else [],
            step,
        )
        for v in found.columns.values():
            if v.dtype == "text":
                self.assertEqual(list(v.words), sorted(set(v.words)), step)

    def test_random_steps_agree_with_the_plain_ones(self):
        done, refused = set(), set()
        for seed in range(FIRST_SEED, FIRST_SEED + SEEDS):
            r = random.Random(seed)
            t = table(r, r.sample(NAMES, r.randint(2, len(NAMES))))
            others = {"O": table(r, ["k", "a", "x"]), "E": table(r, ["y"], 0)}
            frames = {n: frame(x) for n, x in others.items()}
            now = frame(t)
            for _ in range(6):
                if not t.types:
                    break
                step = random_step(r, t)
                (outcome,) = replay(now, [as_json(step)], "T", frames.__getitem__, Budget())
                try:
                    expected = plain.run(t, step, others.__getitem__)
                except plain.Refusal:
                    expected = None
                with self.subTest(seed=seed, step=step):
                    self.assertEqual(outcome.state, "wrong" if expected is None else "done", [d.message for d in outcome.errors])
                    if expected is None:
                        refused.add(step["kind"])
                        continue
                    done.add(step["kind"])
                    self.agree(outcome.after, expected, step)
                    self.sampled(outcome)
                if expected is None:
                    continue
                if "datetime" in expected.types.values():
                    break  # the plain steps know days alone
                t, now = expected, outcome.after
        self.assertEqual(done, {k.model_fields["kind"].annotation.__args__[0] for k in RUN})
        self.assertGreater(len(refused), 12)

    def sampled(self, outcome):
        """What a step says of itself is true."""
        data = outcome_json(outcome)
        self.assertEqual((data["rows_before"], data["rows_after"]), (outcome.before.size, outcome.after.size))
        sample = data["sample"]
        if sample["what"] == "cells that changed":
            for name, before, after in (
                (c, [b[i] for b in sample["before"]], [a[i] for a in sample["after"]]) for i, c in enumerate(sample["columns"])
            ):
                self.assertEqual(after, [row[list(outcome.after.columns).index(name)] for row in outcome.after.listed(_places(sample))])
                if name in outcome.before.columns:
                    self.assertEqual(
                        before, [row[list(outcome.before.columns).index(name)] for row in outcome.before.listed(_places(sample))]
                    )
        elif sample["what"] == "rows that went":
            self.assertEqual(sample["count"], outcome.before.size - outcome.after.size)

    def test_a_step_says_what_is_wrong_with_it(self):
        t = frame(plain.Rows({"a": "integer", "x": "text", "d": "date"}, [[1, "p", None], [1, "q", None]]))
        other = frame(plain.Rows({"k": "text", "v": "integer"}, [["p", 1], ["p", 2]]))
        for step, code, words in (
            ({"kind": "nope"}, "bad_step", "kind"),
            ({"kind": "trim"}, "bad_step", "columns"),
            ({"kind": "trim", "columns": ["a"]}, "wrong_type", "integer"),
            ({"kind": "trim", "columns": ["X", "zz", "yy"]}, "unknown_column", "zz"),
            ({"kind": "retype", "column": "x", "to": "integer"}, "bad_value", "row 1: 'p'"),
            ({"kind": "retype", "column": "x", "to": "date", "pattern": "yyyy"}, "bad_pattern", "names no day"),
            ({"kind": "compute", "name": "z", "formula": "a +"}, "syntax", ""),
            ({"kind": "keep_rows", "condition": "a + 1"}, "wrong_type", "integer"),
            ({"kind": "keep_rows", "condition": "nope > 1"}, "unknown_name", "nope"),
            (
                {"kind": "look_up", "table": "O", "on": [{"mine": "x", "theirs": "k"}], "columns": {"v": "v"}},
                "repeated_key",
                "p stands more than once",
            ),
            ({"kind": "rows_to_columns", "names_from": "d", "values_from": "a"}, "empty_heading", "2 rows"),
            ({"kind": "split_text", "column": "x", "into": ["b"]}, "bad_step", "separator"),
            ({"kind": "append", "tables": ["Nope"]}, "unknown_table", "Nope"),
            ({"kind": "replace", "columns": ["a"], "pairs": [{"from": ["one"], "to": [1]}]}, "bad_value", "one"),
            ({"kind": "date_part", "column": "a", "part": "year", "into": "y"}, "wrong_type", "no date"),
            ({"kind": "columns_to_rows", "columns": ["a"], "separator": "-", "parts": ["p", "q"]}, "bad_heading", "2 parts"),
            ({"kind": "date_of_parts", "year": "a", "month": "x", "day": "a", "into": "z"}, "wrong_type", "x is a text"),
            ({"kind": "date_of_parts", "year": "a", "month": "a", "day": "a", "minute": "a", "into": "z"}, "bad_step", "needs an hour"),
            ({"kind": "add_missing", "key": ["x"], "named_by": [{"table": "O", "columns": ["k", "v"]}]}, "bad_step", "O names 2 columns"),
            ({"kind": "add_missing", "key": ["x"], "named_by": [{"table": "O", "columns": ["v"]}]}, "wrong_type", "never equal"),
        ):

            def find(name):
                if name != "O":
                    raise Refused(Diagnostic("unknown_table", f"The table {name} does not exist."))
                return other

            (outcome,) = replay(t, [step], "T", find, Budget())
            self.assertEqual(outcome.state, "wrong", step)
            self.assertIn(
                code, next(d.code for d in outcome.errors) if code == "syntax" else [d.code for d in outcome.errors], (step, outcome.errors)
            )
            self.assertIn(words, " ".join(d.message for d in outcome.errors))

    def test_texts_that_grow_are_bounded_before_they_are_made(self):
        t = frame(plain.Rows({"x": "text", "y": "text"}, [["a" * 900 + str(i), "b" * 900] for i in range(300)]))
        longer = {"kind": "replace", "columns": ["x"], "within": True, "pairs": [{"from": ["a"], "to": ["a" * 40]}]}
        joined = {"kind": "join_text", "columns": ["x", "y", "x", "y"], "separator": "-" * 500, "into": "z"}
        for step in (longer, joined):
            for limits, code in (
                (Limits(), ""),
                (Limits(memory_bytes=2_000_000), "limit_memory_bytes"),
                (Limits(text_bytes=3_000), "limit_text_bytes"),
            ):
                (outcome,) = replay(t, [step], "T", {}.get, Budget(limits))
                self.assertEqual([d.code for d in outcome.errors], [code] if code else [], (step["kind"], outcome.errors))
        twice = [longer, {**longer, "pairs": [{"from": ["a"], "to": ["a" * 1_000]}] * 3}]
        outcomes = replay(t, twice, "T", {}.get, Budget())
        self.assertEqual([o.state for o in outcomes], ["done", "wrong"])

    def test_dates_of_parts_and_missing_members(self):
        days = frame(
            plain.Rows(
                {"y": "integer", "m": "integer", "d": "integer", "h": "integer"}, [[2031, 2, 28, 5], [2031, None, 1, 0], [2031, 2, 30, 1]]
            )
        )
        told = {"kind": "date_of_parts", "year": "y", "month": "m", "day": "d", "into": "day", "misfits": "empty"}
        (whole,) = replay(days, [told], "T", {}.get, Budget())
        self.assertEqual(whole.after.columns["day"].tolist(), [dt.date(2031, 2, 28), None, None])
        (timed,) = replay(days, [{**told, "hour": "h", "keep": False}], "T", {}.get, Budget())
        self.assertEqual((list(timed.after.columns), timed.after.columns["day"].at(0)), (["day"], dt.datetime(2031, 2, 28, 5)))
        (refused,) = replay(days, [{**told, "misfits": "refuse"}], "T", {}.get, Budget())
        self.assertIn("1 row names no day, such as row 3: y 2031, m 2, d 30.", refused.errors[0].message)
        ports = frame(plain.Rows({"code": "text", "name": "text"}, [["a", "Alder"], [None, "nowhere"]]))
        trips = frame(plain.Rows({"start": "text", "end": "text"}, [["zz", "a"], [None, "zz"], ["a", "yy"]]))
        step = {
            "kind": "add_missing",
            "key": ["code"],
            "named_by": [{"table": "Trip", "columns": ["start"]}, {"table": "Trip", "columns": ["end"]}],
        }
        (added,) = replay(ports, [step], "Port", {"Trip": trips}.__getitem__, Budget())
        self.assertEqual(
            added.after.listed(np.arange(4)), [["a", "Alder", False], [None, "nowhere", False], ["zz", None, True], ["yy", None, True]]
        )
        self.assertEqual(added.words, "add missing members from Trip")

    def test_steps_after_a_wrong_one_wait_and_those_off_are_left_out(self):
        t = frame(plain.Rows({"a": "integer"}, [[1], [2]]))
        steps = [
            {"kind": "number_rows", "into": "n", "off": True},
            {"kind": "trim", "columns": ["b"]},
            {"kind": "number_rows", "into": "m"},
        ]
        outcomes = replay(t, steps, "T", {}.get, Budget())
        self.assertEqual([o.state for o in outcomes], ["off", "wrong", "waits"])
        self.assertTrue(all(o.after is t for o in outcomes))

    def test_tables_take_rows_of_one_another_but_not_in_a_ring(self):
        rows = frame(plain.Rows({"a": "integer"}, [[1], [2]]))

        def shaper(*steps):
            tables = tuple(Table(n, (), steps=tuple(s), load=i) for i, (n, s) in enumerate(zip("ABC", steps, strict=True)))
            return Shaper(Model("m", tables), lambda t: rows, Budget(now=time.monotonic))

        self.assertEqual(shaper([{"kind": "append", "tables": ["B"]}], [{"kind": "append", "tables": ["C"]}], []).frame("A").size, 6)
        with self.assertRaises(Refused) as caught:
            shaper([{"kind": "append", "tables": ["B"]}], [{"kind": "append", "tables": ["A"]}], []).frame("A")
        self.assertIn("A › B › A", caught.exception.diagnostics[0].message)
        with self.assertRaises(Refused):
            shaper([{"kind": "append", "tables": ["A"]}], [], []).frame("A")

    def test_every_step_has_words(self):
        for kind in RUN:
            fields = {n: f for n, f in kind.model_fields.items() if f.is_required()}
            given = {
                "kind": fields["kind"].annotation.__args__[0],
                "columns": ["a"],
                "names": {"a": "b"},
                "column": "a",
                "to": "upper" if kind is kinds.ChangeCase else "text",
                "condition": "c",
                "names_from": "a",
                "values_from": "b",
                "into": ["i"] if kind is kinds.SplitText else "i",
                "pairs": [{"from": [1], "to": [2]}],
                "part": "year",
                **{p: "a" for p in ("year", "month", "day") if "month" in kind.model_fields},
                "key": ["a"],
                "named_by": [{"table": "T", "columns": ["a"]}],
                "name": "n",
                "formula": "f",
                "tables": ["T"],
                "table": "T",
                "on": [{"mine": "a", "theirs": "b"}],
            }
            given |= {"columns": {"a": "b"}} if kind is kinds.LookUp else {}
            step = kinds.read_step({k: v for k, v in given.items() if k in kind.model_fields}, "T")
            self.assertGreater(len(kinds.step_words(step)), 5)


def _places(sample):
    return np.array([x - 1 for x in sample["rows"]], dtype=np.int64)


class Story(unittest.TestCase):
    def test_columns_are_followed_through_steps(self):
        steps = (
            {"kind": "rename", "names": {"raw": "code"}},
            {"kind": "split_text", "column": "code", "separator": "-", "into": ["left", "right"]},
            {"kind": "columns_to_rows", "columns": ["p", "q"], "parts": ["which"], "value": "v"},
            {"kind": "compute", "name": "w", "formula": "v * 2 + left"},
            {"kind": "number_rows", "into": "n"},
            {"kind": "date_part", "column": "d", "part": "year", "into": "y"},
            {"kind": "join_text", "columns": ["d", "code"], "into": "j", "off": True},
        )
        columns = tuple(Column(c, "text") for c in ("code", "left", "which", "v", "w", "n", "y", "d"))
        found = columns_from(Table("T", columns, steps=steps))
        expected = {
            "code": ["raw"],
            "left": ["raw"],
            "which": ["p", "q"],
            "v": ["p", "q"],
            "w": ["p", "q", "raw"],
            "n": [],
            "y": ["d"],
            "d": ["d"],
        }
        self.assertEqual({c: sorted(x) for c, x in found.items()}, {c: sorted(x) for c, x in expected.items()})

    def test_what_is_built_on_what(self):
        model = open_package(DEMO).model
        told = story(model, "column", "Fare.winter")
        self.assertLessEqual(
            {("measure", "fare_income"), ("measure", "commission"), ("probe", "Who sells")}, {tuple(x) for x in told["after"]}
        )
        self.assertIn(["table", "Fare"], told["before"])
        self.assertIn(["table", "Booking"], story(model, "table", "Calendar")["before"])
        built = {tuple(x) for x in story(model, "table", "Route")["after"]}
        self.assertLessEqual({("link", "route"), ("measure", "seat_miles")}, built)
        self.assertIn(["hierarchy", "Where"], story(model, "column", "Island.group")["after"])
        self.assertEqual(story(model, "column", "Vessel.built")["after"], [])
        self.assertIn(("measure", "share_of_ports"), touched_by(model, "Booking", ["seats"]))
        self.assertNotIn(("measure", "sailings"), touched_by(model, "Booking", ["seats"]))
        # A name of a `let` is not a measure of that name, nor is a column that `with` made.
        own = "let seats_sold = 2 in seats_sold + max(sailings for each Port with (sailings = 1))"
        named = replace(model, measures=(*model.measures, Measure("own_names", own)))
        before = {tuple(x) for x in story(named, "measure", "own_names")["before"]}
        self.assertIn(("table", "Port"), before)
        self.assertFalse({("measure", "seats_sold"), ("measure", "sailings")} & before)


if __name__ == "__main__":
    unittest.main()
