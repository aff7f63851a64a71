"""Rows and stars on disk are what was put there; a file that is broken is not there; the folder keeps its bound."""

import os
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from nexorem.core.columns import same_column
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.limits import Budget
from nexorem.core.model.rows import Chosen, apart, table_rows
from nexorem.core.values import vector
from nexorem.disk import shelf as shelves
from nexorem.disk.arrays import Arrays, Unreadable, write_arrays
from nexorem.disk.rows import held_bytes, read_rows, write_rows
from nexorem.disk.shelf import Shelf
from nexorem.package.opened import opened
from nexorem.package.read import open_package

DEMO = Path(__file__).parents[2] / "demo" / "lantern_isles"
NASTY = {
    "whole": ("integer", [-(2**63), 2**63 - 1, None, 0, 7]),
    "coded": ("integer", [3, 3, 3, 4, 3]),
    "number": ("number", [0.1, -0.0, 1e308, 5e-324, None]),
    "full": ("number", [1.5, 2.5, 3.5, 4.5, 5.5]),
    "text": ("text", ["", None, "Zoë 🛳", "a\x00b", "\ud800 alone"]),
    "no text": ("text", [None] * 5),
    "boolean": ("boolean", [True, None, False, True, True]),
    "date": ("date", [None] * 5),
}


def rows(size=5):
    """Rows of every type, with the least and the most that they hold."""
    return table_rows(size, {name: vector(dtype, values[:size]) for name, (dtype, values) in NASTY.items()})


