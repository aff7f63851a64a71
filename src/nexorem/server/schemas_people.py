"""What travels over HTTP about people: who is signed in, invitations, members, tokens, the log, and a model as somebody else sees it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, Field

from nexorem.core.engine.cleared import ClearedTable
from nexorem.server.schemas import Body, SentProbe
from nexorem.server.schemas_link import Beside

NO_NUL = "^[^\\x00]*$"  # the database holds no such character
Short = Annotated[str, Field(max_length=1_000, pattern=NO_NUL)]
Name = Annotated[str, Field(max_length=200, pattern=NO_NUL)]
NeedName = Literal["look", "try", "edit", "bring", "keep"]


class PersonInfo(BaseModel):
    id: int
    email: str
    name: str
    operator: bool
    opens: bool


class Me(BaseModel):
    """Who is signed in and what they may do, in the model that was asked about, or besides; `cleared` is the clearance that their rows are
    cleared by. `provider` is the name of a provider of identities that one may come in by."""

    mode: Literal["open", "alone", "team"]
    signed_in: bool
    person: PersonInfo | None
    may: list[NeedName]
    cleared: str | None
    provider: str | None


class MeQuery(Body):
    model: int | None = None


class SignIn(Body):
    email: Short
    password: Short


class Accept(Body):
    key: Name
    name: Name = ""
    password: Short


class InvitationQuery(Body):
    key: Name


class InvitationInfo(BaseModel):
    """Whom an invitation is for; `known` where the address has an account with a password."""

    email: str
    model: str
    role: str
    by: str
    known: bool


class MemberInfo(BaseModel):
    id: int
    email: str
    name: str
    role: str
    clearance: str


class Invited(BaseModel):
    digest: str
    email: str
    role: str
    clearance: str
    ends_at: str


class TokenInfo(BaseModel):
    digest: str
    model_id: int | None
    name: str
    release: int | None
    made_at: str
    last_at: str | None
    ends_at: str | None
    person: str = ""


class RoleInfo(BaseModel):
    """A role, in words what it may do, and whether a clearance can be held to it."""

    name: str
    may: list[str]
    cleared: bool


class People(BaseModel):
    members: list[MemberInfo]
    invitations: list[Invited]
    tokens: list[TokenInfo]
    clearances: list[str]
    roles: list[RoleInfo]


class InviteRequest(Body):
    email: Short
    role: Name
    clearance: Short = ""


class OperatorInvite(Body):
    """Somebody to be let in besides any model: an operator, or one who may open models of their own."""

    email: Short
    operator: bool = False
    opens: bool = False


class InviteAnswer(BaseModel):
    """The address of an invitation, told this once."""

    address: str


class MemberRequest(Body):
    person: int
    role: Name
    clearance: Short = ""


class PersonRequest(Body):
    person: int


class DigestRequest(Body):
    digest: Name


class TokenRequest(Body):
    name: Name
    model: int
    release: int | None = None
    days: int = 90


class TokenAnswer(BaseModel):
    """A token, told this once."""

    token: str


class SessionInfo(BaseModel):
    digest: str
    made_at: str
    last_at: str | None
    present: bool


class Own(BaseModel):
    sessions: list[SessionInfo]
    tokens: list[TokenInfo]


class LogQuery(Body):
    before: int | None = None


class LogLine(BaseModel):
    id: int
    made_at: str
    person: str
    what: str
    model_id: int | None
    about: str


class Log(BaseModel):
    lines: list[LogLine]


class Accounts(BaseModel):
    people: list[PersonInfo]


class SeenAsRequest(Body):
    """A probe to be seen as somebody with a clearance; what `person('…')` stands for is said with it."""

    probe: SentProbe
    clearance: Short
    email: Short = ""
    name: Name = ""


class SeenAs(BaseModel):
    """A probe as the caller sees it, and as somebody with a clearance does; the rules as they came to, and what they left of each table, of
    how many rows."""

    grid: Beside
    rules: list[str]
    tables: list[ClearedTable]
    sizes: list[int]


class ReachOfRules(BaseModel):
    """The tables that a clearance's rules stand on or come to, and those that they do not."""

    name: str
    rules: list[str]
    reached: list[str]
    missed: list[str]
    wrong: str


class Clearances(BaseModel):
    clearances: list[ReachOfRules]
