"""What tests of gathering share: a model of two files, and short ways to ask the server."""

import unittest

from nexorem.server.app import create_app
from tests.store.cluster import fresh_url
from tests.waiting import until

SALES = "no,port,sold on,seats\n1,N,31.12.2031,2\n2,s ,1.1.2032,3\n3,X,2.1.2032,\n"
PORTS = "code,name\nN,North\nS,South\n"


class Gathered(unittest.TestCase):
    def setUp(self):
        self.url = fresh_url()
        self.app = create_app(self.url)
        self.workspace = self.app.extensions["nexorem"]
        self.client = self.app.test_client()
        self.addCleanup(self.workspace.engine.dispose)
        self.addCleanup(self.workspace.jobs.close)
        self.model = f"/api/models/{self.ask('POST', '/api/models/new', {'title': 'Try it'})['id']}"

    def ask(self, method, path, json=None, status=200, **more):
        answer = self.client.open(path, method=method, json=json, **more)
        self.assertEqual(answer.status_code, status, answer.get_data(as_text=True)[:600])
        return answer.get_json()

    def put(self, name, text):
        body = text.encode() if isinstance(text, str) else text
        return self.ask("PUT", f"{self.model}/files", None, query_string={"name": name}, data=body)

    def read(self, **asked):
        reading = self.ask("POST", f"{self.model}/readings", asked)
        return self.ended(reading["id"])

    def ended(self, reading):
        """A reading, once it has ended."""
        return until(lambda: (told := self.ask("GET", f"{self.model}/readings/{reading}"))["state"] != "running" and told)

    def document(self):
        return self.ask("GET", self.model)

    def findings(self, code):
        return [f for f in self.ask("GET", f"{self.model}/analysis")["findings"] if f["code"] == code]

    def take(self, reading, status=200, **choices):
        """Takes tables: place=name for new ones, place=(table,) for those that replace."""
        chosen = [{"place": int(p[1:]), **({"table": n[0]} if isinstance(n, tuple) else {"name": n})} for p, n in choices.items()]
        return self.ask(
            "POST", f"{self.model}/readings/{reading['id']}/take", {"tables": chosen, "base": self.document()["version"]}, status
        )

    def edit(self, status=200, **edit):
        return self.ask("POST", f"{self.model}/edits", {"edit": edit, "base": self.document()["version"]}, status)

    def gathered(self):
        self.put("sales.csv", SALES)
        self.put("ports.csv", PORTS)
        return self.take(self.read(files=["sales.csv", "ports.csv"]), p0="Sale", p1="Port")

    def rows(self, table):
        return self.ask("GET", f"{self.model}/tables/{table}/rows")["rows"]

    def linked(self):
        self.gathered()
        self.edit(
            kind="shape_table",
            name="Sale",
            steps=[{"kind": "trim", "columns": ["port"]}, {"kind": "change_case", "columns": ["port"], "to": "upper"}],
        )
        self.edit(kind="add_link", link={"name": "port", "from": "Sale.port", "to": "Port.code"})
        return self.edit(kind="add_measure", measure={"name": "seats", "formula": "sum(Sale.seats)", "home": "Sale"})
