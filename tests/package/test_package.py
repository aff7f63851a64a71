"""Data Packages in and out, and everything that can be wrong with one."""

import csv
import datetime as dt
import io
import json
import random
import shutil
import tempfile
import unittest
import zipfile
from dataclasses import replace
from pathlib import Path
from unittest import mock

import pyarrow as pa
from demo.model import TABLES

from nexorem.core.columns import compact
from nexorem.core.diagnostics import Refused
from nexorem.core.model.rows import apart
from nexorem.core.model.star import Star, table_rows
from nexorem.core.values import vector
from nexorem.disk.rows import held_bytes, mapped_rows
from nexorem.gather.read import read
from nexorem.package import words
from nexorem.package.read import open_package
from nexorem.package.schema import NexoremProperty
from nexorem.package.tabular import read_parquet
from nexorem.package.write import package_files, write_package
from nexorem.package.written import write_csv, write_parquet
from tests.core.small import STAR
from tests.oracle.random_models import Maker
from tests.plain import findings

DEMO = Path(__file__).parents[2] / "demo" / "lantern_isles"
GOOD = {
    "datapackage.json": {
        "name": "p",
        "resources": [
            {
                "name": "fact",
                "path": "fact.csv",
                "schema": {
                    "fields": [{"name": "k", "type": "integer"}, {"name": "n", "type": "number"}, {"name": "d", "type": "date"}],
                    "foreignKeys": [{"fields": "k", "reference": {"resource": "dim", "fields": "k"}}],
                },
            },
            {
                "name": "dim",
                "path": "dim.csv",
                "schema": {"fields": [{"name": "k", "type": "integer"}, {"name": "t", "type": "string"}], "primaryKey": "k"},
            },
        ],
    },
    "fact.csv": "k,n,d\n1,1.5,2031-01-01\n2,,\n7,3,2031-02-01\n",
    "dim.csv": 'k,t\n1,one\n2,"two, or\nmore"\n',
}


def plain_star(seed):
    """A random star without a calendar, whose dates would be refused."""
    star = Maker(seed).star
    return star.with_model(replace(star.model, tables=tuple(replace(t, calendar=None) for t in star.model.tables)))


class Folder(unittest.TestCase):
    def setUp(self):
        self.folder = tempfile.TemporaryDirectory()
        self.addCleanup(self.folder.cleanup)
        self.path = Path(self.folder.name)

    def lay(self, files, name="p"):
        """A package folder."""
        root = self.path / name
        for file, content in files.items():
            target = root / file
            target.parent.mkdir(parents=True, exist_ok=True)
            if isinstance(content, bytes):
                target.write_bytes(content)
            else:
                target.write_text(content if isinstance(content, str) else json.dumps(content), encoding="utf-8")
        return root

    def changed(self, change):
        """The good package with one thing changed."""
        files = json.loads(json.dumps(GOOD))
        change(files, files["datapackage.json"])
        return self.lay(files)

    def refused(self, path):
        with self.assertRaises(Refused) as caught:
            open_package(path)
        return caught.exception.diagnostics


