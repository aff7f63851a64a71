"""Models in the store: a model is a sequence of edits, each with its inverse and its author.

Every change runs in one transaction that locks the model's row, so two of them never interleave; it ends with a
NOTIFY that other windows hear.
"""

from __future__ import annotations

import datetime as dt
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from cachetools import LRUCache
from sqlalchemy import ColumnElement, Connection, Engine, and_, bindparam, delete, func, insert, literal_column, not_, select, text, update

from nexorem.core.diagnostics import refuse
from nexorem.core.model.edits import apply, title, touches
from nexorem.core.model.model import Model, model_json
from nexorem.core.model.star import Star
from nexorem.gather.frame import Frame
from nexorem.package.edit_forms import check_edit, mended_edit
from nexorem.store import outcomes, releases, tables, tasks
from nexorem.store.documents import read_document
from nexorem.store.rows import are_kept, load_gone, save_rows

CHANNEL = "nexorem_model"
WRITTEN: ColumnElement[str] = literal_column(f"{tables.model.name}.xmin::text").label("written")
KEPT_REMOVED = "7 days"  # that a model that was removed can be brought back
MOST_KNOWN = 24  # models, each in one version, that are kept as they were read
Check = Callable[[Model], None]
May = Callable[[Model, Mapping[str, Any]], None]
Whole = Callable[["Stored"], Model] | None


@dataclass(frozen=True, slots=True)
class Stored:
    """A model as it stands, and what undo and redo would do."""

    id: int
    name: str
    version: int
    model: Model
    undo: dict[str, Any] | None
    redo: dict[str, Any] | None
    edits: int


@dataclass(frozen=True, slots=True)
class EditRow:
    """An edit of the history, as it is applied and taken back."""

    number: int
    title: str
    author: str
    made_at: dt.datetime
    change: dict[str, Any]
    inverse: dict[str, Any]


class Conflict(Exception):
    """An edit was made on an outdated state and meets what changed since; `changes` says what and by whom."""

    def __init__(self, message: str, changes: list[dict[str, Any]], version: int) -> None:
        self.changes, self.version = changes, version
        super().__init__(message)


def listed(engine: Engine, removed: bool = False) -> list[dict[str, Any]]:
    """All models, the newest first; or those that were removed and can still be brought back."""
    m = tables.model
    wanted = and_(m.c.removed_at.is_not(None), not_(_is_past())) if removed else m.c.removed_at.is_(None)
    title, count = m.c.document["title"].astext.label("title"), func.jsonb_array_length(m.c.document["tables"]).label("tables")
    query = select(m.c.id, m.c.name, title, m.c.version, count).where(wanted, m.c.document["tables"].is_not(None))
    with engine.connect() as connection:
        rows = connection.execute(query.order_by(m.c.removed_at.desc(), m.c.id.desc()))
        return [{"id": r.id, "name": r.name, "title": r.title or r.name, "version": r.version, "tables": r.tables} for r in rows]


def create(
    engine: Engine,
    star: Star,
    only_if_new: bool = False,
    raw: Mapping[str, Frame] | None = None,
    author: str = "the package",
    reports: Mapping[str, Any] | None = None,
) -> int:
    """Stores a model with its rows, each table's as its first load; a name that is taken gets a number.

    With `only_if_new` the old one stays. `raw` are rows before the steps of their tables.
    """
    with engine.begin() as connection:
        connection.execute(text("SELECT pg_advisory_xact_lock(20310101)"))
        taken = {r.name: r.id for r in connection.execute(select(tables.model.c.name, tables.model.c.id))}
        if only_if_new and star.model.name in taken:
            return int(taken[star.model.name])
        name, number = star.model.name, 2
        while name in taken:
            name, number = f"{star.model.name}-{number}", number + 1
        values = {"name": name, "document": {}}
        model_id = int(connection.execute(insert(tables.model).values(**values).returning(tables.model.c.id)).scalar_one())
        loads = save_rows(connection, model_id, star, author, raw or {}, reports or {})
        kept = tuple(replace(t, load=loads.get(t.name)) for t in star.model.tables)
        document = model_json(replace(star.model, tables=kept)) | {"name": name}
        connection.execute(update(tables.model).where(tables.model.c.id == model_id).values(document=document))
        tasks.put(connection, model_id, "checks")
        return model_id


