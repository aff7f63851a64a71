"""The store: edits with undo over restarts, merging and refusing, migrations, and a cluster that mends itself."""

import os
import signal
import tempfile
import threading
import unittest
from dataclasses import replace
from pathlib import Path

from sqlalchemy import event, inspect, text

from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.values import vector
from nexorem.gather.frame import Frame
from nexorem.store import cluster, database, models
from nexorem.store.rows import forget_old, loads_of, read_load, save_load
from tests.core.small import STAR
from tests.oracle.random_models import Maker
from tests.store.cluster import fresh_url


def fine(_model):
    """A check that lets everything through."""


def off(name):
    return {"kind": "change_link", "name": name, "set": {"active": False}}


def measure(name, formula="1"):
    return {"kind": "add_measure", "measure": {"name": name, "formula": formula}}


class Models(unittest.TestCase):
    def setUp(self):
        self.url = fresh_url()
        self.engine = database.connect(self.url)
        self.id = models.create(self.engine, STAR)
        self.addCleanup(lambda: self.engine.dispose())

    def restart(self):
        self.engine.dispose()
        self.engine = database.connect(self.url)

    def test_rows_come_back(self):
        for star in (STAR, *(Maker(seed).star for seed in range(6))):
            model = models.load(self.engine, models.create(self.engine, star)).model
            for table, rows in star.rows.items():
                with self.engine.connect() as connection:
                    found = read_load(connection, model.table(table).load)
                self.assertEqual(found.size, rows.size)
                self.assertEqual(list(found.columns), [c.name for c in model.table(table).columns])
                for column, values in rows.columns.items():
                    self.assertEqual(found.columns[column].tolist(), values.rows().tolist())
                    self.assertEqual(found.columns[column].dtype, values.dtype)

    def test_undo_and_redo_to_the_first_edit_over_restarts(self):
        edits = [off("port"), measure("m1"), off("day"), {"kind": "remove_measure", "name": "share"}]
        states = [models.load(self.engine, self.id).model]
        for change in edits:
            stored = models.load(self.engine, self.id)
            states.append(models.edit(self.engine, self.id, change, "ann", stored.version, fine).model)
        for number in range(len(edits), 0, -1):
            self.restart()
            self.assertEqual(models.load(self.engine, self.id).undo["number"], number)
            self.assertEqual(models.step(self.engine, self.id, "undo", number, "bea", fine).model, states[number - 1])
        self.assertRaises(Refused, models.step, self.engine, self.id, "undo", 0, "bea", fine)
        for number in range(1, len(edits) + 1):
            self.restart()
            self.assertEqual(models.step(self.engine, self.id, "redo", number, "bea", fine).model, states[number])
        listed = models.history(self.engine, self.id)
        self.assertEqual(
            [(h["number"], h["author"], h["undone"]) for h in listed],
            [(4, "ann", False), (3, "ann", False), (2, "ann", False), (1, "ann", False)],
        )

    def test_a_new_edit_ends_the_redo(self):
        models.edit(self.engine, self.id, measure("m1"), "a", 0, fine)
        models.step(self.engine, self.id, "undo", 1, "a", fine)
        stored = models.edit(self.engine, self.id, measure("m2"), "a", 2, fine)
        self.assertIsNone(stored.redo)
        self.assertEqual([h["title"] for h in models.history(self.engine, self.id)], ["add measure m2"])

    def test_merged_where_it_touches_other_things_and_refused_where_not(self):
        models.edit(self.engine, self.id, off("port"), "ann", 0, fine)
        stored = models.edit(self.engine, self.id, measure("m1"), "bea", 0, fine)
        self.assertEqual((stored.version, [m.name for m in stored.model.measures][-1], stored.model.link("port").active), (2, "m1", False))
        with self.assertRaises(models.Conflict) as caught:
            models.edit(self.engine, self.id, off("day"), "bea", 1 - 1, fine)
        self.assertEqual((caught.exception.version, [c["author"] for c in caught.exception.changes]), (2, ["ann"]))
        self.assertEqual(models.load(self.engine, self.id).version, 2)
        models.edit(self.engine, self.id, off("day"), "bea", caught.exception.version, fine)
        with self.assertRaises(models.Conflict):
            models.step(self.engine, self.id, "undo", 1, "ann", fine)

    def test_an_undo_counts_as_a_change(self):
        models.edit(self.engine, self.id, measure("m1"), "a", 0, fine)
        models.step(self.engine, self.id, "undo", 1, "a", fine)
        self.assertRaises(models.Conflict, models.edit, self.engine, self.id, measure("m1"), "b", 1, fine)

    def test_a_refused_edit_leaves_nothing(self):
        def never(_model):
            raise refuse("no", "No.")

        for change, check in ((off("port"), never), ({"kind": "remove_link", "name": "nope"}, fine)):
            self.assertRaises(Refused, models.edit, self.engine, self.id, change, "a", 0, check)
        self.assertEqual((models.load(self.engine, self.id).version, models.history(self.engine, self.id)), (0, []))

    def test_many_at_once(self):
        def add(number):
            models.edit(self.engine, self.id, measure(f"t{number}"), f"w{number}", 0, fine)

        threads = [threading.Thread(target=add, args=(n,)) for n in range(12)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        stored = models.load(self.engine, self.id)
        self.assertEqual((stored.version, stored.edits, len(stored.model.measures)), (12, 12, 15))

    def test_names_of_models(self):
        self.assertEqual(models.create(self.engine, STAR, only_if_new=True), self.id)
        models.create(self.engine, STAR)
        self.assertEqual([m["name"] for m in models.listed(self.engine)], ["small-2", "small"])
        self.assertRaises(Refused, models.load, self.engine, 999)

    def test_queries_are_few(self):
        seen = []
        event.listen(self.engine, "before_cursor_execute", lambda *a: seen.append(a[2]))
        models.listed(self.engine)
        self.assertEqual(len(seen), 1)
        seen.clear()
        for queries in (3, 2):  # the document is read where it is not known yet
            models.load(self.engine, self.id)
            self.assertEqual(len(seen), queries)
            seen.clear()

    def test_migrations_both_ways(self):
        names = set(inspect(self.engine).get_table_names())
        database.migrate(self.engine, "base")
        self.assertEqual(set(inspect(self.engine).get_table_names()), {"alembic_version"})
        database.migrate(self.engine)
        self.assertEqual(set(inspect(self.engine).get_table_names()), names)
        database.migrate(self.engine)

    def test_rows_come_through_migrations_both_ways(self):
        found = models.load(self.engine, self.id).model
        with self.engine.connect() as connection:
            before = {t.name: read_load(connection, t.load) for t in found.tables if t.load}
        with self.engine.begin() as connection:
            connection.execute(
                text("INSERT INTO schedule (model_id, table_name, minutes, next_at) VALUES (:id, '*', 60, now())"), {"id": self.id}
            )
        database.migrate(self.engine, "0001")
        with self.engine.connect() as connection:
            sizes = dict(connection.execute(text("SELECT table_name, size FROM table_rows WHERE model_id = :id"), {"id": self.id}).all())
            document = connection.execute(text("SELECT document FROM model WHERE id = :id"), {"id": self.id}).scalar_one()
        self.assertEqual(sizes, {n: f.size for n, f in before.items()})
        self.assertFalse(any("load" in t for t in document["tables"]))
        database.migrate(self.engine)
        again = models.load(self.engine, self.id).model
        self.assertEqual([replace(t, load=None) for t in again.tables], [replace(t, load=None) for t in found.tables])
        with self.engine.connect() as connection:
            for name, frame in before.items():
                now = read_load(connection, again.table(name).load)
                self.assertEqual((list(now.columns), now.size), (list(frame.columns), frame.size))
                self.assertEqual([v.tolist() for v in now.columns.values()], [v.tolist() for v in frame.columns.values()])

    def test_old_loads_are_forgotten_but_the_one_in_force_stays(self):
        frame = Frame(1, {"a": vector("integer", [1])})
        with self.engine.begin() as connection:
            made = [save_load(connection, self.id, "Spare", frame) for _ in range(6)]
        models.edit(
            self.engine,
            self.id,
            {"kind": "add_table", "table": {"name": "Spare", "columns": [{"name": "a", "dtype": "integer"}], "load": made[0]}},
            "a",
            0,
            fine,
        )
        models.edit(self.engine, self.id, {"kind": "change_table", "name": "Spare", "set": {"load": made[1]}}, "a", 1, fine)
        with self.engine.begin() as connection:
            forget_old(connection, self.id, ["Spare"], 2)
            self.assertEqual({x["id"] for x in loads_of(connection, self.id, ["Spare"])}, {made[1], made[4], made[5]})
        with self.assertRaisesRegex(Refused, "no longer kept"):
            models.step(self.engine, self.id, "undo", 2, "a", fine)
        self.assertEqual(models.load(self.engine, self.id).edits, 2)


class Clusters(unittest.TestCase):
    def test_it_mends_what_a_kill_leaves(self):
        with tempfile.TemporaryDirectory(prefix="nexorem-test-") as folder:
            os.chmod(folder, 0o755)
            place = Path(folder) / "store"
            place.mkdir()
            (place / "database").mkdir()
            (place / "database" / "half").write_text("an initdb that was killed")
            made = cluster.start(place, fast_and_unsafe=True)
            self.assertEqual(cluster.start(place).url(), made.url(), "a running one is adopted")
            os.kill(int((place / "database" / "postmaster.pid").read_text().split()[0]), signal.SIGKILL)
            again = cluster.start(place, fast_and_unsafe=True)
            engine = database.connect(again.url())
            with engine.connect() as connection:
                self.assertEqual(connection.execute(text("SELECT 1")).scalar(), 1)
            engine.dispose()
            cluster.stop(again)
            self.assertFalse((place / "database" / "postmaster.pid").exists())

    def test_a_folder_that_the_server_cannot_enter(self):
        if os.geteuid() != 0:
            self.skipTest("only root runs the server as another user")
        with tempfile.TemporaryDirectory() as folder, self.assertRaises(Refused) as caught:
            cluster.start(Path(folder) / "store")
        self.assertEqual(caught.exception.diagnostics[0].code, "closed_folder")


if __name__ == "__main__":
    unittest.main()
