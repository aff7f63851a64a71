"""Two states of a model compared: who is newly filtered and who no longer, paths doubled, findings that appear and go."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import replace
from typing import Any

from nexorem.core.model.model import Model
from nexorem.core.model.paths import DoublePath, doubled_paths, model_state
from nexorem.core.model.star import Star
from nexorem.core.plan.reach import reaches

Finding = Mapping[str, Any]


def reach_change(now: Star, then: Star) -> dict[str, list[dict[str, Any]]]:
    """By ordered pair of tables that both models have: `newly` reached, over `path`; `no_longer` reached, over what was the `path`;
    `moved`, reached over another `path` than `was`."""
    names = [t.name for t in now.model.tables if then.model.table(t.name)]
    told: dict[str, list[dict[str, Any]]] = {"newly": [], "no_longer": [], "moved": []}
    for source in names:
        before, after = reaches(now, now.state, source), reaches(then, then.state, source)
        for target in (n for n in names if n != source):
            was, path = before.get(target, {}).get("path"), after.get(target, {}).get("path")
            pair = {"from": source, "to": target, "path": path or was or []}
            if path and not was:
                told["newly"].append(pair)
            elif was and not path:
                told["no_longer"].append(pair)
            elif was != path:
                told["moved"].append(pair | {"was": was})
    return told


def double_json(double: DoublePath) -> dict[str, Any]:
    """A double path, to be drawn: its two ends, and the links of either way from the source on."""
    return {
        "source": double.source,
        "target": double.target,
        "first": list(double.first),
        "second": list(double.second),
        "sentence": double.sentence(),
    }


def doubles(model: Model) -> list[DoublePath]:
    """Every double path of a model, the shortest first; of several that are doubled by the same links the nearest alone."""
    found = sorted(doubled_paths(model, model_state(model)), key=lambda d: len(d.first) + len(d.second))
    told: list[DoublePath] = []
    for double in found:
        ways = {double.first, double.second}
        if not any({d.first, d.second} == ways or _inside(d, double) for d in told):
            told.append(double)
    return told


def _inside(short: DoublePath, long: DoublePath) -> bool:
    return set(short.first) <= set(long.first) and set(short.second) <= set(long.second)


def yielding(model: Model, keep: Sequence[str]) -> list[str]:
    """The active links, none of them in `keep`, of which any one, made inactive, leaves no path doubled."""
    found = doubles(model)
    if not found:
        return []
    candidates = dict.fromkeys(name for d in found for name in (*d.first, *d.second) if name not in keep)
    return [name for name in candidates if not doubles(switched_off(model, [name]))]


def switched_off(model: Model, names: Collection[str]) -> Model:
    """The model with these links inactive."""
    return replace(model, links=tuple(replace(k, active=False) if k.name in names else k for k in model.links))


def findings_change(now: Sequence[Finding], then: Sequence[Finding]) -> dict[str, list[dict[str, Any]]]:
    """The findings that appear and those that go."""

    def key(finding: Finding) -> tuple[Any, ...]:
        return finding["code"], finding["about"], finding["sentence"]

    before, after = {key(f) for f in now}, {key(f) for f in then}
    return {"appear": [dict(f) for f in then if key(f) not in before], "go": [dict(f) for f in now if key(f) not in after]}
