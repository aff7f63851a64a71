"""Links that the data suggest, from names, types, uniqueness and overlap of values, over all tables at once.

A column is looked for among the key columns that its name points to; texts also among those that hold their values, and dates among
calendars. A sample of distinct values decides what is looked at more closely; what is told is counted over all rows. Nothing is made here.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import product
from typing import Any

import numpy as np

from nexorem.core.design.overlap import COMMON_WORDS, LEAST_NAMES, LEAST_OVERLAP, WORD, Hits, bare, names_alike, overlaps, stems, together
from nexorem.core.design.roles import role
from nexorem.core.engine.candidates import KEY_TYPES, candidate_keys, tells_apart
from nexorem.core.limits import Budget
from nexorem.core.model.model import Link, Model, Table, link_json
from nexorem.core.model.paths import model_state
from nexorem.core.model.star import Star
from nexorem.core.results import Result
from nexorem.core.words import counted, listed, verb

SHORTEST_CODE = 2  # characters
LONG_LIST = 10  # times as many keys as there are values
FEW_VALUES = 3  # distinct values, below which an overlap says nothing without the names
MOST = 30  # a screenful
KEPT = 8  # states of a model whose suggestions are kept
MOST_CHOICES = 4
PUT_ASIDE = "suggestion"  # the code under which one is accepted as not meant


@dataclass(frozen=True, slots=True)
class Candidate:
    """A link that is thought of. `names` and `overlap` are from 0 to 1, `overlap` of the sample's keys; `declared` is the database that
    says so."""

    link: Link
    names: float
    overlap: float
    declared: str = ""

    @property
    def score(self) -> float:
        """From 0 to 1; longer keys win over their parts, and what is declared over what is guessed."""
        return (1.0 if self.declared else 0.0) + 0.55 * self.overlap + 0.45 * self.names + 0.02 * len(self.link.from_columns)


@dataclass(frozen=True, slots=True)
class Evidence(Result):
    """Why a link is thought of. `names` and `overlap` are from 0 to 1, `overlap` that of a sample of the keys; the rest counts all rows."""

    names: float
    overlap: float
    matched: int
    orphans: int
    empty: int
    rows: int
    unique: bool
    sentence: str


@dataclass(frozen=True, slots=True)
class LinkSuggestion(Result):
    """A link that the data suggest, as an edit adds it. `choice` names what is to be chosen from: of several columns of a table that lead
    to one key, one may be the active link."""

    link: Mapping[str, Any]
    text: str
    score: float
    choice: str
    evidence: Evidence


def suggestions(star: Star, budget: Budget | None = None) -> list[LinkSuggestion]:
    """The links that the data suggest and the model does not have, the likeliest first, at most a screenful.

    A link is offered inactive where, with the model's own and with those offered before it, it would double a path, and where it is one of
    several to choose from; so any of them can be taken together. Kept by the rows and links they were found from; raises OverLimit when
    the budget is spent, and keeps what was counted up to there. Of tables that stay elsewhere a sample is looked at, and it is said.
    """
    star = star.sampled
    model = star.model
    kept: dict[Any, list[LinkSuggestion]] = star.derive(("suggestions",), dict)
    ends = tuple((k.ends_text, k.active, k.flow, k.cardinality) for k in model.links)
    aside = frozenset(x.about for x in model.accepted if x.code == PUT_ASIDE)
    declared = tuple((f.link.ends_text, f.declared) for f in _declared(model))
    roles = tuple(t.origin.get("table") if t.origin.get("kind") == "role" else None for t in model.tables)
    key = ends, aside, declared, roles, tuple((t.name, t.calendar, t.role, t.key) for t in model.tables)
    if key not in kept:
        suggested = list(_suggested(star, aside, budget or Budget()))
        while len(kept) >= KEPT:
            kept.pop(next(iter(kept)), None)
        kept[key] = suggested
    return list(kept[key])


def _suggested(star: Star, aside: frozenset[str], budget: Budget) -> Iterator[LinkSuggestion]:
    model = star.model
    ways = _ways(model)
    candidates = [f for f in _candidates(star, budget) if f.link.ends_text not in aside]
    choices = _several(star, candidates)
    chosen = [f.link for f in candidates if f.link.ends_text in choices]
    for link in chosen:  # one of them may be made the active one: its way is kept free
        if not _doubles(ways, link):
            _open(ways, link)
    count = 0

    def last(item: Candidate) -> bool:
        return item.link.ends_text not in choices and _implied(star, item, candidates)

    for item in sorted(candidates, key=lambda f: (last(f), -f.score, f.link.ends_text)):
        budget.check()
        link = replace(item.link, name=free_name(model, item.link))
        facts = star.facts(link)
        rows = star.size(link.from_table)
        if (facts.matched < LEAST_OVERLAP * max(rows - facts.empty, 1) and not item.declared) or facts.repeated:
            continue
        choice = choices.get(item.link.ends_text, "")
        if choice or link.from_table == link.to_table or _doubles(ways, link):
            link = replace(link, active=False)
        else:
            _open(ways, link)
        model = replace(model, links=(*model.links, link))
        sentence = _sentence(star, item, link, choice)
        scores = round(item.names, 3), round(item.overlap, 3)
        evidence = Evidence(*scores, facts.matched, facts.orphans, facts.empty, rows, not facts.key_empty, sentence)
        yield LinkSuggestion(link_json(link), link.ends_text, round(min(item.score, 1.0), 3), choice, evidence)
        count += 1
        if count == MOST:
            return


def _implied(star: Star, item: Candidate, candidates: Sequence[Candidate]) -> bool:
    """Whether filters come as well over a link of a longer key with this one's columns, and on from there: the direct link would be a
    second way. Only where the longer one leaves no row without a partner."""
    link = item.link
    for first in candidates:
        over = first.link
        if over.from_table != link.from_table or over.to_table == link.to_table or not set(link.from_columns) < set(over.from_columns):
            continue
        there = dict(zip(over.from_columns, over.to_columns, strict=True))
        onward = (over.to_table, tuple(there[c] for c in link.from_columns), link.to_table, link.to_columns)
        if any((f.from_table, f.from_columns, f.to_table, f.to_columns) == onward for f in (x.link for x in candidates)):
            facts = star.facts(over)
            if facts.orphans == 0 and facts.empty == 0 and not facts.repeated:
                return True
    return False


def _several(star: Star, candidates: Sequence[Candidate]) -> dict[str, str]:
    """By text, the links from several columns of a table to one key, where no link joins the two tables yet: which of its dates, or of its
    places, counts when nothing is said is its author's choice."""
    linked = {k.tables for k in star.model.links}
    groups: dict[tuple[str, str, tuple[str, ...]], list[str]] = {}
    for item in candidates:
        link = item.link
        if link.from_table != link.to_table and link.tables not in linked and len(link.to_columns) == 1:
            groups.setdefault((link.from_table, link.to_table, link.to_columns), []).append(link.ends_text)
    return {text: f"{a} and {b}" for (a, b, _), texts in groups.items() if len(texts) > 1 for text in texts}


