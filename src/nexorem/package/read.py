"""A Data Package to a model with its rows. Everything that is wrong is told at once, and nothing is half-loaded."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from nexorem.core.columns import Column as StoredColumn
from nexorem.core.diagnostics import Diagnostic, Refused, near_hint, refuse
from nexorem.core.engine.computed import make_star
from nexorem.core.fits import misfit_diagnostics, misfits
from nexorem.core.model.check import check_shape, checked_star
from nexorem.core.model.model import Calendar, Column, Link, Measure, Model, Table, link_from_json
from nexorem.core.model.names import columns_text, split_reference
from nexorem.core.model.star import Star, TableRows
from nexorem.disk.rows import mapped_rows
from nexorem.package.files import Folder, Zip, open_files
from nexorem.package.schema import ColumnProperty, NexoremProperty, SaidProperty, TableProperty
from nexorem.package.tabular import FIELD_TYPES, CsvFile, Field, read_csv, read_parquet

PARQUET = (".parquet", ".pq")


@dataclass(slots=True)
class Loaded:
    """One resource as read."""

    name: str
    table: Table
    rows: TableRows
    foreign_keys: list[Mapping[str, Any]]


def open_package(path: Path) -> Star:
    """The model and rows of a package, checked; refuses with every diagnostic."""
    files = open_files(path)
    descriptor = read_descriptor(files)
    own = read_property(descriptor.get("nexorem"))
    wrong: list[Diagnostic] = []
    loaded: list[Loaded] = []
    described = {t.resource or t.name: t for t in own.tables if not t.formula}
    for number, resource in enumerate(resources_of(descriptor)):
        try:
            loaded.append(read_resource(files, resource, number, described))
        except Refused as refused:
            wrong += refused.diagnostics
    wrong += [
        Diagnostic(
            "missing_resource",
            f"The table {t.name} names the resource {t.resource or t.name}, which the package does not have.",
            place=t.name,
            hint=near_hint(t.resource or t.name, [x.name for x in loaded]),
        )
        for t in own.tables
        if not wrong and not t.formula and (t.resource or t.name) not in {x.name for x in loaded}
    ]
    if wrong:
        raise Refused(wrong)
    rows = {x.table.name: x.rows for x in loaded}
    model, later = make_model(descriptor, own, loaded)
    star = make_star(model, rows)
    if later:  # links to tables that had to be computed before their columns were known
        star = make_star(with_links(star.model, later), rows)
    return checked_star(star)


def read_descriptor(files: Folder | Zip) -> Mapping[str, Any]:
    """datapackage.json as an object."""
    data = files.read("datapackage.json", "datapackage.json")
    try:
        document = json.loads(data.decode("utf-8-sig"))
    except (UnicodeDecodeError, json.JSONDecodeError, RecursionError) as error:
        raise refuse("bad_json", f"datapackage.json is not JSON: {error}.", place="datapackage.json") from None
    if not isinstance(document, dict):
        raise refuse("bad_descriptor", "datapackage.json holds no object.", place="datapackage.json")
    return document


def read_property(document: Any) -> NexoremProperty:
    """The `nexorem` property, or its defaults; refuses what this version cannot compute, by name."""
    try:
        own = NexoremProperty.model_validate_json(json.dumps(document or {}))
    except ValidationError as error:
        raise Refused(misfit_diagnostics(misfits(error), "bad_property", "nexorem.", "datapackage.json", "property")) from None
    wrong = [
        Diagnostic(
            "bad_property",
            f"{t.name}.{c} has a type without a formula.",
            place="datapackage.json",
            hint="The type of a stored column is in its resource's schema.",
        )
        for t in own.tables
        for c, x in t.columns.items()
        if x.type and not x.formula
    ]
    if wrong:
        raise Refused(wrong)
    return own


def resources_of(descriptor: Mapping[str, Any]) -> list[Mapping[str, Any]]:
    """The resources, with names of their own."""
    resources = descriptor.get("resources")
    if not isinstance(resources, list) or not resources or not all(isinstance(r, dict) for r in resources):
        raise refuse("no_resources", "The package lists no resources.", place="datapackage.json")
    names = [str(r.get("name", "")) for r in resources]
    repeated = {n for n in names if names.count(n) > 1}
    if repeated or "" in names:
        raise refuse(
            "bad_resource", f"Resources need names of their own; {', '.join(sorted(repeated)) or 'one'} has none.", place="datapackage.json"
        )
    return resources


def read_resource(files: Folder | Zip, resource: Mapping[str, Any], number: int, described: Mapping[str, TableProperty]) -> Loaded:
    """One resource as a table with its rows."""
    name = str(resource["name"])
    paths = resource.get("path")
    paths = [paths] if isinstance(paths, str) else paths
    if not isinstance(paths, list) or not paths or not all(isinstance(p, str) for p in paths):
        raise refuse("bad_resource", f"The resource {name} has no path.", "Inline data is not read; put it into a file.", name)
    schema = resource.get("schema")
    schema = schema if isinstance(schema, dict) else {}
    stored, size = read_columns(files, paths, resource, schema)
    own = described.get(name) or TableProperty(name=name)
    extra = {c.lower(): x for c, x in own.columns.items()}
    unknown = [c for c, x in own.columns.items() if c not in stored and not x.formula]
    both = [c for c, x in own.columns.items() if c in stored and x.formula]
    if both:
        message = f"{own.name}.{both[0]} is in the file, and has a formula."
        raise refuse("stored_column", message, "Take one of the two out.", "datapackage.json")
    if unknown:
        raise refuse("unknown_column", f"{own.name} has no column {unknown[0]}.", near_hint(unknown[0], stored), "datapackage.json")
    columns = tuple(_column(c, v, extra.get(c.lower())) for c, v in stored.items())
    columns += tuple(Column(c, x.type or "", x.hidden, x.description, x.formula, x.order_by) for c, x in own.columns.items() if x.formula)
    key = schema.get("primaryKey", [])
    key = tuple(c for c in ([key] if isinstance(key, str) else key) if c in stored)
    calendar = Calendar(own.calendar.date, own.calendar.year_starts_in) if own.calendar else None
    origin, steps = origin_of(own)
    table = Table(own.name, columns, own.source, key, calendar, own.description, origin=origin, steps=steps, **said_of(own))
    keys = schema.get("foreignKeys", [])
    foreign: list[Mapping[str, Any]] = [k for k in keys if isinstance(k, dict)] if isinstance(keys, list) else []
    return Loaded(name, table, mapped_rows(TableRows(size, stored)), foreign)


MADE_HERE = ("calendar", "bands", "list", "parameter")


def said_of(own: SaidProperty) -> dict[str, Any]:
    """What an author says of a table, as `Table` takes it."""
    said = {name: getattr(own, name) for name in SaidProperty.model_fields}
    return said | {"grain_columns": tuple(own.grain_columns)}


def origin_of(own: TableProperty) -> tuple[dict[str, Any], tuple[dict[str, Any], ...]]:
    """What a table's rows are made from, and its steps: of tables that are made here as they are, of others as their past, for the
    package's rows are shaped already."""
    if own.origin is None:
        return {}, ()
    if own.origin.source.get("kind") in MADE_HERE:
        return own.origin.source, tuple(own.origin.steps)
    return {"kind": "past", "source": own.origin.source, "steps": own.origin.steps}, ()


