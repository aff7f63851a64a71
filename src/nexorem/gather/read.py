"""A source to rows and a report: types from all rows, what does not fit listed. Nothing is half-read."""

from __future__ import annotations

import stat
import time
import zipfile
from collections.abc import Collection, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path, PurePosixPath
from typing import Any

import numpy as np

from nexorem.core.columns import Column, compact
from nexorem.core.diagnostics import Diagnostic, Refused, near_hint, refuse
from nexorem.core.model.model import link_json
from nexorem.core.model.rows import TableRows
from nexorem.core.model.star import Star
from nexorem.core.values import Vector
from nexorem.core.words import counted, verb
from nexorem.gather.frame import Frame, as_text
from nexorem.gather.missing import missing_notes, missing_report
from nexorem.gather.sources import kinds as k
from nexorem.gather.sources.bounds import Notes, Progress, silent
from nexorem.gather.sources.columnar import read_arrow, read_lines, read_parquet
from nexorem.gather.sources.csv_file import read_csv
from nexorem.gather.sources.sheets import read_sheets, same_shape, sheet_names
from nexorem.gather.texts import Guess, Reads
from nexorem.gather.typed import emptied, guesses, misfits, rows_with_zone, typed_column

SAMPLE = 8
ENDINGS = {
    ".csv": "csv",
    ".tsv": "csv",
    ".txt": "csv",
    ".tab": "csv",
    ".parquet": "parquet",
    ".pq": "parquet",
    ".arrow": "arrow",
    ".feather": "arrow",
    ".ipc": "arrow",
    ".jsonl": "json_lines",
    ".ndjson": "json_lines",
    ".xlsx": "sheet",
    ".xlsm": "sheet",
    ".ods": "sheet",
    ".zip": "resource",
}


@lru_cache(maxsize=1)
def _opened(path: Path, _changed: float) -> Star:
    from nexorem.package.read import open_package  # half a second, of which most files need nothing

    return open_package(path)


def opened(path: Path) -> Star:
    """A package; the one opened last is kept, for its resources are read one by one."""
    described = path / "datapackage.json" if path.is_dir() else path
    return _opened(path, described.stat().st_mtime)


@dataclass(frozen=True, slots=True, eq=False)
class Reading:
    """Rows as a source gives them. `source` is it with every guess filled in; `report` says types, misfits, notes and a sample."""

    name: str
    frame: Frame
    source: dict[str, Any]
    report: dict[str, Any]
    key: list[str] = field(default_factory=list)


def table_name(text: str) -> str:
    """A name for a table from that of a file or sheet: words with capitals, without its ending."""
    words = "".join(c if c.isalnum() else " " for c in PurePosixPath(text).stem if c != '"').split()
    return " ".join(words).capitalize() if words else "Table"


def sources_in(path: Path, name: str = "") -> list[tuple[str, dict[str, Any]]]:
    """What a file holds: (a name for the table, a source) for each table in it."""
    file = name or path.name
    if path.is_dir():
        return _resources(path, file)
    kind = ENDINGS.get(PurePosixPath(file).suffix.lower())
    if kind is None:
        raise refuse("unknown_kind", f"{file} is of no kind that can be read.", f"Files that end with {', '.join(ENDINGS)} can.", file)
    if kind == "sheet":
        names = sheet_names(path)
        single = len(names) == 1
        alike = same_shape(path)
        together = [(table_name(file), {"kind": "sheet", "file": file, "sheets": alike})] if alike else []
        return together + [
            (table_name(file if single else f"{PurePosixPath(file).stem} {s}"), {"kind": "sheet", "file": file, "sheet": s}) for s in names
        ]
    if kind == "resource":
        return _in_package(path, file)
    return [(table_name(file), {"kind": kind, "file": file})]


