"""The way in from the network: whoever is slow, half here or gone keeps nobody waiting. Real sockets on loopback."""

import json
import socket
import threading
import unittest
import urllib.error
import urllib.request
from contextlib import ExitStack
from unittest import mock
from urllib.parse import urlsplit

from flask import Response, request

from nexorem.core.limits import Budget
from nexorem.server import entrance
from nexorem.server.app import create_app
from nexorem.server.callers import present_caller
from nexorem.work.actor import COMMAND_LINE
from tests.server.served import served
from tests.server.warehouse import DEMO
from tests.store.cluster import fresh_url
from tests.waiting import until

MANY = 150
PART = 100_000


class Entrance(unittest.TestCase):
    def setUp(self):
        self.open = self.enterContext(ExitStack())
        self.app = create_app(fresh_url())
        self.go_on, self.begun, self.budgets = threading.Event(), [], []
        self.addCleanup(self.go_on.set)
        self.app.add_url_rule("/api/models/1/waits", "waits", self.waits, methods=["POST"])
        self.app.add_url_rule("/api/models/1/long", "long", self.long)
        self.app.add_url_rule("/api/models/1/file", "file", lambda: str(len(request.stream.read())), methods=["PUT"])

    def waits(self):
        """Goes on when it may, or when nobody waits for it."""
        budget = Budget()
        present_caller().watch(budget)
        self.budgets.append(budget)
        with budget.ending(self.go_on.set):
            self.go_on.wait(180)
        return "done"

    def long(self):
        """An answer in many parts."""
        self.begun.append(True)

        def parts():
            try:
                for _ in range(1_000):
                    yield b"x" * PART
            finally:
                self.begun.clear()

        return Response(parts())

    def serve(self):
        self.address = served(self.app)

    def connect(self, sent):
        """A connection on which something was sent, that stays open."""
        place = urlsplit(self.address)
        connection = self.open.enter_context(socket.create_connection((place.hostname, place.port), 120))
        connection.sendall(sent.replace("\n", "\r\n").replace("HOST", place.netloc).encode())
        return connection

    def answer(self, path, data=None, method=None, kind="application/json"):
        headers = {"Content-Type": kind} if data is not None else {}
        asked = urllib.request.Request(self.address + path, data, headers, method=method)
        try:
            with urllib.request.urlopen(asked, timeout=120) as answer:
                return answer.status, answer.read()
        except urllib.error.HTTPError as error:
            return error.code, json.loads(error.read())

    def test_many_windows_half_heads_and_half_bodies(self):
        model = self.app.extensions["nexorem"].open(COMMAND_LINE, DEMO)
        self.serve()
        windows = [self.connect(f"GET /api/models/{model}/events HTTP/1.1\nHost: HOST\n\n") for _ in range(MANY)]
        for _ in range(MANY):
            self.connect("GET /api/models HTTP/1.1\nHost: HO")
            self.connect('POST /api/models/1/edits HTTP/1.1\nHost: HOST\nContent-Type: application/json\nContent-Length: 90\n\n{"edit"')
        streams = [w.makefile("rb") for w in windows]
        for stream in streams:
            self.assertIn(b'data: {"version": 0}\n', iter(stream.readline, b""))
        self.assertEqual(self.answer("/api/models")[0], 200)
        change = {"edit": {"kind": "remove_check", "name": "Seats as the harbour offices counted them"}, "base": 0}
        self.assertEqual(self.answer(f"/api/models/{model}/edits", json.dumps(change).encode())[0], 200)
        for stream in streams:
            self.assertIn(b'data: {"version": 1}\n', iter(stream.readline, b""))

    def test_what_is_asked_for_nobody_is_ended(self):
        self.serve()
        connection = self.connect("POST /api/models/1/waits HTTP/1.1\nHost: HOST\nContent-Length: 0\n\n")
        until(lambda: self.budgets)
        self.assertFalse(self.budgets[0].is_cancelled)
        connection.close()
        until(lambda: self.budgets[0].is_cancelled)

    def test_large_requests_do_not_keep_small_ones_waiting(self):
        with mock.patch.object(entrance, "THREADS", {"quick": 1, "slow": 2, "files": 1}):
            self.serve()
        for _ in range(6):
            self.connect("POST /api/models/1/waits HTTP/1.1\nHost: HOST\nContent-Length: 0\n\n")
        until(lambda: len(self.budgets) == 2)
        self.assertEqual(self.answer("/api/models"), (200, b'{"models":[],"removed":[]}\n'))
        self.assertEqual(len(self.budgets), 2)

    def test_what_does_not_come_is_not_waited_for(self):
        cases = {
            "a head": "GET /api/models HTTP/1.1\nHost: HO",
            "nothing": "",
            "the head after another": "GET /api/models HTTP/1.1\nHost: HOST\n\nGET /ap",
        }
        with mock.patch.multiple(entrance, HEAD_SECONDS=0.2, BODY_SECONDS=0.2):
            self.serve()
            for name, sent in cases.items():
                with self.subTest(name):
                    self.assertLessEqual(len(self.connect(sent).makefile("rb").read()), 2_000)
            body = self.connect('POST /api/models/1/edits HTTP/1.1\nHost: HOST\nContent-Length: 9\n\n{"a"').makefile("rb").read()
            self.assertEqual(body.split(b"\r\n")[0], b"HTTP/1.1 408 Request Timeout")
            self.assertIn(b"Send it again.", body)
            file = self.connect("PUT /api/models/1/file HTTP/1.1\nHost: HOST\nContent-Type: text/csv\nContent-Length: 9\n\na,b")
            self.assertNotIn(b"200 OK", file.makefile("rb").read())

    def test_bodies_are_bounded(self):
        self.serve()
        with mock.patch.object(entrance, "MOST_BODY", 1_000):
            status, told = self.answer("/api/models/1/edits", b"[" * 2_000)
        self.assertEqual((status, told["errors"][0]["code"]), (413, "limit_body"))
        self.assertEqual(self.answer("/api/models/1/file", b"x" * 3_000_000, "PUT", "text/csv"), (200, b"3000000"))

    def test_an_answer_that_nobody_takes_is_let_go_of(self):
        self.serve()
        with mock.patch.object(entrance, "WRITE_SECONDS", 0.2):
            self.connect("GET /api/models/1/long HTTP/1.1\nHost: HOST\n\n")
            until(lambda: self.begun)
            until(lambda: not self.begun)
        self.assertEqual(len(self.answer("/api/models/1/long")[1]), 1_000 * PART)


if __name__ == "__main__":
    unittest.main()
