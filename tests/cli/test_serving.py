"""Starting, stopping, killing and starting again: a server in a folder of its own."""

import json
import os
import signal
import socket
import subprocess
import tempfile
import unittest
import urllib.error
import urllib.request
from pathlib import Path

from nexorem.package.write import write_package
from tests.cli.forked import run
from tests.cli.test_cli import COMMAND, ENVIRONMENT, ROOT
from tests.core.small import STAR
from tests.waiting import until


class Serving(unittest.TestCase):
    def setUp(self):
        self.folder = tempfile.TemporaryDirectory(prefix="nexorem-test-")
        self.addCleanup(self.folder.cleanup)
        os.chmod(self.folder.name, 0o755)
        self.data = Path(self.folder.name) / "data"
        with socket.socket() as s:
            s.bind(("127.0.0.1", 0))
            self.port = s.getsockname()[1]

    def start(self):
        """Starts the demo and waits for its address."""
        process = subprocess.Popen(
            [*COMMAND, "demo", "--port", str(self.port), "--data", str(self.data)],
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
            env=ENVIRONMENT,
            start_new_session=True,
        )
        self.addCleanup(
            lambda: (process.poll() is None and process.kill(), process.stdout.close(), process.stderr.close(), process.wait(60))
        )
        line = process.stdout.readline()
        self.assertIn(f"http://127.0.0.1:{self.port}/?key=", line, process.stderr.read() if not line else "")
        self.enter(line.split()[3])
        return process

    def enter(self, address):
        """Comes in by a printed address; whether it let anybody in."""
        self.window = urllib.request.build_opener(urllib.request.HTTPCookieProcessor())
        self.window.open(address).close()
        return self.answers()

    def answers(self):
        try:
            return bool(self.models())
        except OSError:
            return False

    def models(self):
        with self.window.open(f"http://127.0.0.1:{self.port}/api/models") as answer:
            return [m["name"] for m in json.load(answer)["models"]]

    def test_start_stop_kill_and_start_again(self):
        first = self.start()
        self.assertEqual(self.models(), ["lantern-isles"])
        with self.assertRaises(urllib.error.HTTPError) as closed:
            urllib.request.urlopen(f"http://127.0.0.1:{self.port}/api/models")
        closed.exception.close()
        self.assertEqual(closed.exception.code, 401)
        another = run("address", "--data", self.data)[1].strip()
        self.assertEqual((self.enter(another), self.enter(another)), (True, False))
        self.assertTrue(self.enter(run("address", "--data", self.data)[1].strip()))
        self.assertEqual((self.data / "door").stat().st_mode & 0o777, 0o600)
        self.assertIn("has no accounts", run("invite", "a@example.org", "--data", self.data)[2])
        status, _, err = run("serve", "--port", self.port, "--data", Path(self.folder.name) / "other")
        self.assertEqual((status, len(err.splitlines())), (2, 1))
        self.assertIn(f"Port {self.port} is taken", err)
        status, _, err = run("serve", "--port", "1", "--data", self.data)
        self.assertEqual(status, 2)
        self.assertIn(f"already runs on {self.data}, at http://127.0.0.1:{self.port}/", err)
        out = Path(self.folder.name) / "out"
        self.assertEqual(run("export", "--from-store", "lantern-isles", "--store", self.data, "--out", out)[0], 0)
        self.assertEqual(run("export", ROOT / "demo" / "lantern_isles", "--out", Path(self.folder.name) / "same")[0], 0)
        for name in ("datapackage.json", "data/port.csv"):
            self.assertEqual((out / name).read_bytes(), (Path(self.folder.name) / "same" / name).read_bytes())
        self.assertIn("unknown_model", run("export", "--from-store", "nope", "--store", self.data, "--out", out / "x")[2])
        small = Path(self.folder.name) / "small.zip"
        write_package(STAR, small)
        self.assertEqual(run("import", small, "--store", self.data)[0], 0)
        self.assertEqual(self.models(), ["small", "lantern-isles"])
        left = [self.data / "temporary" / "half" / "made", self.data / "files" / "1" / ".half.csv.part"]
        for path in left:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text("a,b")
        os.kill(first.pid, signal.SIGKILL)
        first.wait(60)
        second = self.start()
        self.assertFalse(any(path.exists() for path in left))
        self.assertEqual(self.models(), ["small", "lantern-isles"])
        pid_file = self.data / "store" / "database" / "postmaster.pid"
        killed = int(pid_file.read_text().split()[0])
        os.kill(killed, signal.SIGKILL)
        until(lambda: pid_file.exists() and int(pid_file.read_text().split()[0]) != killed and self.answers(), 120)
        self.assertEqual(self.models(), ["small", "lantern-isles"])
        postmaster = int(pid_file.read_text().split()[0])
        os.kill(postmaster, signal.SIGKILL)
        os.kill(second.pid, signal.SIGKILL)
        second.wait(60)
        third = self.start()
        self.assertEqual(self.models(), ["small", "lantern-isles"])
        third.send_signal(signal.SIGINT)
        self.assertEqual(third.wait(60), 0)
        self.assertFalse((self.data / "store" / "database" / "postmaster.pid").exists())

    def test_where_it_does_not_start(self):
        for options, said in (
            (("--host", "0.0.0.0"), "can be reached from other machines"),
            (("--public-url", "http://models.example.org"), "for all to read"),
            (("--public-url", "models.example.org"), "is no address"),
            (("--public-url", "https://models.example.org", "--no-sign-in"), "signs in"),
            (("--public-url", "https://models.example.org", "--provider", Path(self.folder.name) / "none.json"), "cannot be read"),
        ):
            with self.subTest(options):
                status, _, err = run("serve", "--port", self.port, "--data", self.data, *options)
                self.assertEqual(status, 2)
                self.assertIn(said, err)
        self.assertIn("No Nexorem runs", run("address", "--data", self.data)[2])

    def test_a_folder_that_cannot_be_made(self):
        file = Path(self.folder.name) / "file"
        file.write_text("")
        status, _, err = run("serve", "--port", self.port, "--data", file / "data")
        self.assertEqual((status, len(err.splitlines())), (2, 1), err)


if __name__ == "__main__":
    unittest.main()
