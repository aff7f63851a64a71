"""What checks depend on, and what they would notice: held against really making each change and running everything."""

import os
import random
import unittest
from contextlib import suppress
from dataclasses import replace
from functools import lru_cache
from types import SimpleNamespace

from nexorem.core.checks.basis import check_basis, check_digest, probe_basis
from nexorem.core.checks.coverage import Coverage, Kept, share_noticed
from nexorem.core.checks.looked_at import looked_at, pick_key
from nexorem.core.checks.mutations import mutations
from nexorem.core.checks.propose import alike, widest_move
from nexorem.core.checks.run import run_check
from nexorem.core.diagnostics import Refused
from nexorem.core.engine.computed import edited_star
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import read_probe
from nexorem.core.language.mutants import mutants
from nexorem.core.limits import Budget
from nexorem.core.model.check import check_model
from nexorem.core.model.check_specs import NoneMust
from nexorem.core.model.edits import apply
from nexorem.core.model.specs import ProbeSpec, read_spec
from tests.checks.test_checks import SEATS, Beside, table
from tests.core.small import STAR, keeping
from tests.oracle.random_models import Maker

SEEDS = int(os.environ.get("COVERAGE_SEEDS", "60"))


def run(star, check, digest=""):
    return run_check(star, check, Budget(), Beside())


def cells(star, spec):
    """All cells of a probe, None where it cannot be answered."""
    try:
        return [sorted(x.items(), key=str) for x in answer(star, read_probe(star, spec), Budget()).tidy()]
    except Refused:
        return None


@lru_cache(maxsize=2)
def looked(star):
    """What all checks and probes come to."""
    probes = [cells(star, x.spec) for x in looked_at(star.model)]
    return SimpleNamespace(checks=[run(star, c) for c in star.model.checks], probes=probes)


def same(before, after):
    if before is None or after is None:
        return before is after
    flat = [[v for cell in side for _, v in cell] for side in (before, after)]
    return (
        len(flat[0]) == len(flat[1])
        and all(map(alike, *flat))
        and [[k for k, _ in c] for c in before] == [[k for k, _ in c] for c in after]
    )


class Formulas(unittest.TestCase):
    def test_every_change_of_a_formula(self):
        for formula, wanted in (
            ("sum(A.x) - sum(A.y)", {"sum(A.x) ", "avg(A.x) - sum(A.y)", "sum(A.x) - avg(A.y)"}),
            ("a + (b - c)", {"a ", " (b - c)", "a + (b )"}),
            ("(a + b) + c", {"(a + b) ", "(a ) + c", "( b) + c", " c"}),
            ("a given (clear T)", {"a "}),
            ("(a) given (set T.c = 'x')", {"(a) ", "(a) given (keep T.c = 'x')", "(a) given (set T.c <> 'x')"}),
            ("a given (clear wide T but (T.c, T.d))", {"a ", "a given (clear wide T )", "a given (clear into T but (T.c, T.d))"}),
            ("a given (via A.p = P.q, reset all)", {"a given (reset all)", "a given (via A.p = P.q)"}),
            ("a given (shift Cal by -1 year)", {"a ", "a given (shift Cal by -2 year)"}),
            ("a given (shift Cal by n month)", {"a ", "a given (shift Cal by (n) + 1 month)"}),
            ("a given (stretch Cal back 3 month)", {"a ", "a given (stretch Cal back 4 month)"}),
            ("a given (keep (T.a, T.b) in U)", {"a ", "a given (set (T.a, T.b) in U)"}),
            ("count(distinct A.x)", {"count(A.x)"}),
            (
                "count(A.x where A.n BETWEEN 1 AND 2.5)",
                {*(f"count({w})" for w in ("distinct A.x where A.n BETWEEN 1 AND 2.5",))}
                | {"count(A.x where A.n BETWEEN 2 AND 2.5)", "count(A.x where A.n BETWEEN 1 AND 2.75)"},
            ),
            ("rows(A where A.d < DATE '2031-12-31')", {"rows(A where A.d > DATE '2031-12-31')", "rows(A where A.d < DATE '2032-01-01')"}),
            ("a * b", set()),
            ("a +", set()),
        ):
            with self.subTest(formula):
                self.assertEqual({m.formula for m in mutants(formula)}, wanted)


