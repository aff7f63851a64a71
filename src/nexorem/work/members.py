"""Who may what in a model, the tokens and sessions that people have, accounts, and the log of all that."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from nexorem.core.diagnostics import refuse
from nexorem.store import people as kept
from nexorem.store.people import Connection, Person, Secret
from nexorem.work.actor import CLEARED, ROLES, Actor, Need
from nexorem.work.people import MOST_NAME, actor_of, called, check_role
from nexorem.work.workspace import Workspace

LONGEST_TOKEN = 730  # days


def people_of(workspace: Workspace, actor: Actor, model_id: int) -> dict[str, Any]:
    """The members of a model, open invitations to it, and its clearances."""
    actor.must(Need.KEEP)
    model = workspace.whole(model_id)[0].model
    with workspace.engine.connect() as connection:
        members = kept.members(connection, model_id)
        invited = kept.listed_secrets(connection, "invitation", model_id=model_id)
        tokens = kept.listed_secrets(connection, "token", model_id=model_id)
        names = {p.id: p.name for p in kept.everybody(connection)}
    return {
        "members": [{"id": p.id, "email": p.email, "name": p.name, "role": m.role, "clearance": m.clearance} for p, m in members],
        "invitations": [
            {"digest": x.digest, **_of(x.about, "email", "role", "clearance"), "ends_at": x.ends_at.isoformat()} for x in invited
        ],
        "tokens": [{**_token(x), "person": names.get(x.person_id, "this machine")} for x in tokens],
        "clearances": [x.name for x in model.clearances],
        "roles": [{"name": name, "may": [n.value for n in Need if n in may], "cleared": name in CLEARED} for name, may in ROLES.items()],
    }


def _of(about: Mapping[str, Any], *names: str) -> dict[str, Any]:
    return {n: about.get(n, "") for n in names}


def put_member(workspace: Workspace, actor: Actor, model_id: int, person_id: int, role: str, clearance: str) -> None:
    """Another role or clearance for a member. A model keeps an owner."""
    actor.must(Need.KEEP)
    check_role(workspace, model_id, role, clearance)
    with workspace.engine.begin() as connection:
        person = _member(connection, model_id, person_id)
        if role != "owner":
            _keep_owner(connection, model_id, person_id)
        kept.put_member(connection, model_id, person_id, role, clearance)
        kept.note(
            connection, actor.name, "gave a role", model_id, f"{person.email}: {role}{f', cleared for {clearance}' if clearance else ''}"
        )


def remove_member(workspace: Workspace, actor: Actor, model_id: int, person_id: int) -> None:
    """Somebody is no member any more; their tokens for the model end."""
    actor.must(Need.KEEP)
    with workspace.engine.begin() as connection:
        person = _member(connection, model_id, person_id)
        _keep_owner(connection, model_id, person_id)
        kept.remove_member(connection, model_id, person_id)
        for token in kept.listed_secrets(connection, "token", person_id=person_id, model_id=model_id):
            kept.revoke(connection, token.digest)
        kept.note(connection, actor.name, "removed", model_id, person.email)


def _member(connection: Connection, model_id: int, person_id: int) -> Person:
    person = kept.person_by_id(connection, person_id)
    if person is None or kept.membership(connection, model_id, person_id) is None:
        raise refuse("unknown_person", "This person is no member of the model.", "Invite them.")
    return person


def _keep_owner(connection: Connection, model_id: int, without: int) -> None:
    owners = [p.id for p, m in kept.members(connection, model_id) if m.role == "owner"]
    if owners == [without]:
        raise refuse("last_owner", "This is the model's only owner.", "Make somebody else an owner first.")


def withdraw(workspace: Workspace, actor: Actor, model_id: int, digest: str) -> None:
    """Ends an invitation to a model, or a token for it."""
    actor.must(Need.KEEP)
    with workspace.engine.begin() as connection:
        if kept.revoke(connection, digest, model_id=model_id):
            kept.note(connection, actor.name, "withdrew", model_id, "an invitation or a token")


# what somebody has of their own


def sessions_of(workspace: Workspace, held: Secret) -> list[dict[str, Any]]:
    """One's own sessions; the present one is marked."""
    with workspace.engine.connect() as connection:
        rows = kept.listed_secrets(connection, "session", person_id=held.person.id if held.person else None)
    mine = [r for r in rows if r.person_id == (held.person.id if held.person else None)]
    return [
        {"digest": r.digest, "made_at": r.made_at.isoformat(), "last_at": _when(r.last_at), "present": r.digest == held.digest}
        for r in mine
    ]


