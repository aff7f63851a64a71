"""The committed demo files are what the generator makes."""

import tempfile
import unittest
from pathlib import Path

from demo.generate import generate
from demo.model import build
from openpyxl import load_workbook

DEMO = Path(__file__).parents[2] / "demo" / "lantern_isles"


class Files(unittest.TestCase):
    def test_the_generator_makes_the_committed_files(self):
        with tempfile.TemporaryDirectory() as folder:
            out = Path(folder)
            generate(out)
            build(out)
            self.assertEqual(*({p.relative_to(x) for p in x.rglob("*")} for x in (out, DEMO)))
            for made in sorted(p for p in out.rglob("*") if p.is_file()):
                there = DEMO / made.relative_to(out)
                if made.suffix == ".xlsx":
                    sheets = [[[[c.value for c in row] for row in s.rows] for s in load_workbook(p).worksheets] for p in (made, there)]
                    self.assertEqual(*sheets)
                else:
                    self.assertEqual(made.read_bytes(), there.read_bytes(), made.name)

    def test_any_number_of_rows(self):
        with tempfile.TemporaryDirectory() as folder:
            generate(Path(folder), bookings=137)
            self.assertEqual(len((Path(folder) / "raw" / "bookings.csv").read_text().splitlines()), 138)


if __name__ == "__main__":
    unittest.main()
