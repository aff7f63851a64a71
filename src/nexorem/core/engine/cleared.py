"""Rules of rows: a star as somebody may see it, from which every row that they may not see was taken away.

A rule is a filter that stands under every context. Taking the rows away once has the same answers as holding the filter in each of them,
and leaves no formula, and nothing else that reads rows, a way around it: `clear all` clears what there is.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from nexorem.core.diagnostics import Diagnostic, OverLimit, Refused, Span, refuse
from nexorem.core.engine.computed import make_star
from nexorem.core.engine.context import Batch
from nexorem.core.engine.page import page
from nexorem.core.engine.planned import ProbePlan
from nexorem.core.engine.probe import Probe
from nexorem.core.engine.visibility import visible
from nexorem.core.language import typed as t
from nexorem.core.language.binder import Binder
from nexorem.core.language.lexer import tokenize
from nexorem.core.language.mentions import mentions
from nexorem.core.language.names import placed
from nexorem.core.language.parser import parse, parse_rows
from nexorem.core.limits import Budget
from nexorem.core.model.elsewhere import is_stay
from nexorem.core.model.model import Table
from nexorem.core.model.paths import DoublePath
from nexorem.core.model.proven import Proven
from nexorem.core.model.specs import Clearance
from nexorem.core.model.star import Star, TableRows, table_rows
from nexorem.core.plan.tree import inner_nodes
from nexorem.core.results import Result
from nexorem.core.values import Array
from nexorem.core.words import listed

PERSON = ("email", "name")  # what person('…') knows


@dataclass(frozen=True, slots=True)
class ClearedTable(Result):
    """A table under rules: how many of its rows are left, and whether a rule stands on it or comes to it."""

    table: str
    rows: int
    reached: bool


@dataclass(frozen=True, slots=True)
class Cleared(Result):
    """What a star was cleared by: the rules as they came to for the person, and what they left."""

    clearance: str
    rules: tuple[str, ...]
    tables: tuple[ClearedTable, ...]


def cleared(star: Star, clearance: Clearance, person: Mapping[str, str], budget: Budget) -> Star:
    """The star without the rows that a clearance keeps from a person; its `cleared` says what was done.

    Refuses where a rule cannot be read, or would come from a table that stays in another place to rows that are here. Costs a copy of the
    rows that are left; of tables that stay, what is asked there reads what the rules leave.
    """
    rules = tuple(for_person(rule, person) for rule in clearance.rules)
    conditions = bound_rules(star, rules)
    _refuse_circles(star, conditions)
    _refuse_from_elsewhere(star, conditions)
    stored = {x.name: x for x in star.model.tables if not x.formula and x.name not in star.stay}
    here = [(rule, c) for rule, c in zip(rules, conditions, strict=True) if c.table not in star.stay]
    left = {name: _rows_left(star, here, x, budget) for name, x in stored.items()}
    model, there = star.model, star.elsewhere.under(star, rules) if star.elsewhere else None
    made = make_star(model, {name: _kept(star, stored[name], rows) for name, rows in left.items()}, budget, there)
    if any(x.formula for x in model.tables):
        again = [(rule, c) for rule, c in zip(rules, bound_rules(made, rules), strict=True) if c.table not in star.stay]
        rows = {x.name: made.rows[x.name] for x in model.tables if x.name not in star.stay}
        for table in (x for x in made.model.tables if x.formula):
            rows[table.name] = _kept(made, table, _rows_left(made, again, table, budget))
        made = Star(made.model, rows, elsewhere=there)
    reached = reached_by(star, conditions)
    tables = tuple(ClearedTable(x.name, made.size(x.name), x.name in reached) for x in model.tables)
    made.cleared, made.unruled = Cleared(clearance.name, rules, tables), star
    return made


def for_person(rule: str, person: Mapping[str, str]) -> str:
    """A rule with the person's own values in place of `person('…')`; refuses one that asks for something else of them."""
    tokens, _ = tokenize(rule)
    pieces: list[tuple[int, int, str]] = []
    for place, token in enumerate(tokens):
        if token.kind != "name" or token.text.lower() != "person" or tokens[place + 1].text != "(":
            continue
        given, close = tokens[place + 2 : place + 4] if len(tokens) > place + 3 else (token, token)
        wanted = given.text.lower() if given.kind == "string" else ""
        if wanted not in PERSON or close.text != ")":
            known = " and ".join(f"person('{x}')" for x in PERSON)
            wrong = Diagnostic("unknown_person", f"Of a person a rule knows {known}.", span=Span(token.span.start, close.span.end))
            raise Refused([placed(wrong, "where", rule)])
        if wanted not in person:
            raise refuse("no_person", f"The rule asks for the person's {wanted}, and nobody is signed in.", "See it as somebody.", "where")
        value = person[wanted].replace("'", "''")
        pieces.append((token.span.start, close.span.end, f"'{value}'"))
    for start, end, text in reversed(pieces):
        rule = rule[:start] + text + rule[end:]
    return rule


