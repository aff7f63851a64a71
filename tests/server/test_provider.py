"""Coming in through a provider of identities: a small one of the tests' own signs, forges and keeps silent."""

import json
import logging
import tempfile
import threading
import time
import unittest
import urllib.parse
from pathlib import Path

from flask import Flask, jsonify, redirect, request
from joserfc import jwt
from joserfc.jwk import KeySet, RSAKey
from werkzeug.serving import make_server

from nexorem.core.diagnostics import Refused
from nexorem.server.app import create_app
from nexorem.server.door import Team
from nexorem.server.provider import Provider, read_provider
from nexorem.work.actor import COMMAND_LINE
from nexorem.work.people import invite
from tests.store.cluster import fresh_url

ORIGIN = "https://models.example.org"
logging.getLogger("werkzeug").setLevel(logging.ERROR)


class Issuer:
    """A provider: whoever is sent there comes back as `person`."""

    def __init__(self):
        self.app, self.key = Flask("issuer"), RSAKey.generate_key(2048, {"kid": "one"})
        self.codes, self.more, self.signed_by, self.verifiers = {}, {}, self.key, []
        self.person = {"sub": "7", "email": "bo@example.org", "email_verified": True, "name": "Bo"}
        self.server = make_server("127.0.0.1", 0, self.app, threaded=True)
        self.url = f"http://127.0.0.1:{self.server.port}"
        threading.Thread(target=self.server.serve_forever, daemon=True).start()

        @self.app.get("/.well-known/openid-configuration")
        def metadata():
            ends = {f"{n}_endpoint": f"{self.url}/{n}" for n in ("authorization", "token")}
            return jsonify({"issuer": self.url, "jwks_uri": f"{self.url}/keys", **ends})

        @self.app.get("/keys")
        def keys():
            return jsonify(KeySet([self.key]).as_dict(private=False))

        @self.app.get("/authorization")
        def authorization():
            code = f"code{len(self.codes)}"
            self.codes[code] = request.args["nonce"], request.args["code_challenge"]
            asked = {"code": code, "state": request.args["state"]}
            return redirect(f"{request.args['redirect_uri']}?{urllib.parse.urlencode(asked)}")

        @self.app.post("/token")
        def token():
            if request.form["code"] not in self.codes:
                return jsonify({"error": "invalid_grant"}), 400
            nonce, _ = self.codes.pop(request.form["code"])
            self.verifiers.append(request.form["code_verifier"])
            now = int(time.time())
            claims = {"iss": self.url, "aud": "nexorem", "iat": now, "exp": now + 60, "nonce": nonce, **self.person, **self.more}
            signed = jwt.encode({"alg": "RS256", "kid": "one"}, claims, self.signed_by)
            return jsonify({"access_token": "x", "token_type": "Bearer", "id_token": signed})


