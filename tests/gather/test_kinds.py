"""Files of every kind: sheets, columns, lines; and broken ones, of which nothing is half-read."""

import datetime as dt
import decimal
import io
import json
import os
import random
import unittest
import zipfile
from pathlib import Path

import pyarrow as pa
import pyarrow.compute
import pyarrow.feather
import pyarrow.parquet as pq

from nexorem.core.diagnostics import Refused
from nexorem.gather.jobs import Job
from nexorem.gather.read import read, sources_in, table_name
from nexorem.gather.recipe import gather, read_recipe
from nexorem.package.arrow import from_arrow
from nexorem.package.write import package_files
from tests.core.small import STAR, make_star
from tests.gather.folder import TABLE, Folder, ods, saved, workbook
from tests.load.hostile import broken_file
from tests.waiting import until

MUTATIONS = int(os.environ.get("MUTATIONS", "60"))


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
        self.refused("bad_range", "not a range", "b.xlsx", range="B")
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
            (
                pa.array([d(2**53 + 1), d(2**53), None, d(-(2**62))], pa.decimal128(20, 0)),
                "integer",
                [2**53 + 1, 2**53, None, -(2**62)],
                "kept as integer",
            ),
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
            (
                pa.array([(1, 2, 3)], pa.month_day_nano_interval()),
                "text",
                ["MonthDayNano(months=1, days=2, nanoseconds=3)"],
                "kept as text",
            ),
            (
                pa.ExtensionArray.from_storage(pa.uuid(), pa.array([bytes(16)], pa.binary(16))),
                "text",
                ["00000000-0000-0000-0000-000000000000"],
                "",
            ),
            (pa.array([{"a": 1}, None]), "text", ['{"a": 1}', None], "JSON text"),
        ]
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


