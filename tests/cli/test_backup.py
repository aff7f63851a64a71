"""A store as one file and back: the same bytes on a fresh machine; what is wrong with a file leaves nothing."""

import io
import json
import os
import tarfile
import tempfile
import unittest
from pathlib import Path

from sqlalchemy import text

from nexorem.core.diagnostics import Refused
from nexorem.package.write import write_zip
from nexorem.store import backup, cluster, database
from nexorem.store.cluster import running, start, stop
from nexorem.work.actor import COMMAND_LINE
from nexorem.work.workspace import Workspace
from tests.cli.forked import run
from tests.server.warehouse import DEMO


class Backups(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory(ignore_cleanup_errors=True)))
        os.chmod(self.folder, 0o755)

    def told(self, data):
        """The bytes of every model's package, its history, and the files of a store that runs."""
        workspace = Workspace(database.connect(running(data / "store").url()), data)
        try:
            packages = {}
            for model in workspace.listed():
                stored, star = workspace.star(model["id"])
                out = io.BytesIO()
                write_zip(star, out, "csv", workspace.beside(model["id"], star.model))
                packages[stored.name] = stored.version, out.getvalue()
            return packages, {p.name: p.read_bytes() for p in (data / "files").rglob("*") if p.is_file() and not p.name.startswith(".")}
        finally:
            workspace.close()
            workspace.engine.dispose()

    def stored(self):
        """A running store with the demo, edited, and a file."""
        data = self.folder / "data"
        there = start(data / "store", fast_and_unsafe=True)
        self.addCleanup(stop, there)
        database.migrate(database.connect(there.url()))
        workspace = Workspace(database.connect(there.url()), data)
        model = workspace.open(COMMAND_LINE, DEMO)
        workspace.edit(COMMAND_LINE, model, {"kind": "add_measure", "measure": {"name": "odd", "formula": "'a''b\\ü'"}}, 0)
        (workspace.files(model) / "kept.csv").write_text("a,b\n1,2\n")
        (workspace.files(model) / ".half.csv.part").write_text("a")
        workspace.close()
        workspace.engine.dispose()
        return data

    def test_restored_it_is_the_same_bytes(self):
        data, file, fresh = self.stored(), self.folder / "store.backup", self.folder / "fresh"
        status, out, err = run("backup", file, "--data", data)
        self.assertEqual((status, err), (0, ""), err)
        self.assertIn("1 model", out)
        self.assertIn("restored once", out)
        status, out, err = run("restore", file, "--data", fresh)
        self.assertEqual(status, 0, err)
        there = start(fresh / "store", fast_and_unsafe=True)
        self.addCleanup(stop, there)
        database.migrate(database.connect(there.url()))
        self.assertEqual(self.told(fresh), self.told(data))
        self.assertFalse((fresh / "key").exists())
        for again in (("backup", file, "--data", data), ("restore", file, "--data", fresh)):
            status, _, err = run(*again)
            self.assertEqual((status, len(err.splitlines())), (2, 1), err)
            self.assertIn("There is a store" if again[0] == "restore" else "is there already", err)

    def test_what_is_no_backup_leaves_nothing(self):
        def made(members, size=None):
            path = self.folder / "bad"
            with tarfile.open(path, "w") as tar:
                for name, content in members.items():
                    info = tarfile.TarInfo(name)
                    info.size = len(content)
                    tar.addfile(info, io.BytesIO(content))
            path.write_bytes(path.read_bytes()[:size])
            return path

        def manifest(**more):
            return json.dumps({"format": 1, "nexorem": "0", "made_at": "", "models": []} | more).encode()

        whole = {"manifest.json": manifest(), "store.dump": b"x" * 100_000}
        cases = {
            "no file": lambda: self.folder / "nope",
            "no tar": lambda: DEMO / "datapackage.json",
            "no manifest": lambda: made({"x": b""}),
            "another form": lambda: made({"manifest.json": manifest(format=99)}),
            "no dump": lambda: made({"manifest.json": manifest()}),
            "a broken dump": lambda: made({"manifest.json": manifest(), "store.dump": b"PGDMP..."}),
            "cut short": lambda: made(whole, 50_000),
        }
        for name, path in cases.items():
            with self.subTest(name):
                data = self.folder / "into"
                with self.assertRaises(Refused):
                    backup.restore(path(), data)
                self.assertEqual(list(data.iterdir()), [])

    def test_an_older_program_leaves_a_newer_store_alone(self):
        there = cluster.start(self.folder / "store", fast_and_unsafe=True)
        self.addCleanup(stop, there)
        engine = database.connect(there.url())
        database.migrate(engine)
        with engine.begin() as connection:
            connection.execute(text("UPDATE alembic_version SET version_num = '9999'"))
        with self.assertRaises(Refused) as caught:
            database.migrate(engine)
        self.assertIn("newer Nexorem (its tables are at 9999", caught.exception.diagnostics[0].message)
        engine.dispose()


if __name__ == "__main__":
    unittest.main()
