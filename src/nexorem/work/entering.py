"""Addresses that let somebody in, for who starts Nexorem or can read its store."""

from __future__ import annotations

from nexorem.store import people as kept
from nexorem.store.people import Engine
from nexorem.work.people import ADDRESS, INVITATION, checked_email

COMMAND = "the command line"


def new_address(engine: Engine, origin: str) -> str:
    """An address that lets one browser of this machine in, once."""
    with engine.begin() as connection:
        return f"{origin}/?key={kept.make_secret(connection, 'address', None, ADDRESS)}"


def new_invitation(engine: Engine, origin: str, email: str, operator: bool, opens: bool) -> str:
    """An address at which somebody makes their account, once."""
    about = {"email": checked_email(email), "role": "", "clearance": "", "operator": operator, "opens": opens, "by": COMMAND}
    with engine.begin() as connection:
        kept.note(connection, COMMAND, "invited", about=f"{about['email']} as {'operator' if operator else 'member'}")
        return f"{origin}/?invitation={kept.make_secret(connection, 'invitation', None, INVITATION, None, **about)}"
