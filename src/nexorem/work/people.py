"""Who may come in: accounts, invitations, sessions, tokens, memberships, and the log of all that."""

from __future__ import annotations

import datetime as dt
import re
import threading
import time
from collections import deque
from collections.abc import Mapping
from typing import Any

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from cachetools import TTLCache

from nexorem.core.diagnostics import Diagnostic, Refused, near_hint, refuse
from nexorem.core.words import listed
from nexorem.store import models
from nexorem.store import people as kept
from nexorem.store.people import Connection, Person, Secret
from nexorem.work.actor import CLEARED, EVERYTHING, ROLES, Actor, Need, Sight
from nexorem.work.workspace import Workspace

SESSION = dt.timedelta(days=14)
INVITATION = dt.timedelta(days=7)
ADDRESS = dt.timedelta(hours=12)
EMAIL = re.compile(r"[^@\s]{1,64}@[^@\s]{1,190}")
SHORTEST_PASSWORD, LONGEST_PASSWORD, MOST_NAME = 10, 1_000, 100
FAILURES, WINDOW = 8, 300.0  # wrong passwords for an account, or from an address ten times as many, in so many seconds
HASHER = PasswordHasher()
NOBODY = HASHER.hash("nobody's password")  # is tried where there is no account, so that both take as long


class Patience:
    """How many wrong passwords came lately, by account and by where they came from."""

    def __init__(self, clock: Any = time.monotonic) -> None:
        self.clock, self.lock = clock, threading.Lock()
        self.failures: TTLCache[str, deque[float]] = TTLCache(100_000, WINDOW, clock)

    def ask(self, email: str, where: str) -> None:
        """Refuses who has been wrong too often."""
        with self.lock:
            for key, most in ((f"account {email}", FAILURES), (f"from {where}", FAILURES * 10)):
                late = [at for at in self.failures.get(key, ()) if at > self.clock() - WINDOW]
                if len(late) >= most:
                    wait = int(late[0] + WINDOW - self.clock()) + 1
                    raise refuse("too_often", "The password was wrong too often.", f"Try again in {wait} seconds.")

    def failed(self, email: str, where: str) -> None:
        """Counts one."""
        with self.lock:
            for key in (f"account {email}", f"from {where}"):
                self.failures[key] = deque([*self.failures.get(key, ()), self.clock()], maxlen=FAILURES * 10)


# coming in


def sign_in(workspace: Workspace, patience: Patience, email: str, password: str, where: str) -> tuple[Person, str]:
    """The person, and the secret of a new session; refuses alike whether it is the account or the password that is wrong."""
    email = email.strip().lower()
    patience.ask(email, where)
    with workspace.engine.connect() as connection:
        held = kept.person_by_email(connection, email)
    person, hashed = held or (None, None)
    if not _is_right(hashed or NOBODY, password) or person is None or not hashed:
        patience.failed(email, where)
        with workspace.engine.begin() as connection:
            kept.note(connection, email[:200], "was not let in", about="the password was wrong")
        raise refuse("wrong_password", "The e-mail address or the password is wrong.", "Try again, or ask for a new invitation.")
    with workspace.engine.begin() as connection:
        if HASHER.check_needs_rehash(hashed):
            kept.change_person(connection, person.id, password=HASHER.hash(password))
        return person, _session(connection, person, "with a password")


def _is_right(hashed: str, password: str) -> bool:
    try:
        return HASHER.verify(hashed, password[: LONGEST_PASSWORD + 1])
    except (VerificationError, InvalidHashError):
        return False


def _session(connection: Connection, person: Person, how: str) -> str:
    kept.note(connection, person.email, "signed in", about=how)
    return kept.make_secret(connection, "session", person.id, SESSION)


def enter(workspace: Workspace, key: str) -> str | None:
    """The session that a printed address is good for, once; None where it is no longer."""
    with workspace.engine.begin() as connection:
        if kept.use_up(connection, key, "address") is None:
            return None
        kept.note(connection, "this machine", "signed in", about="with a printed address")
        return kept.make_secret(connection, "session", None, SESSION)


