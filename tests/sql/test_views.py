"""Measures as views give in a database what their grids show here."""

import unittest

from nexorem.core.diagnostics import Refused
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.limits import Budget
from nexorem.export.views import views
from tests.core.small import STAR
from tests.oracle.agreement import same
from tests.sql.voices import Server, columnar

AXES = ["Port.region", "Cal.week"]
WORDS = {"empty": None, "unmatched": "(unmatched)"}


class Views(unittest.TestCase):
    def test_what_views_give(self):
        for voice in (columnar, Server()):
            with voice(STAR) as database:
                for view in views(STAR, AXES, [], database.dialect).split(";\n")[:-1]:
                    database.run(
                        f"{view}; SELECT 1" if database.dialect.name == "duckdb" else view.replace("CREATE VIEW", "CREATE TEMP VIEW"), None
                    )
                for measure in ("seats", "trips", "share"):
                    with self.subTest(measure, dialect=database.dialect.name):
                        self.hold(database, measure)

    def hold(self, database, measure):
        found = {}
        for region, region_is, week, week_is, value in database.run(f'SELECT * FROM "{measure}"', None):
            place = tuple(WORDS.get(kind, v) for v, kind in ((region, region_is), (week, week_is)))
            self.assertNotIn("total", (region_is, week_is))
            found[place] = value
        cells = answer(STAR, probe_of(STAR, {"rows": AXES, "measures": [measure]}), Budget()).tidy()
        wanted = {(c["Port.region"], c["Cal.week"]): c[measure] for c in cells}
        self.assertEqual(set(found), set(wanted))
        self.assertTrue(all(same(found[k], wanted[k]) for k in wanted), (found, wanted))

    def test_a_measure_that_is_not_there(self):
        with self.assertRaises(Refused):
            views(STAR, AXES, ["nothing"], Server.dialect)


if __name__ == "__main__":
    unittest.main()