def _in_package(path: Path, file: str) -> list[tuple[str, dict[str, Any]]]:
    try:
        with zipfile.ZipFile(path) as packed:
            described = any(PurePosixPath(n).name == "datapackage.json" for n in packed.namelist())
    except (zipfile.BadZipFile, OSError) as error:
        raise refuse("bad_zip", f"{file} is not a readable .zip: {error}.", "It may be cut short; pack it again.", file) from None
    if not described:
        raise refuse("bad_zip", f"{file} has no datapackage.json in it.", "Unpack it, and drop the files themselves.", file)
    return _resources(path, file)


def _resources(path: Path, file: str) -> list[tuple[str, dict[str, Any]]]:
    star = opened(path)
    return [(t.name, {"kind": "resource", "file": file, "resource": t.name}) for t in star.model.tables if not t.formula]


def read(
    source: Mapping[str, Any], files: Path | Mapping[str, Path], access: Mapping[str, Any] | None = None, progress: Progress = silent
) -> Reading:
    """One source. `files` is the folder in which its file lies, or files by name; `access` the way to its database."""
    start = time.monotonic()
    given = k.read_source(dict(source))
    notes = Notes()
    if isinstance(given, k.DatabaseSource):
        from nexorem.gather.read_database import read_database
        from nexorem.gather.sources.database import reading

        with reading(access or {}, given.connection) as connection:
            return read_database(connection, given, progress)
    path = file_in(files, given.file)
    settled = given.model_dump(exclude_defaults=True)
    key: list[str] = []
    if isinstance(given, k.CsvSource):
        columns_read, shape = read_csv(path, given, notes, progress)
        settled |= {"encoding": shape.encoding, "delimiter": shape.delimiter, "header": shape.header, "skip": shape.skip}
        frame, columns = typed_columns(columns_read, given, path.name, shape.skip + shape.header)
    elif isinstance(given, k.ResourceSource):
        frame, key = _resource(path, given)
        columns = [plain_report(n, v) for n, v in frame.columns.items()]
    else:
        frame, columns, placed = _cells(path, given, notes, progress)
        settled |= placed
    name = given.resource if isinstance(given, k.ResourceSource) else given.file
    return reading_of(table_name(name), frame, settled, columns, notes, start, key)


def _resource(path: Path, source: k.ResourceSource) -> tuple[Frame, list[str]]:
    """The rows of a resource of a package, and its key."""
    star = opened(path)
    table = star.model.table(source.resource)
    if table is None or table.formula:
        near = near_hint(source.resource, [t.name for t in star.model.tables])
        raise refuse("unknown_resource", f"{source.file} has no resource {source.resource!r}.", near, source.file)
    columns = {c.name: star.column(table.name, c.name) for c in table.columns if not c.formula}
    return Frame.of(TableRows(star.size(table.name), columns)), list(table.key)


def _cells(
    path: Path, source: k.SheetSource | k.ParquetSource | k.ArrowSource | k.LinesSource, notes: Notes, progress: Progress
) -> tuple[Frame, list[dict[str, Any]], dict[str, int]]:
    """The rows of a file whose cells have types of their own, a report of each column, and where its heading was found."""
    marked: set[str] = set()
    placed: dict[str, int] = {}
    vectors: Mapping[str, Column | Vector]
    match source:
        case k.SheetSource():
            vectors, rows, header, skip = read_sheets(path, source, notes)
            placed = {"header": header, "skip": skip}
        case k.ParquetSource():
            vectors, rows = read_parquet(path, source.nested, notes, progress)
        case k.ArrowSource():
            vectors, rows = read_arrow(path, source.nested, notes, progress)
        case _:
            vectors, rows, marked = read_lines(path, source, notes, progress)
    if not vectors:
        raise refuse("no_columns", "There is no column in it that a table can hold.", place=path.name)
    frame, columns = typed_cells(vectors, rows, source, path.name, sum(placed.values()), marked)
    return frame, columns, placed


