"""Findings about the model's probes: filters that reach nothing, parts that do not add up."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import replace

from nexorem.core.design.roles import role
from nexorem.core.design.truth.additive import additivity, adds
from nexorem.core.diagnostics import Refused
from nexorem.core.engine.planned import planned
from nexorem.core.engine.probe import Probe, read_probe
from nexorem.core.language import typed as t
from nexorem.core.lint.finding import Finding
from nexorem.core.model.specs import FolioSpec, ProbeSpec
from nexorem.core.model.star import Star
from nexorem.core.plan.dependence import reached_by
from nexorem.core.plan.tree import edits_of, scans
from nexorem.core.words import listed


def of_probe(star: Star, spec: ProbeSpec) -> list[Finding]:
    """All findings of one probe; one that cannot be read is a finding itself."""
    name = spec.name or "a probe"
    about = f"probe {name}"
    try:
        probe = read_probe(star, spec)
        plan = planned(star, probe)
    except Refused as refused:
        first = refused.diagnostics[0]
        return [Finding("broken_probe", "warning", about, f"The probe {name} cannot be answered: {first.message}", first.hint)]
    measures, conditions = plan.measures, [c.table for c in plan.conditions]
    filtered = [table for table, _ in (*probe.rows, *probe.columns)] + [p.table for p in probe.picks] + conditions
    axes = [table for table, _ in (*probe.rows, *probe.columns)]
    paged = {*(p.table for p in probe.picks), *conditions}
    faults = _unreached(star, about, list(dict.fromkeys(filtered)), measures)
    for measure in measures:
        faults += _of_measure(star, about, probe, measure, axes, paged)
    return faults


def of_folio(star: Star, folio: FolioSpec) -> list[Finding]:
    """Tiles whose probe is not in the model, or cannot be answered."""
    about, faults = f"folio {folio.name}", list[Finding]()
    probes = {p.name for p in star.model.probes}
    for tile in folio.tiles:
        if isinstance(tile.probe, ProbeSpec):
            title = tile.title or "a tile"
            broken = [f for f in of_probe(star, replace(tile.probe, name=title)) if f.code == "broken_probe"]
            faults += [Finding("broken_tile", "warning", about, f"In {folio.name}: {f.sentence}", f.mend) for f in broken]
        elif tile.probe is not None and tile.probe not in probes:
            sentence = f"A tile of {folio.name} shows the probe {tile.probe}, which is not in the model."
            faults.append(Finding("broken_tile", "warning", about, sentence, "Take it off the folio, or name another probe."))
    return faults


def _reaching(star: Star, measure: t.MeasureValue) -> set[str]:
    return set(reached_by(star, measure).tables)


def _unreached(star: Star, about: str, tables: Sequence[str], measures: Sequence[t.MeasureValue]) -> list[Finding]:
    """Filters that reach no measure at all."""
    reached = {x for m in measures for x in _reaching(star, m)}
    return [
        Finding(
            "filter_unreached",
            "warning",
            about,
            f"A filter on {table} reaches no measure of the probe.",
            "Link it, or write the edit that carries it; its reach names what blocks it.",
            table,
        )
        for table in tables
        if measures and table not in reached
    ]


def _of_measure(
    star: Star, about: str, probe: Probe, measure: t.MeasureValue, axes: Sequence[str], paged: Collection[str]
) -> list[Finding]:
    faults = []
    reaching = _reaching(star, measure)
    if axes and reaching and not reaching & set(axes):
        faults.append(
            Finding(
                "measure_unreached",
                "warning",
                about,
                f"No axis reaches {measure.name}: it is the same in every cell.",
                "Take it out, or link its facts.",
                measure.name,
            )
        )
    faults += _summed(star, about, measure, axes)
    faults += _set_on_axis(about, probe, measure)
    if probe.totals != "none":
        faults += _parts(star, about, probe, measure, paged)
    return faults


def _summed(star: Star, about: str, measure: t.MeasureValue, axes: Sequence[str]) -> list[Finding]:
    """A dimension's own column added up while a fact is on the axes."""
    facts = [x for x in dict.fromkeys(axes) if (table := star.model.table(x)) and role(star, table) in ("fact", "bridge")]
    faults = []
    for scan in scans(measure):
        table = star.model.table(scan.grain)
        if table and role(star, table) in ("dimension", "outrigger") and scan.function in ("sum", "avg") and facts:
            sentence = f"{measure.name} adds up rows of the dimension {scan.grain}, which a filter on {facts[0]} does not reach row by row."
            mend = f"Look it up instead: sum({facts[0]}.… * {scan.grain}.…), or flow … two-way."
            faults.append(Finding("dimension_summed", "warning", about, sentence, mend, measure.name))
    return faults


def _set_on_axis(about: str, probe: Probe, measure: t.MeasureValue) -> list[Finding]:
    """A measure that replaces the filter of its own axis."""
    axes = {*probe.rows, *probe.columns}
    for edit in edits_of(measure):
        if isinstance(edit, t.Condition | t.Listing) and not edit.keep:
            own = [c for c in edit.columns or () if (edit.table, c) in axes]
            if own:
                return [
                    Finding(
                        "set_on_axis",
                        "note",
                        about,
                        f"{measure.name} sets {edit.table}.{own[0]}, which is on the axes: it is the same along them.",
                        "Write keep where only the members set are to have a value.",
                        measure.name,
                    )
                ]
    return []


def _parts(star: Star, about: str, probe: Probe, measure: t.MeasureValue, paged: Collection[str]) -> list[Finding]:
    """Totals that are no sum of their parts: over a loose or two-way link a row counts for several members, or none."""
    additive = additivity(star, measure, (*probe.rows, *probe.columns), paged)
    if additive.why != "overlap" or not adds(measure):
        return []
    sentence = (
        f"The parts of {measure.name} along {listed(additive.tables)} need not add up to its totals: {additive.sentence.split(': ', 1)[1]}"
    )
    mend = "Read totals as they are computed, in their own context; a firm link has no such gap."
    return [Finding("parts_overlap", "warning", about, sentence, mend, measure.name)]
