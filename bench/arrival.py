"""A file's way into the application: read in the child process, taken into the store, its first rows and the document told, read again and
compared with what is there. Run in a process of its own, so that its memory is that of the way alone: `python -m bench.arrival ROWS [KIND]`.
"""

from __future__ import annotations

import json
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv
import pyarrow.parquet

from bench import star_schema as ss
from bench.store import workspace_of_a_bench
from nexorem.core.model.edits import Edit
from nexorem.gather.jobs import Job
from nexorem.work import describe, loading
from nexorem.work.actor import Actor
from nexorem.work.workspace import Workspace

BENCH = Actor("bench")
SOURCE = Path(__file__).resolve().parents[1]
MEGABYTE = 1024
DIMENSIONS = ("Calendar", "Part", "Customer", "Supplier")


def arrival_part(rows: int, say: Callable[[str], None]) -> dict[str, Any]:
    """Seconds and megabytes of the whole way, for CSV and Parquet."""
    told = {}
    for kind in ("csv", "parquet"):
        done = subprocess.run(
            [sys.executable, "-m", "bench.arrival", str(rows), kind], capture_output=True, text=True, check=True, cwd=SOURCE
        )
        told[kind] = json.loads(done.stdout.splitlines()[-1])
        say(f"{kind}: {told[kind]}")
    return told


def write_file(path: Path, rows: int, other: bool = False) -> None:
    """The fact table of the star benchmark in a file, made up a part at a time, and its dimensions beside it; as an `other` one it lacks some
    rows, and another hundredth has other values."""
    writer: Any = None
    for tables in ss.parts(rows):
        part = ss.arrow(tables["Lineorder"])
        if other:
            place = part.schema.get_field_index("revenue")
            more = pc.add(part["revenue"], pa.array((np.arange(part.num_rows) % 100 == 0).astype(np.int64)))
            part = part.set_column(place, "revenue", more).slice(1_000)
        if writer is None:
            for name in DIMENSIONS:
                pyarrow.parquet.write_table(ss.arrow(tables[name]), path.parent / f"{name}.parquet")
            kind = pyarrow.csv.CSVWriter if path.suffix == ".csv" else pyarrow.parquet.ParquetWriter
            writer = kind(str(path), part.schema)
        writer.write_table(part)
    writer.close()


def megabytes(process: str, what: str) -> float:
    """Of a process, VmRSS now or VmHWM at most."""
    try:
        status = Path(f"/proc/{process}/status").read_text()
    except OSError:
        return 0.0
    return next((int(x.split()[1]) / MEGABYTE for x in status.splitlines() if x.startswith(what)), 0.0)


class Peaks:
    """The most memory that the reader, and this process of its own, not of mapped files, had at once."""

    def __init__(self) -> None:
        self.reader = self.server = 0.0
        self._job: Job | None = None
        self._ended = threading.Event()
        threading.Thread(target=self._look, daemon=True).start()

    def _look(self) -> None:
        while not self._ended.wait(0.02):
            self.server = max(self.server, megabytes("self", "RssAnon"))
            if self._job is not None:
                self.reader = max(self.reader, megabytes(str(self._job.process.pid), "RssAnon"))

    def follow(self, job: Job) -> Job:
        """Looks at a reader, too, until it has ended."""
        self._job = job
        job.wait()
        self._job = None
        return job

    def taken(self) -> dict[str, float]:
        """What was seen."""
        self._ended.set()
        return {"reader, MB": self.reader, "server, MB": self.server}


def way(workspace: Workspace, model_id: int, name: str, peaks: Peaks) -> Mapping[str, float]:
    """One file that lies among a model's files, from there on."""
    told: dict[str, float] = {}

    def timed(what: str, work: Callable[[], Any]) -> Any:
        start = time.perf_counter()
        done = work()
        told[what] = time.perf_counter() - start
        return done

    workspace.jobs.readers.make_ready()  # as it is made when the file is sent in
    time.sleep(3)
    job = timed("read", lambda: peaks.follow(loading.start_reading(workspace, BENCH, model_id, {"files": [name]})))
    if job.items[0].errors:
        raise AssertionError(job.items[0].errors)

    def taken() -> None:
        stored, _ = workspace.star(model_id)
        loading.take(workspace, BENCH, model_id, job, [{"place": 0, "name": "Lineorder"}], stored.version)

    timed("taken", taken)

    def shown() -> None:
        stored, star = workspace.star(model_id)
        describe.document(stored, star)
        for column in star.model.tables[0].columns:
            star.column("Lineorder", column.name).take(np.arange(100))

    timed("shown", shown)
    _modelled(workspace, model_id)
    written(workspace.files(model_id) / name, workspace.star(model_id)[1].rows["Lineorder"].size, True)
    again = timed("read again", lambda: peaks.follow(loading.start_reading(workspace, BENCH, model_id, {"tables": ["Lineorder"]})))
    changed = timed("compared", lambda: loading.comparison(workspace, model_id, again, [{"place": 0, "table": "Lineorder"}]))
    assert len(changed["links"]) == len(ss.LINKS) and {"revenue", "profit"} <= {m["measure"] for m in changed["measures"]}, changed
    return told | {"drop to shown": told["read"] + told["taken"] + told["shown"]}


def _modelled(workspace: Workspace, model_id: int) -> None:
    """The dimensions beside the facts, their links and the measures."""
    job = loading.start_reading(workspace, BENCH, model_id, {"files": [f"{name}.parquet" for name in DIMENSIONS]})
    job.wait()
    chosen = [{"place": place, "name": item.name} for place, item in enumerate(job.items)]
    loading.take(workspace, BENCH, model_id, job, chosen, workspace.star(model_id)[0].version)
    edits: list[Edit] = [{"kind": "change_table", "name": "Calendar", "set": {"calendar": {"date": "date"}}}]
    edits += [{"kind": "add_link", "link": link} for link in ss.LINKS]
    edits += [{"kind": "add_measure", "measure": {"name": name, "formula": formula}} for name, formula in ss.MEASURES.items()]
    for edit in edits:
        workspace.edit(BENCH, model_id, edit, workspace.star(model_id)[0].version)


def written(path: Path, rows: int, other: bool = False) -> None:
    """Files made up in a process of their own, for what is made up takes more than what is read."""
    call = [sys.executable, "-c", WRITE, str(path), str(rows), "other" if other else ""]
    subprocess.run(call, check=True, cwd=SOURCE)


def main() -> None:
    """Prints the figures as JSON."""
    rows, kind = int(sys.argv[1]), sys.argv[2] if len(sys.argv) > 2 else "csv"
    with workspace_of_a_bench() as workspace:
        model_id = workspace.new(BENCH, "arrival")
        file = workspace.files(model_id) / f"facts.{kind}"
        written(file, rows)
        peaks = Peaks()
        told = dict(way(workspace, model_id, file.name, peaks)) | peaks.taken()
        columns = workspace.star(model_id)[1].rows["Lineorder"].columns
        told |= {"rows": rows, "columns, MB": sum(c.bytes() for c in columns.values()) / MEGABYTE**2}
    print(json.dumps(told))


WRITE = """
import sys
from pathlib import Path
from bench.arrival import write_file
write_file(Path(sys.argv[1]), int(sys.argv[2]), sys.argv[3] == "other")
"""

if __name__ == "__main__":
    main()
