"""The examples of docs/examples: proxies of Debian's are started with them, on loopback and with TLS, and a team comes in through them."""

import datetime as dt
import json
import shutil
import socket
import ssl
import subprocess
import tempfile
import unittest
import urllib.request
from http.client import HTTPSConnection
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from nexorem.server.app import create_app
from nexorem.server.door import Team
from nexorem.store.cluster import free_port
from nexorem.work.actor import COMMAND_LINE
from nexorem.work.entering import new_invitation
from tests.server.served import served
from tests.store.cluster import fresh_url
from tests.waiting import until

EXAMPLES = Path(__file__).parents[2] / "docs" / "examples"
HOST = "models.example.org"
MODULES = "authz_core ssl proxy proxy_http headers mpm_event socache_shmcb setenvif".split()
AROUND = {
    "nginx": "daemon off; pid {f}/pid; error_log {f}/log; worker_processes 1;\nevents {{}}\nhttp {{ access_log off; "
    "client_body_temp_path {f}/a; proxy_temp_path {f}/b; fastcgi_temp_path {f}/c; uwsgi_temp_path {f}/d; scgi_temp_path {f}/e;\n{site}}}\n",
    "apache": "ServerRoot {f}\nPidFile {f}/pid\nErrorLog {f}/log\nServerName {host}\nDefaultRuntimeDir {f}\nMutex file:{f}\n{modules}"
    "Listen 127.0.0.1:{port}\n{site}",
}
COMMANDS = {"nginx": ["nginx", "-c"], "apache": ["apache2", "-DFOREGROUND", "-f"]}


