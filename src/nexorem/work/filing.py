"""Files of a model: dropped into its folder, replaced when the whole of a new one has come, removed."""

from __future__ import annotations

import datetime as dt
import shutil
from pathlib import Path, PurePosixPath
from typing import IO, Any

from nexorem.core.diagnostics import refuse
from nexorem.gather.read import ENDINGS, file_in
from nexorem.work.actor import Actor, Need
from nexorem.work.workspace import Workspace

LEAST_FREE = 500 * 1024**2
MOST_NAME = 200  # bytes, that leave room for a part's ending
CHUNK = 1 << 20
MOST_FILE = 8 * 1024**3


def files(workspace: Workspace, model_id: int) -> dict[str, Any]:
    """The files that were dropped, or put into the model's folder."""
    workspace.star(model_id)
    folder = workspace.files(model_id)
    return {"folder": str(folder), "files": [file_info(p) for p in sorted(folder.iterdir()) if p.is_file() and not p.is_symlink()]}


def file_info(path: Path) -> dict[str, Any]:
    """A file's name, size in bytes, and when it was written."""
    status = path.stat()
    return {"name": path.name, "bytes": status.st_size, "changed_at": dt.datetime.fromtimestamp(status.st_mtime, dt.UTC).isoformat()}


def keep_file(workspace: Workspace, actor: Actor, model_id: int, name: str, content: IO[bytes], size: int) -> Path:
    """Writes a file into the model's folder, first beside its place; `size` in bytes is what was announced, 0 where nothing was."""
    actor.must(Need.BRING)
    workspace.star(model_id)
    folder = workspace.files(model_id)
    if PurePosixPath(name).name != name or "\\" in name or name.startswith(".") or not name.isprintable() or len(name.encode()) > MOST_NAME:
        raise refuse("bad_name", f"{name!r} is not a name for a file.", "Use a plain name, without a folder.")
    if PurePosixPath(name).suffix.lower() not in ENDINGS:
        raise refuse("unknown_kind", f"{name} is of no kind that can be read.", f"Files that end with {', '.join(ENDINGS)} can.", name)
    if shutil.disk_usage(folder).free < size + LEAST_FREE:
        raise refuse("disk_full", f"The disk has no room for {name}.", "Make room first.")
    workspace.jobs.readers.make_ready()
    part = folder / f".{name}.part"
    try:
        with part.open("wb") as out:
            while chunk := content.read(CHUNK):
                out.write(chunk)
        if size and part.stat().st_size != size:
            raise refuse("cut_short", f"{name} came only in part.", "Send it again.")
        target = folder / name
        part.replace(target)
        return target
    finally:
        part.unlink(missing_ok=True)


def remove_file(workspace: Workspace, actor: Actor, model_id: int, name: str) -> None:
    """Removes a file; the rows that were loaded from it stay."""
    actor.must(Need.BRING)
    file_in(workspace.files(model_id), name).unlink()
