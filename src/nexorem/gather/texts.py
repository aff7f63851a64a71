"""Texts to typed values, all distinct texts in one call, and the type that a column's texts suggest.

Patterns of days and times are those of Unicode's UTS #35: `y` or `yyyy`, `yy`, `M` `MM` `MMM` `MMMM`, `d` `dd`, `H` `HH`, `h` `hh` with
`a`, `m` `mm`, `s` `ss`, `S…`; anything else stands for itself, and letters in single quotes do.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from babel.dates import get_month_names

from nexorem.core.diagnostics import refuse
from nexorem.core.functions.convert import DAY
from nexorem.core.functions.dates import civil_days
from nexorem.core.numbering import spread_out
from nexorem.core.values import STORAGE, Array

INTEGER = r"^[+-]?[0-9]{1,19}$"
NUMBER = r"^[+-]?([0-9]+(\.[0-9]*)?|\.[0-9]+)([eE][+-]?[0-9]+)?$"
ZONE = r"[0-9]:[0-9]{2}.*(Z|UTC|[+-][0-9]{2}(:?[0-9]{2})?) *$"
BEYOND = r"^[+-]?[0-9]{19,}$"
LEADING_ZERO = r"^[+-]?0[0-9]"
DATES = (
    "yyyy-MM-dd",
    "dd.MM.yyyy",
    "d.M.yyyy",
    "dd/MM/yyyy",
    "d/M/yyyy",
    "MM/dd/yyyy",
    "M/d/yyyy",
    "dd-MM-yyyy",
    "yyyy/MM/dd",
    "yyyyMMdd",
    "yyyy-M-d",
    "yyyy/M/d",
    "d-M-yyyy",
    "yyyy.M.d",
    "d MMM yyyy",
    "d MMMM yyyy",
    "dd-MMM-yyyy",
    "MMM d, yyyy",
    "dd.MM.yy",
    "dd/MM/yy",
    "MM/dd/yy",
)
UNPADDED = ("yyyy-M-d", "yyyy/M/d", "d.M.yyyy", "d/M/yyyy", "M/d/yyyy")
SHORT_TIMES = ("H:mm", "H:mm:ss")
TIMES = ("HH:mm", "HH:mm:ss", "HH:mm:ss.S", "h:mm a")
BETWEEN = (" ", "'T'")
LANGUAGES = ("en", "de", "fr", "es", "it", "nl", "pl", "pt", "sv", "da", "nb", "fi")
PIECE = re.compile(r"'([^']*)'|(y+|M+|d+|H+|h+|a|m+|s+|S+)|(.)", re.DOTALL)
BOOLEANS = ({"true": True, "false": False}, {"yes": True, "no": False}, {"y": True, "n": False}, {"t": True, "f": False})
GROUPS = {
    "y": r"[0-9]{1,4}",
    "M": r"[0-9]{1,2}",
    "d": r"[0-9]{1,2}",
    "H": r"[0-9]{1,2}",
    "h": r"[0-9]{1,2}",
    "m": r"[0-9]{1,2}",
    "s": r"[0-9]{1,2}",
    "a": r"[AaPp]\.?[Mm]\.?",
    "S": r"[0-9]{1,6}",
}


@dataclass(frozen=True, slots=True)
class Reads:
    """How the texts of a column are read: a type, and what its texts look like."""

    dtype: str
    pattern: str = ""
    decimal: str = "."
    group: str = ""
    language: str = "en"


@dataclass(frozen=True, slots=True)
class Guess:
    """A type for a column's texts. `misfits` counts rows; a guess with misfits is offered and not taken."""

    reads: Reads
    misfits: int = 0
    note: str = ""


def parse_texts(texts: pa.Array, reads: Reads) -> tuple[Array, Array]:
    """Typed values of these texts, and where a text is one. An empty text is none."""
    trimmed = pc.utf8_trim_whitespace(texts)
    match reads.dtype:
        case "integer":
            return _integers(_plain(trimmed, reads))
        case "number":
            return _numbers(_plain(trimmed, reads))
        case "boolean":
            return _booleans(trimmed)
        case _:
            return _moments(trimmed, reads)


