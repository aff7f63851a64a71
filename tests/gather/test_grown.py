"""Columns that grow by blocks are those that are read at once."""

import random
import unittest
from unittest import mock

import numpy as np

from nexorem.core.columns import compact, joined, narrow, same_column
from nexorem.core.values import vector
from nexorem.gather.sources import csv_file
from tests.gather.folder import Folder

POOLS = {
    "whole": ("0", "7", "-12", "123456"),
    "long": ("1234567890123456789", "-999999999999999999", "123456789012345678"),
    "beyond": ("12345678901234567890",),
    "decimal": ("1.5", "-.25", "1e3", "2.", "-0.0"),
    "zeros": ("007", "00", "-01", "+5", " 3"),
    "sixteen": ("0x1F", "0xFFFFFFFF"),
    "odd": ("nan", "inf", "-0"),
    "word": ("a", "zebra", '"q, ""r"""', "1 2"),
    "date": ("2031-04-05", "1999-12-31"),
    "empty": ("", "NA", '""'),
}


class Blocks(Folder):
    def column(self, r, rows):
        """Texts of one or two kinds, the second of which may come late."""
        first, second = (POOLS[r.choice(list(POOLS))] for _ in "ab")
        late = r.choice((0, rows // 2, rows - 1, rows))
        some = r.random() < 0.4
        return [r.choice(POOLS["empty"]) if some and r.random() < 0.2 else r.choice(second if i >= late else first) for i in range(rows)]

    def told(self, **source):
        """A reading's rows, types and what was noted, or its refusal."""
        try:
            reading = self.read("t.csv", **source)
        except Exception as error:
            return str(error)
        report = {k: reading.report[k] for k in ("notes", "broken", "broken_rows", "rows")}
        return self.rows(reading), reading.frame.types(), report, [c["empty"] for c in reading.report["columns"]]

    def test_blocks_are_read_as_all_texts_at_once(self):
        r = random.Random(20310405)
        read_again = mock.Mock(wraps=csv_file.GrownTexts)
        for number in range(150):
            rows = r.randint(1, 60)
            columns = [self.column(r, rows) for _ in range(r.randint(1, 4))]
            lines = [",".join(x) for x in zip(*columns, strict=True)]
            if r.random() < 0.2:
                lines.insert(r.randint(0, len(lines)), "," * 7)
            self.put("t.csv", "\n".join([",".join(f"c{i}" for i in range(len(columns))), *lines]))
            chosen = {
                f"c{i}": {"type": r.choice(("integer", "number")), "misfits": "empty"} for i in range(len(columns)) if r.random() < 0.1
            }
            source = {
                "missing": r.choice(([""], ["", "NA"], [])),
                "columns": chosen,
                "broken_rows": "leave out",
                "delimiter": ",",
                "header": 1,
            }
            with mock.patch.object(csv_file, "_kinds", return_value=()):
                expected = self.told(**source)
            small = mock.patch.multiple(csv_file, BLOCK=r.choice((200, 400, 900)), MANY=0, GrownTexts=read_again)
            with self.subTest(number), small:
                self.assertEqual(self.told(**source), expected)
        self.assertGreater(read_again.call_count, 5, "no column was read a second time")

    def test_letters_of_another_encoding_come_late(self):
        for late, kept in (("2,h\u00e4h", [2, "h\u00e4h"]), ("2,h\u00e4h,too many", [1, "ab"])):
            with self.subTest(late):
                lines = ["n,word", "1", *["1,ab"] * 60_000, late]
                reading = self.csv("\n".join(lines).encode("windows-1252"), broken_rows="leave out")
                broken = 1 + (kept[0] == 1)
                self.assertEqual((reading.report["rows"], reading.report["broken"]), (60_002 - broken, broken))
                self.assertEqual(self.rows(reading)[-1], kept)
                self.assertIn("windows-1252", " ".join(reading.report["notes"]))

    def test_parts_are_one_column(self):
        r = random.Random(7)
        for dtype, value in (
            ("integer", lambda: r.choice((r.randint(-3, 3), 10**15))),
            ("integer", lambda: r.randint(0, 250)),
            ("number", r.random),
            ("number", lambda: r.randint(0, 9) / 7),
            ("boolean", lambda: r.random() < 0.5),
            ("date", lambda: np.datetime64("2031-01-01") + r.randint(-9, 9)),
        ):
            for empties in (0, 0.3, 1):
                values = [None if r.random() < empties else value() for _ in range(r.randint(0, 300))]
                values = [v if v is None or dtype != "date" else v.astype(object) for v in values]
                whole = vector(dtype, values)
                cuts = sorted(r.choices(range(len(values) + 1), k=3))
                parts = []
                for start, end in zip([0, *cuts], [*cuts, len(values)], strict=True):
                    piece = whole.take(np.arange(start, end))
                    data = piece.data if dtype in ("number", "boolean") else narrow(piece.data)
                    parts.append((data, None if piece.valid.all() else piece.valid))
                with self.subTest(dtype, empties=empties), mock.patch("nexorem.core.columns.BLOCK", 16):
                    self.assertTrue(same_column(joined(dtype, parts), compact(whole)))


if __name__ == "__main__":
    unittest.main()
