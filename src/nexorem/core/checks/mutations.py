"""A model broken on purpose: every small change that a person might make by mistake, as edits that could really be made."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any, Literal

from nexorem.core.design.keys import allowed_cardinalities
from nexorem.core.diagnostics import Refused
from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.language.mutants import mutants, replaced
from nexorem.core.model.edits import Edit
from nexorem.core.model.model import Link, Measure, Model
from nexorem.core.model.names import quoted
from nexorem.core.model.specs import FolioSpec, MemberPick, ProbeSpec, spec_json
from nexorem.core.model.star import Star
from nexorem.core.plan.tree import scans

Kind = Literal["link", "measure", "step", "condition", "load"]
MOST_FORMULA = 20_000  # characters of one whose changes are looked for


@dataclass(frozen=True, slots=True)
class Mutation:
    """A change: what it is done to (`link …`, `measure …`, `table …`, `probe …`, `folio …`), in words, and the edits that make it. `how`
    tells the changes of a link apart: off, turned, two-way, one-way, loose, on."""

    kind: Kind
    about: str
    words: str
    edits: tuple[Edit, ...]
    how: str = ""
    step: int | None = None  # the place of a shaping step
    refused: str = ""  # why nobody can make it, where that is known already


def mutations(star: Star, earlier: Mapping[str, int] | None = None) -> Iterator[Mutation]:
    """All changes, links first. `earlier` names for tables the load before the one in force."""
    yield from link_mutations(star)
    for measure in star.model.measures:
        yield from measure_mutations(star, measure)
    for probe in star.model.probes:
        yield from _probe_conditions(probe)
    for folio in star.model.folios:
        yield from _folio_conditions(folio)
    for table in star.model.tables:
        for place, step in enumerate(table.steps):
            if not step.get("off"):
                steps = [dict(x) for x in table.steps]
                steps[place]["off"] = True
                edit = {"kind": "change_table", "name": table.name, "set": {"steps": steps}}
                kind = str(step.get("kind", "")).replace("_", " ")
                yield Mutation("step", f"table {table.name}", f"step {place + 1} ({kind}) left out", (edit,), step=place)
    for name, load in (earlier or {}).items():
        edit = {"kind": "change_table", "name": name, "set": {"load": load}}
        yield Mutation("load", f"table {name}", "the load before in place of the newest", (edit,))


def link_mutations(star: Star) -> Iterator[Mutation]:
    """What can be done to links: each active one off, turned, the other way open or shut, loose; each inactive one on."""
    for link in star.model.links:
        about = f"link {link.name}"
        if not link.active:
            if link.from_table != link.to_table:
                yield Mutation("link", about, "switched on", (*_rivals_off(star.model, link), _change(link, active=True)), "on")
            continue
        yield Mutation("link", about, "switched off", (_change(link, active=False),), "off")
        yield Mutation("link", about, "turned round", (_turned(star, link),), "turned")
        other = "one-way" if link.flow == "two-way" else "two-way"
        yield Mutation("link", about, f"made {other}", (_change(link, flow=other),), other)
        if link.name in star.firm:
            yield Mutation("link", about, "loosened", (_change(link, firm=False),), "loose")


def _change(link: Link, **parts: Any) -> Edit:
    return {"kind": "change_link", "name": link.name, "set": parts}


def _rivals_off(model: Model, link: Link) -> tuple[Edit, ...]:
    """Edits that switch off what is active between the same two tables."""
    return tuple(_change(k, active=False) for k in model.links if k.active and k.tables == link.tables)


def _turned(star: Star, link: Link) -> Edit:
    """The link with its ends exchanged, as the data allow it."""
    cardinality = allowed_cardinalities(star, link.turned())[0]
    if link.cardinality == "one-to-one":
        cardinality = "one-to-one"
    ends = {"from": (link.to_table, link.to_columns), "to": (link.from_table, link.from_columns)}
    texts = {side: _ends(table, columns) for side, (table, columns) in ends.items()}
    return _change(link, **texts, cardinality=cardinality)


def _ends(table: str, columns: tuple[str, ...]) -> str | list[str]:
    written = [f"{quoted(table)}.{quoted(c)}" for c in columns]
    return written[0] if len(written) == 1 else written


def measure_mutations(star: Star, measure: Measure) -> Iterator[Mutation]:
    """What can be done to a measure's formula, and its look-ups taken over rival links."""
    if len(measure.formula) > MOST_FORMULA:
        return
    for mutant in mutants(measure.formula):
        yield _formula(measure, mutant.words, mutant.formula)
    try:
        bound = Binder(star).measure(measure.name)
    except Refused:
        return
    done = set[tuple[int, str]]()
    for scan in scans(bound.body):
        text = measure.formula[scan.span.start : scan.span.end]
        for rival in _rivals_of(star.model, scan):
            if text == scan.text and (scan.span.start, rival.name) not in done:  # not one of another measure's formula
                done.add((scan.span.start, rival.name))
                written = f"({text} given (via {quoted(rival.name)}))"
                yield _formula(measure, f"{text} over {rival.name}", replaced(measure.formula, scan.span, written))


def _rivals_of(model: Model, scan: t.Aggregate) -> list[Link]:
    """The links between the same two tables as one that a scan looks something up over."""
    used = [link for chain in scan.lookups.values() for link in chain]
    return [k for k in model.links for link in used if k.name != link.name and k.tables == link.tables]


def _formula(measure: Measure, words: str, formula: str) -> Mutation:
    edit = {"kind": "change_measure", "name": measure.name, "set": {"formula": formula}}
    return Mutation("measure", f"measure {measure.name}", words, (edit,))


def _probe_conditions(probe: ProbeSpec) -> Iterator[Mutation]:
    for place, pick in enumerate(probe.picks):
        less = replace(probe, picks=probe.picks[:place] + probe.picks[place + 1 :])
        words = f"without the pick on {pick.column}" if isinstance(pick, MemberPick) else f"without the condition {pick.where}"
        yield Mutation("condition", f"probe {probe.name}", words, ({"kind": "put_probe", "probe": spec_json(less)},))
    for place, having in enumerate(probe.having):
        less = replace(probe, having=probe.having[:place] + probe.having[place + 1 :])
        words = f"without the condition {having.where}"
        yield Mutation("condition", f"probe {probe.name}", words, ({"kind": "put_probe", "probe": spec_json(less)},))


def _folio_conditions(folio: FolioSpec) -> Iterator[Mutation]:
    for place, pick in enumerate(folio.picks):
        less = replace(folio, picks=folio.picks[:place] + folio.picks[place + 1 :])
        words = f"without the pick on {pick.column}" if isinstance(pick, MemberPick) else f"without the condition {pick.where}"
        yield Mutation("condition", f"folio {folio.name}", words, ({"kind": "put_folio", "folio": spec_json(less)},))
