"""Formulas and files that somebody wrote to bring the server down. Run by hand:

    python -m tests.load.hostile [--formulas 100000] [--files 1000] [--seed 1]

Each is answered or refused, within its bounds of time and memory and a little over: a formula has 2 s and 256 MB, a file 20 s and 1 GB. It says the slowest,
and fails where something else than a refusal comes out, or a bound was not kept.
"""

from __future__ import annotations

import argparse
import gzip
import io
import multiprocessing
import random
import resource
import signal
import sys
import tempfile
import time
import zipfile
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from nexorem.core.diagnostics import CellError, Refused
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.limits import Budget, Limits
from nexorem.gather.read import read, sources_in
from tests.core.small import STAR
from tests.oracle.random_models import Maker

DEMO = Path(__file__).parents[2] / "demo" / "lantern_isles" / "raw"
SECONDS, BYTES = 2.0, 256 * 1024**2
OVER = 1.0  # seconds that an answer may come later than its bound
FILE_SECONDS, FILE_BYTES = 20.0, 1024**3
AT_ONCE = 200  # in a task


class Late(BaseException):
    """Something did not end by itself."""


def _alarm(*_: object) -> None:
    raise Late


def grown(r: random.Random) -> str:
    """A formula that is short to write and much to compute, or long to read."""
    n = r.choice([2, 5, 20, 60, 200, 1_000])
    text = r.choice(["max(Port.name)", "'ab'", "listagg(Booking.note, ',')"])
    table = lambda: r.choice(["Booking", "Port", "Cal", "Tag", "Crew"])  # noqa: E731
    few = min(n, 24)
    shapes = [
        lambda: "(" * n + "1" + ")" * n,
        lambda: "-" * n + "1",
        lambda: "NOT " * n + "TRUE",
        lambda: " + ".join(["seats"] * n),
        lambda: " || ".join([text] * n),
        lambda: (
            "".join(f"let a{i} = a{i - 1} || a{i - 1} in " if i else f"let a0 = {text} in " for i in range(few))
            + f"CHAR_LENGTH(a{few - 1})"
        ),
        lambda: "".join(f"let a{i} = a{i - 1} * a{i - 1} in " if i else "let a0 = 3 in " for i in range(few)) + f"a{few - 1}",
        lambda: "sum(" * min(n, 60) + "seats" + "".join(f" for each {table()})" for _ in range(min(n, 60))),
        lambda: "rows(" + ", ".join(f"every {table()}.{r.choice(['port', 'name', 'day'])}" for _ in range(min(n, 8))) + ")",
        lambda: "rows(" + " union ".join(["Booking"] * n) + ")",
        lambda: "rows(values " + ", ".join(f"({i})" for i in range(n)) + ")",
        lambda: "seats given (" + ", ".join(["clear Port"] * n) + ")",
        lambda: "seats" + " given (clear Port)" * n,
        lambda: f"CASE {'WHEN TRUE THEN 1 ' * n}END",
        lambda: f"seats given (set Port.code IN ({', '.join(repr(str(i)) for i in range(n))}))",
        lambda: f"POWER({r.choice(['10', '-1', '0'])}, {10 ** r.randint(1, 18)})",
        lambda: f"'{'a' * n}%' LIKE '{'%a' * min(n, 200)}%b'",
        lambda: f"REPLACE(REPLACE({text}, 'a', '{'a' * n}'), 'a', '{'a' * n}')",
        lambda: f"DATE '2031-01-01' + INTERVAL '{10 ** r.randint(0, 12)}' {r.choice(['DAY', 'MONTH', 'YEAR'])}",
        lambda: f"rank(seats among {table()} where {' AND '.join(['seats > 0'] * min(n, 60))})",
        lambda: f"percentile(Booking.seats, {r.choice(['1e308', '-1', 'seats', '0.5'])})",
        lambda: f"seats given (shift Cal by {r.choice(['-', ''])}{10 ** r.randint(1, 18)} {r.choice(['day', 'month', 'year'])})",
        lambda: f"seats given (match Port to Booking where {' OR '.join(['Port.depth > Booking.seats'] * min(n, 60))})",
        lambda: "".join(chr(r.choice([0, 9, 0x202E, 0x1F600, 0xFEFF, 0x85, 0x61])) for _ in range(n)),
    ]
    return r.choice(shapes)()


