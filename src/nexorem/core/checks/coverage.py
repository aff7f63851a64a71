"""Coverage: what would nobody notice? The model is broken on purpose, one change at a time, and its checks are run on what comes of it."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Literal, Protocol

import numpy as np

from nexorem.core.checks.basis import check_basis, probe_basis
from nexorem.core.checks.looked_at import Looked, looked_at
from nexorem.core.checks.mutations import Kind, Mutation
from nexorem.core.checks.outcome import Outcome
from nexorem.core.checks.outside import OF_LINKS
from nexorem.core.checks.propose import Proposal, alike, first_cell, proposal, widest_move
from nexorem.core.diagnostics import OverLimit, Refused
from nexorem.core.engine.beside import NOWHERE, grids_beside
from nexorem.core.engine.grid import Grid, answer
from nexorem.core.engine.probe import read_probe
from nexorem.core.limits import Budget
from nexorem.core.model.check import check_model
from nexorem.core.model.check_specs import CheckSpec, NoneMust
from nexorem.core.model.edits import apply
from nexorem.core.model.model import Model
from nexorem.core.model.paths import DoublePath
from nexorem.core.model.specs import spec_json
from nexorem.core.model.star import Star
from nexorem.core.plan.basis import Basis
from nexorem.core.results import Result

State = Literal["noticed", "unnoticed", "equivalent", "refused"]
Make = Callable[[Model], Star]  # the star of an edited model; may refuse
Run = Callable[[Star, CheckSpec, str], Outcome]  # a check's outcome on a star, kept under the digest that is given with it


@dataclass(frozen=True, slots=True)
class Verdict(Result):
    """What came of one change. Noticed: `by` is a check that held before it and no longer does. Unnoticed: some number that is looked at
    moves and no check does; `closes` is the check that would close the hole. Equivalent: every number is as it was. Refused: the model
    would not hold together, so nobody can make it."""

    state: State
    by: str = ""
    sentence: str = ""
    closes: Proposal | None = None


@dataclass(frozen=True, slots=True)
class Covered(Result):
    """A change and what came of it."""

    kind: Kind
    about: str
    words: str
    how: str
    step: int | None
    verdict: Verdict


class Memory(Protocol):
    """Where verdicts are kept, by what they were made from."""

    def get(self, key: str) -> Verdict | None:
        """One of before."""

    def put(self, key: str, verdict: Verdict) -> None:
        """Keeps one."""


@dataclass(slots=True)
class Item:
    """A check, or a probe that is looked at, as it is before any change; `basis` None for one that cannot be answered."""

    key: str
    of: CheckSpec | Looked
    basis: Basis | None
    digest: str
    outcome: Outcome | None = None
    grid: Grid | None = None


class Coverage:
    """Breaks one model. `make` gives the star of an edited model, `run` a check's outcome, `budget` the bound of one answer; `pause` is
    called between two pieces of work, for whoever else wants the processor."""

    def __init__(
        self,
        star: Star,
        make: Make,
        run: Run,
        budget: Callable[[], Budget],
        memory: Memory,
        pause: Callable[[], None] = lambda: None,
    ) -> None:
        self.star, self.make, self.run, self.budget, self.memory, self.pause = star, make, run, budget, memory, pause
        self.checks = [self._item(f"check {c.name}", c) for c in star.model.checks]
        self.probes = [self._item(f"{x.about} {i}", x) for i, x in enumerate(looked_at(star.model))]

    def _item(self, key: str, of: CheckSpec | Looked) -> Item:
        basis = _basis(self.star, of)
        return Item(key, of, basis, "" if basis is None else basis.digest(self.star))

    def all(self, changes: Sequence[Mutation]) -> Iterator[Covered]:
        """Every change in its order, with what came of it. Cost: of each the checks and probes that it touches, those of one that holds
        up to the first that fails."""
        for change in changes:
            yield Covered(change.kind, change.about, change.words, change.how, change.step, self.of(change))

    def of(self, change: Mutation) -> Verdict:
        """What comes of one change."""
        if change.refused:
            return Verdict("refused", sentence=change.refused)
        try:
            model = self.star.model
            for edit in change.edits:
                model = apply(model, edit)[0]
            then = self.make(model)
            wrong = check_model(then, self.star)
        except Refused as refused:
            wrong = list(refused.diagnostics)
        if wrong:
            return Verdict("refused", sentence=wrong[0].message)
        touched = self._touched(change, then)
        key = _key(change, touched)
        verdict = self.memory.get(key)
        if verdict is None:
            verdict = self._judged(then, touched)
            self.memory.put(key, verdict)
        return verdict

    def _touched(self, change: Mutation, then: Star) -> list[tuple[Item, CheckSpec | Looked, str]]:
        """The items whose basis the change alters, as they are after it, with their digests then."""
        after = {f"{x.about} {i}": x for i, x in enumerate(looked_at(then.model))}
        touched = []
        for item in (*self.checks, *self.probes):
            now = item.of if isinstance(item.of, CheckSpec) else after.get(item.key, item.of)
            if item.basis is None or not self._may_touch(change, then, item):
                continue
            self.pause()
            basis = _basis(then, now)
            digest = "" if basis is None else basis.digest(then)
            if digest != item.digest:
                touched.append((item, now, digest))
        return touched

    def _may_touch(self, change: Mutation, then: Star, item: Item) -> bool:
        """Whether the change can reach an item at all: most cannot, and are not bound again. Where rows, or what is proven of them, are
        others, anything may."""
        assert item.basis is not None
        if isinstance(item.of, CheckSpec) and isinstance(item.of.must, NoneMust) and not OF_LINKS.issuperset(item.of.must.none):
            return True
        if then.rows is not self.star.rows or then.firm != self.star.firm or then.unmatched != self.star.unmatched:
            return True
        if change.kind == "measure":
            return change.about.removeprefix("measure ") in item.basis.measures
        if change.kind == "link":
            names = {edit["name"] for edit in change.edits}
            ends = {table for k in self.star.model.links if k.name in names for table in k.tables}
            return not ends.isdisjoint(item.basis.tables)
        return True

    def _judged(self, then: Star, touched: Sequence[tuple[Item, CheckSpec | Looked, str]]) -> Verdict:
        for item, now, digest in sorted(touched, key=_cost):
            if isinstance(now, CheckSpec):
                if item.outcome is None:
                    item.outcome = self.run(self.star, now, item.digest)
                if item.outcome.state == "holds":
                    came = self.run(then, now, digest)
                    if came.state != "holds":
                        return Verdict("noticed", now.name, came.sentence)
        return self._unnoticed(then, touched) or Verdict("equivalent")

    def _unnoticed(self, then: Star, touched: Sequence[tuple[Item, CheckSpec | Looked, str]]) -> Verdict | None:
        """The first probe that moves, those of the model before the tiles of folios; None where nothing does."""
        for item, now, _ in touched:
            if isinstance(now, CheckSpec):
                continue
            self.pause()
            before, after = self._grid(item), self._answer(then, now)
            if before is None or (after is not None and not differ(before, after)):
                continue
            move = widest_move(before, after) if after is not None else first_cell(before)
            said = f"The {now.about} could no longer be answered." if after is None else f"Lines of the {now.about} would be others."
            if move is None:
                return Verdict("unnoticed", sentence=said)
            said = said if after is None else move.words(now.about)
            return Verdict("unnoticed", sentence=said, closes=proposal(self.star, now.name or now.spec, said, move))
        moved = next((now for item, now, _ in touched if isinstance(now, CheckSpec) and self._check_moves(then, item, now)), None)
        if moved is None:
            return None
        return Verdict("unnoticed", sentence=f"What the check {moved.name} looks at would be another, and its state is the same.")

    def _check_moves(self, then: Star, item: Item, check: CheckSpec) -> bool:
        """Whether what a check counts is another number, though it holds or fails as before."""
        if isinstance(check.must, NoneMust) or item.outcome is None:
            return False
        came = self.run(then, check, "")
        return (came.tested, came.failed, came.state) != (item.outcome.tested, item.outcome.failed, item.outcome.state)

    def _grid(self, item: Item) -> Grid | None:
        if item.grid is None:
            assert isinstance(item.of, Looked)
            item.grid = self._answer(self.star, item.of)
        return item.grid

    def _answer(self, star: Star, looked: Looked) -> Grid | None:
        try:
            return answer(star, read_probe(star, looked.spec), self.budget())
        except OverLimit:
            raise
        except Refused:
            return None


def _cost(touched: tuple[Item, CheckSpec | Looked, str]) -> bool:
    """What looks for findings comes after what looks at numbers."""
    return isinstance(touched[1], CheckSpec) and isinstance(touched[1].must, NoneMust)


def _basis(star: Star, of: CheckSpec | Looked) -> Basis | None:
    if isinstance(of, CheckSpec):
        return check_basis(star, of)
    try:
        return probe_basis(star, read_probe(star, of.spec))
    except (Refused, DoublePath):
        return None


def _key(change: Mutation, touched: Sequence[tuple[Item, CheckSpec | Looked, str]]) -> str:
    """What a verdict was made from: the change, and every item that it touches before it and after it."""
    items = [(item.key, _said(now), item.digest, digest) for item, now, digest in touched]
    text = json.dumps([change.about, change.words, list(change.edits), items], sort_keys=True, default=str)
    return hashlib.blake2b(text.encode("utf-8", "surrogatepass"), digest_size=20).hexdigest()


def _said(of: CheckSpec | Looked) -> object:
    return spec_json(replace(of, description="", folder="")) if isinstance(of, CheckSpec) else spec_json(of.spec)


def differ(before: Grid, after: Grid) -> bool:
    """Whether two answers to a probe differ in a line or a cell, by more than the order of summing does. Cost: the cells."""
    same_rows = before.star.rows is after.star.rows
    if same_rows and all(np.array_equal(a.lines, b.lines) for a, b in ((before.rows, after.rows), (before.columns, after.columns))):
        pairs = zip(before.values, after.values, strict=True)
        return any(not alike(x, y) for a, b in pairs for x, y in zip(a.as_json(), b.as_json(), strict=True))
    both = grids_beside(before, after)
    lost = any((side == NOWHERE).any() for lines in (both.rows, both.columns) for side in (lines.before, lines.after))
    apart = np.argwhere(both.differs)
    return bool(lost) or any(not alike(both.before[m][r, c], both.after[m][r, c]) for m, r, c in apart)


def share_noticed(verdicts: Sequence[Verdict]) -> tuple[int, int]:
    """How many changes some check notices, of those that move a number."""
    noticed = sum(v.state == "noticed" for v in verdicts)
    return noticed, noticed + sum(v.state == "unnoticed" for v in verdicts)


class Kept(dict[str, Verdict]):
    """Verdicts in memory."""

    def put(self, key: str, verdict: Verdict) -> None:
        """Keeps one."""
        self[key] = verdict
