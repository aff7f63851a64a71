"""Sheets of XLSX and ODS files, as tables of values."""

from __future__ import annotations

import datetime as dt
import re
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from python_calamine import CalamineError, CalamineWorkbook

from nexorem.core.diagnostics import near_hint, refuse
from nexorem.core.values import Vector, vector
from nexorem.gather.sources.bounds import MOST_SHEET_CELLS, MOST_UNPACKED, Notes, headings
from nexorem.gather.sources.kinds import SheetSource

RANGE = re.compile(r"\$?([A-Za-z]{1,3})\$?([0-9]{1,7}):\$?([A-Za-z]{1,3})\$?([0-9]{1,7})")
Cells = list[list[Any]]


@contextmanager
def readable(path: Path, what: str) -> Iterator[None]:
    """Turns what the library says of a broken file into a refusal; its panics are no exceptions of the usual kind."""
    try:
        yield
    except (CalamineError, OSError, ValueError) as error:
        raise refuse("bad_workbook", f"{what} cannot be read: {error}.", "Save it again as XLSX or ODS.", path.name) from None
    except BaseException as error:
        if type(error).__name__ != "PanicException":
            raise
        raise refuse("bad_workbook", f"{what} cannot be read: it is broken.", "Save it again as XLSX or ODS.", path.name) from None


def open_workbook(path: Path) -> Any:
    """The workbook; refuses one that is broken, or that would unpack to far too much."""
    try:
        with zipfile.ZipFile(path) as packed:
            size = sum(i.file_size for i in packed.infolist())
    except (zipfile.BadZipFile, OSError) as error:
        raise refuse("bad_workbook", f"The workbook cannot be opened: {error}.", "It may be cut short; save it again.", path.name) from None
    if size > MOST_UNPACKED:
        raise refuse(
            "too_large",
            f"The workbook would unpack to {size / 1024**3:,.0f} GB; {MOST_UNPACKED // 1024**3} GB are the most.",
            place=path.name,
        )
    with readable(path, "The workbook"):
        return CalamineWorkbook.from_path(str(path))


def sheet_names(path: Path) -> list[str]:
    """Its sheets, in order."""
    return list(open_workbook(path).sheet_names)


@dataclass(frozen=True, slots=True)
class SheetRows:
    """A sheet's table: its cells, column by column, and how many rows were headings and left out above them."""

    columns: dict[str, list[Any]]
    rows: int
    header: int
    skip: int


def read_sheets(path: Path, source: SheetSource, notes: Notes) -> tuple[dict[str, Vector], int, int, int]:
    """The columns of a sheet, or of several one under the other; the number of rows, of heading rows, and of rows left out above."""
    book = open_workbook(path)
    named = source.sheets or [source.sheet]
    sheets = [_sheet(book, path, name, source, notes) for name in named]
    if not source.sheets:
        (one,) = sheets
        return {n: column(c, n, notes) for n, c in one.columns.items()}, one.rows, one.header, one.skip
    names = list(dict.fromkeys(n for f in sheets for n in f.columns))
    if source.sheet_column.lower() in {n.lower() for n in names}:
        raise refuse(
            "repeated_name", f"There is already a column {source.sheet_column}.", "Choose another name for the sheets' column.", path.name
        )
    cells = {n: [x for f in sheets for x in f.columns.get(n, [""] * f.rows)] for n in names}
    columns = {n: column(c, n, notes) for n, c in cells.items()}
    columns[source.sheet_column] = vector("text", [name for name, f in zip(named, sheets, strict=True) for _ in range(f.rows)])
    return columns, sum(f.rows for f in sheets), sheets[0].header, sheets[0].skip


def same_shape(path: Path) -> list[str]:
    """The sheets of a workbook, if they are several with the same headings."""
    book = open_workbook(path)
    heads = []
    for name in book.sheet_names:
        try:
            rows = book.get_sheet_by_name(name).to_python(skip_empty_area=False, nrows=60)
        except (CalamineError, OSError, ValueError):
            return []
        if not rows:
            return []
        heads.append([_text(x) for x in rows[min(_skipped(rows), len(rows) - 1)]])
    return list(book.sheet_names) if len(heads) > 1 and all(h == heads[0] for h in heads) else []