class Small(unittest.TestCase):
    """On rows that a person can count."""

    def verdicts(self, checks, probes=()):
        star = keeping(STAR, checks=list(checks), probes=list(probes))
        coverage = Coverage(star, lambda m: edited_star(star, m), run, Budget, Kept())
        return {(c.about, c.words): c.verdict for c in coverage.all(list(mutations(star)))}

    def test_what_is_noticed_and_what_closes_a_hole(self):
        probe = SEATS | {"name": "By region"}
        bare = self.verdicts([], [probe])
        off = bare["link port", "switched off"]
        self.assertEqual(off.state, "unnoticed")
        self.assertEqual(bare["link day", "switched off"].state, "equivalent")  # no probe asks for days
        closing = off.closes.check
        self.assertEqual((closing["probe"], closing["must"]["table"]["columns"]), ("By region", ["Port.region", "seats"]))
        held = self.verdicts([closing], [probe])
        self.assertEqual((held["link port", "switched off"].state, held["link port", "switched off"].by), ("noticed", closing["name"]))
        idle = {"name": "idle", "probe": SEATS, "must": {"hold": "1 = 1"}}
        self.assertEqual(self.verdicts([idle], [probe])["link port", "switched off"].state, "unnoticed")
        wrong = {"name": "wrong", "probe": SEATS, "must": table(("North", 6))}
        self.assertEqual(self.verdicts([wrong], [probe])["link port", "switched off"].state, "unnoticed")  # it fails as it is

    def test_what_is_looked_at_and_what_is_broken_of_it(self):
        north, alder = {"column": "Port.region", "in": ["North"]}, {"column": "Port.name", "in": ["Alder"]}
        own = {"rows": ["Port.name"], "measures": ["seats"], "picks": [{"column": "Port.region", "in": ["South"]}, alder]}
        tiles = [
            {"kind": "text", "text": "x"},
            {"kind": "number", "probe": own, "against": "trips"},
            {"kind": "number", "probe": own, "without": ["Port.region"]},
            {"kind": "probe", "probe": {"rows": ["Port.name"], "measures": []}},
        ]
        star = keeping(
            STAR,
            probes=[
                SEATS | {"name": "p", "picks": [north, {"where": "Port.depth > 3"}]},
                {"name": "none", "rows": ["Port.name"], "measures": []},
            ],
            folios=[{"name": "Page", "picks": [{"where": "Cal.year = 2031"}, north], "tiles": tiles}],
            checks=[{"name": "c", "probe": SEATS, "must": table(("North", 5))}, {"name": "d", "probe": "p", "must": {"hold": "seats > 1"}}],
        )
        said = [(x.about, x.spec.measures, [pick_key(p) for p in x.spec.picks]) for x in looked_at(star.model)]
        self.assertEqual(
            said,
            [
                ("probe p", ("seats", "trips"), ["Port.region", "Port.depth > 3"]),
                ("folio Page", ("seats", "trips"), ["Port.name", "Cal.year = 2031", "Port.region"]),
                ("folio Page", ("seats",), ["Port.region", "Port.name", "Cal.year = 2031"]),
                ("check c", ("seats", "trips"), []),
            ],
        )
        steps = ({"kind": "trim_text"}, {"kind": "drop_columns", "off": True}, {"kind": "sort_rows"})
        tables = tuple(replace(x, steps=steps) if x.name == "Port" else x for x in star.model.tables)
        changes = list(mutations(star.with_model(replace(star.model, tables=tables)), {"Booking": 3}))
        self.assertEqual(
            [(c.kind, c.about, c.words) for c in changes if c.kind not in ("link", "measure")],
            [
                ("condition", "probe p", "without the pick on Port.region"),
                ("condition", "probe p", "without the condition Port.depth > 3"),
                ("condition", "folio Page", "without the condition Cal.year = 2031"),
                ("condition", "folio Page", "without the pick on Port.region"),
                ("step", "table Port", "step 1 (trim text) left out"),
                ("step", "table Port", "step 3 (sort rows) left out"),
                ("load", "table Booking", "the load before in place of the newest"),
            ],
        )
        self.assertEqual([c.step for c in changes if c.kind == "step"], [0, 2])
        by_day = edited_star(
            STAR, apply(STAR.model, {"kind": "add_measure", "measure": {"name": "x", "formula": "sum(Booking.seats * Cal.week)"}})[0]
        )
        over = [c.words for c in mutations(by_day) if c.about == "measure x" and " over " in c.words]
        self.assertEqual(over, ["sum(Booking.seats * Cal.week) over refund"])
        self.assertEqual(changes[-2].edits[0]["set"]["steps"][2]["off"], True)

    def test_the_cell_that_moves_most_is_proposed(self):
        before = "sum(Booking.seats)"
        for after, at, measure in (
            ("sum(Booking.seats) + 1 + 4 * sum(Booking.seats where Port.region = 'South')", "South", "x"),  # 2 to 11
            ("sum(Booking.seats where Port.region = 'South')", None, "x"),  # what leaves has moved by all: the largest
            ("sum(Booking.seats where Booking.seats < 9)", None, "x"),
            ("sum(Booking.seats) * (1 + 1e-13)", "none", ""),
        ):
            with self.subTest(after):
                grids = [
                    answer(STAR, read_probe(STAR, read_spec(ProbeSpec, SEATS | {"measures": ["x"], "define": {"x": f}})), Budget())
                    for f in (before, after)
                ]
                move = widest_move(*grids)
                self.assertEqual((move and move.at["Port.region"], move and move.measure), (at, measure) if measure else (None, None))

    def test_values_that_are_alike(self):
        for old, new, wanted in (
            (1, 1, True),
            (1, 2, False),
            (1, True, False),
            (True, True, True),
            (0.3, 0.1 + 0.2, True),
            (1.0, True, True),
            (1.0, None, False),
            (1.5, "a", False),
            (None, None, True),
            (1e9, 1e9 + 0.5, True),
            (1e9, 1e9 + 5, False),
        ):
            self.assertEqual(alike(old, new), wanted, (old, new))
            self.assertEqual(alike(new, old), wanted, (new, old))

    def test_a_verdict_is_kept_until_something_it_was_made_from_changes(self):
        star = keeping(STAR, checks=[{"name": "c", "probe": SEATS, "must": table(("North", 5))}], probes=[SEATS | {"name": "p"}])
        memory, count = Kept(), []

        def counted(star, check, digest):
            count.append(check.name)
            return run(star, check)

        def all_of(star):
            count.clear()
            return [c.verdict for c in Coverage(star, lambda m: edited_star(star, m), counted, Budget, memory).all(list(mutations(star)))]

        first = all_of(star)
        self.assertTrue(count)
        self.assertEqual((all_of(star), count), (first, []))
        other = edited_star(star, apply(star.model, {"kind": "add_measure", "measure": {"name": "more", "formula": "1 + 2"}})[0])
        self.assertEqual((all_of(other)[: len(first)], count), (first, []))
        loaded = edited_star(star, apply(star.model, {"kind": "change_link", "name": "port", "set": {"flow": "two-way"}})[0])
        all_of(loaded)
        self.assertTrue(count)

    def test_what_a_check_depends_on(self):
        star = keeping(STAR, checks=[{"name": "c", "probe": SEATS, "must": table(("North", 5))}])
        basis = check_basis(star, star.model.checks[0])
        self.assertEqual(
            (set(basis.measures), "Booking" in basis.tables, "port" in basis.links, "day" in basis.links),
            ({"seats", "trips"}, True, True, True),
        )
        digest = check_digest(star, star.model.checks[0])
        for edit, alters in (
            ({"kind": "change_link", "name": "port", "set": {"active": False}}, True),
            ({"kind": "change_measure", "name": "seats", "set": {"formula": "sum(Booking.seats) + 0"}}, True),
            ({"kind": "change_measure", "name": "seats", "set": {"format": "#,##0"}}, False),
            ({"kind": "put_probe", "probe": SEATS | {"name": "new"}}, False),
        ):
            with self.subTest(edit):
                then = edited_star(star, apply(star.model, edit)[0])
                self.assertEqual(check_digest(then, then.model.checks[0]) != digest, alters)
        gone = edited_star(star, apply(star.model, {"kind": "remove_measure", "name": "seats"})[0])
        self.assertEqual(check_digest(gone, gone.model.checks[0]), "")


