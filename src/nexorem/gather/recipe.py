"""Files to a model by a JSON file of sources and steps, without server or database. The same functions as the screens use.

A recipe lists `tables`, each with where its rows come from (`source`: a file's, or what a calendar, a list, bands or a parameter is made
of; or a `formula`) and its `steps`; and, as a package's `nexorem` property does, links, measures, probes and the rest. Files that no
table names become tables as they are.
"""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from pydantic import Field, ValidationError

from nexorem.core.diagnostics import Diagnostic, Refused, near_hint, refuse
from nexorem.core.engine.computed import make_star
from nexorem.core.fits import misfit_diagnostics, misfits
from nexorem.core.limits import Budget, Limits
from nexorem.core.model.check import check_shape, checked_star
from nexorem.core.model.model import Calendar, Column, Link, Measure, Model, Table
from nexorem.core.model.star import Star, TableRows
from nexorem.gather import made
from nexorem.gather.frame import Frame
from nexorem.gather.read import Reading, package_links, read, sources_in
from nexorem.gather.shape import Shaper, with_columns
from nexorem.gather.sources.kinds import read_source
from nexorem.gather.steps.kinds import read_step, tables_needed
from nexorem.package.read import kept_of, said_of, with_links
from nexorem.package.schema import CalendarProperty, ColumnProperty, LinkProperty, NexoremProperty, SaidProperty

SECONDS = 600.0
Say = Callable[[str], None]


class RecipeTable(SaidProperty):
    """A table of a recipe."""

    name: str = Field(min_length=1)
    source: dict[str, Any] = {}
    steps: list[dict[str, Any]] = []
    formula: str = ""
    key: list[str] = []
    description: str = ""
    calendar: CalendarProperty | None = None
    columns: dict[str, ColumnProperty] = {}


class Recipe(NexoremProperty):
    """Sources, steps, and the rest of a model."""

    name: str = "model"
    title: str = ""
    tables: list[RecipeTable] = []  # type: ignore[assignment]


@dataclass(frozen=True, slots=True, eq=False)
class Gathered:
    """A model whose rows are at hand: as they were loaded, by table, and what each reading told."""

    model: Model
    raw: dict[str, Frame]
    readings: dict[str, Reading]
    star: Star


def read_recipe(data: Any) -> Recipe:
    """A recipe from JSON; refuses with all that is wrong with it."""
    try:
        return Recipe.model_validate_json(json.dumps(data))
    except ValidationError as error:
        raise Refused(misfit_diagnostics(misfits(error), "bad_steps", "", "steps", "The file")) from None


def load_recipe(path: Path) -> Recipe:
    """A recipe from a file."""
    try:
        return read_recipe(json.loads(path.read_text(encoding="utf-8-sig")))
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError) as error:
        raise refuse("bad_json", f"{path.name} is not JSON: {error}.", place=path.name) from None


def by_name(files: Sequence[Path]) -> dict[str, Path]:
    """Files by the names that sources give them."""
    paths: dict[str, Path] = {}
    for path in files:
        if not path.is_file() and not (path / "datapackage.json").is_file():
            raise refuse(
                "missing_file",
                f"{path} is neither a file nor a folder with a package.",
                "Check the path.",
                str(path),
            )
        if path.name in paths:
            raise refuse("repeated_name", f"Two files are named {path.name}.", "Rename one of them.", path.name)
        paths[path.name] = path
    return paths


def gather(files: Sequence[Path], recipe: Recipe, say: Say = lambda _: None, missing: Sequence[str] = ()) -> Gathered:
    """Reads every table of a recipe, and the files it does not name; shapes them and puts the model together. Refuses with everything
    that is wrong at once, and makes nothing then. `missing` are texts that mean empty where a source says nothing of it."""
    paths = by_name(files)
    tables = list(recipe.tables)
    used = {str(t.source.get("file")) for t in tables}
    wrong: list[Diagnostic] = []
    for name, path in paths.items():
        if name not in used:
            try:
                tables += [RecipeTable(name=_free(n, tables), source=s) for n, s in _plainly(sources_in(path, name))]
            except Refused as refused:
                wrong += refused.diagnostics
    wrong += _misread(tables)
    if wrong:
        raise Refused(wrong)
    readings: dict[str, Reading] = {}
    for table in tables:
        if table.formula or made.is_made(table.source):
            continue
        say(f"reading {table.source.get('file') or table.name}")
        try:
            readings[table.name] = read(_with_missing(table.source, missing), paths)
        except Refused as refused:
            wrong += [replace(d, place=d.place or table.name) for d in refused.diagnostics]
    if wrong:
        raise Refused(wrong)
    if recipe.links is None:
        recipe = recipe.model_copy(update={"links": _links_along(paths, tables)})
    return _put_together(recipe, tables, readings)


def _with_missing(source: Mapping[str, Any], missing: Sequence[str]) -> Mapping[str, Any]:
    kept = not missing or "missing" in source or source.get("kind") in ("resource", "parquet", "arrow")
    return source if kept else {**source, "missing": ["", *missing]}


