"""What travels about tables that stay where they are."""

from __future__ import annotations

from pydantic import BaseModel, Field

from nexorem.server.schemas import Body


class LeftTable(Body):
    """A table of a place that stays there, under a title, or in the place of a table of the model (`table`)."""

    schema_: str = Field(default="", alias="schema")
    name: str
    title: str = ""
    table: str | None = None


class LeaveRequest(Body):
    """Tables that are left where they are."""

    name: str
    tables: list[LeftTable]
    base: int


class TakeInRequest(Body):
    table: str
    base: int


class LookAgainRequest(Body):
    """Tables that stay, to be looked at again."""

    tables: list[str]
    base: int


class AskedStatement(BaseModel):
    """A statement that a place is answering: for how many seconds, and how many of its tasks are done; 0 of 0 where nobody can tell."""

    connection: str
    seconds: float
    done: int
    total: int


class AskedNow(BaseModel):
    statements: list[AskedStatement]