# the one-path rule, link by link


def _ways(model: Model) -> dict[str, set[str]]:
    """For each table the tables that its filters come to in one step."""
    state = model_state(model)
    ways: dict[str, set[str]] = {t.name: set() for t in model.tables}
    for link in model.links:
        for into in link.tables:
            if link.from_table != link.to_table and state.carries(link, into):
                ways[link.other(into)].add(into)
    return ways


def _reached(ways: Mapping[str, set[str]], start: str) -> set[str]:
    reached, queue = {start}, [start]
    while queue:
        for near in ways[queue.pop()] - reached:
            reached.add(near)
            queue.append(near)
    return reached


def _doubles(ways: Mapping[str, set[str]], link: Link) -> bool:
    """Whether a one-way link would be a second way for some filter: one that comes to its one side comes to its many side, or on from
    there, already."""
    beyond = _reached(ways, link.from_table)
    above = [t for t in ways if link.to_table in _reached(ways, t)]
    return any(_reached(ways, t) & beyond for t in above)


def _open(ways: dict[str, set[str]], link: Link) -> None:
    ways[link.to_table].add(link.from_table)


def free_name(model: Model, link: Link) -> str:
    """A name that no link has: the key's words, with the table's name where another link has them, or the ends."""
    taken = {k.name.lower() for k in model.links}
    table = model.table(link.from_table)
    words = " and ".join(_plain_words(bare(table, c) if table else c) for c in link.from_columns)
    ends = link.ends_text
    names = (words, f"{link.from_table.lower()} {words}", ends, *(f"{ends} ({number})" for number in range(2, len(taken) + 3)))
    return next(n for n in names if n and n.lower() not in taken)


def role_name(model: Model, link: Link) -> str:
    """What the table that a link points to is called in the role it has there: `origin` of Airport, Origin airport. A column that says
    nothing but the table, as `nationkey`, names it after its own table: Supplier nation."""
    table, home = model.table(link.from_table), link.to_table.lower()
    words = _plain_words(bare(table, link.from_columns[0]) if table else link.from_columns[0]).split()
    apart = [w for w in words if not stems(w) <= stems(home) and not any(home.startswith(x) for x in stems(w))]
    said = " ".join(apart) or link.from_table
    return f"{said[0].upper()}{said[1:]} {home}"


def _plain_words(column: str) -> str:
    words = [w.lower() for w in WORD.findall(column)]
    return " ".join([w for w in words if w not in COMMON_WORDS] or words)


