"""A team: who comes in, what each role may at every address, what tokens open, and that no address tells of a row that somebody may not see."""

import re
import unittest

from nexorem.server.app import create_app
from nexorem.server.door import Locked, Team
from nexorem.work.actor import COMMAND_LINE, ROLES, Need
from nexorem.work.entering import new_address, new_invitation
from nexorem.work.people import FAILURES, Patience
from tests.core.small import TABLES, make_star
from tests.server.test_server import package_files, zipped
from tests.store.cluster import fresh_url

ORIGIN = "https://models.example.org"
PASSWORD = "three odd words"
SECRET = "Zanzibar7"  # in rows that the clearance keeps from its holder
METHODS = {"GET", "POST", "PUT", "DELETE"}


class Window:
    """Somebody's browser."""

    def __init__(self, app, host="models.example.org"):
        self.client, self.host = app.test_client(), host
        self.base = f"https://{host}" if host != "localhost" else "http://localhost"

    def ask(self, method, path, body=None, **headers):
        return self.client.open(path, method=method, json=body, base_url=self.base, headers=headers)

    def get(self, path, **headers):
        return self.ask("GET", path, **headers)

    def post(self, path, body=None, **headers):
        return self.ask("POST", path, {} if body is None else body, **headers)

    def accept(self, address, name):
        key = address.partition("invitation=")[2]
        answer = self.post("/api/invitations/accept", {"key": key, "name": name, "password": PASSWORD})
        assert answer.status_code == 200, answer.data
        return self


def marked_star():
    """The small star, with marks in the rows of ports other than a, and of what belongs to them."""
    tables = {name: (columns, [list(line) for line in lines]) for name, (columns, lines) in TABLES.items()}
    for line in tables["Port"][1]:
        if line[0] != "a":
            line[1] = f"{SECRET} {line[0]}"
    for line in tables["Booking"][1]:
        if line[1] != "a":
            line[6] = f"{SECRET} {line[0]}"
    for line in tables["Crew"][1]:
        if line[0] != "a":
            line[1] = f"{SECRET} {line[0]}"
    return make_star(tables)


