"""Bounds on what one request may take, and the budget that is spent while it runs."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass

from nexorem.core.diagnostics import Diagnostic, OverLimit, Span


@dataclass(frozen=True, slots=True)
class Limits:
    """Every bound with its unit in the name; each is met with an error that names it."""

    formula_characters: int = 100_000
    formula_levels: int = 200
    formula_nodes: int = 10_000
    probe_cells: int = 1_000_000
    seconds: float = 30.0
    memory_bytes: int = 4 * 1024**3
    text_bytes: int = 1024**2
    workers: int = 2

    def of_formulas(self) -> Limits:
        """The bounds that formulas are read under: what computing them may take is the usual."""
        return Limits(self.formula_characters, self.formula_levels, self.formula_nodes)


DEFAULT_LIMITS = Limits()
# The longest text that a function may make, for what computes now: functions are given values alone.
TEXT_BYTES: ContextVar[int] = ContextVar("text_bytes", default=DEFAULT_LIMITS.text_bytes)
SPENT: ContextVar[Budget | None] = ContextVar("spent", default=None)  # the budget of what computes now


def over(limit: str, message: str, hint: str = "", span: Span | None = None) -> OverLimit:
    """The error for a bound that was met."""
    return OverLimit(Diagnostic(f"limit_{limit}", message, span=span, hint=hint))


class Budget:
    """Time and memory of one request. The clock is handed in, for nothing in the core reads one.

    Memory is what is kept (`held`, in bytes: results of steps, contexts, cells) and what is about to be taken, together.
    """

    def __init__(self, limits: Limits = DEFAULT_LIMITS, now: Callable[[], float] | None = None) -> None:
        self.limits = limits
        self._now = now
        self._until = now() + limits.seconds if now else 0.0
        self._cancelled = False
        self._ends: list[Callable[[], None]] = []
        self.held = 0

    @contextmanager
    def bounding_texts(self) -> Iterator[None]:
        """Bounds the texts that functions make while it is entered, and spends this budget for what they take."""
        tokens = TEXT_BYTES.set(self.limits.text_bytes), SPENT.set(self)
        try:
            yield
        finally:
            TEXT_BYTES.reset(tokens[0])
            SPENT.reset(tokens[1])

    def milliseconds(self) -> float:
        """The clock's time, 0 without one."""
        return self._now() * 1000 if self._now else 0.0

    def cancel(self) -> None:
        """Ends the computation at its next check, and at once what somebody else does for it; may be called from another thread."""
        self._cancelled = True
        for end in list(self._ends):
            end()

    @property
    def is_cancelled(self) -> bool:
        """Whether nobody waits for it any more."""
        return self._cancelled

    @contextmanager
    def ending(self, end: Callable[[], None]) -> Iterator[None]:
        """While it is entered somebody else is at work, who is told by `end` that nobody waits any more."""
        self._ends.append(end)
        try:
            if self._cancelled:
                self.check()
            yield
        finally:
            self._ends.remove(end)

    def waited(self, seconds: float) -> None:
        """Time that somebody else took, who has bounds of their own."""
        self._until += seconds

    def check(self) -> None:
        """Raises when the time is used up or the request was cancelled."""
        if self._cancelled:
            raise over("cancelled", "The computation was cancelled.")
        if self._now and self._now() > self._until:
            raise over(
                "seconds",
                f"The computation took longer than {self.limits.seconds:g} seconds.",
                "Ask for fewer cells, or pick less.",
            )

    def take(self, count: int, width: int, what: str) -> None:
        """Raises before an array of `count` items of `width` bytes would, beside what is kept, pass the memory bound."""
        self.check()
        if self.held + count * width > self.limits.memory_bytes:
            beside = f" beside {self.held // 1024**2:,} MB that are kept" if self.held >= 1024**2 else ""
            raise over(
                "memory_bytes",
                f"{what} would take about {count * width // 1024**2:,} MB{beside}; {self.limits.memory_bytes // 1024**2:,} MB are allowed.",
                "Ask for fewer cells, or pick less.",
            )

    def keep(self, size: int, what: str) -> None:
        """Counts bytes that stay until what is computed now is done; raises where they pass the memory bound."""
        self.take(size, 1, what)
        self.held += size

    @contextmanager
    def keeping(self) -> Iterator[None]:
        """What is kept while it is entered is let go of behind it."""
        held = self.held
        try:
            yield
        finally:
            self.held = held
