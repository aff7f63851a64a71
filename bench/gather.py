"""How long loads and steps take: files of every kind read with their types found, and each step on a table of a million rows."""

from __future__ import annotations

import json
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.csv
import pyarrow.feather
import pyarrow.parquet

from bench import star_schema as ss
from nexorem.core.limits import Budget
from nexorem.core.values import Vector, vector
from nexorem.gather.frame import Frame
from nexorem.gather.steps.replay import outcome_json, replay
from nexorem.package.words import recoded

SOURCE = Path(__file__).resolve().parents[1]
# A process of its own, so that its memory is that of the reading alone.
READ = """
import json, sys, time
from pathlib import Path
from nexorem.gather.read import read
start = time.perf_counter()
found = read(json.loads(sys.argv[1]), Path(sys.argv[2]))
spent = time.perf_counter() - start
print(json.dumps({"rows": found.frame.size, "seconds": spent, "types": [c["type"] for c in found.report["columns"]],
                  "megabytes": next(int(x.split()[1]) for x in open("/proc/self/status") if x.startswith("VmHWM")) / 1024}))
"""


def loads_part(tables: dict[str, Any], say: Callable[[str], None]) -> dict[str, dict[str, Any]]:
    """The fact table as CSV, Parquet and Arrow; its first rows as JSON Lines and XLSX. Seconds, rows a second, megabytes in all."""
    facts = ss.arrow(tables["Lineorder"])
    few = facts.slice(0, min(200_000, facts.num_rows))
    found = {}
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        pyarrow.csv.write_csv(facts, place / "facts.csv")
        pyarrow.parquet.write_table(facts, place / "facts.parquet")
        pyarrow.feather.write_feather(facts, str(place / "facts.arrow"))
        (place / "facts.jsonl").write_text("".join(json.dumps(row, default=str) + "\n" for row in few.to_pylist()))
        write_sheet(few.slice(0, 50_000), place / "facts.xlsx")
        for name, source in (
            ("CSV", {"kind": "csv", "file": "facts.csv"}),
            ("Parquet", {"kind": "parquet", "file": "facts.parquet"}),
            ("Arrow", {"kind": "arrow", "file": "facts.arrow"}),
            ("JSON Lines", {"kind": "json_lines", "file": "facts.jsonl"}),
            ("XLSX", {"kind": "sheet", "file": "facts.xlsx", "sheet": "facts"}),
        ):
            say(f"reading {name}")
            command = [sys.executable, "-c", READ, json.dumps(source), folder]
            done = subprocess.run(command, capture_output=True, text=True, check=True, cwd=SOURCE)
            found[name] = json.loads(done.stdout)
            found[name]["rows_a_second"] = found[name]["rows"] / found[name]["seconds"]
    return found


def write_sheet(table: pa.Table, path: Path) -> None:
    """A table as a workbook."""
    from openpyxl import Workbook

    book = Workbook(write_only=True)
    sheet = book.create_sheet("facts")
    sheet.append(table.column_names)
    for row in zip(*(c.to_pylist() for c in table.columns), strict=True):
        sheet.append(row)
    book.save(path)


def shaped_table(rows: int) -> Frame:
    """Keys with few values, texts that are all different, dates and amounts as texts, two numbers."""
    r = np.random.default_rng(20310101)
    full = np.ones(rows, bool)
    return Frame(
        rows,
        {
            "id": Vector("integer", np.arange(rows), full),
            "code": recoded(r.integers(0, 500, rows), full, [f" a{i} " for i in range(500)]),
            "text": recoded(np.arange(rows), full, [f"x-{i:07} y " for i in range(rows)]),
            "day": recoded(r.integers(0, 900, rows), full, [f"{1 + i % 28:02}.{1 + i % 12:02}.{2031 + i % 3}" for i in range(900)]),
            "amount": recoded(
                r.integers(0, rows, rows), r.random(rows) > 0.1, [f"{i * 7 % 100_000 / 100:.2f}".replace(".", ",") for i in range(rows)]
            ),
            "p1": Vector("number", r.random(rows), full),
            "p2": Vector("number", r.random(rows), r.random(rows) > 0.2),
            "when": Vector("date", r.integers(22_000, 23_000, rows), full),
        },
    )


STEPS: list[dict[str, Any]] = [
    {"kind": "choose_columns", "columns": ["code", "text", "p1"]},
    {"kind": "rename", "names": {"id": "number"}},
    {"kind": "retype", "column": "day", "to": "date", "pattern": "dd.MM.yyyy"},
    {"kind": "retype", "column": "amount", "to": "number", "decimal": ","},
    {"kind": "keep_rows", "condition": "p1 > 0.5 AND code <> ' a5 '"},
    {"kind": "remove_repeats", "columns": ["code", "day"]},
    {"kind": "remove_repeats", "columns": ["text"]},
    {"kind": "columns_to_rows", "columns": ["p1", "p2"], "parts": ["which"], "value": "p"},
    {"kind": "rows_to_columns", "names_from": "day", "values_from": "p1", "several": "sum"},
    {"kind": "split_text", "column": "text", "separator": "-", "into": ["left", "right"]},
    {"kind": "join_text", "columns": ["code", "day"], "into": "both"},
    {"kind": "trim", "columns": ["code"]},
    {"kind": "trim", "columns": ["text"]},
    {"kind": "change_case", "columns": ["text"], "to": "upper"},
    {"kind": "replace", "columns": ["code"], "pairs": [{"from": [" a1 "], "to": ["A1"]}]},
    {"kind": "replace", "columns": ["text"], "pairs": [{"from": ["x-"], "to": ["z"]}], "within": True},
    {"kind": "fill_down", "columns": ["p2", "amount"]},
    {"kind": "date_part", "column": "when", "part": "week", "into": "week"},
    {"kind": "compute", "name": "product", "formula": "p1 * p2 + id"},
    {"kind": "number_rows", "into": "row"},
    {"kind": "append", "tables": ["Other"], "into": "from"},
    {"kind": "look_up", "table": "Key", "on": [{"mine": "code", "theirs": "code"}], "columns": {"name": "name"}},
]


def steps_part(rows: int, runs: int, say: Callable[[str], None]) -> dict[str, dict[str, float]]:
    """Milliseconds of each step, and of the sample that is shown of it."""
    table = shaped_table(rows)
    others = {
        "Other": table.take(np.arange(rows // 2)),
        "Key": Frame(500, {"code": vector("text", [f" a{i} " for i in range(500)]), "name": vector("text", [f"n{i}" for i in range(500)])}),
    }
    found: dict[str, dict[str, float]] = {}
    for step in STEPS:
        # A turn of rows into columns is over the columns that say which rows come together.
        start = Frame(table.size, {c: table.columns[c] for c in ("code", "day", "p1")}) if step["kind"] == "rows_to_columns" else table
        spent, shown = [], []
        words = ""
        for _ in range(runs):
            (outcome,) = replay(start, [step], "T", others.__getitem__, Budget(now=time.monotonic))
            assert outcome.state == "done", outcome.errors
            words, begun = outcome.words, time.perf_counter()
            outcome_json(outcome)
            spent.append(outcome.milliseconds)
            shown.append((time.perf_counter() - begun) * 1000)
        found[words] = {"step": statistics.median(spent), "sample": statistics.median(shown)}
        say(f"{words}: {found[words]['step']:.0f} ms")
    return found
