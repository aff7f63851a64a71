"""What a model is: tables, links, measures and probes. Plain immutable values; the rows are elsewhere (`engine`)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, fields, replace
from functools import cached_property, partial
from typing import TYPE_CHECKING, Any

from nexorem.core.diagnostics import near_hint, refuse
from nexorem.core.model.later import Later
from nexorem.core.model.names import columns_text, split_key, split_reference
from nexorem.core.model.specs import Accepted, Clearance, Damage, FolioSpec, FormerName, Hierarchy, Place, ProbeSpec, read_spec, spec_json

if TYPE_CHECKING:
    from nexorem.core.model.check_specs import CheckSpec

CARDINALITIES = ("many-to-one", "one-to-one", "many-to-many")
FLOWS = ("one-way", "two-way")
LANGUAGE = 2  # since 2, + and - with a column of the row on a side are empty where a side is
ROLES = ("fact", "dimension", "outrigger", "bridge")  # what an author may call a table; calendars and disconnected ones show themselves


@dataclass(frozen=True, slots=True)
class Column:
    """A typed column; `dtype` is one of `values.COLUMN_TYPES`. With a `formula` it is computed, not stored. `order_by` names a
    column of the same table that its members are ordered by."""

    name: str
    dtype: str
    hidden: bool = False
    description: str = ""
    formula: str = ""
    order_by: str = ""


@dataclass(frozen=True, slots=True)
class Calendar:
    """What marks a table as a calendar: its date column, and the month in which its year starts."""

    date: str
    year_starts_in: int = 1


@dataclass(frozen=True)
class Table:
    """A named table. `source` is None where it comes from the package itself; `key` is its declared primary key. With a
    `formula` its rows are computed, not stored. `origin` says where its rows come from, `steps` how they are shaped,
    `load` which of the store's loads they are; all three are read by `nexorem.gather`, not here. `role` is the author's word
    (one of ROLES) where it is not to be found from links and data; `grain` says in words what one row is, `grain_columns` are those
    that tell rows apart; `subject` groups tables in lists. The rows of one that `stays` are left where `origin` says they are, and its
    `load` is the last look at them."""

    name: str
    columns: tuple[Column, ...]
    source: str | None = None
    key: tuple[str, ...] = ()
    calendar: Calendar | None = None
    description: str = ""
    formula: str = ""
    origin: Mapping[str, Any] = field(default_factory=dict)
    steps: tuple[Mapping[str, Any], ...] = ()
    load: int | None = None
    role: str = ""
    grain: str = ""
    grain_columns: tuple[str, ...] = ()
    hidden: bool = False
    subject: str = ""
    stays: bool = False

    def column(self, name: str) -> Column | None:
        """The column of that name, whatever its case."""
        return self._columns.get(name.lower())

    @cached_property
    def _columns(self) -> dict[str, Column]:
        return {c.name.lower(): c for c in reversed(self.columns)}


@dataclass(frozen=True)
class Link:
    """Joins columns of the `from` table to as many of the `to` table, which is the one side of a many-to-one.

    `firm` is the author's word: None leaves it to the data.
    """

    name: str
    from_table: str
    from_columns: tuple[str, ...]
    to_table: str
    to_columns: tuple[str, ...]
    cardinality: str = "many-to-one"
    flow: str = "one-way"
    active: bool = True
    firm: bool | None = None
    description: str = ""

    @property
    def from_text(self) -> str:
        """The `from` end as a formula writes it."""
        return columns_text(self.from_table, self.from_columns)

    @property
    def to_text(self) -> str:
        """The `to` end as a formula writes it."""
        return columns_text(self.to_table, self.to_columns)

    @property
    def ends_text(self) -> str:
        """Both ends as a formula writes them."""
        return f"{self.from_text} = {self.to_text}"

    @cached_property
    def tables(self) -> frozenset[str]:
        """The one or two tables it joins."""
        return frozenset((self.from_table, self.to_table))

    def turned(self) -> Link:
        """The same link from its other side, for a look-up over one to one."""
        return replace(self, from_table=self.to_table, from_columns=self.to_columns, to_table=self.from_table, to_columns=self.from_columns)

    def other(self, table: str) -> str:
        """The table at the other end."""
        return self.to_table if table == self.from_table else self.from_table


@dataclass(frozen=True)
class Comparison(Link):
    """A link that `match … where` puts between two tables for one computation: `predicate`, a typed condition over
    the columns of both ends, stands in place of equal keys."""

    predicate: Any = None


@dataclass(frozen=True, slots=True)
class Measure:
    """A named formula. `home` is the table it is listed with; `variant_of` names the measure that a trial stands beside."""

    name: str
    formula: str
    home: str = ""
    format: str = ""
    description: str = ""
    folder: str = ""
    trial: bool = False
    variant_of: str = ""


@dataclass(frozen=True)
class Model:
    """A whole model. `places` says where tables stand in the star (by `FACT/TABLE`); `damage` is what could not be read when it was
    opened; `accepted` are findings that are known; `renamed` the names that things had; `language` the edition of the language it was
    begun in, 1 where nothing says so."""

    name: str
    tables: tuple[Table, ...] = ()
    links: tuple[Link, ...] = ()
    measures: tuple[Measure, ...] = ()
    probes: tuple[ProbeSpec, ...] = ()
    hierarchies: tuple[Hierarchy, ...] = ()
    checks: tuple[CheckSpec, ...] = ()
    places: Mapping[str, Place] = field(default_factory=dict)
    title: str = ""
    folios: tuple[FolioSpec, ...] = ()
    damage: tuple[Damage, ...] = ()
    accepted: tuple[Accepted, ...] = ()
    renamed: tuple[FormerName, ...] = ()
    language: int = LANGUAGE
    clearances: tuple[Clearance, ...] = ()

    def table(self, name: str) -> Table | None:
        """The table of that name, whatever its case."""
        return self._tables.get(name.lower())

    @cached_property
    def _tables(self) -> dict[str, Table]:
        return {t.name.lower(): t for t in reversed(self.tables)}

    @cached_property
    def _links_beside(self) -> dict[str, tuple[Link, ...]]:
        beside: dict[str, list[Link]] = {}
        for link in self.links:
            for table in link.tables:
                beside.setdefault(table, []).append(link)
        return {table: tuple(links) for table, links in beside.items()}

    def links_beside(self, table: str) -> tuple[Link, ...]:
        """The links that end at a table, by its name as defined, in the model's order."""
        return self._links_beside.get(table, ())

    def link(self, name: str) -> Link | None:
        """The link of that name."""
        return self._links.get(name.lower())

    @cached_property
    def _links(self) -> dict[str, Link]:
        return {k.name.lower(): k for k in reversed(self.links)}

    def link_text(self, link: Link) -> str:
        """A link as an edit of a formula names it: by its ends, or by its name where another has the same ends."""
        alike = [k for k in self.links if {k.from_text, k.to_text} == {link.from_text, link.to_text}]
        name = link.name.replace('"', '""')
        return f'link "{name}"' if len(alike) > 1 else link.ends_text

    def probe(self, name: str) -> ProbeSpec | None:
        """The probe of that name, whatever its case."""
        return next((p for p in self.probes if p.name.lower() == name.lower()), None)

    def measure(self, name: str) -> Measure | None:
        """The measure of that name, whatever its case."""
        return self._measures.get(name.lower())

    def clearance(self, name: str) -> Clearance | None:
        """The clearance of that name, whatever its case."""
        return next((x for x in self.clearances if x.name.lower() == name.lower()), None)

    @cached_property
    def _measures(self) -> dict[str, Measure]:
        return {m.name.lower(): m for m in reversed(self.measures)}

    def dtype(self, table: str, column: str) -> str:
        """The type of a column that is there."""
        owner = self.table(table)
        info = owner.column(column) if owner else None
        assert info, (table, column)
        return info.dtype

    def find_column(self, text: str) -> tuple[str, str]:
        """The table and column, as defined, that a written `Table.column` names; refuses with near names."""
        table_name, column_name = split_reference(text)
        table = self.table(table_name)
        if table is None:
            raise refuse("unknown_table", f"The table {table_name} does not exist.", near_hint(table_name, [t.name for t in self.tables]))
        column = table.column(column_name)
        if column is None:
            raise refuse(
                "unknown_column",
                f"{table.name} has no column {column_name}.",
                near_hint(column_name, [c.name for c in table.columns]),
            )
        return table.name, column.name


