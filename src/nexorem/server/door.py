"""Who is let in: everybody, whoever has the machine to themselves, or people with accounts."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, TypeVar
from urllib.parse import urlsplit

from flask import g, request
from werkzeug.wrappers import Response

from nexorem.core.diagnostics import Diagnostic, Refused
from nexorem.server.provider import Provider
from nexorem.store import people as kept
from nexorem.store.people import Secret
from nexorem.work import people
from nexorem.work.actor import Actor
from nexorem.work.people import Patience
from nexorem.work.workspace import Workspace

Mode = Literal["open", "alone", "team"]
LONGEST_NAME = 60
R = TypeVar("R", bound=Response)
LONGEST_SECRET = 200


class Door:
    """Lets everybody do everything, under the name that the window gives itself."""

    mode: Mode = "open"
    origin = ""  # the address that people reach it at, where that is not this machine's own
    proxies: frozenset[str] = frozenset()  # whose word on who asked is taken
    provider: Provider | None = None

    def __init__(self) -> None:
        self.patience = Patience()

    def held(self, workspace: Workspace) -> Secret | None:
        """What lets the present caller in; None where everybody is."""
        return None

    def who(self, workspace: Workspace, model_id: int | None) -> Actor:
        """Who calls, and what they may do in a model, or besides."""
        return Actor(window_name())

    def session(self, workspace: Workspace) -> Secret:
        """The present session; refuses a token, which is no person, and where nobody signs in."""
        held = self.held(workspace)
        if held is None or held.kind != "session":
            raise Refused([Diagnostic("not_allowed", "Only who is signed in has sessions and tokens of their own.")])
        return held

    def operator(self, workspace: Workspace) -> Actor:
        """Who looks after the installation; refuses everybody else."""
        held = self.session(workspace)
        if held.person is not None and not held.person.operator:
            raise Refused([Diagnostic("not_allowed", f"{held.person.name} does not operate this installation.", hint="Ask an operator.")])
        return Actor(held.person.name if held.person else window_name(), person=held.person.id if held.person else None)

    def provider_name(self) -> str | None:
        """What the provider of identities is called that one may come in by."""
        return self.provider.name if self.provider else None


class Locked(Door):
    """Lets in who has a session or a token."""

    mode: Mode = "alone"

    def held(self, workspace: Workspace) -> Secret | None:
        """The session of the cookie, or the token of the header; refuses where there is none that holds."""
        if "secret" not in g:
            g.secret = self._found(workspace)
        if g.secret is None:
            raise Refused([Diagnostic("sign_in", "Nobody is signed in here.", hint=self.way_in())])
        found: Secret = g.secret
        return found

    def _found(self, workspace: Workspace) -> Secret | None:
        bearer = request.headers.get("Authorization", "")
        text = bearer.removeprefix("Bearer ").strip() if bearer.startswith("Bearer ") else request.cookies.get(cookie_name(self), "")
        if not text or len(text) > LONGEST_SECRET:
            return None
        kinds: tuple[kept.Kind, ...] = ("token",) if bearer else ("session",)
        with workspace.engine.begin() as connection:
            held = kept.find_secret(connection, text, *kinds)
        return held if held and (held.person is None) == (self.mode == "alone") else None

    def way_in(self) -> str:
        """What to do to come in."""
        return "Open the address that Nexorem printed, or run `nexorem address` for a new one."

    def who(self, workspace: Workspace, model_id: int | None) -> Actor:
        """Who calls, by what lets them in. Whoever has the machine to themselves goes by the name that the window gives itself."""
        held = self.held(workspace)
        assert held
        actor = people.actor_of(workspace, held, model_id)
        if held.kind == "token":
            _stay_within(held)
        if held.person is None:
            return Actor(window_name() if held.kind == "session" else actor.name, actor.may, actor.sight)
        return actor


@dataclass
class Team(Locked):
    """Lets in people with accounts, at an address of their own."""

    origin: str
    proxies: frozenset[str] = frozenset()
    provider: Provider | None = None

    def __post_init__(self) -> None:
        super().__init__()
        self.mode = "team"

    def way_in(self) -> str:
        """What to do to come in."""
        return "Sign in."


def _stay_within(held: Secret) -> None:
    """A token for a release opens no other address of its model."""
    release = held.about.get("release")
    asked = (request.view_args or {}).get("release")
    if release is not None and str(asked) != str(release):
        said = f"This token is for release {release} alone."
        raise Refused([Diagnostic("not_allowed", said, hint="Ask for one of its grids, or make another token.")])


def window_name() -> str:
    """The name that a window gives itself."""
    return (request.headers.get("X-Nexorem-Author") or "").strip()[:LONGEST_NAME] or "someone"


def cookie_name(door: Door) -> str:
    """A name that two servers on one machine do not share, for cookies know no ports; over TLS one that no other host can set."""
    if door.origin.startswith("https:"):
        return "__Host-nexorem"
    return f"nexorem_{urlsplit(f'//{request.host}').port or 80}"


def with_session(door: Door, response: R, secret: str | None) -> R:
    """Sets the cookie of a session, or (None) takes it back."""
    safe = door.origin.startswith("https:")
    if secret is None:
        response.delete_cookie(cookie_name(door), path="/", secure=safe, httponly=True, samesite="Strict")
    else:
        age = int(people.SESSION.total_seconds())
        response.set_cookie(cookie_name(door), secret, age, path="/", secure=safe, httponly=True, samesite="Strict")
    return response


def where_from(door: Door) -> str:
    """Where a request came from: the address of the other end, or what a trusted proxy says of it."""
    peer = request.remote_addr or ""
    said = request.headers.get("X-Forwarded-For", "").rpartition(",")[2].strip()
    return said[:60] if said and peer in door.proxies else peer
