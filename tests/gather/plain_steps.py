"""Every step once more, slow and plain: rows as lists of Python values, one at a time."""

import datetime as dt
import re

NOTHING = object()


class Refusal(Exception):
    """The step cannot be done."""


class Rows:
    """Columns with their types, and rows."""

    def __init__(self, types, rows):
        self.types, self.rows = dict(types), [list(r) for r in rows]

    def at(self, name):
        for place, known in enumerate(self.types):
            if known.lower() == name.lower():
                return place
        raise Refusal(name)

    def values(self, name):
        return [r[self.at(name)] for r in self.rows]

    def put(self, name, dtype, values):
        """A new column at the end, or in place of one of that name."""
        names = list(self.types)
        if name in names:
            place = names.index(name)
            for row, value in zip(self.rows, values, strict=True):
                row[place] = value
            self.types[name] = dtype
            return self
        self.types[name] = dtype
        for row, value in zip(self.rows, values, strict=True):
            row.append(value)
        return self

    def new(self, *names, gone=()):
        taken = {n.lower() for n in self.types if n not in gone}
        for name in names:
            if name.lower() in taken:
                raise Refusal(name)
            taken.add(name.lower())

    def behind(self, anchor, made, gone):
        """New columns of texts behind one column; some columns go."""
        types, rows = {}, [[] for _ in self.rows]
        for place, name in enumerate(self.types):
            if name not in gone:
                types[name] = self.types[name]
                for row, old in zip(rows, self.rows, strict=True):
                    row.append(old[place])
            if name == anchor:
                for new, values in made.items():
                    types[new] = "text"
                    for row, value in zip(rows, values, strict=True):
                        row.append(value)
        return Rows(types, rows)


def text(value):
    if isinstance(value, bool):
        return "TRUE" if value else "FALSE"
    if isinstance(value, float):
        return str(int(value)) if value == int(value) and abs(value) < 1e15 else repr(value)
    return value.isoformat(sep=" ") if isinstance(value, dt.datetime) else str(value)


def parsed(value, dtype, pattern):
    """A text as a value, None where it is none."""
    value = value.strip()
    try:
        if dtype == "integer":
            return int(value) if re.fullmatch(r"[+-]?[0-9]{1,19}", value) and -(2**63) <= int(value) < 2**63 else None
        if dtype == "number":
            return (
                float(value)
                if re.fullmatch(r"[+-]?([0-9]+(\.[0-9]*)?|\.[0-9]+)([eE][+-]?[0-9]+)?", value) and abs(float(value)) < float("inf")
                else None
            )
        if dtype == "boolean":
            return {"true": True, "yes": True, "y": True, "t": True, "false": False, "no": False, "n": False, "f": False}.get(value.lower())
        if dtype == "date":
            form = {"": r"(?P<y>\d{4})-(?P<m>\d\d)-(?P<d>\d\d)", "d.M.yyyy": r"(?P<d>\d{1,2})\.(?P<m>\d{1,2})\.(?P<y>\d{4})"}[pattern]
            found = re.fullmatch(form, value, re.ASCII)
            return dt.date(int(found["y"]), int(found["m"]), int(found["d"])) if found else None
    except ValueError:
        return None
    raise AssertionError(dtype)


def order(value):
    """Empties last, the rest by itself."""
    return (value is None, 0 if value is None else value)


def choose_columns(t, s, other):
    places = [t.at(c) for c in s["columns"]]
    if len(set(places)) < len(places):
        raise Refusal
    names = list(t.types)
    return Rows({names[i]: t.types[names[i]] for i in places}, [[r[i] for i in places] for r in t.rows])


def rename(t, s, other):
    places = {t.at(a): b for a, b in s["names"].items()}
    names = list(t.types)
    t.new(*places.values(), gone=[names[i] for i in places])
    return Rows({places.get(i, n): t.types[n] for i, n in enumerate(names)}, t.rows)


def retype(t, s, other):
    name = list(t.types)[t.at(s["column"])]
    old, to = t.types[name], s["to"]
    if old == to:
        return t
    values = t.values(name)
    if old == "text":
        made = [None if v is None else parsed(v, to, s.get("pattern", "")) for v in values]
        if s.get("misfits", "refuse") == "refuse" and any(m is None and v is not None for m, v in zip(made, values, strict=True)):
            raise Refusal
    elif to == "text":
        made = [None if v is None else text(v) for v in values]
    elif (old, to) == ("integer", "number"):
        made = [None if v is None else float(v) for v in values]
    elif (old, to) == ("number", "integer"):
        made = [None if v is None or abs(v) >= 2**63 else int(abs(v) + 0.5) * (1 if v >= 0 else -1) for v in values]
        if s.get("misfits", "refuse") == "refuse" and any(m is None and v is not None for m, v in zip(made, values, strict=True)):
            raise Refusal
    else:
        raise Refusal
    return t.put(name, to, made)