def plain(item: Any) -> dict[str, Any]:
    """A dataclass as JSON, without the fields that hold their default."""
    document: dict[str, Any] = {}
    for f in fields(item):
        value = getattr(item, f.name)
        if value == f.default or (value in ((), {}) and f.name not in ("columns",)):
            continue
        document[f.name] = [dict(x) for x in value] if f.name == "steps" else value
    return document


def link_json(link: Link) -> dict[str, Any]:
    """A link as formats.md writes it."""

    def end(table: str, columns: tuple[str, ...]) -> str | list[str]:
        texts = [columns_text(table, (c,)) for c in columns]
        return texts[0] if len(texts) == 1 else texts

    data: dict[str, Any] = {
        "name": link.name,
        "from": end(link.from_table, link.from_columns),
        "to": end(link.to_table, link.to_columns),
        "cardinality": link.cardinality,
        "flow": link.flow,
        "active": link.active,
    }
    if link.firm is not None:
        data["firm"] = link.firm
    if link.description:
        data["description"] = link.description
    return data


def _key_texts(model: Model, text: str) -> list[str]:
    """A key's columns in one text; a column whose name has a comma in it is one column."""
    table = next((t for t in model.tables if text.lower().startswith(f"{t.name.lower()}.")), None)
    return [text] if table and table.column(text[len(table.name) + 1 :]) else split_key(text)