class Reading(Folder):
    def test_a_package_nobody_prepared(self):
        star = open_package(self.lay(GOOD))
        self.assertEqual(
            [(k.from_text, k.to_text, k.cardinality, k.active) for k in star.model.links], [("fact.k", "dim.k", "many-to-one", True)]
        )
        self.assertEqual(star.column("dim", "t").rows().tolist(), ["one", "two, or\nmore"])
        self.assertEqual(star.column("fact", "n").rows().tolist(), [1.5, None, 3.0])
        self.assertEqual(star.facts(star.model.links[0]).orphans, 1)
        self.assertEqual(open_package(self.path / "p" / "datapackage.json").model, star.model)

    def test_types_are_guessed_from_all_rows(self):
        def change(files, descriptor):
            for resource in descriptor["resources"]:
                resource.pop("schema")
            files["fact.csv"] = "k,n,d,b,e\n" + "1,1,2031-01-01,true,\n" * 500 + "2,1.5,2031-01-02,false,\n"

        star = open_package(self.changed(change))
        self.assertEqual([c.dtype for c in star.model.tables[0].columns], ["integer", "number", "date", "boolean", "text"])

    def test_field_options(self):
        def change(files, descriptor):
            descriptor["resources"][0]["schema"] = {
                "missingValues": ["", "-"],
                "fields": [
                    {"name": "k", "type": "integer", "groupChar": "."},
                    {"name": "n", "type": "number", "decimalChar": ",", "groupChar": "."},
                    {"name": "d", "type": "date", "format": "%d.%m.%Y"},
                    {"name": "b", "type": "boolean", "trueValues": ["ja"], "falseValues": ["nein"]},
                ],
            }
            descriptor["resources"][0] |= {"dialect": {"delimiter": ";"}, "encoding": "latin-1"}
            files["fact.csv"] = "k;n;d;b\n1.000;1.234,5;03.02.2031;ja\n-;-;-;nein\n".encode("latin-1").decode("latin-1")

        star = open_package(self.changed(change))
        row = [star.column("fact", c).at(0) for c in "kndb"]
        self.assertEqual([str(x) for x in row], ["1000", "1234.5", "2031-02-03", "True"])
        self.assertEqual(star.column("fact", "k").at(1), None)

    def test_several_files_and_parquet(self):
        def change(files, descriptor):
            descriptor["resources"][0]["path"] = ["fact.csv", "more.csv"]
            files["more.csv"] = "k,n,d\n9,9,\n"

        self.assertEqual(open_package(self.changed(change)).size("fact"), 4)

    def test_files_of_several_blocks(self):
        """Numbers that turn out to be texts, words for nothing, quotes over lines and a second file, whatever the size of a block is."""
        rows = [
            [i, i / 4 if i % 7 else "", f'a "{i % 90}",\nb', "x7" if i == 11_000 else i, "-" if i % 5 else 3, "" if i % 3 else "x"]
            for i in range(12_000)
        ]
        schema = {"fields": [{"name": n, "type": "any"} for n in "abcde"] + [{"name": "f", "type": "string"}], "missingValues": ["", "-"]}

        def change(files, descriptor):
            out = io.StringIO()
            csv.writer(out, lineterminator="\n").writerows([list("abcdef"), *rows])
            files["fact.csv"], files["more.csv"] = out.getvalue(), "a,b,c,d,e,f\n1.5,2,z,8,,\n"
            descriptor["resources"][0] |= {"path": ["fact.csv", "more.csv"], "schema": schema}

        wanted = [[*map(float, (*range(12_000), 1.5))], [r[1] if r[1] != "" else None for r in rows] + [2.0]]
        wanted += [[r[2] for r in rows] + ["z"], [str(r[3]) for r in rows] + ["8"]]
        wanted += [[r[4] if r[4] != "-" else None for r in rows] + [None], [r[5] or None for r in rows] + [None]]
        folder = self.changed(change)
        for block in (1 << 13, 1 << 16, 1 << 23):
            with mock.patch("nexorem.package.tabular.BLOCK", block), self.subTest(block):
                star = open_package(folder)
                self.assertEqual([star.column("fact", c).rows().tolist() for c in "abcdef"], wanted)
                self.assertEqual([c.dtype for c in star.model.tables[0].columns], ["number", "number", "text", "text", "integer", "text"])

    def test_a_row_that_is_longer_than_a_block(self):
        """It is read all the same; a text has a bound."""
        long = "ab," * 9_000

        def change(files, descriptor):
            files["dim.csv"] = "k,t\n" + "".join(f"{i},x\n" for i in range(3_000)) + f'3000,"{long}"\n3001,y\n'

        folder = self.changed(change)
        with mock.patch("nexorem.package.tabular.BLOCK", 1 << 13):
            star = open_package(folder)
            self.assertEqual(star.column("dim", "t").rows().tolist()[-3:], ["x", long, "y"])
            self.assertEqual(star.column("dim", "k").rows().tolist(), list(range(3_002)))
            with mock.patch("nexorem.package.tabular.MOST_TEXT", 1 << 14):
                self.assertEqual([d.code for d in self.refused(folder)], ["long_value"])

    def test_headers(self):
        """None, and one without a row."""
        no_header = lambda f, d: (d["resources"][0].update(dialect={"header": False}, schema={}), f.update({"fact.csv": "x07,1\n8,2\n"}))  # noqa: E731
        star = open_package(self.changed(no_header))
        self.assertEqual([star.column("fact", c).rows().tolist() for c in ("f0", "f1")], [["x07", "8"], [1, 2]])
        star = open_package(self.changed(lambda f, d: f.update({"fact.csv": "k,n,d\n"})))
        self.assertEqual([star.size("fact"), *(star.column("fact", c).dtype for c in "knd")], [0, "integer", "number", "date"])

    def test_a_link_whose_keys_repeat_opens_loose(self):
        star = open_package(self.changed(lambda f, d: f.update({"dim.csv": "k,t\n1,a\n1,b\n"})))
        self.assertEqual(star.firm, frozenset())
        (found,) = [f for f in findings(star) if f["code"] == "repeated_key"]
        self.assertIn("dim.k is not unique: 1 stands more than once.", found["sentence"])

    def test_bad_packages(self):
        fact = lambda d: d["resources"][0]  # noqa: E731
        prop = lambda **p: lambda f, d: d.__setitem__("nexorem", p)  # noqa: E731
        cases = [
            ("missing_file", "fact.csv", lambda f, d: f.pop("fact.csv")),
            ("path_outside", "leaves the package", lambda f, d: fact(d).update(path="../x.csv")),
            ("path_outside", "leaves the package", lambda f, d: fact(d).update(path="/etc/passwd")),
            ("path_outside", "leaves the package", lambda f, d: fact(d).update(path="a\\b.csv")),
            ("remote_path", "is a remote address", lambda f, d: fact(d).update(path="https://there.example/x.csv")),
            ("bad_resource", "has no path", lambda f, d: (fact(d).pop("path"), fact(d).update(data=[]))),
            (
                "broken_row",
                "In row 3 there are 2 fields where 3 are expected: it ends before column 'd'",
                lambda f, d: f.update({"fact.csv": "k,n,d\n1,2,\n1,2\n"}),
            ),
            ("broken_row", "it goes on after the last column, 'd'", lambda f, d: f.update({"fact.csv": "k,n,d\n1,2,,4\n"})),
            (
                "bad_value",
                "2 values of n are not of the type number: row 2: 'x'; row 4: 'y'",
                lambda f, d: f.update({"fact.csv": "k,n,d\n1,x,\n2,1,\n3,y,\n"}),
            ),
            ("repeated_column", "k", lambda f, d: f.update({"fact.csv": "k,k,d\n1,2,\n"})),
            ("missing_column", "names d; the file has k, n", lambda f, d: f.update({"fact.csv": "k,n\n1,2\n"})),
            ("bad_encoding", "is not ascii", lambda f, d: (fact(d).update(encoding="ascii"), f.update({"fact.csv": "k,n,d\n1,2,ü\n"}))),
            ("bad_csv", "cannot be read", lambda f, d: f.update({"fact.csv": ""})),
            ("open_quote", "opens in row 3 is never closed", lambda f, d: f.update({"fact.csv": 'k,n,d\n1,2,\n3,4,"5\n6,7,8\n'})),
            ("bad_json", "not JSON", lambda f, d: f.update({"datapackage.json": "{"})),
            ("no_resources", "lists no resources", lambda f, d: d.pop("resources")),
            ("bad_resource", "names of their own", lambda f, d: d["resources"][1].update(name="fact")),
            ("bad_property", "nexorem.links.0.cardinality", prop(links=[{"from": "a.b", "to": "c.d", "cardinality": "some"}])),
            ("bad_property", "nexorem.oops", prop(oops=1)),
            ("unknown_table", "The table fct does not exist", prop(links=[{"from": "fct.k", "to": "dim.k"}])),
            ("unknown_column", "dim has no column q", prop(links=[{"from": "fact.k", "to": "dim.q"}])),
            ("bad_link", "they are never equal", prop(links=[{"from": "fact.d", "to": "dim.k"}])),
            (
                "double_path",
                "over two paths: one; and two",
                prop(links=[{"name": n, "from": "fact.k", "to": "dim.k"} for n in ("one", "two")]),
            ),
            ("repeated_name", "two measures named a", prop(measures=[{"name": "a", "formula": "1"}, {"name": "A", "formula": "1"}])),
            ("unknown_name", "fact.z", prop(tables=[{"name": "fact", "columns": {"z": {"formula": "nn * 2"}}}])),
            ("stored_column", "fact.n", prop(tables=[{"name": "fact", "columns": {"n": {"formula": "1"}}}])),
            ("missing_resource", "names the resource fct", prop(tables=[{"name": "Fact", "resource": "fct"}])),
            ("bad_calendar", "no date column", prop(tables=[{"name": "fact", "calendar": {"date": "n"}}])),
            ("bad_parquet", "cannot be read", lambda f, d: (fact(d).update(path="x.parquet"), f.update({"x.parquet": "no"}))),
        ]
        for code, said, change in cases:
            with self.subTest(said):
                for old in self.path.glob("p/*"):
                    old.unlink()
                found = self.refused(self.changed(change))
                self.assertIn(code, [d.code for d in found], [d.as_line() for d in found])
                self.assertTrue(any(said in d.message or said == d.place for d in found), [d.as_line() for d in found])
        self.assertEqual(self.refused(self.path / "nowhere")[0].code, "missing_package")

    def test_all_at_once_and_only_ten_places(self):
        def change(files, descriptor):
            files["fact.csv"] = "k,n,d\n" + "q,x,nope\n" * 30
            descriptor["resources"].append({"name": "gone", "path": "gone.csv"})

        found = self.refused(self.changed(change))
        self.assertEqual([d.code for d in found], ["bad_value"] * 3 + ["missing_file"])
        self.assertEqual(found[0].message.count("row "), 10)
        self.assertIn("30 values of k", found[0].message)

    def test_links_out_of_the_package(self):
        root = self.lay(GOOD)
        (root / "fact.csv").unlink()
        (self.path / "secret.csv").write_text("k,n,d\n")
        (root / "fact.csv").symlink_to(self.path / "secret.csv")
        self.assertEqual(self.refused(root)[0].code, "path_outside")

    def test_zips(self):
        bad = self.path / "bad.zip"
        bad.write_bytes(b"PK no")
        self.assertEqual(self.refused(bad)[0].code, "bad_zip")
        nested = self.path / "nested.zip"
        with zipfile.ZipFile(nested, "w") as out:
            for name, content in GOOD.items():
                out.writestr(f"inner/{name}", content if isinstance(content, str) else json.dumps(content))
        self.assertEqual(open_package(nested).size("fact"), 3)


