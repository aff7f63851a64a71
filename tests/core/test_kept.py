"""What is kept only for those who ask again: arrays by key, and the rows that pass the filters of a scan."""

import unittest
from unittest import mock

import numpy as np

from nexorem.core import kept as keeping
from nexorem.core.engine import fast, scan
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.kept import Again
from nexorem.core.limits import Budget, Limits
from nexorem.core.model.model import Column, Measure, Model, Table
from nexorem.core.model.star import Star, table_rows
from nexorem.core.values import vector
from tests.core.small import make_star


class Kept(unittest.TestCase):
    def test_made_when_it_is_asked_for_again_and_let_go_of_when_others_are(self):
        kept, made = Again(2), []

        def get(table, key):
            def make():
                made.append((table, key))
                return np.full(3, len(made))

            array = kept.get(table, key, make)
            return None if array is None else int(array[0])

        self.assertIsNone(kept.get("a", 1), "nobody asked that it be made")
        self.assertEqual([get("a", 1), get("a", 1), get("a", 1)], [None, 1, 1])
        self.assertEqual([get("b", 1), get("a", 2), get("a", 2), get("a", 3), get("a", 3)], [None, None, 2, None, 3])
        self.assertEqual((kept.bytes("a"), kept.bytes("b"), kept.bytes()), (48, 0, 48))
        self.assertIsNone(kept.get("a", 1), "the one that was used longest ago is gone")
        self.assertEqual(get("a", 1), 4, "it was asked for before, and is made at once")
        kept.forget()
        self.assertEqual((kept.bytes(), kept.get("a", 3)), (0, None))

    def test_keys_that_were_asked_for_are_bounded(self):
        kept = Again(2)
        with mock.patch.object(keeping, "MOST_ASKED", 10):
            for key in range(100):
                self.assertIsNone(kept.get("a", key, lambda: np.zeros(1)))
                self.assertLessEqual(len(kept._asked), 12)

    def test_rows_that_pass_are_gone_through_again_without_their_filters(self):
        star = make_star()
        probes = [
            {"measures": ["seats"], "rows": rows, "picks": [{"where": where} for where in picks]}
            for picks in (["Booking.seats > 2"], ["Booking.note = 'x'", "Port.region = 'North'"], ["Booking.seats > 99"])
            for rows in ([], ["Port.name"], ["Booking.note"])
        ]
        found = []

        def by_stages(self):
            found.append(self)
            return real(self)

        real = scan.Scan._by_stages
        few = mock.patch.multiple(fast, FEWEST_ROWS=0), mock.patch.multiple(scan, BLOCK=3, SHARE=2, FEW=0.99, WHOLE=2)
        with few[0], few[1], mock.patch.object(scan.Scan, "_by_stages", by_stages):
            for probe in probes:
                answers = []
                for _ in range(4):
                    answers.append(list(answer(star, probe_of(star, probe), Budget()).tidy()))
                self.assertEqual(answers[1:], answers[:1] * 3, probe)
        self.assertEqual(len(found), 2 * 3, "filters are looked at twice, whatever stands on the axes")

    def test_doubles_add_up_to_the_same_bits_however_their_rows_are_found(self):
        r = np.random.default_rng(7)
        columns = {
            "g": vector("integer", r.integers(0, 60, 5_000).tolist()),
            "h": vector("integer", r.integers(0, 9, 5_000).tolist()),
            "x": vector("number", (r.random(5_000) * 10.0 ** r.integers(-8, 9, 5_000)).tolist()),
        }
        model = Model(
            "doubles", (Table("F", tuple(Column(n, v.dtype) for n, v in columns.items())),), (), (Measure("sum of x", "sum(F.x)"),)
        )
        small = mock.patch.multiple(fast, FEWEST_ROWS=0), mock.patch.multiple(scan, BLOCK=64, SHARE=20)
        found = {}
        with small[0], small[1]:
            for _ in range(2):  # of a star that knows nothing, and with another pick on the same column before
                star = Star(model, {"F": table_rows(5_000, columns)})
                for where in ("F.g IN (1, 59)", "F.g IN (7, 31, 50) AND F.h < 5", "F.g IN (7, 31, 50)", "F.g < 12"):
                    for rows in ([], ["F.h"]):
                        for _ in range(4):
                            probe = probe_of(star, {"measures": ["sum of x"], "rows": rows, "picks": [{"where": where}]})
                            sums = [line["sum of x"].hex() for line in answer(star, probe, Budget(Limits(workers=2))).tidy()]
                            self.assertEqual(found.setdefault((where, *rows), sums), sums)
        self.assertGreater(len({sums[0] for sums in found.values()}), 4)


if __name__ == "__main__":
    unittest.main()
