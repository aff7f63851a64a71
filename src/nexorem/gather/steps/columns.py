"""Steps that change columns and leave the rows as they are."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import reduce

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from nexorem.core.diagnostics import Diagnostic, Refused, near_hint, refuse
from nexorem.core.functions.convert import DAY, cast
from nexorem.core.functions.dates import DAY_PARTS, date_of, datetime_of
from nexorem.core.limits import over
from nexorem.core.values import STORAGE, Vector, combine, constant, empties, vector
from nexorem.core.words import an, counted, verb
from nexorem.gather.frame import Frame, as_text, stacked, text_array, text_map, used_words
from nexorem.gather.steps import kinds as k
from nexorem.gather.steps.formula import computed
from nexorem.gather.steps.result import Result, Setting
from nexorem.gather.texts import Reads
from nexorem.gather.typed import typed
from nexorem.package.words import arrow_words, recoded


def need(frame: Frame, names: Sequence[str], place: str) -> list[str]:
    """These columns as the frame names them; refuses those it has not."""
    columns = {c.lower(): c for c in frame.columns}
    lost = [n for n in names if n.lower() not in columns]
    if lost:
        raise Refused(
            [
                Diagnostic(
                    "unknown_column",
                    f"The column {n} does not exist here.",
                    place=place,
                    hint=near_hint(n, frame.columns) or f"There are {', '.join(list(frame.columns)[:12])}.",
                )
                for n in lost
            ]
        )
    return [columns[n.lower()] for n in names]


def need_new(frame: Frame, names: Sequence[str], place: str, gone: Sequence[str] = ()) -> None:
    """Refuses names that other columns have, or that stand twice."""
    taken = {c.lower() for c in frame.columns if c not in gone}
    for name in names:
        if name.lower() in taken:
            raise refuse("repeated_name", f"There is already a column {name}.", "Names differ by more than case.", place)
        taken.add(name.lower())


def need_text(frame: Frame, names: Sequence[str], place: str) -> list[str]:
    """These columns, which are to be texts."""
    names_of = need(frame, names, place)
    for name in names_of:
        if frame.columns[name].dtype != "text":
            raise refuse("wrong_type", f"{name} is {an(frame.columns[name].dtype)}, no text.", "Read it as text in a step before.", place)
    return names_of


def choose_columns(frame: Frame, step: k.ChooseColumns, at: Setting) -> Result:
    """Keeps columns, in the order given."""
    names = need(frame, step.columns, at.place)
    if len(set(names)) < len(names):
        raise refuse("repeated_name", "A column is chosen twice.", "Name each once.", at.place)
    return Result(Frame(frame.size, {n: frame.columns[n] for n in names}))


def rename(frame: Frame, step: k.Rename, at: Setting) -> Result:
    """New names."""
    old = need(frame, list(step.names), at.place)
    new = dict(zip(old, step.names.values(), strict=True))
    need_new(frame, list(new.values()), at.place, old)
    return Result(Frame(frame.size, {new.get(c, c): v for c, v in frame.columns.items()}))


def retype(frame: Frame, step: k.Retype, at: Setting) -> Result:
    """Another type; a text is read by its pattern."""
    (name,) = need(frame, [step.column], at.place)
    v = frame.columns[name]
    if v.dtype == step.to:
        return Result(frame)
    if v.dtype == "text":
        vector, missed = typed(v, Reads(step.to, step.pattern, step.decimal, step.group, step.language), "empty")
        if missed.count and step.misfits == "refuse":
            misfits = "; ".join(f"row {r}: {t[:40]!r}" for r, t in missed.rows[:10])
            message = f"{name}: {counted(missed.count, 'value')} {verb(missed.count, 'is', 'are')} not of the type {step.to}: {misfits}."
            raise refuse("bad_value", message, "Replace them in a step before, or let them become empty.", at.place)
        return Result(frame.with_columns({name: vector}))
    if step.to != "text" and (v.dtype, step.to) not in (
        ("integer", "number"),
        ("number", "integer"),
        ("date", "datetime"),
        ("datetime", "date"),
    ):
        raise refuse("wrong_type", f"{an(v.dtype).capitalize()} is not {an(step.to)}.", "Read it as text first.", at.place)
    vector = as_text(v) if step.to == "text" else cast(v, step.to)
    lost = np.flatnonzero(v.valid & ~vector.valid)
    if len(lost) and step.misfits == "refuse":
        message = (
            f"{name}: {len(lost):,} of its values have no place in {an(step.to)}, such as {v.at(int(lost[0]))} in row {lost[0] + 1:,}."
        )
        raise refuse("bad_value", message, "Let them become empty, or keep the type.", at.place)
    return Result(frame.with_columns({name: vector}))


def _bounded(lengths: pa.Array, at: Setting) -> None:
    """Refuses texts of so many bytes before they are made: one that is too long, and all of them where they would not fit."""
    longest = int(pc.max(lengths).as_py() or 0)
    most = at.budget.limits.text_bytes
    if longest > most:
        raise over(
            "text_bytes", f"A text of {at.place} would have {longest:,} bytes; {most:,} are allowed.", "Let the step make shorter texts."
        )
    at.budget.take(int(pc.sum(pc.cast(lengths, pa.int64())).as_py() or 0), BYTES_A_BYTE, f"Texts of {at.place}")


def trim(frame: Frame, step: k.Trim, at: Setting) -> Result:
    """Without spaces at the ends."""

    def change(words: pa.Array) -> pa.Array:
        changed = pc.utf8_trim_whitespace(words)
        if step.inner:
            changed = pc.replace_substring_regex(changed, r"\s+", " ")
        return pc.if_else(pc.equal(changed, ""), pa.scalar(None, changed.type), changed)

    return Result(frame.with_columns({n: text_map(frame.columns[n], change) for n in need_text(frame, step.columns, at.place)}))


def change_case(frame: Frame, step: k.ChangeCase, at: Setting) -> Result:
    """Letters in another case."""
    function = {"upper": str.upper, "lower": str.lower, "title": title_case}[step.to]

    def change(words: pa.Array) -> pa.Array:
        return pa.array([function(w) for w in words.to_pylist()], words.type)

    return Result(frame.with_columns({n: text_map(frame.columns[n], change) for n in need_text(frame, step.columns, at.place)}))


BYTES_A_BYTE = 4  # of a text that is made: as Arrow holds it, and as a word of the column
WORD = re.compile(r"[^\W\d_]+(?:['’][^\W\d_]+)*")


def title_case(text: str) -> str:
    """A capital for the first letter of each word, small letters for the rest; an apostrophe begins no word."""
    return WORD.sub(lambda m: m[0][0].upper() + m[0][1:].lower(), text)


def replace(frame: Frame, step: k.Replace, at: Setting) -> Result:
    """Values, or combinations of values, by a list."""
    names = need(frame, step.columns, at.place)
    if any(len(p.old) != len(names) or len(p.new) != len(names) for p in step.pairs):
        raise refuse("bad_step", f"Every pair needs {len(names)} values on each side.", "One for each column.", at.place)
    if step.within:
        (name,) = need_text(frame, names[:1], at.place)
        if any(not isinstance(p.old[0], str) or not p.old[0] or not isinstance(p.new[0], str | None) for p in step.pairs):
            raise refuse("bad_step", "Parts of a text are replaced by texts.", "Leave “within” off to replace empties.", at.place)

        def change(words: pa.Array) -> pa.Array:
            for p in step.pairs:
                old, new = str(p.old[0]), str(p.new[0] or "")
                more = max(len(new.encode()) - len(old.encode()), 0)
                counts = pc.count_substring(words, old)
                lengths = pc.add(pc.binary_length(words), pc.multiply(counts, more)) if more else pc.binary_length(words)
                _bounded(lengths, at)
                words = pc.replace_substring(words, old, new)
            return pc.if_else(pc.equal(words, ""), pa.scalar(None, words.type), words)

        return Result(frame.with_columns({name: text_map(frame.columns[name], change)}))
    olds = [
        stacked([frame.columns[n], _values(frame.columns[n].dtype, [p.old[i] for p in step.pairs], n, at.place)], frame.columns[n].dtype)
        for i, n in enumerate(names)
    ]
    news = [_values(frame.columns[n].dtype, [p.new[i] for p in step.pairs], n, at.place) for i, n in enumerate(names)]
    groups, _ = combine([v.codes() for v in olds])
    pair_of = np.full(int(groups.max(initial=0)) + 1, -1, np.int64)
    listed = groups[frame.size :]
    pair_of[listed[::-1]] = np.arange(len(listed))[::-1]
    hit = pair_of[groups[: frame.size]]
    rows = np.flatnonzero(hit >= 0)
    changed = {}
    for name, new in zip(names, news, strict=True):
        both = stacked([frame.columns[name], new], new.dtype)
        places = np.arange(frame.size)
        places[rows] = frame.size + hit[rows]
        changed[name] = used_words(both.take(places))
    return Result(frame.with_columns(changed))


def _values(dtype: str, given: Sequence[k.Value], name: str, place: str) -> Vector:
    """Values as JSON holds them, as a vector of a column's type."""
    if dtype == "text":
        return vector("text", [None if x is None else str(x) for x in given])
    texts = vector("text", [None if x is None or x == "" else str(x) for x in given])
    made, missed = typed(texts, Reads(dtype), "empty")
    if missed.count:
        raise refuse("bad_value", f"{missed.rows[0][1]!r} is not {an(dtype)}, as {name} is.", "Write a value of the column's type.", place)
    return made