def link_from_json(model: Model, data: Mapping[str, Any]) -> Link:
    """A link from JSON, its names as the model defines them."""
    ends = []
    for side in ("from", "to"):
        texts = data.get(side)
        columns = [model.find_column(t) for t in (_key_texts(model, texts) if isinstance(texts, str) else texts or [])]
        if not columns or len({t for t, _ in columns}) != 1:
            raise refuse(
                "bad_link",
                f"The link's “{side}” end names no column, or columns of several tables.",
                "Write Table.column, or a list of columns of one table.",
            )
        ends.append((columns[0][0], tuple(c for _, c in columns)))
    (from_table, from_columns), (to_table, to_columns) = ends
    for word, allowed in (("cardinality", CARDINALITIES), ("flow", FLOWS)):
        if data.get(word, allowed[0]) not in allowed:
            raise refuse("bad_link", f"{word} is {data[word]!r}.", f"It is one of {', '.join(allowed)}.")
    link = Link(
        "",
        from_table,
        from_columns,
        to_table,
        to_columns,
        data.get("cardinality", "many-to-one"),
        data.get("flow", "one-way"),
        bool(data.get("active", True)) and from_table != to_table,
        data.get("firm"),
        str(data.get("description", "")),
    )
    return replace(link, name=str(data.get("name") or link.ends_text))


def table_json(table: Table) -> dict[str, Any]:
    """A table's description as JSON, with every column."""
    data = plain(table)
    data["columns"] = [plain(c) for c in table.columns]
    for key in ("key", "grain_columns"):
        if getattr(table, key):
            data[key] = list(getattr(table, key))
    if table.calendar:
        data["calendar"] = {"date": table.calendar.date, "year_starts_in": table.calendar.year_starts_in}
    return data