def texts_of(t, names):
    for name in names:
        if t.types[list(t.types)[t.at(name)]] != "text":
            raise Refusal
    return [list(t.types)[t.at(n)] for n in names]


def trim(t, s, other):
    for name in texts_of(t, s["columns"]):
        values = [None if v is None else re.sub(r"\s+", " ", v.strip()) if s.get("inner") else v.strip() for v in t.values(name)]
        t.put(name, "text", [v or None for v in values])
    return t


def change_case(t, s, other):
    for name in texts_of(t, s["columns"]):
        t.put(name, "text", [None if v is None else getattr(v, s["to"])() for v in t.values(name)])
    return t


def replace(t, s, other):
    names = [list(t.types)[t.at(c)] for c in s["columns"]]
    if s.get("within"):
        (name,) = texts_of(t, names[:1])
        for p in s["pairs"]:
            t.put(name, "text", [None if v is None else v.replace(p["from"][0], p["to"][0] or "") or None for v in t.values(name)])
        return t
    listed = {}
    for p in s["pairs"]:
        listed.setdefault(tuple(p["from"]), p["to"])
    places = [t.at(n) for n in names]
    for row in t.rows:
        found = listed.get(tuple(row[i] for i in places))
        if found is not None:
            for i, value in zip(places, found, strict=True):
                row[i] = value
    return t


def fill_down(t, s, other):
    for name in [list(t.types)[t.at(c)] for c in s["columns"]]:
        values, last = t.values(name), None
        rows = range(len(values))
        for i in reversed(rows) if s.get("up") else rows:
            last = values[i] if values[i] is not None else last
            values[i] = last
        t.put(name, t.types[name], values)
    return t


def date_part(t, s, other):
    name = list(t.types)[t.at(s["column"])]
    t.new(s["into"])
    if t.types[name] != "date":
        raise Refusal
    part = {
        "year": lambda d: d.year,
        "quarter": lambda d: (d.month + 2) // 3,
        "month": lambda d: d.month,
        "week": lambda d: d.isocalendar()[1],
        "isoyear": lambda d: d.isocalendar()[0],
        "day": lambda d: d.day,
        "isodow": lambda d: d.isoweekday(),
        "doy": lambda d: d.timetuple().tm_yday,
    }[s["part"]]
    return t.put(s["into"], "integer", [None if v is None else part(v) for v in t.values(name)])


def date_of_parts(t, s, other):
    named = [s[p] for p in ("year", "month", "day", "hour", "minute") if s.get(p)]
    places = [t.at(n) for n in named]
    names = [list(t.types)[p] for p in places]
    t.new(s["into"], gone=() if s["keep"] else names)
    if any(t.types[n] != "integer" for n in names):
        raise Refusal
    made = []
    for row in t.rows:
        parts = [row[p] for p in places]
        try:
            made.append(None if None in parts else dt.datetime(*parts) if s.get("hour") else dt.date(*parts))
        except (ValueError, OverflowError):
            if s["misfits"] == "refuse":
                raise Refusal from None
            made.append(None)
    kept = [i for i, n in enumerate(t.types) if s["keep"] or n not in names]
    found = Rows({list(t.types)[i]: list(t.types.values())[i] for i in kept}, [[row[i] for i in kept] for row in t.rows])
    return found.put(s["into"], "datetime" if s.get("hour") else "date", made)


def add_missing(t, s, other):
    mine = [t.at(c) for c in s["key"]]
    t.new(s["into"])
    rows, types = [list(r) for r in t.rows], list(t.types.values())
    known = {tuple(r[i] for i in mine) for r in rows}
    for item in s["named_by"]:
        x = other(item["table"])
        theirs = [x.at(c) for c in item["columns"]]
        for a, b in zip(mine, theirs, strict=True):
            types[a] = common([types[a], list(x.types.values())[b]])
            if types[a] is None:
                raise Refusal
        for row in x.rows:
            key = tuple(row[i] for i in theirs)
            if None not in key and key not in known:
                known.add(key)
                rows.append([key[mine.index(i)] if i in mine else None for i in range(len(t.types))])
    rows = [[widened(v, d) for v, d in zip(r, types, strict=True)] for r in rows]
    found = Rows(dict(zip(t.types, types, strict=True)), rows)
    return found.put(s["into"], "boolean", [i >= len(t.rows) for i in range(len(rows))])


