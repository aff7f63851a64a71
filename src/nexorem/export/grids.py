"""A grid as a file: CSV and Parquet hold it tidy, one line a cell with a column for each axis and measure; XLSX as it is read, wide."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable, Iterator
from typing import Any, TextIO

from nexorem.core.diagnostics import near_hint, refuse
from nexorem.core.engine.grid import Grid
from nexorem.core.limits import Budget

TOTALLED = "(total)"
EMPTY = "(empty)"
ROWS_AT_ONCE = 1_000  # between two looks at the budget
RUN = ("=", "+", "-", "@", "\t", "\r")  # what formulas of spreadsheets begin with
NUMBER = re.compile(r"[+-][0-9][0-9., \u00a0\u202f%]*")


def write_csv(grid: Grid, out: TextIO, formatted: bool = False, budget: Budget | None = None) -> None:
    """The tidy answer; totals say `(total)`, and what failed `error: code`. What a spreadsheet would run is guarded (`unrun`)."""
    axes = [f"{table}.{column}" for table, column in (*grid.probe.rows, *grid.probe.columns)]
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow([*map(unrun, axes), *grid.probe.measures])
    for i, cell in enumerate(written(grid) if formatted else grid.tidy()):
        if budget and i % ROWS_AT_ONCE == 0:
            budget.check()
        coordinates = [TOTALLED if a not in cell else EMPTY if cell[a] is None else cell[a] for a in axes]
        values = ("" if cell[m] is None else unrun(_plain(cell[m])) for m in grid.probe.measures)
        writer.writerow([*map(unrun, coordinates), *values])


def unrun(value: Any) -> Any:
    """A value as it stands in CSV: a text that a spreadsheet would run as a formula begins with an apostrophe, which says: this is text."""
    return f"'{value}" if isinstance(value, str) and value.startswith(RUN) and not NUMBER.fullmatch(value) else value


def written(grid: Grid) -> Iterator[dict[str, Any]]:
    """The tidy answer with numbers as text, by the formats of their measures."""
    from nexorem.core.formats import format_value

    patterns = {name: saved.format if (saved := grid.star.model.measure(name)) else "" for name in grid.probe.measures}
    for cell in grid.tidy():
        yield cell | {m: format_value(value, p) for m, p in patterns.items() if isinstance(value := cell[m], int | float)}


def _plain(value: Any) -> Any:
    return f"error: {value['error']}" if isinstance(value, dict) else value


def csv_bytes(grid: Grid, budget: Budget) -> bytes:
    """CSV in UTF-8."""
    out = io.StringIO()
    write_csv(grid, out, budget=budget)
    return out.getvalue().encode()


def _parquet(grid: Grid, budget: Budget) -> bytes:
    from nexorem.export.grid_parquet import parquet_bytes

    return parquet_bytes(grid, budget)


def _xlsx(grid: Grid, budget: Budget) -> bytes:
    from nexorem.export.grid_xlsx import xlsx_bytes

    return xlsx_bytes(grid, budget)


# By ending: the media type and the writer. What writes Parquet and sheets is only loaded where one is asked for.
FILES: dict[str, tuple[str, Callable[[Grid, Budget], bytes]]] = {
    "csv": ("text/csv; charset=utf-8", csv_bytes),
    "xlsx": ("application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", _xlsx),
    "parquet": ("application/vnd.apache.parquet", _parquet),
}


def grid_file(grid: Grid, ending: str, budget: Budget | None = None) -> tuple[str, bytes]:
    """A grid as a file: its media type and content; refuses an ending that is none of FILES."""
    if ending not in FILES:
        raise refuse("unknown_format", f"A grid is not written as {ending}.", near_hint(ending, FILES) or f"There are {', '.join(FILES)}.")
    kind, write = FILES[ending]
    return kind, write(grid, budget or Budget())