def _plain(texts: pa.Array, reads: Reads) -> pa.Array:
    if reads.group:
        # Groups are of three: anything else between digits is not a number.
        group, rest = re.escape(reads.group), rf"({re.escape(reads.decimal)}[0-9]*)?$"
        shape = rf"^[+-]?[0-9]{{1,3}}({group}[0-9]{{3}})*{rest}|^[+-]?[0-9]+{rest}"
        fits = pc.match_substring_regex(texts, shape)
        texts = pc.if_else(fits, pc.replace_substring(texts, reads.group, ""), "")
    if reads.decimal != ".":
        fits = pc.invert(pc.match_substring(texts, "."))
        texts = pc.replace_substring(pc.if_else(fits, texts, ""), reads.decimal, ".")
    return texts


def _masked(texts: pa.Array, shape: str) -> tuple[pa.Array, Array]:
    fits = pc.fill_null(pc.match_substring_regex(texts, shape), False)
    return pc.if_else(fits, texts, "0"), np.asarray(fits.to_numpy(zero_copy_only=False), dtype=bool)


def _integers(texts: pa.Array) -> tuple[Array, Array]:
    digits, fits = _masked(texts, INTEGER)
    digits = pc.replace_substring_regex(digits, r"^\+", "")
    try:
        return digits.cast(pa.int64()).to_numpy(zero_copy_only=False), fits
    except pa.ArrowInvalid:  # one of nineteen digits that 64 bits cannot hold
        values = [int(x) for x in digits.to_pylist()]
        inside = np.array([-(2**63) <= x < 2**63 for x in values], dtype=bool)
        return np.array([x if ok else 0 for x, ok in zip(values, inside, strict=True)], dtype=np.int64), fits & inside


def _numbers(texts: pa.Array) -> tuple[Array, Array]:
    digits, fits = _masked(texts, NUMBER)
    digits = pc.replace_substring_regex(digits, r"^\+", "")
    values = digits.cast(pa.float64()).to_numpy(zero_copy_only=False)
    finite = np.isfinite(values)
    return np.where(finite, values, 0.0), fits & finite


def _booleans(texts: pa.Array) -> tuple[Array, Array]:
    lower = pc.utf8_lower(texts)
    true = pc.is_in(lower, value_set=pa.array([w for p in BOOLEANS for w, v in p.items() if v], lower.type))
    false = pc.is_in(lower, value_set=pa.array([w for p in BOOLEANS for w, v in p.items() if not v], lower.type))
    yes = np.asarray(true.to_numpy(zero_copy_only=False), dtype=bool)
    return yes, yes | np.asarray(false.to_numpy(zero_copy_only=False), dtype=bool)


@cache
def month_words(language: str) -> dict[str, int]:
    """Month names of a language, long and short, in small letters without dots, and their numbers."""
    try:
        names = [get_month_names(w, c, locale=language) for w in ("wide", "abbreviated") for c in ("format", "stand-alone")]
    except Exception:  # babel has no class of its own for a language it does not know
        raise refuse("unknown_language", f"The language {language!r} does not exist.", f"Some are {', '.join(LANGUAGES)}.") from None
    return {str(word).lower().rstrip("."): number for words in names for number, word in words.items()}


@cache
def shape_of(pattern: str, language: str) -> str:
    """A regular expression with a named group for each field of a pattern; refuses one that names no day or no time."""
    parts, seen = [], []
    for quoted, symbol, other in PIECE.findall(pattern):
        if not symbol:
            parts.append(re.escape(quoted or other))
            continue
        key = symbol[0]
        if key in seen:
            raise refuse("bad_pattern", f"The pattern {pattern!r} has {key} twice.", "Each part of a day or time stands once.")
        seen.append(key)
        body = GROUPS[key]
        if key == "M" and len(symbol) >= 3:
            body = "(?:" + "|".join(sorted(map(re.escape, month_words(language)), key=len, reverse=True)) + r")\.?"
            parts.append(rf"(?P<N>(?i:{body}))")
            continue
        if (len(symbol) > 1 and key in "Mdhms") or symbol == "HH":
            body = "[0-9]{2}"
        elif key == "y" and len(symbol) > 1:
            body = f"[0-9]{{{2 if len(symbol) == 2 else 4}}}"
        parts.append(f"(?P<{key}>{body})")
    if not seen or not {"y", "M", "d"} <= set(seen):
        raise refuse("bad_pattern", f"The pattern {pattern!r} names no day.", "It needs y, M and d, as in dd.MM.yyyy.")
    return "^" + "".join(parts) + "$"


