"""Models leave memory and come back from disk as they were; what is derived goes first; all of them keep one bound."""

import shutil
import tempfile
import threading
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

from sqlalchemy import text

from nexorem.core.columns import same_column
from nexorem.core.engine import computed, ready
from nexorem.core.engine.computed import make_star
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.limits import Budget
from nexorem.core.model.model import Column
from nexorem.core.values import vector
from nexorem.disk.shelf import Shelf
from nexorem.gather.frame import Frame
from nexorem.gather.shape import Frames
from nexorem.package.write import write_package
from nexorem.server.app import create_app
from nexorem.store import database, rows
from nexorem.work import memory
from nexorem.work.actor import COMMAND_LINE
from nexorem.work.memory import Memory
from nexorem.work.quiet import Quiet
from nexorem.work.readying import Readying
from nexorem.work.shaping import completed
from nexorem.work.workspace import Workspace
from tests.core.small import STAR
from tests.store.cluster import fresh_url
from tests.waiting import until

DEMO = Path(__file__).parents[2] / "demo" / "lantern_isles"
GRID = {"measures": ["seats_sold", "share_of_ports"], "rows": ["Port.name"], "columns": ["Calendar.year"], "picks": []}


def numbers(star):
    """A grid's cells."""
    return list(answer(star, probe_of(star, GRID), Budget()).tidy())


def do(workspace, number, change):
    """Makes an edit as the benches do, with what follows from it."""
    stored = workspace.whole(number)[0]
    return workspace.edit(COMMAND_LINE, number, completed(workspace, stored.model, change, model_id=number), stored.version)


