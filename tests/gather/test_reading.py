"""Files of every kind, well-made, odd and broken: what is read, what is told, and that nothing takes for ever."""

import datetime as dt
import random
import re
import unittest

import numpy as np
import pyarrow as pa
import pyarrow.compute
import pyarrow.feather

from nexorem.core.diagnostics import OverLimit, Refused
from nexorem.core.limits import Budget, Limits
from nexorem.gather.mismatch import compare, near_matches
from nexorem.gather.read import read
from nexorem.gather.texts import DATES, Reads, guess_type, parse_texts, shape_of
from tests.gather import plain_steps as plain
from tests.gather.folder import Folder
from tests.gather.test_steps import frame


class Csv(Folder):
    def test_what_a_file_looks_like_is_found(self):
        for data, names, types, first in (
            ("a,b\n1,x\n2,y\n", "a b", "integer text", [1, "x"]),
            ("a;b\n1,5;x\n2,25;y\n", "a b", "number text", [1.5, "x"]),
            ("a\tb\n1\t1.234,50\n", "a b", "integer number", [1, 1234.5]),
            ("a|b\n31.12.2031|yes\n1.1.2032|no\n", "a b", "date boolean", ["2031-12-31", True]),
            ("1,2\n3,4\n", "column 1 column 2", "integer integer", [1, 2]),
            (
                "Report of sales\nmade today,,\nno,name,when\n1,A,2031-01-01 10:00\n2,B,2031-01-02 11:30:05\n",
                "no name when",
                "integer text datetime",
                [1, "A", "2031-01-01T10:00:00"],
            ),
            ('a,b\r\n"1","two\r\nlines, ""quoted"""\r\n', "a b", "integer text", [1, 'two\r\nlines, "quoted"']),
            ("a,,a,A\n1,2,3,4\n", "a column 2 a 2 A 3", "integer integer integer integer", [1, 2, 3, 4]),
            ("code,n\n007,1\n012,2\n", "code n", "text integer", ["007", 1]),
            ("a b\n" + "1\n" * 5000 + "\0\n", "a b", "text", ["1"]),
            ("x\n=1+2\n@cmd\n", "x", "text", ["=1+2"]),
            ("d\n03/04/2031\n05/06/2031\n", "d", "date", ["2031-04-03"]),
            ("d\n03/04/2031\n05/16/2031\n", "d", "date", ["2031-03-04"]),
            ("d\n2031-1-5\n2031-11-25\n", "d", "date", ["2031-01-05"]),
            ("d\n2031/1/5 7:05\n2031/11/25 17:05\n", "d", "datetime", ["2031-01-05T07:05:00"]),
            ("d\n5/1/2031 7:05\n25/1/2031 17:05\n", "d", "datetime", ["2031-01-05T07:05:00"]),
            ("d\n1/5/2031 7:05\n1/25/2031 17:05\n", "d", "datetime", ["2031-01-05T07:05:00"]),
            ("d\n3. März 2031\n14. Mai 2031\n", "d", "date", ["2031-03-03"]),
            ("n\nN\nN\n", "n", "text", ["N"]),
            ("n\nY\nN\n", "n", "boolean", [True]),
            ("a,b\n,\n,1\n", "a b", "text integer", [None, None]),
            ("t\n2031-01-01T10:00:00Z\n2031-01-01T11:00:00.5Z\n", "t", "datetime", ["2031-01-01T10:00:00"]),
        ):
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
        self.assertEqual(
            told,
            {
                "n": {"words": ["NA"], "count": 100, "type": "integer"},
                "tail": {"words": ["NA"], "count": 50, "type": "text"},
                "day": {"words": ["n/a"], "count": 50, "type": "date"},
                "note": {"words": ["NA"], "count": 150, "type": "text"},
            },
        )
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
        # Of JSON Lines only what would become another type is promised to: its texts stay texts, of digits or not.
        lines = ['{"a": 1, "b": "1", "c": "2031-01-02", "d": true}', '{"a": "NA", "b": "NA", "c": "NA", "d": "NA"}', '{"a": 2.5, "b": "2"}']
        self.put("t.jsonl", "\n".join(lines))
        for missing, types, kept in (
            ([], ["text"] * 4, ["number", "text", "date", "boolean"]),
            (["NA"], ["number", "text", "date", "boolean"], []),
        ):
            columns = self.read("t.jsonl", kind="json_lines", missing=missing).report["columns"]
            self.assertEqual([c["type"] for c in columns], types)
            self.assertEqual([c["missing"]["type"] for c in columns if c["missing"]], kept)
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
            ("", "empty_file", "empty", {}),
            ("a,b\n1,2\n1,2,3\n", "broken_row", "row 3 has 3 fields, not 2", {}),
            ('a,b\n1,"x\n2,y\n', "open_quote", "row 2", {}),
            (b"a\n\xff\xfe\n", "bad_encoding", "After row 1", {"encoding": "utf-8"}),
            ("a\n1\n", "bad_encoding", "klingon", {"encoding": "klingon"}),
            (wide + "\n" + wide, "too_many_columns", "2,000,000", {}),
            ("a,b\n1," + "x" * 2_000_000 + "\n", "long_value", "row 2", {}),
            ("a,b\n1," + "x" * 50 * 1024**2 + "\n2,y\n", "long_line", "longer than 8 MB", {}),
            (b"PK\x03\x04" + bytes(range(256)) * 50, "bad_csv", "bytes that no text has", {}),
            ("a\n1\n", "bad_source", "delimiters", {"delimiters": ","}),
        ):
            self.put("t.csv", data)
            with self.subTest(code=code, data=data[:20]):
                self.refused(code, words, **source)

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
            ("yyyy-MM-dd HH:mm", "2031-01-02 03:04", dt.datetime(2031, 1, 2, 3, 4)),
            ("M/d/yyyy h:mm a", "1/2/2031 12:05 am", dt.datetime(2031, 1, 2, 0, 5)),
            ("M/d/yyyy h:mm a", "1/2/2031 1:05 PM", dt.datetime(2031, 1, 2, 13, 5)),
            ("dd.MM.yyyy 'um' HH:mm:ss.S", "02.01.2031 um 03:04:05.25", dt.datetime(2031, 1, 2, 3, 4, 5, 250_000)),
            ("yyyy-MM-dd HH:mm", "2031-01-02 24:00", None),
            ("M/d/yyyy h:mm a", "1/2/2031 13:05 PM", None),
            ("", "2031-01-02T03:04:05+02:00", dt.datetime(2031, 1, 2, 3, 4, 5)),
            ("", "2031-01-02", dt.datetime(2031, 1, 2)),
        ):
            data, fits = parse_texts(pa.array([text], pa.large_string()), Reads("datetime", pattern))
            self.assertEqual(
                dt.datetime(1970, 1, 1) + dt.timedelta(microseconds=int(data[0])) if fits[0] else None, expected, (pattern, text)
            )
        for pattern in ("HH:mm", "yyyy", "yyyy-MM-dd-dd"):
            self.assertRaises(Refused, shape_of, pattern, "en")

    def test_numbers_in_other_marks(self):
        for text, reads, expected in (
            ("1.234,5", Reads("number", decimal=",", group="."), 1234.5),
            ("1.23,5", Reads("number", decimal=",", group="."), None),
            ("12.345.678", Reads("number", decimal=",", group="."), 12345678.0),
            ("1 234", Reads("integer", group=" "), 1234),
            ("1,5", Reads("number", decimal=","), 1.5),
            ("1.5", Reads("number", decimal=","), None),
            ("+5", Reads("integer"), 5),
            ("9223372036854775807", Reads("integer"), 2**63 - 1),
            ("9223372036854775808", Reads("integer"), None),
            ("1e400", Reads("number"), None),
            ("٣", Reads("integer"), None),
            ("0x1F", Reads("integer"), None),
            ("", Reads("number"), None),
            ("-", Reads("number"), None),
        ):
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
        known = ["A10", "Long Holm", "R09", "north\x1f07", "2031-01-01", "10000"]
        for text, expected in (
            ("a10 ", ("A10", "spaces and case")),
            ("A-10", ("A10", "punctuation")),
            ("A010", ("A10", "zeros")),
            ("long-holm", ("Long Holm", "case, spaces, zeros and punctuation")),
            ("Long Hlom", ("Long Holm", "one letter")),
            ("R90", None),  # a code, of which each is near another
            ("2031-01-02", None),
            ("10001", None),
            ("Long Holme", ("Long Holm", "one letter")),
            ("North\x1f7", ("north\x1f07", "case, spaces, zeros and punctuation")),
            ("ZZ", None),
            ("A11X", None),
        ):
            found, _ = near_matches([text], known, Budget())
            self.assertEqual((known[found[0][0]], found[0][1]) if found else None, expected, text)
        many = [f"Lantern{i}" for i in range(3_000)]
        ticks = iter(range(100))
        for budget in (Budget(Limits(seconds=5), lambda: float(next(ticks))), Budget(Limits(memory_bytes=100_000))):
            self.assertRaises(OverLimit, near_matches, many, many, budget)


if __name__ == "__main__":
    unittest.main()
