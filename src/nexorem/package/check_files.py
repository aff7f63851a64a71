"""Tables that checks of a package keep in files of their own: CSV with one header row, UTF-8."""

from __future__ import annotations

import csv
import io
from pathlib import Path

from nexorem.core.checks.outside import Outside
from nexorem.core.diagnostics import refuse
from nexorem.core.lint.finding import RankedFinding
from nexorem.core.lint.findings import findings
from nexorem.core.model.check_specs import ListedTable
from nexorem.core.model.specs import MOST_ITEMS
from nexorem.core.model.star import Star
from nexorem.package.files import Folder, Zip, open_files

MOST_BYTES = 64 * 1024**2


def listed_in(files: Folder | Zip, name: str) -> ListedTable:
    """The table of a file, every value as text; refuses one that is not there, is no CSV, or is too large."""
    return listed_text(files.read(name, "must.file"), name)


def listed_text(content: bytes, name: str) -> ListedTable:
    """The table of a file's content."""
    if len(content) > MOST_BYTES:
        raise refuse("too_large", f"{name} is larger than {MOST_BYTES // 1024**2} MB.", "List fewer lines.", "must.file")
    try:
        lines = list(csv.reader(io.StringIO(content.decode("utf-8-sig")), strict=True))
    except (UnicodeDecodeError, csv.Error) as error:
        raise refuse("bad_csv", f"{name} cannot be read as CSV: {error}.", "Write it as UTF-8 with commas.", "must.file") from None
    if not lines or not lines[0]:
        raise refuse("bad_csv", f"{name} has no header row.", "Name the columns in its first row.", "must.file")
    if len(lines) > MOST_ITEMS:
        raise refuse("too_large", f"{name} has more than {MOST_ITEMS:,} lines.", "List fewer lines.", "must.file")
    return ListedTable(tuple(lines[0]), tuple(tuple(x) for x in lines[1:] if x))


class PackageFiles(Outside):
    """What checks of a package find beside it: its own files, opened when the first is asked for, and findings, looked for once."""

    def __init__(self, package: Path) -> None:
        self.package = package
        self._files: Folder | Zip | None = None
        self._findings: dict[int, list[RankedFinding]] = {}

    def findings(self, star: Star) -> list[RankedFinding]:
        """All findings about a model."""
        if id(star) not in self._findings:
            self._findings = {id(star): findings(star)}
        return self._findings[id(star)]

    def file(self, name: str) -> ListedTable:
        """The table of a file."""
        if self._files is None:
            self._files = open_files(self.package)
        return listed_in(self._files, name)
