"""A model with its rows to a Data Package: a folder or a .zip, the same bytes for the same model."""

from __future__ import annotations

import io
import json
import re
import tempfile
import zipfile
from collections.abc import Callable, Iterator, Mapping
from contextlib import AbstractContextManager, contextmanager
from pathlib import Path
from typing import Any, BinaryIO, cast

from nexorem.core.diagnostics import refuse
from nexorem.core.model.model import Model, Table, link_json, plain
from nexorem.core.model.rows import apart
from nexorem.core.model.specs import spec_json
from nexorem.core.model.star import Star
from nexorem.package.written import missing_word, write_csv, write_parquet

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


Opener = Callable[[str], AbstractContextManager[BinaryIO]]


def write_package(star: Star, path: Path, data: str = "csv", beside: Mapping[str, bytes] | None = None) -> None:
    """Writes to a folder, or to a .zip when `path` ends so, with the files that its checks name `beside` it. An existing target is refused,
    never half-changed. Cost: that of the columns, a block of rows at a time."""
    if path.exists():
        raise refuse("exists", f"{path.name} already exists.", "Name another place, or remove it first.")
    path.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=path.parent, prefix=".writing-") as folder:
        part = Path(folder) / "package"
        if path.suffix == ".zip":
            with part.open("wb") as out:
                write_zip(star, out, data, beside)
        else:
            _write_folder(star, part, data, beside)
        part.rename(path)  # whole, or not there


def _write_folder(star: Star, folder: Path, data: str, beside: Mapping[str, bytes] | None) -> None:
    @contextmanager
    def opened(name: str) -> Iterator[BinaryIO]:
        target = folder / name
        target.parent.mkdir(parents=True, exist_ok=True)
        with target.open("wb") as file:
            yield file

    _write(star, opened, data, beside)


def write_zip(star: Star, out: BinaryIO, data: str = "csv", beside: Mapping[str, bytes] | None = None) -> None:
    """The package as a .zip, the same bytes for the same model. Parquet is packed already, and is stored as it is."""
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as file:

        @contextmanager
        def opened(name: str) -> Iterator[BinaryIO]:
            about = zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0))
            about.compress_type = zipfile.ZIP_STORED if name.endswith(".parquet") else zipfile.ZIP_DEFLATED
            with file.open(about, "w", force_zip64=True) as target:
                yield cast(BinaryIO, target)

        _write(star, opened, data, beside)


def package_files(star: Star, data: str = "csv") -> dict[str, bytes]:
    """A small package's files by their paths."""
    files: dict[str, bytes] = {}

    @contextmanager
    def opened(name: str) -> Iterator[BinaryIO]:
        out = io.BytesIO()
        yield out
        files[name] = out.getvalue()

    _write(star, opened, data, None)
    return files


def _write(star: Star, opened: Opener, data: str, beside: Mapping[str, bytes] | None) -> None:
    """Writes each file into what `opened` gives for its path, the descriptor first."""
    assert data in FORMATS
    names = resource_names(star.model)
    paths = {t.name: f"data/{names[t.name]}.{data}" for t in star.model.tables if not t.formula}
    descriptor = {
        "$schema": PROFILE,
        "name": star.model.name,
        **({"title": star.model.title} if star.model.title else {}),
        "resources": [_resource(star, t, names[t.name], paths[t.name], data) for t in star.model.tables if t.name in paths],
        "nexorem": nexorem_property(star.model, names),
    }
    with opened("datapackage.json") as out:
        out.write((json.dumps(descriptor, indent=2, ensure_ascii=False) + "\n").encode())
    for table in star.model.tables:
        if table.name in paths:
            there = apart(star.rows[table.name].columns)
            columns = {c.name: there[c.name] for c in table.columns if not c.formula}
            with opened(paths[table.name]) as out:
                (write_csv if data == "csv" else write_parquet)(columns, out)
    for name, content in (beside or {}).items():
        with opened(name) as out:
            out.write(content)


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


def _resource(star: Star, table: Table, name: str, path: str, data: str) -> dict[str, Any]:
    fields: list[dict[str, Any]] = []
    for column in (c for c in table.columns if not c.formula):
        field: dict[str, Any] = {"name": column.name, "type": TYPE_NAMES.get(column.dtype, column.dtype)}
        word = missing_word(star.column(table.name, column.name)) if data == "csv" and column.dtype == "text" else ""
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
