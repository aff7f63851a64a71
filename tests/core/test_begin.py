"""What a model that was just gathered is offered: keys, a calendar, links, grids to begin with."""

import datetime as dt
import unittest
from dataclasses import replace

from nexorem.core.design.begin import beginning
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.limits import Budget
from nexorem.core.model.edits import apply
from nexorem.core.model.model import Column, Model, Table
from nexorem.core.model.star import Star, table_rows
from nexorem.core.values import vector
from tests.core.small import make_star
from tests.core.test_design import DEMO


def bare(star, keep_calendar=False):
    """A star as it is just gathered: without keys, links, measures, and calendar."""
    tables = tuple(replace(t, key=(), calendar=t.calendar if keep_calendar else None, role="") for t in star.model.tables)
    return star.with_model(replace(star.model, tables=tables, links=(), measures=(), probes=(), folios=(), checks=(), hierarchies=()))


class Beginnings(unittest.TestCase):
    def offers(self, star):
        return beginning(star, Budget())

    def test_the_demo(self):
        offers = self.offers(bare(DEMO))
        keys = {k.table: k.columns for k in offers.keys}
        for table in DEMO.model.tables:
            if table.key and table.name in keys:
                self.assertEqual(keys[table.name], table.key, table.name)
        self.assertEqual(keys["Target"], ("month_end", "route_code"))  # and not an amount, which happens to tell them apart
        self.assertEqual((offers.calendar.name, offers.calendar.day, offers.calendar.dates), ("Calendar", "date", ()))
        self.assertEqual(offers.grids, ())  # nothing is linked yet
        found = {s.text for s in offers.links}
        self.assertLessEqual({"Booking.customer_no = Customer.number", "Booking.agent_code = Agent.code"}, found)
        again = self.offers(DEMO)
        self.assertEqual(again.calendar, None)
        self.assertEqual([g.measures for g in again.grids][:2], [(), ()])  # they are there already

    def test_each_offer_can_be_taken(self):
        """Step by step to a grid with numbers."""
        star = bare(DEMO, keep_calendar=True)
        edits = [{"kind": "change_table", "name": k.table, "set": {"key": list(k.columns)}} for k in self.offers(star).keys]
        edits += [{"kind": "add_link", "link": dict(s.link)} for s in self.offers(star).links]
        star = star.with_model(apply(star.model, {"kind": "together", "edits": edits})[0])
        offers = self.offers(star)
        self.assertEqual(offers.keys, ())
        self.assertGreater(len(offers.grids), 2)
        self.assertEqual([dict(m)["formula"] for m in offers.grids[0].measures], ["rows(Booking)"])
        for grid in offers.grids:
            model = star.model
            for measure in grid.measures:
                model = apply(model, {"kind": "add_measure", "measure": dict(measure)})[0]
            cells = list(answer(star.with_model(model), probe_of(star.with_model(model), dict(grid.probe)), Budget()).tidy())
            self.assertGreater(len(cells), 2, grid.words)

    def test_what_is_no_offer(self):
        star = make_star({"T": ("a:integer b:text d:date", [(1, "x", None), (1, "x", None)]), "Nothing": ("x:text", [])}, [], {})
        offers = self.offers(star)
        self.assertEqual((offers.keys, offers.links, offers.grids), ((), (), ()))
        self.assertEqual((offers.calendar.name, offers.calendar.dates), ("Calendar", ("T.d",)))

    def test_moments_become_dates(self):
        at = dt.datetime(2031, 5, 6, 7, 8)
        columns = "n:integer, seen at:datetime, paid_time:datetime, paid_date:text".split(", ")
        spec = [tuple(c.split(":")) for c in columns]
        rows = {c: vector(d, [v] * 2) for (c, d), v in zip(spec, (1, at, None, "x"), strict=True)}
        tables = (
            Table("T", tuple(Column(*c) for c in spec), steps=({"kind": "number_rows", "name": "row"},)),
            Table("Has", (Column("d", "date"), Column("at", "datetime"))),
        )
        model = Model("m", tables)
        star = Star(model, {"T": table_rows(2, rows), "Has": table_rows(0, {"d": vector("date", []), "at": vector("datetime", [])})})
        offer = self.offers(star).calendar
        self.assertEqual(offer.dates, ("Has.d", 'T."seen date"', "T.paid_date_2"))  # a table that has a date keeps its moments as they are
        formulas = [(s["name"], s["formula"]) for s in offer.steps["T"][1:]]
        self.assertEqual((list(offer.steps), offer.steps["T"][0]["kind"]), (["T"], "number_rows"))
        self.assertEqual(formulas, [("seen date", 'CAST("seen at" AS date)'), ("paid_date_2", "CAST(paid_time AS date)")])


if __name__ == "__main__":
    unittest.main()
