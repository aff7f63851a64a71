"""What can go wrong, said once: the same diagnostic travels from the lexer to the editor under the formula.

Three families of errors. `Refused` is the user's to mend and carries every diagnostic at once; `OverLimit` names the
bound that was met; anything else that escapes is a defect of ours.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

ALIKE = 60.0  # percent: names that are as near are offered


@dataclass(frozen=True, slots=True)
class Span:
    """Half-open range of code points in one formula."""

    start: int
    end: int

    def to(self, other: Span) -> Span:
        """The smallest span over both."""
        return Span(min(self.start, other.start), max(self.end, other.end))


NOWHERE = Span(0, 0)


@dataclass(frozen=True, slots=True)
class Mend:
    """A text edit that mends a formula: put `text` in place of `span`."""

    label: str
    span: Span
    text: str


@dataclass(frozen=True, slots=True)
class Diagnostic:
    """One thing that is wrong: `code` for programs, `message` and `hint` for people, `place` where it stands.

    `span` counts code points of the formula named by `place`, and `text` is what stands there; without a formula they
    are None and empty.
    """

    code: str
    message: str
    span: Span | None = None
    place: str = ""
    hint: str = ""
    mends: tuple[Mend, ...] = field(default=())
    text: str = ""

    def as_json(self) -> dict[str, Any]:
        """The form of formats.md: code, in, start, end, text, message, mend."""
        span = self.span or NOWHERE
        return {
            "code": self.code,
            "in": self.place,
            "start": span.start,
            "end": span.end,
            "text": self.text,
            "message": self.message,
            "mend": self.hint,
            "mends": [{"label": m.label, "start": m.span.start, "end": m.span.end, "text": m.text} for m in self.mends],
        }

    def as_line(self) -> str:
        """One line for a terminal."""
        where = f"{self.place}: " if self.place else ""
        at = f" (at {self.span.start + 1})" if self.span else ""
        mend = f" {self.hint}" if self.hint else ""
        return f"{where}{self.code}: {self.message}{mend}{at}"


class Refused(Exception):
    """Input that cannot be used as it is; holds at least one diagnostic."""

    def __init__(self, diagnostics: Iterable[Diagnostic] | Diagnostic) -> None:
        listed = (diagnostics,) if isinstance(diagnostics, Diagnostic) else tuple(diagnostics)
        assert listed
        self.diagnostics = listed
        super().__init__("\n".join(d.as_line() for d in listed))


class OverLimit(Refused):
    """A bound was met; the diagnostic's code is the bound's name."""


class CellError(Exception):
    """A value cannot be computed from its data; `code` stands in its place."""

    def __init__(self, code: str, message: str = "") -> None:
        self.code = code
        super().__init__(message)


def refuse(code: str, message: str, hint: str = "", place: str = "") -> Refused:
    """A refusal with one diagnostic that has no place in a formula."""
    return Refused(Diagnostic(code, message, hint=hint, place=place))


def near(name: str, names: Iterable[str], most: int = 5) -> list[str]:
    """Up to five known names that resemble `name`, the nearest first, whatever their case."""
    folded: dict[str, str] = {}
    for item in names:
        folded.setdefault(item.casefold(), item)
    from rapidfuzz import fuzz, process  # which nobody needs who makes no mistakes

    matches = process.extract(name.casefold(), list(folded), scorer=fuzz.ratio, limit=most, score_cutoff=ALIKE)
    return [folded[item] for item, _, _ in matches]


def near_hint(name: str, names: Iterable[str]) -> str:
    """“Did you mean …?” or nothing."""
    alike = near(name, names)
    return f"Did you mean {' or '.join(alike)}?" if alike else ""
