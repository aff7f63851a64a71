"""Rules of rows as SQL: of each table that rules come to, the rows that they leave, which everything else reads in its place."""

from __future__ import annotations

from dataclasses import replace

import sqlalchemy as sa

from nexorem.core.diagnostics import refuse
from nexorem.core.engine.cleared import bound_rules, reached_by
from nexorem.core.engine.probe import Probe
from nexorem.core.model.proven import Proven
from nexorem.sql.build import Build, Places
from nexorem.sql.dialects import Dialect
from nexorem.sql.page import page_of
from nexorem.sql.reach import Seen, reaches
from nexorem.sql.tree import Names, Ruled, statement


def under_rules(whole: Proven, rules: tuple[str, ...], dialect: Dialect, places: Places, own: Places | None = None) -> Places:
    """Places in which what rules leave of tables stands for them, decided over all rows (`whole`, which are at `places`). `own` is where
    tables are for who is under the rules, if that is another place. Columns that are computed are computed of what is left; tables that
    are computed cannot be, and are refused where they are read."""
    own = own or places
    conditions = bound_rules(whole, rules)
    reached, names = reached_by(whole, conditions), Names()
    there = [t.name for t in whole.model.tables if t.name in reached and t.name not in own.sent and not t.formula]
    ruled = {name: _ruled(Build(whole, dialect, places, names), name, rules) for name in there}
    barred = {
        t.name: refuse(
            "no_sql",
            f"{t.name} is computed, and under rules of rows it would have to be computed in the statement.",
            "Ask for it here, or put what it has into a table whose rows are read.",
        )
        for t in whole.model.tables
        if t.formula and t.name not in own.sent
    }
    computed = frozenset((t.name, c.name) for t in whole.model.tables for c in t.columns if c.formula and t.name not in own.sent)
    taken = tuple(x for r in ruled.values() for x in r.names)
    return replace(own, ruled=ruled, barred=barred, computed=own.computed | computed, taken=taken)


def _ruled(build: Build, name: str, rules: tuple[str, ...]) -> Ruled:
    """What rules leave of a table, as SQL over all rows."""
    page = page_of(build, Probe(conditions=rules), bound_rules(build.star, rules))
    (found,) = reaches(build, page, build.star.inflow(name, build.star.state), page.filters)

    def final() -> sa.SelectBase:
        seen = Seen(build, name, found)
        root = seen.reader.at(())
        return seen.select(*(root.c[c] for c in build.columns_there(name)))

    made = statement(build.parts(), final)
    note = f"{name}: the rows that the rules leave"
    return Ruled(build.names.new(f"{name}_seen"), note, made.relations, made.final, build.tables_read())
