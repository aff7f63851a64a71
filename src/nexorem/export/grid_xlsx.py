"""A grid as a sheet, wide, as it is read."""

from __future__ import annotations

import io
import re
import zipfile
from typing import Any

import openpyxl
from openpyxl.cell import WriteOnlyCell
from openpyxl.cell.cell import ILLEGAL_CHARACTERS_RE
from openpyxl.styles import Alignment, Font
from openpyxl.utils import get_column_letter

from nexorem.core.diagnostics import OverLimit, refuse
from nexorem.core.engine.grid import Grid
from nexorem.core.engine.order import TOTAL, Axis, member_json
from nexorem.core.limits import Budget
from nexorem.export.grids import EMPTY, ROWS_AT_ONCE

WIDEST = 16_000  # columns of a sheet
LONGEST = 1_000_000  # lines of a sheet
BOLD = Font(bold=True)


def xlsx_bytes(grid: Grid, budget: Budget) -> bytes:
    """A sheet as the grid is read: lines down, members and measures across, numbers with their formats. Cost: its cells; a row is kept at a
    time."""
    across, names = grid.columns, grid.probe.measures
    if len(across.lines) * len(names) > WIDEST:
        raise refuse("too_wide", f"A sheet holds {WIDEST:,} columns.", "Take a column off the axis across, or fetch it as CSV.")
    if len(grid.rows.lines) > LONGEST:
        raise refuse("too_long", f"A sheet holds {LONGEST:,} lines.", "Take a column off the axis down, or fetch it as CSV.")
    book = openpyxl.Workbook(write_only=True)
    sheet = book.create_sheet("Grid")
    labels = [f"{table} {column}" for table, column in grid.rows.columns]
    sheet.freeze_panes = f"{get_column_letter(len(labels) + 1)}{len(across.columns) + 2}"
    for level in range(len(across.columns)):
        heads: list[Any] = ["" for _ in labels] or [" ".join(across.columns[level])]
        for c in range(len(across.lines)):
            heads[len(labels) + c * len(names) :] = [_member(grid, across, c, level), *[None] * (len(names) - 1)]
        sheet.append([_cell(sheet, x, bold=True) for x in heads])
    words = [*labels, *(n.replace("_", " ") for _ in across.lines for n in names)]
    sheet.append([_cell(sheet, text, bold=True, wrap="left" if i == 0 else "right") for i, text in enumerate(words)])
    columns = [["error" if vector.fault(i) else v for i, v in enumerate(vector.tolist())] for vector in grid.values]
    formats = [saved.format if (saved := grid.star.model.measure(name)) else "" for name in names]
    for r in range(len(grid.rows.lines)):
        if r % ROWS_AT_ONCE == 0:
            try:
                budget.check()
            except OverLimit:
                sheet.close()  # which has a file open
                raise
        members = [_cell(sheet, _member(grid, grid.rows, r, level)) for level in range(len(labels))]
        places = ((r * len(across.lines) + c, m) for c in range(len(across.lines)) for m in range(len(names)))
        sheet.append([*members, *(_cell(sheet, columns[m][place], pattern=formats[m]) for place, m in places)])
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


def _cell(sheet: Any, value: Any, bold: bool = False, wrap: str = "", pattern: str = "") -> Any:
    """A cell of a sheet. Text is written as text, so that what begins with = is no formula; \ufffd stands for what a sheet cannot hold."""
    if value is None or not (bold or pattern or isinstance(value, str)):
        return value
    cell = WriteOnlyCell(sheet, ILLEGAL_CHARACTERS_RE.sub("\ufffd", value) if isinstance(value, str) else value)
    if isinstance(value, str):
        cell.data_type = "s"
    if bold:
        cell.font = BOLD
    if wrap:
        cell.alignment = Alignment(wrap_text=True, horizontal=wrap)
    if pattern:
        cell.number_format = pattern
    return cell