class Columns(unittest.TestCase):
    """Columns as files, whatever the size of a block is."""

    DOUBLES = (0.1 + 0.2, 1e-5, 1e-4, 1e9, 999999999.25, -0.0, 0.0, 1e15, -123456.5, 5e-324, 1.7e308, 3.0, None, 2.0**53)
    NASTY = ("a,b", 'say "x"', "two\nlines", "", None, " sp ", "NULL", "Æ", "1", "'", "semi;colon", "tab\t")

    def columns(self, size):
        chance = random.Random(size)
        moments = [dt.datetime(2031, 1, 1) + dt.timedelta(microseconds=chance.randrange(10**15)) for _ in range(99)]
        kinds = {
            "integer": lambda: chance.choice([None, chance.randrange(-(10**18), 10**18), 7]),
            "number": lambda: chance.choice([*self.DOUBLES, chance.uniform(-2e9, 2e9), chance.uniform(-1, 1) ** 9]),
            "text": lambda: chance.choice(self.NASTY),
            "boolean": lambda: chance.choice([True, False, None]),
            "date": lambda: chance.choice([None, dt.date(1, 1, 1), dt.date(2031, 2, 3)]),
            "datetime": lambda: chance.choice([None, *moments]),
        }
        return {kind: [make() for _ in range(size)] for kind, make in kinds.items()}

    def test_csv_is_what_values_are_one_by_one(self):
        for size, block in ((0, 9), (1, 9), (300, 7), (300, 1 << 18), (70_000, 1 << 15)):
            values = self.columns(size)
            for names in (list(values), ["text"], ["number"]):
                with self.subTest(size=size, names=names), mock.patch("nexorem.package.written.BLOCK", block):
                    out, plain = io.BytesIO(), io.StringIO()
                    write_csv({n: compact(vector(n, values[n])) for n in names}, out)
                    words = {n: "NULL_" if n == "text" and "" in values[n] else "" for n in names}
                    if "NULL" not in values["text"]:
                        words["text"] = words.get("text", "").rstrip("_")
                    told = [[words[n] if x is None else self.text(x) for x in values[n]] for n in names]
                    csv.writer(plain, lineterminator="\n").writerows([names, *zip(*told, strict=True)])
                    self.assertEqual(out.getvalue().decode(), plain.getvalue())

    @staticmethod
    def text(value):
        """As a plain program writes it."""
        if isinstance(value, bool):
            return str(value).lower()
        if isinstance(value, float):
            return repr(value) if abs(value) >= 1e15 or value != int(value) else str(int(value))
        return value.isoformat() if isinstance(value, dt.date) else str(value)

    def test_parquet_comes_back(self):
        for size, block in ((0, 9), (1, 9), (300, 7), (70_000, 1 << 15)):
            values = self.columns(size)
            with self.subTest(size), mock.patch("nexorem.package.written.BLOCK", block):
                out = io.BytesIO()
                write_parquet({n: compact(vector(n, x)) for n, x in values.items()}, out)
                read, rows = read_parquet(pa.BufferReader(out.getvalue()), "p")
                self.assertEqual(({n: c.rows().tolist() for n, c in read.items()}, rows), (values, size))

    def test_words_of_several_dictionaries_are_put_in_order(self):
        chance = random.Random(7)
        for many in (1, 1 << 20):
            for count, letters in ((0, "a"), (1, "ab"), (5, "ab"), (9, "aé\U0001f6a2"), (40, "abcdefgh")):
                dictionaries = [["".join(chance.choices(letters, k=chance.randrange(4))) for _ in range(count)] for _ in range(3)]
                listed = [x for d in dictionaries for x in d]
                with mock.patch.object(words, "MANY_WORDS", many), self.subTest(many=many, count=count):
                    place, ordered = words.in_order([pa.array(d, pa.large_string()) for d in dictionaries])
                    self.assertEqual(ordered.to_pylist(), sorted(set(listed), key=str.encode))
                    self.assertEqual([ordered[int(p)].as_py() for p in place], listed)

    def test_rows_in_a_file_without_a_name_are_the_same(self):
        values = self.columns(300)
        rows = table_rows(300, {n: vector(n, x) for n, x in values.items()})
        with mock.patch("nexorem.disk.rows.MANY_CELLS", 1):
            mapped = mapped_rows(rows)
            once = apart(mapped.columns)
        self.assertIs(mapped_rows(rows), rows)  # few are not worth it
        for columns in (mapped.columns, once):
            self.assertEqual({n: c.rows().tolist() for n, c in columns.items()}, values)
        self.assertGreater(held_bytes(mapped.columns), 0)
        self.assertEqual(held_bytes(apart(mapped.columns)), 0)  # what was read of them is not kept twice

    def test_a_line_feed_of_old_stands_in_quotes(self):
        out = io.BytesIO()
        write_csv({"t": compact(vector("text", ["a\rb"]))}, out)
        self.assertEqual(out.getvalue(), b't\n"a\rb"\n')