def _misread(tables: Sequence[RecipeTable]) -> Iterator[Diagnostic]:
    """What is wrong with sources and steps as they are written, before a file is read for them."""
    names = {t.name.lower() for t in tables}
    for table in tables:
        try:
            if table.source and not table.formula:
                made.read_made(table.source) if made.is_made(table.source) else read_source(dict(table.source))
        except Refused as refused:
            yield from (replace(d, place=d.place or table.name) for d in refused.diagnostics)
        for number, data in enumerate(table.steps, 1):
            place = f"{table.name}, step {number}"
            try:
                lost = [x for x in tables_needed(read_step(dict(data), place)) if x.lower() not in names]
            except Refused as refused:
                yield from refused.diagnostics
                continue
            for other in lost:
                hint = near_hint(other, [t.name for t in tables])
                yield Diagnostic("unknown_table", f"The table {other} does not exist.", place=place, hint=hint)


def _links_along(paths: Mapping[str, Path], tables: Sequence[RecipeTable]) -> list[LinkProperty]:
    """The links of packages between tables that are taken under their own names, where no links are asked for."""
    links: list[LinkProperty] = []
    for file in dict.fromkeys(str(t.source["file"]) for t in tables if t.source.get("kind") == "resource"):
        names = {str(t.source["resource"]): t.name for t in tables if t.source.get("file") == file}
        links += [LinkProperty.model_validate(x) for x in package_links(paths[file], names)]
    return links


def _plainly(sources: list[tuple[str, dict[str, Any]]]) -> list[tuple[str, dict[str, Any]]]:
    """The sheets of a workbook one by one, not all together as well."""
    single = [x for x in sources if not x[1].get("sheets")]
    return single or sources


def _free(name: str, tables: Sequence[RecipeTable]) -> str:
    taken = {t.name.lower() for t in tables}
    return next(x for x in (name, *(f"{name} {n}" for n in range(2, 10_000))) if x.lower() not in taken)


def _put_together(recipe: Recipe, tables: Sequence[RecipeTable], readings: Mapping[str, Reading]) -> Gathered:
    raw = {name: r.frame for name, r in readings.items()}
    stored = tuple(
        Table(
            t.name,
            (),
            key=tuple(t.key or (readings[t.name].key if t.name in readings else [])),
            calendar=_calendar(t),
            description=t.description,
            formula=t.formula,
            origin=readings[t.name].source if t.name in readings else dict(t.source),
            steps=tuple(t.steps),
            **said_of(t),
        )
        for t in tables
    )
    model = Model(recipe.name, stored, title=recipe.title)
    budget = Budget(Limits(seconds=SECONDS), time.monotonic)
    shaper = Shaper(model, lambda t: raw[t.name], budget)
    wrong: list[Diagnostic] = []
    rows: dict[str, TableRows] = {}
    finished = []
    for table, given in zip(stored, tables, strict=True):
        try:
            if not table.formula:
                frame = shaper.frame(table.name)
                key, table = table.key, with_columns(table, frame)
                lost = [c for c in key if table.column(c) is None]
                if lost:
                    wrong.append(
                        Diagnostic("unknown_column", f"The key of {table.name} names {lost[0]}, which it does not have.", place=table.name)
                    )
                rows[table.name] = frame.rows()
            finished.append(_described(table, given))
        except Refused as refused:
            wrong += refused.diagnostics
    if wrong:
        raise Refused(wrong)
    return Gathered(*_whole(recipe, replace(model, tables=tuple(finished)), rows, raw, readings, budget))


def _calendar(table: RecipeTable) -> Calendar | None:
    return Calendar(table.calendar.date, table.calendar.year_starts_in) if table.calendar else None


def _described(table: Table, given: RecipeTable) -> Table:
    """What a recipe says of columns; those with a formula are added."""
    said = {c.lower(): x for c, x in given.columns.items()}
    columns = [replace(c, hidden=x.hidden, description=x.description) if (x := said.get(c.name.lower())) else c for c in table.columns]
    names = {c.name.lower() for c in columns}
    more = {c: x for c, x in given.columns.items() if c.lower() not in names and x.formula}
    columns += [Column(c, x.type or "", x.hidden, x.description, x.formula or "") for c, x in more.items()]
    lost = [c for c, x in given.columns.items() if c.lower() not in names and not x.formula and not table.formula]
    if lost:
        raise refuse("unknown_column", f"{table.name} has no column {lost[0]}.", place=table.name)
    return replace(table, columns=tuple(columns))


def _ends(model: Model, link: Link) -> Iterator[Column]:
    """The columns that a link joins."""
    for table, columns in ((link.from_table, link.from_columns), (link.to_table, link.to_columns)):
        for name in columns:
            if (found := model.table(table)) and (column := found.column(name)):
                yield column


def _whole(
    recipe: Recipe, model: Model, rows: Mapping[str, TableRows], raw: dict[str, Frame], readings: Mapping[str, Reading], budget: Budget
) -> tuple[Model, dict[str, Frame], dict[str, Reading], Star]:
    model = replace(
        model,
        measures=tuple(Measure(**m.model_dump()) for m in recipe.measures),
        **kept_of(recipe),
    )
    links = [k.model_dump(by_alias=True, exclude_none=True) for k in recipe.links or []]
    if any(t.formula for t in model.tables) or any(c.formula for k in with_links(model, links).links for c in _ends(model, k)):
        # Links name columns, and columns that are computed have their types only once they are.
        model = replace(make_star(model, rows, budget).model, links=())
    linked = with_links(model, links)
    wrong = check_shape(linked)
    if wrong:
        raise Refused(wrong)
    final = checked_star(make_star(linked, rows, budget))
    return final.model, raw, dict(readings), final