def tokens_of(workspace: Workspace, held: Secret) -> list[dict[str, Any]]:
    """One's own tokens."""
    number = held.person.id if held.person else None
    with workspace.engine.connect() as connection:
        return [_token(r) for r in kept.listed_secrets(connection, "token", person_id=number) if r.person_id == number]


def _token(row: Any) -> dict[str, Any]:
    return {
        "digest": row.digest,
        "model_id": row.model_id,
        **_of(row.about, "name"),
        "release": row.about.get("release"),
        "made_at": row.made_at.isoformat(),
        "last_at": _when(row.last_at),
        "ends_at": _when(row.ends_at),
    }


def _when(at: dt.datetime | None) -> str | None:
    return at.isoformat() if at else None


def make_token(workspace: Workspace, held: Secret, name: str, model_id: int, release: int | None, days: int) -> str:
    """A token for programs that may look at a model, or at one of its releases alone; told this once."""
    if not name.strip() or len(name) > MOST_NAME:
        raise refuse("bad_name", f"A token needs a name, of {MOST_NAME} characters at most.", "Say which program has it.", "name")
    if not 1 <= days <= LONGEST_TOKEN:
        raise refuse("bad_days", f"A token holds for 1 to {LONGEST_TOKEN} days.", "", "days")
    actor_of(workspace, held, model_id).must(Need.LOOK)
    number = held.person.id if held.person else None
    with workspace.engine.begin() as connection:
        kept.note(connection, called(held.person), "made a token", model_id, name.strip())
        return kept.make_secret(connection, "token", number, dt.timedelta(days=days), model_id, name=name.strip(), release=release)


def end_own(workspace: Workspace, held: Secret, digest: str) -> None:
    """Ends a session or a token of one's own."""
    number = held.person.id if held.person else None
    with workspace.engine.begin() as connection:
        mine = [r for r in kept.listed_secrets(connection, "session", "token", person_id=number) if r.person_id == number]
        for row in (r for r in mine if r.digest == digest):
            kept.revoke(connection, row.digest)
            kept.note(connection, called(held.person), "ended", row.model_id, f"a {row.kind}")


def accounts(workspace: Workspace, actor: Actor) -> list[dict[str, Any]]:
    """Everybody who has an account."""
    actor.must(Need.KEEP)
    with workspace.engine.connect() as connection:
        return [asdict(x) for x in kept.everybody(connection)]


def remove_account(workspace: Workspace, actor: Actor, person_id: int) -> None:
    """Removes an account with its sessions, tokens and memberships; one's own stays."""
    actor.must(Need.KEEP)
    if person_id == actor.person:
        raise refuse("own_account", "One's own account is removed by somebody else.", "Ask another operator.")
    with workspace.engine.begin() as connection:
        person = kept.person_by_id(connection, person_id)
        if person is None:
            raise refuse("unknown_person", "There is no such account.")
        kept.remove_person(connection, person_id)
        kept.note(connection, actor.name, "removed the account", about=person.email)


def log_of(workspace: Workspace, actor: Actor, model_id: int | None, before: int | None) -> list[dict[str, Any]]:
    """The log of a model, or of everything, the newest first."""
    actor.must(Need.KEEP)
    with workspace.engine.connect() as connection:
        rows = kept.events(connection, model_id, before)
    names = ("id", "person", "what", "model_id", "about")
    return [{"made_at": r.made_at.isoformat(), **{n: getattr(r, n) for n in names}} for r in rows]
