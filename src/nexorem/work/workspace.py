"""Models in memory: the newest version of each, with its rows and everything derived from them."""

from __future__ import annotations

import shutil
import tempfile
import threading
import time
from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import replace
from functools import cache
from pathlib import Path
from typing import Any

from cachetools import LRUCache
from sqlalchemy import Engine

from nexorem.core.diagnostics import Refused, refuse
from nexorem.core.engine.cleared import cleared
from nexorem.core.engine.computed import edited_star, made_for, make_star
from nexorem.core.limits import Budget, Limits
from nexorem.core.model.edits import apply
from nexorem.core.model.model import Model, Table
from nexorem.core.model.star import Star, TableRows, table_rows
from nexorem.core.words import listed
from nexorem.gather.frame import Frame
from nexorem.gather.jobs import Jobs
from nexorem.gather.made import is_made
from nexorem.gather.recipe import gather, load_recipe
from nexorem.gather.shape import Frames, Shaper
from nexorem.package.check_files import PackageFiles, files_of_checks
from nexorem.package.read import open_package
from nexorem.store import models, people, releases
from nexorem.store.rows import load_times, looks_of, read_load, read_loads
from nexorem.store.sides import Look
from nexorem.store.staying import Staying
from nexorem.store.ways import ModelWays
from nexorem.work.actor import Actor, Need, need_of, present_sight
from nexorem.work.carried import settled, stored_rows
from nexorem.work.edit_check import EditCheck, asking, check_measure
from nexorem.work.memory import Memory, Opened, Signatures, row_keys

MOST_RELEASES = 6  # that are kept in memory
MOST_CLEARED = 12  # stars without the rows that somebody may not see
SHAPING = Limits(seconds=120.0)
SMALL_LOAD = 100_000  # cells of a load that is read together with others