def _sheet(book: Any, path: Path, name: str, source: SheetSource, notes: Notes) -> SheetRows:
    if name not in book.sheet_names:
        raise refuse(
            "unknown_sheet",
            f"The sheet {name!r} does not exist.",
            near_hint(name, book.sheet_names) or f"There are {', '.join(book.sheet_names)}.",
            path.name,
        )
    with readable(path, f"The sheet {name}"):
        sheet = book.get_sheet_by_name(name)
        size = sheet.total_height * sheet.total_width
        if size > MOST_SHEET_CELLS:
            said = f"The sheet {name} has {size:,} cells; {MOST_SHEET_CELLS:,} are the most."
            raise refuse("too_large", said, "Choose a range, or save it as CSV.", path.name)
        cells: Cells = sheet.to_python(skip_empty_area=False)
        merged = sheet.merged_cell_ranges or []
    _merge(cells, merged, source, notes)
    cells = _cut(cells, source.range, path.name)
    if not cells or not any(any(x != "" for x in row) for row in cells):
        raise refuse("empty_file", f"The sheet {name} is empty{' in ' + source.range if source.range else ''}.", place=path.name)
    skip = source.skip if source.skip is not None else _skipped(cells)
    header = source.header if source.header is not None else _headed(cells[skip:])
    rows = cells[skip + header :]
    while rows and all(x == "" for x in rows[-1]):
        rows.pop()
    width = max((len(r) for r in cells[skip:]), default=0)
    used = [i for i in range(width) if any(i < len(r) and r[i] != "" for r in cells[skip:])]
    if header:
        heads = [" ".join(_text(r[i]) for r in cells[skip : skip + header] if i < len(r) and r[i] != "") for i in used]
        names = headings(heads, notes, path.name)
    else:
        names = headings([f"column {i + 1}" for i in used], notes, path.name)
    cells_of = {head: [r[i] if i < len(r) else "" for r in rows] for head, i in zip(names, used, strict=True)}
    return SheetRows(cells_of, len(rows), header, skip)


def _merge(cells: Cells, merged: list[Any], source: SheetSource, notes: Notes) -> None:
    if not merged:
        return
    if source.merged == "all":
        for (top, left), (bottom, right) in merged:
            for y in range(top, min(bottom, len(cells) - 1) + 1):
                for x in range(left, min(right, len(cells[y]) - 1) + 1):
                    cells[y][x] = cells[top][left]
        notes.add(f"{len(merged):,} merged range{'s have' if len(merged) > 1 else ' has'} the value in every cell.")
    else:
        notes.add(
            f"{len(merged):,} merged range{'s have' if len(merged) > 1 else ' has'} a value in the first cell only; it can be repeated."
        )


def _number(letters: str) -> int:
    number = 0
    for letter in letters.upper():
        number = number * 26 + ord(letter) - 64
    return number


def _cut(cells: Cells, text: str, place: str) -> Cells:
    if not text:
        return cells
    match = RANGE.fullmatch(text.strip())
    if not match:
        raise refuse("bad_range", f"{text!r} is not a range.", "Write it as B3:F40.", place)
    left, top, right, bottom = _number(match[1]), int(match[2]), _number(match[3]), int(match[4])
    if left > right or top > bottom or top < 1:
        raise refuse("bad_range", f"{text!r} ends before it begins.", "Write its upper left cell first.", place)
    return [row[left - 1 : right] for row in cells[top - 1 : bottom]]


def _skipped(cells: Cells) -> int:
    """Rows above the table: those with less than half as many cells as the fullest of the first."""
    most = max((sum(x != "" for x in r) for r in cells[:50]), default=0)
    return next((i for i, r in enumerate(cells[:50]) if sum(x != "" for x in r) * 2 > most), 0)


def _headed(cells: Cells) -> int:
    first = [x for x in cells[0] if x != ""] if cells else []
    return int(bool(first) and all(isinstance(x, str) for x in first) and len(cells) > 1)


def _text(value: Any) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float) and value == int(value) and abs(value) < 1e15:
        return str(int(value))
    if isinstance(value, dt.datetime):
        return value.date().isoformat() if value.time() == dt.time() else value.isoformat(sep=" ")
    return value.isoformat() if isinstance(value, dt.date | dt.time) else str(value).strip()


def column(values: list[Any], name: str, notes: Notes) -> Vector:
    """Cells of one column: of one kind as that type, of several as text, which is told. Blank cells are empty."""
    filled = [x for x in values if x != "" and x is not None]
    kinds = {type(x) for x in filled}
    if kinds <= {bool} and filled:
        return vector("boolean", [x if x != "" else None for x in values])
    if kinds <= {int, float} and filled:
        whole = all(float(x).is_integer() and abs(x) < 2**53 for x in filled)
        return vector("integer" if whole else "number", [None if x == "" else int(x) if whole else float(x) for x in values])
    if kinds <= {dt.date, dt.datetime} and filled:
        moments = [None if x == "" else x if isinstance(x, dt.datetime) else dt.datetime.combine(x, dt.time()) for x in values]
        if all(x is None or x.time() == dt.time() for x in moments):
            return vector("date", [x.date() if x else None for x in moments])
        return vector("datetime", moments)
    if len(kinds) > 1:
        notes.add(f"{name} holds several kinds of values; it is kept as text.")
    return vector("text", [_text(x) if x != "" and x is not None else None for x in values])
