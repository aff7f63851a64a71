"""One session of the cluster's engine on this machine, without master and workers: every example of the language's page, what is proven of tables
there, and random models come to what they are here. `tests/cluster` asks the same of a whole cluster."""

import tempfile
import unittest
from pathlib import Path

from nexorem.core.diagnostics import Refused
from nexorem.core.engine.probe import probe_of
from nexorem.sql.probe import compiled
from nexorem.sql.proof import tidy_lines
from nexorem.store.cluster import free_port
from nexorem.store.elsewhere import elsewhere
from nexorem.store.spark import spark
from nexorem.store.spark_cluster import cluster, put_tables, write_tables
from tests.core.small import STAR
from tests.core.test_language_page import examples, told

SECONDS = 120
TOGETHER = 12  # formulas in a statement


class Asked(unittest.TestCase):
    workers = 0

    @classmethod
    def setUpClass(cls):
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        cls.address = cls.enterClassContext(cluster(cls.folder, free_port(), cls.workers))

    def put(self, star, name):
        put_tables(self.address, write_tables(star, self.folder / name), SECONDS)

    def test_the_page_of_the_language(self):
        self.put(STAR, "small")
        with elsewhere(self.address, STAR.model, None, SECONDS) as there:
            self.assertEqual((there.proven.firm, there.proven.unmatched), (STAR.firm, STAR.unmatched))
            asked = [(formula, given) for formula, given in examples() if self.has_keys(there, {"x": formula})]
            self.assertGreater(len(asked), 50)
            for first in range(0, len(asked), TOGETHER):
                some = {f"x{n}": formula for n, (formula, _) in enumerate(asked[first : first + TOGETHER])}
                probe = probe_of(there.proven, {"measures": list(some), "define": some})
                (cell,) = tidy_lines((), probe.measures, there.answer(probe))
                for n, (formula, given) in enumerate(asked[first : first + TOGETHER]):
                    with self.subTest(formula):
                        self.assertEqual(told(cell[f"x{n}"]), given)

    def has_keys(self, there, formulas):
        """False where rows of Booking and Crew would have to be told apart, that have no key there."""
        probe = probe_of(there.proven, {"measures": list(formulas), "define": formulas})
        try:
            compiled(there.proven, probe, there.asking.dialect, there.places)
        except Refused as refused:
            self.assertEqual(refused.diagnostics[0].code, "no_row_key")
            return False
        return True

    def test_what_it_says_and_when_it_ends(self):
        with spark(self.address, 1.0) as asking:
            for text, code in (
                ("SELECT * FROM nothing_there", "no_table"),
                ("SELECT CAST(9223372036854775807 AS BIGINT) + 1", "overflow"),
                ("SELECT FROM WHERE", "cluster"),
                ("SELECT SUM(a.id * b.id % 7) FROM range(3000000) a CROSS JOIN range(3000000) b", "limit_seconds"),
            ):
                with self.subTest(text), self.assertRaises(Refused) as caught:
                    asking.rows(text)
                self.assertEqual(caught.exception.diagnostics[0].code, code)
            self.assertEqual(asking.rows("SELECT :a + 1", {"a": 6}), [(7,)])


if __name__ == "__main__":
    unittest.main()
