"""Two states of a model compared: who is newly filtered and who no longer, paths doubled, findings that appear and go."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace

from nexorem.core.model.model import Model
from nexorem.core.model.paths import DoublePath, doubled_paths, model_state
from nexorem.core.model.star import Star
from nexorem.core.plan.reach import NO_WAY, reaches
from nexorem.core.results import Result


@dataclass(frozen=True, slots=True)
class PairReached(Result):
    """Two tables, the first filtering the second over a path; `was` is another one that it took before."""

    from_: str
    to: str
    path: tuple[str, ...]
    was: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class ReachChange(Result):
    """Ordered pairs of tables that both models have: `newly` reached; `no_longer` reached, over what was the path; `moved` to another."""

    newly: tuple[PairReached, ...]
    no_longer: tuple[PairReached, ...]
    moved: tuple[PairReached, ...]


@dataclass(frozen=True, slots=True)
class Double(Result):
    """A double path, to be drawn: its two ends, and the links of either way from the source on."""

    source: str
    target: str
    first: tuple[str, ...]
    second: tuple[str, ...]
    sentence: str


def reach_change(now: Star, then: Star) -> ReachChange:
    """Who is newly filtered by whom, who no longer, and who over another path."""
    names = [t.name for t in now.model.tables if then.model.table(t.name)]
    newly, no_longer, moved = list[PairReached](), list[PairReached](), list[PairReached]()
    for source in names:
        before, after = reaches(now, now.state, source), reaches(then, then.state, source)
        for target in (n for n in names if n != source):
            was, path = before.get(target, NO_WAY).path, after.get(target, NO_WAY).path
            if path and not was:
                newly.append(PairReached(source, target, path))
            elif was and not path:
                no_longer.append(PairReached(source, target, was))
            elif was != path:
                moved.append(PairReached(source, target, path, was))
    return ReachChange(tuple(newly), tuple(no_longer), tuple(moved))


def drawn(double: DoublePath) -> Double:
    """A double path with what is drawn and said of it."""
    return Double(double.source, double.target, tuple(double.first), tuple(double.second), double.sentence())


def doubles(model: Model) -> list[DoublePath]:
    """Every double path of a model, the shortest first; of several that are doubled by the same links the nearest alone."""
    paths = sorted(doubled_paths(model, model_state(model)), key=lambda d: len(d.first) + len(d.second))
    distinct: list[DoublePath] = []
    for double in paths:
        ways = {double.first, double.second}
        if not any({d.first, d.second} == ways or _inside(d, double) for d in distinct):
            distinct.append(double)
    return distinct


def _inside(short: DoublePath, long: DoublePath) -> bool:
    return set(short.first) <= set(long.first) and set(short.second) <= set(long.second)


def yielding(model: Model, keep: Sequence[str]) -> list[str]:
    """The active links, none of them in `keep`, of which any one, made inactive, leaves no path doubled."""
    paths = doubles(model)
    if not paths:
        return []
    candidates = dict.fromkeys(name for d in paths for name in (*d.first, *d.second) if name not in keep)
    return [name for name in candidates if not doubles(switched_off(model, [name]))]


def switched_off(model: Model, names: Collection[str]) -> Model:
    """The model with these links inactive."""
    return replace(model, links=tuple(replace(k, active=False) if k.name in names else k for k in model.links))
