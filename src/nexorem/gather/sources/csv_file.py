"""Delimited text, read in blocks: bounded, with progress, broken rows told by their numbers."""

from __future__ import annotations

import codecs
import csv
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import pyarrow as pa
import pyarrow.csv as pacsv

from nexorem.core.columns import Column
from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.values import Vector
from nexorem.gather.sources.bounds import MOST_CELL, MOST_COLUMNS, MOST_LINE, MOST_ROWS, Notes, Progress, headings, too_many_columns
from nexorem.gather.sources.csv_sniff import CHUNK, LOOK, Shape, encoding_of, rows_of, shape_of
from nexorem.gather.sources.kinds import ColumnReads, CsvSource
from nexorem.package.grown import Growable, Growing, GrownTexts, GrownWritten, texts_of
from nexorem.package.numerals import MANY
from nexorem.package.quotes import refuse_open_quote

BLOCK = 8 * 1024**2
MOST_TOLD = 20
PARSING = 0.6  # of the time; finding types takes the rest


def read_csv(path: Path, source: CsvSource, notes: Notes, progress: Progress) -> tuple[dict[str, Column | Vector], Shape]:
    """Columns in the order of the file, and how it was read: those that are numbers throughout, unless something else was asked for, and
    texts. What means empty is empty."""
    if path.stat().st_size == 0:
        raise refuse("empty_file", "The file is empty.", "Choose another one.", path.name)
    begun = source.encoding or encoding_of(path, LOOK)
    try:
        codecs.lookup(begun)
    except LookupError:
        raise refuse(
            "bad_encoding", f"The encoding {begun!r} does not exist.", "utf-8, windows-1252 and utf-16 are usual ones.", path.name
        ) from None
    try:
        return _read_as(path, source, begun, notes, progress)
    except Refused:
        # Its first bytes look like UTF-8, and others may not be, in a broken row too: then all of them decide.
        encoding = source.encoding or encoding_of(path)
        if encoding == begun:
            raise
    notes.broken = 0
    notes.broken_rows.clear()
    return _read_as(path, source, encoding, notes, progress)


def _read_as(path: Path, source: CsvSource, encoding: str, notes: Notes, progress: Progress) -> tuple[dict[str, Column | Vector], Shape]:
    shape = shape_of(path, source, encoding)
    if not source.encoding and shape.encoding not in ("utf-8", "utf-8-sig"):
        notes.add(f"The file is not UTF-8; it was read as {shape.encoding}.")
    with _as_utf8(path, shape.encoding) as plain:
        return _read(plain, path.name, source, shape, notes, progress), shape


@contextmanager
def _as_utf8(path: Path, encoding: str) -> Iterator[Path]:
    """The file in UTF-8, a copy where it is not; refuses bytes that the encoding has not, with their place."""
    if encoding.lower().replace("_", "-") in ("utf-8", "utf8", "utf-8-sig"):
        yield path
        return
    with TemporaryDirectory() as folder:
        target = Path(folder) / "text.csv"
        decoder = codecs.getincrementaldecoder(encoding)()
        read = 0
        with path.open("rb") as source, target.open("wb") as out:
            try:
                while chunk := source.read(CHUNK):
                    out.write(decoder.decode(chunk).encode())
                    read += len(chunk)
                out.write(decoder.decode(b"", final=True).encode())
            except (UnicodeDecodeError, UnicodeEncodeError) as error:
                raise refuse(
                    "bad_encoding",
                    f"The file is not {encoding}: byte {read + error.start:,} is not one of its letters.",
                    "Choose another encoding.",
                    path.name,
                ) from None
        if target.stat().st_size == 0:
            raise refuse("empty_file", "The file is empty.", "Choose another one.", path.name)
        yield target