def _sentence(star: Star, candidate: Candidate, link: Link, choice: str) -> str:
    facts = star.facts(link)
    rows = star.size(link.from_table)
    part = [f"{facts.matched:,} of {counted(rows, 'row')} {verb(facts.matched, 'matches', 'match')}", f"{link.to_text} is unique"]
    if facts.orphans:
        part.append(f"{facts.orphans:,} {verb(facts.orphans, 'names', 'name')} a key that is not there")
    if facts.empty:
        part.append(f"{facts.empty:,} {verb(facts.empty, 'has', 'have')} none")
    if candidate.declared:
        part.insert(0, f"{candidate.declared} declares it as a foreign key")
    elif candidate.names >= LEAST_NAMES:
        part.append("the names are alike")
    if sampled := [t.name for t in star.model.tables if t.stays and t.name in link.tables]:
        part.append(f"of {listed(sampled)} a sample was looked at")
    if choice:
        what = "dates" if (to := star.model.table(link.to_table)) and to.calendar else "roles"
        part.append(f"one of several {what}: none is active until you say which one counts")
    elif link.from_table == link.to_table:
        part.append("inactive because it leads to its own table")
    elif not link.active:
        part.append("inactive because it would double a path if active")
    return "; ".join(part) + "."


def _candidates(star: Star, budget: Budget) -> list[Candidate]:
    keys = _keys(star, budget)
    hits = star.derive(("hits", tuple((t.name, k) for t, k in keys)), lambda: overlaps(star, keys, budget))
    have = {_ends(k) for k in star.model.links}
    dated = {(k.from_table, k.to_table) for k in star.model.links}
    pairs = {(many, one) for many, one, _ in hits}
    best = {_ends(f.link): f for f in _declared(star.model) if _ends(f.link) not in have}
    tables = {t.name: t for t in star.model.tables}
    rows_of = {name: _rows_of(tables, name) for name in tables}
    led = {(k.from_table, k.from_columns, rows_of.get(k.to_table, "")): k.to_table for k in star.model.links}
    by_table: dict[str, list[tuple[str, ...]]] = {}
    for table, key in keys:
        by_table.setdefault(table.name, []).append(key)
    for many_name, one_name in sorted(pairs):
        one, many = tables[one_name], tables[many_name]
        if one.calendar and (many_name, one_name) in dated:
            continue  # its author has chosen which of its dates are meant
        if rows_of[one_name] == rows_of[many_name] and one_name != many_name:
            continue  # a role and the table whose rows it shares
        for key in by_table[one_name]:
            if not all((many_name, one_name, c) in hits for c in key):
                continue
            budget.check()
            for candidate in _of_key(star, one, key, many, hits):
                ends = _ends(candidate.link)
                in_a_role = led.get((many_name, candidate.link.from_columns, rows_of[one_name]), one_name) != one_name
                if ends in have or in_a_role or _outdone(star.model, candidate.link):
                    continue
                if ends not in best or candidate.score > best[ends].score:
                    best[ends] = candidate
    return _best_of_each(list(best.values()))


def _rows_of(tables: Mapping[str, Table], name: str) -> str:
    """The table whose rows a table has: itself, or the one that it is a role of, or that that one is a role of."""
    seen = {name}
    while (table := tables[name]).origin.get("kind") == "role" and (name := str(table.origin.get("table"))) in tables and name not in seen:
        seen.add(name)
    return name


def _ends(link: Link) -> frozenset[frozenset[tuple[str, str]]]:
    """The pairs of columns that a link joins, whatever their order."""
    pairs = zip(link.from_columns, link.to_columns, strict=True)
    return frozenset(frozenset(((link.from_table, a), (link.to_table, b))) for a, b in pairs)


def _outdone(model: Model, link: Link) -> bool:
    """Whether the model joins the two tables already, by a key that has some of these columns: another one would be in its way."""
    return any(k.tables == link.tables and len(link.from_columns) + len(k.from_columns) > 2 and _ends(k) & _ends(link) for k in model.links)


def _declared(model: Model) -> Iterator[Candidate]:
    """What the databases that tables come from declare as foreign keys, between tables that are here and have these columns."""
    here: dict[tuple[str, str, str], list[Table]] = {}
    for table in (t for t in model.tables if t.origin.get("kind") == "database" and t.origin.get("table")):
        place = str(table.origin.get("connection")), str(table.origin.get("table_schema") or "public"), str(table.origin["table"])
        here.setdefault(place, []).append(table)
    for (database, _, _), tables in here.items():
        for many, key in ((t, r) for t in tables for r in t.origin.get("references") or []):
            columns = tuple(_now_called(many, c) for c in key["columns"])
            for one in here.get((database, str(key.get("table_schema") or "public"), str(key["table"])), []):
                theirs = tuple(_now_called(one, c) for c in key["key"])
                if {c.name for c in many.columns} >= set(columns) and {c.name for c in one.columns} >= set(theirs):
                    yield Candidate(Link("", many.name, columns, one.name, theirs, "many-to-one"), 1.0, 1.0, database)