class Files(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_rows_come_back_as_they_were(self):
        for size in (5, 1, 0):
            path = self.folder / "x"
            put = rows(size)
            self.assertEqual(write_rows(path, put), path.stat().st_size)
            back = read_rows(path)
            self.assertEqual((back.size, list(back.columns), held_bytes(back.columns)), (size, list(put.columns), 0))
            for name, column in put.columns.items():
                self.assertTrue(same_column(back.columns[name], column), name)
                self.assertEqual(back.columns[name].rows().tolist(), column.rows().tolist(), name)
            self.assertEqual(back.columns["text"].members.words.tolist(), put.columns["text"].members.words.tolist())
            self.assertNotIn("nothing", back.columns)

    def test_what_is_written_to_a_mapped_array_stays_in_memory(self):
        path = self.folder / "x"
        write_arrays(path, {"a": 1}, [np.arange(3), np.zeros(0, np.int8)])
        first, again = Arrays(path), Arrays(path)
        first[0][:] = 9
        self.assertEqual((again[0].tolist(), len(again[1]), again.said), ([0, 1, 2], 0, {"a": 1}))

    def test_a_broken_file_is_told_and_a_shelf_goes_without_it(self):
        path = self.folder / "x"
        write_rows(path, rows())
        whole = path.read_bytes()
        broken = [b"", whole[:10], whole[:40], whole[:-1], whole + b"!", b"x" + whole[1:], whole[:60] + b"\0\0" + whole[62:]]
        shelf = Shelf(self.folder)
        shelf.put_rows("k", rows())
        kept = next(self.folder.glob("*.rows"))
        for content in broken:
            path.write_bytes(content)
            with self.subTest(len(content)), self.assertRaises(Unreadable):
                Arrays(path)
            kept.write_bytes(content)
            self.assertIsNone(shelf.rows("k"))
        kept.unlink()
        self.assertIsNone(shelf.rows("k"))
        shelf.put_rows("k", rows())
        self.assertEqual(shelf.rows("k").size, 5)
        with mock.patch.object(os, "fsync", side_effect=OSError("no room")):
            shelf.put_rows("other", rows())
        self.assertIsNone(shelf.rows("other"))
        self.assertEqual(list(self.folder.glob(".writing-*")), [])

    def test_a_shelf_keeps_its_bound_and_what_was_used_last(self):
        one = write_rows(self.folder / "x", rows())
        (self.folder / "x").unlink()
        shelf = Shelf(self.folder, 2 * one + one // 2)
        for age, key in enumerate("abc"):
            shelf.put_rows(key, rows())
            for file in self.folder.iterdir():
                os.utime(file, ns=(file.stat().st_atime_ns, file.stat().st_mtime_ns - 10**9 * (3 - age)))
            if key == "b":
                self.assertIsNotNone(shelf.rows("a"))
        self.assertEqual([shelf.rows(k) is not None for k in "abc"], [True, False, True])
        self.assertIsNone(Shelf(self.folder, 10).put_rows("d", rows()))
        self.assertIsNone(shelf.rows("d"))

    def test_another_state_of_the_program_finds_nothing(self):
        shelf = Shelf(self.folder)
        shelf.put_rows("k", rows())
        with mock.patch.object(shelves, "program", return_value="newer"):
            self.assertIsNone(shelf.rows("k"))
        self.assertIsNotNone(shelf.rows("k"))

    def test_a_star_comes_back_with_its_model_and_what_its_rows_prove(self):
        star, shelf = open_package(DEMO), Shelf(self.folder)
        shelf.put_rows("bookings", star.rows["Booking"])
        shelf.put_star("s", star, {"Booking": "bookings", "Port": "not there"})
        back = shelf.star("s")
        self.assertEqual((back.model, back.firm, back.unmatched), (star.model, star.firm, star.unmatched))
        for link in star.model.links:
            self.assertEqual(back.facts(link), star.facts(link), link.name)
        for name, table in star.rows.items():
            self.assertEqual(list(back.rows[name].columns), list(table.columns))
            self.assertTrue(all(same_column(back.column(name, c), column) for c, column in table.columns.items()), name)
        for spec in star.model.probes:
            data = {"measures": spec.measures, "rows": spec.rows, "columns": spec.columns, "picks": []}
            grids = [list(answer(s, probe_of(s, data), Budget()).tidy()) for s in (star, back)]
            self.assertEqual(*grids, spec.name)
        next(self.folder.glob("*.rows")).unlink()
        self.assertIsNone(shelf.star("s"))

    def test_a_package_is_opened_anew_once_a_file_of_it_changed(self):
        package, shelf = self.folder / "package", Shelf(self.folder / "shelf")
        package.mkdir()
        (package / "datapackage.json").write_text('{"name": "p", "resources": [{"name": "t", "path": "t.csv"}]}')
        (package / "t.csv").write_text("a\n1\n2\n")

        def values():
            return opened(package, shelf).column("t", "a").rows().tolist()

        self.assertEqual((values(), values()), ([1, 2], [1, 2]))
        with mock.patch("nexorem.package.read.open_package", side_effect=AssertionError("it was read again")):
            self.assertEqual(values(), [1, 2])
        (package / "t.csv").write_text("a\n1\n3\n")
        self.assertEqual(values(), [1, 3])
        (package / "t.csv").unlink()
        with self.assertRaisesRegex(Exception, "t.csv"):
            values()

    def test_columns_chosen_again_and_again_are_one_step_away(self):
        """As each edit of a model chooses them anew, beside what it adds: what is done with all of them would else double each time."""
        columns = Chosen.of({"a": 1, "b": 2}, ["a", "b"])
        for number in range(200):
            added = {f"c{number}": number}
            columns = Chosen({**dict.fromkeys(columns, columns), **dict.fromkeys(added, added)}, [*list(columns)[-2:], *added])
        self.assertFalse([s for s in columns.sources() if isinstance(s, Chosen)])
        self.assertEqual((dict(columns), dict(apart(columns))), ({"c197": 197, "c198": 198, "c199": 199},) * 2)

    def test_columns_that_are_chosen_are_not_looked_at(self):
        path = self.folder / "x"
        write_rows(path, rows())
        mapped = read_rows(path).columns
        chosen = Chosen.of(mapped, ["date", "text"])
        self.assertEqual((list(chosen), len(chosen), held_bytes(chosen)), (["date", "text"], 2, 0))
        self.assertNotIn("whole", chosen)
        self.assertIs(chosen["text"], mapped["text"])
        self.assertGreater(held_bytes(chosen), 0)


if __name__ == "__main__":
    unittest.main()
