"""Data after the public Star Schema Benchmark (O'Neil, O'Neil and Chen, 2009), its 13 queries as SQL and as probes."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

import numpy as np
import pyarrow as pa

from nexorem.core.columns import joined, narrow
from nexorem.core.model.model import Calendar, Column, Measure, Model, Table, link_from_json
from nexorem.core.model.star import Star, TableRows, table_rows
from nexorem.core.values import Array, Vector, encode

NATIONS = {
    "AFRICA": ["ALGERIA", "ETHIOPIA", "KENYA", "MOROCCO", "MOZAMBIQUE"],
    "AMERICA": ["ARGENTINA", "BRAZIL", "CANADA", "PERU", "UNITED STATES"],
    "ASIA": ["CHINA", "INDIA", "INDONESIA", "JAPAN", "VIETNAM"],
    "EUROPE": ["FRANCE", "GERMANY", "ROMANIA", "RUSSIA", "UNITED KINGDOM"],
    "MIDDLE EAST": ["EGYPT", "IRAN", "IRAQ", "JORDAN", "SAUDI ARABIA"],
}
MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
FACTS_OF_ONE = 6_000_000
FIRST_DAY, DAYS = np.datetime64("1992-01-01"), 2557


def texts(words: list[str], places: Array) -> Vector:
    """A text column by its words and their places."""
    coded = encode(np.array(words, dtype=object), np.ones(len(words), bool))
    return Vector("text", coded.data[places], np.ones(len(places), bool), coded.words)


def whole(values: Array) -> Vector:
    """A column of whole numbers."""
    return Vector("integer", values.astype(np.int64), np.ones(len(values), bool))


def places(r: np.random.Generator, count: int) -> dict[str, Vector]:
    """City, nation and region of customers and suppliers; ten cities a nation."""
    regions = list(NATIONS)
    nations = [n for x in NATIONS.values() for n in x]
    cities = [f"{n[:9]:<9}{i}" for n in nations for i in range(10)]
    city = r.integers(0, len(cities), count)
    return {"city": texts(cities, city), "nation": texts(nations, city // 10), "region": texts(regions, city // 50)}


def parts(rows: int) -> Iterator[dict[str, dict[str, Vector]]]:
    """All tables at a scale of `rows` facts, the facts a part at a time; the dimensions are those of the first part."""
    for seed, first in enumerate(range(0, rows, FACTS_OF_ONE), 1):
        yield tables(min(FACTS_OF_ONE, rows - first), seed, rows, first)


def tables(rows: int, seed: int = 1, of: int = 0, first: int = 0) -> dict[str, dict[str, Vector]]:
    """All tables at a scale of `rows` facts; or so many facts of a scale, from one on."""
    r = np.random.default_rng(seed)
    scale = max(of, rows) / FACTS_OF_ONE
    customers, suppliers = max(int(30_000 * scale), 50), max(int(2_000 * scale), 20)
    parts = max(int(200_000 * min(scale, 1)), 200)
    day = FIRST_DAY + np.arange(DAYS)
    year = day.astype("datetime64[Y]").astype(int) + 1970
    month = day.astype("datetime64[M]").astype(int) % 12
    of_year = (day - day.astype("datetime64[Y]")).astype(int)
    days = Vector("date", day.astype("datetime64[D]").astype(np.int64), np.ones(DAYS, bool))
    year_month = [f"{m}{y}" for y in range(1992, 1999) for m in MONTHS]
    calendar = {
        "date": days,
        "year": whole(year),
        "yearmonthnum": whole(year * 100 + month + 1),
        "yearmonth": texts(year_month, (year - 1992) * 12 + month),
        "weeknuminyear": whole(of_year // 7 + 1),
    }
    brand = r.integers(0, 1000, parts)
    brands = [f"MFGR#{m}{c}{b}" for m in range(1, 6) for c in range(1, 6) for b in range(1, 41)]
    part = {
        "partkey": whole(np.arange(1, parts + 1)),
        "mfgr": texts([f"MFGR#{m}" for m in range(1, 6)], brand // 200),
        "category": texts([f"MFGR#{m}{c}" for m in range(1, 6) for c in range(1, 6)], brand // 40),
        "brand": texts(brands, brand),
        "size": whole(r.integers(1, 51, parts)),
    }
    price = 90_000 + r.integers(0, 20_001, parts)
    key = r.integers(0, parts, rows)
    quantity, discount = r.integers(1, 51, rows), r.integers(0, 11, rows)
    extended = quantity * price[key] // 10
    fact = {
        "orderkey": whole(np.arange(first, first + rows) // 4 + 1),
        "linenumber": whole(np.arange(first, first + rows) % 4 + 1),
        "custkey": whole(r.integers(1, customers + 1, rows)),
        "partkey": whole(key + 1),
        "suppkey": whole(r.integers(1, suppliers + 1, rows)),
        "orderdate": Vector("date", days.data[r.integers(0, DAYS - 151, rows)], np.ones(rows, bool)),
        "quantity": whole(quantity),
        "extendedprice": whole(extended),
        "discount": whole(discount),
        "revenue": whole(extended * (100 - discount) // 100),
        "supplycost": whole(6 * price[key] // 10),
    }
    return {
        "Lineorder": fact,
        "Calendar": calendar,
        "Part": part,
        "Customer": {"custkey": whole(np.arange(1, customers + 1)), **places(r, customers)},
        "Supplier": {"suppkey": whole(np.arange(1, suppliers + 1)), **places(r, suppliers)},
    }


LINKS = [
    {"from": "Lineorder.orderdate", "to": "Calendar.date"},
    {"from": "Lineorder.custkey", "to": "Customer.custkey"},
    {"from": "Lineorder.suppkey", "to": "Supplier.suppkey"},
    {"from": "Lineorder.partkey", "to": "Part.partkey"},
]
MEASURES = {
    "discounted": "sum(Lineorder.extendedprice * Lineorder.discount)",
    "revenue": "sum(Lineorder.revenue)",
    "profit": "sum(Lineorder.revenue - Lineorder.supplycost)",
    "share": "revenue / revenue given (clear Part)",
    "year_before": "revenue given (shift Calendar by -1 year)",
    "customers": "count(distinct Lineorder.custkey)",
}


def make_star(found: dict[str, dict[str, Vector]]) -> Star:
    """The tables as a model."""
    return star_of([found])


def star_of(some: Iterable[dict[str, dict[str, Vector]]]) -> Star:
    """The same for facts that come in parts."""
    specs, rows, facts = [], {}, {}
    for found in some:
        for name, columns in found.items():
            if name == "Lineorder":
                for column, v in columns.items():
                    facts.setdefault(column, (v.dtype, []))[1].append((narrow(v.data), None))
            if name in rows:
                continue
            mark = Calendar("date") if name == "Calendar" else None
            specs.append(Table(name, tuple(Column(c, v.dtype) for c, v in columns.items()), calendar=mark))
            rows[name] = table_rows(len(next(iter(columns.values()))), columns) if name != "Lineorder" else TableRows(0, {})
    whole_columns = {column: joined(*facts.pop(column)) for column in list(facts)}
    rows["Lineorder"] = TableRows(whole_columns["orderkey"].size, whole_columns)
    model = Model("star schema benchmark", tuple(specs))
    links = tuple(link_from_json(model, k) for k in LINKS)
    measures = tuple(Measure(n, f) for n, f in MEASURES.items())
    return Star(Model(model.name, model.tables, links, measures), rows)


def arrow(columns: dict[str, Vector]) -> pa.Table:
    """A table as Arrow, in the widths that the peers would choose: whole numbers of 32 bits where they fit, plain text."""
    found = {}
    for name, v in columns.items():
        if v.dtype == "text":
            found[name] = pa.array(v.words)[:0].cast(pa.string()) if not len(v) else pa.array(v.words, pa.string()).take(pa.array(v.data))
        elif v.dtype == "date":
            found[name] = pa.array(v.data.astype(np.int32)).cast(pa.date32())
        else:
            found[name] = pa.array(v.data.astype(np.int32 if abs(v.data).max(initial=0) < 2**31 else np.int64))
    return pa.table(found)


FROM = """FROM lineorder l JOIN calendar d ON l.orderdate = d.date JOIN customer c ON l.custkey = c.custkey
JOIN supplier s ON l.suppkey = s.suppkey JOIN part p ON l.partkey = p.partkey"""
D, DSP = (
    "FROM lineorder l JOIN calendar d ON l.orderdate = d.date",
    (
        "FROM lineorder l JOIN calendar d ON l.orderdate = d.date JOIN part p ON l.partkey = p.partkey "
        "JOIN supplier s ON l.suppkey = s.suppkey"
    ),
)
DCS = (
    "FROM lineorder l JOIN calendar d ON l.orderdate = d.date JOIN customer c ON l.custkey = c.custkey "
    "JOIN supplier s ON l.suppkey = s.suppkey"
)


def probe(measure: str, rows: list[str], *where: str) -> dict[str, Any]:
    """A query as a probe."""
    return {"rows": rows, "columns": [], "measures": [measure], "picks": [{"where": w} for w in where]}


def in_sql(condition: str) -> str:
    """A page condition as the SQL of the peers."""
    for table, alias in (("Calendar", "d"), ("Customer", "c"), ("Supplier", "s"), ("Part", "p"), ("Lineorder", "l")):
        condition = condition.replace(f"{table}.", f"{alias}.")
    return condition


SUMS = {
    "discounted": "sum(l.extendedprice::BIGINT * l.discount)",
    "revenue": "sum(l.revenue::BIGINT)",
    "profit": "sum(l.revenue::BIGINT - l.supplycost)",
}
KI = "('UNITED KI1', 'UNITED KI5')"
QUERIES: dict[str, tuple[str, list[str], list[str], str]] = {
    "Q1.1": ("discounted", [], ["Calendar.year = 1993", "Lineorder.discount BETWEEN 1 AND 3 AND Lineorder.quantity < 25"], D),
    "Q1.2": (
        "discounted",
        [],
        ["Calendar.yearmonthnum = 199401", "Lineorder.discount BETWEEN 4 AND 6 AND Lineorder.quantity BETWEEN 26 AND 35"],
        D,
    ),
    "Q1.3": (
        "discounted",
        [],
        [
            "Calendar.weeknuminyear = 6 AND Calendar.year = 1994",
            "Lineorder.discount BETWEEN 5 AND 7 AND Lineorder.quantity BETWEEN 26 AND 35",
        ],
        D,
    ),
    "Q2.1": ("revenue", ["Calendar.year", "Part.brand"], ["Part.category = 'MFGR#12'", "Supplier.region = 'AMERICA'"], DSP),
    "Q2.2": (
        "revenue",
        ["Calendar.year", "Part.brand"],
        ["Part.brand BETWEEN 'MFGR#2221' AND 'MFGR#2228'", "Supplier.region = 'ASIA'"],
        DSP,
    ),
    "Q2.3": ("revenue", ["Calendar.year", "Part.brand"], ["Part.brand = 'MFGR#2239'", "Supplier.region = 'EUROPE'"], DSP),
    "Q3.1": (
        "revenue",
        ["Customer.nation", "Supplier.nation", "Calendar.year"],
        ["Customer.region = 'ASIA'", "Supplier.region = 'ASIA'", "Calendar.year >= 1992 AND Calendar.year <= 1997"],
        DCS,
    ),
    "Q3.2": (
        "revenue",
        ["Customer.city", "Supplier.city", "Calendar.year"],
        ["Customer.nation = 'UNITED STATES'", "Supplier.nation = 'UNITED STATES'", "Calendar.year >= 1992 AND Calendar.year <= 1997"],
        DCS,
    ),
    "Q3.3": (
        "revenue",
        ["Customer.city", "Supplier.city", "Calendar.year"],
        [f"Customer.city IN {KI}", f"Supplier.city IN {KI}", "Calendar.year >= 1992 AND Calendar.year <= 1997"],
        DCS,
    ),
    "Q3.4": (
        "revenue",
        ["Customer.city", "Supplier.city", "Calendar.year"],
        [f"Customer.city IN {KI}", f"Supplier.city IN {KI}", "Calendar.yearmonth = 'Dec1997'"],
        DCS,
    ),
    "Q4.1": (
        "profit",
        ["Calendar.year", "Customer.nation"],
        ["Customer.region = 'AMERICA'", "Supplier.region = 'AMERICA'", "Part.mfgr = 'MFGR#1' OR Part.mfgr = 'MFGR#2'"],
        FROM,
    ),
    "Q4.2": (
        "profit",
        ["Calendar.year", "Supplier.nation", "Part.category"],
        [
            "Customer.region = 'AMERICA'",
            "Supplier.region = 'AMERICA'",
            "Calendar.year = 1997 OR Calendar.year = 1998",
            "Part.mfgr = 'MFGR#1' OR Part.mfgr = 'MFGR#2'",
        ],
        FROM,
    ),
    "Q4.3": (
        "profit",
        ["Calendar.year", "Supplier.city", "Part.brand"],
        [
            "Customer.region = 'AMERICA'",
            "Supplier.nation = 'UNITED STATES'",
            "Calendar.year = 1997 OR Calendar.year = 1998",
            "Part.category = 'MFGR#14'",
        ],
        FROM,
    ),
}


def as_probe(name: str) -> dict[str, Any]:
    """One of the 13 as a probe."""
    measure, rows, where, _ = QUERIES[name]
    return probe(measure, rows, *where)


def as_sql(name: str) -> str:
    """One of the 13 as SQL, joining what it needs and no more."""
    measure, rows, where, source = QUERIES[name]
    axes = ", ".join(in_sql(x) for x in rows)
    conditions = " AND ".join(f"({in_sql(w)})" for w in where)
    select = f"SELECT {axes + ', ' if axes else ''}{SUMS[measure]} AS value {source} WHERE {conditions}"
    return f"{select} GROUP BY {axes} ORDER BY {axes}" if axes else select
