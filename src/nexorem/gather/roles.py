"""A table used again in another role: a table of its own that shares the rows of the first, with its links and names."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from nexorem.core.diagnostics import refuse
from nexorem.core.language.renames import Renaming, dotted_anew
from nexorem.core.model.model import Link, Model, Table, link_json, table_json
from nexorem.core.model.names import columns_text

Edit = dict[str, Any]


def role_edits(model: Model, base: Table, name: str, columns: list[str]) -> list[Edit]:
    """The edits that make `name`, a table with the rows of `base`, and link `columns` (each `Table.column`) to its key; a link of these
    columns to `base` itself moves to it. The keys are hidden in the new table, for nobody picks by them. Without columns it is not
    linked."""
    if base.formula:
        hint = f"Make a table by the formula every {base.name}."
        raise refuse("computed_table", f"{base.name} is computed from the whole model and has no rows to share.", hint, base.name)
    link = _link_from(model, base, name, columns) if columns else None
    keys = {*base.key, *(link.to_columns if link else ()), *(c for k in model.links if k.to_table == base.name for c in k.to_columns)}
    change = Renaming("table", "", base.name, name)
    made = replace(
        base,
        name=name,
        origin={"kind": "role", "table": base.name},
        steps=(),
        load=None,
        source=None,
        columns=tuple(
            replace(c, hidden=c.hidden or c.name in keys, formula=dotted_anew(model, c.formula, change) if c.formula else "")
            for c in base.columns
        ),
    )
    place = [t.name for t in model.tables].index(base.name) + 1
    edits: list[Edit] = [{"kind": "add_table", "table": table_json(made), "at": place}]
    if link is None:
        return edits
    before = [k for k in model.links if (k.from_table, k.from_columns, k.to_table) == (link.from_table, link.from_columns, base.name)]
    return [*({"kind": "remove_link", "name": k.name} for k in before), *edits, {"kind": "add_link", "link": link_json(link)}]


def _link_from(model: Model, base: Table, name: str, columns: list[str]) -> Link:
    """The link from some columns to the new table: as the one that they have to the first table, or to its key."""
    ends = [model.find_column(c) for c in columns]
    many = {t for t, _ in ends}
    if len(many) != 1 or base.name in many:
        hint = f"Name the columns of the one table that looks {base.name} up."
        raise refuse("bad_edit", f"A role is linked from columns of one table, not of {', '.join(sorted(many))}.", hint)
    mine = tuple(c for _, c in ends)
    (table,) = many
    old = next((k for k in model.links if (k.from_table, k.from_columns, k.to_table) == (table, mine, base.name)), None)
    key = old.to_columns if old else _key_of(model, base)
    if len(key) != len(mine):
        said = columns_text(base.name, key) if key else f"no key of {base.name} is known"
        raise refuse("bad_edit", f"{columns_text(table, mine)} does not lead to {said}.", f"Name as many columns as {base.name}'s key has.")
    taken = {k.name.lower() for k in model.links if k is not old}
    free = old.name if old else next(n for n in (name.lower(), *(f"{name.lower()} {i}" for i in range(2, 99))) if n not in taken)
    return Link(free, table, mine, name, key, old.cardinality if old else "many-to-one", firm=old.firm if old else None)


def _key_of(model: Model, base: Table) -> tuple[str, ...]:
    """What links point to most, or the declared key."""
    ends = [k.to_columns for k in model.links if k.to_table == base.name and k.cardinality != "many-to-many"]
    return max(ends, key=ends.count) if ends else base.key or ((base.calendar.date,) if base.calendar else ())


def requested_role(model: Model, base: Table, change: Mapping[str, Any]) -> tuple[list[Edit], str]:
    """The edits of a person's `make_role`, and its title."""
    name = str(change["as"]).strip()
    if not name:
        raise refuse("bad_name", "A table needs a name.", "Say in which role it is used, as in Home port.")
    return role_edits(model, base, name, [str(c) for c in change.get("columns") or ()]), f"use {base.name} again as {name}"
