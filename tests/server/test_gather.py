"""Gathering and shaping over HTTP: files to tables, loads that are compared and held, steps, keys, made tables, databases, schedules."""

import random
import unittest
from contextlib import ExitStack
from unittest import mock

import psycopg
from sqlalchemy import select, text, update

from nexorem.gather.steps.replay import RUN
from nexorem.gather.transfer import read_frame
from nexorem.store import sources, tables
from tests.server.gathering import SALES, Gathered
from tests.store.cluster import second_cluster
from tests.waiting import until


class Gathering(Gathered):
    def test_files_become_tables_and_steps_shape_them(self):
        document = self.gathered()
        self.assertEqual(
            [(t["name"], t["rows"], t["from_text"]) for t in document["tables"]], [("Sale", 3, "sales.csv"), ("Port", 2, "ports.csv")]
        )
        self.assertEqual([c["dtype"] for c in document["tables"][0]["columns"]], ["integer", "text", "date", "integer"])
        self.assertEqual(document["undo"]["title"], "gather Sale, Port")
        steps = [
            {"kind": "trim", "columns": ["port"]},
            {"kind": "compute", "name": "double", "formula": "seats * 2"},
            {"kind": "keep_rows", "condition": "nope = 1"},
            {"kind": "number_rows", "into": "n"},
        ]
        tried = self.ask("POST", f"{self.model}/tables/Sale/steps", {"steps": steps})
        self.assertEqual([s["state"] for s in tried["steps"]], ["done", "done", "wrong", "waits"])
        self.assertEqual(tried["steps"][0]["sample"]["before"], [["s "]])
        self.assertIn("nope", tried["steps"][2]["errors"][0]["message"])
        self.assertEqual(
            self.ask("POST", f"{self.model}/tables/Sale/steps", {"steps": steps, "at": 1})["columns"], tried["start"]["columns"]
        )
        self.edit(422, kind="shape_table", name="Sale", steps=steps)
        self.edit(kind="shape_table", name="Sale", steps=steps[:2])
        self.assertEqual(
            self.rows("Sale"), [[1, "N", "2031-12-31", 2, 4], [2, "s", "2032-01-01", 3, 6], [3, "X", "2032-01-02", None, None]]
        )
        document = self.document()
        self.ask("POST", f"{self.model}/undo", {"expected": document["undo"]["number"]})
        self.assertEqual(self.rows("Sale")[1], [2, "s ", "2032-01-01", 3])
        profiles = self.ask("POST", f"{self.model}/tables/Sale/steps/profiles", {"steps": steps[:2]})["profiles"]
        self.assertEqual([(p["column"], p["largest"]) for p in profiles][-1], ("double", 6))

    def test_what_is_wrong_with_a_file_is_told_and_nothing_is_taken(self):
        self.put("bad.csv", "a,b\n1,2\n1,2,3\n")
        self.put("cut.parquet", b"PAR1 and no more")
        self.put("good.csv", SALES)
        reading = self.read(files=["bad.csv", "cut.parquet", "good.csv"])
        self.assertEqual([i["state"] for i in reading["items"]], ["failed", "failed", "read"])
        self.assertEqual([e["code"] for i in reading["items"] for e in i["errors"]], ["broken_row", "bad_parquet"])
        self.take(reading, 422, p0="Bad")
        self.assertEqual(self.document()["tables"], [])
        for name in ("../x.csv", ".x.csv", "x.exe", "a/b.csv"):
            self.ask("PUT", f"{self.model}/files", None, 422, query_string={"name": name}, data=b"a")
        self.ask("DELETE", f"{self.model}/readings/{reading['id']}")
        self.ask("GET", f"{self.model}/readings/{reading['id']}", None, 422)
        # A comparison that outlives its reading is told so: before its rows are fetched, and while they are.
        self.put("good.csv", SALES)
        self.take(self.read(files=["good.csv"]), p0="Good")
        asked = {"tables": [{"place": 0, "table": "Good"}]}
        for late in (False, True):
            reading = self.read(files=["good.csv"])
            address = f"{self.model}/readings/{reading['id']}"
            self.ask("POST", f"{address}/compare", {"tables": [{"place": 7, "table": "Good"}]}, 422)
            job = self.workspace.jobs.get(int(self.model.split("/")[-1]), reading["id"])
            gone = mock.patch("nexorem.gather.jobs.read_frame", side_effect=lambda *a, job=job: job.cancel() or read_frame(*a))
            with gone if late else ExitStack():
                if not late:
                    self.ask("DELETE", address)
                told = self.ask("POST", f"{address}/compare", asked, 422)
            self.assertIn("no longer here", told["errors"][0]["message"])
        # A character that the store's texts cannot hold is one of a file's all the same.
        self.put("nul.csv", "n\n" + "1\n" * 3000 + "\0\n")
        self.take(self.read(files=["nul.csv"]), p0="Nul")
        self.assertEqual(self.ask("GET", f"{self.model}/tables/Nul/rows", query_string={"start": 3000})["rows"], [["\0"]])

    def test_a_reading_is_ended_at_any_moment(self):
        self.put("long.csv", "a,b\n" + "1,x\n" * 2_000_000)
        reading = self.ask("POST", f"{self.model}/readings", {"files": ["long.csv"]})
        self.ask("DELETE", f"{self.model}/readings/{reading['id']}")
        self.assertEqual(self.workspace.jobs._jobs, {})

    def test_keys_are_compared_and_mended(self):
        self.gathered()
        sides = {"left": {"table": "Sale", "columns": ["port"]}, "right": {"table": "Port", "columns": ["code"]}, "amount": "seats"}
        told = self.ask("POST", f"{self.model}/mismatch", sides)
        self.assertEqual((told["matched"]["rows"], told["only_left"]["keys"], told["only_right"]["listed"][0]["key"]), (1, 2, ["S"]))
        self.assertEqual(
            [(n["left"], n["right"], n["reason"], n["amount"]) for n in told["near"]], [(["s "], ["S"], "spaces and case", 3.0)]
        )
        self.edit(
            kind="shape_table", name="Sale", steps=[{"kind": "replace", "columns": ["port"], "pairs": [{"from": ["s "], "to": ["S"]}]}]
        )
        self.assertEqual(self.ask("POST", f"{self.model}/mismatch", sides)["matched"]["rows"], 2)

    def test_tables_are_made_here(self):
        self.gathered()
        calendar = {"kind": "calendar", "dates": ["Sale.sold on"], "columns": ["date", "year", "month_name"], "language": "de"}
        told = self.ask("POST", f"{self.model}/made", {"origin": calendar})
        self.assertEqual((told["size"], told["rows"][1]), (3, ["2032-01-01", 2032, "Jan"]))
        self.edit(kind="make_table", table={"name": "Calendar", "origin": calendar})
        self.edit(kind="make_table", table={"name": "Busy", "formula": "Sale where Sale.seats > 2"})
        self.edit(kind="put_column", name="Sale", column={"name": "twice", "formula": "seats * 2"})
        document = self.document()
        self.assertEqual(
            [(t["name"], t["rows"], t["calendar"]) for t in document["tables"][2:]], [("Calendar", 3, "date"), ("Busy", 1, None)]
        )
        self.assertEqual(document["tables"][0]["columns"][-1]["dtype"], "integer")
        # A calendar follows its dates.
        self.edit(kind="shape_table", name="Sale", steps=[{"kind": "keep_rows", "condition": "\"sold on\" > DATE '2031-12-31'"}])
        self.assertEqual([t["rows"] for t in self.document()["tables"]], [2, 2, 2, 1])
        told = self.ask("POST", f"{self.model}/consequences", {"edit": {"kind": "drop_table", "name": "Sale"}})
        self.assertIn({"kind": "table", "name": "Busy"}, told["touches"])
        self.assertTrue(told["breaks"])
        self.edit(422, kind="drop_table", name="Sale")
        self.edit(kind="drop_table", name="Port")
        story = self.ask("GET", f"{self.model}/story", query_string={"kind": "column", "name": "Calendar.date"})
        self.assertIn(["source", "sales.csv"], story["before"])

    def test_rows_come_from_a_database(self):
        other, stop = second_cluster()
        self.addCleanup(stop)
        with psycopg.connect(other) as connection:
            connection.execute(
                "CREATE TABLE port (code text PRIMARY KEY, name text, at timestamptz DEFAULT '2031-01-01 10:00Z', ok boolean)"
            )
            connection.execute("CREATE TABLE sale (no int PRIMARY KEY, port text REFERENCES port, price numeric(9, 2), day date)")
            connection.execute("INSERT INTO port VALUES ('N', 'No\"rth, \nand on', DEFAULT, true), ('S', '', DEFAULT, NULL)")
            connection.execute("INSERT INTO sale VALUES (1, 'N', 10.25, '2031-01-01'), (2, NULL, NULL, NULL)")
            connection.execute("CREATE VIEW both_of AS SELECT * FROM sale JOIN port ON sale.port = port.code")
        parts = psycopg.conninfo.conninfo_to_dict(other)
        access = {
            "host": parts["host"],
            "port": int(parts["port"]),
            "database": parts["dbname"],
            "user": parts["user"],
            "password": parts["password"],
        }
        self.ask("PUT", f"{self.model}/connections", {"name": "desk", **access, "password": "wrong"}, 422)
        self.ask("PUT", f"{self.model}/connections", {"name": "desk", **access, "keep_password": True})
        with self.workspace.engine.connect() as connection:
            kept = connection.execute(select(tables.connection)).one()
        self.assertNotIn(access["password"], str(kept.access) + kept.password.decode())
        listed = self.ask("POST", f"{self.model}/connections/tables", {"name": "desk"})["tables"]
        both = next(t for t in listed if t["name"] == "both_of")
        self.assertEqual((both["title"], both["columns"][:4]), ("Both of", ["no", "port", "price", "day"]))
        self.assertLessEqual({("port", "table"), ("sale", "table"), ("both_of", "view")}, {(t["name"], t["kind"]) for t in listed})
        source = {"kind": "database", "connection": "desk"}
        items = [{"name": n, "source": {**source, "table": n}} for n in ("port", "sale", "both_of")]
        items += [{"name": "q", "source": {**source, "query": "SELECT no, price * 2 AS twice FROM sale;"}}]
        items += [
            {"name": "bad", "source": {**source, "query": q}}
            for q in ("DELETE FROM sale", "SELECT 1) TO STDOUT; DROP TABLE sale; --", "SELEC 1")
        ]
        reading = self.read(items=items)
        self.assertEqual([i["state"] for i in reading["items"]], ["read"] * 4 + ["failed"] * 3, [i["errors"] for i in reading["items"]])
        # Whole numbers of any width keep their digits, decimals are the nearest doubles, and a zone that goes is told.
        wide = "SELECT 9007199254740993::numeric(20, 0) AS big, 388.15::numeric(15, 2) AS cost, at FROM port LIMIT 1"
        report = self.read(items=[{"name": "w", "source": {**source, "query": wide}}])["items"][0]["report"]
        self.assertEqual([c["type"] for c in report["columns"]], ["integer", "number", "datetime"])
        self.assertEqual(report["sample"], [[9007199254740993, 388.15, "2031-01-01T10:00:00"]])
        self.assertIn("kept as the clock of", " ".join(report["notes"]))
        document = self.take(reading, p0="Port", p1="Sale", p3="Q")
        self.assertEqual(
            self.rows("Port"), [["N", 'No"rth, \nand on', "2031-01-01T10:00:00", True], ["S", "", "2031-01-01T10:00:00", None]]
        )
        self.assertEqual(self.rows("Sale"), [[1, "N", 10.25, "2031-01-01"], [2, None, None, None]])
        # What the database declares is its first suggestion; nothing is linked by itself.
        self.assertEqual(document["links"], [])
        first = self.ask("GET", f"{self.model}/suggestions")["suggestions"][0]
        self.assertEqual((first["text"], first["link"].get("active", True)), ("Sale.port = Port.code", True))
        self.assertIn("desk declares it as a foreign key", first["evidence"]["sentence"])
        self.assertEqual(document["tables"][0]["key"], ["code"])
        # Some columns of a table, as its only ones: a key that is not read is none, and is not pointed to.
        some = {**source, "table": "sale", "only": ["no", "price"]}
        reading = self.read(
            items=[{"name": "sale", "source": some}, {"name": "port", "source": {**source, "table": "port", "only": ["name"]}}]
        )
        self.assertEqual([i["source"].get("references", []) for i in reading["items"]], [[], []])
        document = self.take(reading, p0="Some sales", p1="Some ports")
        named = {t["name"]: (t["key"], [c["name"] for c in t["columns"]]) for t in document["tables"]}
        self.assertEqual((named["Some sales"], named["Some ports"]), ((["no"], ["no", "price"]), ([], ["name"])))
        reading = self.read(items=[{"name": "sale", "source": {**some, "only": ["no", "nothing"]}}])
        self.assertIn("nothing", reading["items"][0]["errors"][0]["message"])
        with psycopg.connect(other) as connection:
            self.assertEqual(connection.execute("SELECT count(*) FROM sale").fetchone(), (2,))
        # What goes away in the middle is told, and nothing of it is taken.
        with psycopg.connect(other) as connection:
            connection.execute("CREATE VIEW endless AS SELECT g AS n, repeat('x', 200) AS t FROM generate_series(1, 20000000) g")
        asked = [{"name": "e", "source": {**source, "table": "endless"}}, {"name": "s", "source": {**source, "table": "sale"}}]
        reading = self.ask("POST", f"{self.model}/readings", {"items": asked})
        until(lambda: (items := self.ask("GET", f"{self.model}/readings/{reading['id']}")["items"]) and items[0]["rows"])
        with psycopg.connect(other, autocommit=True) as connection:
            connection.execute("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name = 'nexorem'")
        reading = self.ended(reading["id"])
        self.assertEqual([i["state"] for i in reading["items"]], ["failed", "read"], [i["errors"] for i in reading["items"]])
        self.assertEqual(reading["items"][0]["errors"][0]["code"], "database")
        # A password that is not kept is given with each load.
        self.ask("PUT", f"{self.model}/connections", {"name": "desk", **access})
        self.ask("POST", f"{self.model}/readings", {"tables": ["Sale"]}, 422)
        self.assertEqual(self.read(tables=["Sale"], passwords={"desk": access["password"]})["items"][0]["state"], "read")

    def test_junk_is_refused_and_changes_nothing(self):
        self.linked()
        before = self.document()
        r = random.Random(11)
        words = [
            "Sale",
            "Port",
            "port",
            "code",
            "seats",
            "no",
            "zz",
            "",
            "a.b",
            '"',
            "1",
            "x" * 300,
            "sum(Sale.seats)",
            "yyyy",
            "\0",
            "Ünïcode",
        ]
        kinds = [k.model_fields["kind"].annotation.__args__[0] for k in RUN] + [
            "calendar",
            "bands",
            "list",
            "parameter",
            "csv",
            "sheet",
            "database",
            "make_table",
            "drop_table",
            "shape_table",
            "change_table",
            "together",
            "put_column",
            "remake_table",
        ]
        keys = [
            "kind",
            "columns",
            "column",
            "names",
            "to",
            "condition",
            "pairs",
            "from",
            "into",
            "parts",
            "separator",
            "table",
            "on",
            "mine",
            "theirs",
            "tables",
            "dates",
            "sizes",
            "rows",
            "start",
            "end",
            "step",
            "name",
            "steps",
            "origin",
            "set",
            "edits",
            "formula",
            "load",
            "source",
            "file",
        ]

        def junk(depth=0):
            match r.randrange(7 if depth < 3 else 4):
                case 0:
                    return r.choice(words)
                case 1:
                    return r.choice([0, -1, 1, 2**70, 1.5, 1e308, True, None])
                case 2 | 3:
                    return r.choice(kinds)
                case 4:
                    return [junk(depth + 1) for _ in range(r.choice([0, 1, 3]))]
                case _:
                    return {r.choice(keys): junk(depth + 1) for _ in range(r.choice([1, 3, 6]))}

        def thing(**more):
            return {**{k: junk(1) for k in r.sample(keys, 6)}, "kind": r.choice(kinds), **more}

        for edit in (
            {"kind": "change_table", "name": "Sale", "set": {"load": 1}},
            {"kind": "together", "edits": []},
            {"kind": "shape_table", "name": "Sale", "steps": [], "mends": [{"kind": "change_table", "name": "Sale", "set": {"load": 2}}]},
        ):
            self.edit(422, **edit)
        refused = 0
        for _ in range(250):
            base = self.document()["version"]
            path, body = r.choice(
                [
                    (f"{self.model}/tables/Sale/steps", {"steps": [thing(), thing()], "at": r.choice([None, 0, 1, 9])}),
                    (f"{self.model}/made", {"origin": thing()}),
                    (
                        f"{self.model}/mismatch",
                        {"left": {"table": junk(), "columns": junk()}, "right": {"table": "Port", "columns": ["code"]}},
                    ),
                    (f"{self.model}/edits", {"edit": thing(name=r.choice(["Sale", junk(2)])), "base": base}),
                    (f"{self.model}/consequences", {"edit": thing(name=r.choice(["Sale", junk(2)]))}),
                ]
            )
            answer = self.client.post(path, json=body)
            self.assertIn(answer.status_code, (200, 409, 422), (path, body, answer.get_data(as_text=True)[:300]))
            refused += answer.status_code != 200
            if path.endswith("/edits") and answer.status_code == 200:
                self.ask("POST", f"{self.model}/undo", {"expected": self.document()["undo"]["number"]})
        self.assertGreater(refused, 100)
        after = self.document()
        same = ("tables", "links", "measures")
        self.assertEqual({k: after[k] for k in same}, {k: before[k] for k in same})

    def test_a_key_file_belongs_to_the_server_alone(self):
        sources.secret_key(self.workspace.data)
        self.assertEqual((self.workspace.data / "key").stat().st_mode & 0o777, 0o600)

    def test_a_model_is_removed_with_all_that_is_its_own(self):
        self.gathered()
        folder = self.workspace.files(int(self.model.rsplit("/", 1)[1]))
        self.assertEqual(len(self.ask("GET", f"{self.model}/files")["files"]), 2)
        before = self.document()
        self.ask("DELETE", self.model)
        for path in ("", "/files", "/history"):
            self.ask("GET", self.model + path, None, 404)
        listed = self.ask("GET", "/api/models")
        self.assertEqual((listed["models"], [m["title"] for m in listed["removed"]]), ([], [before["title"]]))
        self.ask("DELETE", self.model, None, 404)
        # It can be brought back for some days, whoever has its name by then.
        other = self.ask("POST", "/api/models/new", {"title": "Try it"})["id"]
        self.ask("POST", f"{self.model}/bring_back")
        self.assertEqual({k: v for k, v in self.document().items() if k != "name"}, {k: v for k, v in before.items() if k != "name"})
        names = [m["name"] for m in self.ask("GET", "/api/models")["models"]]
        self.assertEqual((len(set(names)), folder.exists()), (2, True))
        self.assertEqual(self.ask("GET", "/api/models")["removed"], [])
        self.ask("POST", f"{self.model}/bring_back", None, 404)
        self.ask("DELETE", self.model)
        with self.workspace.engine.begin() as connection:
            connection.execute(
                update(tables.model).where(tables.model.c.removed_at.is_not(None)).values(removed_at=text("now() - interval '8 days'"))
            )
        self.assertEqual(self.ask("GET", "/api/models")["removed"], [])
        self.ask("DELETE", f"/api/models/{other}")
        self.assertFalse(folder.exists())
        self.ask("POST", f"{self.model}/bring_back", None, 404)
        with self.workspace.engine.connect() as connection:
            self.assertEqual([connection.execute(select(t)).all() for t in (tables.load, tables.load_part)], [[], []])

    def test_a_table_of_days_is_taken_together_with_the_dates_of_moments(self):
        self.put("days.csv", "day,week\n" + "".join(f"2031-05-{d:02},{d // 7}\n" for d in range(1, 32)))
        self.put("calls.csv", "no,called at\n" + "".join(f"{i},2031-05-{1 + i % 31:02}T0{i % 10}:30:00\n" for i in range(90)))
        self.take(self.read(files=["days.csv", "calls.csv"]), p0="Days", p1="Calls")
        offer = self.ask("GET", f"{self.model}/beginning")["calendar"]
        self.assertEqual((offer["name"], offer["day"], offer["dates"], list(offer["steps"])), ("Days", "day", [], ["Calls"]))
        mends = [{"kind": "change_table", "name": name, "set": {"steps": steps}} for name, steps in offer["steps"].items()]
        self.edit(kind="describe_table", name="Days", calendar={"date": offer["day"]}, mends=mends)
        tables = {t["name"]: t for t in self.document()["tables"]}
        self.assertEqual((tables["Days"]["calendar"], tables["Calls"]["columns"][-1]["dtype"]), ("day", "date"))
        self.assertEqual(self.rows("Calls")[32], [32, "2031-05-02T02:30:00", "2031-05-02"])
        offers = self.ask("GET", f"{self.model}/beginning")
        self.assertEqual((offers["calendar"], [x["text"] for x in offers["links"]]), (None, ['Calls."called date" = Days.day']))
        self.ask("POST", f"{self.model}/undo", {"expected": self.document()["undo"]["number"]})  # both were one edit
        self.assertEqual([(t["calendar"], len(t["columns"])) for t in self.document()["tables"]], [(None, 2), (None, 2)])

    def test_a_model_is_copied_with_its_rows_and_steps(self):
        self.gathered()
        self.edit(kind="shape_table", name="Sale", steps=[{"kind": "trim", "columns": ["port"]}])
        self.edit(kind="take_keys", tables=[{"name": "Sale", "key": ["no"]}, {"name": "Port", "key": ["code"]}])
        document = self.document()
        self.assertEqual(
            (document["undo"]["title"], [t["key"] for t in document["tables"]]), ("take the keys of Sale and Port", [["no"], ["code"]])
        )
        offers = self.ask("GET", f"{self.model}/beginning")
        self.assertEqual((offers["keys"], offers["calendar"]["dates"]), ([], ['Sale."sold on"']))
        copied = self.ask("POST", f"{self.model}/copy", {"title": "Another"})["id"]
        first, self.model = self.model, f"/api/models/{copied}"
        again = self.document()
        self.assertEqual((again["title"], again["edits"], again["undo"]), ("Another", 0, None))
        same = ("columns", "rows", "key", "steps", "origin")
        self.assertEqual([[t[k] for k in same] for t in again["tables"]], [[t[k] for k in same] for t in document["tables"]])
        self.edit(kind="shape_table", name="Sale", steps=[])  # from the rows as they were loaded
        self.assertEqual(self.rows("Sale")[1][1], "s ")
        self.assertEqual(self.ask("GET", first)["tables"][0]["steps"], document["tables"][0]["steps"])
        self.edit(422, kind="take_keys", tables=[{"name": "Nobody", "key": ["no"]}])
        self.ask("POST", f"{self.model}/copy", {"title": ""}, 422)


if __name__ == "__main__":
    unittest.main()
