"""What a delimited text looks like: encoding, delimiter, heading rows. Guessed from its start; types are not guessed here."""

from __future__ import annotations

import codecs
import csv
import io
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from nexorem.core.diagnostics import refuse
from nexorem.gather.sources.bounds import MOST_LINE
from nexorem.gather.sources.kinds import CsvSource

LOOK = 256 * 1024
CHUNK = 1 << 20
DELIMITERS = (",", ";", "\t", "|", ":")
MARKS = (
    (codecs.BOM_UTF8, "utf-8-sig"),
    (codecs.BOM_UTF32_LE, "utf-32"),
    (codecs.BOM_UTF32_BE, "utf-32"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)


@dataclass(frozen=True, slots=True)
class Shape:
    """How a delimited text is to be read."""

    encoding: str
    delimiter: str
    header: int
    skip: int


def encoding_of(path: Path, look: int | None = None) -> str:
    """By its mark; else UTF-8 if all of it is, or its first `look` bytes; else Windows-1252, or Latin-1 where that lacks a letter."""
    with path.open("rb") as file:
        start = file.read(4)
        for mark, name in MARKS:
            if start.startswith(mark):
                return name
        file.seek(0)
        decoder = codecs.getincrementaldecoder("utf-8")()
        try:
            while chunk := file.read(CHUNK if look is None else look):
                decoder.decode(chunk)
                if look is not None and len(chunk) == look:
                    return "utf-8"
            decoder.decode(b"", final=True)
            return "utf-8"
        except UnicodeDecodeError:
            pass
        file.seek(0)
        head = file.read(LOOK)
        if head.count(b"\0") > len(head) // 4:
            return "utf-16-le" if head[1::2].count(b"\0") > head[::2].count(b"\0") else "utf-16-be"
        file.seek(0)
        undefined = any(bytes([b]) in chunk for chunk in iter(lambda: file.read(CHUNK), b"") for b in (0x81, 0x8D, 0x8F, 0x90, 0x9D))
        return "iso-8859-1" if undefined else "windows-1252"


def shape_of(path: Path, source: CsvSource, encoding: str) -> Shape:
    """The delimiter that divides the first rows most evenly, and where the headings are; what the source says stands."""
    with path.open("rb") as file:
        raw = file.read(LOOK)
        whole = len(raw) < LOOK
    text = raw.decode(encoding, errors="ignore")
    if "\0" in text[:4096]:
        raise refuse("bad_csv", "The file holds bytes that no text has.", "Is it a packed or a binary file?", path.name)
    if not whole and "\n" in text:
        text = text[: text.rindex("\n") + 1]
    delimiter = source.delimiter or _delimiter(text, source.quote)
    rows = _rows(text, delimiter, source.quote)
    skip = source.skip if source.skip is not None else 0 if source.header is not None else _skipped(rows)
    header = source.header if source.header is not None else _headed(rows[skip:])
    return Shape(encoding, delimiter, header, skip)


def rows_of(text: str, delimiter: str, quote: str) -> Iterator[list[str]]:
    """The rows of a delimited text, one after the other."""
    csv.field_size_limit(MOST_LINE)
    source = io.StringIO(text, newline="")
    if not quote:
        return csv.reader(source, delimiter=delimiter, quoting=csv.QUOTE_NONE)
    return csv.reader(source, delimiter=delimiter, quotechar=quote)


def _rows(text: str, delimiter: str, quote: str, most: int = 200) -> list[list[str]]:
    rows: list[list[str]] = []
    try:
        for row in rows_of(text, delimiter, quote):
            rows.append(row)
            if len(rows) >= most:
                break
    except csv.Error:
        pass
    return rows


def _delimiter(text: str, quote: str) -> str:
    best, score = ",", (0.0, 0)
    for delimiter in DELIMITERS:
        widths = Counter(len(r) for r in _rows(text, delimiter, quote, 100) if r)
        if not widths:
            continue
        width, count = max(widths.items(), key=lambda x: (x[1] * (x[0] > 1), x[0]))
        share = (count / sum(widths.values()), width)
        # Times have colons: one divides columns only where it does so in every row.
        if width > 1 and share > score and (delimiter != ":" or len(widths) == 1):
            best, score = delimiter, share
    return best


def _skipped(rows: list[list[str]]) -> int:
    """Rows above the headings: those narrower than most rows are."""
    widths = Counter(len(r) for r in rows[1:] if r) or Counter(len(r) for r in rows)
    width = widths.most_common(1)[0][0] if widths else 0
    for place, row in enumerate(rows[:20]):
        if len(row) >= width and sum(bool(x.strip()) for x in row) * 2 > width:
            return place
    return 0


def _headed(rows: list[list[str]]) -> int:
    """One heading row, if the first row is of words and some row below has a number or a day where it has none."""
    if len(rows) < 2:
        return 1 if rows and all(x.strip() and not _valued(x) for x in rows[0]) else 0
    first = rows[0]
    if any(_valued(x) for x in first):
        return 0
    if any(_valued(x) for row in rows[1:50] for x in row):
        return 1
    return 1 if len({x.strip().lower() for x in first}) == len(first) and all(x.strip() for x in first) else 0


def _valued(text: str) -> bool:
    return any(c.isdigit() for c in text) and all(c.isdigit() or c in "+-.,:/ TZ'" for c in text.strip())