def known_to_provider(workspace: Workspace, subject: str, email: str, name: str) -> tuple[Person, str]:
    """The person whom a provider of identities vouches for, and their session: known by its subject, or by an address it has verified and
    somebody invited. Nobody comes in uninvited."""
    with workspace.engine.begin() as connection:
        person = kept.person_by_subject(connection, subject)
        address = person.email if person else email.strip().lower()
        invited = [x for x in kept.listed_secrets(connection, "invitation") if x.about["email"] == address]
        if person is None:
            person = _met(connection, address, name, bool(invited))
            # Whoever made an account for this address need not be who has it: what they came in by ends.
            kept.change_person(connection, person.id, subject=subject, password=None)
            for kind in ("session", "token"):
                kept.revoke_all(connection, kind, person.id)
        for item in invited:
            person = _take(connection, person, item.model_id, item.about)
            kept.revoke(connection, item.digest)
        return person, _session(connection, person, "through the provider")


def _met(connection: Connection, email: str, name: str, is_invited: bool) -> Person:
    """Whoever has an address that the provider has verified; refuses somebody whom nobody invited."""
    held = kept.person_by_email(connection, email)
    if held:
        return held[0]
    if not is_invited:
        raise refuse("not_invited", f"Nobody invited {email}.", "Ask who looks after a model for an invitation.")
    return kept.add_person(connection, email, name or email)


def took_out(workspace: Workspace, actor: Actor, model_id: int | None, what: str) -> None:
    """Notes that somebody took something out of a model."""
    with workspace.engine.begin() as connection:
        kept.note(connection, actor.name, "took out", model_id, what)


def sign_out(workspace: Workspace, held: Secret) -> None:
    """Ends a session."""
    with workspace.engine.begin() as connection:
        kept.revoke(connection, held.digest)
        kept.note(connection, called(held.person), "signed out")


def called(person: Person | None) -> str:
    """Somebody as the log has them."""
    return person.email if person else "this machine"


# invitations


def invite(
    workspace: Workspace,
    by: str,
    email: str,
    model_id: int | None,
    role: str = "",
    clearance: str = "",
    operator: bool = False,
    opens: bool = False,
) -> str:
    """The key of an invitation, to be sent to whom it is for: to a model in a role, or as an operator. Good once, for a week."""
    email = checked_email(email)
    if model_id is not None:
        check_role(workspace, model_id, role, clearance)
    about = {"email": email, "role": role, "clearance": clearance, "operator": operator, "opens": opens, "by": by}
    with workspace.engine.begin() as connection:
        kept.note(connection, by, "invited", model_id, f"{email} as {role or ('operator' if operator else 'member')}")
        return kept.make_secret(connection, "invitation", None, INVITATION, model_id, **about)


def checked_email(email: str) -> str:
    """An e-mail address as accounts have it; refuses what is none."""
    email = email.strip().lower()
    if not EMAIL.fullmatch(email):
        raise refuse("bad_email", f"“{email[:100]}” is no e-mail address.", "Write it as name@example.org.", "email")
    return email


def check_role(workspace: Workspace, model_id: int, role: str, clearance: str) -> None:
    """Refuses a role that there is not, and a clearance that there is not or that the role cannot be held to."""
    if role not in ROLES:
        raise refuse("unknown_role", f"There is no role {role[:60]}.", f"It is one of {listed(list(ROLES))}.", "role")
    if not clearance:
        return
    model = workspace.whole(model_id)[0].model
    if model.clearance(clearance) is None:
        names = [x.name for x in model.clearances]
        raise refuse("no_clearance", f"There is no clearance {clearance[:200]}.", near_hint(clearance, names), "clearance")
    if role not in CLEARED:
        said = f"A {role} sees all rows: who shapes tables, sees what comes in."
        raise refuse("role_sees_all", said, f"A clearance can be held to these roles: {listed(list(CLEARED))}.")


def invitation(workspace: Workspace, key: str) -> Mapping[str, Any]:
    """Whom an invitation is for, and to what."""
    with workspace.engine.begin() as connection:
        held = kept.find_secret(connection, key, "invitation")
        if held is None:
            raise _over()
        known = kept.person_by_email(connection, held.about["email"])
        has_password = bool(known and known[1])
    title = workspace.whole(held.model_id)[0].model.title if held.model_id else ""
    return {"email": held.about["email"], "model": title, "role": held.about["role"], "by": held.about["by"], "known": has_password}


