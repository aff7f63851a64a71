"""Blame against trying every edit: on histories of whether something held, and on random edits of random models."""

import random
import unittest
from contextlib import suppress
from dataclasses import dataclass
from types import SimpleNamespace

from nexorem.core.checks.blame import ONE_BY_ONE, Blame, Question, blame, may_move, moves
from nexorem.core.checks.mutations import mutations
from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.engine.computed import edited_star
from nexorem.core.engine.probe import read_probe
from nexorem.core.model.check import check_model
from nexorem.core.model.edits import apply
from nexorem.core.model.specs import ProbeSpec, read_spec
from nexorem.core.plan.basis import Basis
from tests.checks.test_coverage import cells, probe_basis, replace_model
from tests.core.small import STAR
from tests.oracle.random_models import Maker


@dataclass
class Held:
    """A past of which only it is known at which states something held; rows of states before `kept` are gone."""

    held: str
    kept: int = 0
    kind: str = "change_table"

    @property
    def newest(self):
        return len(self.held) - 1

    def edit(self, number):
        return {"kind": self.kind, "name": "Booking"}

    def star(self, number):
        if number < self.kept:
            raise refuse("rows_gone", "The rows are gone.", "Load them again.")
        return SimpleNamespace(model=None, holds=self.held[number] == "+")


EVERYTHING = Question(lambda star: None, everything=True)
FAR = ONE_BY_ONE + 20


class Since(unittest.TestCase):
    def test_since_when(self):
        for held, kept, wanted in (
            ("+-", 0, Blame(1, 1)),
            ("-+-", 0, Blame(2, 1)),
            ("+-+---", 0, Blame(3, 3)),
            ("----", 0, Blame(None, 3)),
            ("-", 0, Blame(None, 0)),
            ("+----", 3, Blame(None, 2, gone=True)),
            ("+----", 1, Blame(None, 4, gone=True)),
            ("+" + "-" * ONE_BY_ONE, 0, Blame(1, ONE_BY_ONE)),
            ("-" * FAR, 0, Blame(None, ONE_BY_ONE + 5, halved=True)),
            ("+" * 20 + "-" * FAR, 30, Blame(None, ONE_BY_ONE + 4, gone=True, halved=True)),
        ):
            with self.subTest(held, kept=kept):
                self.assertEqual(blame(Held(held, kept), EVERYTHING, lambda s: s.holds), wanted)

    def test_far_back_it_is_looked_for_by_halves(self):
        for broken in range(1, 1000, 37):
            blamed = blame(Held("+" * broken + "-" * (1001 - broken)), EVERYTHING, lambda s: s.holds)
            self.assertEqual((blamed.number, blamed.gone), (broken, False))
            self.assertLessEqual(blamed.looked, ONE_BY_ONE + 20)
            self.assertEqual(blamed.halved, 1000 - broken >= ONE_BY_ONE)

    def test_what_cannot_have_moved_it_is_not_looked_at(self):
        basis = Basis({"Booking": None}, {"port": None}, {"seats": None})
        about = Question(lambda star: basis, frozenset({"p"}))
        for edit, moved in (
            ({"kind": "put_check", "check": {"name": "c"}}, False),
            ({"kind": "put_folio", "folio": {"name": "f"}}, False),
            ({"kind": "put_probe", "probe": {"name": "P"}}, True),
            ({"kind": "remove_probe", "name": "other"}, False),
            ({"kind": "change_measure", "name": "Seats", "set": {"formula": "1"}}, True),
            ({"kind": "change_measure", "name": "trips", "set": {"name": "seats"}}, True),
            ({"kind": "change_measure", "name": "trips", "set": {"formula": "1"}}, False),
            ({"kind": "add_measure", "measure": {"name": "seats"}}, True),
            ({"kind": "change_measure", "name": "seats", "set": {"description": "d", "folder": "f"}}, False),
            ({"kind": "change_table", "name": "Port", "set": {"load": 3}}, True),
            ({"kind": "change_link", "name": "port", "set": {"active": False}}, True),
            ({"kind": "change_link", "name": "crew", "set": {"flow": "both"}}, False),
            ({"kind": "change_link", "name": "crew", "set": {"flow": "both", "many": True}}, True),
            ({"kind": "change_link", "name": "none", "set": {"active": False}}, True),
            ({"kind": "together", "edits": [{"kind": "place_tables"}, {"kind": "remove_measure", "name": "seats"}]}, True),
            ({"kind": "together", "edits": [{"kind": "place_tables"}, {"kind": "remove_measure", "name": "trips"}]}, False),
        ):
            with self.subTest(edit):
                self.assertEqual(may_move(edit, basis, STAR.model, about), moved)
                self.assertEqual(may_move(edit, basis, STAR.model, EVERYTHING), True)


class Edited:
    """A past of edits really made, each state made once."""

    def __init__(self, star):
        self.stars, self.edits = [star], []

    newest = property(lambda self: len(self.edits))

    def edit(self, number):
        return self.edits[number - 1]

    def star(self, number):
        return self.stars[number]

    def make(self, edits):
        star = self.stars[-1]
        edit = {"kind": "together", "edits": edits}
        model = apply(star.model, edit)[0]
        then = edited_star(star, model)
        if not check_model(then, star):
            self.stars.append(then)
            self.edits.append(edit)


class Random(unittest.TestCase):
    def test_moves_are_what_trying_every_edit_finds(self):
        moved = still = passed_by = 0
        for seed in range(32):
            maker, r = Maker(seed), random.Random(f"blame {seed}")
            maker.with_measures(3)
            spec = {k: v for k, v in maker.probe([m.name for m in maker.model.measures]).items() if k not in ("sort", "limit")}
            spec["measures"] = spec["measures"][:1]
            past = Edited(replace_model(maker))
            if not spec["measures"] or basis_of(past.stars[0], read_spec(ProbeSpec, spec)) is None:
                continue
            with suppress(OverflowError):
                for _ in range(12):
                    if changes := list(mutations(past.stars[-1])):
                        with suppress(Refused):
                            past.make(list(r.choice(changes).edits))
                spec = read_spec(ProbeSpec, spec)
                values = [cells(s, spec) for s in past.stars]
                looked = {
                    m.number: m for m in moves(past, Question(lambda s, spec=spec: basis_of(s, spec)), lambda s, spec=spec: cells(s, spec))
                }
                for number in range(1, past.newest + 1):
                    before, after = values[number - 1], values[number]
                    if number in looked:
                        self.assertEqual((looked[number].before, looked[number].after), (before, after), (seed, number))
                        moved, still = moved + (before != after), still + (before == after)
                    else:
                        self.assertEqual(before, after, (seed, number, past.edit(number)))
                        passed_by += 1
        self.assertGreater(min(moved, still, passed_by), 20, (moved, still, passed_by))


def basis_of(star, spec):
    try:
        return probe_basis(star, read_probe(star, spec))
    except Refused:
        return None
