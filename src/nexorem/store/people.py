"""People, memberships, secrets and the log, as the store keeps them. Of a secret only the digest is kept."""

from __future__ import annotations

import datetime as dt
import hashlib
import secrets
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy import Connection as Connection
from sqlalchemy import Engine as Engine
from sqlalchemy import delete, func, insert, select, update
from sqlalchemy.dialects.postgresql import insert as upsert

from nexorem.store import tables as t

Kind = Literal["session", "address", "invitation", "token"]
MOST_EVENTS = 500
SEEN_EVERY = dt.timedelta(minutes=1)  # how finely it is kept when a secret was last used


@dataclass(frozen=True, slots=True)
class Person:
    """Somebody with an account."""

    id: int
    email: str
    name: str
    operator: bool
    opens: bool


@dataclass(frozen=True, slots=True)
class Membership:
    """What a person may do in a model."""

    role: str
    clearance: str


@dataclass(frozen=True, slots=True)
class Secret:
    """What lets somebody in; `person` is None for whoever has the machine to themselves."""

    digest: str
    kind: Kind
    person: Person | None
    model_id: int | None
    about: Mapping[str, Any]


def digest_of(text: str) -> str:
    """How a secret is kept. It is long and random, so that nothing slower is needed."""
    return hashlib.sha256(text.encode()).hexdigest()


def _person(row: Any) -> Person:
    return Person(row.id, row.email, row.name, row.operator, row.opens)


def person_by_email(connection: Connection, email: str) -> tuple[Person, str | None] | None:
    """Somebody and the hash of their password."""
    row = connection.execute(select(t.person).where(t.person.c.email == email.strip().lower())).first()
    return (_person(row), row.password) if row else None


def person_by_subject(connection: Connection, subject: str) -> Person | None:
    """Somebody whom a provider of identities calls that."""
    row = connection.execute(select(t.person).where(t.person.c.subject == subject)).first()
    return _person(row) if row else None


def person_by_id(connection: Connection, number: int) -> Person | None:
    """Somebody."""
    row = connection.execute(select(t.person).where(t.person.c.id == number)).first()
    return _person(row) if row else None


def count_people(engine: Engine) -> int:
    """How many accounts there are."""
    with engine.connect() as connection:
        return int(connection.execute(select(func.count()).select_from(t.person)).scalar_one())


def add_person(connection: Connection, email: str, name: str, **more: Any) -> Person:
    """A new account."""
    values = {"email": email.strip().lower(), "name": name.strip(), **more}
    return _person(connection.execute(insert(t.person).values(values).returning(t.person)).one())


def change_person(connection: Connection, number: int, **values: Any) -> None:
    """Another password, subject, name or right."""
    connection.execute(update(t.person).where(t.person.c.id == number).values(values))


def remove_person(connection: Connection, number: int) -> None:
    """An account with all its secrets and memberships; what they edited keeps their name."""
    connection.execute(delete(t.person).where(t.person.c.id == number))


def everybody(connection: Connection) -> list[Person]:
    """All accounts, by name."""
    return [_person(r) for r in connection.execute(select(t.person).order_by(t.person.c.name, t.person.c.id))]


def memberships(connection: Connection, person_id: int) -> dict[int, Membership]:
    """What somebody may do, by model."""
    c = t.membership.c
    rows = connection.execute(select(c.model_id, c.role, c.clearance).where(c.person_id == person_id))
    return {r.model_id: Membership(r.role, r.clearance) for r in rows}


def membership(connection: Connection, model_id: int, person_id: int) -> Membership | None:
    """What somebody may do in a model; None where they are no member."""
    c = t.membership.c
    row = connection.execute(select(c.role, c.clearance).where(c.model_id == model_id, c.person_id == person_id)).first()
    return Membership(row.role, row.clearance) if row else None


def members(connection: Connection, model_id: int) -> list[tuple[Person, Membership]]:
    """Who may do what in a model, by name."""
    c = t.membership.c
    query = select(t.person, c.role, c.clearance).join(t.membership, c.person_id == t.person.c.id).where(c.model_id == model_id)
    return [(_person(r), Membership(r.role, r.clearance)) for r in connection.execute(query.order_by(t.person.c.name, t.person.c.id))]


