"""What a measure is held against: the same by hand, over the demo's years, quarters and months and over random models."""

import calendar
import datetime as dt
import math
import random
import unittest

from nexorem.core.design.comparisons import comparisons
from nexorem.core.diagnostics import Refused
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.limits import Budget
from tests.core.test_uses import DEMO
from tests.oracle.agreement import same
from tests.oracle.random_models import Maker

MONTHS = {"year": 12, "quarter": 3, "month": 1}


def asked(star, names, offered=(), **probe):
    define = {a.name: a.formula for c in offered for a in c.adds if a.formula}
    return list(answer(star, probe_of(star, {"measures": names, "define": define, **probe}), Budget()).tidy())


def back(day, months, whole):
    """A day some months before; the last of a month that is asked for whole stays the last."""
    place = day.year * 12 + day.month - 1 - months
    year, month = divmod(place, 12)
    last = calendar.monthrange(year, month + 1)[1]
    return dt.date(year, month + 1, last if whole else min(day.day, last))


class Compared(unittest.TestCase):
    def test_earlier_is_the_same_over_earlier_days(self):
        offered = {c.label: c for c in comparisons(DEMO, "seats_sold") if c.key == "earlier"}
        self.assertEqual(list(offered), ["a year earlier", "a quarter earlier", "a month earlier"])
        spans = [
            (dt.date(2032, 4, 1), dt.date(2032, 6, 30)),
            (dt.date(2033, 3, 1), dt.date(2033, 3, 31)),
            (dt.date(2032, 5, 3), dt.date(2032, 5, 28)),
            (dt.date(2032, 2, 1), dt.date(2032, 2, 29)),
            (dt.date(2033, 7, 1), dt.date(2033, 7, 20)),
        ]
        for unit, months in MONTHS.items():
            found = offered[f"a {unit} earlier"]
            before, change = (a.name for a in found.adds)
            for first, last in spans:
                with self.subTest(unit, first=first):
                    days = f"Calendar.date BETWEEN DATE '{first}' AND DATE '{last}'"
                    whole = (last + dt.timedelta(days=1)).day == 1 and first.day == 1
                    earlier = f"Calendar.date BETWEEN DATE '{back(first, months, False)}' AND DATE '{back(last, months, whole)}'"
                    by_hand = {
                        c["Island.group"]: c["seats_sold"]
                        for c in asked(DEMO, ["seats_sold"], rows=["Island.group"], picks=[{"where": earlier}])
                    }
                    for cell in asked(DEMO, ["seats_sold", before, change], [found], rows=["Island.group"], picks=[{"where": days}]):
                        self.assertEqual(cell[before], by_hand.get(cell["Island.group"]))
                        if cell[before] and cell["seats_sold"] is not None:
                            self.assertAlmostEqual(cell[change], (cell["seats_sold"] - cell[before]) / cell[before], 12)

    def test_the_page_and_other_measures(self):
        offered = comparisons(DEMO, "seats_sold")
        page = next(c for c in offered if c.key == "page")
        name = page.adds[0].name
        picks = [{"column": "Island.group", "in": ["Near Isles", "Middle Holms"]}]
        cells = asked(DEMO, ["seats_sold", name], [page], rows=["Port.name"], columns=["Calendar.year"], picks=picks)
        self.assertTrue(math.isclose(sum(c[name] or 0 for c in cells), 1))
        other = next(c for c in offered if c.key == "measure" and c.label == "target_seats")
        less = other.adds[1].name
        for cell in asked(DEMO, ["seats_sold", "target_seats", less], [other], rows=["Route.code"]):
            self.assertEqual(cell[less] or 0, (cell["seats_sold"] or 0) - (cell["target_seats"] or 0))
        self.assertEqual(comparisons(DEMO, "target_verdict"), [])  # a text
        self.assertEqual(comparisons(DEMO, "nowhere"), [])

    def test_what_is_offered_can_be_asked_in_any_model(self):
        met = 0
        for seed in range(150):
            maker = Maker(seed)
            maker.with_measures(2)
            names = [m.name for m in maker.model.measures]
            probe = maker.probe(names) | {"empty_lines": True, "totals": "none"}
            try:
                plain = asked(maker.star, names[:1], **{k: v for k, v in probe.items() if k != "measures"})
            except Refused:
                continue
            for found in random.Random(seed).sample(offered := comparisons(maker.star, names[0]), min(2, len(offered))):
                added = [a.name for a in found.adds]
                cells = asked(
                    maker.star, list(dict.fromkeys([names[0], *added])), [found], **{k: v for k, v in probe.items() if k != "measures"}
                )
                self.assertEqual([c[names[0]] for c in cells], [c[names[0]] for c in plain], seed)
                for cell in cells:
                    a, b = cell[names[0]], cell[added[0]]
                    if (
                        found.key == "measure"
                        and isinstance(a, int | float)
                        and isinstance(b, int | float)
                        and not isinstance(cell[added[1]], dict)
                    ):
                        self.assertTrue(same(cell[added[1]], a - b), (seed, cell))
                        met += 1
        self.assertGreater(met, 30)


if __name__ == "__main__":
    unittest.main()