def load(engine: Engine, model_id: int) -> Stored:
    """A model as it stands."""
    with engine.connect() as connection:
        return _load(connection, model_id)


def rename(engine: Engine, model_id: int, title_text: str) -> None:
    """Another title."""
    with engine.begin() as connection:
        stored = _load(connection, model_id, lock=True)
        model = replace(stored.model, title=title_text)
        connection.execute(update(tables.model).where(tables.model.c.id == model_id).values(document=model_json(model)))


def remove(engine: Engine, model_id: int) -> None:
    """Removes a model; with all that is kept of it, it stays for some days for who wants it back. Its name is free at once."""
    c = tables.model.c
    with engine.begin() as connection:
        stored = _load(connection, model_id, lock=True)
        gone = {"removed_at": func.now(), "name": f"{stored.name} (removed {model_id})"}
        connection.execute(update(tables.model).where(c.id == model_id).values(**gone))
        connection.execute(select(func.pg_notify(CHANNEL, f"{model_id}:removed")))


def bring_back(engine: Engine, model_id: int) -> None:
    """Brings a model back that was removed, under its name where that is still free; refuses where it is gone."""
    c = tables.model.c
    with engine.begin() as connection:
        connection.execute(text("SELECT pg_advisory_xact_lock(20310101)"))
        row = connection.execute(
            select(c.document["name"].astext.label("name")).where(c.id == model_id, c.removed_at.is_not(None)).with_for_update()
        ).one_or_none()
        if row is None:
            raise unknown(model_id)
        taken = {r.name for r in connection.execute(select(c.name))}
        name = next(n for n in (row.name, *(f"{row.name}-{i}" for i in range(2, 9_999))) if n not in taken)
        connection.execute(update(tables.model).where(c.id == model_id).values(removed_at=None, name=name))


def purge(engine: Engine) -> list[int]:
    """Lets go of models that were removed some days ago; gives their numbers."""
    past = delete(tables.model).where(_is_past()).returning(tables.model.c.id)
    with engine.begin() as connection:
        return [int(r.id) for r in connection.execute(past)]


def _is_past() -> ColumnElement[bool]:
    """Whether a model was removed too long ago to be brought back."""
    return tables.model.c.removed_at < func.now() - text(f"interval '{KEPT_REMOVED}'")


VERSION = select(tables.model.c.version).where(tables.model.c.id == bindparam("model_id"), tables.model.c.removed_at.is_(None))


def version_of(engine: Engine, model_id: int) -> int:
    """The version alone: what a cache asks first."""
    with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:  # a transaction would be two ways more
        version = connection.execute(VERSION, {"model_id": model_id}).scalar()
    if version is None:
        raise unknown(model_id)
    return int(version)


def unknown(model_id: int) -> Exception:
    """The error for a model that is not there."""
    return refuse("unknown_model", f"Model number {model_id} does not exist.", "Open one from the list of models.")


def _load(connection: Connection, model_id: int, lock: bool = False) -> Stored:
    c = tables.model.c
    query = select(c.id, c.name, c.version, c.position, WRITTEN).where(c.id == model_id, c.removed_at.is_(None))
    row = connection.execute(query.with_for_update() if lock else query).one_or_none()
    if row is None:
        raise unknown(model_id)
    model = _read(connection, row)
    e = tables.edit
    beside = connection.execute(
        select(e.c.number, e.c.title, e.c.author).where(e.c.model_id == model_id, e.c.number.in_((row.position, row.position + 1)))
    )
    near = {r.number: {"number": r.number, "title": r.title, "author": r.author} for r in beside}
    return Stored(row.id, row.name, row.version, model, near.get(row.position), near.get(row.position + 1), row.position)


_known: LRUCache[tuple[object, ...], Model] = LRUCache(MOST_KNOWN)
_lock = threading.Lock()


def _key(connection: Connection, model_id: int, written: str) -> tuple[object, ...]:
    """What a model is known under: the row, as the transaction wrote it that wrote it last."""
    url = connection.engine.url
    return url.host, url.port, url.database, model_id, written


def _read(connection: Connection, row: Any) -> Model:
    """The model of a row, from memory where this process read or wrote it."""
    key = _key(connection, row.id, row.written)
    with _lock:
        model = _known.get(key)
    if model is None:
        document = connection.execute(select(tables.model.c.document).where(tables.model.c.id == row.id)).scalar_one()
        model = read_document(document)
        with _lock:
            _known[key] = model
    return model


