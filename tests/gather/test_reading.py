"""Files of every kind, well-made, odd and broken: what is read, what is told, and that nothing takes for ever."""

import datetime as dt
import decimal
import io
import json
import os
import random
import re
import tempfile
import time
import unittest
import zipfile
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute
import pyarrow.feather
import pyarrow.parquet as pq
from openpyxl import Workbook

from nexorem.core.diagnostics import Refused
from nexorem.gather.jobs import Job
from nexorem.gather.mismatch import compare, near_matches
from nexorem.gather.read import read, sources_in, table_name
from nexorem.gather.texts import DATES, Reads, guess_type, parse_texts, shape_of
from nexorem.package.arrow import from_arrow
from nexorem.package.write import package_files
from tests.core.small import STAR
from tests.gather import plain_steps as plain
from tests.gather.test_steps import frame

MUTATIONS = int(os.environ.get("MUTATIONS", "60"))


class Folder(unittest.TestCase):
    def setUp(self):
        found = tempfile.TemporaryDirectory()
        self.addCleanup(found.cleanup)
        self.folder = Path(found.name)

    def put(self, name, data):
        (self.folder / name).write_bytes(data.encode() if isinstance(data, str) else data)
        return self.folder / name

    def read(self, name, **source):
        """A file as it is found, with some settings."""
        found = sources_in(self.folder / name)[0][1]
        return read({**found, **source}, self.folder)

    def csv(self, data, **source):
        self.put("t.csv", data)
        return self.read("t.csv", **source)

    def refused(self, code, words, name="t.csv", **source):
        with self.assertRaises(Refused) as caught:
            self.read(name, **source)
        told = caught.exception.diagnostics
        self.assertEqual(told[0].code, code, told)
        self.assertIn(words, told[0].message)
        self.assertNotIn(str(self.folder), told[0].message)

    def rows(self, reading):
        return reading.frame.listed(np.arange(reading.frame.size))

    def types(self, reading):
        return " ".join(v.dtype for v in reading.frame.columns.values())