def mutated(r: random.Random, text: str) -> str:
    """A formula with pieces of others in it."""
    for _ in range(r.randint(1, 4)):
        at = r.randint(0, len(text))
        text = (
            text[:at] + r.choice(["(", ")", "'", '"', " given (", ", ", " + ", "1e9", "\0", " for each Port", "every ", " || "]) + text[at:]
        )
    return text


def formulas(seed: int) -> tuple[Counter[str], float, list[str]]:
    """Some formulas: how they ended, the longest, and what is wrong."""
    r, ended, slowest, wrong = random.Random(seed), Counter[str](), 0.0, []
    maker = Maker(seed)
    signal.signal(signal.SIGALRM, _alarm)
    for _ in range(AT_ONCE):
        formula = grown(r) if r.random() < 0.6 else mutated(r, maker.cell(2))
        star = STAR if "Booking" in formula or "seats" in formula or "Port" in formula or r.random() < 0.5 else maker.star
        begun = time.monotonic()
        signal.setitimer(signal.ITIMER_REAL, SECONDS * 5)
        try:
            probe = probe_of(star, {"measures": ["x"], "define": {"x": formula}})
            list(answer(star, probe, Budget(Limits(seconds=SECONDS, memory_bytes=BYTES), time.monotonic)).tidy())
            ended["answered"] += 1
        except (Refused, CellError):
            ended["refused"] += 1
        except (Exception, Late) as error:
            wrong.append(f"{type(error).__name__}: {str(error)[:200]}: {formula[:300]!r}")
        finally:
            signal.setitimer(signal.ITIMER_REAL, 0)
        took = time.monotonic() - begun
        slowest = max(slowest, took)
        if took > SECONDS + OVER:
            wrong.append(f"{took:.1f} s: {formula[:300]!r}")
    return ended, slowest, wrong


def files(seed: int) -> tuple[Counter[str], float, list[str]]:
    """A file of each kind, broken in some way: how it ended, the longest, and what is wrong."""
    r = random.Random(seed)
    signal.signal(signal.SIGALRM, _alarm)
    name, data = broken_file(r)
    begun, ended, wrong = time.monotonic(), Counter[str](), []
    with tempfile.TemporaryDirectory() as folder:
        (Path(folder) / name).write_bytes(data)
        signal.setitimer(signal.ITIMER_REAL, FILE_SECONDS * 2)
        try:
            for _, source in sources_in(Path(folder) / name)[:3]:
                read(source, Path(folder))
            ended["read"] += 1
        except Refused:
            ended["refused"] += 1
        except (Exception, Late) as error:
            wrong.append(f"{type(error).__name__}: {str(error)[:200]}: {name} of seed {seed}")
        finally:
            signal.setitimer(signal.ITIMER_REAL, 0)
    took = time.monotonic() - begun
    if took > FILE_SECONDS:
        wrong.append(f"{took:.1f} s: {name} of seed {seed}")
    return ended, took, wrong


def contained(seed: int) -> tuple[Counter[str], float, list[str]]:
    """A file in a process of its own, as the server reads each: what a library of formats does with a broken one may end that, and no more."""
    ours, theirs = multiprocessing.Pipe()
    reader = multiprocessing.get_context("fork").Process(target=lambda: theirs.send(files(seed)))
    begun = time.monotonic()
    reader.start()
    reader.join(FILE_SECONDS * 3)
    if reader.exitcode == 0:
        told: tuple[Counter[str], float, list[str]] = ours.recv()
        return told
    late = reader.exitcode is None
    reader.kill()
    return Counter({"ended its reader": 1}), time.monotonic() - begun, [f"not ended: seed {seed}"] if late else []