def _column(name: str, column: StoredColumn, extra: ColumnProperty | None) -> Column:
    return Column(name, column.dtype, extra.hidden, extra.description, order_by=extra.order_by) if extra else Column(name, column.dtype)


def read_columns(
    files: Folder | Zip, paths: list[str], resource: Mapping[str, Any], schema: Mapping[str, Any]
) -> tuple[dict[str, StoredColumn], int]:
    """The columns of a resource, all its files in order, and the number of rows."""
    if any(p.lower().endswith(PARQUET) for p in paths) or resource.get("format") == "parquet":
        if len(paths) > 1:
            raise refuse("bad_resource", f"{paths[0]}: a Parquet resource is one file.", place=paths[0])
        with files.opened(paths[0], paths[0]) as source:
            return read_parquet(source, paths[0])
    dialect = resource.get("dialect") if isinstance(resource.get("dialect"), dict) else {}
    with ExitStack() as stack:
        sources = [(stack.enter_context(files.opened(p, p)), p) for p in paths]
        parts = [CsvFile(source, p, dialect or {}, str(resource.get("encoding", "utf-8"))) for source, p in sources]
        names = parts[0].names
        if any(p.names != names for p in parts):
            raise refuse("bad_resource", f"The files of {resource['name']} have different columns.", place=str(resource["name"]))
        return read_csv(parts, fields_of(schema, names, paths[0]))