class Random(unittest.TestCase):
    """On random models with random checks and probes."""

    def model(self, seed):
        maker, r = Maker(seed), random.Random(f"coverage {seed}")
        maker.with_measures(3)
        names = [m.name for m in maker.model.measures]
        probes = []
        for number in range(2):
            spec = {k: v for k, v in maker.probe(names).items() if k not in ("sort", "limit")} | {"name": f"p{number}"}
            if spec["measures"] and cells(maker.star, read_spec(ProbeSpec, spec)) is not None:
                probes.append(spec)
        star = keeping(replace_model(maker), probes=probes)
        checks = []
        for number, probe in enumerate(probes):
            grid = cells(star, read_spec(ProbeSpec, probe | {"totals": "none"})) or []
            at = r.choice(grid) if grid else None
            measure = r.choice(probe["measures"])
            if at and not isinstance(dict(at).get(measure), dict):
                line = [(UNMATCHED if v == "(unmatched)" else v) if k != measure else v for k, v in at if "." in k or k == measure]
                columns = [k for k, _ in at if "." in k or k == measure]
                checks.append(
                    {"name": f"t{number}", "probe": probe | {"name": ""}, "must": {"table": {"columns": columns, "rows": [line]}}}
                )
            checks.append({"name": f"h{number}", "probe": f"p{number}", "must": {"hold": f"{measure} IS NULL OR {measure} = {measure}"}})
        code = r.choice(("orphans", "loose", "unused_link", "no_measure", "empty_table"))
        checks.append({"name": "n", "must": {"none": [code]}})
        return keeping(star, checks=checks, probes=probes), r

    def test_the_same_verdict_as_really_making_each_change(self):
        judged, states, seed = 0, dict.fromkeys(("noticed", "unnoticed", "equivalent", "refused"), 0), 0
        while judged < 500:
            seed += 1
            with suppress(OverflowError):
                star, r = self.model(seed)
                changes = list(mutations(star))
                changes = r.sample(changes, min(8, len(changes)))
                coverage = Coverage(star, lambda m, star=star: edited_star(star, m), run, Budget, Kept())
                for change in changes:
                    verdict = coverage.of(change)
                    self.assertEqual(verdict.state, self.really(star, change), (seed, change, verdict))
                    states[verdict.state] += 1
                    judged += 1
        self.assertGreater(min(states.values()), 15, states)

    def really(self, star, change):
        """The verdict by doing everything anew."""
        try:
            model = star.model
            for edit in change.edits:
                model = apply(model, edit)[0]
            then = replace_star(star, model)
        except Refused:
            return "refused"
        if check_model(then, star):
            return "refused"
        before, after = looked(star), looked(then)
        if any(a.state == "holds" != b.state for a, b in zip(before.checks, after.checks, strict=True)):
            return "noticed"
        unlike = any(a is not None and not same(a, b) for a, b in zip(before.probes, after.probes, strict=True))
        # How many findings there are is no number that anyone looks at.
        numbers = [i for i, c in enumerate(star.model.checks) if not isinstance(c.must, NoneMust)]
        counts = [[(side.checks[i].state, side.checks[i].tested, side.checks[i].failed) for i in numbers] for side in (before, after)]
        return "unnoticed" if unlike or counts[0] != counts[1] else "equivalent"

    def test_the_same_basis_the_same_outcome(self):
        alike_, other = 0, 0
        for seed in range(1000, 1000 + SEEDS):
            with suppress(OverflowError):
                star, r = self.model(seed)
                for change in r.sample(changes := list(mutations(star)), min(10, len(changes))):
                    with suppress(Refused):
                        model = star.model
                        for edit in change.edits:
                            model = apply(model, edit)[0]
                        then = replace_star(star, model)
                        for now, looked in zip(looked_at(then.model), looked_at(star.model), strict=True):
                            if check_model(then, star) or self.digest(star, looked) != self.digest(then, now):
                                other += 1
                                continue
                            self.assertEqual(cells(star, looked.spec), cells(then, now.spec), (seed, change, looked))
                            alike_ += 1
        self.assertGreater(min(alike_, other), SEEDS * 1.5)

    def digest(self, star, looked):
        try:
            return probe_basis(star, read_probe(star, looked.spec)).digest(star)
        except Refused:
            return None


UNMATCHED = {"unmatched": True}


def replace_model(maker):
    return replace_star(maker.star, maker.model)


def replace_star(star, model):
    """The star made anew, so that nothing of before is kept."""
    made = edited_star(star, model)
    return type(made)(made.model, made.rows)


class Share(unittest.TestCase):
    def test_the_share_is_of_what_moves_a_number(self):
        star = keeping(STAR, probes=[SEATS | {"name": "p"}])
        verdicts = [c.verdict for c in Coverage(star, lambda m: edited_star(star, m), run, Budget, Kept()).all(list(mutations(star)))]
        moved = sum(v.state == "unnoticed" for v in verdicts)
        self.assertEqual(share_noticed(verdicts), (0, moved))
        self.assertGreater(moved, 3)
