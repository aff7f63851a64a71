"""The public decision-support benchmark's eight tables, made at a small scale, as a model: links, roles of the nation and its region."""

import shutil
import subprocess
import sys
import tempfile
from functools import cache
from pathlib import Path

import duckdb

from nexorem.gather.recipe import gather, read_recipe

SCALE = "0.01"
TABLES = ("Customer", "Lineitem", "Nation", "Orders", "Part", "Partsupp", "Region", "Supplier")
LINKS = [
    ("order", "Lineitem.l_orderkey", "Orders.o_orderkey"),
    ("customer", "Orders.o_custkey", "Customer.c_custkey"),
    ("part", "Partsupp.ps_partkey", "Part.p_partkey"),
    ("offer", "Lineitem.l_partkey, l_suppkey", "Partsupp.ps_partkey, ps_suppkey"),
    ("supplier", "Partsupp.ps_suppkey", "Supplier.s_suppkey"),
    ("nation", "Customer.c_nationkey", "Nation.n_nationkey"),
    ("region", "Nation.n_regionkey", "Region.r_regionkey"),
    ("supplier's nation", "Supplier.s_nationkey", "Home.n_nationkey"),
    ("supplier's region", "Home.n_regionkey", "Home region.r_regionkey"),
]
COMPUTED = {
    "Lineitem": {"ship_year": "EXTRACT(YEAR FROM l_shipdate)"},
    "Orders": {
        "order_year": "EXTRACT(YEAR FROM o_orderdate)",
        "suppliers": "count(distinct Lineitem.l_suppkey)",
        "late_suppliers": "count(distinct Lineitem.l_suppkey where Lineitem.l_receiptdate > Lineitem.l_commitdate)",
    },
    "Customer": {
        "orders": "COALESCE(rows(Orders where NOT Orders.o_comment LIKE '%special%requests%'), 0)",
        "country": "SUBSTRING(c_phone FROM 1 FOR 2)",
    },
}
MEASURES = {
    "revenue": "sum(Lineitem.l_extendedprice * (1 - Lineitem.l_discount))",
    "quantity": "sum(Lineitem.l_quantity)",
    "orders": "rows(Orders)",
    "stock_value": "sum(Partsupp.ps_supplycost * Partsupp.ps_availqty)",
}


def link(name, left, right):
    many, one = left.split(".")[0], right.split(".")[0]
    ends = [[f"{t}.{c.strip()}" for c in text.split(".", 1)[1].split(",")] for t, text in ((many, left), (one, right))]
    return {"name": name, "from": ends[0], "to": ends[1]}


@cache
def made():
    """The star, and a database with the same files; made once a run, and removed with it."""
    folder = tempfile.TemporaryDirectory()
    command = shutil.which("tpchgen-cli", path=f"{Path(sys.executable).parent}") or "tpchgen-cli"
    subprocess.run([command, "parquet", "-s", SCALE, f"--output-dir={folder.name}"], check=True, capture_output=True)
    files = {t: Path(folder.name) / f"{t.lower()}.parquet" for t in TABLES}
    tables = [
        {"name": t, "source": {"kind": "parquet", "file": f.name}, "columns": {c: {"formula": x} for c, x in COMPUTED.get(t, {}).items()}}
        for t, f in files.items()
    ]
    tables += [
        {"name": "Home", "source": {"kind": "role", "table": "Nation"}},
        {"name": "Home region", "source": {"kind": "role", "table": "Region"}},
    ]
    recipe = {"tables": tables, "links": [link(*k) for k in LINKS], "measures": [{"name": n, "formula": f} for n, f in MEASURES.items()]}
    star = gather(list(files.values()), read_recipe(recipe)).star
    base = duckdb.connect()
    for name, file in files.items():
        base.execute(f"CREATE TABLE {name.lower()} AS SELECT * FROM read_parquet('{file}')")
    return star, base, folder