class Csv(Folder):
    def test_what_a_file_looks_like_is_found(self):
        for data, names, types, first in (
            ("a,b\n1,x\n2,y\n", "a b", "integer text", [1, "x"]),
            ("a;b\n1,5;x\n2,25;y\n", "a b", "number text", [1.5, "x"]),
            ("a\tb\n1\t1.234,50\n", "a b", "integer number", [1, 1234.5]),
            ("a|b\n31.12.2031|yes\n1.1.2032|no\n", "a b", "date boolean", ["2031-12-31", True]),
            ("1,2\n3,4\n", "column 1 column 2", "integer integer", [1, 2]),
            ("Report of sales\nmade today,,\nno,name,when\n1,A,2031-01-01 10:00\n2,B,2031-01-02 11:30:05\n", "no name when", "integer text datetime", [1, "A", "2031-01-01T10:00:00"]),
            ('a,b\r\n"1","two\r\nlines, ""quoted"""\r\n', "a b", "integer text", [1, 'two\r\nlines, "quoted"']),
            ("a,,a,A\n1,2,3,4\n", "a column 2 a 2 A 3", "integer integer integer integer", [1, 2, 3, 4]),
            ("code,n\n007,1\n012,2\n", "code n", "text integer", ["007", 1]),
            ("a b\n" + "1\n" * 5000 + "\0\n", "a b", "text", ["1"]),
            ("x\n=1+2\n@cmd\n", "x", "text", ["=1+2"]),
            ("d\n03/04/2031\n05/06/2031\n", "d", "date", ["2031-04-03"]),
            ("d\n03/04/2031\n05/16/2031\n", "d", "date", ["2031-03-04"]),
            ("d\n2031-1-5\n2031-11-25\n", "d", "date", ["2031-01-05"]), ("d\n2031/1/5 7:05\n2031/11/25 17:05\n", "d", "datetime", ["2031-01-05T07:05:00"]),
            ("d\n5/1/2031 7:05\n25/1/2031 17:05\n", "d", "datetime", ["2031-01-05T07:05:00"]), ("d\n1/5/2031 7:05\n1/25/2031 17:05\n", "d", "datetime", ["2031-01-05T07:05:00"]),
            ("d\n3. März 2031\n14. Mai 2031\n", "d", "date", ["2031-03-03"]),
            ("n\nN\nN\n", "n", "text", ["N"]), ("n\nY\nN\n", "n", "boolean", [True]), ("a,b\n,\n,1\n", "a b", "text integer", [None, None]),
            ("t\n2031-01-01T10:00:00Z\n2031-01-01T11:00:00.5Z\n", "t", "datetime", ["2031-01-01T10:00:00"]),
        ):  # fmt: skip
            for form in (str.encode, lambda t: b"\xef\xbb\xbf" + t.encode(), lambda t: t.encode("utf-16"), lambda t: t.encode("cp1252")):
                with self.subTest(data=data, form=form):
                    found = self.csv(form(data))
                    self.assertEqual((" ".join(found.frame.columns), self.types(found)), (names, types))
                    self.assertEqual(self.rows(found)[0], first)
                    # What was found, said, gives the same.
                    self.assertEqual(self.rows(read(found.source, self.folder)), self.rows(found))

    def test_texts_that_mean_no_value_are_asked_about(self):
        rows = [("1", "N14", "2013-1-5", "NA"), ("NA", "NA", "n/a", "NA"), ("2", "N15", "2013-12-31", "NA"), ("NA", "N16", "2013-2-1", "x")]
        data = "n,tail,day,note\n" + "".join(",".join(r) + "\n" for r in rows * 50)  # half of the numbers are missing
        found = self.csv(data)
        told = {c["name"]: c["missing"] for c in found.report["columns"]}
        self.assertEqual(self.types(found), "text text text text")
        self.assertEqual(told, {
            "n": {"words": ["NA"], "count": 100, "type": "integer"}, "tail": {"words": ["NA"], "count": 50, "type": "text"},
            "day": {"words": ["n/a"], "count": 50, "type": "date"}, "note": {"words": ["NA"], "count": 150, "type": "text"},
        })  # fmt: skip
        (note,) = found.report["notes"]
        self.assertIn("2 columns are numbers or dates but for NA and n/a (150 values): n and day.", note)
        empty = read({**found.source, "missing": ["", "NA", "n/a"]}, self.folder)
        self.assertEqual(
            (self.types(empty), self.rows(empty)[:2]),
            ("integer text date text", [[1, "N14", "2013-01-05", None], [None, None, None, None]]),
        )
        self.assertEqual((empty.report["notes"], [c["missing"] for c in empty.report["columns"]]), ([], [None] * 4))
        for word, meant in (("NULL", 1), ("\\N", 1), ("#N/A", 1), ("-", 1), ("nan", 1), ("NAB", 0), ("0", None), ("none of these", 0)):
            with self.subTest(word):
                (column,) = self.csv(f"n\n1\n{word}\n").report["columns"]
                self.assertEqual(column["missing"] and column["missing"]["words"], [word] if meant else None)
        self.assertIsNone(self.csv("n\nNA\nNA\n").report["columns"][0]["missing"]["count"] - 2 or None)  # nothing but NA: of no other type
        self.assertEqual(self.csv("n\nNA\nNA\n").report["notes"], [])

    def test_a_zone_that_is_dropped_is_told(self):
        for text, told in (
            ("2031-01-01T10:00:00Z", 1),
            ("2031-01-01 10:00:00+02:00", 1),
            ("2031-01-01 10:00:00-05", 1),
            ("2031-01-01 10:00:00 UTC", 1),
            ("2031-01-01 10:00:00", 0),
        ):
            with self.subTest(text):
                found = self.csv(f"t\n{text}\n2031-01-02T10:00:00\n")
                self.assertEqual((self.types(found), self.rows(found)[0]), ("datetime", ["2031-01-01T10:00:00"]))
                self.assertEqual(["1 moment names a zone" in n for n in found.report["notes"]], [True] * told)

    def test_types_come_from_all_rows(self):
        found = self.csv("a,b\n" + "1,2031-01-01\n" * 5000 + "x,2031-02-30\n")
        self.assertEqual(self.types(found), "text text")
        told = {c["name"]: c["others"][0] for c in found.report["columns"]}
        self.assertEqual(
            [(told[n]["type"], told[n]["misfits"]) for n in "ab"],
            [
                ("integer", {"count": 1, "rows": [{"row": 5002, "text": "x"}]}),
                ("date", {"count": 1, "rows": [{"row": 5002, "text": "2031-02-30"}]}),
            ],
        )

    def test_what_does_not_fit_is_kept_emptied_or_refused(self):
        data = "a\n1\nx\n3\n"
        for choice, types, rows in (("text", "text", ["1", "x", "3"]), ("empty", "integer", [1, None, 3])):
            found = self.csv(data, columns={"a": {"type": "integer", "misfits": choice}})
            self.assertEqual((self.types(found), [r[0] for r in self.rows(found)]), (types, rows))
            self.assertEqual(found.report["columns"][0]["misfits"], {"count": 1, "rows": [{"row": 3, "text": "x"}]})
        self.refused("bad_value", "row 3: 'x'", columns={"a": {"type": "integer"}})
        self.refused("unknown_column", "zz", columns={"zz": {"type": "integer"}})

    def test_settings_are_obeyed(self):
        data = "x;y\n1;'a;b'\n2;n/a\n"
        found = self.csv(data, quote="'", missing=["n/a"])
        self.assertEqual(self.rows(found), [[1, "a;b"], [2, None]])
        self.assertEqual(self.rows(self.csv("h\nk\n1\n", header=2)), [[1]])
        self.assertEqual(list(self.csv("h,\nk,l\n1,2\n", header=2, delimiter=",").frame.columns), ["h k", "l"])
        self.assertEqual(self.rows(self.csv("a,b\n1,2\n1,2,3\n4\n5,6\n", broken_rows="leave out")), [[1, 2], [5, 6]])
        found = self.csv("a,b\n1,2\n1,2,3\n4\n", broken_rows="leave out").report
        self.assertEqual((found["broken"], [b["row"] for b in found["broken_rows"]]), (2, [3, 4]))

    def test_broken_files_say_where(self):
        wide = ",".join(["c"] * 2_000_000)
        for data, code, words, source in (
            ("", "empty_file", "empty", {}), ("a,b\n1,2\n1,2,3\n", "broken_row", "row 3 has 3 fields, not 2", {}), ('a,b\n1,"x\n2,y\n', "open_quote", "row 2", {}),
            (b"a\n\xff\xfe\n", "bad_encoding", "Behind row 1", {"encoding": "utf-8"}), ("a\n1\n", "bad_encoding", "klingon", {"encoding": "klingon"}), (wide + "\n" + wide, "too_many_columns", "2,000,000", {}),
            ("a,b\n1," + "x" * 2_000_000 + "\n", "long_value", "row 2", {}), ("a,b\n1," + "x" * 50 * 1024**2 + "\n2,y\n", "long_line", "longer than 8 MB", {}),
            (b"PK\x03\x04" + bytes(range(256)) * 50, "bad_csv", "bytes that no text has", {}), ("a\n1\n", "bad_source", "delimiters", {"delimiters": ","}),
        ):  # fmt: skip
            self.put("t.csv", data)
            start = time.monotonic()
            with self.subTest(code=code, data=data[:20]):
                self.refused(code, words, **source)
            self.assertLess(time.monotonic() - start, 20)

    def test_the_folder_of_files_is_not_left(self):
        (self.folder / "link.csv").symlink_to("/etc/passwd")
        for name in ("../t.csv", "/etc/passwd", "a/b.csv", "", ".", "link.csv", "..\\x.csv", "gone.csv"):
            with self.assertRaises(Refused) as caught:
                read({"kind": "csv", "file": name}, self.folder)
            self.assertIn(caught.exception.diagnostics[0].code, ("path_outside", "missing_file"))


