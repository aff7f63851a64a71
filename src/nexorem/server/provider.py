"""A provider of identities (OpenID Connect, the authorization code flow with PKCE), for those who have one."""

from __future__ import annotations

import json
import secrets
import threading
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import requests
from authlib.common.errors import AuthlibBaseError
from authlib.integrations.requests_client import OAuth2Session
from authlib.oidc.core import CodeIDToken
from cachetools import TTLCache
from joserfc import jwt
from joserfc.errors import JoseError
from joserfc.jwk import KeySet
from pydantic import TypeAdapter, ValidationError

from nexorem.core.diagnostics import Refused, refuse

SCOPE = "openid email profile"
ALGORITHMS = ["RS256", "ES256", "PS256"]
WAIT_SECONDS = 10.0  # for an answer of the provider
FLOW_SECONDS = 600.0  # for somebody to sign in there
MOST_FLOWS = 10_000
LEEWAY = 60  # seconds by which clocks may differ


@dataclass(frozen=True, slots=True)
class Identity:
    """Whom the provider vouches for: `subject` is how it calls them for ever."""

    subject: str
    email: str
    name: str


@dataclass(frozen=True, slots=True)
class Flow:
    """A sign-in that is under way."""

    nonce: str
    verifier: str
    browser: str


@dataclass(eq=False)
class Provider:
    """A provider that one may come in by: its name for people, its issuer, and what it knows Nexorem by."""

    name: str
    issuer: str
    client_id: str
    client_secret: str
    _flows: TTLCache[str, Flow] = field(default_factory=lambda: TTLCache(MOST_FLOWS, FLOW_SECONDS), repr=False)
    _lock: threading.Lock = field(default_factory=threading.Lock, repr=False)
    _told: dict[str, Any] = field(default_factory=dict, repr=False)

    def begin(self, back: str) -> tuple[str, str]:
        """The address at which somebody signs in, and what their browser is known by when it comes back to `back`."""
        state, nonce, verifier, browser = (secrets.token_urlsafe(32) for _ in range(4))
        with self._lock:
            self._flows[state] = Flow(nonce, verifier, browser)
        session = OAuth2Session(self.client_id, scope=SCOPE, redirect_uri=back, code_challenge_method="S256")
        where = self._metadata()["authorization_endpoint"]
        url, _ = session.create_authorization_url(where, state=state, nonce=nonce, code_verifier=verifier)
        return str(url), browser

    def end(self, back: str, state: str, code: str, browser: str) -> Identity:
        """Whom the provider vouches for; refuses an answer that nobody here asked for, or whose token does not hold."""
        with self._lock:
            flow = self._flows.pop(state, None)
        if flow is None or not secrets.compare_digest(flow.browser, browser):
            raise refuse("sign_in_over", "This sign-in was not begun in this browser, or took too long.", "Begin it again.")
        session = OAuth2Session(self.client_id, self.client_secret, redirect_uri=back, code_challenge_method="S256")
        try:
            token = session.fetch_token(self._metadata()["token_endpoint"], code=code, code_verifier=flow.verifier, timeout=WAIT_SECONDS)
            claims = self._claims(str(token["id_token"]), flow.nonce)
        except (AuthlibBaseError, JoseError, KeyError, ValueError) as error:
            raise refuse("not_vouched", f"{self.name} does not vouch for you: {error}.", "Begin the sign-in again.") from None
        except requests.RequestException:
            raise self._silent() from None
        if not claims.get("email") or claims.get("email_verified") is False:
            raise refuse("no_email", f"{self.name} tells no e-mail address of yours that it has verified.", "Ask whoever looks after it.")
        return Identity(f"{self.issuer} {claims['sub']}", str(claims["email"]), str(claims.get("name") or claims["email"]))

    def _claims(self, token: str, nonce: str) -> dict[str, Any]:
        read = jwt.decode(token, KeySet.import_key_set(self._keys()), algorithms=ALGORITHMS)
        wanted = {"iss": {"values": [self.issuer]}, "aud": {"value": self.client_id}}
        claims = CodeIDToken(read.claims, read.header, options=wanted, params={"nonce": nonce, "client_id": self.client_id})
        claims.validate(leeway=LEEWAY)
        return dict(claims)

    def _metadata(self) -> dict[str, Any]:
        return self._fetched("metadata", f"{self.issuer.rstrip('/')}/.well-known/openid-configuration")

    def _keys(self) -> Any:
        return self._fetched("keys", self._metadata()["jwks_uri"], again=True)

    def _fetched(self, what: str, url: str, again: bool = False) -> dict[str, Any]:
        if what in self._told and not again:
            told: dict[str, Any] = self._told[what]
            return told
        try:
            answer = requests.get(url, timeout=WAIT_SECONDS)
            answer.raise_for_status()
            self._told[what] = answer.json()
        except (requests.RequestException, ValueError):
            raise self._silent() from None
        return dict(self._told[what])

    def _silent(self) -> Refused:
        return refuse("provider_silent", f"{self.name} does not answer.", "Try again; if it stays so, ask whoever looks after it.")


@dataclass(frozen=True)
class ProviderFile:
    """The file that names a provider."""

    name: str
    issuer: str
    client_id: str
    client_secret: str


def read_provider(path: Path) -> Provider:
    """The provider that a JSON file names; refuses with all that is wrong with it."""
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
        told = TypeAdapter(ProviderFile).validate_python(data)
    except OSError as error:
        raise refuse("no_file", f"{path} cannot be read: {error.strerror}.") from None
    except (ValueError, ValidationError):
        hint = 'Write {"name": …, "issuer": "https://…", "client_id": …, "client_secret": …}.'
        raise refuse("bad_provider", f"{path} names no provider.", hint) from None
    return Provider(told.name, told.issuer, told.client_id, told.client_secret)