TABLE_PARTS: dict[str, type[Any]] = {
    "name": str,
    "columns": list,
    "source": str,
    "key": list,
    "calendar": dict,
    "description": str,
    "formula": str,
    "origin": dict,
    "steps": list,
    "load": int,
    "role": str,
    "grain": str,
    "grain_columns": list,
    "hidden": bool,
    "subject": str,
    "stays": bool,
}


def table_from_json(item: Mapping[str, Any]) -> Table:
    """Reads what `table_json` wrote; raises TypeError where a part is of another kind."""
    for key, kind in TABLE_PARTS.items():
        if item.get(key) is not None and (not isinstance(item[key], kind) or (isinstance(item[key], bool) and kind is not bool)):
            raise TypeError(f"{key} is no {kind.__name__}")
    for key, kind in (("steps", dict), ("key", str), ("columns", dict), ("grain_columns", str)):
        if not all(isinstance(x, kind) for x in item.get(key) or ()):
            raise TypeError(f"{key} holds something else than {kind.__name__}")
    for column in item["columns"]:
        if not all(isinstance(column.get(k, ""), str) for k in ("name", "dtype", "description", "formula")) or not column["name"]:
            raise TypeError("a column's name, type, description and formula are texts")
    calendar = Calendar(**item["calendar"]) if item.get("calendar") else None
    columns = tuple(Column(**c) for c in item["columns"])
    kept = {k: v for k, v in item.items() if k not in ("columns", "calendar", "key", "steps", "grain_columns")}
    lists: dict[str, Any] = {k: tuple(item.get(k) or ()) for k in ("key", "steps", "grain_columns")}
    return Table(columns=columns, calendar=calendar, **lists, **kept)


SPECS = ("probes", "hierarchies", "folios", "checks")
NOTES = ("damage", "accepted", "renamed", "clearances")


def _kind_of(key: str) -> type[Any]:
    """The type of the items under a key."""
    if key == "checks":
        from nexorem.core.model.check_specs import CheckSpec  # the largest of them, which few need

        return CheckSpec
    kinds: dict[str, type[Any]] = {"probes": ProbeSpec, "hierarchies": Hierarchy, "folios": FolioSpec}
    return (kinds | {"damage": Damage, "accepted": Accepted, "renamed": FormerName, "clearances": Clearance})[key]


def model_json(model: Model) -> dict[str, Any]:
    """The whole model as JSON; `model_from_json` reads it back to an equal value."""
    kept = {key: [spec_json(x) for x in getattr(model, key)] for key in (*SPECS, *NOTES) if key in SPECS or getattr(model, key)}
    return {
        "name": model.name,
        "title": model.title,
        "tables": [table_json(t) for t in model.tables],
        "links": [link_json(k) for k in model.links],
        "measures": [plain(m) for m in model.measures],
        "places": {key: spec_json(place) for key, place in model.places.items()},
        "language": model.language,
        **kept,
    }


def model_from_json(data: Mapping[str, Any], later: bool = False) -> Model:
    """Reads what `model_json` wrote. With `later` probes, folios, checks and the like are read when somebody looks at them: reading the
    first of a kind takes a thousand times as long as the next."""
    tables = [table_from_json(item) for item in data["tables"]]

    def read(key: str) -> tuple[Any, ...]:
        return tuple(read_spec(_kind_of(key), x) for x in data.get(key, ()))

    specs: dict[str, Any] = {key: Later(partial(read, key)) if later else read(key) for key in (*SPECS, *NOTES)}
    model = Model(data["name"], tuple(tables), title=data.get("title", ""))
    return replace(
        model,
        links=tuple(link_from_json(model, k) for k in data["links"]),
        measures=tuple(Measure(**m) for m in data["measures"]),
        places={key: read_spec(Place, place) for key, place in data["places"].items()},
        language=data.get("language", 1),
        **specs,
    )