class Writing(Folder):
    def test_what_fails_half_way_leaves_nothing(self):
        for name in ("p", "p.zip", "new/p"):
            with self.subTest(name), mock.patch("nexorem.package.write.write_csv", side_effect=[None, OSError("full")]):
                with self.assertRaisesRegex(OSError, "full"):
                    write_package(STAR, self.path / name)
                self.assertEqual([p for p in self.path.rglob("*") if p.name != "new"], [])
                with mock.patch("nexorem.package.write.write_csv", write_csv):
                    write_package(STAR, self.path / name)
                self.same(open_package(self.path / name), STAR)
                shutil.rmtree(self.path / name) if name != "p.zip" else (self.path / name).unlink()

    def same(self, a: Star, b: Star):
        self.assertEqual(a.model, b.model)
        for table in a.model.tables:
            for column in table.columns:
                self.assertEqual(
                    a.column(table.name, column.name).rows().tolist(),
                    b.column(table.name, column.name).rows().tolist(),
                    f"{table.name}.{column.name}",
                )

    def test_a_written_package_reads_back_and_writes_the_same_bytes(self):
        stars = [STAR, open_package(DEMO), *(plain_star(seed) for seed in range(12))]
        for number, star in enumerate(stars):
            for data in ("csv", "parquet"):
                for ending in ("", ".zip"):
                    path = self.path / f"{number}{data}{ending}"
                    write_package(star, path, data)
                    again = open_package(path)
                    self.same(again, star)
                    self.assertEqual(package_files(again, data), package_files(star, data))
        first, second = self.path / "a.zip", self.path / "b.zip"
        write_package(stars[1], first)
        write_package(open_package(first), second)
        self.assertEqual(first.read_bytes(), second.read_bytes())

    def test_nothing_is_overwritten(self):
        self.assertRaises(Refused, write_package, STAR, self.path)