class Texts(unittest.TestCase):
    def test_patterns_against_the_standard_library(self):
        r = random.Random(1)
        days = [dt.date(1990, 1, 1) + dt.timedelta(days=r.randrange(20_000)) for _ in range(300)]
        for pattern in DATES:
            parts = {
                "yyyy": "{0.year}",
                "yy": "{0:%y}",
                "MMMM": "{0:%B}",
                "MMM": "{0:%b}",
                "MM": "{0:%m}",
                "dd": "{0:%d}",
                "M": "{0.month}",
                "d": "{0.day}",
            }
            form = re.sub("|".join(parts), lambda m, p=parts: p[m[0]], pattern)
            texts = [form.format(d) for d in days]
            data, fits = parse_texts(pa.array([*texts, "", "x", texts[0] + "1"], pa.large_string()), Reads("date", pattern))
            self.assertTrue(fits[:-3].all(), pattern)
            expected = [(d - dt.date(1970, 1, 1)).days for d in days]
            self.assertEqual(data[:-3].tolist(), expected, pattern)
            self.assertFalse(fits[-3:-1].any(), pattern)

    def test_every_day_is_a_day_and_no_other_text_is(self):
        texts, expected = [], []
        for year in (1, 4, 100, 400, 1900, 2000, 2023, 2024, 9999):
            for month in range(14):
                for day in (0, 1, 28, 29, 30, 31, 32):
                    texts.append(f"{year:04}-{month:02}-{day:02}")
                    try:
                        expected.append((dt.date(year, month, day) - dt.date(1970, 1, 1)).days)
                    except ValueError:
                        expected.append(None)
        data, fits = parse_texts(pa.array(texts, pa.large_string()), Reads("date", "yyyy-MM-dd"))
        self.assertEqual([int(d) if ok else None for d, ok in zip(data, fits, strict=True)], expected)

    def test_times_and_patterns_that_are_none(self):
        for pattern, text, expected in (
            ("yyyy-MM-dd HH:mm", "2031-01-02 03:04", dt.datetime(2031, 1, 2, 3, 4)), ("M/d/yyyy h:mm a", "1/2/2031 12:05 am", dt.datetime(2031, 1, 2, 0, 5)),
            ("M/d/yyyy h:mm a", "1/2/2031 1:05 PM", dt.datetime(2031, 1, 2, 13, 5)), ("dd.MM.yyyy 'um' HH:mm:ss.S", "02.01.2031 um 03:04:05.25", dt.datetime(2031, 1, 2, 3, 4, 5, 250_000)),
            ("yyyy-MM-dd HH:mm", "2031-01-02 24:00", None), ("M/d/yyyy h:mm a", "1/2/2031 13:05 PM", None), ("", "2031-01-02T03:04:05+02:00", dt.datetime(2031, 1, 2, 3, 4, 5)), ("", "2031-01-02", dt.datetime(2031, 1, 2)),
        ):  # fmt: skip
            data, fits = parse_texts(pa.array([text], pa.large_string()), Reads("datetime", pattern))
            self.assertEqual(
                dt.datetime(1970, 1, 1) + dt.timedelta(microseconds=int(data[0])) if fits[0] else None, expected, (pattern, text)
            )
        for pattern in ("HH:mm", "yyyy", "yyyy-MM-dd-dd"):
            self.assertRaises(Refused, shape_of, pattern, "en")

    def test_numbers_in_other_marks(self):
        for text, reads, expected in (
            ("1.234,5", Reads("number", decimal=",", group="."), 1234.5), ("1.23,5", Reads("number", decimal=",", group="."), None), ("12.345.678", Reads("number", decimal=",", group="."), 12345678.0),
            ("1 234", Reads("integer", group=" "), 1234), ("1,5", Reads("number", decimal=","), 1.5), ("1.5", Reads("number", decimal=","), None), ("+5", Reads("integer"), 5), ("9223372036854775807", Reads("integer"), 2**63 - 1),
            ("9223372036854775808", Reads("integer"), None), ("1e400", Reads("number"), None), ("٣", Reads("integer"), None), ("0x1F", Reads("integer"), None), ("", Reads("number"), None), ("-", Reads("number"), None),
        ):  # fmt: skip
            data, fits = parse_texts(pa.array([text], pa.large_string()), reads)
            self.assertEqual(data[0] if fits[0] else None, expected, (text, reads))

    def test_a_guess_fits_all_or_says_how_many_not(self):
        r = random.Random(7)
        pools = [
            ["1", "22", "-3"],
            ["1.5", "2", "1e3"],
            ["2031-01-01", "2032-02-29"],
            ["x", ""],
            ["31.12.2031", "1.1.2032"],
            ["true", "false"],
            ["007"],
            ["n/a"],
        ]
        for _ in range(400):
            texts = [x for pool in r.sample(pools, r.choice([1, 1, 2])) for x in pool]
            counts = np.array([r.randint(1, 50) for _ in texts])
            guesses = guess_type(pa.array(texts, pa.large_string()), counts)
            for place, guess in enumerate(guesses):
                if guess.reads.dtype == "text":
                    continue
                _, fits = parse_texts(pa.array(texts, pa.large_string()), guess.reads)
                filled = np.array([t != "" for t in texts])
                self.assertEqual(guess.misfits, int(counts[filled & ~fits].sum()), (texts, guess))
                self.assertFalse(place == 0 and guess.misfits)