def reading_of(
    name: str, frame: Frame, source: dict[str, Any], columns: list[dict[str, Any]], notes: Notes, start: float, key: list[str]
) -> Reading:
    """A reading with its report; `columns` are the reports of its columns, `start` when it was begun, in seconds that never run back."""
    for note in (*missing_notes(columns), *(f"{c['name']}: {c['note']}." for c in columns if "zone" in c["note"])):
        notes.add(note)
    shown = np.arange(min(SAMPLE, frame.size))
    report = {
        "rows": frame.size,
        "columns": columns,
        "notes": notes.lines,
        "broken_rows": notes.broken_rows,
        "broken": notes.broken,
        "sample": frame.listed(shown),
        "seconds": round(time.monotonic() - start, 3),
    }
    return Reading(name, frame, source, report, key)


def file_in(files: Path | Mapping[str, Path], name: str) -> Path:
    """A file of the folder of files; a name that leads out of it is refused. Or one of the files named."""
    if isinstance(files, Mapping):
        if name not in files:
            raise refuse("missing_file", f"The file {name} was not given.", near_hint(name, files) or "Name it on the command line.", name)
        return files[name]
    path = files / name
    if PurePosixPath(name).name != name or "\\" in name or name in ("", ".", "..") or path.is_symlink():
        raise refuse("path_outside", f"{name!r} is not a file of the folder of files.", "Name a file, without a folder.", name)
    if not path.is_file() or not stat.S_ISREG(path.stat().st_mode):
        names = [p.name for p in files.iterdir()] if files.is_dir() else []
        raise refuse(
            "missing_file",
            f"The file {name} does not exist.",
            near_hint(name, names) or "Drop it here, or put it into the folder of files.",
            name,
        )
    return path


def typed_columns(
    read_columns: Mapping[str, Column | Vector], source: k.CsvSource, place: str, above: int = 0
) -> tuple[Frame, list[dict[str, Any]]]:
    """Columns of numbers as they are, those of texts as typed columns, two at a time."""
    wrong: list[Diagnostic] = []
    unknown = [c for c in source.columns if c not in read_columns]
    if unknown:
        raise refuse("unknown_column", f"The column {unknown[0]} does not exist.", near_hint(unknown[0], read_columns), place)

    def one(name: str) -> tuple[Column, dict[str, Any]]:
        column = read_columns[name]
        if isinstance(column, Column):
            return column, plain_report(name, column)
        return _typed(column, name, source.columns.get(name), place, above, None)

    narrow, columns = {}, []
    with ThreadPoolExecutor(2) as pool:
        jobs = {name: pool.submit(one, name) for name in read_columns}
    for name, job in jobs.items():
        try:
            narrow[name], report = job.result()
            columns.append(report)
        except Refused as refused:
            wrong += refused.diagnostics
    if wrong:
        raise Refused(wrong)
    return _frame(narrow), columns


def _frame(columns: Mapping[str, Column]) -> Frame:
    return Frame.of(TableRows(next((c.size for c in columns.values()), 0), columns))


def typed_cells(
    vectors_read: Mapping[str, Column | Vector], rows: int, source: k.Typed, place: str, above: int = 0, marked: Collection[str] = ()
) -> tuple[Frame, list[dict[str, Any]]]:
    """Columns that have types already: those of texts are read like a CSV's, unless they came from a typed file. `marked` are columns of
    JSON whose only texts mean no value."""
    unknown = [c for c in source.columns if c not in vectors_read]
    if unknown:
        raise refuse("unknown_column", f"The column {unknown[0]} does not exist.", near_hint(unknown[0], vectors_read), place)
    # A sheet's texts may be anything; those of JSON are texts, unless they are days: it has no other way to write one.
    guessed = isinstance(source, k.SheetSource | k.LinesSource)
    wanted = ("date", "datetime") if isinstance(source, k.LinesSource) else None
    typed_ones: dict[str, Column] = {}
    columns: list[dict[str, Any]] = []
    wrong: list[Diagnostic] = []
    for name, column in vectors_read.items():
        reads = source.columns.get(name)
        if isinstance(column, Column) and (reads is None or reads.type == column.dtype):
            typed_ones[name] = column
            columns.append(plain_report(name, column))
            continue
        v = column.rows() if isinstance(column, Column) else column
        try:
            if reads is not None and v.dtype != "text" and v.dtype != reads.type:
                v = as_text(v)
            if v.dtype == "text" and (guessed or reads):
                typed_ones[name], report = _typed(emptied(v, tuple(source.missing)), name, reads, place, above, wanted)
            else:
                typed_ones[name], report = compact(v), plain_report(name, v)
            lacking = report["missing"]
            if lacking and wanted is not None and lacking["type"] not in wanted and name not in marked:
                lacking["type"] = "text"  # texts of JSON stay texts, with such words or without
            columns.append(report)
        except Refused as refused:
            wrong += refused.diagnostics
    if wrong:
        raise Refused(wrong)
    return Frame.of(TableRows(rows, typed_ones)), columns


