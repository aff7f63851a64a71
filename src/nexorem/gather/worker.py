"""The process that reads files and databases, so that a broken one harms nobody: bounded memory, ended at any moment.

Reads one JSON object from standard input and writes a JSON object a line: `item` (a table was found), `progress`, `read`, `error`, `end`.
"""

from __future__ import annotations

import json
import os
import resource
import sys
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import ExitStack
from pathlib import Path
from typing import Any

MOST_MEMORY = 12 * 1024**3  # of addresses; what libraries reserve and never touch counts, too
EVERY = 0.2  # seconds between two tellings


def tell(event: str, **more: Any) -> None:
    """One line to the parent."""
    print(json.dumps({"event": event, **more}, default=str), flush=True)


def items(request: Mapping[str, Any], files: Path) -> Iterator[tuple[int, dict[str, Any]]]:
    """The sources asked for, and those found in the files asked for."""
    from nexorem.gather.read import file_in, sources_in

    place = int(request.get("first", 0))
    for item in request["items"]:
        yield place, item
        place += 1
    for name in request["discover"]:
        tell("file", name=name)
        try:
            sources = sources_in(file_in(files, name), name)
        except BaseException as error:
            tell("item", place=place, name=name, source={"file": name})
            tell("error", place=place, errors=errors_of(error, name))
            place += 1
            continue
        for table, source in sources:
            yield place, {"name": table, "source": source}
            place += 1


def errors_of(error: BaseException, name: str) -> list[dict[str, Any]]:
    """Any failure as diagnostics."""
    from nexorem.core.diagnostics import Diagnostic, Refused

    if isinstance(error, KeyboardInterrupt | SystemExit):
        raise error
    if isinstance(error, Refused):
        return [d.as_json() for d in error.diagnostics]
    if isinstance(error, MemoryError) or "memory" in type(error).__name__.lower() or "malloc" in str(error):
        return [
            Diagnostic(
                "limit_memory_bytes", f"Reading {name} takes more memory than is allowed.", place=name, hint="Split the file."
            ).as_json()
        ]
    said = str(error).splitlines()[0][:200] if str(error) else type(error).__name__
    return [Diagnostic("unreadable", f"{name} cannot be read: {said}.", place=name, hint="It may be broken; write it again.").as_json()]


def main() -> None:
    """Reads everything that is asked for, one after the other."""
    _make_ready()
    sent = sys.stdin.read()
    if not sent:  # nobody needed it
        return
    request = json.loads(sent)
    os.chdir(request["out"])
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    with ExitStack() as stack:
        open_now: dict[str, Any] = {}
        for place, item in items(request, Path(request["files"])):
            source = item["source"]
            tell("item", place=place, name=item["name"], source=source)
            try:
                _read_item(request, place, source, open_now, stack)
            except BaseException as error:
                if source.get("kind") == "database":
                    open_now.pop(source["connection"], None)
                where = str(source.get("file") or source.get("connection") or item["name"])
                tell("error", place=place, errors=errors_of(_plain(error, source), where))
    tell("end")


def _make_ready() -> None:
    """Loads what most readings need, before one is asked for."""
    import nexorem.gather.read
    import nexorem.gather.transfer  # noqa: F401


def _read_item(request: Mapping[str, Any], place: int, source: Mapping[str, Any], open_now: dict[str, Any], stack: ExitStack) -> None:
    """Reads one source and writes its rows; a database is kept open (in `open_now`) for the sources that come after."""
    from nexorem.gather.read import read
    from nexorem.gather.transfer import write_frame

    progress = _progress(place)
    if source.get("kind") == "database":
        from nexorem.gather.read_database import read_database
        from nexorem.gather.sources.database import reading
        from nexorem.gather.sources.kinds import read_source

        name = source["connection"]
        if name not in open_now:
            open_now[name] = stack.enter_context(reading(request["access"].get(name, {}), name))
        answer = read_database(open_now[name], read_source(source), progress)
    else:
        answer = read(source, Path(request["files"]), None, progress)
    write_frame(answer.frame, Path(request["out"]) / str(place))
    tell("read", place=place, size=answer.frame.size, source=answer.source, report=answer.report, key=answer.key)


def _progress(place: int) -> Callable[[int, float], None]:
    """What tells how far the reading of a source is, now and then."""
    last = 0.0

    def progress(rows: int, share: float) -> None:
        nonlocal last
        if time.monotonic() - last >= EVERY:
            last = time.monotonic()
            tell("progress", place=place, rows=rows, share=round(share, 4))

    return progress


def _plain(error: BaseException, source: Mapping[str, Any]) -> BaseException:
    """What the database said, as a refusal."""
    if source.get("kind") != "database":
        return error
    import psycopg

    from nexorem.gather.sources.database import failed

    return failed(error, str(source.get("connection"))) if isinstance(error, psycopg.Error) else error


if __name__ == "__main__":
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    main()