class Teams(unittest.TestCase):
    def setUp(self):
        self.app = create_app(fresh_url(), door=Team(ORIGIN))
        self.workspace = self.app.extensions["nexorem"]
        self.engine = self.workspace.engine
        self.addCleanup(self.engine.dispose)
        self.operator = self.window().accept(new_invitation(self.engine, ORIGIN, "ada@example.org", True, True), "Ada")
        self.id = self.operator.client.post("/api/models", data=zipped(package_files(marked_star())), base_url=ORIGIN).json["id"]
        self.path = f"/api/models/{self.id}"

    def window(self):
        return Window(self.app)

    def invited(self, email, role, clearance=""):
        answer = self.operator.post(f"{self.path}/people/invite", {"email": email, "role": role, "clearance": clearance})
        self.assertEqual(answer.status_code, 200, answer.data)
        return answer.json["address"]

    def member(self, role, clearance=""):
        return self.window().accept(self.invited(f"{role}@example.org", role, clearance), role.title())

    def edit(self, window, change):
        return window.post(f"{self.path}/edits", {"edit": change, "base": 10**6})

    def clearance(self):
        put = {"kind": "put_clearance", "clearance": {"name": "near", "rules": ["Port.code = 'a'"]}}
        self.assertEqual(self.edit(self.operator, put).status_code, 200)

    def test_coming_in(self):
        stranger = self.window()
        self.assertEqual(stranger.get("/api/me").json["signed_in"], False)
        for path in ("/api/models", self.path, f"{self.path}/package", "/api/language"):
            answer = stranger.get(path)
            self.assertEqual((answer.status_code, answer.json["type"]), (401, "urn:nexorem:sign_in"), path)
        self.assertEqual(stranger.get("/health/live").status_code, 200)
        self.assertEqual(self.app.test_client().get("/api/models", base_url="http://evil.example").status_code, 403)
        address = self.invited("bo@example.org", "reader")
        key = address.partition("invitation=")[2]
        told = stranger.get(f"/api/invitations?key={key}").json
        self.assertEqual((told["email"], told["role"], told["known"]), ("bo@example.org", "reader", False))
        short = stranger.post("/api/invitations/accept", {"key": key, "name": " ", "password": "short"})
        self.assertEqual([e["code"] for e in short.json["errors"]], ["bad_name", "short_password"])
        bo = self.window().accept(address, "Bo")
        self.assertEqual(bo.get("/api/me").json["person"]["name"], "Bo")
        again = stranger.post("/api/invitations/accept", {"key": key, "name": "Eve", "password": PASSWORD})
        self.assertEqual(again.json["errors"][0]["code"], "invitation_over")
        bo.post("/api/sign_out")
        self.assertEqual(bo.get("/api/models").status_code, 401)
        answer = bo.post("/api/sign_in", {"email": "BO@example.org ", "password": PASSWORD})
        cookie = answer.headers["Set-Cookie"]
        for part in ("__Host-nexorem=", "HttpOnly", "SameSite=Strict", "Secure", "Path=/"):
            self.assertIn(part, cookie)
        self.assertEqual([m["id"] for m in bo.get("/api/models").json["models"]], [self.id])
        other = self.window()
        other.post("/api/sign_in", {"email": "bo@example.org", "password": PASSWORD})
        sessions = bo.get("/api/own").json["sessions"]
        self.assertEqual(sorted(s["present"] for s in sessions), [False, True])
        bo.post("/api/own/end", {"digest": next(s["digest"] for s in sessions if not s["present"])})
        self.assertEqual(other.get("/api/models").status_code, 401)
        with self.engine.connect() as connection:
            row = connection.exec_driver_sql("SELECT password FROM person WHERE email = 'bo@example.org'").scalar()
            digests = {r[0] for r in connection.exec_driver_sql("SELECT digest FROM secret")}
        self.assertTrue(row.startswith("$argon2id$"))
        self.assertNotIn(key, digests)

    def test_wrong_passwords(self):
        times = [0.0]
        self.app.extensions["door"].patience = Patience(lambda: times[0])
        window = self.window()
        wrong = {"email": "ada@example.org", "password": "not this one"}
        codes = [window.post("/api/sign_in", wrong).status_code for _ in range(FAILURES + 1)]
        self.assertEqual(codes, [401] * FAILURES + [429])
        self.assertEqual(window.post("/api/sign_in", {**wrong, "password": PASSWORD}).status_code, 429)
        times[0] = 301.0
        self.assertEqual(window.post("/api/sign_in", {**wrong, "password": PASSWORD}).status_code, 200)
        nobody = self.window().post("/api/sign_in", {"email": "nobody@example.org", "password": PASSWORD})
        self.assertEqual(nobody.json["errors"][0]["code"], "wrong_password")

    def test_every_route_for_every_role(self):
        """Each role is let in where it may, and refused everywhere else, before anything is read; a stranger everywhere."""
        windows = {role: self.member(role) for role in ROLES}
        stranger, outside = self.window(), self.window().accept(new_invitation(self.engine, ORIGIN, "out@example.org", False, False), "Out")
        walked = 0
        for rule in self.app.url_map.iter_rules():
            need = getattr(self.app.view_functions[rule.endpoint], "needs", None)
            if not isinstance(need, Need):
                continue
            if "model_id" not in rule.arguments:
                for method in rule.methods & METHODS:
                    self.assertEqual(stranger.ask(method, rule.rule, {}).status_code, 401, rule)
                continue
            values = {k: self.id if k == "model_id" else 1 if k.endswith(("load_id", "number")) else "x" for k in rule.arguments}
            path = re.sub(r"<(?:\w+:)?(\w+)>", lambda found, values=values: str(values[found[1]]), rule.rule)
            for method in rule.methods & METHODS:
                self.assertEqual(stranger.ask(method, path, {}).status_code, 401, (method, path))
                self.assertEqual(outside.ask(method, path, {}).status_code, 404, (method, path))
                for role, window in windows.items():
                    if need in ROLES[role] and (method != "GET" or rule.endpoint == "api.follow"):
                        continue  # it would be done
                    answer = window.ask(method, path, {} if method != "GET" else None)
                    refused = answer.status_code == 403 and answer.json["type"] == "urn:nexorem:not_allowed"
                    self.assertEqual(refused, need not in ROLES[role], (role, method, path, answer.data[:200]))
                    walked += 1
        self.assertGreater(walked, 200)

    def test_what_an_author_may_write(self):
        author, reader = self.member("author"), self.member("reader")
        trial = {"kind": "add_measure", "measure": {"name": "t", "formula": "rows(Booking)", "trial": True}}
        for change, may in (
            (trial, True),
            ({"kind": "change_measure", "name": "t", "set": {"formula": "rows(Port)"}}, True),
            ({"kind": "promote_measure", "name": "t"}, False),
            ({"kind": "change_measure", "name": "t", "set": {"trial": False}}, False),
            ({"kind": "put_probe", "probe": {"name": "p", "measures": ["trips"]}}, True),
            ({"kind": "put_folio", "folio": {"name": "f", "tiles": []}}, True),
            ({"kind": "put_check", "check": {"name": "c", "probe": {"measures": ["trips"]}, "must": {"hold": "trips > 0"}}}, True),
            ({"kind": "change_measure", "name": "seats", "set": {"formula": "1"}}, False),
            ({"kind": "add_measure", "measure": {"name": "u", "formula": "1"}}, False),
            ({"kind": "change_link", "name": "port", "set": {"active": False}}, False),
            ({"kind": "put_clearance", "clearance": {"name": "near", "rules": ["Port.code = 'a'"]}}, False),
            (
                {
                    "kind": "put_check",
                    "check": {"name": "c", "probe": {"measures": ["trips"]}, "must": {"hold": "trips > 0"}, "guards": ["loads"]},
                },
                False,
            ),
            ({"kind": "remove_measure", "name": "t"}, True),
        ):
            with self.subTest(change):
                self.assertEqual(self.edit(author, change).status_code, 200 if may else 403)
                self.assertEqual(self.edit(reader, change).status_code, 403)
        document = self.operator.get(self.path).json
        self.assertEqual(document["undo"]["author"], "Author")  # and no name that a header claims
        self.assertEqual(self.edit(self.operator, {"kind": "change_link", "name": "port", "set": {"active": False}}).status_code, 200)
        number = self.operator.get(self.path).json["undo"]["number"]
        self.assertEqual(author.post(f"{self.path}/undo", {"expected": number}).status_code, 403)
        self.assertEqual(self.operator.post(f"{self.path}/undo", {"expected": number}).status_code, 200)

    def test_members(self):
        self.clearance()
        owner, reader = self.member("owner"), self.member("reader")
        people = owner.get(f"{self.path}/people").json
        ids = {m["email"]: m["id"] for m in people["members"]}
        number = ids["reader@example.org"]
        self.assertEqual(set(ids), {"ada@example.org", "owner@example.org", "reader@example.org"})
        for body, code in (
            ({"person": number, "role": "boss"}, "unknown_role"),
            ({"person": number, "role": "modeler", "clearance": "near"}, "role_sees_all"),
            ({"person": number, "role": "reader", "clearance": "far"}, "no_clearance"),
            ({"person": 10**6, "role": "reader"}, "unknown_person"),
        ):
            with self.subTest(body):
                answer = owner.ask("PUT", f"{self.path}/people", body)
                self.assertEqual(answer.json["errors"][0]["code"], code)
        token = reader.post("/api/own/tokens", {"name": "sheet", "model": self.id}).json["token"]
        program = self.window()
        self.assertEqual(program.get(f"{self.path}/grid.csv", Authorization=f"Bearer {token}").status_code, 422)  # no probe: it is let in
        self.assertEqual(owner.post(f"{self.path}/people/remove", {"person": number}).status_code, 200)
        self.assertEqual(reader.get(self.path).status_code, 404)
        self.assertEqual(program.get(self.path, Authorization=f"Bearer {token}").status_code, 401)
        owner.post(f"{self.path}/people/remove", {"person": ids["ada@example.org"]})
        last = owner.post(f"{self.path}/people/remove", {"person": ids["owner@example.org"]})
        self.assertEqual(last.json["errors"][0]["code"], "last_owner")
        lines = owner.get(f"{self.path}/log").json["lines"]
        self.assertIn(("Owner", "removed", "reader@example.org"), [(x["person"], x["what"], x["about"]) for x in lines])
        self.assertEqual(owner.get("/api/log").status_code, 403)
        self.assertEqual(self.operator.get("/api/log").status_code, 200)
        with self.assertRaises(Exception) as kept_, self.engine.begin() as connection:
            connection.exec_driver_sql("DELETE FROM event")
        self.assertIn("only added to", str(kept_.exception))
        accounts = {x["email"]: x["id"] for x in self.operator.get("/api/accounts").json["people"]}
        self.operator.post("/api/accounts/remove", {"person": accounts["owner@example.org"]})
        self.assertEqual(owner.get("/api/models").status_code, 401)

    def test_tokens(self):
        reader = self.member("reader")
        self.operator.post(f"{self.path}/releases", {"name": "One", "base": self.operator.get(self.path).json["version"], "reason": "x"})
        made = {
            release: reader.post("/api/own/tokens", {"name": "sheet", "model": self.id, "release": release, "days": 3}).json["token"]
            for release in (None, 1)
        }
        grid = "grid.csv?probe=%7B%22measures%22%3A%5B%22trips%22%5D%7D"
        program = self.window()
        for release, path, status in (
            (None, grid, 200),
            (None, f"releases/1/{grid}", 200),
            (1, f"releases/1/{grid}", 200),
            (1, grid, 403),
            (1, f"releases/2/{grid}", 403),
        ):
            with self.subTest(release=release, path=path):
                answer = program.get(f"{self.path}/{path}", Authorization=f"Bearer {made[release]}")
                self.assertEqual(answer.status_code, status, answer.data[:300])
        bearer = {"Authorization": f"Bearer {made[None]}"}
        self.assertEqual(program.post(f"{self.path}/edits", {"edit": {}, "base": 0}, **bearer).status_code, 403)
        self.assertEqual(program.get("/api/own", **bearer).status_code, 403)
        self.assertEqual(program.get("/api/models/999", **bearer).status_code, 404)
        for body in ({"name": "", "model": self.id}, {"name": "x", "model": self.id, "days": 10**4}, {"name": "x", "model": 999}):
            self.assertIn(reader.post("/api/own/tokens", body).status_code, (404, 422))
        own = reader.get("/api/own").json["tokens"]
        self.assertEqual({t["release"] for t in own}, {None, 1})
        self.assertTrue(all(t["last_at"] for t in own))
        for token in own:
            reader.post("/api/own/end", {"digest": token["digest"]})
        self.assertEqual(program.get(f"{self.path}/{grid}", **bearer).status_code, 401)

    def test_no_address_tells_of_a_row_that_is_not_seen(self):
        self.clearance()
        probe = {"rows": ["Port.name"], "measures": ["seats", "share", "all"], "totals": "all"}
        probe["define"] = {"all": "sum(Booking.seats) given (clear all)"}
        self.edit(self.operator, {"kind": "put_probe", "probe": {"name": "ports", **probe}})
        self.edit(self.operator, {"kind": "put_check", "check": {"name": "c", "probe": probe, "must": {"hold": "seats > 0"}}})
        self.operator.post(f"{self.path}/releases", {"name": "One", "base": self.operator.get(self.path).json["version"], "reason": "x"})
        answers, met = {}, 0
        windows = {"all": self.operator, "near": self.member("author", "near")}
        at = [{"column": "Port.name", "value": "Alder"}]
        bodies = {
            "grid": {"probe": probe},
            "members": {"column": "Port.name", "search": "", "picks": [], "counted": True},
            "trace": {"probe": probe, "measure": "seats", "at": at},
            "trace/rows": {"probe": probe, "measure": "seats", "at": at, "step": 1},
            "completion": {"formula": "Port.name = '", "at": 13},
            "formula": {"formula": "sum(Booking.seats)"},
        }
        for rule in self.app.url_map.iter_rules():
            if not isinstance(getattr(self.app.view_functions[rule.endpoint], "needs", None), Need) or "model_id" not in rule.arguments:
                continue
            if rule.endpoint == "api.follow":
                continue
            for table in ("Port", "Booking", "Crew") if "table" in rule.arguments else ("",):
                values = {"model_id": self.id, "table": table, "release": "1", "other": "draft", "name": "ports", "ending": "csv"}
                values |= {"load_id": 1, "number": 1, "reading_id": "x"}
                path = re.sub(r"<(?:\w+:)?(\w+)>", lambda found, values=values: str(values[found[1]]), rule.rule)
                query = "?probe=" + re.sub(r"'", '"', str(probe)) if rule.rule.endswith("grid.<string:ending>") else ""
                rest = path.removeprefix(f"{self.path}/")
                for method in rule.methods & METHODS & {"GET", "POST"}:
                    for who, window in windows.items():
                        if who == "all" and method == "POST" and rest not in bodies:
                            continue
                        answer = window.ask(method, path + query, bodies.get(rest, {"probe": probe}) if method == "POST" else None)
                        answers[who, method, path] = answer
                        if who == "near":
                            self.assertNotIn(SECRET.encode(), answer.data, (method, path))
                        else:
                            met += SECRET.encode() in answer.data
        self.assertGreater(met, 8)  # whoever sees all rows meets the marks
        near = {(m, p.removeprefix(self.path)): a for (who, m, p), a in answers.items() if who == "near"}
        self.assertEqual(near["POST", "/grid"].status_code, 200)
        self.assertIn("code = 'a'", near["POST", "/sql"].json["text"])
        self.assertEqual(near["POST", "/sql/prove"].json["proof"]["state"], "proven")
        cells = near["POST", "/grid"].json
        self.assertIn("Alder", str(cells))
        document = near["GET", ""].json
        self.assertEqual(document["cleared"]["rules"], ["Port.code = 'a'"])
        self.assertEqual((document["checks"], document["clearances"]), ([], []))
        self.assertEqual({t["name"]: t["rows"] for t in document["tables"]}["Booking"], 2)
        self.assertEqual(near["GET", "/package"].status_code, 403)
        allowed = [k for k, a in near.items() if a.status_code == 200]
        self.assertGreater(len(allowed), 12, allowed)
        # Once the clearance is gone, nothing is shown without it.
        self.edit(self.operator, {"kind": "remove_clearance", "name": "near"})
        self.assertEqual(windows["near"].post(f"{self.path}/grid", {"probe": probe}).json["errors"][0]["code"], "no_clearance")
        taken = [(x["person"], x["about"]) for x in self.operator.get(f"{self.path}/log").json["lines"] if x["what"] == "took out"]
        self.assertTrue({("Ada", "a package"), ("Author", "a probe"), ("Ada", "a report of a release")} <= set(taken), taken)

    def test_seen_as_somebody(self):
        put = {"kind": "put_clearance", "clearance": {"name": "own", "rules": ["Port.code = person('email')"]}}
        self.edit(self.operator, put)
        probe = {"rows": ["Port.code"], "measures": ["seats"], "totals": "grand"}
        body = {"probe": probe, "clearance": "own", "email": "b"}
        told = self.operator.post(f"{self.path}/seen_as", body).json
        self.assertEqual(told["rules"], ["Port.code = 'b'"])
        sizes = {x["table"]: (x["rows"], size) for x, size in zip(told["tables"], told["sizes"], strict=True)}
        self.assertEqual((sizes["Booking"], sizes["Cal"]), ((2, 7), (4, 4)))
        self.assertGreater(told["grid"]["differs"], 0)
        self.assertEqual(self.operator.post(f"{self.path}/seen_as", {**body, "email": ""}).json["errors"][0]["code"], "no_person")
        reaches = self.operator.get(f"{self.path}/clearances").json["clearances"][0]
        self.assertEqual((reaches["missed"], reaches["wrong"]), (["Cal", "Tag", "Nobody"], ""))


