"""A grid as CSV, Parquet and XLSX: read back, each holds the tidy answer, whatever stands in it."""

import csv
import datetime as dt
import io
import random
import unittest

import openpyxl
import pyarrow.parquet as pq

from nexorem.core.diagnostics import OverLimit, Refused
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.limits import Budget
from nexorem.export.grids import EMPTY, FILES, TOTALLED, grid_file
from tests.core.small import make_star
from tests.oracle.random_models import Maker

ODD = ["=1+1", "+x", "-x", "@x", "\tx", "-1=1", "-12.5", "+3 %", 'say "hi"', "a,b", "two\nlines", " ", "'", "ü😀", "(total)", "0012"]
NUMBERS = {"-12.5", "+3 %"}  # which a spreadsheet takes for numbers


def read_back(name, content, axes):
    """The cells of a file as (coordinates, values), in its order; of the sheet its values alone."""
    if name == "csv":
        rows = list(csv.reader(io.StringIO(content.decode(), newline="")))
        return rows[0], [(r[:axes], r[axes:]) for r in rows[1:]]
    if name == "parquet":
        table = pq.read_table(io.BytesIO(content))
        rows = list(zip(*(c.to_pylist() for c in table.columns), strict=True))
        return table.column_names, [(list(r[:axes]), list(r[axes:])) for r in rows]
    sheet = openpyxl.load_workbook(io.BytesIO(content)).active
    return [], [[c.value for c in row] for row in sheet.iter_rows()]


def plain(value):
    """A number as CSV has it, or a text."""
    return (
        ""
        if value is None
        else "True"
        if value is True
        else "False"
        if value is False
        else value
        if isinstance(value, str)
        else repr(value)
    )


