"""Loads over HTTP: compared before they replace, held, let go of, and taken by schedules."""

import datetime as dt
import unittest
from unittest import mock

from nexorem.work import loading, scheduling
from tests.server.gathering import PORTS, Gathered


class Loads(Gathered):
    def test_a_load_is_compared_before_it_replaces(self):
        self.linked()
        self.put("sales.csv", "no,port,seats,day\n1,N,5,x\n4,Q,1,y\n")
        reading = self.read(tables=["Sale"])
        told = self.ask("POST", f"{self.model}/readings/{reading['id']}/compare", {"tables": [{"place": 0, "table": "Sale"}]})
        self.assertEqual(told["tables"][0]["rows"], [3, 2])
        self.assertEqual(told["tables"][0]["columns"], {"gone": ["sold on"], "new": [{"name": "day", "type": "text"}], "retyped": []})
        self.assertEqual((told["links"][0]["matched"], told["links"][0]["orphans"]), ([2, 1], [1, 1]))
        self.assertEqual([(m["measure"], m["before"], m["after"]) for m in told["measures"]], [("seats", 5, 6)])
        self.assertEqual(told["breaks"], [])
        self.take(reading, p0=("Sale",))
        loads = self.ask("GET", f"{self.model}/loads", query_string={"table": "Sale"})["loads"]
        self.assertEqual([(x["rows"], x["live"]) for x in loads], [(2, True), (3, False)])
        self.ask("POST", f"{self.model}/loads/{loads[1]['id']}/use", {"base": self.document()["version"]})
        self.assertEqual(len(self.rows("Sale")), 3)

    def test_a_load_that_breaks_something_is_held(self):
        self.linked()
        self.put("ports.csv", "name\nNo code\n")
        reading = self.read(tables=["Port"])
        chosen = {"tables": [{"place": 0, "table": "Port"}]}
        told = self.ask("POST", f"{self.model}/readings/{reading['id']}/compare", chosen)
        self.assertIn("lost_key", [b["code"] for b in told["breaks"]])
        self.take(reading, 422, p0=("Port",))
        self.assertEqual(len(self.rows("Port")), 2)
        mends = [{"kind": "remove_link", "name": "port"}]
        self.assertEqual(self.ask("POST", f"{self.model}/readings/{reading['id']}/compare", {**chosen, "mends": mends})["breaks"], [])
        self.ask("POST", f"{self.model}/readings/{reading['id']}/take", {**chosen, "mends": mends, "base": self.document()["version"]})
        self.assertEqual(self.document()["links"], [])

    def test_old_loads_are_let_go_of_and_undo_says_so(self):
        self.linked()
        with mock.patch.object(loading, "KEPT_LOADS", 3):
            for i in range(6):
                self.put("ports.csv", PORTS + f"X{i},Xanadu\n")
                self.take(self.read(tables=["Port"]), p0=("Port",))
        kept = self.ask("GET", f"{self.model}/loads", query_string={"table": "Port"})["loads"]
        self.assertEqual([x["live"] for x in kept], [True, False, False])

        def undo(status):
            document = self.document()
            return self.ask("POST", f"{self.model}/undo", {"expected": document["undo"]["number"]}, status)

        undo(200), undo(200)
        self.assertEqual(self.rows("Port")[-1][0], "X3")
        self.assertIn("no longer kept", undo(422)["errors"][0]["message"])
        self.assertEqual(self.rows("Port")[-1][0], "X3")

    def test_a_load_whose_keys_repeat_loosens_its_link(self):
        self.linked()
        self.put("ports.csv", "code,name\nN,North\nN,Again\n")
        reading = self.read(tables=["Port"])
        chosen = {"tables": [{"place": 0, "table": "Port"}]}
        told = self.ask("POST", f"{self.model}/readings/{reading['id']}/compare", chosen)
        self.assertEqual((told["breaks"], [b["code"] for b in told["loosens"]]), ([], ["repeated_key"]))
        self.assertEqual(told["links"][0]["firm"], [True, False])
        self.take(reading, p0=("Port",))
        (found,) = self.findings("repeated_key")
        self.assertIn("Port.code is not unique: N stands more than once", found["sentence"])
        self.assertIn("many-to-many", found["mend"])
        claim = {"kind": "change_link", "name": "port", "set": {"cardinality": "one-to-one"}}
        self.ask("POST", f"{self.model}/edits", {"edit": claim, "base": self.document()["version"]}, 422)
        mend = {"kind": "change_link", "name": "port", "set": {"cardinality": "many-to-many"}}
        self.ask("POST", f"{self.model}/edits", {"edit": mend, "base": self.document()["version"]})
        self.assertEqual(self.findings("repeated_key"), [])

    def test_a_schedule_loads_and_holds(self):
        self.linked()
        self.ask("PUT", f"{self.model}/schedules", {"table": "Port", "minutes": 60})
        now = dt.datetime.now(dt.UTC)
        self.assertEqual(scheduling.run_due(self.workspace, now), 0)
        version = self.document()["version"]
        self.assertEqual(scheduling.run_due(self.workspace, now + dt.timedelta(minutes=61)), 1)
        self.assertEqual(self.ask("GET", f"{self.model}/schedules")["schedules"][0]["last_result"], "nothing has changed")
        self.assertEqual(self.document()["version"], version)
        self.put("ports.csv", PORTS + "X,Xanadu\n")
        self.assertEqual(scheduling.run_due(self.workspace, now + dt.timedelta(minutes=122)), 1)
        self.assertEqual(self.document()["tables"][1]["rows"], 3)
        self.put("ports.csv", "name\nNo code\n")
        for minutes in (200, 300):
            self.assertEqual(scheduling.run_due(self.workspace, now + dt.timedelta(minutes=minutes)), 1)
        self.assertEqual([x["state"] for x in self.ask("GET", f"{self.model}/loads")["loads"]].count("held"), 1)
        self.assertEqual(self.document()["tables"][1]["rows"], 3)
        (schedule,) = self.ask("GET", f"{self.model}/schedules")["schedules"]
        self.assertIn("held", schedule["last_result"])
        held = self.ask("GET", f"{self.model}/loads")["loads"][0]
        self.assertEqual((held["state"], held["live"]), ("held", False))
        self.assertTrue(self.ask("GET", f"{self.model}/loads/{held['id']}/compare")["breaks"])
        self.ask("POST", f"{self.model}/loads/{held['id']}/use", {"base": self.document()["version"]}, 422)
        self.ask("DELETE", f"{self.model}/loads/{held['id']}")
        self.ask("PUT", f"{self.model}/schedules", {"table": "Port", "minutes": 0})
        self.assertEqual(scheduling.run_due(self.workspace, now + dt.timedelta(days=9)), 0)


if __name__ == "__main__":
    unittest.main()
