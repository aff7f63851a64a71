"""Checks: each kind holding, failing and impossible on rows that a person can count, and on random models against the oracle."""

import json
import math
import random
import unittest
from contextlib import suppress
from dataclasses import replace
from pathlib import Path

from nexorem.core.checks.outside import LoadFacts, Outside
from nexorem.core.checks.run import run_check
from nexorem.core.diagnostics import Refused
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.language.renames import edits_between, read_renaming, renamed
from nexorem.core.language.uses import renaming, uses_of
from nexorem.core.limits import Budget
from nexorem.core.lint.findings import findings
from nexorem.core.model.check_specs import CheckSpec, ListedTable, Tolerance
from nexorem.core.model.edits import apply
from nexorem.core.model.model import model_from_json, model_json
from nexorem.core.model.rows import TableRows
from nexorem.core.model.specs import read_spec, spec_json
from nexorem.core.model.star import Star
from nexorem.core.results import as_json
from nexorem.package.read import open_package
from tests.core.small import STAR, grid, keeping
from tests.oracle.agreement import Page, expected, shown
from tests.oracle.random_models import Maker

DEMO = Path(__file__).parents[2] / "demo" / "lantern_isles"
SEATS = {"rows": ["Port.region"], "measures": ["seats", "trips"]}  # North 5, South 2, (empty) 32, (unmatched) 24; in all 63
UNMATCHED = {"unmatched": True}


class Beside(Outside):
    """What a check is given from outside: all findings, and what a test says of the rest."""

    def __init__(self, **answers):
        for name, answer_of in answers.items():
            setattr(self, name, answer_of)

    def findings(self, star, codes, about):
        return [f for f in findings(star) if f.code in codes and about in (None, f.about)]


def outcome(must, star=STAR, outside=None, **about):
    check = read_spec(CheckSpec, {"name": "c", "must": must, **about})
    return run_check(star, check, Budget(), outside or Beside())


def table(*rows, columns=("Port.region", "seats"), **more):
    return {"table": {"columns": list(columns), "rows": [list(r) for r in rows]}, **more}


def picking(*members):
    return {"picks": [{"column": "Port.region", "in": list(members)}]}


