"""What travels over HTTP about SQL: statements, grids here and there, proofs."""

from __future__ import annotations

from pydantic import BaseModel

from nexorem.server.schemas import Body, Coordinate, SentProbe
from nexorem.sql.proof import LineBeside, Proof


class SqlRequest(Body):
    """A probe, or (`at`) its one cell there, and whose SQL; `release`: as of this one, in place of the draft."""

    probe: SentProbe
    dialect: str = "postgresql"
    at: list[Coordinate] | None = None
    release: int | None = None


class DialectRow(BaseModel):
    name: str
    title: str


class SqlAnswer(BaseModel):
    """A statement, laid out to be read; `place` is where it is asked, empty where the rows are here."""

    text: str
    place: str
    dialect: str
    dialects: list[DialectRow]
    milliseconds: float


class ProveRequest(Body):
    """A probe, or (`at`) its one cell there."""

    probe: SentProbe
    at: list[Coordinate] | None = None
    release: int | None = None


class ProveAnswer(BaseModel):
    """What came of a grid, and its first cells here and there."""

    proof: Proof
    lines: list[LineBeside]


class PlanAnswer(BaseModel):
    """How a place would go about a statement, in its own words."""

    text: str


class ProofRow(BaseModel):
    """A grid of the model, what it is of and what it shows; `proof` None: it is yet to be proven."""

    about: str
    words: str
    proof: Proof | None
    made_at: str | None


class Proofs(BaseModel):
    """All grids of a model, and how far the present run is."""

    version: int
    proofs: list[ProofRow]
    done: int
    total: int
    running: bool