def split_text(t, s, other):
    (name,) = texts_of(t, [s["column"]])
    t.new(*s["into"], gone=() if s.get("keep", True) else (name,))
    count = len(s["into"])
    made = []
    for v in t.values(name):
        if v is None:
            parts = []
        elif s.get("after"):
            n = s["after"]
            parts = [v[i * n : (i + 1) * n if i < count - 1 else None] for i in range(count)]
        else:
            parts = v.split(s["separator"], count - 1)
        made.append([p or None for p in parts] + [None] * (count - len(parts)))
    return t.behind(name, {into: [m[i] for m in made] for i, into in enumerate(s["into"])}, () if s.get("keep", True) else (name,))


def join_text(t, s, other):
    names = [list(t.types)[t.at(c)] for c in s["columns"]]
    t.new(s["into"], gone=() if s.get("keep", True) else names)
    places = [t.at(n) for n in names]
    made = [
        s["separator"].join(text(r[i]) for i in places if r[i] is not None) if any(r[i] is not None for i in places) else None
        for r in t.rows
    ]
    return t.behind(names[-1], {s["into"]: made}, () if s.get("keep", True) else names)


def compute(t, s, other):
    dtype, needs, function = FORMULAS[s["formula"]]
    for name, kinds in needs.items():
        if t.types[list(t.types)[t.at(name)]] not in kinds:
            raise Refusal
    places = [t.at(n) for n in needs]
    values = [function(*(r[i] for i in places)) for r in t.rows]
    known = {c.lower(): c for c in t.types}
    return t.put(known.get(s["name"].lower(), s["name"]), dtype or t.types[list(t.types)[places[0]]], values)


def empty_if(function):
    return lambda *a: None if any(x is None for x in a) else function(*a)


NUMBERS = ("integer", "number")
FORMULAS = {
    "a + 1": (None, {"a": NUMBERS}, empty_if(lambda a: a + 1)),
    "x || '!'": ("text", {"x": ("text",)}, empty_if(lambda x: x + "!")),
    "CASE WHEN a IS NULL THEN 'none' ELSE x END": (
        "text",
        {"a": ("integer", "number", "text", "date", "boolean"), "x": ("text",)},
        lambda a, x: "none" if a is None else x,
    ),
    "a > 1": ("boolean", {"a": NUMBERS}, empty_if(lambda a: a > 1)),
    "a > 1 OR x = 'p'": (
        "boolean",
        {"a": NUMBERS, "x": ("text",)},
        lambda a, x: True if (a is not None and a > 1) or x == "p" else None if a is None or x is None else False,
    ),
    "x IS NOT NULL": ("boolean", {"x": ("integer", "number", "text", "date", "boolean")}, lambda x: x is not None),
}
CONDITIONS = ("a > 1", "a > 1 OR x = 'p'", "x IS NOT NULL")


def keep_rows(t, s, other):
    _, needs, function = FORMULAS[s["condition"]]
    for name, kinds in needs.items():
        if t.types[list(t.types)[t.at(name)]] not in kinds:
            raise Refusal
    places = [t.at(n) for n in needs]
    return Rows(t.types, [r for r in t.rows if function(*(r[i] for i in places)) is True])


def number_rows(t, s, other):
    t.new(s["into"])
    return t.put(s["into"], "integer", list(range(1, len(t.rows) + 1)))


def remove_repeats(t, s, other):
    places = [t.at(c) for c in s.get("columns", [])] or range(len(t.types))
    found = {}
    for i, row in enumerate(t.rows):
        key = tuple(row[p] for p in places)
        if s.get("keep", "first") == "last" or key not in found:
            found[key] = i
    return Rows(t.types, [t.rows[i] for i in sorted(found.values())])


def common(kinds):
    kinds = set(kinds)
    if len(kinds) == 1:
        return kinds.pop()
    return "number" if kinds == {"integer", "number"} else None


def widened(value, dtype):
    return float(value) if dtype == "number" and value is not None else value