class Workspace:
    """The store with a cache in front. Safe to share between threads. `data` is the folder of files and of the key for passwords; models in
    memory take `memory` bytes at most, or half of the machine's."""

    def __init__(self, engine: Engine, data: Path | None = None, memory: int | None = None) -> None:
        self.engine = engine
        self._temporary = None if data else tempfile.TemporaryDirectory(prefix="nexorem-data-", ignore_cleanup_errors=True)
        self.data = data or Path(self._temporary.name if self._temporary else "")
        self.jobs = Jobs()
        self.frames = Frames()
        self.memory = Memory(self.data / "columns", self.frames, memory)
        self._ways: dict[int, ModelWays] = {}
        self._cleared: LRUCache[tuple[Any, ...], tuple[Star, Star]] = LRUCache(MOST_CLEARED)
        self._releases: LRUCache[tuple[int, int], Star] = LRUCache(MOST_RELEASES)
        self._locks: defaultdict[int, threading.RLock] = defaultdict(threading.RLock)  # a model: one that is read holds up no other

    def models_in_memory(self) -> int:
        """How many models have their rows in memory."""
        return len(self.memory)

    def budget(self) -> Budget:
        """What one request may take."""
        return Budget(Limits(), time.monotonic)

    def files(self, model_id: int) -> Path:
        """The folder of a model's files."""
        folder = self.data / "files" / str(model_id)
        folder.mkdir(parents=True, exist_ok=True)
        return folder

    def ways(self, model_id: int) -> ModelWays:
        """The ways to the places where tables of a model stay."""
        with self._locks[model_id]:
            if model_id not in self._ways:
                self._ways[model_id] = ModelWays(self.engine, self.data, model_id)
            return self._ways[model_id]

    def close(self) -> None:
        """Ends readings, and sessions in other places."""
        self.jobs.close()
        self.memory.close()
        for ways in list(self._ways.values()):
            ways.close()

    def elsewhere(self, model: Model) -> Staying | None:
        """Who answers for the tables of a model that stay; None where none does."""
        loads = [t.load for t in model.tables if t.stays and t.load is not None]
        if not loads:
            return None
        with self.engine.connect() as connection:
            looks = looks_of(connection, loads)
        made = {}
        for number, said in looks.items():
            sample = self.load(number)
            rows = table_rows(sample.size, sample.columns)
            there = (said["connection"], said["schema"], said["table"], said["columns"])
            made[str(number)] = Look(number, *there, rows, said["at"], said["key"], said["state"])
        return Staying(self.ways(next(iter(looks.values()))["model_id"]), made) if looks else None

    def star(self, model_id: int) -> tuple[models.Stored, Star]:
        """A model as it stands, with those of its rows that whoever is being answered may see."""
        stored, star = self.whole(model_id)
        return stored, self._seen(model_id, star)

    def _seen(self, model_id: int, star: Star) -> Star:
        """A star as whoever is being answered may see it. The clearance is the model's as it stands, whatever state the star is of; one
        that is not there any more lets nothing through."""
        sight = present_sight()
        if sight is None:
            return star
        clearance = self.whole(model_id)[0].model.clearance(sight.clearance)
        if clearance is None:
            hint = "Ask whoever looks after the model for another one."
            raise refuse("no_clearance", f"The clearance {sight.clearance} is no longer there, and nothing is shown without it.", hint)
        key = (clearance, tuple(sorted(sight.person.items())), id(star))
        with self._locks[-model_id]:
            kept = self._cleared.get(key)
            if kept is None or kept[0] is not star:
                kept = self._cleared[key] = star, cleared(star, clearance, sight.person, self.budget())
            return kept[1]

    def whole(self, model_id: int) -> tuple[models.Stored, Star]:
        """A model as it stands, with all its rows."""
        version = models.version_of(self.engine, model_id)
        with self._locks[model_id]:
            kept = self.memory.get(model_id)
            if kept and kept[0].version == version:
                return kept[0], kept[1]
            stored = models.load(self.engine, model_id)
            star, signatures = self.make(stored.model, kept[1:] if kept else None)
            self.hold(model_id, (stored, star, signatures))
            return stored, star

    def hold(self, model_id: int, opened: Opened) -> None:
        """Holds a model in memory, as it was opened or as an edit made it."""
        self.memory.put(model_id, opened, self.keys(opened[0].model, opened[2]))

    def keys(self, model: Model, signatures: Signatures) -> dict[str, str]:
        """What the rows of a model's tables are kept under on disk."""
        with self.engine.connect() as connection:
            times = load_times(connection, [t.load for t in model.tables if t.load is not None])
        return row_keys(signatures, times)

    def release(self, model_id: int, number: int) -> Star:
        """A release with its rows, of which whoever is being answered sees what they may: those that are the model's own now are shared
        with it."""
        return self._seen(model_id, self._release(model_id, number))

    def _release(self, model_id: int, number: int) -> Star:
        with self._locks[model_id]:
            kept = self._releases.get((model_id, number))
            if kept is None:
                kept = self._releases[model_id, number] = self._edited(model_id, releases.load(self.engine, model_id, number).model)[0]
            return kept

    def base(self, table: Table, extra: Mapping[str, Frame] | None = None) -> Frame:
        """The rows of a table as they were loaded, or those that are to take their place."""
        if extra and table.name in extra:
            return extra[table.name]
        if table.load is None:
            raise refuse("no_rows", f"{table.name} has no rows: nothing was loaded.", "Gather its source again.", table.name)
        return self.load(table.load)

    def load(self, number: int) -> Frame:
        """The rows of a load; of a look at a table that stays, some."""
        key = f"load {number}"
        frame = self.frames.get(key)
        if frame is None:
            with self.engine.connect() as connection:
                frame = read_load(connection, number)
            self.frames.put(key, frame)
        return frame

    def _read_ahead(self, wanted: Sequence[Table]) -> None:
        """Reads the small loads of some tables by one question, not one after the other as they are shaped."""
        loads = [t.load for t in wanted if t.load is not None and self.frames.get(f"load {t.load}") is None]
        if len(loads) > 1:
            with self.engine.connect() as connection:
                frames = read_loads(connection, loads, SMALL_LOAD)
            for number, frame in frames.items():
                self.frames.put(f"load {number}", frame)

    def shaper(self, model: Model, extra: Mapping[str, Frame] | None = None) -> Shaper:
        """What shapes a model's tables; `extra` are rows that are not in the store yet."""
        kept = Frames() if extra else self.frames
        return Shaper(model, lambda t: self.base(t, extra), Budget(SHAPING, time.monotonic), kept)

    def make(
        self, model: Model, old: tuple[Star, Signatures] | None = None, extra: Mapping[str, Frame] | None = None
    ) -> tuple[Star, Signatures]:
        """The star of a model. Tables whose rows come from the same things as before keep them; what is told of parts of the model that are
        as they were is kept with them."""
        if old:
            model = settled(model, old[0].model)
        shaper = self.shaper(model, extra)
        stored = [t for t in model.tables if not t.formula]
        # Rows that are not in the store have no number of a load: they are never the same.
        signatures: Signatures = {t.name: shaper.signature(t.name) if not extra else "" for t in stored}
        find = cache(lambda: self.keys(model, signatures) if not extra else {})
        if old is None and (keys := find()) and (kept := self.memory.star(model, keys)):
            return kept, signatures
        rows: dict[str, TableRows] = {}
        missing: list[tuple[Table, str]] = []
        same = True
        for table in stored:
            signature = signatures[table.name]
            if table.stays:
                same = same and old is not None and old[1].get(table.name) == signature
                continue
            if old and not extra and old[1].get(table.name) == signature:
                rows[table.name] = stored_rows(old[0], table)
                continue
            same = False
            key = find().get(table.name, "")
            kept_rows = self.memory.rows(key, table) if key else None
            if kept_rows is None:
                missing.append((table, key))
            else:
                rows[table.name] = kept_rows
        self._read_ahead([table for table, _ in missing if not extra and self.frames.get(signatures[table.name]) is None])
        for table, key in missing:
            rows[table.name] = shaper.frame(table.name).rows([c.name for c in table.columns if not c.formula])
            if key:
                self.memory.keep_rows(key, rows[table.name])
        if old and same and set(old[1]) == set(signatures):
            return edited_star(old[0], model), signatures
        return make_star(model, rows, elsewhere=self.elsewhere(model)), signatures

    def edited(self, model_id: int, model: Model) -> Star:
        """The star of an edited model, as whoever is being answered may see it."""
        return self._seen(model_id, self._edited(model_id, model)[0])

    def _edited(self, model_id: int, model: Model) -> tuple[Star, Signatures]:
        stored, star = self.whole(model_id)
        with self._locks[model_id]:
            kept = self.memory.get(model_id)
            old = kept[1:] if kept and kept[0].version == stored.version else None
        return self.make(model, old or (star, {}))

    def edit(self, actor: Actor, model_id: int, change: dict[str, Any], base: int) -> models.Stored:
        """Makes an edit; refuses one after which the model would not hold together."""
        stored, before = self.whole(model_id)
        actor.must(need_of(stored.model, change))
        if before.stay or "stays" in str(change):  # what places have to prove is asked before the model is held
            with suppress(Refused):
                self._edited(model_id, apply(models.load(self.engine, model_id).model, change)[0])
        check = self._check(model_id, lambda star: check_measure(star, change), before)
        return self._take(check, models.edit(self.engine, model_id, change, actor.name, base, check, self._whole))

    def _whole(self, stored: models.Stored) -> Model:
        """A stored model with the columns of tables made by formulas, where an older version did not keep them."""
        bare = {t.name for t in stored.model.tables if t.formula and not t.columns}
        if not bare:
            return stored.model
        in_memory = {t.name: t for t in self.whole(stored.id)[1].model.tables}
        tables = (replace(t, columns=in_memory[t.name].columns) if t.name in bare else t for t in stored.model.tables)
        return replace(stored.model, tables=tuple(tables))

    def step(self, actor: Actor, model_id: int, direction: str, expected: int) -> models.Stored:
        """Undo or redo."""
        actor.must(Need.TRY)
        check = self._check(model_id)
        return self._take(check, models.step(self.engine, model_id, direction, expected, actor.name, check, asking(actor)))

    def go_to(self, actor: Actor, model_id: int, number: int, expected: int) -> models.Stored:
        """Undo or redo of many edits at once, up to the one with this number."""
        actor.must(Need.TRY)
        check = self._check(model_id)
        return self._take(check, models.go_to(self.engine, model_id, number, expected, actor.name, check, asking(actor)))

    def _check(self, model_id: int, more: Callable[[Star], None] | None = None, before: Star | None = None) -> EditCheck:
        return EditCheck(lambda model: self._edited(model_id, model), more, before)

    def _take(self, check: EditCheck, stored: models.Stored) -> models.Stored:
        """Takes the star that was checked as that of what was stored."""
        if made := check.made_for(stored):
            with self._locks[stored.id]:
                kept = self.memory.get(stored.id)
                if kept is None or kept[0].version < stored.version:
                    self.hold(stored.id, (stored, *made))
        return stored

    def listed(self, removed: bool = False) -> list[dict[str, Any]]:
        """The models of the store, the newest first; or those that can be brought back."""
        return models.listed(self.engine, removed)

    def names(self) -> list[str]:
        """Their names."""
        return [m["name"] for m in self.listed()]

    def open(self, actor: Actor, path: Path, only_if_new: bool = False) -> int:
        """Stores the model of a package; nothing is stored when anything is wrong with it."""
        actor.must(Need.KEEP)
        star = open_package(path)
        model_id = models.create(self.engine, star, only_if_new)
        self.keep_beside(model_id, files_of_checks(star.model, PackageFiles(path).content))
        if not only_if_new:
            self._know(model_id, star)
        return self._owned(actor, model_id)

    def _know(self, model_id: int, star: Star) -> None:
        """Holds a model that was just stored, with the rows that it was stored from: they need not be read again. Where some of its rows
        are made here, or it was edited meanwhile, it is opened like any other."""
        stored = models.load(self.engine, model_id)
        if any(is_made(t.origin) for t in stored.model.tables):
            return
        if tuple(replace(t, load=None) for t in stored.model.tables) != star.model.tables or stored.model.links != star.model.links:
            return
        shaper = self.shaper(stored.model)
        signatures = {t.name: shaper.signature(t.name) for t in stored.model.tables if not t.formula}
        self.hold(model_id, (stored, made_for(star.with_model(stored.model), stored.model), signatures))

    def _owned(self, actor: Actor, model_id: int) -> int:
        """The model, which whoever made it looks after."""
        with self.engine.begin() as connection:
            if actor.person is not None:
                people.put_member(connection, model_id, actor.person, "owner", "")
            people.note(connection, actor.name, "opened a model", model_id)
        return model_id

    def keep_beside(self, model_id: int, files: Mapping[str, bytes]) -> None:
        """Keeps files that checks name in the model's folder; one that would lie outside of it is left out."""
        folder = self.files(model_id).resolve()
        for name, content in files.items():
            path = (folder / name).resolve()
            if path.is_relative_to(folder) and path != folder:
                path.parent.mkdir(parents=True, exist_ok=True)
                path.write_bytes(content)

    def beside(self, model_id: int, model: Model) -> dict[str, bytes]:
        """The files that a model's checks name, as a package takes them along."""
        folder = self.files(model_id).resolve()

        def read(name: str) -> bytes:
            path = (folder / name).resolve()
            if not path.is_relative_to(folder) or not path.is_file():
                raise refuse("no_file", f"The file {name} is not in the model's folder.")
            return path.read_bytes()

        return files_of_checks(model, read)

    def gather(self, actor: Actor, files: Sequence[Path], recipe: Path, only_if_new: bool = False) -> int:
        """Stores the model that a recipe makes of files, with the files, so that they can be loaded again and their steps changed."""
        actor.must(Need.KEEP)
        gathered = gather(files, load_recipe(recipe))
        model_id = models.create(
            self.engine, gathered.star, only_if_new, gathered.raw, "a steps file", {n: r.report for n, r in gathered.readings.items()}
        )
        for path in files:
            shutil.copyfile(path, self.files(model_id) / path.name)
        self.keep_beside(model_id, files_of_checks(gathered.star.model, PackageFiles(recipe.parent).content))
        return model_id

    def new(self, actor: Actor, title: str) -> int:
        """Stores a model without tables."""
        actor.must(Need.KEEP)
        name = "-".join("".join(c if c.isalnum() else " " for c in title.lower()).split()) or "model"
        return self._owned(actor, models.create(self.engine, Star(Model(name, title=title), {})))

    def remove(self, actor: Actor, model_id: int) -> None:
        """Removes a model; its rows and files stay for some days for who wants it back."""
        actor.must(Need.KEEP)
        models.remove(self.engine, model_id)
        with self.engine.begin() as connection:
            people.note(connection, actor.name, "removed the model", model_id)
        self.jobs.close([model_id])
        with self._locks[model_id]:
            self.memory.forget(model_id)
        self.purge()

    def bring_back(self, actor: Actor, model_id: int) -> None:
        """Brings a model back that was removed."""
        actor.must(Need.KEEP)
        models.bring_back(self.engine, model_id)
        with self.engine.begin() as connection:
            people.note(connection, actor.name, "brought the model back", model_id)

    def purge(self) -> None:
        """Lets go of models that were removed some days ago, with their rows and files."""
        for model_id in models.purge(self.engine):
            self.ways(model_id).remove()
            self._ways.pop(model_id, None)
            shutil.rmtree(self.data / "files" / str(model_id), ignore_errors=True)

    def copy(self, actor: Actor, model_id: int, title: str) -> int:
        """A model like another, with its rows as they were loaded and its steps; without its history, releases and people."""
        actor.must(Need.KEEP)
        _, star = self.whole(model_id)
        if star.stay:
            said = f"Rows of {listed(sorted(star.stay))} stay in another place, and connections are not copied."
            raise refuse("rows_stay", said, "Open the model’s package, and leave the tables there once more.")
        model = replace(star.model, title=title)
        raw = {t.name: self.load(t.load) for t in star.model.tables if t.load is not None and not t.formula}
        made = models.create(self.engine, star.with_model(model), raw=raw, author=actor.name)
        self.keep_beside(made, self.beside(model_id, star.model))
        return self._owned(actor, made)