def fill_down(frame: Frame, step: k.FillDown, at: Setting) -> Result:
    """Empties from the row above, or below."""
    changed = {}
    for name in need(frame, step.columns, at.place):
        v = frame.columns[name]
        valid = v.valid[::-1] if step.up else v.valid
        source = np.maximum.accumulate(np.where(valid, np.arange(frame.size), -1)) if frame.size else np.zeros(0, np.int64)
        if step.up:
            source = np.where(source >= 0, frame.size - 1 - source, -1)[::-1]
        filled = v.take(np.maximum(source, 0))
        changed[name] = Vector(v.dtype, filled.data, filled.valid & (source >= 0), v.words)
    return Result(frame.with_columns(changed))


def date_part(frame: Frame, step: k.DatePart, at: Setting) -> Result:
    """Year, month, week … of a date."""
    (name,) = need(frame, [step.column], at.place)
    need_new(frame, [step.into], at.place)
    v = frame.columns[name]
    if v.dtype not in ("date", "datetime"):
        raise refuse("wrong_type", f"{name} is {an(v.dtype)}, no date.", "Read it as date in a step before.", at.place)
    days = v.data // DAY if v.dtype == "datetime" else v.data
    if step.part == "date":
        return Result(frame.with_columns({step.into: Vector("date", days, v.valid)}))
    if step.part in ("hour", "minute", "second"):
        seconds = (v.data % DAY) // 1_000_000 if v.dtype == "datetime" else np.zeros(frame.size, np.int64)
        part = {"hour": seconds // 3600, "minute": seconds // 60 % 60, "second": seconds % 60}[step.part]
    else:
        distinct, places = np.unique(np.where(v.valid, days, 0), return_inverse=True)
        part = DAY_PARTS[step.part.upper()](distinct)[places]
    return Result(frame.with_columns({step.into: Vector("integer", part.astype(STORAGE["integer"]), v.valid)}))


def date_of_parts(frame: Frame, step: k.DateOfParts, at: Setting) -> Result:
    """A date, or with an hour a datetime, of its parts."""
    if step.minute and not step.hour:
        raise refuse("bad_step", "A minute needs an hour.", "Name the column of hours, or leave the minute out.", at.place)
    names = need(frame, [x for x in (step.year, step.month, step.day, step.hour, step.minute) if x], at.place)
    need_new(frame, [step.into], at.place, () if step.keep else names)
    for name in names:
        if frame.columns[name].dtype != "integer":
            raise refuse(
                "wrong_type", f"{name} is {an(frame.columns[name].dtype)}, no integer.", "Read it as integer in a step before.", at.place
            )
    parts = [frame.columns[n] for n in names]
    clock = [*parts[3:], constant("integer", 0, frame.size)][:2]
    vector = datetime_of(*parts[:3], *clock) if step.hour else date_of(*parts)
    lost = np.flatnonzero(np.logical_and.reduce([v.valid for v in parts]) & ~vector.valid)
    if len(lost) and step.misfits == "refuse":
        shown = ", ".join(f"{n} {v.at(int(lost[0]))}" for n, v in zip(names, parts, strict=True))
        message = f"{counted(len(lost), 'row')} {verb(len(lost), 'names', 'name')} no day, such as row {lost[0] + 1:,}: {shown}."
        raise refuse("bad_value", message, "Mend them in a step before, or let these become empty.", at.place)
    kept = {c: v for c, v in frame.columns.items() if step.keep or c not in names}
    return Result(Frame(frame.size, {**kept, step.into: vector}))


def split_text(frame: Frame, step: k.SplitText, at: Setting) -> Result:
    """A text in parts."""
    (name,) = need_text(frame, [step.column], at.place)
    need_new(frame, step.into, at.place, () if step.keep else (name,))
    if (step.separator == "") == (step.after is None):
        raise refuse("bad_step", "A text is split at a separator, or after a number of characters.", "Name one of the two.", at.place)
    v, count = frame.columns[name], len(step.into)
    words = arrow_words(v.words)
    parts: list[pa.Array] = []
    if step.after is not None:
        starts = [i * step.after for i in range(count)]
        parts = [pc.utf8_slice_codeunits(words, a, None if i == count - 1 else a + step.after) for i, a in enumerate(starts)]
    else:
        pieces = pc.split_pattern(words, step.separator, max_splits=count - 1)
        lengths = pc.list_value_length(pieces).to_numpy(zero_copy_only=False)
        starts_of = np.concatenate([[0], np.cumsum(lengths)])[:-1]
        flat = pc.list_flatten(pieces)
        parts = [flat.take(pa.array(np.where(lengths > i, starts_of + i, 0), mask=lengths <= i)) for i in range(count)]
    made = {}
    for into, part in zip(step.into, parts, strict=True):
        blank = pc.fill_null(pc.equal(part, ""), True)
        made[into] = recoded(v.data, v.valid, pc.if_else(blank, pa.scalar(None, part.type), part))
    kept = {c: x for c, x in frame.columns.items() if step.keep or c != name}
    return Result(Frame(frame.size, _after(kept, name, made, frame)))


def _after(kept: dict[str, Vector], name: str, made: dict[str, Vector], frame: Frame) -> dict[str, Vector]:
    """New columns right behind the one they are made from."""
    pieces: dict[str, Vector] = {}
    for c in frame.columns:
        if c in kept:
            pieces[c] = kept[c]
        if c == name:
            pieces |= made
    return pieces


def join_text(frame: Frame, step: k.JoinText, at: Setting) -> Result:
    """Several columns as one text."""
    names = need(frame, step.columns, at.place)
    need_new(frame, [step.into], at.place, () if step.keep else names)
    texts = [as_text(frame.columns[n]) for n in names]
    groups, firsts = combine([t.codes() for t in texts]) if frame.size else (np.zeros(0, np.int64), np.zeros(0, np.int64))
    if len(firsts):
        parts = [pc.binary_length(text_array(t.take(firsts))) for t in texts]
        sizes = [pc.add(pc.fill_null(x, 0), len(step.separator.encode())) for x in parts]
        _bounded(reduce(pc.add, sizes), at)
    words: list[str | None] = []
    for row in zip(*(t.take(firsts).tolist() for t in texts), strict=True):
        filled = [str(x) for x in row if x is not None]
        words.append(step.separator.join(filled) if filled else None)
    made = recoded(groups, np.ones(frame.size, bool), words)
    kept = {c: v for c, v in frame.columns.items() if step.keep or c not in names}
    return Result(Frame(frame.size, _after(kept, names[-1], {step.into: made}, frame)))


def compute(frame: Frame, step: k.Compute, at: Setting) -> Result:
    """A formula's value; in the place of a column of that name, if there is one."""
    column = computed(frame, at.table, step.name, step.formula, at.budget)
    if column.dtype == "null":
        column = empties("text", frame.size)
    columns = {c.lower(): c for c in frame.columns}
    return Result(frame.with_columns({columns.get(step.name.lower(), step.name): column}))


def number_rows(frame: Frame, step: k.NumberRows, at: Setting) -> Result:
    """1, 2, 3 …"""
    need_new(frame, [step.into], at.place)
    return Result(frame.with_columns({step.into: Vector("integer", np.arange(1, frame.size + 1), np.ones(frame.size, bool))}))