class Kinds(unittest.TestCase):
    def test_what_holds_and_what_fails(self):
        grand, north = SEATS | {"totals": "grand"}, {"Port.region": "North"}
        for must, probe, tested, failing in (
            ({"hold": "seats > trips"}, SEATS, 4, [("false", {"Port.region": "South"})]),  # two seats on two trips
            ({"hold": "seats >= trips"}, SEATS, 4, []),
            ({"hold": "seats > 40"}, grand, 5, 4),
            ({"hold": "seats > 40", "in": "totals"}, grand, 1, []),
            ({"hold": "seats > 40", "in": "lines"}, grand, 4, 4),
            ({"hold": "seats > 1", "in": "totals"}, SEATS, 0, []),
            ({"hold": "seats > 1"}, {"rows": ["Booking.no"], "measures": ["seats", "trips"]}, 7, 2),  # one of 1 seat, one empty
            ({"hold": "seats > 1", "empty": "holds"}, {"rows": ["Booking.no"], "measures": ["seats", "trips"]}, 7, 1),
            ({"hold": "seats * 1000000000000000000 > 0"}, SEATS, 4, 2),  # 24 and 32 quintillions leave 64 bits
            (table(("North", 5), (None, 32)), SEATS, 2, []),
            (table(("North", 5.0), (UNMATCHED, 24)), SEATS, 2, []),
            (table(("North", 6), ("West", 1), ("East", None)), SEATS, 3, [("missing", {"Port.region": "West"}), ("differs", north)]),
            (table(("North", 6), tolerance={"absolute": 1}), SEATS, 1, []),
            (table(("North", 7), tolerance={"absolute": 1}), SEATS, 1, 1),
            (table(("North", 6.25), tolerance={"relative": 0.2}), SEATS, 1, []),
            (table(("North", 6.26), tolerance={"relative": 0.2}), SEATS, 1, 1),
            (table(("North", 5), ("South", 2), (None, 32), whole=True), SEATS, 4, [("surplus", {"Port.region": UNMATCHED})]),
            (table((63,), columns=["seats"]), SEATS, 1, []),
            # The top is by a measure that is not listed; what it leaves is all there is.
            (table(("North", 5), (UNMATCHED, 24), whole=True), SEATS | {"top": {"count": 2, "by": "trips", "ties": True}}, 3, 1),
            (table((None, 32), ("South", None), whole=True), SEATS | {"having": [{"where": "seats > 30"}]}, 2, []),
            (table(("North", "North", 5), columns=["Port.region", "Cal.week", "seats"]), SEATS, None, "Cal.week is neither"),
            (table(("North", 5, 2), columns=["port.REGION", "SEATS", "trips"]), SEATS, 2, []),
            ({"add_up": ["Port.region"]}, SEATS, 2, []),
            ({"add_up": ["Crew.name"]}, {"rows": ["Crew.name"], "measures": ["seats"]}, 1, [("apart", {})]),
            ({"add_up": ["Port.name"]}, SEATS, None, "Port.name is on no axis"),
            ({"hold": "seats + 1"}, SEATS, None, "What must hold is true or false"),
            ({"hold": "seats > nope"}, SEATS, None, "nope does not exist"),
            ({"hold": "seats > 1"}, "gone", None, "The probe gone does not exist"),
            (table(("North", "many")), SEATS, None, "Line 1: 'many' is not an integer, which seats holds"),
            (table(("North", 5), ("North", 5)), SEATS, None, "The line North is listed twice"),
            (table(("North",)), SEATS, None, "Line 1 has 1 values for 2 columns"),
            (table(("North",), columns=["Port.region"]), SEATS, None, "The table lists no measure"),
        ):
            with self.subTest(must):
                self.judged(outcome(must, probe=probe), tested, failing)

    def judged(self, came, tested, failing):
        if isinstance(failing, str):
            self.assertEqual((came.state, came.tested), ("cannot", 0))
            self.assertIn(failing, " ".join(p.message for p in came.problems))
            return
        self.assertEqual(came.tested, tested, came)
        self.assertEqual(came.failed, failing if isinstance(failing, int) else len(failing), came)
        self.assertEqual(came.state, "fails" if came.failed else "holds")
        if not isinstance(failing, int):
            self.assertEqual([(f.why, f.at) for f in came.failures], failing)

    def test_rows_and_findings(self):
        for must, about, tested, failing in (
            ({"count": {"at_least": 7, "at_most": 7}}, {"rows": "every Booking"}, 1, []),
            ({"count": {"at_most": 0}}, {"rows": "every Booking where Booking.seats > 8"}, 1, 1),
            ({"count": {"at_least": 3}}, {"rows": "every Booking where Booking.seats > 8"}, 1, 1),
            ({"count": {"at_least": 3, "at_most": 2}}, {"rows": "every Booking"}, None, "is never so"),
            ({"count": {}}, {"rows": "every Nope"}, None, "Nope does not exist"),
            ({"none": ["orphans"]}, {}, 1, 3),  # of Booking, Tag and Crew
            ({"none": ["orphans"]}, {"about": "link port"}, 1, 1),
            ({"none": ["orphans", "empty_table"]}, {"about": "link day"}, 2, []),
        ):
            with self.subTest(must, **about):
                self.judged(outcome(must, **about), tested, failing)
        (failure,) = outcome({"count": {"at_most": 1}}, rows="every Booking where Booking.seats > 8").failures
        self.assertEqual((failure.values, failure.expected, failure.difference), ({"rows": 2}, 1, 1.0))
        self.assertIn("no 5", failure.sentence)
        (failure,) = outcome({"count": {"at_least": 3}}, rows="every Booking where Booking.seats > 8").failures
        self.assertEqual((failure.expected, failure.difference), (3, -1.0))
        self.assertIn("has 2 rows; at least 3 are meant", failure.sentence)

    def test_releases_queries_and_loads(self):
        then = Star(
            apply(STAR.model, {"kind": "change_measure", "name": "seats", "set": {"formula": "sum(Booking.seats) + 1"}})[0], STAR.rows
        )
        loads = [LoadFacts(1.5, 90), LoadFacts(3.0, 100)]
        beside = Beside(
            release=lambda _: then,
            answer_of=lambda _: ListedTable(("Port.region", "seats"), (("North", 5), ("South", 3.0))),
            loads=lambda table: loads if table == "Booking" else [],
        )
        query = {"query": {"connection": "office", "sql": "SELECT 1"}}
        for must, about, tested, failing in (
            ({"as_in": "1"}, {"probe": SEATS}, 8, 4),
            ({"as_in": "1"}, {"probe": SEATS | {"measures": ["trips"]}}, 4, []),
            (query, {"probe": SEATS}, 2, [("differs", {"Port.region": "South"})]),
            (query | {"tolerance": {"absolute": 1}, "whole": True}, {"probe": SEATS}, 4, 2),
            ({"fresh": {"days": 2, "rows_within": 0.1}}, {"table": "booking"}, 2, []),
            ({"fresh": {"days": 1, "rows_within": 0.05}}, {"table": "Booking"}, 2, [("stale", {}), ("stale", {})]),
            ({"fresh": {"days": 1}}, {"table": "Port"}, None, "Port has no load"),
            ({"fresh": {"days": 1}}, {"table": "Nope"}, None, "Nope does not exist"),
        ):
            with self.subTest(must, **about):
                self.judged(outcome(must, outside=beside, **about), tested, failing)
        moved = outcome({"as_in": "1"}, outside=beside, probe=SEATS).failures[0]
        self.assertEqual((moved.at, moved.values, moved.expected, moved.difference), ({"Port.region": "South"}, {"seats": 2}, 3, -1.0))
        self.assertIn("South: seats", moved.sentence)
        moved = outcome({"as_in": "1"}, outside=beside, probe={"rows": [], "measures": ["seats"]}).failures[0]
        self.assertEqual((moved.at, moved.sentence[:16]), ({}, "the whole: seats"))
        stale = outcome({"fresh": {"days": 1, "rows_within": 0.05}}, outside=beside, table="Booking").failures
        self.assertEqual([(f.expected, f.difference) for f in stale], [(1, 0.5), (100, -10.0)])
        alone = outcome({"fresh": {"rows_within": 0.05}}, outside=Beside(loads=lambda _: loads[:1]), table="Booking")
        self.assertEqual((alone.tested, alone.sentence), (0, "It holds of nothing: there was nothing to look at."))
        for must, about in (({"as_in": "1"}, {"probe": SEATS}), (query, {"probe": SEATS}), ({"fresh": {"days": 1}}, {"table": "Booking"})):
            self.assertEqual(outcome(must, outside=Outside(), **about).state, "cannot")

    def test_what_came_is_said_in_a_sentence(self):
        for must, about, said in (
            (table(("North", 6), ("South", 2)), {"probe": SEATS}, "It fails in 1 of 2 cells. North: seats is 5; 6 is listed."),
            (table(("North", None)), {"probe": SEATS}, "It fails in 1 of 1 cell. North: seats is 5; nothing is listed."),
            (
                {"add_up": ["Crew.name"]},
                {"probe": {"rows": ["Crew.name"], "measures": ["seats"]}},
                "It fails in 1 of 1 total. the whole: the",
            ),
            ({"none": ["orphans"]}, {"about": "link port"}, "It fails: 1 finding. "),
            ({"none": ["orphans"]}, {"about": "link day"}, "It holds: 1 kind of finding looked at."),
            ({"hold": "seats > 1", "in": "totals"}, {"probe": SEATS}, "It holds of nothing: there was nothing to look at."),
        ):
            with self.subTest(must, **about):
                self.assertEqual(outcome(must, **about).sentence[: len(said)], said)

    def test_a_tile_is_held_as_its_folio_shows_it(self):
        picks = [{"column": "Port.region", "in": ["North"]}]
        tiles = [{"kind": "text", "text": "x"}, {"kind": "number", "probe": {"measures": ["seats"], "rows": []}}]
        star = keeping(STAR, folios=[{"name": "Page", "picks": picks, "tiles": tiles}])
        of = {"probe": {"folio": "page", "tile": 2}}
        self.judged(outcome(table((5,), columns=["seats"]), star, **of), 1, [])
        self.judged(outcome(table((5,), columns=["seats"]), star, probe={"folio": "Page", "tile": 1}), None, "shows no probe in its tile 1")
        self.judged(outcome(table((5,), columns=["seats"]), star, probe={"folio": "Paper", "tile": 1}), None, "Paper does not exist")
        for edit, numbers in (
            ({"kind": "put_folio", "folio": {"name": "Page", "tiles": tiles}}, 63),
            (
                {
                    "kind": "put_folio",
                    "folio": {"name": "Page", "picks": picks, "tiles": [*tiles[:1], {**tiles[1], "without": ["Port.region"]}]},
                },
                63,
            ),
        ):
            then = Star(apply(star.model, edit)[0], star.rows)
            self.judged(outcome(table((numbers,), columns=["seats"]), then, **of), 1, [])

    def test_a_file_is_read_by_the_types_of_its_columns(self):
        def read(name):
            self.assertEqual(name, "checks/x.csv")
            return ListedTable(("Cal.day", "seats"), (("2031-01-01", "9"), ("2031-01-02", "18"), ("2031-01-03", ""), ("2031-01-04", "")))

        probe = {"rows": ["Cal.day"], "measures": ["seats"]}
        came = outcome({"file": "checks/x.csv"}, outside=Beside(file=read), probe=probe)
        self.assertEqual((came.tested, [(f.at["Cal.day"], f.expected) for f in came.failures]), (4, [("2031-01-03", None)]))
        self.assertEqual(outcome({"file": "gone.csv"}, probe=probe).problems[0].code, "no_file")

    def test_what_cannot_be_a_check_is_refused(self):
        for data, said in (
            ({"must": {"hold": "x"}}, "needs `probe`"),
            ({"must": {"hold": "x"}, "rows": "every T"}, "needs `probe` alone"),
            ({"must": {"count": {}}, "probe": "p"}, "needs `rows` alone"),
            ({"must": table((1,), tolerance={"absolute": -1}), "probe": "p"}, "is below 0"),
            ({"must": {"none": []}}, "is empty"),
            ({"must": {"holds": "x"}, "probe": "p"}, "hold is missing"),
            ({"probe": "p"}, "must is missing"),
        ):
            with self.subTest(data), self.assertRaises(Refused) as caught:
                read_spec(CheckSpec, {"name": "c", **data}, "bad_check")
            self.assertIn(said, " ".join(d.message for d in caught.exception.diagnostics))

    def test_checks_are_kept_and_undone(self):
        first = {"name": "c", "probe": SEATS, "must": {"hold": "seats > 0", "in": "totals"}}
        second = {"name": "c", "about": "link port", "must": {"none": ["orphans"]}, "folder": "Keys"}
        model, back = apply(STAR.model, {"kind": "put_check", "check": first})
        called = apply(model, {"kind": "put_check", "check": {**first, "name": "other"}, "was": first["name"]})
        self.assertEqual(([c.name for c in called[0].checks], apply(called[0], called[1])[0]), (["other"], model))
        again, forth = apply(model, {"kind": "put_check", "check": second})
        self.assertEqual([spec_json(c) for c in again.checks], [second])
        self.assertEqual(apply(again, forth)[0], model)
        self.assertEqual(apply(model, back)[0], STAR.model)
        gone, kept = apply(again, {"kind": "remove_check", "name": "c"})
        self.assertEqual((gone.checks, apply(gone, kept)[0]), ((), again))
        self.assertEqual(model_from_json(model_json(again)), again)
        self.assertEqual(keeping(STAR, checks=[first]).model, replace(model))

    def test_what_is_gone_and_what_cannot_fail_are_findings(self):
        for number, (data, code, said) in enumerate(
            (
                ({"probe": SEATS, "must": {"hold": "seats > trips"}}, "", ""),
                ({"probe": SEATS, "must": {"hold": "1 = 1"}}, "idle_check", "1 = 1 names no measure"),
                ({"probe": SEATS, "must": {"hold": "seats > gone"}}, "broken_check", "gone does not exist"),
                ({"probe": "gone", "must": table(("North", 5))}, "broken_check", "The probe gone does not exist"),
                ({"probe": SEATS, "must": table()}, "idle_check", "lists no line"),
                ({"probe": SEATS, "must": table(whole=True)}, "", ""),
                ({"probe": SEATS | {"rows": ["Port.gone"]}, "must": {"add_up": ["Port.gone"]}}, "broken_check", "has no column gone"),
                ({"probe": SEATS, "must": {"add_up": ["Port.name"]}}, "broken_check", "Port.name is on no axis"),
                ({"probe": SEATS, "must": table((1,), columns=["gone"])}, "broken_check", "gone is neither a measure"),
                ({"rows": "every Port", "must": {"count": {}}}, "idle_check", "it has no bound"),
                ({"rows": "every Port", "must": {"count": {"at_least": 0}}}, "idle_check", "it has no bound"),
                ({"rows": "every Gone", "must": {"count": {"at_most": 1}}}, "broken_check", "Gone does not exist"),
                ({"about": "link gone", "must": {"none": ["orphans"]}}, "idle_check", "the model has no link gone"),
                ({"about": "link port", "must": {"none": ["orphans"]}}, "", ""),
                ({"table": "Booking", "must": {"fresh": {}}}, "idle_check", "it has no bound"),
                ({"table": "Booking", "must": {"fresh": {"rows_within": 0.1}}}, "", ""),
                ({"table": "Booking", "must": {"fresh": {"days": 1}}}, "", ""),
                ({"about": "column Port.gone", "must": {"none": ["gap"]}}, "idle_check", "the model has no column Port.gone"),
                ({"about": "column Port.region", "must": {"none": ["gap"]}}, "", ""),
                ({"probe": SEATS | picking("North"), "must": table(("North", 5))}, "", ""),
                ({"probe": SEATS | picking(UNMATCHED), "must": table((UNMATCHED, 24))}, "", ""),
                (
                    {"probe": SEATS | picking("Nowhere"), "must": table(("North", 5))},
                    "idle_check",
                    "Port.region has no member that is picked",
                ),
            )
        ):
            with self.subTest(data):
                told = [f for f in findings(keeping(STAR, checks=[{"name": f"c{number}", **data}])) if f.about == f"check c{number}"]
                self.assertEqual([f.code for f in told], [code] if code else [])
                self.assertIn(said, told[0].sentence if told else "")

    def test_a_total_that_is_apart_says_by_how_much_and_why(self):
        scaled = {"rows": ["Crew.name"], "measures": ["x"], "define": {"x": "sum(Booking.seats) * 1000000"}}
        (failure,) = outcome({"add_up": ["Crew.name"]}, probe=scaled).failures
        lines = grid("sum(Booking.seats) * 1000000", rows=["Crew.name"])
        parts, whole = sum(c["x"] for c in lines), grid("sum(Booking.seats) * 1000000")[0]["x"]
        self.assertEqual((failure.values, failure.expected, failure.difference), ({"x": whole}, parts, whole - parts))
        self.assertIn(f"the total of x is {whole:,}, its parts come to {parts:,}.", failure.sentence)

    def test_the_example_of_the_page_holds(self):
        page = (Path(__file__).parents[2] / "docs" / "checks.md").read_text()
        check = read_spec(CheckSpec, json.loads(page.split("```json")[1].split("```")[0]))
        came = run_check(open_package(DEMO), check, Budget(), Beside())
        self.assertEqual((came.state, came.tested), ("holds", 2), came.sentence)
        wrong = replace(check, must=replace(check.must, tolerance=Tolerance(), table=replace(check.must.table, rows=(("Near Isles", 1),))))
        self.assertEqual(run_check(open_package(DEMO), wrong, Budget(), Beside()).failures[0].difference, 26570.0)

    def test_an_outcome_is_plain_json(self):
        told = as_json(outcome({"hold": "seats > trips"}, probe=SEATS))
        self.assertEqual((told["state"], told["tested"], told["failed"]), ("fails", 4, 1))
        self.assertEqual(told["failures"][0]["values"], {"seats": 2, "trips": 2})