def _know(connection: Connection, model_id: int, model: Model) -> None:
    """Keeps a model that was just written; one that was read with damage is read again, which tells of it."""
    written = connection.execute(select(WRITTEN).where(tables.model.c.id == model_id)).scalar_one()
    if not model.damage:
        with _lock:
            _known[_key(connection, model_id, written)] = model


def edit(
    engine: Engine,
    model_id: int,
    change: dict[str, Any],
    author: str,
    base: int,
    check: Check,
    whole: Whole = None,
) -> Stored:
    """Makes an edit that was made on version `base`.

    Where the model has moved on, the edit is merged when it touches other things than what changed since, and refused
    with a Conflict when it does not. `check` sees the edited model before it is kept, and may refuse; `whole` gives the stored
    model with what is only known once it is computed.
    """
    check_edit(change)
    with engine.begin() as connection:
        stored = _load(connection, model_id, lock=True)
        mine = touches(change)
        _refuse_overlap(connection, stored, mine, base)
        model, inverse = apply(whole(stored) if whole else stored.model, change)
        check(model)
        number = stored.edits + 1
        connection.execute(delete(tables.edit).where(tables.edit.c.model_id == model_id, tables.edit.c.number >= number))
        values = {"model_id": model_id, "number": number, "author": author, "title": title(change), "change": change, "inverse": inverse}
        connection.execute(insert(tables.edit).values(**values))
        _keep(connection, stored, model, number, ("do", title(change), author, mine))
        return _load(connection, model_id)


def _refuse_overlap(connection: Connection, stored: Stored, mine: frozenset[str], base: int) -> None:
    if base >= stored.version:
        return
    c = tables.change
    since = connection.execute(select(c).where(c.c.model_id == stored.id, c.c.version > base).order_by(c.c.version))
    clash = [{"title": r.title, "author": r.author, "direction": r.direction} for r in since if mine & set(r.touches)]
    if clash:
        raise Conflict(f"Meanwhile {clash[-1]['author']} changed the same thing: {clash[-1]['title']}.", clash, stored.version)


def step(
    engine: Engine, model_id: int, direction: str, expected: int, author: str, check: Check, may: May = lambda model, change: None
) -> Stored:
    """Undo or redo of the edit numbered `expected`; a Conflict where another one is next by now. `may` refuses what the author may not."""
    with engine.begin() as connection:
        stored = _load(connection, model_id, lock=True)
        upcoming = stored.undo if direction == "undo" else stored.redo
        if upcoming is None:
            raise refuse("nothing_to_" + direction, f"There is nothing to {direction}.")
        if upcoming["number"] != expected:
            raise Conflict(f"The edit to {direction} is now “{upcoming['title']}” by {upcoming['author']}.", [upcoming], stored.version)
        e = tables.edit
        row = connection.execute(select(e).where(e.c.model_id == model_id, e.c.number == expected)).one()
        change = mended_edit(row.inverse if direction == "undo" else row.change)
        may(stored.model, change)
        model, _ = apply(stored.model, change)
        check(model)
        position = expected - 1 if direction == "undo" else expected
        _keep(connection, stored, model, position, (direction, row.title, author, touches(mended_edit(row.change))))
        return _load(connection, model_id)


def _keep(connection: Connection, stored: Stored, model: Model, position: int, entry: tuple[str, str, str, frozenset[str]]) -> None:
    if not are_kept(connection, stored.id, [t.load for t in model.tables if t.load is not None]):
        raise load_gone()
    version = stored.version + 1
    direction, words, author, touched = entry
    connection.execute(
        update(tables.model).where(tables.model.c.id == stored.id).values(document=model_json(model), version=version, position=position)
    )
    _know(connection, stored.id, model)
    connection.execute(
        insert(tables.change).values(
            model_id=stored.id, version=version, direction=direction, title=words, author=author, touches=sorted(touched)
        )
    )
    if direction == "do":
        outcomes.forget_moved(connection, stored.id, position)
    tasks.put(connection, stored.id, "checks")
    connection.execute(select(func.pg_notify(CHANNEL, f"{stored.id}:{version}")))


