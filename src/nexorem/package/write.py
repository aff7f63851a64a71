"""A model with its rows to a Data Package: a folder or a .zip, the same bytes for the same model."""

from __future__ import annotations

import io
import json
import re
import zipfile
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from nexorem.core.diagnostics import refuse
from nexorem.core.model.model import Model, Table, link_json, plain
from nexorem.core.model.specs import spec_json
from nexorem.core.model.star import Star
from nexorem.core.values import Vector
from nexorem.package.tabular import missing_word, write_csv, write_parquet

PROFILE = "https://datapackage.org/profiles/2.0/datapackage.json"
TYPE_NAMES = {"text": "string"}
FORMATS = ("csv", "parquet")
KEYS = (
    "name",
    "description",
    "rows",
    "columns",
    "measures",
    "define",
    "picks",
    "column",
    "in",
    "where",
    "totals",
    "empty_lines",
    "sort",
    "by",
    "desc",
    "limit",
    "levels",
)


def write_package(star: Star, path: Path, data: str = "csv", beside: Mapping[str, bytes] | None = None) -> None:
    """Writes to a folder, or to a .zip when `path` ends so, with the files that its checks name `beside` it. An existing target is refused,
    never half-changed."""
    if path.exists():
        raise refuse("exists", f"{path.name} already exists.", "Name another place, or remove it first.")
    if path.suffix == ".zip":
        path.write_bytes(package_zip(star, data, beside))
        return
    files = package_files(star, data) | dict(beside or {})
    for name, content in files.items():
        target = path / name
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(content)


def package_zip(star: Star, data: str = "csv", beside: Mapping[str, bytes] | None = None) -> bytes:
    """The package as a .zip, the same bytes for the same model."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as file:
        for name, content in (package_files(star, data) | dict(beside or {})).items():
            file.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), content, zipfile.ZIP_DEFLATED)
    return out.getvalue()


def package_files(star: Star, data: str = "csv") -> dict[str, bytes]:
    """The package's files by their paths."""
    assert data in FORMATS
    names = resource_names(star.model)
    files: dict[str, bytes] = {}
    resources = []
    for table in star.model.tables:
        if table.formula:
            continue
        columns = {c.name: star.column(table.name, c.name).rows() for c in table.columns if not c.formula}
        path = f"data/{names[table.name]}.{data}"
        files[path] = write_csv(columns) if data == "csv" else write_parquet(columns)
        resources.append(_resource(table, names[table.name], path, data, columns))
    descriptor = {
        "$schema": PROFILE,
        "name": star.model.name,
        **({"title": star.model.title} if star.model.title else {}),
        "resources": resources,
        "nexorem": nexorem_property(star.model, names),
    }
    return {"datapackage.json": (json.dumps(descriptor, indent=2, ensure_ascii=False) + "\n").encode(), **files}


def resource_names(model: Model) -> dict[str, str]:
    """A resource name for each table: small letters, digits and dashes, distinct."""
    names: dict[str, str] = {}
    for table in model.tables:
        base = re.sub(r"[^a-z0-9]+", "-", table.name.lower()).strip("-") or "table"
        name, number = base, 2
        while name in names.values():
            name, number = f"{base}-{number}", number + 1
        names[table.name] = name
    return names


def _resource(table: Table, name: str, path: str, data: str, columns: dict[str, Vector]) -> dict[str, Any]:
    fields: list[dict[str, Any]] = []
    for column in (c for c in table.columns if not c.formula):
        field: dict[str, Any] = {"name": column.name, "type": TYPE_NAMES.get(column.dtype, column.dtype)}
        word = missing_word(columns[column.name]) if data == "csv" else ""
        if word:
            field["missingValues"] = [word]
        fields.append(field)
    schema: dict[str, Any] = {"fields": fields}
    if table.key:
        schema["primaryKey"] = list(table.key)
    return {"name": name, "path": path, "format": data, "schema": schema}


def _origin(table: Table) -> dict[str, Any]:
    """Where its rows come from, as a package keeps it."""
    steps = [dict(x) for x in table.steps]
    if table.origin.get("kind") == "past" and not steps:
        return {k: table.origin[k] for k in ("source", "steps") if table.origin.get(k)}
    return {**({"source": dict(table.origin)} if table.origin else {}), **({"steps": steps} if steps else {})}


def canonical(value: Any) -> Any:
    """JSON with its keys in one order, the usual ones first: a store may bring them back in another."""
    if isinstance(value, list | tuple):
        return [canonical(x) for x in value]
    if not isinstance(value, dict):
        return value
    ordered = sorted(value, key=lambda k: (KEYS.index(k) if k in KEYS else len(KEYS), k))
    return {k: canonical(value[k]) for k in ordered}


def nexorem_property(model: Model, names: dict[str, str]) -> dict[str, Any]:
    """Everything the standard has no place for."""
    tables = []
    for table in model.tables:
        item: dict[str, Any] = {"name": table.name}
        item |= {"formula": table.formula} if table.formula else {"resource": names[table.name]}
        if table.source is not None:
            item["source"] = table.source
        for part in ("description", "role", "grain", "grain_columns", "hidden", "subject"):
            if getattr(table, part):
                item[part] = list(getattr(table, part)) if part == "grain_columns" else getattr(table, part)
        columns = {
            c.name: {k: v for k, v in plain(c).items() if k in ("hidden", "description", "formula", "order_by")} for c in table.columns
        }
        for column in table.columns:
            if column.formula:
                columns[column.name]["type"] = column.dtype
        if any(columns.values()):
            item["columns"] = {c: v for c, v in columns.items() if v}
        if table.origin or table.steps:
            item["origin"] = canonical(_origin(table))
        if table.calendar:
            item["calendar"] = {"date": table.calendar.date, "year_starts_in": table.calendar.year_starts_in}
        tables.append(item)
    return {"version": 1, "language": model.language, "tables": tables, "links": [link_json(k) for k in model.links], **_specs(model)}


def _specs(model: Model) -> dict[str, Any]:
    """What a model keeps beside its tables and links; what it has none of is left out."""
    specs: dict[str, Any] = {}
    for key in ("hierarchies", "probes", "folios", "checks", "clearances"):
        if getattr(model, key):
            specs[key] = [canonical(spec_json(x)) for x in getattr(model, key)]
    specs["measures"] = [plain(m) for m in model.measures]
    if model.places:
        specs["places"] = {key: spec_json(place) for key, place in sorted(model.places.items())}
    for key in ("accepted", "renamed"):
        if getattr(model, key):
            specs[key] = [spec_json(x) for x in getattr(model, key)]
    return specs
