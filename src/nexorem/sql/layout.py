"""A statement laid out for people: its clauses on lines of their own, and lists of columns that are long."""

from __future__ import annotations

import re

WORDS = "UNION ALL|UNION|SELECT DISTINCT|SELECT|FROM|LEFT OUTER JOIN|JOIN|WHERE|GROUP BY|HAVING|ORDER BY"
PIECE = re.compile(rf"""(--[^\n]*\n|'(?:[^']|'')*'|"(?:[^"]|"")*"|\b(?:{WORDS})\b|[(),]|\s+)""")
CLAUSES = frozenset(WORDS.split("|"))
WIDE = 100
STEP = "  "


def laid_out(text: str) -> str:
    """The same statement, with nothing in quotes changed. Cost: a pass over its text."""
    pieces = [x for x in PIECE.split(text) if x]
    return _Layout(pieces).text()


class _Layout:
    """`_open` has for each bracket that is open whether a SELECT stands in it; the first stands for the statement itself."""

    def __init__(self, pieces: list[str]) -> None:
        self.pieces = pieces
        self.lines = [""]
        self._open = [True]
        self._wide = [False]

    def text(self) -> str:
        """All of it."""
        for place, piece in enumerate(self.pieces):
            self._take(place, piece)
        return "\n".join(line.rstrip() for line in self.lines).strip()

    @property
    def _indent(self) -> str:
        return STEP * (sum(self._open) - 1)

    def _new_line(self, more: str = "") -> None:
        if self.lines[-1].strip():
            self.lines.append("")
        self.lines[-1] = self._indent + more

    def _take(self, place: int, piece: str) -> None:
        if piece.startswith("--"):
            self._new_line()
            self.lines[-1] += piece.rstrip("\n")
            self.lines.append(self._indent)
        elif piece.isspace():
            if self.lines[-1].strip() and not self.lines[-1].endswith((" ", "(")):
                self.lines[-1] += " "
        elif piece == "(":
            inside = self._next(place) in ("SELECT", "SELECT DISTINCT")
            self.lines[-1] += piece
            self._open.append(inside)
            self._wide.append(False)
        elif piece == ")":
            was = self._open.pop()
            self._wide.pop()
            if was:
                self._new_line()
            self.lines[-1] += piece
        elif piece == "," and self._open[-1]:
            self.lines[-1] = self.lines[-1].rstrip() + ","
            if len(self._open) == 1 and self._next(place) not in CLAUSES and self._is_relation(place):
                self.lines.append(self._indent)
            elif self._wide[-1]:
                self._new_line(STEP * 2)
        elif piece in CLAUSES and self._open[-1]:
            self._clause(place, "LEFT JOIN" if piece == "LEFT OUTER JOIN" else piece)
        else:
            self.lines[-1] += piece

    def _clause(self, place: int, piece: str) -> None:
        self._new_line(STEP if piece.endswith("JOIN") else "")
        self.lines[-1] += piece
        if piece.startswith("SELECT"):
            self._wide[-1] = self._length(place) > WIDE
        elif piece not in ("ORDER BY", "GROUP BY"):
            self._wide[-1] = False

    def _next(self, place: int) -> str:
        return next((x for x in self.pieces[place + 1 :] if not x.isspace()), "")

    def _is_relation(self, place: int) -> bool:
        """Whether a comma is one between two relations of the statement: what follows is a name, or what is said of it, and AS."""
        after = "".join(self.pieces[place + 1 : place + 12])
        return bool(re.match(r"\s*(--|\S+ AS \()", after))

    def _length(self, place: int) -> int:
        """How long a list of columns is."""
        depth = length = 0
        for piece in self.pieces[place + 1 :]:
            depth += (piece == "(") - (piece == ")")
            if depth < 0 or (depth == 0 and piece in CLAUSES):
                break
            length += len(piece)
            if length > WIDE:
                break
        return length