def _read(path: Path, place: str, source: CsvSource, shape: Shape, notes: Notes, progress: Progress) -> dict[str, Column | Vector]:
    names = _names(path, place, source, shape, notes)
    size = path.stat().st_size
    with path.open("rb") as raw:
        _skip(raw, shape.skip, shape.header, source.quote, place)
        start = raw.tell()
        if start >= size:
            return {n: texts_of([]) for n in names}
    quick = size - start > BLOCK or _rows_in(path, start) >= MANY
    above = shape.skip + shape.header
    columns = {n: GrownWritten(n, _kinds(source.columns.get(n)) if quick else (), above, place, MOST_CELL) for n in names}
    texts = _Texts(path, place, start, names, source, shape)
    rows = texts.read(columns, notes, lambda n, b: progress(n, min(PARSING * b / size, PARSING)))
    if notes.broken and source.broken_rows == "refuse":
        messages = "; ".join(str(x["message"]) for x in notes.broken_rows[:10])
        raise refuse(
            "broken_row",
            f"{notes.broken:,} of {rows + notes.broken:,} rows {'do' if notes.broken > 1 else 'does'} not fit the columns: {messages}.",
            "A field with the delimiter in it stands in quotes. Broken rows can be left out.",
            place,
        )
    if notes.broken:
        notes.add(f"{notes.broken:,} broken row{'s were' if notes.broken > 1 else ' was'} left out.")
    again = {n: GrownTexts() for n, column in columns.items() if column.again}
    if again:
        texts.read(again, Notes(), lambda *_: None)
    with ThreadPoolExecutor(2) as pool:
        return dict(zip(columns, pool.map(lambda n: (again.get(n) or columns[n]).finished(), columns), strict=True))


def _kinds(reads: ColumnReads | None) -> tuple[str, ...]:
    """The types of numbers that a column's texts may be, in this order."""
    if reads is None:
        return ("integer", "number")
    return (reads.type,) if reads.type in ("integer", "number") and reads.decimal == "." and not reads.group else ()


def _rows_in(path: Path, start: int) -> int:
    """About how many rows a file of one block has."""
    with path.open("rb") as raw:
        raw.seek(start)
        return raw.read(BLOCK).count(b"\n")


def _names(path: Path, place: str, source: CsvSource, shape: Shape, notes: Notes) -> list[str]:
    """Names from the heading rows; several are joined. Without them columns are numbered."""
    with path.open("rb") as raw:
        head = raw.read(MOST_LINE)
    if head.startswith(codecs.BOM_UTF8):
        head = head[3:]
    if b"\n" not in head and b"\r" not in head and len(head) >= MOST_LINE:
        raise refuse(
            "long_line", f"The first row is longer than {MOST_LINE // 1024**2} MB.", "Is it a table at all, with this delimiter?", place
        )
    first = head.split(b"\n", 1)[0]
    if first.count(shape.delimiter.encode()) > 10 * MOST_COLUMNS:
        raise too_many_columns(first.count(shape.delimiter.encode()) + 1, place)
    text = head.decode("utf-8", errors="ignore")
    reader = rows_of(text, shape.delimiter, source.quote)
    try:
        rows = [row for row, _ in zip(reader, range(shape.skip + max(shape.header, 1)), strict=False)][shape.skip :]
    except csv.Error as error:
        raise refuse("bad_csv", f"The headings cannot be read: {error}.", "Choose another delimiter or quote.", place) from None
    if not rows or not rows[0]:
        raise refuse("empty_file", "The file has no rows here.", "Skip fewer rows.", place)
    if len(rows[0]) > MOST_COLUMNS:
        raise too_many_columns(len(rows[0]), place)
    if shape.header == 0:
        return [f"column {i + 1}" for i in range(len(rows[0]))]
    width = max(len(r) for r in rows)
    names = [" ".join(r[i].strip() for r in rows if i < len(r) and r[i].strip()) for i in range(width)]
    return headings(names, notes, place)


