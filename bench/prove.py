"""The benches of Prove, over a store: checks after an edit, all of them, coverage beside a person's work, blame, a release."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from bench import star_schema as ss
from bench.store import workspace_of_a_bench
from bench.timing import median
from nexorem.core.checks.cells import cells_of
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import read_probe
from nexorem.core.limits import Budget
from nexorem.core.model.check_specs import CheckSpec
from nexorem.core.model.model import Column, Measure, Model, Table, link_from_json
from nexorem.core.model.specs import ProbeSpec, read_spec
from nexorem.core.model.star import Star, TableRows, table_rows
from nexorem.store import models
from nexorem.store.outcomes import states
from nexorem.work import blaming, covering, releasing
from nexorem.work.actor import Actor
from nexorem.work.background import Run
from nexorem.work.quiet import Quiet
from nexorem.work.workspace import Workspace

DEMO = Path(__file__).parents[1] / "demo" / "lantern_isles"
BENCH = Actor("bench")
FACTS = 9  # small ones beside the large one, each with four links: with it 40 links
SMALL = 50_000
MEASURES, CHECKS, TOUCHED = 60, 1_000, 20
EDITS = 1_000
AXES = ("Calendar.year", "Part.mfgr", "Customer.region", "Supplier.region", "Calendar.yearmonthnum")
GRID = ProbeSpec(rows=("Part.category",), columns=("Calendar.year",), measures=("m1",), totals="all")


def wide_star(rows: int) -> Star:
    """The benchmark's star with nine small facts on the same dimensions: 40 links and 60 measures, of the large fact half of them."""
    star = ss.make_star(ss.tables(rows))
    tables, held, links = list(star.model.tables), dict(star.rows), [dict(k) for k in ss.LINKS]
    names = ("orderdate", "custkey", "suppkey", "partkey", "quantity", "revenue", "supplycost")
    for number in range(1, FACTS + 1):
        name = f"Fact {number}"
        columns = {c: star.column("Lineorder", c).take(_some(star, number)) for c in names}
        held[name] = _rows(columns)
        tables.append(Table(name, tuple(Column(c, v.dtype) for c, v in columns.items())))
        links += [{**k, "from": k["from"].replace("Lineorder", f'"{name}"'), "name": f"{k['to']} {number}"} for k in ss.LINKS]
    model = Model(star.model.name, tuple(tables))
    made = tuple(link_from_json(model, k) for k in links)
    measures = [Measure(f"m{i}", f"sum(Lineorder.revenue where Lineorder.quantity > {i})") for i in range(MEASURES // 2)]
    for i in range(MEASURES // 2, MEASURES):
        measures.append(Measure(f"m{i}", f'sum("Fact {i % FACTS + 1}".revenue where "Fact {i % FACTS + 1}".quantity > {i})'))
    return Star(replace(model, links=made, measures=tuple(measures)), held)


def _some(star: Star, number: int) -> Any:
    return np.random.default_rng(number).integers(0, star.size("Lineorder"), SMALL)


def _rows(columns: dict[str, Any]) -> TableRows:
    return table_rows(SMALL, columns)


def with_checks(star: Star, count: int) -> Model:
    """The model with so many checks of a few cells each, all of which hold; of 200, twenty are of one measure."""
    checks, kept = [], {}
    for number in range(count):
        measure = f"m{(number // TOUCHED) % MEASURES}"
        axis = AXES[number % len(AXES)]
        if (measure, axis) not in kept:
            spec = ProbeSpec(rows=(axis,), measures=(measure,))
            grid = answer(star, read_probe(star, spec), Budget())
            kept[measure, axis] = [[cell.at[axis], cell.values[measure]] for cell in cells_of(grid, 1)][:12]
        must = {"table": {"columns": [axis, measure], "rows": kept[measure, axis]}}
        probe = {"rows": [axis], "measures": [measure]}
        checks.append(read_spec(CheckSpec, {"name": f"check {number}", "probe": probe, "must": must}))
    probes = tuple(ProbeSpec(name=f"probe {i}", rows=(AXES[i % len(AXES)],), measures=(f"m{i}",)) for i in range(0, MEASURES, 3))
    return replace(star.model, checks=tuple(checks), probes=probes)


def prove_part(rows: int, say: Callable[[str], None]) -> dict[str, Any]:
    """All of them; seconds, and of the grid beside coverage how many times as long it takes."""
    told: dict[str, Any] = {"rows": rows}
    with workspace_of_a_bench() as workspace:
        told |= _large(workspace, rows, say)
        told |= _demo(workspace, say)
    return told


def _large(workspace: Workspace, rows: int, say: Callable[[str], None]) -> dict[str, Any]:
    star = wide_star(rows)
    say(f"a star of {rows:,} rows, {len(star.model.links)} links and {MEASURES} measures")
    few = models.create(workspace.engine, Star(replace(with_checks(star, 200), name="few"), star.rows))
    workspace.star(few)
    seconds(lambda: Run(workspace, few).all())
    told = {"an edit to the answer of the 20 of 200 checks it touches": _touched(workspace, few)}
    many = models.create(workspace.engine, Star(replace(with_checks(star, CHECKS), name="many"), star.rows))
    workspace.star(many)
    told["all 1,000 checks"] = seconds(lambda: Run(workspace, many).all())
    base = models.version_of(workspace.engine, many)
    told["a release"] = seconds(lambda: releasing.make(workspace, BENCH, many, {"name": "One"}, base))
    models.remove(workspace.engine, many)
    for name, time_ in told.items():
        say(f"{name}: {time_:.2f} s")
    return told | _beside(workspace, few, say)


def _touched(workspace: Workspace, model_id: int) -> float:
    """From an edit of a measure to the last answer of the twenty checks that it touches."""
    change = {"kind": "change_measure", "name": "m1", "set": {"formula": "sum(Lineorder.revenue where Lineorder.quantity > 0) + 0"}}
    names = {f"check {n}" for n in range(TOUCHED, 2 * TOUCHED)}
    start = time.perf_counter()
    version = workspace.edit(BENCH, model_id, change, models.version_of(workspace.engine, model_id)).version
    run = threading.Thread(target=Run(workspace, model_id).all)
    run.start()
    while not all(s.version == version for n, s in states(workspace.engine, model_id).items() if n in names):
        time.sleep(0.01)
    spent = time.perf_counter() - start
    run.join()
    return spent


def _beside(workspace: Workspace, model_id: int, say: Callable[[str], None]) -> dict[str, Any]:
    """Coverage, and a person's grid while it runs, as long as it takes alone."""
    _, star = workspace.star(model_id)
    quiet = Quiet()

    def grid() -> None:
        with quiet:
            answer(star, read_probe(star, GRID), Budget())

    alone = median(grid, 15)
    done: list[float] = []
    run = threading.Thread(target=lambda: done.append(seconds(lambda: covering.run(workspace, model_id, quiet.wait, quiet.budget))))
    run.start()
    beside = []
    while run.is_alive():
        beside.append(median(grid, 1, warm=0))
        time.sleep(0.2)
    run.join()
    beside.sort()
    ratio = beside[len(beside) // 2] / alone
    say(f"coverage of 40 links and 60 measures: {done[0]:.0f} s; a grid beside it takes {ratio:.2f} times as long")
    return {"coverage": done[0], "a grid beside coverage, times as long": ratio}


def _demo(workspace: Workspace, say: Callable[[str], None]) -> dict[str, Any]:
    model_id = workspace.open(BENCH, DEMO)
    Run(workspace, model_id).all()
    told = {"coverage of the demo": seconds(lambda: covering.run(workspace, model_id, lambda: None))}
    stored, _ = workspace.star(model_id)
    formulas = {m.name: m.formula for m in stored.model.measures}
    names = list(formulas)
    broken = EDITS // 2
    version = stored.version
    for number in range(EDITS):
        name = "seats_sold" if number == broken else names[1 + number % (len(names) - 1)]
        change = {"formula": f"{formulas[name]} + 1"} if number == broken else {"description": f"edit {number}"}
        version = workspace.edit(BENCH, model_id, {"kind": "change_measure", "name": name, "set": change}, version).version
    name = "Seats as the harbour offices counted them"
    told["blame over 1,000 edits"] = seconds(lambda: blaming.blame_check(workspace, model_id, name))
    spread = models.edits_of(workspace.engine, model_id, EDITS)
    assert len(spread) == EDITS
    for name, time_ in told.items():
        say(f"{name}: {time_:.2f} s")
    return told


def seconds(work: Callable[[], object]) -> float:
    """How long something takes once."""
    start = time.perf_counter()
    work()
    return time.perf_counter() - start