class InMemory(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.url = fresh_url()
        create_app(cls.url).extensions["nexorem"].engine.dispose()

    def setUp(self):
        patched = mock.patch.object(memory, "WORTH_KEEPING", 1_000)
        patched.start()
        self.addCleanup(patched.stop)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def workspace(self, most=None):
        """The store with nothing in memory."""
        made = Workspace(database.connect(self.url), self.folder, most)
        self.addCleanup(made.engine.dispose)
        self.addCleanup(made.close)
        return made

    def test_a_model_is_opened_from_disk_as_it_was_left(self):
        first = self.workspace()
        number = first.open(COMMAND_LINE, DEMO)
        change = {"kind": "put_column", "name": "Booking", "column": {"name": "twice", "formula": "seats * 2"}}
        do(first, number, change)
        _, star = first.whole(number)
        told = numbers(star)
        first.close()
        again = self.workspace()
        with mock.patch.object(Workspace, "load", side_effect=AssertionError("it was read from the store")):
            stored, back = again.whole(number)
        self.assertEqual((back.model, numbers(back)), (star.model, told))
        self.assertEqual(
            back.column("Booking", "twice").rows().tolist()[:3], [2 * x for x in back.column("Booking", "seats").rows().tolist()[:3]]
        )
        # It is edited, undone and made with other rows as ever.
        again.edit(
            COMMAND_LINE, number, {"kind": "add_measure", "measure": {"name": "doubled", "formula": "sum(Booking.twice)"}}, stored.version
        )
        again.step(COMMAND_LINE, number, "undo", 2)
        self.assertEqual(numbers(again.whole(number)[1]), told)
        again.close()
        # Without the folder it is made from the store.
        for file in (self.folder / "columns").iterdir():
            file.unlink()
        self.assertEqual(numbers(self.workspace().whole(number)[1]), told)

    def test_a_package_is_held_as_it_was_read_and_edits_keep_what_is_computed(self):
        """Neither the rows are read from the store again nor anything is computed anew: not when it is opened, nor from disk, nor after an
        edit; and all of it is what the store gives to somebody who has nothing."""
        fact = STAR.model.tables[0]
        column = Column("twice", "", formula=f"rows({fact.name})")
        star = make_star(replace(STAR.model, tables=(replace(fact, columns=(*fact.columns, column)), *STAR.model.tables[1:])), STAR.rows)
        package = self.folder / "package"
        write_package(star, package)
        no_reading = mock.patch.object(Workspace, "load", side_effect=AssertionError("it was read from the store"))
        no_computing = mock.patch.object(computed, "_Maker", side_effect=AssertionError("it was computed again"))
        first = self.workspace()
        with mock.patch.object(memory, "WORTH_KEEPING", 1):
            number = first.open(COMMAND_LINE, package)
            with no_reading, no_computing:
                do(first, number, {"kind": "add_measure", "measure": {"name": "one", "formula": "1"}})
                held = first.whole(number)[1]
            first.close()
            second = self.workspace()
            with no_reading, no_computing:
                do(second, number, {"kind": "add_measure", "measure": {"name": "two", "formula": "2"}})
                mapped = second.whole(number)[1]
        shutil.rmtree(self.folder / "columns")
        anew = self.workspace().whole(number)[1]
        self.assertEqual(mapped.model, anew.model)
        for table in anew.model.tables:
            for name in [c.name for c in table.columns]:
                columns = [x.column(table.name, name) for x in (held, mapped, anew)]
                self.assertTrue(all(same_column(c, columns[-1]) for c in columns), f"{table.name}.{name}")

    def test_a_number_that_names_another_load_is_told_apart(self):
        first = self.workspace()
        number = first.new(COMMAND_LINE, "Loads")
        with first.engine.begin() as connection:
            load = rows.save_load(connection, number, "T", Frame(2_000, {"n": vector("integer", [1] * 2_000)}))
        edits = [{"kind": "add_table", "table": {"name": "T", "columns": [{"name": "n", "dtype": "integer"}], "load": load}}]
        do(first, number, {"kind": "load_tables", "edits": edits, "title": "gather"})
        first.whole(number)
        first.close()
        with first.engine.begin() as connection:  # as after a backup was restored and another load was made
            connection.execute(text("DELETE FROM load WHERE id = :id"), {"id": load})
            connection.execute(text("SELECT setval(pg_get_serial_sequence('load', 'id'), :id, false)"), {"id": load})
            other = rows.save_load(connection, number, "T", Frame(2_000, {"n": vector("integer", [2] * 2_000)}))
        self.assertEqual(other, load)
        self.assertEqual(self.workspace().whole(number)[1].column("T", "n").at(0), 2)

    def test_the_bound_is_kept_by_letting_go_of_what_is_derived_first(self):
        workspace = self.workspace()
        numbers_of = [workspace.open(COMMAND_LINE, DEMO) for _ in range(2)]
        stars = [workspace.whole(n)[1] for n in numbers_of]
        told = [numbers(s) for s in stars]
        kept = workspace.memory
        kept.keep_within()
        self.assertEqual(len(kept), 2)
        taken = kept.bytes()
        derived = [s.derived.all_bytes() for s in stars]
        self.assertGreater(min(derived), 100_000)
        kept.frames.clear()
        kept.most = kept.bytes() - 1
        kept.keep_within()
        self.assertLess(stars[0].derived.all_bytes(), derived[0] / 10)
        self.assertEqual((len(kept), stars[1].derived.all_bytes()), (2, derived[1]))
        self.assertLess(kept.bytes(), taken)
        self.assertEqual(numbers(stars[0]), told[0])  # who has a star goes on with it
        kept.most = 1
        kept.keep_within()
        self.assertEqual((len(kept), kept.bytes()), (0, 0))
        self.assertEqual([numbers(workspace.whole(n)[1]) for n in numbers_of], told)

    def test_a_model_that_nobody_uses_leaves_memory(self):
        now = [0.0]
        held = Memory(self.folder, Frames(), clock=lambda: now[0])
        workspace = self.workspace()
        numbers_of = [workspace.open(COMMAND_LINE, DEMO) for _ in range(2)]
        for number in numbers_of:
            workspace.whole(number)
            held.put(number, workspace.memory.get(number), {})
        now[0] = memory.IDLE - 1
        self.assertIsNotNone(held.get(numbers_of[1]))
        now[0] = memory.IDLE + 1
        held.keep_within()
        self.assertEqual([held.get(n) is not None for n in numbers_of], [False, True])
        held.forget(numbers_of[1])
        self.assertEqual(len(held), 0)
        held.close()

    def test_a_state_is_written_when_it_has_settled(self):
        now = [0.0]
        held = Memory(self.folder, Frames(), clock=lambda: now[0])
        workspace = self.workspace()
        number = workspace.open(COMMAND_LINE, DEMO)
        workspace.whole(number)
        written = []
        with mock.patch.object(Shelf, "put_star", lambda shelf, key, star, rows: written.append(key)):
            for at in (0.0, 1.0):
                now[0] = at
                held.put(number, workspace.memory.get(number), {})
                now[0] = at + memory.SETTLED - 0.5
                held.keep_on_disk()
            self.assertEqual(written, [])
            now[0] += 0.5
            held.keep_on_disk()
            held.keep_on_disk()
            self.assertEqual(len(written), 1)
        held.close()
        self.assertFalse([t for t in threading.enumerate() if t.name == "nexorem-shelf"])

    def test_a_model_is_made_ready_as_it_comes_into_memory(self):
        workspace = self.workspace()
        number = workspace.open(COMMAND_LINE, DEMO)
        workspace.memory.forget(number)
        made = []
        asked = mock.patch.object(ready, "answer", lambda star, probe, budget: made.append(answer(star, probe, budget)))
        with mock.patch.object(ready, "LARGE", 1_000), asked:
            Readying(workspace.memory, Quiet())
            star = workspace.whole(number)[1]
            until(lambda: len(made) == 2 * len(star.model.probes))  # twice each: then its indexes stand
            derived = set(star.derived._kept)
            self.assertLessEqual({"spread", "counts", "domain", "match"}, {key[0] for key in derived})
            numbers(star)
            self.assertEqual({key[0] for key in set(star.derived._kept) - derived} & {"spread", "domain", "match", "partner"}, set())
            # After an edit no probe is asked again: what is derived of the rows is there.
            do(workspace, number, {"kind": "describe_table", "name": "Port", "description": "Where one lands."})
            other = workspace.open(COMMAND_LINE, DEMO)
            workspace.whole(other)
            until(lambda: len(made) >= 4 * len(star.model.probes))
            self.assertEqual((len(made), other != number), (4 * len(star.model.probes), True))

    def test_nothing_is_made_ready_beyond_half_the_bound(self):
        for most, is_made in ((1, False), (None, True)):
            workspace = self.workspace(most)
            _, star = workspace.whole(workspace.open(COMMAND_LINE, DEMO))
            with mock.patch.object(ready, "LARGE", 1_000), mock.patch.object(ready, "_partners") as made:
                Readying(workspace.memory, Quiet())._make_ready(star)
                self.assertEqual(made.called, is_made)


if __name__ == "__main__":
    unittest.main()