class Alone(unittest.TestCase):
    def test_the_printed_address(self):
        app = create_app(fresh_url(), door=Locked())
        engine = app.extensions["nexorem"].engine
        self.addCleanup(engine.dispose)
        app.extensions["nexorem"].new(COMMAND_LINE, "Mine")
        window, other = Window(app, "localhost"), Window(app, "localhost")
        answer = window.get("/api/models")
        self.assertEqual((answer.status_code, "nexorem address" in answer.json["errors"][0]["mend"]), (401, True))
        address = new_address(engine, "").replace("/?", "/m/1/probe?")
        entered = window.get(address)
        self.assertEqual((entered.status_code, entered.headers["Location"]), (303, "/m/1/probe"))
        for part in ("nexorem_80=", "HttpOnly", "SameSite=Strict"):
            self.assertIn(part, entered.headers["Set-Cookie"])
        self.assertNotIn("Set-Cookie", other.get(address).headers)
        self.assertEqual(other.get("/api/models").status_code, 401)
        self.assertEqual(len(window.get("/api/models").json["models"]), 1)
        self.assertEqual(window.get("/api/me?model=1").json["may"], [n.name.lower() for n in Need])
        token = window.post("/api/own/tokens", {"name": "sheet", "model": 1}).json["token"]
        self.assertEqual(other.get("/api/models", Authorization=f"Bearer {token}").status_code, 200)
        self.assertEqual(window.get("/api/models", Authorization="Bearer nonsense").status_code, 401)
        with engine.begin() as connection:
            connection.exec_driver_sql("DELETE FROM secret WHERE kind = 'session'")
        self.assertEqual(window.get("/api/models").status_code, 401)


if __name__ == "__main__":
    unittest.main()