def fields_of(schema: Mapping[str, Any], names: list[str], place: str) -> list[Field]:
    """A field for each column of the file; without a schema, to be guessed."""
    listed = schema.get("fields")
    missing = schema.get("missingValues", [""])
    if not isinstance(listed, list) or not listed:
        return [Field(n, None) for n in names]
    if len(listed) != len(names) or [f.get("name") for f in listed] != names:
        given = {f.get("name"): f for f in listed}
        lost = [n for n in given if n not in names]
        if lost or len(given) != len(listed):
            raise refuse(
                "missing_column",
                f"The schema names {', '.join(map(str, lost))}; the file has {', '.join(names)}.",
                "Bring schema and header together.",
                place,
            )
        listed = [given.get(n, {"name": n, "type": "any"}) for n in names]
    return [
        Field(
            str(f["name"]),
            FIELD_TYPES.get(f.get("type", "string"), None if f.get("type") == "any" else "text"),
            tuple(_words(f.get("missingValues", missing))),
            f,
        )
        for f in listed
    ]


def _words(texts: Any) -> list[str]:
    return [str(x["value"]) if isinstance(x, dict) else str(x) for x in texts] if isinstance(texts, list) else [""]


def _computed_table(own: TableProperty) -> Table:
    """A table that is a formula; what is said of its columns stands until they are computed."""
    columns = tuple(Column(c, "", x.hidden, x.description, order_by=x.order_by) for c, x in own.columns.items())
    calendar = Calendar(own.calendar.date, own.calendar.year_starts_in) if own.calendar else None
    return Table(own.name, columns, own.source, (), calendar, own.description, own.formula or "", **said_of(own))


def make_model(descriptor: Mapping[str, Any], own: NexoremProperty, loaded: list[Loaded]) -> tuple[Model, list[dict[str, Any]]]:
    """The model of a package whose resources were read, and the links that have to wait for computed tables."""
    order = [t.resource or t.name for t in own.tables]
    ranked = sorted(loaded, key=lambda x: order.index(x.name) if x.name in order else len(order))
    name = str(descriptor.get("name") or "model")
    tables = [x.table for x in ranked]
    for number, computed in enumerate(own.tables):
        if computed.formula:
            behind = {x.name for x in own.tables[number:]}
            tables.insert(next((i for i, x in enumerate(tables) if x.name in behind), len(tables)), _computed_table(computed))
    model = Model(name, tuple(tables), title=str(descriptor.get("title") or ""))
    wrong: list[Diagnostic] = []
    links = [k.model_dump(by_alias=True, exclude_none=True) for k in own.links] if own.links is not None else _foreign_links(loaded)
    waiting = {x.name.lower() for x in tables if x.formula}
    later = [k for k in links if waiting & {_table_of(end) for end in (k["from"], k["to"])}]
    try:
        model = with_links(model, [k for k in links if k not in later])
    except Refused as refused:
        wrong += refused.diagnostics
    model = replace(
        model,
        measures=tuple(Measure(**m.model_dump()) for m in own.measures),
        language=own.language,
        **kept_of(own),
    )
    wrong += check_shape(model)
    if wrong:
        raise Refused(wrong)
    return model, later


def kept_of(own: NexoremProperty) -> dict[str, Any]:
    """What a package keeps beside tables, links and measures, as `Model` takes it."""
    parts = ("probes", "folios", "hierarchies", "checks", "accepted", "renamed", "clearances")
    return {key: tuple(getattr(own, key)) for key in parts} | {"places": own.places}


def _table_of(end: Any) -> str:
    text = end if isinstance(end, str) else str(end[0]) if end else ""
    return split_reference(text)[0].lower() if "." in text else ""


def with_links(model: Model, declared: Sequence[Mapping[str, Any]]) -> Model:
    """The model with these links added; refuses with all that is wrong with them."""
    wrong: list[Diagnostic] = []
    links: list[Link] = []
    for item in declared:
        try:
            links.append(link_from_json(model, item))
        except Refused as refused:
            wrong += [replace(d, place=str(item.get("name") or "links")) for d in refused.diagnostics]
    if wrong:
        raise Refused(wrong)
    return replace(model, links=(*model.links, *links))


def _foreign_links(loaded: list[Loaded]) -> list[dict[str, Any]]:
    """Foreign keys of a package that nobody prepared: active many-to-one links; one to a table itself is inactive."""
    tables = {x.name: x.table.name for x in loaded}
    links = []
    for item in loaded:
        for key in item.foreign_keys:
            reference = key.get("reference") or {}
            target = tables.get(reference.get("resource") or item.name)
            if target is None:
                raise refuse(
                    "bad_foreign_key",
                    f"A foreign key of {item.name} names the resource {reference.get('resource')!r}, which the package does not have.",
                    place="datapackage.json",
                )
            ends = [[x] if isinstance(x, str) else list(x or []) for x in (key.get("fields"), reference.get("fields"))]
            links.append(
                {
                    "from": [columns_text(item.table.name, (c,)) for c in ends[0]],
                    "to": [columns_text(target, (c,)) for c in ends[1]],
                    "active": target != item.table.name,
                }
            )
    return links