class Schema(unittest.TestCase):
    def test_the_published_schema_is_the_one_in_force(self):
        published = json.loads((DEMO.parents[1] / "docs" / "nexorem.schema.json").read_text())
        in_force = NexoremProperty.model_json_schema(by_alias=True)
        self.assertEqual(
            {k: v for k, v in published.items() if k in in_force and k != "title"}, {k: v for k, v in in_force.items() if k != "title"}
        )


class Demo(unittest.TestCase):
    def test_it_holds_what_it_promises(self):
        star = open_package(DEMO)
        self.assertEqual([t.name for t in star.model.tables], [t["name"] for t in TABLES])
        self.assertEqual(star.size("Booking"), 60_212)
        self.assertEqual(star.size("Calendar"), 943)
        self.assertGreaterEqual(len(star.model.links), 12)
        model = star.model
        self.assertEqual((len(model.links), len(model.measures), len(model.probes), len(model.folios)), (23, 59, 18, 3))
        said = [*(m.description for m in model.measures), *(p.description for p in (*model.probes, *model.folios))]
        self.assertTrue(all(len(text) > 12 for text in said), [text for text in said if len(text) < 13])
        self.assertTrue(all(p.stat().st_size < 4 * 1024**2 for p in DEMO.rglob("*")))
        known = set((DEMO / "raw" / "agents.csv").read_text().replace("\n", ",").split(","))
        raw = read({"kind": "csv", "file": "bookings.csv"}, DEMO / "raw").frame.columns["agent_code"]
        odd = set(raw.words) - known
        self.assertTrue(any(c.strip() != c for c in odd) and any(c.upper() in known for c in odd) and "ZZZ" in odd, odd)
        # The steps have mended them all.
        self.assertLessEqual(set(star.column("Booking", "agent_code").rows().words), known)
        self.assertEqual(star.facts(star.model.link("agent")).orphans, 0)


if __name__ == "__main__":
    unittest.main()