class Files(unittest.TestCase):
    def grids(self, count):
        """Grids of random models with up to three columns on their axes and two measures, one of which may fail."""
        for seed in range(count):
            maker, r = Maker(seed), random.Random(seed)
            columns = r.sample([f"{t.name}.{c}" for t in maker.star.model.tables for c in ("g", "n", "b", "d")], 3)
            cut = r.randint(0, 3)
            define = {
                "x": f"rows({r.choice(maker.names)})",
                "y": r.choice([f"sum({maker.names[0]}.x)", f"max({maker.names[0]}.g)", f"min({maker.names[0]}.d)"]),
            }
            if r.random() < 0.1:
                define["y"] = f"9223372036854775807 * rows({maker.names[0]})"
            probe = {
                "rows": columns[:cut],
                "columns": columns[cut : r.randint(cut, 3)],
                "measures": ["x", "y"],
                "define": define,
                "totals": r.choice(["none", "grand", "all"]),
            }
            try:
                yield seed, answer(maker.star, probe_of(maker.star, probe), Budget())
            except Refused:
                continue

    def test_csv_and_parquet_hold_the_tidy_answer(self):
        seen = 0
        for seed, grid in self.grids(120):
            tidy = list(grid.tidy())
            axes = [f"{t}.{c}" for t, c in (*grid.probe.rows, *grid.probe.columns)]
            where = [[TOTALLED if a not in c else EMPTY if c[a] is None else str(c[a]) for a in axes] for c in tidy]
            for name in ("csv", "parquet"):
                head, cells = read_back(name, grid_file(grid, name)[1], len(axes))
                self.assertEqual(head, [*axes, "x", "y"], seed)
                self.assertEqual([place for place, _ in cells], where, (seed, name))
                for (_, values), cell in zip(cells, tidy, strict=True):
                    want = [cell["x"], cell["y"]]
                    if name == "csv":
                        want = [f"error: {v['error']}" if isinstance(v, dict) else plain(v) for v in want]
                    else:
                        want = [None if isinstance(v, dict) else v for v in want]
                        values = [v.isoformat() if isinstance(v, dt.date) else v for v in values]
                    self.assertEqual(values, want, (seed, name))
                    seen += 1
        self.assertGreater(seen, 1500)

    def test_a_sheet_holds_every_value_at_its_place(self):
        seen = 0
        for seed, grid in self.grids(60):
            _, sheet = read_back("xlsx", grid_file(grid, "xlsx")[1], 0)
            down, across = len(grid.probe.rows), len(grid.columns.lines)
            for r in range(len(grid.rows.lines)):
                place = len(grid.probe.columns) + 1 + r
                line = sheet[place] if place < len(sheet) else []  # what is empty at the end is not written
                for c in range(across):
                    for m in range(2):
                        value = grid.value(m, r, c)
                        value = "error" if isinstance(value, dict) else value
                        shown = line[down + c * 2 + m] if down + c * 2 + m < len(line) else None
                        shown = shown.date().isoformat() if isinstance(shown, dt.datetime) else shown
                        whole = isinstance(value, int) and not isinstance(value, bool)
                        want = float(value) if whole else value if value != "" else None  # a sheet counts in doubles
                        self.assertEqual(float(shown) if whole else shown, want, (seed, r, c, m))
                        seen += 1
        self.assertGreater(seen, 800)

    def test_text_that_a_spreadsheet_could_take_for_a_formula_stays_text(self):
        star = make_star({"T": ("name:text", [(x,) for x in ODD])}, [], {})
        grid = answer(star, probe_of(star, {"rows": ["T.name"], "measures": ["x"], "define": {"x": "max(T.name)"}}), Budget())
        sheet = openpyxl.load_workbook(io.BytesIO(grid_file(grid, "xlsx")[1])).active
        for row in sheet.iter_rows(min_row=2):
            self.assertEqual([c.data_type for c in row], ["s", "s"])
            self.assertEqual(row[0].value, row[1].value)
        _, cells = read_back("csv", grid_file(grid, "csv")[1], 1)
        guarded = {x: f"'{x}" if x[0] in "=+-@\t\r" and x not in NUMBERS else x for x in ODD}
        self.assertEqual(sorted(v for _, (v,) in cells), sorted(guarded.values()))
        self.assertGreater(sum(k != v for k, v in guarded.items()), 4)

    def test_what_a_sheet_cannot_hold_is_shown(self):
        star = make_star({"T": ("name:text", [("a\x00b\x1fc",)])}, [], {})
        grid = answer(star, probe_of(star, {"rows": ["T.name"], "measures": ["x"], "define": {"x": "rows(T)"}}), Budget())
        sheet = openpyxl.load_workbook(io.BytesIO(grid_file(grid, "xlsx")[1])).active
        self.assertEqual([[c.value for c in row] for row in sheet.iter_rows(min_row=2)], [["a\ufffdb\ufffdc", 1]])

    def test_a_file_is_bounded_in_time(self):
        star = make_star()
        grid = answer(star, probe_of(star, {"rows": ["Port.name"], "measures": ["seats"]}), Budget())
        for ending in ("csv", "xlsx"):
            budget = Budget()
            budget.cancel()
            self.assertRaises(OverLimit, grid_file, grid, ending, budget)

    def test_what_cannot_be_written_is_refused(self):
        star = make_star()
        grid = answer(star, probe_of(star, {"measures": ["seats"]}), Budget())
        self.assertEqual({*FILES}, {"csv", "xlsx", "parquet"})
        for ending in ("xls", "", "CSV "):
            with self.assertRaises(Refused) as caught:
                grid_file(grid, ending)
            self.assertEqual(caught.exception.diagnostics[0].code, "unknown_format")
        wide = make_star({"T": ("n:integer", [(i,) for i in range(16_001)])}, [], {})
        grid = answer(wide, probe_of(wide, {"columns": ["T.n"], "measures": ["x"], "define": {"x": "rows(T)"}}), Budget())
        with self.assertRaises(Refused) as caught:
            grid_file(grid, "xlsx")
        self.assertEqual(caught.exception.diagnostics[0].code, "too_wide")


if __name__ == "__main__":
    unittest.main()