def broken_file(r: random.Random) -> tuple[str, bytes]:
    """A name and what is in it: well-made of some kind, then broken in up to four ways."""
    kind = r.choice(["csv", "xlsx", "jsonl", "parquet", "arrow", "zip", "gz"])
    data = _well_made(r, kind)
    for _ in range(r.randint(0, 4)):
        at, span = r.randint(0, max(len(data) - 1, 0)), r.choice([1, 4, 64, 4096])
        data = r.choice(
            [
                lambda: data[:at],  # noqa: B023
                lambda: data[:at] + r.randbytes(span) + data[at + span :],  # noqa: B023
                lambda: data[:at] + b"\0" * span + data[at:],  # noqa: B023
                lambda: data[:at] + data[at : at + span] * r.choice([2, 100]) + data[at:],  # noqa: B023
                lambda: data[:at] + b'"' + data[at:],  # noqa: B023
            ]
        )()
    return f"t.{r.choice([kind, kind, kind, 'csv', 'xlsx'])}", data


def _well_made(r: random.Random, kind: str) -> bytes:
    import pyarrow as pa
    import pyarrow.parquet as pq

    rows = r.choice([1, 10, 5_000])
    table = pa.table({"a": list(range(rows)), "b": [f"x{i % 7}" for i in range(rows)], "c": [None, *range(rows - 1)]})
    sink = io.BytesIO()
    match kind:
        case "csv":
            wide, long = r.choice([3, 20_000]), r.choice([5, 2_000_000])
            return b",".join([b"h"] * wide) + b"\n" + (b",".join([b"1"] * min(wide, 50)) + b"\n") * r.choice([1, 1_000]) + b"y" * long
        case "xlsx":
            return r.choice(list(DEMO.glob("*.xlsx"))).read_bytes()
        case "jsonl":
            deep = b"[" * r.choice([2, 100_000])
            return b"".join(b'{"a": %d, "b": {"c": "%d"}}\n' % (i, i) for i in range(rows)) + r.choice(
                [b"", deep, b'{"a": 1e999}\n', b"NaN\n"]
            )
        case "parquet":
            pq.write_table(table, sink, compression=r.choice(["snappy", "zstd", "gzip"]))
        case "arrow":
            with pa.ipc.new_file(sink, table.schema) as writer:
                writer.write_table(table)
        case "zip":
            with zipfile.ZipFile(sink, "w", zipfile.ZIP_DEFLATED) as packed:
                packed.writestr(r.choice(["t.csv", "../../t.csv", "[Content_Types].xml"]), b"0" * r.choice([10, 200_000_000]))
        case _:
            return gzip.compress(b"a,b\n" + b"1,2\n" * r.choice([10, 1_000_000]))
    return sink.getvalue()


def _bounded() -> None:
    resource.setrlimit(resource.RLIMIT_AS, (6 * 1024**3, 6 * 1024**3))


def main() -> int:
    """Runs both; 0 when nothing was wrong."""
    asked = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    asked.add_argument("--formulas", type=int, default=100_000)
    asked.add_argument("--files", type=int, default=1_000)
    asked.add_argument("--seed", type=int, default=1)
    given = asked.parse_args()
    failed = 0
    for what, run, count in (("formulas", formulas, given.formulas // AT_ONCE), ("files", contained, given.files)):
        ended, slowest, wrong, most = Counter[str](), 0.0, [], 0
        with ProcessPoolExecutor(2, initializer=_bounded) as pool:
            for some, took, faults in pool.map(run, range(given.seed, given.seed + count)):
                ended += some
                slowest, wrong = max(slowest, took), [*wrong, *faults]
        most = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss // 1024
        print(f"{what}: {dict(ended)}, slowest {slowest:.1f} s, most memory of a process {most:,} MB, {len(wrong)} wrong", flush=True)
        print("\n".join(wrong[:30]))
        failed += len(wrong)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