def workbook(**sheets):
    book = Workbook()
    book.remove(book.worksheets[0])
    for name, rows in sheets.items():
        sheet = book.create_sheet(name)
        for row in rows:
            sheet.append(row)
    return book


def saved(book):
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


ODS = """<?xml version="1.0" encoding="UTF-8"?><office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0"
 xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" office:version="1.2">
<office:body><office:spreadsheet><table:table table:name="S">
<table:table-row><table:table-cell office:value-type="string"><text:p>code</text:p></table:table-cell><table:table-cell office:value-type="string"><text:p>n</text:p></table:table-cell></table:table-row>
<table:table-row><table:table-cell office:value-type="string"><text:p>A</text:p></table:table-cell><table:table-cell office:value-type="float" office:value="2.5"><text:p>2.5</text:p></table:table-cell></table:table-row>
</table:table></office:spreadsheet></office:body></office:document-content>"""


def ods():
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        packed.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        packed.writestr(
            "META-INF/manifest.xml",
            '<?xml version="1.0"?><manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"><manifest:file-entry manifest:full-path="/" manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"/></manifest:manifest>',
        )
        packed.writestr("content.xml", ODS)
    return out.getvalue()


TABLE = pa.table({
    "i": pa.array([1, None], pa.int32()), "u": pa.array([2**63, 1], pa.uint64()), "f": [0.5, float("nan")], "d": pa.array([decimal.Decimal("1.25"), None]), "s": ["x", ""],
    "day": pa.array([dt.date(2031, 1, 1), None]), "at": pa.array([dt.datetime(2031, 1, 1, 10), None], pa.timestamp("ns")), "b": [True, None], "c": pa.array(["p", "q"]).dictionary_encode(),
    "list": [[1, 2], None], "pair": [{"a": 1}, {"a": None}], "raw": pa.array([b"x", b"y"]), "time": pa.array([dt.time(10), None]),
})  # fmt: skip