class Through(unittest.TestCase):
    def setUp(self):
        self.issuer = Issuer()
        self.addCleanup(self.issuer.server.shutdown)
        self.app = create_app(fresh_url(), door=Team(ORIGIN, provider=Provider("Harbour", self.issuer.url, "nexorem", "secret")))
        self.workspace = self.app.extensions["nexorem"]
        self.addCleanup(self.workspace.engine.dispose)
        self.model = self.workspace.new(COMMAND_LINE, "Mine")
        self.client = self.app.test_client()

    def get(self, path, client=None):
        return (client or self.client).get(path, base_url=ORIGIN)

    def there(self):
        """The address that the provider sends the browser back to."""
        gone = self.get("/api/provider")
        self.assertEqual(gone.status_code, 303)
        self.assertIn("SameSite=Lax", gone.headers["Set-Cookie"])
        self.assertIn("code_challenge_method=S256", gone.headers["Location"])
        path = gone.headers["Location"].removeprefix(self.issuer.url)
        back = self.issuer.app.test_client().get(path).headers["Location"]
        self.assertTrue(back.startswith(f"{ORIGIN}/api/provider/back?"))
        return back.removeprefix(ORIGIN)

    def come(self):
        return self.get(self.there())

    def refused(self, code):
        answer = self.come()
        self.assertEqual((answer.status_code, answer.json["errors"][0]["code"]), (422, code))
        self.assertEqual(self.get("/api/models").status_code, 401)

    def test_the_invited_come_in_and_nobody_else(self):
        self.assertEqual(self.get("/api/me").json["provider"], "Harbour")
        self.refused("not_invited")
        invite(self.workspace, "ada", "Bo@example.org", self.model, "reader")
        answer = self.come()
        self.assertEqual((answer.status_code, answer.headers["Location"]), (303, "/"))
        self.assertEqual(self.get("/api/me").json["person"]["email"], "bo@example.org")
        self.assertEqual([m["id"] for m in self.get("/api/models").json["models"]], [self.model])
        # An invitation, which its maker sees, opens no account that somebody has.
        key = invite(self.workspace, "eve", "bo@example.org", self.model, "owner")
        given = {"key": key, "name": "Eve", "password": "three odd words"}
        taken = self.app.test_client().post("/api/invitations/accept", json=given, base_url=ORIGIN)
        self.assertEqual(taken.json["errors"][0]["code"], "has_provider")
        # Known by its subject from now on, whatever address it has.
        self.issuer.person["email"] = "robert@example.org"
        self.client.post("/api/sign_out", base_url=ORIGIN)
        self.assertEqual(self.come().status_code, 303)
        self.assertEqual(self.get("/api/me").json["person"]["email"], "bo@example.org")
        self.assertIn("keep", self.get(f"/api/me?model={self.model}").json["may"])  # the invitation was taken up by coming in

    def test_who_made_an_account_for_another_loses_it(self):
        key = invite(self.workspace, "ada", "bo@example.org", self.model, "reader")
        eve = self.app.test_client()
        given = {"key": key, "name": "Eve", "password": "three odd words"}
        self.assertEqual(eve.post("/api/invitations/accept", json=given, base_url=ORIGIN).status_code, 200)
        self.assertEqual(self.come().status_code, 303)
        self.assertEqual(self.get("/api/models", eve).status_code, 401)
        again = {"email": "bo@example.org", "password": "three odd words"}
        self.assertEqual(eve.post("/api/sign_in", json=again, base_url=ORIGIN).status_code, 401)

    def test_what_is_not_believed(self):
        invite(self.workspace, "ada", "bo@example.org", self.model, "reader")
        for more, code in (
            ({"iss": "https://elsewhere.example"}, "not_vouched"),
            ({"aud": "another"}, "not_vouched"),
            ({"nonce": "another"}, "not_vouched"),
            ({"exp": int(time.time()) - 600}, "not_vouched"),
            ({"email_verified": False}, "no_email"),
            ({"email": None}, "no_email"),
        ):
            with self.subTest(more):
                self.issuer.more = more
                self.refused(code)
        self.issuer.more, self.issuer.signed_by = {}, RSAKey.generate_key(2048)
        self.refused("not_vouched")
        self.issuer.signed_by = self.issuer.key
        # Begun in another browser, or ended already.
        back = self.there()
        self.assertEqual(self.get(back, self.app.test_client()).json["errors"][0]["code"], "sign_in_over")
        self.assertEqual(self.get(back).json["errors"][0]["code"], "sign_in_over")
        used = self.there()
        self.issuer.codes.clear()
        self.assertEqual(self.get(used).json["errors"][0]["code"], "not_vouched")
        self.assertEqual(self.come().status_code, 303)
        self.assertTrue(all(len(v) > 40 for v in self.issuer.verifiers))

    def test_silent_and_unreadable(self):
        self.issuer.server.shutdown()
        self.issuer.server.server_close()
        self.assertEqual(self.get("/api/provider").json["errors"][0]["code"], "provider_silent")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "provider.json"
            for text, code in ((None, "no_file"), ("{", "bad_provider"), ('{"name": "x"}', "bad_provider")):
                if text is not None:
                    path.write_text(text)
                with self.assertRaises(Refused) as caught:
                    read_provider(path)
                self.assertEqual(caught.exception.diagnostics[0].code, code)
            path.write_text(json.dumps({"name": "Harbour", "issuer": "https://i", "client_id": "a", "client_secret": "b"}))
            self.assertEqual(read_provider(path).name, "Harbour")


if __name__ == "__main__":
    unittest.main()
