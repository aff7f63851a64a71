"""Commands in processes of their own that are forked from one which has imported everything, for the import takes longest."""

import multiprocessing
import os
import tempfile
from pathlib import Path

from nexorem.cli.main import COMMANDS, main

FORKS = multiprocessing.get_context("forkserver")
FORKS.set_forkserver_preload([__name__, *sorted({module for module, _ in COMMANDS.values()})])
MOST_SECONDS = 180


def command(arguments: list[str], out: str, errors: str) -> None:
    """What a process does: the command, with its output in files."""
    for descriptor, path in ((1, out), (2, errors)):
        os.dup2(os.open(path, os.O_WRONLY), descriptor)
    main(arguments, prog_name="nexorem")


def run(*arguments: object) -> tuple[int | None, str, str]:
    """A command's exit status, output and errors."""
    with tempfile.NamedTemporaryFile() as out, tempfile.NamedTemporaryFile() as errors:
        process = FORKS.Process(target=command, args=([str(a) for a in arguments], out.name, errors.name))
        process.start()
        process.join(MOST_SECONDS)
        if process.is_alive():
            process.kill()
            raise TimeoutError(f"{arguments} took more than {MOST_SECONDS} seconds")
        return process.exitcode, Path(out.name).read_text(), Path(errors.name).read_text()