def _moments(texts: pa.Array, reads: Reads) -> tuple[Array, Array]:
    """Days or microseconds since 1970-01-01. A moment with a zone is read as its clock stood there."""
    pattern = reads.pattern or ("yyyy-MM-dd" if reads.dtype == "date" else "")
    if not pattern:
        return _iso_times(texts)
    parts = _Parts(pc.extract_regex(texts, shape_of(pattern, reads.language)))
    days, fits = _days(parts, pattern, reads.language)
    if reads.dtype != "datetime":
        return np.where(fits, days, 0), fits
    clock, real = _clock(parts)
    fits &= real
    return np.where(fits, days * DAY + clock, 0), fits


class _Parts:
    """The parts of moments that a pattern took out of texts, by the names of its groups."""

    def __init__(self, parts: pa.Array) -> None:
        self.parts = parts
        self.fits = np.asarray(pc.is_valid(parts).to_numpy(zero_copy_only=False), dtype=bool)
        self.names = {parts.type.field(i).name for i in range(parts.type.num_fields)}

    def number(self, name: str, default: int) -> Array:
        """int64, the default where the part is missing."""
        if name not in self.names:
            return np.full(len(self.fits), default, np.int64)
        return _whole_numbers(pc.fill_null(pc.struct_field(self.parts, name), str(default)), default)

    def words(self, name: str) -> list[str]:
        """In lower case, empty where the part is missing."""
        return [str(w or "").lower() for w in pc.struct_field(self.parts, name).to_pylist()]

    def micros(self) -> Array:
        """Fractions of a second, in microseconds."""
        if "S" not in self.names:
            return np.zeros(len(self.fits), np.int64)
        return _whole_numbers(pc.utf8_rpad(pc.fill_null(pc.struct_field(self.parts, "S"), "0"), 6, "0"), 0)


def _whole_numbers(digits: pa.Array, default: int) -> Array:
    filled = pc.if_else(pc.equal(digits, ""), str(default), digits)
    return np.asarray(filled.cast(pa.int64()).to_numpy(zero_copy_only=False))


def _days(parts: _Parts, pattern: str, language: str) -> tuple[Array, Array]:
    """Days since 1970-01-01, and where there is such a day. Years of two digits are those from 1970 to 2069."""
    year = parts.number("y", 1970)
    if re.search(r"(?<!y)yy(?!y)", pattern):
        year = np.where(year < 70, 2000 + year, 1900 + year)
    month = parts.number("M", 1)
    if "N" in parts.names:
        month = np.array([month_words(language).get(w.rstrip("."), 1) for w in parts.words("N")], dtype=np.int64)
    days, real = civil_days(year, month, parts.number("d", 1))
    return days, parts.fits & real


def _clock(parts: _Parts) -> tuple[Array, Array]:
    """Microseconds since midnight, and where there is such a time."""
    hour, minute, second = (parts.number(x, 0) for x in "Hms")
    real = np.ones(len(hour), bool)
    if "h" in parts.names:
        afternoon = np.array([w.startswith("p") for w in parts.words("a")], bool) if "a" in parts.names else False
        twelve = parts.number("h", 12)
        real &= (twelve >= 1) & (twelve <= 12)
        hour = twelve % 12 + np.where(afternoon, 12, 0)
    real &= (hour < 24) & (minute < 60) & (second < 60)
    return ((hour * 60 + minute) * 60 + second) * 1_000_000 + parts.micros(), real


def _iso_times(texts: pa.Array) -> tuple[Array, Array]:
    """ISO 8601 in any of its usual lengths; a trailing Z or offset is left out."""
    bare = pc.replace_substring_regex(texts, r" ?(Z|UTC|[+-][0-9]{2}(:?[0-9]{2})?)$", "") if _any(texts, ZONE) else texts
    data, fits = np.zeros(len(texts), np.int64), np.zeros(len(texts), bool)
    patterns = [f"yyyy-MM-dd{gap}{time}" for gap in ("'T'", " ") for time in ("HH:mm:ss.S", "HH:mm:ss", "HH:mm")]
    for pattern in ("yyyy-MM-dd", *patterns):
        if fits.all():
            break
        moments, ok = _moments(bare, Reads("datetime", pattern))
        data, fits = np.where(ok, moments, data), fits | ok
    return data, fits


def _any(texts: pa.Array, shape: str) -> bool:
    return bool(pc.any(pc.match_substring_regex(texts, shape)).as_py())


