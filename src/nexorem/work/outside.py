"""What checks of a stored model find outside of it: files of its folder, databases, releases, and when its tables were loaded."""

from __future__ import annotations

import datetime as dt
import hashlib
import math
from collections.abc import Collection, Sequence
from decimal import Decimal
from typing import Any

from nexorem.core.checks.outside import OF_LINKS, LoadFacts, Outside
from nexorem.core.diagnostics import near_hint, refuse
from nexorem.core.language.former import earlier_names
from nexorem.core.lint.finding import Finding
from nexorem.core.lint.findings import findings_about
from nexorem.core.model.check_specs import AsInMust, CheckSpec, FileMust, ListedTable, Query
from nexorem.core.model.model import Model
from nexorem.core.model.specs import MOST_ITEMS, Scalar
from nexorem.core.model.star import Star
from nexorem.gather.sources.database import answered
from nexorem.package.check_files import MOST_BYTES, listed_text
from nexorem.store import releases, rows, sources
from nexorem.work.describe import findings_of
from nexorem.work.workspace import Workspace

QUERY_SECONDS = 30.0


class StoredOutside(Outside):
    """What the checks of one stored model find; `model` is the one whose loads are asked about."""

    def __init__(self, workspace: Workspace, model_id: int, model: Model) -> None:
        self.workspace, self.model_id, self.model = workspace, model_id, model

    def findings(self, star: Star, codes: Collection[str], about: str | None) -> Sequence[Finding]:
        """The findings of some codes about a thing, or about any: of the whole model they are looked for once."""
        if OF_LINKS.issuperset(codes):
            return findings_about(star, codes, about)
        return [f for f in findings_of(star) if f.code in codes and about in (None, f.about)]

    def _content(self, name: str) -> bytes:
        folder = self.workspace.files(self.model_id).resolve()
        path = (folder / name).resolve()
        names = sorted(p.name for p in folder.iterdir())
        if not path.is_relative_to(folder) or not path.is_file():
            hint = near_hint(name, names) or "Drop it in Gather, or put it into the folder of files."
            raise refuse("no_file", f"The file {name} is not in the model's folder.", hint, "must.file")
        if path.stat().st_size > MOST_BYTES:
            raise refuse("too_large", f"{name} is larger than {MOST_BYTES // 1024**2} MB.", "List fewer lines.", "must.file")
        return path.read_bytes()

    def file(self, name: str) -> ListedTable:
        """A table that is kept in the model's folder."""
        return listed_text(self._content(name), name)

    def answer_of(self, query: Query) -> ListedTable:
        """What a database gives for a SELECT, within a bound of time."""
        with self.workspace.engine.connect() as connection:
            access = sources.access_of(connection, self.model_id, query.connection, sources.secret_key(self.workspace.data))
        columns, lines = answered(access, query.connection, query.sql, QUERY_SECONDS, MOST_ITEMS)
        return ListedTable(tuple(columns), tuple(tuple(map(_scalar, line)) for line in lines))

    def release(self, name: str) -> Star:
        """A release by its number or its name, `latest` for the newest."""
        return self.workspace.release(self.model_id, releases.numbered(self.workspace.engine, self.model_id, name))

    def loads(self, table: str) -> Sequence[LoadFacts]:
        """The loads of a table, the one in force first and then those before it."""
        found = self.model.table(table)
        if found is None or found.load is None:
            return []
        with self.workspace.engine.connect() as connection:
            kept = rows.loads_of(connection, self.model_id, earlier_names(self.model, "table", found.name))
        now = dt.datetime.now(dt.UTC)
        line = [x for x in kept if x["id"] <= found.load and (x["state"] == "kept" or x["id"] == found.load)]
        return [LoadFacts((now - dt.datetime.fromisoformat(x["loaded_at"])).total_seconds() / 86_400, x["rows"]) for x in line]

    def mark(self, check: CheckSpec) -> str:
        """What an outcome was made from beside the model and its rows: a text that is the same where that is. What a database said counts
        until it is asked again."""
        match check.must:
            case FileMust(file=name):
                return hashlib.blake2b(self._content(name), digest_size=12).hexdigest()
            case AsInMust(as_in=name):
                return str(releases.numbered(self.workspace.engine, self.model_id, name))
            case _:
                return ""


def _scalar(value: Any) -> Scalar:
    """A value of a database as checks list it; what has no type here as text."""
    if value is None or isinstance(value, bool | int | str):
        return value
    if isinstance(value, Decimal):
        return int(value) if value == value.to_integral_value() and abs(value) < 2**63 else float(value)
    if isinstance(value, float):
        if not math.isfinite(value):
            raise refuse("bad_check", f"The query gives {value}, which is no number here.", "Leave it out.", "must.query")
        return value
    if isinstance(value, dt.datetime | dt.date):
        return value.isoformat()
    return str(value)