class Names(unittest.TestCase):
    """Names in checks follow renames: the same outcome, and nothing of the old name left."""

    CHECKS = (
        {"name": "a", "probe": {**SEATS, "define": {"x": "seats + sum(Booking.fare)"}}, "must": {"hold": "seats > trips AND x > 0"}},
        {"name": "b", "probe": "By port", "must": table(("North", 6), ("East", 1))},
        {"name": "c", "probe": SEATS | {"picks": [{"where": "Port.region = 'North'"}]}, "must": {"add_up": ["Port.region"]}},
        {"name": "d", "rows": "every Port where Port.region = 'North' AND seats > 1", "must": {"count": {"at_most": 0}}},
        {"name": "e", "about": "table Port", "must": {"none": ["grain"]}},
        {"name": "f", "about": "measure seats", "must": {"none": ["broken_measure"]}},
        {"name": "g", "probe": SEATS, "must": {"hold": "seats given (flow link port off) > 0"}},
    )

    def test_names_are_followed(self):
        star = keeping(STAR, checks=list(self.CHECKS), probes=[SEATS | {"name": "By port"}])
        before = self.outcomes(star)
        for kind, name, to in (
            ("table", "Port", "Harbour place"),
            ("column", "Port.region", "part"),
            ("probe", "By port", "By harbour"),
            ("link", "port", "its port"),
            ("column", "Booking.seats", "places"),
            ("measure", "seats", "sold seats"),
        ):
            with self.subTest(kind):
                if kind == "measure":
                    model = apply(star.model, {"kind": "together", "edits": renaming(star, name, to)})[0]
                else:
                    model = renamed(star, read_renaming(star.model, kind, name, to), lambda t, _: t)
                    self.assertEqual(apply(star.model, {"kind": "together", "edits": edits_between(star.model, model)})[0], model)
                owner, _, was = name.partition(".") if kind == "column" else (name, "", "")
                rows = {
                    to if kind == "table" and n == name else n: self.anew(r, was if n == owner else "", to) for n, r in star.rows.items()
                }
                after = Star(model, rows)
                self.assertEqual(self.outcomes(after), before)
                self.assertEqual([c.name for c in model.checks], [c["name"] for c in self.CHECKS])
                if kind in ("probe", "measure"):
                    self.assertEqual(bool(uses_of(after, "measure", "sold seats")), kind == "measure")

    def anew(self, rows, was, to):
        return TableRows(rows.size, {to if was and c == was else c: v for c, v in rows.columns.items()})

    def outcomes(self, star):
        return [(o.state, o.tested, o.failed) for o in (run_check(star, c, Budget(), Beside()) for c in star.model.checks)]

    def test_uses_tell_checks(self):
        star = keeping(STAR, checks=list(self.CHECKS), probes=[SEATS | {"name": "By port"}])
        used = {u.owner for u in uses_of(star, "column", "Port.region") if u.kind == "check"}
        self.assertEqual(used, {"a", "b", "c", "d", "g"})
        self.assertEqual({u.owner for u in uses_of(star, "measure", "trips") if u.kind == "check"}, {"a", "c", "g"})