class Kinds(Folder):
    def test_sheets(self):
        book = workbook(
            first=[
                ["Sales of 2031"],
                [],
                ["", "no", "day", "amount", "mixed", "no"],
                ["", 1, dt.date(2031, 1, 1), 2.5, "x", True],
                ["", 2, None, 3, 7, False],
                [None] * 6,
            ],
            second=[["a", "b"], ["c", "d"], [1, "=1+1"]],
        )
        book["second"].merge_cells("A1:B1")
        self.put("b.xlsx", saved(book))
        found = self.read("b.xlsx")
        self.assertEqual(list(found.frame.columns), ["no", "day", "amount", "mixed", "no 2"])
        self.assertEqual(self.types(found), "integer date number text boolean")
        self.assertEqual(self.rows(found), [[1, "2031-01-01", 2.5, "x", True], [2, None, 3.0, "7", False]])
        self.assertEqual([s["sheet"] for _, s in sources_in(self.folder / "b.xlsx")], ["first", "second"])
        second = {"kind": "sheet", "file": "b.xlsx", "sheet": "second", "header": 2, "skip": 0}
        self.assertEqual(list(read(second, self.folder).frame.columns), ["a c", "d"])
        self.assertEqual(list(read({**second, "merged": "all"}, self.folder).frame.columns), ["a c", "a d"])
        self.assertIn("1 merged range has a value in the first cell only", read(second, self.folder).report["notes"][0])
        self.assertEqual(self.rows(self.read("b.xlsx", range="B3:D5")), [[1, "2031-01-01", 2.5], [2, None, 3.0]])
        self.refused("bad_range", "no range", "b.xlsx", range="B")
        self.refused("unknown_sheet", "nope", "b.xlsx", sheet="nope")
        self.put("o.ods", ods())
        self.assertEqual(self.rows(self.read("o.ods")), [["A", 2.5]])

    def test_sheets_of_one_shape_are_one_table(self):
        self.put("f.xlsx", saved(workbook(winter=[["route", "car"], ["R1", 5]], summer=[["route", "car"], ["R1", 7.5]])))
        (together, *single) = sources_in(self.folder / "f.xlsx")
        self.assertEqual((together[0], together[1]["sheets"], len(single)), ("F", ["winter", "summer"], 2))
        self.assertEqual(self.rows(self.read("f.xlsx", sheet_column="season")), [["R1", 5.0, "winter"], ["R1", 7.5, "summer"]])
        self.refused("repeated_name", "route", "f.xlsx", sheet_column="route")

    def test_columnar_files_and_lines(self):
        pq.write_table(TABLE, self.folder / "t.parquet")
        pa.feather.write_feather(TABLE.drop_columns(["d"]), str(self.folder / "t.arrow"), compression="lz4")
        with pa.ipc.new_stream(str(self.folder / "s.arrow"), TABLE.schema) as out:
            out.write_table(TABLE)
        for name in ("t.parquet", "t.arrow", "s.arrow"):
            found = self.read(name)
            row = dict(zip(found.frame.columns, self.rows(found)[0], strict=True))
            expected = {
                "i": 1,
                "u": 2.0**63,
                "f": 0.5,
                "s": "x",
                "day": "2031-01-01",
                "at": "2031-01-01T10:00:00",
                "b": True,
                "c": "p",
                "list": "[1, 2]",
                "pair": '{"a": 1}',
                "time": "10:00:00",
                "raw": "x",
            }
            self.assertEqual(row, {**expected, **({"d": 1.25} if "d" in row else {})})
            self.assertIsNone(self.rows(found)[1][list(found.frame.columns).index("f")])
            self.assertIn("raw holds binary; its bytes are UTF-8, and it is kept as text.", found.report["notes"])
            self.assertNotIn("list", self.read(name, nested="leave out").frame.columns)
        self.lines()

    def test_every_arrow_kind_is_read_and_told(self):
        d, some = decimal.Decimal, random.Random(5)
        digits = [some.randint(-(10**n), 10**n) for n in range(1, 16) for _ in range(60)]
        money = [d(n).scaleb(-2) for n in digits]
        cases = [
            (pa.array(money, pa.decimal128(18, 2)), "number", [float(x) for x in money], "nearest of 15 to 17 digits"),
            (pa.array([d("388.15"), None, d("-0.07")], pa.decimal64(9, 2)), "number", [388.15, None, -0.07], "decimal64(9, 2)"),
            (pa.array([d("388.15"), d("1e30")], pa.decimal256(60, 5)), "number", [388.15, 1e30], "decimal256"),
            (pa.array([d("12345678901234567.89"), None], pa.decimal128(30, 2)), "number", [12345678901234567.89, None], "nearest"),
            (pa.array([d(2**53 + 1), d(2**53), None, d(-(2**62))], pa.decimal128(20, 0)), "integer", [2**53 + 1, 2**53, None, -(2**62)], "kept as integer"),
            (pa.array([d(10**20), d(1)], pa.decimal128(38, 0)), "number", [1e20, 1.0], "kept as number"),
            (pa.array([d(1200)], pa.decimal128(4, -2)), "number", [1200.0], "kept as number"),
            (pa.array([2**63 - 1, 2**53 + 1], pa.uint64()), "integer", [2**63 - 1, 2**53 + 1], ""),
            (pa.array([2**63 + 5, 1], pa.uint64()), "number", [2.0**63, 1.0], "beyond 64 bits"),
            (pa.array(["a", None, "ü"], pa.string_view()), "text", ["a", None, "ü"], ""),
            (pa.array(["a", None], pa.large_string()), "text", ["a", None], ""),
            (pa.array([b"\xff\x00", None], pa.large_binary()), "text", ["ff00", None], "hexadecimal"),
            (pa.array([b"ab", None], pa.binary_view()), "text", ["ab", None], "UTF-8"),
            (pa.array([d("1.10"), None, d("1.10")], pa.decimal128(5, 2)).dictionary_encode(), "number", [1.1, None, 1.1], "nearest"),
            (pa.array(["x", "x", None]).dictionary_encode(), "text", ["x", "x", None], ""),
            (pa.compute.run_end_encode(pa.array([7, 7, 8])), "integer", [7, 7, 8], ""),
            (pa.array([1.5, None], pa.float16()), "number", [1.5, None], ""),
            (pa.array([None, None]), "text", [None, None], ""),
            (pa.array([dt.date(2031, 1, 1)], pa.date64()), "date", [dt.date(2031, 1, 1)], ""),
            (pa.array([1], pa.timestamp("s", "Europe/Oslo")), "datetime", [dt.datetime(1970, 1, 1, 0, 0, 1)], "zone Europe/Oslo"),
            (pa.array([dt.timedelta(seconds=90)]), "text", ["0:01:30"], "kept as text"),
            (pa.array([(1, 2, 3)], pa.month_day_nano_interval()), "text", ["MonthDayNano(months=1, days=2, nanoseconds=3)"], "kept as text"),
            (pa.ExtensionArray.from_storage(pa.uuid(), pa.array([bytes(16)], pa.binary(16))), "text", ["00000000-0000-0000-0000-000000000000"], ""),
            (pa.array([{"a": 1}, None]), "text", ['{"a": 1}', None], "JSON text"),
        ]  # fmt: skip
        for column, dtype, values, done in cases:
            for cut in (column, pa.chunked_array([column[:1], column[1:]])):  # a slice keeps the whole buffer
                with self.subTest(str(column.type)):
                    vector, said = from_arrow(cut)
                    self.assertEqual((vector.dtype, vector.tolist()), (dtype, values))
                    self.assertTrue((done in said) if done else said == "", said)

    def lines(self):
        self.put("t.jsonl", '{"a": 1, "b": "x"}\n\n{"b": "y", "c": [1], "d": 2.5}\n{"a": null, "d": 3, "e": true, "m": 1}\n{"m": "z"}\n')
        found = self.read("t.jsonl")
        self.assertEqual(self.types(found), "integer text text number boolean text")
        self.assertEqual(self.rows(found)[1], [None, "y", "[1]", 2.5, None, None])
        for data, words in (('{"a": 1}\n[1]\n', "Line 2"), ('{"a": 1}\n{"a": \n', "Line 2"), ("[" * 100_000, "Line 1")):
            self.put("t.jsonl", data)
            self.refused("bad_json", words, "t.jsonl")

    def test_packages(self):
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as packed:
            for name, content in package_files(STAR).items():
                packed.writestr(name, content)
        self.put("p.zip", out.getvalue())
        found = sources_in(self.folder / "p.zip")
        self.assertEqual([n for n, _ in found], [t.name for t in STAR.model.tables if not t.formula])
        reading = read(found[0][1], self.folder)
        self.assertEqual(reading.frame.size, STAR.size("Booking"))
        self.refused("unknown_resource", "nope", "p.zip", resource="nope")

    def test_names_for_tables(self):
        self.assertEqual(
            [table_name(x) for x in ("crew_vessels.csv", "Fares 2031.xlsx", "a.b.csv", '"".csv')],
            ["Crew vessels", "Fares 2031", "A b", "Table"],
        )