def columns_to_rows(t, s, other):
    names = [list(t.types)[t.at(c)] for c in s["columns"]]
    separator, parts = s.get("separator", ""), s.get("parts", ["name"])
    heads = [n.split(separator, len(parts) - 1) if separator else [n] for n in names]
    if any(len(h) != len(parts) for h in heads):
        raise Refusal
    star = parts.index("*") if "*" in parts else None
    labels = [p for p in parts if p != "*"]
    value_names = list(dict.fromkeys(h[star] for h in heads)) if star is not None else [s.get("value", "value")]
    if "" in value_names:
        raise Refusal
    rest = [c for c in t.types if c not in names]
    Rows(dict.fromkeys(rest, "text"), []).new(*labels, *value_names)
    keys = [tuple(x for i, x in enumerate(h) if i != star) for h in heads]
    cell = {(k, h[star] if star is not None else value_names[0]): n for k, h, n in zip(keys, heads, names, strict=True)}
    kinds = {v: common([t.types[cell[k, v]] for k in dict.fromkeys(keys) if (k, v) in cell]) for v in value_names}
    made = []
    for row in t.rows:
        for k in dict.fromkeys(keys):
            values = []
            for v in value_names:
                raw = row[t.at(cell[k, v])] if (k, v) in cell else None
                values.append(widened(raw, kinds[v]) if kinds[v] else None if raw is None else text(raw))
            if not s.get("skip_empty", True) or any(v is not None for v in values):
                made.append([row[t.at(c)] for c in rest] + list(k) + values)
    types = {c: t.types[c] for c in rest} | dict.fromkeys(labels, "text") | {v: kinds[v] or "text" for v in value_names}
    return Rows(types, made)


def rows_to_columns(t, s, other):
    head, value = (list(t.types)[t.at(s[k])] for k in ("names_from", "values_from"))
    if head == value or any(v is None for v in t.values(head)):
        raise Refusal
    rest = [c for c in t.types if c not in (head, value)]
    names = sorted({text(v) for v in t.values(head)})
    if any(not n.strip() or n != n.strip() for n in names):
        raise Refusal
    Rows(dict.fromkeys(rest, "text"), []).new(*names)
    several, dtype = s.get("several", "refuse"), t.types[value]
    if several == "sum" and dtype not in NUMBERS and names:
        raise Refusal
    groups = {}
    for row in t.rows:
        key = tuple(row[t.at(c)] for c in rest)
        groups.setdefault(key, {}).setdefault(text(row[t.at(head)]), []).append(row[t.at(value)])
    made = []
    for key, cells in groups.items():
        line = list(key)
        for name in names:
            found = cells.get(name)
            if found is None:
                line.append(None)
                continue
            if several == "refuse" and len(found) > 1:
                raise Refusal
            filled = [v for v in found if v is not None]
            if several == "count":
                line.append(len(filled))
            elif several in ("refuse", "first"):
                line.append(found[0])
            elif several == "last":
                line.append(found[-1])
            else:
                line.append(None if not filled else {"sum": sum, "smallest": min, "largest": max}[several](filled))
        made.append(line)
    return Rows({c: t.types[c] for c in rest} | dict.fromkeys(names, "integer" if several == "count" else dtype), made)


def append(t, s, other):
    tables = [t, *(other(n) for n in s["tables"])]
    names = {}
    for x in tables:
        for c in x.types:
            names.setdefault(c.lower(), c)
    types = {}
    for low, name in names.items():
        held = [(x.types[c], any(v is not None for v in x.values(c))) for x in tables for c in x.types if c.lower() == low]
        kinds = [d for d, filled in held if filled] or [d for d, _ in held]
        types[name] = common(kinds)
        if types[name] is None:
            raise Refusal
    rows = []
    for x in tables:
        own = {c.lower(): i for i, c in enumerate(x.types)}
        rows += [[widened(r[own[low]], types[n]) if low in own else None for low, n in names.items()] for r in x.rows]
    found = Rows(types, rows)
    if s.get("into"):
        found.new(s["into"])
        words = [s.get("label") or "T", *s["tables"]]
        found.put(s["into"], "text", [w for w, x in zip(words, tables, strict=True) for _ in x.rows])
    return found


def look_up(t, s, other):
    x = other(s["table"])
    mine, theirs = [t.at(m["mine"]) for m in s["on"]], [x.at(m["theirs"]) for m in s["on"]]
    for a, b in zip(mine, theirs, strict=True):
        if common([list(t.types.values())[a], list(x.types.values())[b]]) is None:
            raise Refusal
    t.new(*s["columns"].values())
    index = {}
    for row in x.rows:
        key = tuple(row[i] for i in theirs)
        if all(k is not None for k in key):
            index.setdefault(key, []).append(row)
    if any(len(rows) > 1 for rows in index.values()):
        raise Refusal
    hits = [index.get(tuple(r[i] for i in mine), [None])[0] for r in t.rows]
    if s.get("unmatched") == "refuse" and None in hits:
        raise Refusal
    for name, new in s["columns"].items():
        place = x.at(name)
        t.put(new, list(x.types.values())[place], [None if h is None else h[place] for h in hits])
    return t


def run(t, step, other):
    """One step."""
    return globals()[step["kind"]](Rows(t.types, t.rows), step, other)