class Odd(Folder):
    """What real files have: read as it stands, or refused with place and mend."""

    def test_broken_decimals_and_overlong_numbers(self):
        odd = ["1.2.3", "12e", "1" * 400, "0x1F", "1,2,3", "--5", "1e400", "٣", "1_000", "½", "+-1", "."]
        for kind, write in (
            ("o.csv", lambda v: self.put("o.csv", f'n\n1\n2\n3\n4\n5\n"{v}"\n')),
            ("o.jsonl", lambda v: self.put("o.jsonl", "".join(json.dumps({"n": x}) + "\n" for x in [1, 2, 3, 4, 5, v]))),
            ("o.xlsx", lambda v: self.put("o.xlsx", saved(workbook(s=[["n"], [1], [2], [3], [4], [5], [v]])))),
        ):
            for value in odd:
                with self.subTest(kind=kind, value=value[:12]):
                    write(value)
                    found = self.read(kind)
                    (column,) = found.report["columns"]
                    self.assertEqual((column["type"], found.frame.columns["n"].at(5)), ("text", value))
                    told = self.refused("bad_value", "n:", kind, columns={"n": {"type": "number"}})
                    self.assertTrue(told[0].hint and "row" in told[0].message)

    def test_whole_numbers_beyond_64_bits_keep_their_digits(self):
        for rows in (3, 20_000):  # many rows are read another way
            self.put("o.csv", "n,m\n" + "9999999999999999999,1.5\n9999999999999999998,2\n" * rows)
            found = self.read("o.csv")
            self.assertEqual((self.types(found), len(found.frame.columns["n"].words)), ("text number", 2))
            self.assertIn("lose their last digits", found.report["columns"][0]["note"])
            self.assertEqual(self.types(self.read("o.csv", columns={"n": {"type": "number"}})), "number number")

    def test_headings_that_repeat_or_differ_by_case(self):
        table = pa.Table.from_arrays([pa.array([1]), pa.array([2]), pa.array([3])], names=["id", "id", "ID"])
        pq.write_table(table, self.folder / "r.parquet")
        self.put("r.csv", "id,id,ID\n1,2,3\n")
        self.put("r.xlsx", saved(workbook(s=[["id", "id", "ID"], [1, 2, 3]])))
        for name in ("r.parquet", "r.csv", "r.xlsx"):
            with self.subTest(name):
                found = self.read(name)
                self.assertEqual(len({c.lower() for c in found.frame.columns}), 3)
                self.assertEqual(self.rows(found), [[1, 2, 3]])
                self.assertTrue(any("id" in n for n in found.report["notes"]), found.report["notes"])
        self.put("r.jsonl", '{"id": 1, "ID": 2}\n')
        self.assertEqual(len({c.lower() for c in self.read("r.jsonl").frame.columns}), 2)

    def test_keys_that_differ_by_case_are_two_keys(self):
        self.put("k.csv", "code\na\nA\n")
        found = self.read("k.csv")
        self.assertEqual([x for (x,) in self.rows(found)], ["a", "A"])
        star = make_star(
            {"K": ("code:text", [("a",), ("A",)]), "F": ("code:text", [("a",), ("A",), ("ä",)])},
            [{"name": "k", "from": "F.code", "to": "K.code"}],
            {},
        )
        self.assertEqual(star.facts(star.model.links[0]).matched, 2)

    def test_a_thousand_columns(self):
        names = [f"c{i}" for i in range(1_000)]
        self.put("w.csv", ",".join(names) + "\n" + ",".join(["1"] * 1_000) + "\n")
        pq.write_table(pa.table({n: [1] for n in names}), self.folder / "w.parquet")
        for name in ("w.csv", "w.parquet"):
            self.assertEqual(len(self.read(name).frame.columns), 1_000)
        pq.write_table(pa.table({f"c{i}": [1] for i in range(5_001)}), self.folder / "w.parquet")
        told = self.refused("too_many_columns", "5,001", "w.parquet")
        self.assertTrue(told[0].hint)

    def test_nothing_is_half_loaded(self):
        self.put("a.csv", "n\n1\n")
        self.put("b.csv", "a,b\n1,2\n1,2,3\n")
        recipe = read_recipe(
            {
                "tables": [
                    {"name": "A", "source": {"kind": "csv", "file": "a.csv"}},
                    {"name": "B", "source": {"kind": "csv", "file": "b.csv"}},
                    {"name": "R", "source": {"kind": "role", "table": "S"}},
                    {"name": "S", "source": {"kind": "role", "table": "R"}},
                ]
            }
        )
        with self.assertRaises(Refused) as caught:
            gather([self.folder / "a.csv", self.folder / "b.csv"], recipe)
        self.assertIn("b.csv", {d.place for d in caught.exception.diagnostics})
        self.put("b.csv", "n\n1\n")
        with self.assertRaises(Refused) as caught:
            gather([self.folder / "a.csv", self.folder / "b.csv"], recipe)
        self.assertIn("takes rows from itself", caught.exception.diagnostics[0].message)
        good = read_recipe(
            {"tables": [{"name": "R", "source": {"kind": "role", "table": "A"}}, {"name": "S", "source": {"kind": "role", "table": "R"}}]}
        )
        self.assertEqual(gather([self.folder / "a.csv"], good).star.size("S"), 1)


class Broken(Folder):
    def test_arrow_files_whose_buffers_lie_beyond_their_end(self):
        """Made by tests/load/hostile: the library says of each in its own way that it is broken."""
        for seed in (48, 142):
            with self.subTest(seed):
                name, data = broken_file(random.Random(seed))
                self.put(name, data)
                self.refused("bad_arrow", "cannot be read", name)

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
        return {
            **found,
            "x.csv": b'a,b,c\n1,"x, y",31.12.2031\n2,z,1.1.2032\n' * 40,
            "x.jsonl": b'{"a": 1, "b": ["x"]}\n' * 30,
            "x.ods": ods(),
            "x.zip": package.getvalue(),
            "x.xlsx": saved(workbook(s=[["a", "b"], [1, "x"], [2.5, dt.date(2031, 1, 1)]])),
        }

    def follow(self, job):
        job.wait(180)
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
        self.follow(job)
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
        job = Job(1, {"discover": ["bomb.zip", "bomb.xlsx", "deep.xlsx", "lines.jsonl"], "files": self.folder})
        self.follow(job)
        self.assertEqual([i.state for i in job.items], ["failed"] * 4)
        self.assertEqual([i.errors[0]["code"] for i in job.items[:2]], ["too_large", "too_large"])

    def test_a_reader_that_is_killed_harms_nobody(self):
        self.put("long.csv", "a,b\n" + "1,x\n" * 3_000_000)
        job = Job(1, {"discover": ["long.csv"], "files": self.folder})
        until(lambda: job.items)
        job.process.kill()
        self.follow(job)
        self.assertEqual([i.errors[0]["code"] for i in job.items], ["reader_ended"])


if __name__ == "__main__":
    unittest.main()