class Broken(Folder):
    def samples(self):
        pq.write_table(TABLE, self.folder / "x.parquet")
        pa.feather.write_feather(TABLE, str(self.folder / "x.arrow"))
        found = {n: (self.folder / n).read_bytes() for n in ("x.parquet", "x.arrow")}
        for name in found:
            (self.folder / name).unlink()
        package = io.BytesIO()
        with zipfile.ZipFile(package, "w") as packed:
            for name, content in package_files(STAR).items():
                packed.writestr(name, content)
        return {**found, "x.csv": b'a,b,c\n1,"x, y",31.12.2031\n2,z,1.1.2032\n' * 40, "x.jsonl": b'{"a": 1, "b": ["x"]}\n' * 30, "x.ods": ods(), "x.zip": package.getvalue(),
                "x.xlsx": saved(workbook(s=[["a", "b"], [1, "x"], [2.5, dt.date(2031, 1, 1)]]))}  # fmt: skip

    def follow(self, job, seconds):
        job.wait(seconds)
        self.addCleanup(job.cancel)
        self.assertEqual(job.state, "done")
        for item in job.items:
            self.assertIn(item.state, ("read", "failed"), item)
            for error in item.errors:
                self.assertTrue(error["message"] and "Traceback" not in error["message"] and len(error["message"]) < 4000, error)

    def test_mutated_files_are_read_or_refused(self):
        r = random.Random(4)
        samples = self.samples()
        for number in range(MUTATIONS):
            name, data = r.choice(list(samples.items()))
            data = bytearray(data)
            for _ in range(r.choice([1, 1, 2, 30])):
                place = r.randrange(len(data))
                match r.randrange(4):
                    case 0:
                        data[place] = r.randrange(256)
                    case 1:
                        del data[place : place + r.choice([1, 2, 50, 5000])]
                    case 2:
                        data[place:place] = bytes(r.randrange(256) for _ in range(r.choice([1, 40])))
                    case _:
                        data[place : place + 8] = r.choice([b"\xff" * 8, b"\0" * 8, b'"' * 8, b"\n" * 8])
                if not data:
                    data = bytearray(b"x")
            self.put(f"f{number}{Path(name).suffix}", bytes(data))
        job = Job(1, {"discover": sorted(p.name for p in self.folder.iterdir()), "files": self.folder})
        self.follow(job, 150)
        self.assertGreater(sum(i.state == "failed" for i in job.items), MUTATIONS // 5)
        self.assertGreater(sum(i.state == "read" for i in job.items), MUTATIONS // 12)

    def test_files_that_would_be_far_too_large(self):
        for name, inner in (("bomb.zip", "datapackage.json"), ("bomb.xlsx", "xl/workbook.xml")):
            out = io.BytesIO()
            with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
                packed.writestr(inner, json.dumps({"resources": []}))
                packed.writestr("big.csv", b"0" * 1000)
                packed.filelist[-1].file_size = 100 * 1024**3
            self.put(name, out.getvalue())
        deep = io.BytesIO()
        with zipfile.ZipFile(deep, "w", zipfile.ZIP_DEFLATED) as packed:
            packed.writestr("[Content_Types].xml", b" " * 300_000_000)
        self.put("deep.xlsx", deep.getvalue())
        self.put("lines.jsonl", b'{"a": "' + b"x" * 50 * 1024**2)
        start = time.monotonic()
        job = Job(1, {"discover": ["bomb.zip", "bomb.xlsx", "deep.xlsx", "lines.jsonl"], "files": self.folder})
        self.follow(job, 60)
        self.assertEqual([i.state for i in job.items], ["failed"] * 4)
        self.assertEqual([i.errors[0]["code"] for i in job.items[:2]], ["too_large", "too_large"])
        self.assertLess(time.monotonic() - start, 60)

    def test_a_reader_that_is_killed_harms_nobody(self):
        self.put("long.csv", "a,b\n" + "1,x\n" * 3_000_000)
        job = Job(1, {"discover": ["long.csv"], "files": self.folder})
        while not job.items:
            time.sleep(0.02)
        job.process.kill()
        self.follow(job, 20)
        self.assertEqual([i.errors[0]["code"] for i in job.items], ["reader_ended"])


class Keys(unittest.TestCase):
    def test_against_counting_by_hand(self):
        r = random.Random(3)
        for _ in range(60):
            pool = ["A1", "a1", " A1", "A-1", "A01", "B22", "B2", "B23", "zz", None]
            left = [(r.choice(pool), r.choice([1, 2, None])) for _ in range(r.choice([0, 3, 30]))]
            right = [(r.choice(pool), 0) for _ in range(r.choice([0, 1, 6]))]
            found = compare(
                frame(plain.Rows({"k": "text", "n": "integer"}, left)),
                ["k"],
                frame(plain.Rows({"c": "text", "n": "integer"}, right)),
                ["c"],
                "n",
            )
            known = {k for k, _ in right if k is not None}
            hits = [(k, n) for k, n in left if k in known]
            lost = [(k, n) for k, n in left if k is not None and k not in known]
            self.assertEqual((found["matched"]["rows"], found["matched"]["keys"]), (len(hits), len({k for k, _ in hits})))
            self.assertEqual((found["only_left"]["rows"], found["only_left"]["keys"]), (len(lost), len({k for k, _ in lost})))
            self.assertEqual(found["only_right"]["keys"], len(known - {k for k, _ in left}))
            counts = {k: sum(x == k for x, _ in right) for k in known}
            self.assertEqual({x["key"][0]: x["rows"] for x in found["repeated"]}, {k: n for k, n in counts.items() if n > 1})
            self.assertEqual(
                (found["empty_left"], found["amount_matched"]), (sum(k is None for k, _ in left), float(sum(n or 0 for _, n in hits)))
            )
            self.assertEqual(
                {x["key"][0]: x["rows"] for x in found["only_left"]["listed"]}, {k: sum(x == k for x, _ in lost) for k, _ in lost}
            )
            for near in found["near"]:
                self.assertIn(near["right"][0], known)
                self.assertEqual(near["amount"], float(sum(n or 0 for k, n in lost if k == near["left"][0])))

    def test_what_is_near(self):
        known = ["A10", "Long Holm", "R09", "north\x1f07"]
        for text, expected in (
            ("a10 ", ("A10", "spaces and case")),
            ("A-10", ("A10", "punctuation")),
            ("A010", ("A10", "zeros")),
            ("long-holm", ("Long Holm", "case, spaces, zeros and punctuation")),
            ("Long Hlom", ("Long Holm", "one letter")),
            ("R90", ("R09", "one letter")),
            ("Long Holme", ("Long Holm", "one letter")),
            ("North\x1f7", ("north\x1f07", "case, spaces, zeros and punctuation")),
            ("ZZ", None),
            ("A11X", None),
        ):
            found, _ = near_matches([text], known)
            self.assertEqual((known[found[0][0]], found[0][1]) if found else None, expected, text)


if __name__ == "__main__":
    unittest.main()
