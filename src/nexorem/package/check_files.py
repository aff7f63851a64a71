"""Tables that checks of a package keep in files of their own: CSV with one header row, UTF-8."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Collection
from contextlib import suppress
from pathlib import Path

from nexorem.core.checks.outside import Outside
from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.lint.finding import Finding
from nexorem.core.lint.findings import findings_about
from nexorem.core.model.check_specs import FileMust, ListedTable
from nexorem.core.model.model import Model
from nexorem.core.model.specs import MOST_ITEMS
from nexorem.core.model.star import Star
from nexorem.package.files import Folder, Zip, open_files

MOST_BYTES = 64 * 1024**2


def listed_text(content: bytes, name: str) -> ListedTable:
    """The table of a file's content, every value as text; refuses what is no CSV, or is too large."""
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


def files_of_checks(model: Model, read: Callable[[str], bytes]) -> dict[str, bytes]:
    """The files that a model's checks name, by their names, as `read` gives them; those that left are left out."""
    files = {}
    for check in model.checks:
        if isinstance(check.must, FileMust):
            with suppress(Refused):
                files[check.must.file] = read(check.must.file)
    return files


class PackageFiles(Outside):
    """What checks of a package find beside it: its own files, opened when the first is asked for, and findings."""

    def __init__(self, package: Path) -> None:
        self.package = package
        self._files: Folder | Zip | None = None

    def findings(self, star: Star, codes: Collection[str], about: str | None) -> list[Finding]:
        """The findings of some codes about a thing, or about any."""
        return findings_about(star, codes, about)

    def file(self, name: str) -> ListedTable:
        """The table of a file."""
        return listed_text(self.content(name), name)

    def content(self, name: str) -> bytes:
        """A file as it is; refuses one that is not there."""
        if self._files is None:
            self._files = open_files(self.package)
        return self._files.read(name, "must.file")
