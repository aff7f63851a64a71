"""Walking over a formula's tokens: looking, taking, failing with a diagnostic, and going on after an error."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from nexorem.core.diagnostics import Diagnostic, Mend, Span
from nexorem.core.language import syntax as s
from nexorem.core.language.lexer import Token, tokenize
from nexorem.core.limits import DEFAULT_LIMITS, Limits, over

Read = TypeVar("Read")


class Stuck(Exception):
    """Reading cannot go on here; the diagnostic is already noted."""


class TokenReader:
    """The tokens of one formula, with a place among them; `wrong` collects every diagnostic."""

    def __init__(self, text: str, limits: Limits = DEFAULT_LIMITS) -> None:
        self.limits = limits
        self.tokens, self.wrong = tokenize(text, limits)
        self.at = 0
        self.level = 0
        self.nodes = 0
        self.bare_in_ends = False  # inside a `let` definition: a bare `in` is not the predicate

    ADDED = 0

    def expression(self, lowest: int = 1) -> s.Node:
        """An expression whose operators bind at least as tightly as `lowest`; `ADDED` leaves out comparisons."""
        raise NotImplementedError

    # tokens

    @property
    def token(self) -> Token:
        return self.tokens[self.at]

    def peek(self, ahead: int = 1) -> Token:
        """A later token, the end where there is none."""
        return self.tokens[min(self.at + ahead, len(self.tokens) - 1)]

    def take(self) -> Token:
        token = self.token
        if token.kind != "end":
            self.at += 1
        return token

    def is_op(self, *ops: str) -> bool:
        return self.token.kind == "op" and self.token.text in ops

    def is_word(self, *words: str) -> bool:
        return self.token.word() in words

    def skip_op(self, op: str) -> bool:
        skipped = self.is_op(op)
        self.at += skipped
        return skipped

    def skip_word(self, word: str) -> bool:
        skipped = self.is_word(word)
        self.at += skipped
        return skipped

    def fail(self, message: str, hint: str = "", code: str = "syntax", span: Span | None = None, mends: tuple[Mend, ...] = ()) -> Stuck:
        self.wrong.append(Diagnostic(code, message, span or self.token.span, hint=hint, mends=mends))
        return Stuck()

    def expect_op(self, op: str, why: str) -> Token:
        if not self.is_op(op):
            mend = (Mend(f"add {op}", Span(self.token.span.start, self.token.span.start), op),) if op == ")" else ()
            raise self.fail(f"{self.shown()} stands where {op} {why} is expected.", mends=mend)
        return self.take()

    def expect_word(self, word: str) -> Token:
        if not self.is_word(word):
            raise self.fail(f"{self.shown()} stands where {word.upper()} is expected.")
        return self.take()

    def shown(self) -> str:
        return "The end of the formula" if self.token.kind == "end" else repr(self.token.text)

    def deeper(self) -> None:
        self.level += 1
        if self.level > self.limits.formula_levels:
            raise over(
                "formula_levels",
                f"The formula is more than {self.limits.formula_levels} levels deep.",
                "Give its inner parts names of their own.",
                self.token.span,
            )

    def counted(self, node: s.Node) -> s.Node:
        self.nodes += 1
        if self.nodes > self.limits.formula_nodes:
            raise over(
                "formula_nodes",
                f"The formula has more than {self.limits.formula_nodes:,} parts.",
                "Split it into several measures.",
                node.span,
            )
        return node

    def resync(self) -> None:
        """To the next comma or closing bracket of the group that is open."""
        depth = 0
        self.bare_in_ends = False  # every such group is a bracket
        while self.token.kind != "end":
            if depth == 0 and self.is_op(",", ")"):
                return
            depth += self.is_op("(") - self.is_op(")")
            self.at += 1

    def guarded(self, read: Callable[[], s.Node]) -> s.Node:
        """Reads an item of a bracketed list; after an error goes on behind it."""
        start, level = self.token.span, self.level
        try:
            return read()
        except Stuck:
            self.level = level
            self.resync()
            return s.Broken(start)

    def list_of(self, read: Callable[[], s.Node]) -> list[s.Node]:
        items = [self.guarded(read)]
        while self.skip_op(","):
            items.append(self.guarded(read))
        return items

    def attempt(self, read: Callable[[], Read]) -> Read | None:
        """What `read` gives, or None, with nothing read or reported, where it gets stuck or reports something."""
        at, level, nodes, faults = self.at, self.level, self.nodes, len(self.wrong)
        try:
            node = read()
        except Stuck:
            node = None
        if node is None or len(self.wrong) > faults:
            self.at, self.level, self.nodes = at, level, nodes
            del self.wrong[faults:]
            return None
        return node
