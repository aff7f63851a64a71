"""Loads: readings taken into a model, compared with what is there before they replace it, held where they would break something."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from nexorem.core.diagnostics import Diagnostic, Refused, refuse
from nexorem.core.language.former import earlier_names, present_name
from nexorem.core.model.edits import Edit, apply
from nexorem.core.model.model import Model, Table
from nexorem.core.model.star import Star
from nexorem.core.words import counted
from nexorem.gather import made
from nexorem.gather.compare import (
    broken_by,
    columns_changed,
    key_report,
    links_changed,
    loosened_by,
    measures_changed,
    probes_changed,
    repeated_keys,
)
from nexorem.gather.frame import Frame
from nexorem.gather.jobs import Item, Job
from nexorem.gather.read import package_links
from nexorem.gather.sources.kinds import source_words
from nexorem.store import rows, sources
from nexorem.work.actor import Actor, Need
from nexorem.work.checking import CheckMoved, checks_moved
from nexorem.work.shaping import completed, table_of
from nexorem.work.workspace import Workspace

KEPT_LOADS = 10


def start_reading(workspace: Workspace, actor: Actor, model_id: int, request: Mapping[str, Any]) -> Job:
    """Begins to read files, sources, or the sources of tables that are here already."""
    actor.must(Need.BRING)
    model = workspace.star(model_id)[0].model
    items = [{"name": x["name"], "source": x["source"], "table": x.get("table")} for x in request.get("items", [])]
    for name in request.get("tables", []):
        table = table_of(model, name)
        items.append({"name": table.name, "source": source_of(table), "table": table.name})
    names = {x["source"].get("connection") for x in items if x["source"].get("kind") == "database"}
    _no_clusters(workspace, model_id, names)
    access = {}
    with workspace.engine.connect() as connection:
        for name in names:
            password = (request.get("passwords") or {}).get(name)
            access[name] = sources.access_of(connection, model_id, str(name), sources.secret_key(workspace.data), password)
    sent = {"items": items, "discover": request.get("files", []), "access": access, "files": workspace.files(model_id)}
    return workspace.jobs.start(model_id, sent)


def _no_clusters(workspace: Workspace, model_id: int, names: Iterable[Any]) -> None:
    """Refuses to read what is in a cluster: its tables are left there, and taken in from there."""
    with workspace.engine.connect() as connection:
        clusters = [str(n) for n in names if sources.is_cluster(connection, model_id, str(n))]
    if clusters:
        said = f"{clusters[0]} is a cluster: its tables are left there."
        raise refuse("stays_there", said, "Leave the table there first; its rows are taken in from its card.", clusters[0])


def source_of(table: Table) -> dict[str, Any]:
    """The source from which a table can be loaded again."""
    if not can_reload(table):
        raise refuse(
            "no_source",
            f"{table.name} has no source to be loaded from again.",
            "Gather its file, and take it in this table's place.",
            table.name,
        )
    return dict(table.origin)


def can_reload(table: Table) -> bool:
    """Whether a table names a source."""
    return bool(table.origin.get("kind")) and not made.is_made(table.origin) and not table.formula


def free_name(name: str, taken: Sequence[str]) -> str:
    """A name that no other table has."""
    low = {t.lower() for t in taken}
    return next(x for x in (name, *(f"{name} {n}" for n in range(2, 10_000))) if x.lower() not in low)


def take(
    workspace: Workspace, actor: Actor, model_id: int, job: Job, chosen: Sequence[Mapping[str, Any]], base: int, mends: Sequence[Edit] = ()
) -> None:
    """Takes tables of a reading into the model, as one edit: new ones, and new rows for tables that are here. All of them or none."""
    actor.must(Need.BRING)
    stored, _ = workspace.star(model_id)
    if not chosen:
        raise refuse("nothing_chosen", "No table is chosen.", "Tick at least one.")
    taken = _kept_loads(workspace, actor, model_id, job, chosen, stored.model)
    for one in taken:
        workspace.frames.put(f"load {one.load}", one.frame)
    links = _links_along(workspace, model_id, job, {one.place: one.name for one in taken}, stored.model)
    edits = [one.edit() for one in taken]
    try:
        change = {"kind": "load_tables", "edits": edits, "title": _title(edits), "mends": list(mends)}
        change = completed(workspace, stored.model, change, model_id=model_id)
        workspace.edit(actor, model_id, change | {"edits": [*change["edits"], *links]}, base)
    except Exception:
        with workspace.engine.begin() as connection:
            for one in taken:
                rows.drop_load(connection, one.load)
        raise
    _tidy(workspace, model_id, [one.name for one in taken])


@dataclass(frozen=True, slots=True)
class Taken:
    """A table of a reading whose rows are kept as a load: those of a table that is here (`replaces`), or of a new one."""

    place: int
    name: str
    replaces: bool
    item: Item
    frame: Frame
    load: int
    stayed: bool = False  # elsewhere, up to now

    def edit(self) -> Edit:
        """The edit that puts the load in force."""
        if self.replaces:
            here = {"stays": False} if self.stayed else {}
            return {
                "kind": "change_table",
                "name": self.name,
                "set": {"load": self.load, "origin": self.item.source, "source": None, **here},
            }
        key = self.item.key if set(self.item.key) <= set(self.frame.columns) else []
        table = {"name": self.name, "columns": [], "key": key, "origin": self.item.source, "load": self.load}
        return {"kind": "add_table", "table": table}


def _kept_loads(
    workspace: Workspace, actor: Actor, model_id: int, job: Job, chosen: Sequence[Mapping[str, Any]], model: Model
) -> list[Taken]:
    """Keeps the rows of the tables that are chosen, each under the name of the table it is for or under a free one."""
    names = [t.name for t in model.tables]
    taken = []
    with workspace.engine.begin() as connection:
        for choice in chosen:
            place, target = int(choice["place"]), choice.get("table")
            item, frame = job.item(place), job.frame(place)
            name = table_of(model, target).name if target else free_name(str(choice.get("name") or item.name).strip(), names)
            names.append(name)
            report = short_report(item.report or {})
            load = rows.save_load(connection, model_id, name, frame, source=item.source, report=report, author=actor.name)
            stayed = bool(target) and table_of(model, target).stays
            taken.append(Taken(place, name, bool(target), item, frame, load, stayed))
    return taken


def _title(edits: Sequence[Edit]) -> str:
    new = [e["table"]["name"] for e in edits if e["kind"] == "add_table"]
    old = [e["name"] for e in edits if e["kind"] == "change_table"]
    parts = [f"gather {_few(new)}"] if new else []
    return " and ".join([*parts, *([f"load {_few(old)} again"] if old else [])])


def _few(names: Sequence[str]) -> str:
    return ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")


def short_report(report: Mapping[str, Any]) -> dict[str, Any]:
    """A report as history keeps it, without the sample."""
    return {k: v for k, v in report.items() if k != "sample"}


def _tidy(workspace: Workspace, model_id: int, names: Sequence[str]) -> None:
    model = workspace.star(model_id)[0].model
    with workspace.engine.begin() as connection:
        for name in names:
            rows.forget_old(connection, model_id, earlier_names(model, "table", name), KEPT_LOADS)


def _links_along(workspace: Workspace, model_id: int, job: Job, places: Mapping[int, str], model: Model) -> list[Edit]:
    """Links that a package says there are between the tables that are taken. What a database declares is suggested, for its author to look
    at."""
    links: list[dict[str, Any]] = []
    packages: dict[str, dict[str, str]] = {}
    for place, name in places.items():
        source = job.items[place].source
        if source.get("kind") == "resource":
            packages.setdefault(str(source["file"]), {})[str(source["resource"])] = name
    for file, names in packages.items():
        links += package_links(workspace.files(model_id) / file, names)
    ends = {k.ends_text for k in model.links}
    return [{"kind": "add_link", "link": link} for link in links if f"{link['from']} = {link['to']}" not in ends]


def comparison(
    workspace: Workspace, model_id: int, job: Job, chosen: Sequence[Mapping[str, Any]], mends: Sequence[Edit] = ()
) -> dict[str, Any]:
    """What taking new rows for tables that are here would change, before anything is replaced."""
    _, star = workspace.star(model_id)
    extra = {table_of(star.model, str(c["table"])).name: job.frame(int(c["place"])) for c in chosen if c.get("table")}
    origins = {table_of(star.model, str(c["table"])).name: job.item(int(c["place"])).source for c in chosen if c.get("table")}
    return compared(workspace, model_id, extra, origins, mends)


def compared(
    workspace: Workspace, model_id: int, extra: Mapping[str, Frame], origins: Mapping[str, Any], mends: Sequence[Edit]
) -> dict[str, Any]:
    """The same for rows at hand."""
    _, star = workspace.star(model_id)
    model = star.model
    edits: list[Edit] = []
    for name in extra:
        stayed = {"stays": False} if table_of(model, name).stays else {}
        edits.append({"kind": "change_table", "name": name, "set": {"origin": dict(origins.get(name) or {})} | stayed})
    tables = [_table_changed(workspace, star, table_of(model, name), frame) for name, frame in extra.items()]
    after, refused, changed = None, None, model
    try:
        change = completed(workspace, model, {"kind": "load_tables", "edits": edits, "title": "", "mends": list(mends)}, extra)
        changed, _ = apply(model, change)
        after = workspace.make(changed, None, extra)[0]
    except Refused as error:
        refused = error
    answer_of: dict[str, Any] = {"tables": tables, "breaks": broken_by(star, after, changed, refused)}
    answer_of |= {"loosens": [], "links": [], "measures": [], "probes": [], "checks": []}
    if after is not None:
        budget = workspace.budget()
        answer_of["links"] = links_changed(star, after, list(extra))
        answer_of["loosens"] = loosened_by(star, after)
        try:
            answer_of["measures"] = measures_changed(star, after, budget)
            answer_of["probes"] = probes_changed(star, after, budget)
            answer_of["checks"] = checks_moved(workspace, model_id, star, after)
            answer_of["breaks"] += held_by(answer_of["checks"])
        except Refused as error:
            answer_of["breaks"] += [d.as_json() for d in error.diagnostics]
    answer_of["breaks"] += _broken_keys(tables, changed, after)
    return answer_of


def held_by(moved: Sequence[CheckMoved]) -> Iterator[dict[str, Any]]:
    """What a load breaks of the checks that guard loads: those that held, or could be computed, and fail after it."""
    for check in moved:
        if "loads" in check.guards and check.after != "holds" and not check.silenced:
            said = f"The check {check.name} would fail. {check.sentence}"
            hint = "Look at the rows that come, or take them and mend the model or the check."
            yield Diagnostic("check_fails", said, place=f"check {check.name}", hint=hint).as_json()


def _table_changed(workspace: Workspace, star: Star, table: Table, frame: Frame) -> dict[str, Any]:
    """How the rows of a table change with those that come: how many, which columns, what its key does."""
    if table.stays:
        types = {c.name: c.dtype for c in table.columns if not c.formula}
        key = {"key": list(table.key), "broken": [0, repeated_keys(frame, table.key)]}
        return {
            "table": table.name,
            "rows": [star.size(table.name), frame.size],
            "columns": columns_changed(types, frame.types()),
            "key": key,
        }
    old = workspace.base(table) if table.load is not None else Frame(0, {})
    columns, key = columns_changed(old.types(), frame.types()), key_report(table, old, frame)
    return {"table": table.name, "rows": [old.size, frame.size], "columns": columns, "key": key}


def _broken_keys(tables: Sequence[dict[str, Any]], changed: Model, after: Star | None) -> Iterator[dict[str, Any]]:
    """What the load breaks of keys, with the mends that come with it: a step that removes repeats, another key, or none. Where the
    model afterwards could be made, `tables` get the key as it is then."""
    for item in tables:
        kept = changed.table(item["table"])
        if kept is not None and after is not None:
            fresh = after.rows[kept.name]
            shaped_now = Frame(fresh.size, {c: fresh.columns[c].rows() for c in kept.key if c in fresh.columns})
            item["key"] = {"key": list(kept.key), "broken": [item["key"]["broken"][0], repeated_keys(shaped_now, kept.key)]}
        before, now = item["key"]["broken"]
        if now > before:
            said = f"The key of {item['table']}, {', '.join(item['key']['key'])}, is repeated or empty in {counted(now, 'row')}."
            mend = "Remove the repeats in a step, or choose another key."
            yield Diagnostic("broken_key", said, place=item["table"], hint=mend).as_json()


def history(workspace: Workspace, model_id: int, table: str | None = None) -> list[dict[str, Any]]:
    """Loads, the newest first; the one in force is marked."""
    model = workspace.star(model_id)[0].model
    live = {t.load for t in model.tables}
    with workspace.engine.connect() as connection:
        loads = rows.loads_of(connection, model_id, None if table is None else earlier_names(model, "table", table))
    loads = [{**x, "table": present_name(model, "table", x["table"])} for x in loads]
    return [{**x, "live": x["id"] in live, "source": source_words(x["source"]) if x["source"] else "the package"} for x in loads]


def _raw_source(workspace: Workspace, model_id: int, load_id: int) -> dict[str, Any]:
    """The source of a load, as a table names it."""
    with workspace.engine.connect() as connection:
        return next(dict(x["source"] or {}) for x in rows.loads_of(connection, model_id) if x["id"] == load_id)


def go_to(workspace: Workspace, actor: Actor, model_id: int, load_id: int, base: int, mends: Sequence[Edit] = ()) -> None:
    """Puts a load in force: one before, or one that was held."""
    actor.must(Need.BRING)
    load = next((x for x in history(workspace, model_id) if x["id"] == load_id), None)
    if load is None:
        raise refuse("unknown_load", f"Load number {load_id} no longer exists.", "Load the table again.")
    stored, _ = workspace.star(model_id)
    table = table_of(stored.model, load["table"])
    stays = {"stays": load["stays"], "origin": _raw_source(workspace, model_id, load_id)} if load["stays"] != table.stays else {}
    edit = {"kind": "change_table", "name": table.name, "set": {"load": load_id, **stays}}
    title = f"go to the load of {load['loaded_at'][:16].replace('T', ' ')} of {table.name}"
    change = completed(
        workspace, stored.model, {"kind": "load_tables", "edits": [edit], "title": title, "mends": list(mends)}, model_id=model_id
    )
    workspace.edit(actor, model_id, change, base)
    with workspace.engine.begin() as connection:
        rows.set_state(connection, load_id, "kept")


def compare_load(workspace: Workspace, model_id: int, load_id: int) -> dict[str, Any]:
    """What putting a load in force would change."""
    load = next((x for x in history(workspace, model_id) if x["id"] == load_id), None)
    if load is None:
        raise refuse("unknown_load", f"Load number {load_id} no longer exists.", "Load the table again.")
    if load["stays"]:  # what it would change is asked where it stays, once it is in force
        lists: dict[str, Any] = {k: [] for k in ("tables", "breaks", "loosens", "links", "measures", "probes", "checks")}
        return lists
    with workspace.engine.connect() as connection:
        frame = rows.read_load(connection, load_id)
    origin = dict(table_of(workspace.star(model_id)[0].model, load["table"]).origin)
    return compared(workspace, model_id, {load["table"]: frame}, {load["table"]: origin}, [])


def drop_held(workspace: Workspace, actor: Actor, model_id: int, load_id: int) -> None:
    """Forgets a load that was held."""
    actor.must(Need.BRING)
    load = next((x for x in history(workspace, model_id) if x["id"] == load_id and x["state"] == "held"), None)
    if load is None:
        raise refuse("unknown_load", "This load is no longer held.")
    with workspace.engine.begin() as connection:
        rows.drop_load(connection, load_id)
