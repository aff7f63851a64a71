"""What is seen of the server from outside: ids, logs without secrets, health, figures."""

import json
import logging
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from prometheus_client.openmetrics.parser import text_string_to_metric_families

from nexorem.server import observed
from nexorem.server.app import create_app
from nexorem.work.actor import COMMAND_LINE
from tests.server.warehouse import DEMO
from tests.store.cluster import fresh_url

PROBE = {"rows": ["Port.name"], "measures": ["seats_sold"]}


class Observed(unittest.TestCase):
    def setUp(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        ours = logging.getLogger("nexorem")
        before = ours.handlers[:], ours.level
        observed.log_to(folder / "log")
        ours.handlers[1:] = []  # standard error is the test run's

        def restored():
            ours.handlers[0].close()
            ours.handlers[:], ours.level = before

        self.addCleanup(restored)
        self.log = folder / "log" / "nexorem.jsonl"
        self.app = create_app(fresh_url())
        self.client = self.app.test_client()
        self.id = self.app.extensions["nexorem"].open(COMMAND_LINE, DEMO)

    def lines(self):
        return [json.loads(line) for line in self.log.read_text().splitlines()]

    def test_a_request_has_one_id_everywhere(self):
        told = self.client.get(f"/api/models/{self.id}/releases/77", headers={"X-Request-Id": "from-outside-7"})
        self.assertEqual((told.headers["X-Request-Id"], told.json["request"]), ("from-outside-7", "from-outside-7"))
        self.assertEqual([x["status"] for x in self.lines() if x["request"] == "from-outside-7"], [told.status_code])
        for odd in ("x", "a b c d e f g", "<script>alert(1)</script>", "y" * 65):
            given = self.client.get("/api/models", headers={"X-Request-Id": odd}).headers["X-Request-Id"]
            self.assertRegex(given, "^[0-9a-f]{16}$")

    def test_a_defect_is_logged_with_its_request_and_no_secret(self):
        with mock.patch("nexorem.server.api_probe.answer", side_effect=RuntimeError("broken")):
            told = self.client.post(f"/api/models/{self.id}/grid?token=hidden", json={"probe": PROBE})
        self.assertEqual((told.status_code, told.json["type"]), (500, "urn:nexorem:defect"))
        (defect,) = (x for x in self.lines() if x["level"] == "error")
        self.assertEqual(defect["request"], told.json["request"])
        self.assertIn("RuntimeError: broken", defect["error"])
        access = {"name": "w", "host": "127.0.0.1", "port": 1, "database": "d", "user": "u", "password": "very secret"}
        self.client.put(f"/api/models/{self.id}/connections", json=access)
        for secret in ("very secret", "hidden"):
            self.assertNotIn(secret, self.log.read_text())

    def test_a_slow_request_has_its_plan(self):
        with mock.patch.object(observed, "SLOW_SECONDS", -1.0):
            self.client.post(f"/api/models/{self.id}/grid", json={"probe": PROBE})
        (slow,) = (x for x in self.lines() if x["message"] == "slow")
        self.assertEqual((slow["method"], slow["path"], slow["status"]), ("POST", f"/api/models/{self.id}/grid", 200))
        self.assertIn("Booking.seats", slow["plan"])

    def test_health(self):
        for path, told in (("/health/live", {"live": True}), ("/health/ready", {"ready": True})):
            answer = self.client.get(path)
            self.assertEqual((answer.status_code, answer.json), (200, told))
        alone = create_app("postgresql+psycopg://nobody@127.0.0.1:1/none").test_client()
        self.assertEqual(alone.get("/health/live").status_code, 200)
        answer = alone.get("/health/ready")
        self.assertEqual((answer.status_code, answer.json["ready"]), (503, False))

    def test_figures(self):
        self.client.get("/api/models")
        self.client.get("/api/models/999")
        self.client.post(f"/api/models/{self.id}/grid", json={"probe": PROBE})
        with self.app.extensions["events"].followed(self.id, print):
            text = self.client.get("/metrics").text
        samples = {
            (s.name, *(s.labels.get(x, "") for x in ("address", "status"))): s.value
            for family in text_string_to_metric_families(text)
            for s in family.samples
            if "_bucket" not in s.name
        }
        grid = "/api/models/<int:model_id>/grid"
        self.assertEqual(samples["nexorem_requests_total", "/api/models", "200"], 1)
        self.assertEqual(samples["nexorem_requests_total", "/api/models/<int:model_id>", "404"], 1)
        self.assertEqual((samples["nexorem_requests_total", grid, "200"], samples["nexorem_request_seconds_count", grid, ""]), (1, 1))
        self.assertEqual((samples["nexorem_windows", "", ""], samples["nexorem_models_in_memory", "", ""]), (1, 1))
        self.assertEqual(samples["nexorem_requests_under_way", "", ""], 1)


if __name__ == "__main__":
    unittest.main()
