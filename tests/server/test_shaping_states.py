"""What is kept in memory is what would be made anew: after any edit, load, undo or redo, the rows of every table."""

import random
import unittest

import numpy as np

from nexorem.core.diagnostics import Refused
from nexorem.core.values import vector
from nexorem.gather.frame import Frame
from nexorem.server.app import create_app
from nexorem.store import models, rows
from nexorem.work.actor import COMMAND_LINE, Actor
from nexorem.work.shaping import completed, consequences
from nexorem.work.workspace import Workspace
from tests.store.cluster import fresh_url


def load(r, *columns):
    """Rows as a file would bring them; now and then another column, or one fewer."""
    size = r.choice([0, 1, 4, 7])
    made = {
        "k": lambda: vector("text", [r.choice(["a", "B", " a", None]) for _ in range(size)]),
        "n": lambda: vector("integer", [r.choice([1, 2, 3, None]) for _ in range(size)]),
        "d": lambda: vector("date", [np.datetime64("2031-01-01").astype(object) if r.random() < 0.8 else None for _ in range(size)]),
        "more": lambda: vector("number", [r.random() for _ in range(size)]),
    }
    return Frame(size, {c: made[c]() for c in columns})


STEPS = [
    {"kind": "trim", "columns": ["k"]},
    {"kind": "change_case", "columns": ["k"], "to": "upper"},
    {"kind": "keep_rows", "condition": "n > 1"},
    {"kind": "compute", "name": "twice", "formula": "n * 2"},
    {"kind": "rename", "names": {"n": "m"}},
    {"kind": "choose_columns", "columns": ["k", "d"]},
    {"kind": "append", "tables": ["Two"]},
    {"kind": "append", "tables": ["One"]},
    {"kind": "number_rows", "into": "no"},
    {"kind": "remove_repeats"},
    {"kind": "look_up", "table": "Two", "on": [{"mine": "k", "theirs": "k"}], "columns": {"d": "found"}},
    {"kind": "fill_down", "columns": ["k"], "off": True},
]
COLUMNS = [("k", "n", "d"), ("k", "n", "d", "more"), ("d", "k", "n"), ("k", "d")]


class States(unittest.TestCase):
    def setUp(self):
        self.url = fresh_url()
        self.workspace = create_app(self.url).extensions["nexorem"]
        self.addCleanup(self.workspace.engine.dispose)
        self.model_id = self.workspace.new(COMMAND_LINE, "States")
        self.r = random.Random(20310101)
        first = []
        for name in ("One", "Two"):
            first.append({"kind": "add_table", "table": {"name": name, "columns": [], "load": self.kept(name, COLUMNS[0])}})
        self.do({"kind": "load_tables", "edits": first, "title": "gather"})
        self.do(
            {
                "kind": "make_table",
                "table": {"name": "Cal", "origin": {"kind": "calendar", "dates": ["One.d"], "start": "2031-01-01", "columns": ["year"]}},
            }
        )

    def kept(self, name, columns):
        with self.workspace.engine.begin() as connection:
            return rows.save_load(connection, self.model_id, name, load(self.r, *columns))

    def do(self, change):
        stored, _ = self.workspace.star(self.model_id)
        change = completed(self.workspace, stored.model, change, model_id=self.model_id)
        self.workspace.edit(Actor("ann"), self.model_id, change, stored.version)

    def change(self):
        """A random edit of tables."""
        r, model = self.r, self.workspace.star(self.model_id)[0].model
        name = r.choice(["One", "Two"])
        kind = r.randrange(7)
        if kind <= 2:
            return {"kind": "shape_table", "name": name, "steps": r.sample(STEPS, r.choice([0, 1, 2, 3]))}
        if kind == 3:
            load_id = self.kept(name, r.choice(COLUMNS))
            return {"kind": "load_tables", "title": "load", "edits": [{"kind": "change_table", "name": name, "set": {"load": load_id}}]}
        if kind == 4:
            origin = {
                "kind": "calendar",
                "dates": [r.choice(["One.d", "Two.d"])],
                "start": "2030-12-30",
                "columns": r.choice([["year"], ["year", "month"]]),
            }
            return {"kind": "remake_table", "name": "Cal", "origin": origin}
        if kind == 5:
            return {
                "kind": "put_column",
                "name": name,
                "column": {"name": r.choice(["c1", "c2"]), "formula": r.choice(["n + 1", "rows(Two)", "k || '!'"])},
            }
        if model.table("Busy"):
            return {"kind": "drop_table", "name": "Busy"}
        return {"kind": "make_table", "table": {"name": "Busy", "formula": r.choice(["One where One.n > 1", "every Two.k"])}}

    def same_as_anew(self):
        stored, star = self.workspace.star(self.model_id)
        other = Workspace(self.workspace.engine)
        fresh = other.make(stored.model)[0]
        self.assertEqual(star.model, fresh.model)
        for table in star.model.tables:
            self.assertEqual([c.name for c in table.columns], list(star.rows[table.name].columns))
            for column in table.columns:
                mine, theirs = star.column(table.name, column.name).rows(), fresh.column(table.name, column.name).rows()
                self.assertEqual((mine.dtype, mine.tolist()), (theirs.dtype, theirs.tolist()), f"{table.name}.{column.name}")
                self.assertEqual(mine.dtype, column.dtype)

    def test_rows_are_those_that_would_be_made_anew(self):
        done = refused = undone = 0
        documents = [models.load(self.workspace.engine, self.model_id).model]
        for _ in range(130):
            stored, _ = self.workspace.star(self.model_id)
            if self.r.random() < 0.2 and stored.undo and stored.undo["number"] > 2:
                self.workspace.step(Actor("bea"), self.model_id, "undo", stored.undo["number"])
                documents.pop()
                self.assertEqual(models.load(self.workspace.engine, self.model_id).model, documents[-1])
                undone += 1
            else:
                change = self.change()
                told = consequences(self.workspace, self.model_id, change) if change["kind"] != "load_tables" else None
                try:
                    self.do(change)
                    done += 1
                    documents.append(models.load(self.workspace.engine, self.model_id).model)
                    self.assertFalse(told and told["breaks"], (change, told))
                except Refused as error:
                    refused += 1
                    self.assertEqual(self.workspace.star(self.model_id)[0].version, stored.version)
                    # What is refused was said before.
                    self.assertTrue(told is None or told["breaks"], (change, error.diagnostics))
            self.same_as_anew()
        self.assertTrue(min(done, refused, undone) > 12, (done, refused, undone))

    def test_tables_that_nothing_touched_keep_their_rows(self):
        _, before = self.workspace.star(self.model_id)
        self.do({"kind": "shape_table", "name": "Two", "steps": [{"kind": "number_rows", "into": "no"}]})
        _, after = self.workspace.star(self.model_id)
        for column in ("k", "n", "d"):
            self.assertIs(before.column("One", column), after.column("One", column))
        self.assertIsNot(before.rows["Two"], after.rows["Two"])


if __name__ == "__main__":
    unittest.main()