def _skip(raw: Any, skip: int, header: int, quote: str, place: str) -> None:
    """Leaves the file behind the rows that are no data. A heading may go over several lines inside quotes."""
    if raw.read(3) != codecs.BOM_UTF8:
        raw.seek(0)
    mark = quote.encode() if quote else b""
    for _ in range(skip + header):
        line = raw.readline(MOST_LINE)
        while mark and line.count(mark) % 2:
            more = raw.readline(MOST_LINE)
            if not more:
                raise refuse("open_quote", "A quote in the headings is never closed.", "Close it, or choose another quote.", place)
            line += more


def _note_broken(notes: Notes, above: int, row: Any) -> str:
    """Counts a row whose fields do not fit the columns, keeps the first ones, and leaves it out."""
    notes.broken += 1
    if len(notes.broken_rows) < MOST_TOLD:
        number = (row.number or 0) + above
        said = f"row {number:,} has {row.actual_columns} fields, not {row.expected_columns}"
        notes.broken_rows.append({"row": number, "text": row.text[:200], "message": said})
    return "skip"


class _Texts:
    """The rows of a file as texts, block by block."""

    def __init__(self, path: Path, place: str, start: int, names: list[str], source: CsvSource, shape: Shape) -> None:
        self.path, self.place, self.start, self.names, self.source, self.shape = path, place, start, names, source, shape

    def read(self, columns: Mapping[str, Growable], notes: Notes, tell: Callable[[int, int], None]) -> int:
        """Gives the blocks of some columns to them; gives the number of rows. Rows that do not fit are noted."""
        growing = Growing(columns.values())
        try:
            with pa.OSFile(str(self.path)) as raw:
                raw.seek(self.start)
                rows = self._read(raw, list(columns), growing, notes, tell)
            growing.wait()
            return rows
        finally:
            growing.close()

    def _read(self, raw: Any, names: list[str], growing: Growing, notes: Notes, tell: Callable[[int, int], None]) -> int:
        above, quote = self.shape.skip + self.shape.header, self.source.quote
        last: pa.RecordBatch | None = None
        rows = taken = 0
        try:
            for batch in pacsv.open_csv(raw, *self._options(names, partial(_note_broken, notes, above))):
                growing.add(batch)
                last = batch if batch.num_rows else last
                rows += batch.num_rows
                taken += batch.nbytes - 3 * batch.num_rows * len(names)  # an offset of four bytes stands for a delimiter
                tell(rows, taken)
                if rows > MOST_ROWS:
                    raise refuse("too_many_rows", f"There are more than {MOST_ROWS:,} rows.", "Split the file.", self.place)
        except pa.ArrowInvalid as error:
            raise _unreadable(str(error), rows + above, self.place) from None
        if quote and last is not None:
            refuse_open_quote(raw, quote, rows + above, self.place, last)
        return rows

    def _options(self, names: list[str], broken: Callable[[Any], str]) -> tuple[Any, Any, Any]:
        read = pacsv.ReadOptions(use_threads=False, block_size=BLOCK, column_names=self.names)
        parse = pacsv.ParseOptions(
            delimiter=self.shape.delimiter,
            quote_char=self.source.quote or False,
            newlines_in_values=bool(self.source.quote),
            ignore_empty_lines=len(self.names) > 1,
            invalid_row_handler=broken,
        )
        convert = pacsv.ConvertOptions(
            column_types={n: pa.string() for n in self.names},
            strings_can_be_null=True,
            null_values=list(self.source.missing),
            include_columns=names,
            check_utf8=True,
        )
        return read, parse, convert


def _unreadable(error: str, row: int, place: str) -> Exception:
    if "straddling" in error:
        return refuse(
            "long_line",
            f"After row {row:,} a row is longer than {BLOCK // 1024**2} MB, or a quote is never closed.",
            "Close the quote, or choose another quote or delimiter.",
            place,
        )
    if "UTF8" in error:
        return refuse("bad_encoding", f"After row {row:,} the file is not UTF-8.", "Choose another encoding.", place)
    return refuse(
        "bad_csv",
        f"After row {row:,} the file cannot be read: {error.splitlines()[0][:200]}.",
        "Choose another delimiter or quote.",
        place,
    )
