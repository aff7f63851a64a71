"""Steps that keep some rows, turn rows and columns, or bring rows of other tables."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from nexorem.core.diagnostics import refuse
from nexorem.core.functions.convert import widen
from nexorem.core.values import Array, Vector, combine, constant, empties, vector
from nexorem.core.words import an, counted, verb
from nexorem.gather.frame import Frame, as_text, common_dtype, groups_of, stacked, used_words
from nexorem.gather.steps import kinds as k
from nexorem.gather.steps.columns import need, need_new
from nexorem.gather.steps.formula import computed
from nexorem.gather.steps.result import Result, Setting

MOST_COLUMNS = 2_000


def kept(frame: Frame, rows: Array) -> Result:
    """Some rows; dictionaries lose the words that went."""
    return Result(Frame(len(rows), {c: used_words(v.take(rows)) for c, v in frame.columns.items()}), rows)


def keep_rows(frame: Frame, step: k.KeepRows, at: Setting) -> Result:
    """Rows for which the condition is true; empty is not."""
    condition = computed(frame, at.table, "kept", step.condition, at.budget)
    if condition.dtype not in ("boolean", "null"):
        raise refuse("wrong_type", f"The condition gives {condition.dtype}, no boolean.", "Compare it with something.", at.place)
    return kept(frame, np.flatnonzero(condition.true()))


def remove_repeats(frame: Frame, step: k.RemoveRepeats, at: Setting) -> Result:
    """One row of those that are equal in the columns."""
    names = need(frame, step.columns, at.place) or list(frame.columns)
    groups, firsts = groups_of(frame, names)
    if step.keep == "last":
        firsts = np.zeros(len(firsts), np.int64)
        firsts[groups] = np.arange(frame.size)
    return kept(frame, np.sort(firsts))


def _heading_parts(names: list[str], step: k.ColumnsToRows, at: Setting) -> list[list[str]]:
    """The parts of each heading; refuses one that has more or fewer of them than the step names."""
    heads = [n.split(step.separator, len(step.parts) - 1) if step.separator else [n] for n in names]
    short = [n for n, h in zip(names, heads, strict=True) if len(h) != len(step.parts)]
    if short:
        said, mend = f"The heading {short[0]!r} does not have {len(step.parts)} parts.", "Choose another separator, or name as many parts."
        raise refuse("bad_heading", said, mend, at.place)
    return heads


def _in_one(columns: Sequence[Vector | None], size: int) -> Vector:
    """Columns beneath one another, empties for those that are not there: of the type they have in common, else as texts."""
    dtype = common_dtype([v.dtype for v in columns if v is not None])
    parts = [v if v is not None else empties(dtype or "text", size) for v in columns]
    return stacked(parts, dtype) if dtype is not None else stacked([as_text(p) for p in parts], "text")


def columns_to_rows(frame: Frame, step: k.ColumnsToRows, at: Setting) -> Result:
    """A row for each of some columns; their headings, in parts, become values."""
    names = need(frame, step.columns, at.place)
    heads = _heading_parts(names, step, at)
    star = step.parts.index("*") if "*" in step.parts else -1
    labels = [p for p in step.parts if p != "*"]
    values = list(dict.fromkeys(h[star] for h in heads)) if star >= 0 else [step.value]
    if "" in values:
        nameless = names[[h[star] for h in heads].index("")]
        raise refuse("bad_heading", f"A part of the heading {nameless!r} is empty, and names no column.", "Rename it before.", at.place)
    keys = [tuple(x for i, x in enumerate(h) if i != star) for h in heads]
    lines = list(dict.fromkeys(keys))
    rest = [c for c in frame.columns if c not in names]
    need_new(Frame(frame.size, {c: frame.columns[c] for c in rest}), [*labels, *values], at.place)
    at.budget.take(frame.size * len(lines) * max(len(frame.columns), 1), 9, "Turning columns into rows")
    source = {(key, h[star] if star >= 0 else step.value): n for key, h, n in zip(keys, heads, names, strict=True)}
    made: dict[str, Vector] = {}
    # Row by row, the headings in their order within each: as a person would write it out.
    order = np.arange(frame.size * len(lines)).reshape(len(lines), frame.size).T.ravel()
    for value in values:
        value_columns = [frame.columns[source[line, value]] if (line, value) in source else None for line in lines]
        made[value] = _in_one(value_columns, frame.size).take(order)
    rows = np.repeat(np.arange(frame.size), len(lines))
    line_of = np.tile(np.arange(len(lines)), frame.size)
    columns = {c: frame.columns[c].take(rows) for c in rest}
    columns |= {label: vector("text", [line[i] for line in lines]).take(line_of) for i, label in enumerate(labels)}
    columns |= made
    result = Frame(len(rows), columns)
    if not step.skip_empty:
        return Result(result, rows)
    live = np.flatnonzero(np.logical_or.reduce([made[v].valid for v in values]))
    cut = kept(result, live)
    return Result(cut.frame, rows[live])


def rows_to_columns(frame: Frame, step: k.RowsToColumns, at: Setting) -> Result:
    """A column for each value; rows come together by what is left."""
    head, value = need(frame, [step.names_from, step.values_from], at.place)
    if head == value:
        raise refuse("bad_step", "Headings and values cannot come from one column.", "Choose another column of values.", at.place)
    rest = [c for c in frame.columns if c not in (head, value)]
    heads = used_words(as_text(frame.columns[head]))
    codes, size = heads.codes()
    if size > MOST_COLUMNS:
        raise refuse(
            "too_many_columns",
            f"{head} has {size:,} values; {MOST_COLUMNS:,} columns are the most.",
            "Keep fewer rows in a step before.",
            at.place,
        )
    if not heads.valid.all():
        raise refuse(
            "empty_heading",
            f"{counted(lost := int((~heads.valid).sum()), 'row')} {verb(lost, 'has', 'have')} no {head}.",
            "Keep rows where it is not empty in a step before.",
            at.place,
        )
    names = [str(w) for w in heads.words]
    blank = [n for n in names if n != n.strip() or not n]
    if blank:
        raise refuse(
            "empty_heading", f"{blank[0]!r} is not a heading: it is empty, or has spaces at an end.", "Trim it in a step before.", at.place
        )
    need_new(Frame(0, {c: frame.columns[c] for c in rest}), names, at.place)
    groups, firsts = groups_of(frame, rest) if rest else (np.zeros(frame.size, np.int64), np.zeros(min(frame.size, 1), np.int64))
    order = np.argsort(firsts, kind="stable")
    place = np.empty(len(firsts), np.int64)
    place[order] = np.arange(len(firsts))
    groups, firsts = place[groups], firsts[order]
    columns = {c: frame.columns[c].take(firsts) for c in rest}
    for code, name in enumerate(names):
        rows = np.flatnonzero(codes == code)
        columns[name] = _gathered(frame.columns[value], groups, rows, len(firsts), step, at.place)
    return Result(Frame(len(firsts), columns), firsts)


def _at_end(v: Vector, groups: Array, rows: Array, size: int, last: bool) -> Vector:
    """The value of the first row of each group, or of the last."""
    source = np.full(size, -1, np.int64)
    source[groups if last else groups[::-1]] = rows if last else rows[::-1]
    vector = v.take(np.maximum(source, 0))
    return used_words(Vector(v.dtype, vector.data, vector.valid & (source >= 0), v.words))


def _summed(v: Vector, groups: Array, live: Array, size: int) -> Array | None:
    """The sum of each group, [size]; None where one may be beyond 64 bits."""
    whole = v.dtype == "integer"
    total = np.zeros(size, np.int64 if whole else np.float64)
    np.add.at(total, groups, v.data[live])
    if whole and np.bincount(groups, np.abs(v.data[live].astype(np.float64)), size).max(initial=0) >= 2.0**63:
        return None
    return total


def _gathered(v: Vector, groups: Array, rows: Array, size: int, step: k.RowsToColumns, place: str) -> Vector:
    """The values of some rows, one for each group."""
    mine = groups[rows]
    if step.several == "count":
        return Vector("integer", np.bincount(mine[v.valid[rows]], minlength=size), np.bincount(mine, minlength=size) > 0)
    if step.several in ("refuse", "first", "last"):
        if step.several == "refuse" and len(np.unique(mine)) < len(mine):
            first = rows[np.flatnonzero(np.bincount(mine)[mine] > 1)[:2]] + 1
            said = f"Several rows fall into one cell, such as rows {first[0]:,} and {first[1]:,}."
            raise refuse("several_values", said, "Choose what becomes of several: their sum, the first …", place)
        return _at_end(v, mine, rows, size, step.several == "last")
    if step.several == "sum" and v.dtype not in ("integer", "number"):
        raise refuse(
            "wrong_type", f"{step.values_from} is {an(v.dtype)} and has no sum.", "Choose first, last, count, smallest or largest.", place
        )
    live = rows[v.valid[rows]]
    order = live[np.lexsort((v.data[live], groups[live]))]
    there = np.bincount(groups[live], minlength=size)
    ends = np.cumsum(there)
    if step.several == "sum":
        total = _summed(v, groups[live], live, size)
        if total is None:
            raise refuse("overflow", f"A sum of {step.values_from} does not fit 64 bits.", "Read it as number in a step before.", place)
        return Vector(v.dtype, total, there > 0)
    pick = ends - there if step.several == "smallest" else ends - 1
    source = order[np.clip(pick, 0, max(len(order) - 1, 0))] if len(order) else np.zeros(size, np.int64)
    vector = v.take(source) if len(v) else empties(v.dtype, size)
    return used_words(Vector(v.dtype, vector.data, vector.valid & (there > 0), v.words))


def append(frame: Frame, step: k.Append, at: Setting) -> Result:
    """Rows of other tables beneath, columns by name."""
    others = [at.other(t) for t in step.tables]
    if step.labels and len(step.labels) != len(step.tables):
        raise refuse("bad_step", "The numbers of labels and tables differ.", "Name one for each.", at.place)
    frames = [frame, *others]
    names: dict[str, str] = {}
    for f in frames:
        for c in f.columns:
            names.setdefault(c.lower(), c)
    columns: dict[str, Vector] = {}
    for low, name in names.items():
        same_named = [next((v for c, v in f.columns.items() if c.lower() == low), None) for f in frames]
        given = [v.dtype for v in same_named if v is not None and v.valid.any()]
        kinds = given or [v.dtype for v in same_named if v is not None]
        dtype = common_dtype(kinds)
        if dtype is None:
            raise refuse(
                "wrong_type",
                f"{name} is {' here and '.join(dict.fromkeys(kinds))} there.",
                "Bring both to one type in a step before.",
                at.place,
            )
        parts = [v if v is not None and v.dtype in kinds else empties(dtype, f.size) for v, f in zip(same_named, frames, strict=True)]
        columns[name] = stacked([widen(p, dtype) for p in parts], dtype)
    if step.into:
        need_new(Frame(0, columns), [step.into], at.place)
        words = [step.label or at.table, *(step.labels or step.tables)]
        columns[step.into] = used_words(stacked([constant("text", w, f.size) for w, f in zip(words, frames, strict=True)], "text"))
    rows = np.concatenate([np.arange(frame.size), np.full(sum(f.size for f in others), -1, np.int64)])
    return Result(Frame(len(rows), columns), rows)


def look_up(frame: Frame, step: k.LookUp, at: Setting) -> Result:
    """Columns of the one row of another table that has an equal key."""
    other = at.other(step.table)
    mine = need(frame, [m.mine for m in step.on], at.place)
    theirs = need(other, [m.theirs for m in step.on], at.place)
    wanted = need(other, list(step.columns), at.place)
    need_new(frame, list(step.columns.values()), at.place)
    hit = partner_rows(frame, mine, other, theirs, step.table, at.place)
    if step.unmatched == "refuse" and (hit < 0).any():
        rows = np.flatnonzero(hit < 0)
        raise refuse(
            "unmatched",
            f"{counted(len(rows), 'row')} {verb(len(rows), 'finds', 'find')} nothing in {step.table}, such as row {rows[0] + 1:,}.",
            "Mend their keys in a step before.",
            at.place,
        )
    added = {}
    for name, new in zip(wanted, step.columns.values(), strict=True):
        v = other.columns[name]
        if other.size == 0:
            added[new] = empties(v.dtype, frame.size)
            continue
        vector = v.take(np.maximum(hit, 0))
        added[new] = used_words(Vector(v.dtype, vector.data, vector.valid & (hit >= 0), v.words))
    return Result(frame.with_columns(added))


def add_missing(frame: Frame, step: k.AddMissing, at: Setting) -> Result:
    """A row beneath for every key of other tables that has none; of several tables, each key once, in their order."""
    mine = need(frame, step.key, at.place)
    need_new(frame, [step.into], at.place)
    columns = dict(frame.columns)
    size = frame.size
    for orphans in step.named_by:
        if len(orphans.columns) != len(mine):
            hint = f"Name as many as the key has: {len(mine)}."
            raise refuse("bad_step", f"{orphans.table} names {counted(len(orphans.columns), 'column')} for the key.", hint, at.place)
        other = at.other(orphans.table)
        theirs = need(other, orphans.columns, at.place)
        whole = Frame(size, columns)
        groups, full = shared_keys(whole, mine, other, theirs, at.place)
        present = np.zeros(int(groups.max(initial=-1)) + 1, bool)
        present[groups[:size][full[:size]]] = True
        rows = np.flatnonzero(full[size:] & ~present[groups[size:]]) if len(groups) else np.zeros(0, np.int64)
        _, firsts = np.unique(groups[size:][rows], return_index=True)
        added = rows[np.sort(firsts)]
        new = {a: other.columns[b].take(added) for a, b in zip(mine, theirs, strict=True)}
        columns = {
            c: stacked([widen(x, kind) for x in (v, new.get(c) or empties(v.dtype, len(added)))], kind)
            for c, v in columns.items()
            for kind in [common_dtype([v.dtype, new[c].dtype]) or v.dtype if c in new else v.dtype]
        }
        size += len(added)
    mark = np.arange(size) >= frame.size
    rows = np.where(mark, -1, np.arange(size))
    return Result(Frame(size, {**columns, step.into: Vector("boolean", mark, np.ones(size, bool))}), rows)


def partner_rows(frame: Frame, mine: list[str], other: Frame, theirs: list[str], table: str, place: str) -> Array:
    """For each row the other table's row with an equal key, -1 for none; refuses keys that stand there twice."""
    groups, full = shared_keys(frame, mine, other, theirs, place)
    ours, right = groups[: frame.size], groups[frame.size :]
    live = np.flatnonzero(full[frame.size :])
    counts = np.bincount(right[live], minlength=int(groups.max(initial=0)) + 1)
    repeated = live[counts[right[live]] > 1]
    if len(repeated):
        shown = ", ".join(str(other.columns[c].at(int(repeated[0]))) for c in theirs)
        raise refuse(
            "repeated_key",
            f"{', '.join(theirs)} is not unique in {table}: {shown} stands more than once.",
            "Remove the repeats there, or match more columns.",
            place,
        )
    row_of = np.full(len(counts), -1, np.int64)
    row_of[right[live]] = live
    return np.where(full[: frame.size], row_of[ours], -1) if frame.size else np.zeros(0, np.int64)


def shared_keys(frame: Frame, mine: list[str], other: Frame, theirs: list[str], place: str) -> tuple[Array, Array]:
    """Keys of both frames in one numbering, the first frame's rows before the second's; and where a key is full."""
    coded, full = [], np.ones(frame.size + other.size, bool)
    for a, b in zip(mine, theirs, strict=True):
        left, right = frame.columns[a], other.columns[b]
        dtype = common_dtype([left.dtype, right.dtype])
        if dtype is None:
            raise refuse(
                "wrong_type",
                f"{a} is {an(left.dtype)} and {b} {an(right.dtype)}: they are never equal.",
                "Bring them to one type in a step before.",
                place,
            )
        both = stacked([left, right], dtype)
        full &= both.valid
        coded.append(both.codes())
    if not len(full):
        return np.zeros(0, np.int64), full
    return combine(coded)[0], full