def certificate(folder):
    """A key and a certificate for the site, as files."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, HOST)])
    now = dt.datetime.now(dt.UTC)
    made = x509.CertificateBuilder(name, name, key.public_key(), x509.random_serial_number(), now, now + dt.timedelta(days=1))
    made = made.add_extension(x509.SubjectAlternativeName([x509.DNSName(HOST)]), critical=False)
    made = made.add_extension(x509.BasicConstraints(ca=True, path_length=None), critical=True).sign(key, hashes.SHA256())
    (folder / "site.pem").write_bytes(made.public_bytes(serialization.Encoding.PEM))
    form = serialization.PrivateFormat.TraditionalOpenSSL
    (folder / "site.key").write_bytes(key.private_bytes(serialization.Encoding.PEM, form, serialization.NoEncryption()))


class Through(unittest.TestCase):
    """Those that are installed: the tests install nginx."""

    @classmethod
    def setUpClass(cls):
        cls.door = Team(f"https://{HOST}", frozenset({"127.0.0.1"}))
        cls.app = create_app(fresh_url(), door=cls.door)
        cls.workspace = cls.app.extensions["nexorem"]
        cls.addClassCleanup(cls.workspace.engine.dispose)
        cls.model = cls.workspace.new(COMMAND_LINE, "Mine")
        cls.inner = served(cls.app).rpartition(":")[2]

    def start(self, kind):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        folder.chmod(0o755)
        certificate(folder)
        self.port = free_port()
        site = (EXAMPLES / f"{kind}.conf").read_text()
        for old, new in (
            ("listen 443", f"listen 127.0.0.1:{self.port}"),
            ("*:443", f"127.0.0.1:{self.port}"),
            ("/etc/ssl/certs/models.example.org.pem", f"{folder}/site.pem"),
            ("/etc/ssl/private/models.example.org.key", f"{folder}/site.key"),
            ("127.0.0.1:8471", f"127.0.0.1:{self.inner}"),
        ):
            site = site.replace(old, new)
        modules = "".join(f"LoadModule {m}_module /usr/lib/apache2/modules/mod_{m}.so\n" for m in MODULES)
        (folder / "conf").write_text(AROUND[kind].format(f=folder, site=site, port=self.port, host=HOST, modules=modules))
        process = subprocess.Popen([*COMMANDS[kind], str(folder / "conf")], stderr=subprocess.PIPE)
        self.addCleanup(lambda: (process.terminate(), process.wait(20), process.stderr.close()))
        self.context = ssl.create_default_context(cafile=folder / "site.pem")
        until(lambda: process.poll() is not None or self.answers())
        self.assertIsNone(process.poll(), process.stderr.read() if process.poll() is not None else "")

    def answers(self):
        try:
            return self.ask("GET", "/health/live")[0] == 200
        except OSError:
            return False

    def connection(self):
        """A connection to the proxy, whose certificate is held against the site's name."""
        made = HTTPSConnection(HOST, self.port, timeout=20, context=self.context)
        made._create_connection = lambda address, *more: socket.create_connection(("127.0.0.1", self.port), *more)
        return made

    def ask(self, method, path, body=None, **headers):
        connection = self.connection()
        try:
            sent = json.dumps(body) if body is not None else None
            connection.request(method, path, sent, {"Host": HOST, "Content-Type": "application/json", **headers})
            answer = connection.getresponse()
            return answer.status, answer.headers, answer.read()
        finally:
            connection.close()

    def through(self, kind):
        if shutil.which(COMMANDS[kind][0]) is None:
            self.skipTest(f"{kind} is not installed")
        self.start(kind)
        self.assertEqual(self.ask("GET", "/api/models")[0], 401)
        self.assertEqual(self.ask("GET", "/api/models", Host="other.example.org")[0], 403)
        self.assertEqual([self.ask("GET", x)[0] for x in ("/health/ready", "/metrics")], [200, 403])
        with urllib.request.urlopen(f"http://127.0.0.1:{self.inner}/metrics") as figures:
            self.assertIn(b"nexorem_requests_total", figures.read())
        email = f"{kind}@example.org"
        key = new_invitation(self.workspace.engine, "", email, True, False).partition("=")[2]
        given = {"key": key, "name": "Ada", "password": "three odd words"}
        origin = {"Origin": f"https://{HOST}"}
        status, headers, said = self.ask("POST", "/api/invitations/accept", given, **origin)
        self.assertEqual(status, 200, said)
        self.assertIn("Secure", headers["Set-Cookie"])
        cookie = {"Cookie": headers["Set-Cookie"].partition(";")[0]}
        self.assertEqual(self.ask("POST", "/api/sign_out", {}, Origin="https://other.example.org", **cookie)[0], 403)
        self.assertEqual(len(json.loads(self.ask("GET", "/api/models", **cookie)[2])["models"]), 1)
        # Where a wrong password came from is the proxy's word, not that of who sent it.
        wrong = {"email": "nobody@example.org", "password": "not this one"}
        self.assertEqual(self.ask("POST", "/api/sign_in", wrong, **origin, **{"X-Forwarded-For": "203.0.113.9"})[0], 401)
        self.assertIn("from 127.0.0.1", self.door.patience.failures)
        self.assertNotIn("from 203.0.113.9", self.door.patience.failures)
        # A window that follows a model hears of an edit at once, and a file of some megabytes comes through.
        window = self.connection()
        window.request("GET", f"/api/models/{self.model}/events", headers={"Host": HOST, **cookie})
        news = window.getresponse()
        self.assertIn(b"version", news.readline())
        csv = b"a,b\n" + b"1,2\n" * 1_000_000
        connection = self.connection()
        path = f"/api/models/{self.model}/files?name=big-{kind}.csv"
        connection.request("PUT", path, csv, {"Host": HOST, "Content-Type": "application/octet-stream", **origin, **cookie})
        answer = connection.getresponse()
        self.assertEqual(answer.status, 200, answer.read()[:300])
        connection.close()
        window.close()

    def test_nginx(self):
        self.through("nginx")

    def test_apache(self):
        self.through("apache")


class Service(unittest.TestCase):
    def test_the_unit_starts_what_there_is(self):
        """Its command line is one that `nexorem serve` takes."""
        unit = (EXAMPLES / "nexorem.service").read_text()
        line = next(x for x in unit.splitlines() if x.startswith("ExecStart=")).split()
        from nexorem.cli.serve import serve

        options = {o for p in serve.params for o in p.opts}
        self.assertEqual({x for x in line if x.startswith("--")} - options, set())
        if shutil.which("systemd-analyze"):
            with tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / "nexorem.service"
                path.write_text(unit.replace("/opt/nexorem/nexorem", "/bin/true").replace("User=nexorem", "User=root"))
                done = subprocess.run(["systemd-analyze", "verify", "--man=no", str(path)], capture_output=True, text=True, check=False)
                self.assertNotIn("nexorem.service:", done.stderr)


if __name__ == "__main__":
    unittest.main()