def _over() -> Refused:
    return Refused([Diagnostic("invitation_over", "This invitation was used, or its week is over.", hint="Ask for another one.")])


def accept(workspace: Workspace, patience: Patience, key: str, name: str, password: str, where: str) -> tuple[Person, str]:
    """Takes an invitation up: with a new account, or with the password of the one that the address has."""
    with workspace.engine.begin() as connection:
        held = kept.find_secret(connection, key, "invitation")
        known = kept.person_by_email(connection, held.about["email"]) if held else None
    if held is None:
        raise _over()
    if known and not known[1]:  # an invitation is seen by who made it: it opens no account that somebody has
        raise refuse("has_provider", f"{known[0].email} comes in by the provider.", "Come in by it: that takes the invitation up.")
    if known:
        person, session = sign_in(workspace, patience, held.about["email"], password, where)
    else:
        _check_password(password, name)
    with workspace.engine.begin() as connection:
        if kept.use_up(connection, key, "invitation") is None:
            raise _over()
        if not known:
            person = kept.add_person(connection, held.about["email"], name, password=HASHER.hash(password))
            session = _session(connection, person, "with an invitation")
        person = _take(connection, person, held.model_id, held.about)
    return person, session


def _take(connection: Connection, person: Person, model_id: int | None, about: Mapping[str, Any]) -> Person:
    """Gives somebody what an invitation says."""
    if model_id is not None:
        kept.put_member(connection, model_id, person.id, about["role"], about["clearance"])
        kept.note(connection, person.email, "joined", model_id, f"as {about['role']}")
    rights = {k: True for k in ("operator", "opens") if about.get(k)}
    if rights:
        kept.change_person(connection, person.id, **rights)
    return kept.person_by_id(connection, person.id) or person


def _check_password(password: str, name: str) -> None:
    wrong = []
    if not name.strip() or len(name) > MOST_NAME:
        wrong.append(Diagnostic("bad_name", f"A name has a character or more, and {MOST_NAME} at most.", place="name"))
    if not SHORTEST_PASSWORD <= len(password) <= LONGEST_PASSWORD:
        said = f"A password has {SHORTEST_PASSWORD} characters or more."
        wrong.append(
            Diagnostic("short_password", said, hint="A few words that do not go together are easy to keep in mind.", place="password")
        )
    if wrong:
        raise Refused(wrong)


# what somebody may


def actor_of(workspace: Workspace, held: Secret, model_id: int | None) -> Actor:
    """What whoever holds a session or a token may do, in a model or besides; a model that they are no member of is not there for them."""
    person, name = held.person, held.person.name if held.person else "someone"
    if held.kind == "token" and model_id is not None and held.model_id != model_id:
        raise models.unknown(model_id)
    may, sight = EVERYTHING, None
    if person is not None:
        may, sight = _may(workspace, person, model_id)
    if held.kind == "token":
        may &= {Need.LOOK}
        name = f"{name} ({held.about['name']})"
    return Actor(name, may, sight, person.id if person else None)


def _may(workspace: Workspace, person: Person, model_id: int | None) -> tuple[frozenset[Need], Sight | None]:
    if model_id is None:
        return EVERYTHING if person.operator or person.opens else frozenset({Need.LOOK}), None
    if person.operator:
        return EVERYTHING, None
    with workspace.engine.connect() as connection:
        member = kept.membership(connection, model_id, person.id)
    if member is None or member.role not in ROLES:
        raise models.unknown(model_id)
    sight = Sight(member.clearance, {"email": person.email, "name": person.name}) if member.clearance else None
    may = ROLES[member.role] if sight is None else ROLES[member.role] & ROLES[CLEARED[-1]]
    return may, sight


def models_of(workspace: Workspace, held: Secret | None, removed: bool = False) -> list[dict[str, Any]]:
    """The models that somebody may look at, the newest first; or, of those that were removed, the ones that they may bring back."""
    every = workspace.listed(removed)
    if held is None:
        return every
    if held.kind == "token":
        return [m for m in every if m["id"] == held.model_id and not removed]
    if held.person is None or held.person.operator:
        return every
    with workspace.engine.connect() as connection:
        mine = kept.memberships(connection, held.person.id)
    return [m for m in every if (member := mine.get(m["id"])) and (not removed or Need.KEEP in ROLES.get(member.role, ()))]