def put_member(connection: Connection, model_id: int, person_id: int, role: str, clearance: str) -> None:
    """What somebody may do in a model from now on."""
    put = upsert(t.membership).values(model_id=model_id, person_id=person_id, role=role, clearance=clearance)
    keys = [t.membership.c.model_id, t.membership.c.person_id]
    connection.execute(put.on_conflict_do_update(index_elements=keys, set_={"role": role, "clearance": clearance}))


def remove_member(connection: Connection, model_id: int, person_id: int) -> None:
    """Somebody may do nothing in a model from now on."""
    c = t.membership.c
    connection.execute(delete(t.membership).where(c.model_id == model_id, c.person_id == person_id))


# secrets


def make_secret(
    connection: Connection, kind: Kind, person_id: int | None, lasts: dt.timedelta | None, model_id: int | None = None, **about: Any
) -> str:
    """A new secret, told this once."""
    text = secrets.token_urlsafe(32)
    values: dict[str, Any] = {"digest": digest_of(text), "kind": kind, "person_id": person_id, "model_id": model_id, "about": about}
    if lasts is not None:
        values["ends_at"] = func.now() + lasts
    connection.execute(insert(t.secret).values(values))
    return text


def _living(*kinds: Kind) -> Any:
    c = t.secret.c
    return c.kind.in_(kinds) & (c.ends_at.is_(None) | (c.ends_at > func.now()))


def find_secret(connection: Connection, text: str, *kinds: Kind) -> Secret | None:
    """A secret of one of these kinds that still holds; that it was used is kept, to the minute."""
    c, digest = t.secret.c, digest_of(text)
    query = select(t.secret, t.person).outerjoin(t.person, c.person_id == t.person.c.id).where(c.digest == digest, _living(*kinds))
    row = connection.execute(query).mappings().first()
    if row is None:
        return None
    last = update(t.secret).where(c.digest == digest, c.last_at.is_(None) | (c.last_at < func.now() - SEEN_EVERY))
    connection.execute(last.values(last_at=func.now()))
    p = t.person.c
    person = Person(row[p.id], row[p.email], row[p.name], row[p.operator], row[p.opens]) if row[c.person_id] is not None else None
    return Secret(digest, row[c.kind], person, row[c.model_id], row[c.about])


def use_up(connection: Connection, text: str, kind: Kind) -> Secret | None:
    """A secret that is good once: whoever comes first has it."""
    held = find_secret(connection, text, kind)
    if held is None or not connection.execute(delete(t.secret).where(t.secret.c.digest == held.digest)).rowcount:
        return None
    return held


def listed_secrets(connection: Connection, *kinds: Kind, person_id: int | None = None, model_id: int | None = None) -> list[Any]:
    """Secrets that hold, the newest first, without themselves."""
    c = t.secret.c
    query = select(c.digest, c.kind, c.person_id, c.model_id, c.about, c.made_at, c.last_at, c.ends_at).where(_living(*kinds))
    if person_id is not None:
        query = query.where(c.person_id == person_id)
    if model_id is not None:
        query = query.where(c.model_id == model_id)
    return list(connection.execute(query.order_by(c.made_at.desc(), c.digest)))


def revoke(connection: Connection, digest: str, person_id: int | None = None, model_id: int | None = None) -> bool:
    """Ends a secret, of a person or of a model; whether there was one."""
    c = t.secret.c
    query = delete(t.secret).where(c.digest == digest)
    if person_id is not None:
        query = query.where(c.person_id == person_id)
    if model_id is not None:
        query = query.where(c.model_id == model_id)
    return bool(connection.execute(query).rowcount)


def revoke_all(connection: Connection, kind: Kind, person_id: int) -> None:
    """Ends all secrets of a kind that a person has."""
    c = t.secret.c
    connection.execute(delete(t.secret).where(c.kind == kind, c.person_id == person_id))


# the log


def note(connection: Connection, who: str, what: str, model_id: int | None = None, about: str = "") -> None:
    """Adds a line to the log."""
    values = {"person": who, "what": what, "model_id": model_id, "about": about}
    connection.execute(insert(t.event).values(values))


def events(connection: Connection, model_id: int | None, before: int | None = None) -> list[Any]:
    """Lines of the log, the newest first; of one model, or of all."""
    c = t.event.c
    query = select(t.event)
    if model_id is not None:
        query = query.where(c.model_id == model_id)
    if before is not None:
        query = query.where(c.id < before)
    return list(connection.execute(query.order_by(c.id.desc()).limit(MOST_EVENTS)))
