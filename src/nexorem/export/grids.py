"""A grid as a file: CSV and Parquet hold it tidy, one line a cell with a column for each axis and measure; XLSX as it is read, wide."""

from __future__ import annotations

import csv
import io
import re
import zipfile
from collections.abc import Callable, Iterator
from typing import Any, TextIO

import openpyxl
import pyarrow as pa
import pyarrow.parquet as pq
from openpyxl.styles import Alignment, Font

from nexorem.core.diagnostics import near_hint, refuse
from nexorem.core.engine.grid import Grid
from nexorem.core.engine.order import TOTAL, Axis, member_json
from nexorem.core.formats import format_value

TOTALLED = "(total)"
EMPTY = "(empty)"
ARROW = {
    "integer": pa.int64(),
    "number": pa.float64(),
    "boolean": pa.bool_(),
    "text": pa.string(),
    "date": pa.date32(),
    "datetime": pa.timestamp("us"),
}
WIDEST = 16_000  # columns of a sheet


def write_csv(grid: Grid, out: TextIO, formatted: bool = False) -> None:
    """The tidy answer; totals say `(total)`, and what failed `error: code`."""
    axes = [f"{table}.{column}" for table, column in (*grid.probe.rows, *grid.probe.columns)]
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow([*axes, *grid.probe.measures])
    for cell in written(grid) if formatted else grid.tidy():
        coordinates = [TOTALLED if a not in cell else EMPTY if cell[a] is None else cell[a] for a in axes]
        writer.writerow([*coordinates, *("" if cell[m] is None else _plain(cell[m]) for m in grid.probe.measures)])


def written(grid: Grid) -> Iterator[dict[str, Any]]:
    """The tidy answer with numbers as text, by the formats of their measures."""
    patterns = {name: saved.format if (saved := grid.star.model.measure(name)) else "" for name in grid.probe.measures}
    for cell in grid.tidy():
        yield cell | {m: format_value(value, p) for m, p in patterns.items() if isinstance(value := cell[m], int | float)}


def _plain(value: Any) -> Any:
    return f"error: {value['error']}" if isinstance(value, dict) else value


def csv_bytes(grid: Grid) -> bytes:
    """CSV in UTF-8."""
    out = io.StringIO()
    write_csv(grid, out)
    return out.getvalue().encode()


def parquet_bytes(grid: Grid) -> bytes:
    """The tidy answer with typed columns. An axis column is text where it has members that are no value: totals, (empty), (unmatched)."""
    tidy = list(grid.tidy())
    fields: dict[str, pa.Array] = {}
    for table, column in (*grid.probe.rows, *grid.probe.columns):
        name = f"{table}.{column}"
        texts = [TOTALLED if name not in cell else EMPTY if cell[name] is None else str(cell[name]) for cell in tidy]
        fields[name] = pa.array(texts, pa.string())
    for name, dtype, vector in zip(grid.probe.measures, grid.dtypes, grid.values, strict=True):
        fields[name] = pa.array(vector.tolist(), ARROW.get(dtype, pa.string()))
    out = io.BytesIO()
    pq.write_table(pa.table(fields), out, compression="zstd")
    return out.getvalue()


def xlsx_bytes(grid: Grid) -> bytes:
    """A sheet as the grid is read: lines down, members and measures across, numbers with their formats, and the probe on a second sheet."""
    across, names = grid.columns, grid.probe.measures
    if len(across.lines) * len(names) > WIDEST:
        raise refuse("too_wide", f"A sheet holds {WIDEST:,} columns.", "Take a column off the axis across, or fetch it as CSV.")
    book = openpyxl.Workbook()
    sheet = book.active
    assert sheet is not None
    sheet.title = "Grid"
    labels = [f"{table} {column}" for table, column in grid.rows.columns]
    for level in range(len(across.columns)):
        _put(sheet, level + 1, 1, " ".join(across.columns[level]) if not labels else "", bold=True)
        for c in range(len(across.lines)):
            _put(sheet, level + 1, len(labels) + c * len(names) + 1, _member(grid, across, c, level), bold=True)
    head = len(across.columns) + 1
    for i, text in enumerate([*labels, *(n.replace("_", " ") for _ in across.lines for n in names)]):
        _put(sheet, head, i + 1, text, bold=True, wrap=True)
    columns = [["error" if vector.fault(i) else v for i, v in enumerate(vector.tolist())] for vector in grid.values]
    formats = [saved.format if (saved := grid.star.model.measure(name)) else "" for name in names]
    for r in range(len(grid.rows.lines)):
        for level in range(len(labels)):
            _put(sheet, head + 1 + r, level + 1, _member(grid, grid.rows, r, level))
        for c in range(len(across.lines)):
            for m, values in enumerate(columns):
                cell = sheet.cell(head + 1 + r, len(labels) + c * len(names) + m + 1)
                cell.value = values[r * len(across.lines) + c]
                if isinstance(cell.value, str):
                    cell.data_type = "s"
                if formats[m]:
                    cell.number_format = formats[m]
    sheet.freeze_panes = sheet.cell(head + 1, len(labels) + 1)
    out = io.BytesIO()
    book.save(out)
    return _undated(out.getvalue())


def _undated(book: bytes) -> bytes:
    """A workbook without the time when it was written: the same numbers are the same bytes."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(book)) as source, zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as target:
        for name in source.namelist():
            content = source.read(name)
            if name == "docProps/core.xml":
                content = re.sub(rb"(<dcterms:(created|modified)[^>]*>)[^<]*", rb"\g<1>2000-01-01T00:00:00Z", content)
            target.writestr(zipfile.ZipInfo(name, (1980, 1, 1, 0, 0, 0)), content, zipfile.ZIP_DEFLATED)
    return out.getvalue()


def _member(grid: Grid, axis: Axis, line: int, level: int) -> Any:
    code = int(axis.lines[line, level])
    if code == TOTAL:
        return "All"
    member = member_json(grid.star, *axis.columns[level], code)
    return EMPTY if member is None else member


def _put(sheet: Any, row: int, column: int, value: Any, bold: bool = False, wrap: bool = False) -> None:
    """Text is written as text, so that what begins with = is no formula of the sheet."""
    cell = sheet.cell(row, column)
    cell.value = value
    if isinstance(value, str):
        cell.data_type = "s"
    if bold:
        cell.font = Font(bold=True)
    if wrap:
        cell.alignment = Alignment(wrap_text=True, horizontal="right" if column > 1 else "left")


# By ending: the media type and the writer.
FILES: dict[str, tuple[str, Callable[[Grid], bytes]]] = {
    "csv": ("text/csv; charset=utf-8", csv_bytes),
    "xlsx": ("application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", xlsx_bytes),
    "parquet": ("application/vnd.apache.parquet", parquet_bytes),
}


def grid_file(grid: Grid, ending: str) -> tuple[str, bytes]:
    """A grid as a file: its media type and content; refuses an ending that is none of FILES."""
    if ending not in FILES:
        raise refuse("unknown_format", f"A grid is not written as {ending}.", near_hint(ending, FILES) or f"There are {', '.join(FILES)}.")
    kind, write = FILES[ending]
    return kind, write(grid)