def guess_type(texts: pa.Array, counts: Array, missing: Sequence[str] = ("",)) -> list[Guess]:
    """What these distinct texts could be, from all of them; `counts` says how many rows each has.

    The first guess fits every row: text, if nothing narrower does. Others fit four rows in five and say how many they miss.
    """
    live = ~np.asarray(pc.is_in(texts, value_set=pa.array(list(missing), texts.type)).to_numpy(zero_copy_only=False), dtype=bool)
    live &= np.asarray(pc.is_valid(texts).to_numpy(zero_copy_only=False), dtype=bool)
    filled, rows = texts.filter(pa.array(live)), counts[live]
    total = int(rows.sum())
    if total == 0:
        return [Guess(Reads("text"), note="no values")]
    fitting: list[Guess] = []
    nearly: list[Guess] = []
    # A look at some texts spares most tries; it never decides that a type fits.
    few = [str(x).strip() for x in filled.take(pa.array(spread_out(len(filled), 60))).to_pylist()]
    for reads in _candidates():
        looks = _look(reads)
        if not any(looks.match(x) for x in few if len(x) < 80):
            continue
        if reads.dtype == "boolean" and not _both_words(filled):
            continue
        _, fits = parse_texts(filled, reads)
        missed = int(rows[~fits].sum())
        if missed == 0:
            fitting.append(Guess(reads))
            if reads.dtype in ("integer", "number", "boolean"):
                break
        elif missed * 5 <= total:
            nearly.append(Guess(reads, missed))
    coded = _any(filled, LEADING_ZERO + r"[0-9]*$")
    if fitting and fitting[0].reads.dtype == "integer" and coded:
        return [Guess(Reads("text"), note="whole numbers with leading zeros are kept as text"), *fitting]
    if fitting and fitting[0].reads == Reads("number") and _any(filled, BEYOND):
        note = "whole numbers beyond 64 bits are kept as text: as numbers they would lose their last digits"
        return [Guess(Reads("text"), note=note), *fitting]
    if fitting:
        return _settled(fitting)
    nearly.sort(key=lambda g: g.misfits)
    return [Guess(Reads("text")), *nearly[:1]]


def _both_words(texts: pa.Array) -> bool:
    """Whether these are TRUE or FALSE, or both words of another pair: a column of nothing but N is no boolean."""
    words = set(pc.utf8_lower(pc.utf8_trim_whitespace(texts[:10])).to_pylist())
    return words <= set(BOOLEANS[0]) or any(words >= set(pair) for pair in BOOLEANS[1:])


@cache
def _look(reads: Reads) -> re.Pattern[str]:
    """A quick look: what it does not match is none of this type."""
    if reads.dtype == "boolean":
        return re.compile("(?:" + "|".join(w for p in BOOLEANS for w in p) + ")$", re.IGNORECASE)
    if reads.dtype in ("integer", "number"):
        return re.compile(r"[+-]?[0-9.,]+([eE][+-]?[0-9]+)?$" if reads.dtype == "number" else r"[+-]?[0-9]+$")
    return re.compile(shape_of(reads.pattern, reads.language) if reads.pattern else r"[0-9]{4}-[0-9]{2}-[0-9]{2}")


@cache
def _candidates() -> tuple[Reads, ...]:
    guesses_of = [Reads("integer"), Reads("number"), Reads("boolean")]
    guesses_of += [Reads("number", decimal=","), Reads("number", decimal=",", group="."), Reads("number", decimal=".", group=",")]
    guesses_of += [Reads("date", p) for p in DATES]
    guesses_of.append(Reads("datetime"))
    guesses_of += [Reads("datetime", f"{d}{b}{t}") for d in (*DATES[1:9], *UNPADDED[:2]) for b in BETWEEN for t in TIMES]
    guesses_of += [Reads("datetime", f"{d} {t}") for d in UNPADDED for t in SHORT_TIMES]
    guesses_of += [Reads("date", p, language=x) for x in LANGUAGES[1:] for p in ("d MMM yyyy", "d MMMM yyyy", "d. MMMM yyyy")]
    return tuple(guesses_of)


def _settled(fitting: list[Guess]) -> list[Guess]:
    """The first that fits; where a day and a month could change places it says so."""
    first = fitting[0]
    swapped = [g for g in fitting[1:] if g.reads.dtype == first.reads.dtype and g.reads.pattern.find("M") < g.reads.pattern.find("d")]
    if first.reads.pattern.startswith("d") and swapped:
        note = f"every value would fit {swapped[0].reads.pattern} as well"
        return [Guess(first.reads, 0, note), swapped[0]]
    return [first]


def typed_storage(dtype: str, data: Array) -> Array:
    """Values in the width that vectors of this type have."""
    return data.astype(STORAGE[dtype], copy=False)