def bound_rules(star: Proven, rules: Sequence[str]) -> tuple[t.Condition, ...]:
    """The rules, typed; refuses with all that is wrong with them."""
    bound: list[t.Condition] = []
    wrong: list[Diagnostic] = []
    for rule in rules:
        try:
            condition = Binder(star).page_condition(rule)
        except OverLimit:
            raise
        except Refused as refused:
            wrong += refused.diagnostics
            continue
        if inner_nodes(condition.predicate):
            hint = "Compare columns of the table with values, or with person('email')."
            wrong.append(Diagnostic("rule_looks_wide", "A rule looks at the columns of its own table alone.", hint=hint, place="where"))
        bound.append(condition)
    if wrong:
        raise Refused(wrong)
    return tuple(bound)


def reached_by(star: Proven, conditions: Sequence[t.Condition]) -> frozenset[str]:
    """The tables that rules stand on or come to."""
    on = _on(conditions)
    return frozenset(x.name for x in star.model.tables if any(f.table in on for f in star.inflow(x.name, star.state).walk()))


def _on(conditions: Sequence[t.Condition]) -> frozenset[str]:
    return frozenset(c.table for c in conditions)


def _refuse_circles(star: Star, conditions: Sequence[t.Condition]) -> None:
    """A rule on a computed table that something else is computed from would have to hold before it can be found."""
    made = {x.name.lower() for x in star.model.tables if x.formula and x.name in _on(conditions)}
    for table in star.model.tables if made else ():
        named_by = [mentions(parse(c.formula)[0]) for c in table.columns if c.formula and not table.formula]
        for at in [*named_by, *([mentions(parse_rows(table.formula)[0])] if table.formula else [])]:
            named = {n.lower() for n in (*at.tables, *at.whole, *(x for x, _ in at.columns))}
            if met := named & made:
                message = f"{table.name} is computed from {listed(sorted(met))}, on which a rule stands."
                raise refuse("rule_circle", message, "Put the rule on a table whose rows are read, not computed.")


def _refuse_from_elsewhere(star: Star, conditions: Sequence[t.Condition]) -> None:
    """A rule on a table that stays cannot be held over rows that are here: which of them it leaves is known only there."""
    far = _on(conditions) & star.stay
    for table in star.model.tables if far else ():
        met = sorted(far & {f.table for f in star.inflow(table.name, star.state).walk()})
        if met and table.name not in star.stay:
            said = f"A rule on {listed(met)}, which stays in another place, comes to {table.name}, whose rows are here."
            raise refuse("rules_stay", said, f"Take the rows of {listed(met)} in, or leave {table.name} there too.")


def _rows_left(star: Star, rules: Sequence[tuple[str, t.Condition]], table: Table, budget: Budget) -> Array:
    """int64: the rows of a table that rules leave, ascending."""
    probe = Probe(conditions=tuple(text for text, _ in rules))
    batch: Batch = page(star, ProbePlan(star.model, star.state, (), tuple(c for _, c in rules), ()), probe, budget)
    try:
        return np.flatnonzero(visible(star, star.inflow(table.name, star.state), batch, budget)[:-1])
    except DoublePath as double:
        raise refuse("double_path", double.sentence(), "Switch one of these links off.") from None
    except Refused as refused:
        if not is_stay(refused):
            raise
        said = f"A rule comes to {table.name}, whose rows are here, through tables that stay in another place."
        raise refuse("rules_stay", said, f"Leave {table.name} there too, or take their rows in.") from None


def _kept(star: Star, table: Table, rows: Array) -> TableRows:
    """Some rows of a table, of a stored one without what is computed."""
    columns = [c.name for c in table.columns if table.formula or not c.formula]
    if len(rows) == star.size(table.name):
        return TableRows(len(rows), {c: star.column(table.name, c) for c in columns})
    return table_rows(len(rows), {c: star.column(table.name, c).take(rows) for c in columns})