def release(
    engine: Engine,
    model_id: int,
    base: int,
    author: str,
    evidence: Mapping[str, Any],
    words: Mapping[str, str],
    model: Model | None = None,
) -> int:
    """Makes a release of a model that still is at version `base`, or of another state of it; no edit and no load comes between. Gives its
    number."""
    with engine.begin() as connection:
        stored = _load(connection, model_id, lock=True)
        if stored.version != base:
            raise Conflict("The model has changed since this release was looked at.", [], stored.version)
        number = releases.make(connection, model_id, model or stored.model, stored.edits, author, evidence, **words)
        connection.execute(select(func.pg_notify(CHANNEL, f"{model_id}:releases")))
        return number


def notify(engine: Engine, model_id: int, about: str) -> None:
    """Tells windows that something about a model is new beside its document."""
    with engine.begin() as connection:
        connection.execute(select(func.pg_notify(CHANNEL, f"{model_id}:{about}")))


def touched_since(engine: Engine, model_id: int, version: int) -> set[str]:
    """What was changed after a version: names as `touches` gives them."""
    c = tables.change.c
    with engine.connect() as connection:
        rows = connection.execute(select(c.touches).where(c.model_id == model_id, c.version > version))
        return {x for r in rows for x in r.touches}


def history(engine: Engine, model_id: int, most: int = 200) -> list[dict[str, Any]]:
    """The edits, the newest first, with the checks that each has moved; those undone are marked."""
    e = tables.edit
    with engine.connect() as connection:
        c = tables.model.c
        position = connection.execute(select(c.position).where(c.id == model_id, c.removed_at.is_(None))).scalar()
        if position is None:
            raise unknown(model_id)
        edits = connection.execute(select(e).where(e.c.model_id == model_id).order_by(e.c.number.desc()).limit(most))
        moved = outcomes.moved(connection, model_id)
        return [
            {
                "number": r.number,
                "title": r.title,
                "author": r.author,
                "made_at": r.made_at.isoformat(),
                "undone": r.number > position,
                "moved": moved.get(r.number, []),
            }
            for r in edits
        ]


def edits_of(engine: Engine, model_id: int, newest: int) -> dict[int, EditRow]:
    """The edits of a model up to one, by number."""
    e = tables.edit
    with engine.connect() as connection:
        rows = connection.execute(select(e).where(e.c.model_id == model_id, e.c.number <= newest).order_by(e.c.number))
        return {r.number: EditRow(r.number, r.title, r.author, r.made_at, mended_edit(r.change), mended_edit(r.inverse)) for r in rows}


def model_at(engine: Engine, model_id: int, number: int) -> Model:
    """The model as it stood after the edit with this number, 0 before the first; one that is undone counts as made again."""
    with engine.connect() as connection:
        stored = _load(connection, model_id)
        return _at(connection, stored, number)


def _at(connection: Connection, stored: Stored, number: int) -> Model:
    """A model taken back, or forward, over its edits."""
    e = tables.edit
    low, high = sorted((stored.edits, number))
    query = select(e).where(e.c.model_id == stored.id, e.c.number > low, e.c.number <= high).order_by(e.c.number)
    rows = list(connection.execute(query))
    if len(rows) < high - low or number < 0:
        raise refuse("unknown_edit", f"Edit number {number} does not exist.", "Choose one of the history.")
    backwards = number < stored.edits
    model = stored.model
    for row in reversed(rows) if backwards else rows:
        model, _ = apply(model, mended_edit(row.inverse if backwards else row.change))
    return model


def go_to(
    engine: Engine, model_id: int, number: int, expected: int, author: str, check: Check, may: May = lambda model, change: None
) -> Stored:
    """Takes back, or makes again, every edit up to the one with this number, as one change; `expected` is the newest one in force that the
    caller knows of."""
    with engine.begin() as connection:
        stored = _load(connection, model_id, lock=True)
        if stored.edits != expected:
            raise Conflict("The history has changed meanwhile.", [stored.undo] if stored.undo else [], stored.version)
        model = _at(connection, stored, number)
        check(model)
        e = tables.edit
        low, high = sorted((stored.edits, number))
        query = select(e.c.change).where(e.c.model_id == model_id, e.c.number > low, e.c.number <= high)
        changes = [mended_edit(r.change) for r in connection.execute(query)]
        for change in changes:
            may(stored.model, change)
        touched = frozenset[str]().union(*map(touches, changes))
        direction = "undo" if number < stored.edits else "redo"
        _keep(connection, stored, model, number, (direction, f"go to edit {number}", author, touched))
        return _load(connection, model_id)