class Random(unittest.TestCase):
    """On random models: the cells that fail are those for which plain Python over the oracle's numbers says so."""

    def test_checks_agree_with_the_oracle(self):
        held = broken = 0
        for seed in range(400):
            maker, r = Maker(seed), random.Random(f"check {seed}")
            maker.with_measures(2)
            names = [m.name for m in maker.model.measures]
            probe = {k: v for k, v in maker.probe(names).items() if k not in ("sort", "limit")} | {"measures": names}
            with suppress(Refused, OverflowError):
                answer(maker.star, probe_of(maker.star, probe), Budget())  # refused by the engine first, where it cannot be
                cells = self.cells(maker, probe, names)
                for must, wanted in (self.formula(r, cells, names), self.listed(r, maker, probe, names)):
                    if must is None:
                        continue
                    came = outcome(must, maker.star, probe=probe)
                    if came.state == "cannot":
                        continue  # its formulas have an error of their own
                    self.assertEqual(sorted(repr(sorted(f.at.items())) for f in came.failures), wanted, (seed, must, probe))
                    held, broken = held + (not wanted), broken + bool(wanted)
        self.assertGreater(min(held, broken), 60)

    def cells(self, maker, probe, names):
        page = Page(maker, probe)
        return [
            (self.at(c), dict(zip(names, map(shown, v), strict=True))) for c, v in expected(page, names) if any(x is not None for x in v)
        ]

    def at(self, coordinates):
        named = {f"{t}.{c}": shown(v) for (t, c), v in coordinates.items()}
        return {k: UNMATCHED if v == "(unmatched)" else v for k, v in named.items()}

    def formula(self, r, cells, names):
        if any(isinstance(v[n], dict | bool | str) for _, v in cells for n in names[:1]):
            return None, []
        bound, empty = r.choice([-2, 0, 1, 3]), r.choice(["fails", "holds"])
        wrong = [at for at, v in cells if (empty == "fails" if v[names[0]] is None else not v[names[0]] > bound)]
        return {"hold": f"{names[0]} > {bound}", "empty": empty}, sorted(repr(sorted(at.items())) for at in wrong)

    def listed(self, r, maker, probe, names):
        alone = probe | {"totals": "none", "top": None, "having": [], "measures": names[:1]}
        lines = self.cells(maker, {k: v for k, v in alone.items() if v is not None}, names[:1])
        if not lines or any(isinstance(v[names[0]], dict | bool | str) for _, v in lines):
            return None, []
        columns = [*probe["rows"], *probe["columns"]]
        rows, wrong = [], []
        for at, values in lines:
            value, off = values[names[0]], r.random() < 0.3
            rows.append([*(at[c] for c in columns), value + 1 if off else value])
            if off and not math.isclose(value, value + 1, rel_tol=1e-9):
                wrong.append(repr(sorted(at.items())))
        return {"table": {"columns": [*columns, names[0]], "rows": rows}, "tolerance": {"relative": 1e-9, "absolute": 1e-9}}, sorted(wrong)


if __name__ == "__main__":
    unittest.main()