def _now_called(table: Table, column: str) -> str:
    """A column that was loaded, by the name that steps have given it."""
    for step in (s for s in table.steps if s.get("kind") == "rename" and not s.get("off")):
        column = str(step.get("names", {}).get(column, column))
    return column


def _keys(star: Star, budget: Budget) -> list[tuple[Table, tuple[str, ...]]]:
    """What could be the one side of a link: unique, never empty keys."""
    keys = []
    for table in star.model.tables:
        budget.check()
        listed = candidate_keys(star, table.name)
        listed = [*listed, table.key] if table.key and table.key not in listed and tells_apart(star, table.name, table.key) else listed
        dtypes = {c.name: c.dtype for c in table.columns}
        keys += [(table, key) for key in listed if all(dtypes.get(c) in KEY_TYPES for c in key)]
    return keys


def _of_key(star: Star, one: Table, key: tuple[str, ...], many: Table, hits: Hits) -> list[Candidate]:
    """Links from a table to a key of another; a key of several columns is matched column by column, then as a whole."""
    choices = []
    for column in key:
        near = [(c, names_alike(one.name, bare(one, column), bare(many, c)), overlap) for c, overlap in hits[many.name, one.name, column]]
        choices.append(sorted(near, key=lambda x: -(x[1] + x[2]))[:MOST_CHOICES])
    candidates = []
    for picked in product(*choices):
        columns = tuple(c for c, _, _ in picked)
        if len(set(columns)) < len(columns):
            continue
        names = float(np.mean([n for _, n, _ in picked]))
        overlap = picked[0][2] if len(key) == 1 else together(star, many.name, columns, one.name, key)
        if overlap >= LEAST_OVERLAP and _likely(star, one, many, columns, names, overlap):
            cardinality = "one-to-one" if columns in candidate_keys(star, many.name) else "many-to-one"
            candidates.append(Candidate(Link("", many.name, columns, one.name, key, cardinality), names, overlap))
    return candidates


def _likely(star: Star, one: Table, many: Table, columns: tuple[str, ...], names: float, overlap: float) -> bool:
    """Dates go to calendars; whole numbers and short lists overlap by chance, so they need the names as well."""
    kinds = {c.dtype for c in many.columns if c.name in columns}
    if len(columns) > 1:
        return names >= LEAST_NAMES
    if kinds == {"date"}:
        return one.calendar is not None and role(star, many) != "calendar"
    if names >= LEAST_NAMES:
        return True
    if "integer" in kinds or overlap < 0.9 or star.size(one.name) <= FEW_VALUES:
        return False
    return star.domain(many.name, columns).size - 1 > FEW_VALUES or _marks_few(star, one, many, columns[0], overlap)


def _marks_few(star: Star, one: Table, many: Table, column: str, overlap: float) -> bool:
    """Whether the few texts of a column, as of three harbours that ships leave from, are codes of a far longer list, not words of
    chance."""
    members = star.column(many.name, column).take(star.domain(many.name, (column,)).firsts[:-1])
    texts = [str(x) for x in members.tolist() if x is not None]
    like_codes = all(len(x) >= SHORTEST_CODE and x.upper() == x for x in texts) and len({len(x) for x in texts}) == 1
    return overlap == 1.0 and len(texts) > 1 and like_codes and star.size(one.name) >= LONG_LIST * len(texts)


def _best_of_each(candidates: Sequence[Candidate]) -> list[Candidate]:
    """For each key that a table brings, the tables it points to best: a column that is a key of many tables is offered for the one whose
    names fit, and part of a longer key that is offered is not offered by itself."""
    kept: list[Candidate] = []
    of_table: dict[str, list[Candidate]] = {}
    for item in sorted(candidates, key=lambda f: -f.score):
        link = item.link
        rivals = [f for f in of_table.get(link.from_table, ()) if set(f.link.from_columns) & set(link.from_columns)]
        same = [f for f in rivals if f.link.from_columns == link.from_columns]
        fits_less = any(f.names > item.names + 0.01 for f in same) or (same and item.names < LEAST_NAMES)
        part = any(len(f.link.from_columns) > len(link.from_columns) and f.link.to_table == link.to_table for f in rivals)
        turned = any(f.link.to_table == link.from_table and f.names >= item.names for f in of_table.get(link.to_table, ()))
        if (fits_less or part or turned) and not item.declared:
            continue
        kept.append(item)
        of_table.setdefault(link.from_table, []).append(item)
    return kept
