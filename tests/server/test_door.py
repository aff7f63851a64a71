"""The one door: every address asks who calls and what they may, and nothing happens for those who may not."""

import re
import unittest

from nexorem.core.diagnostics import Refused
from nexorem.server.app import create_app
from nexorem.store import models
from nexorem.work import connecting, filing, loading, scheduling
from nexorem.work.actor import Actor, Need
from tests.store.cluster import fresh_url

BEFORE_SIGN_IN = {"/me", "/sign_in", "/sign_out", "/invitations", "/invitations/accept", "/provider", "/provider/back"}
LOOKED_AFTER = {"/models/<int:model_id>/people", "/models/<int:model_id>/log", "/accounts", "/log"}  # what only an owner or operator sees
METHODS = {"GET", "POST", "PUT", "DELETE"}


class Door(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.actor = Actor("ann")
        cls.app = create_app(fresh_url(), who=lambda model: cls.actor)
        cls.workspace = cls.app.extensions["nexorem"]
        cls.client = cls.app.test_client()
        cls.model = cls.client.post("/api/models/new", json={"title": "Door"}).get_json()["id"]

    @classmethod
    def tearDownClass(cls):
        cls.workspace.engine.dispose()

    def setUp(self):
        type(self).actor = Actor("ann")

    def addresses(self):
        """Every address under /api, with its method and what it needs; what is none is not among them."""
        for rule in self.app.url_map.iter_rules():
            if rule.rule.startswith("/api/") and not rule.rule.startswith("/api/docs") and rule.endpoint != "no_address":
                for method in rule.methods & METHODS:
                    yield rule, method, getattr(self.app.view_functions[rule.endpoint], "needs", None)

    def test_every_address_goes_through_it(self):
        needs = [(str(rule), method, need) for rule, method, need in self.addresses()]
        self.assertGreater(len(needs), 100)
        self.assertEqual({rule.removeprefix("/api") for rule, _, need in needs if need is None}, BEFORE_SIGN_IN)
        needs = [x for x in needs if x[2] is not None]
        # What is asked for with GET changes nothing; what is put or deleted does.
        for rule, method, need in needs:
            if rule.removeprefix("/api") not in LOOKED_AFTER:
                self.assertEqual(need is Need.LOOK, method == "GET" or (method == "POST" and need is Need.LOOK), rule)
        reading_dropped = {n for _, m, n in needs if m in ("PUT", "DELETE")}
        self.assertEqual(reading_dropped, {Need.BRING, Need.KEEP})

    def test_who_may_not_is_refused_before_anything_is_read(self):
        walked = dict.fromkeys(Need, 0)
        for missing in Need:
            type(self).actor = Actor("bea", frozenset(Need) - {missing})
            for rule, method, need in self.addresses():
                if need is missing:
                    values = {k: self.model if k == "model_id" else 1 if k.endswith(("load_id", "number")) else "x" for k in rule.arguments}
                    path = re.sub(r"<(?:\w+:)?(\w+)>", lambda found, values=values: str(values[found[1]]), rule.rule)
                    answer = self.client.open(path, method=method, json={})
                    self.assertEqual(answer.status_code, 403, (method, path))
                    self.assertEqual(answer.get_json()["errors"][0]["message"], f"bea may not {missing.value}.")
                    walked[missing] += 1
        self.assertTrue(all(walked.values()), walked)
        self.assertEqual([m["id"] for m in models.listed(self.workspace.engine)], [self.model])
        self.assertEqual(models.version_of(self.workspace.engine, self.model), models.load(self.workspace.engine, self.model).version)

    def test_use_cases_ask_again(self):
        """The scheduler and the command line come by no door."""
        nobody, w, number = Actor("cid", frozenset()), self.workspace, self.model
        before = models.version_of(w.engine, number)
        for call in (
            lambda: w.edit(nobody, number, {"kind": "set_title", "title": "Mine"}, before),
            lambda: w.step(nobody, number, "undo", 1),
            lambda: w.go_to(nobody, number, 1, 1),
            lambda: w.new(nobody, "Mine"),
            lambda: w.remove(nobody, number),
            lambda: w.open(nobody, None),
            lambda: w.gather(nobody, [], None),
            lambda: loading.start_reading(w, nobody, number, {}),
            lambda: loading.take(w, nobody, number, None, [], before),
            lambda: loading.go_to(w, nobody, number, 1, before),
            lambda: loading.drop_held(w, nobody, number, 1),
            lambda: filing.keep_file(w, nobody, number, "a.csv", None, 0),
            lambda: filing.remove_file(w, nobody, number, "a.csv"),
            lambda: scheduling.put_schedule(w, nobody, number, "*", 60, None),
            lambda: connecting.put_connection(w, nobody, number, "x", {}, False),
            lambda: connecting.remove_connection(w, nobody, number, "x"),
            lambda: connecting.database_tables(w, nobody, number, "x", None),
        ):
            with self.assertRaises(Refused) as refused:
                call()
            self.assertEqual(refused.exception.diagnostics[0].code, "not_allowed")
        self.assertEqual(models.version_of(w.engine, number), before)


if __name__ == "__main__":
    unittest.main()
