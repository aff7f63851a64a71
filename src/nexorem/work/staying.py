"""Tables left where they are: looked at, taken into a model without their rows, looked at again, and held against their rows taken in."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import replace
from typing import Any

import numpy as np

from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.engine.computed import make_star
from nexorem.core.engine.grid import Grid, answer
from nexorem.core.engine.profile import Profile, profile
from nexorem.core.limits import Budget
from nexorem.core.model.edits import Edit
from nexorem.core.model.model import Model, Table
from nexorem.core.model.rows import TableRows, table_rows
from nexorem.core.model.star import Star
from nexorem.core.values import Json, iso, vector
from nexorem.core.words import counted, listed
from nexorem.gather.frame import Frame
from nexorem.sql.proof import Answer, values_by_grid
from nexorem.store import rows
from nexorem.store.column_counts import column_counts, known_counts, rows_of
from nexorem.store.looking import sample_of
from nexorem.store.staying import Staying
from nexorem.work.actor import Actor, Need
from nexorem.work.describe import findings_of
from nexorem.work.loading import KEPT_LOADS, free_name
from nexorem.work.shaping import completed, table_of
from nexorem.work.workspace import Workspace

MOST_PROFILED = 5_000_000  # rows of a table that stays whose columns are counted exactly for a profile
MOST_TAKEN = 2_000_000  # rows that are taken in to hold an answer against them
SECONDS = 60.0


def leave(workspace: Workspace, actor: Actor, model_id: int, connection: str, chosen: Sequence[Mapping[str, Any]], base: int) -> list[str]:
    """Takes tables of a place into the model without their rows, as one edit: new ones, and in the place of tables that are here (`table`),
    on which all stays that stands on them; steps that shape their rows go. Gives their names."""
    actor.must(Need.BRING)
    stored, _ = workspace.star(model_id)
    if not chosen:
        raise refuse("nothing_chosen", "No table is chosen.", "Tick at least one.")
    names = [t.name for t in stored.model.tables]
    edits: list[Edit] = []
    looks: list[int] = []
    dropped: list[str] = []
    try:
        for choice in chosen:
            origin = {"kind": "database", "connection": connection, "table": choice["name"], "table_schema": choice.get("schema") or ""}
            target = table_of(stored.model, choice["table"]) if choice.get("table") else None
            name = target.name if target else free_name(str(choice.get("title") or choice["name"]), names)
            names.append(name)
            number, key = look_at(workspace, actor, model_id, name, origin)
            looks.append(number)
            if target is None:
                table = {"name": name, "columns": [], "key": key, "origin": origin, "load": number, "stays": True}
                edits.append({"kind": "add_table", "table": table})
            else:
                now = {"load": number, "origin": origin, "stays": True, "source": None}
                names_only = [dict(x) for x in target.steps if x.get("kind") == "rename"]
                if len(names_only) < len(target.steps):  # the others shape rows that are here
                    now["steps"] = names_only
                    dropped.append(f"{counted(len(target.steps) - len(names_only), 'step')} of {name}")
                edits.append({"kind": "change_table", "name": name, "set": now})
        without = f", without {listed(dropped)}" if dropped else ""
        title = f"leave {listed(names[-len(chosen) :], most=3)} in {connection}{without}"
        _made(workspace, actor, model_id, stored.model, edits, title, base)
    except Exception:
        with workspace.engine.begin() as store:
            for number in looks:
                rows.drop_load(store, number)
        raise
    return names[-len(chosen) :]


def look_again(workspace: Workspace, actor: Actor, model_id: int, names: Sequence[str], base: int) -> None:
    """Looks at tables that stay once more: what was proven of them is proven anew, and answers are asked anew. One edit, if anything is
    another."""
    actor.must(Need.BRING)
    stored, _ = workspace.star(model_id)
    edits: list[Edit] = []
    for name in names:
        table = table_of(stored.model, name)
        if not table.stays:
            raise refuse("not_there", f"The rows of {table.name} are here.", "Load it again.", table.name)
        number, _ = look_at(workspace, actor, model_id, table.name, dict(table.origin))
        edits.append({"kind": "change_table", "name": table.name, "set": {"load": number}})
    workspace.ways(model_id).forget()
    _made(workspace, actor, model_id, stored.model, edits, f"look at {listed(list(names), most=3)} again", base)
    with workspace.engine.begin() as store:
        for name in names:
            rows.forget_old(store, model_id, [name], KEPT_LOADS)


def take_in(workspace: Workspace, actor: Actor, model_id: int, name: str, base: int) -> None:
    """Takes the rows of a table that stays into the model, as a load like any other; refuses where they are very many."""
    actor.must(Need.BRING)
    stored, star = workspace.star(model_id)
    table = table_of(stored.model, name)
    if table.name not in star.stay:
        raise refuse("not_there", f"The rows of {table.name} are here.", "Load it again.", table.name)
    if star.size(table.name) > MOST_TAKEN:
        said = f"{table.name} has {star.size(table.name):,} rows; {MOST_TAKEN:,} are taken in at most."
        raise refuse("too_large", said, "Make a view of fewer rows there.", table.name)
    taken = _own_rows(star, table)
    there = renamed_back(table)
    frame = Frame(taken.size, {there.get(c, c): v.rows() for c, v in taken.columns.items()})
    with workspace.engine.begin() as store:
        number = rows.save_load(store, model_id, table.name, frame, source=table.origin, author=actor.name)
    try:
        edits: list[Edit] = [{"kind": "change_table", "name": table.name, "set": {"load": number, "stays": False}}]
        _made(workspace, actor, model_id, stored.model, edits, f"take the rows of {table.name} in", base)
    except Exception:
        with workspace.engine.begin() as store:
            rows.drop_load(store, number)
        raise


def renamed_back(table: Table) -> dict[str, str]:
    """By its name in the model, what a column was called before steps gave it another name."""
    names: dict[str, str] = {}
    for step in table.steps:
        if step.get("kind") == "rename" and not step.get("off"):
            for old, new in dict(step.get("names", {})).items():
                names[new] = names.pop(old, old)
    return names


def has_changed(workspace: Workspace, model_id: int, name: str) -> bool:
    """Whether a table that stays has changed there since it was looked at, as far as its place can tell; else it may have."""
    _, star = workspace.star(model_id)
    assert isinstance(star.elsewhere, Staying)
    look = star.elsewhere.look(name)
    if not look.state:
        return True
    with workspace.ways(model_id).asking(look.connection, SECONDS) as asking:
        return asking.state_of(look.table, look.schema) != look.state


def _made(workspace: Workspace, actor: Actor, model_id: int, model: Model, edits: list[Edit], title: str, base: int) -> None:
    change = completed(workspace, model, {"kind": "load_tables", "edits": edits, "title": title}, model_id=model_id)
    workspace.edit(actor, model_id, change, base)
    _, star = workspace.star(model_id)
    if isinstance(star.elsewhere, Staying):
        with suppress(Refused):  # it is said where it is asked for
            star.elsewhere.prove_empties()
            findings_of(star)


def look_at(workspace: Workspace, actor: Actor, model_id: int, name: str, origin: Mapping[str, Any]) -> tuple[int, list[str]]:
    """Looks at a table where it is: its columns, a declared key, some rows. Gives the number of the look, and the key."""
    connection, table, schema = str(origin["connection"]), str(origin["table"]), str(origin.get("table_schema") or "") or None
    if not table or origin.get("query"):
        raise refuse("query_stays", "What a SELECT gives cannot be left where it is.", "Make a view of it there, and leave that.", name)
    ways = workspace.ways(model_id)
    with ways.asking(connection, SECONDS) as asking:
        there = asking.columns([table], schema).get(table)
        if not there:
            where = f"the schema {schema}" if schema else connection
            raise refuse("no_table", f"There is no table {table} in {where}.", "Look at its tables again.", name)
        columns = {c: k for c, k in there.items() if c in origin["only"]} if origin.get("only") else there
        sample = sample_of(asking, table, schema, columns)
        key = asking.declared_key(table, schema)
        state = asking.state_of(table, schema)
    stays = {"connection": connection, "schema": schema, "table": table, "columns": columns, "key": key, "state": state}
    report = {"stays": stays, "sample": sample.size, "seconds": 0}
    with workspace.engine.begin() as store:
        number = rows.save_load(store, model_id, name, sample, source=origin, report=report, author=actor.name)
    return number, [key] if key in columns else []


def both_ways(star: Star, there: Grid, budget: Budget) -> tuple[Answer, str, Grid]:
    """A grid that was answered where its tables stay, as an answer, with where that is; and the same grid with their rows taken in for
    this once."""
    here = answer(taken_in(star), there.probe, budget)
    assert isinstance(star.elsewhere, Staying)
    where = star.elsewhere.home(star, star.elsewhere.part(star, there.probe)).connection
    return Answer(values_by_grid(there), {}, 0.0, where), where, here


def taken_in(star: Star) -> Star:
    """The star with the rows of all tables here; refuses where these are very many."""
    large = [t for t in star.stay if star.size(t) > MOST_TAKEN]
    if large:
        said = f"{listed(sorted(large))} {'has' if len(large) == 1 else 'have'} more than {counted(MOST_TAKEN, 'row')}"
        raise refuse("too_large", f"{said}, too many to be taken in for this.", "Prove it over fewer rows, in a view for instance.")
    assert isinstance(star.elsewhere, Staying)
    model = replace(star.model, tables=tuple(replace(t, stays=False) for t in star.model.tables))
    stored = {t.name: _own_rows(star, t) for t in star.model.tables if not t.formula}
    return make_star(model, stored)


def _own_rows(star: Star, table: Table) -> TableRows:
    own = [c for c in table.columns if not c.formula]
    if not table.stays:
        return TableRows(star.size(table.name), {c.name: star.column(table.name, c.name) for c in own})
    assert isinstance(star.elsewhere, Staying)
    lines = rows_of(star.elsewhere, table, [c.name for c in own], MOST_TAKEN)
    values = list(zip(*lines, strict=True)) if lines else [()] * len(own)
    return table_rows(len(lines), {c.name: vector(c.dtype, values[i]) for i, c in enumerate(own)})


def profiles(star: Star, name: str) -> list[Profile]:
    """The profile of each column of a table. Of one that stays they are those of a sample, made exact by one statement there where the
    table is not very large, or where its columns were counted. Cost: the table, once."""
    if name not in star.stay:
        return [profile(star, name, c) for c in star.rows[name].columns]
    assert isinstance(star.elsewhere, Staying)
    some, size = star.sampled, star.size(name)
    rough = [profile(some, name, c) for c in some.rows[name].columns]
    whole = some.size(name)
    if size > MOST_PROFILED:
        counts = [known_counts(star.elsewhere, name, p.column) for p in rough]
    else:
        counts = list(column_counts(star.elsewhere, name, [p.column for p in rough]))
    return [_exact(p, size, whole, known) for p, known in zip(rough, counts, strict=True)]


def _exact(rough: Profile, size: int, sample: int, counts: Sequence[Any] | None) -> Profile:
    """A profile of a sample, with what was counted of all rows."""
    if counts is None:
        return replace(rough, rows=size, unique=False, sample=sample, rough=True)
    filled, distinct, least, most = counts
    exact = replace(rough, rows=size, distinct=distinct, empty=size - filled, smallest=least, largest=most)
    return replace(exact, unique=filled == distinct == size > 0, sample=0 if sample == size else sample)


def some_rows(star: Star, name: str, start: int, count: int) -> tuple[list[str], list[list[Json]]]:
    """Some rows of a table, with the names of its columns; of one that stays in no order, and without the columns that are computed."""
    if name not in star.stay:
        places = np.arange(min(start, star.size(name)), min(start + count, star.size(name)))
        columns = {c: [iso(v) for v in star.column(name, c).take(places).tolist()] for c in star.rows[name].columns}
        return list(columns), [list(row) for row in zip(*columns.values(), strict=True)]
    assert isinstance(star.elsewhere, Staying)
    table = table_of(star.model, name)
    own = [c.name for c in table.columns if not c.formula]
    return own, [[iso(x) for x in line] for line in rows_of(star.elsewhere, table, own, count, start)]