def _typed(
    words: Vector, name: str, chosen: k.ColumnReads | None, place: str, above: int, wanted: tuple[str, ...] | None
) -> tuple[Column, dict[str, Any]]:
    offered = guesses(words)
    if wanted is not None and offered[0].reads.dtype not in wanted:
        offered = [Guess(Reads("text"))]
    if chosen is None:
        reads, choice = offered[0].reads, "text"
    else:
        reads, choice = Reads(chosen.type, chosen.pattern, chosen.decimal, chosen.group, chosen.language), chosen.misfits
    column, missed = typed_column(words, reads, "empty" if choice == "refuse" else choice, above)  # type: ignore[arg-type]
    if missed.count and choice == "refuse":
        listed = "; ".join(f"row {r:,}: {t[:40]!r}" for r, t in missed.rows[:10])
        raise refuse(
            "bad_value",
            f"{name}: {counted(missed.count, 'value')} {verb(missed.count, 'is', 'are')} not of the type {reads.dtype}: {listed}.",
            "Keep the column as text, or let these become empty.",
            place,
        )
    report = plain_report(name, column) | _reads_json(reads if column.dtype == reads.dtype else Reads("text"))
    report |= {"misfits": missed.as_json(), "note": offered[0].note if chosen is None else "", "choice": choice if chosen else ""}
    report["missing"] = missing_report(words) if chosen is None and column.dtype == "text" else None
    if column.dtype == "datetime" and (zoned := rows_with_zone(words)):
        report["note"] = (
            f"{counted(zoned, 'moment')} {verb(zoned, 'names', 'name')} a zone, which is not kept: the clock is read as it stood"
        )
    others = [g for g in offered if g.reads != reads]
    return column, report | {"others": [_guess_json(g, words, above) for g in others[:3]]}


def _guess_json(guess: Guess, words: Vector, above: int) -> dict[str, Any]:
    missed = misfits(words, guess.reads, above)
    return _reads_json(guess.reads) | {"misfits": missed.as_json(), "note": guess.note}


def _reads_json(reads: Reads) -> dict[str, Any]:
    return {"type": reads.dtype, "pattern": reads.pattern, "decimal": reads.decimal, "group": reads.group, "language": reads.language}


def plain_report(name: str, v: Column | Vector) -> dict[str, Any]:
    """What is told of a column that is taken as it is: its type, and how many rows are empty."""
    return {
        "name": name,
        **_reads_json(Reads(v.dtype)),
        "empty": v.empties() if isinstance(v, Column) else int((~v.valid).sum()),
        "misfits": {"count": 0, "rows": []},
        "note": "",
        "choice": "",
        "others": [],
        "missing": None,
    }


def package_links(path: Path, names: Mapping[str, str]) -> list[dict[str, Any]]:
    """The links of a package in a .zip between tables that are taken, under the names they get."""
    star = opened(path)
    return [
        link_json(x) for x in star.model.links if x.from_table in names and x.to_table in names and all(names[t] == t for t in x.tables)
    ]
