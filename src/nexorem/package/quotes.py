"""Quotes of a delimited file that open and are never closed."""

from __future__ import annotations

from typing import Any

import pyarrow as pa

from nexorem.core.diagnostics import refuse

CHUNK = 1 << 20


def refuse_open_quote(raw: Any, quote: str, rows: int, place: str, last: pa.RecordBatch) -> None:
    """Refuses a file whose last quote is never closed: all that follows it has become one value.

    `raw` can be read and sought in, `rows` is how many there are, `last` the last block of them that is not empty. Cost: nothing where no
    value of the last row has a new line in it, else the file once more.
    """
    if not any("\n" in str(c[-1].as_py()) for c in last.columns):
        return
    raw.seek(0)
    marks = sum(chunk.count(quote.encode()) for chunk in iter(lambda: raw.read(CHUNK), b""))
    if marks % 2:
        raise refuse(
            "open_quote",
            f"A quote that opens in row {rows:,} is never closed; the file may be cut short.",
            "Close it, or read the file without quotes.",
            place,
        )
