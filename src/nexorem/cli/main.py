"""The command `nexorem` with its sub-commands."""

from __future__ import annotations

import importlib
import os
from typing import Any

import click

from nexorem import __version__

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # nothing here multiplies matrices, and threads that wait for it take time to begin
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")  # it looks for them in every package that is installed, at each start
COMMANDS = {
    "demo": ("nexorem.cli.serve", "demo"),
    "serve": ("nexorem.cli.serve", "serve"),
    "query": ("nexorem.cli.query", "query"),
    "trace": ("nexorem.cli.trace", "trace"),
    "explain": ("nexorem.cli.inspect", "explain"),
    "reach": ("nexorem.cli.inspect", "reach"),
    "lint": ("nexorem.cli.inspect", "lint"),
    "check": ("nexorem.cli.check", "check"),
    "sql": ("nexorem.cli.sql", "sql"),
    "compare": ("nexorem.cli.compare", "compare"),
    "export": ("nexorem.cli.exchange", "export"),
    "import": ("nexorem.cli.exchange", "import_package"),
    "gather": ("nexorem.cli.gather", "gather"),
    "suggest": ("nexorem.cli.inspect", "suggest"),
    "backup": ("nexorem.cli.keeping", "backup"),
    "restore": ("nexorem.cli.keeping", "restore"),
    "address": ("nexorem.cli.people", "address"),
    "invite": ("nexorem.cli.people", "invite"),
    "cluster-demo": ("nexorem.cli.cluster", "cluster_demo"),
    "bench": ("nexorem.cli.bench", "bench"),
}


class Lazy(click.Group):
    """Imports a sub-command only when it is asked for, so that none pays for the others."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in COMMANDS:
            return None
        module, name = COMMANDS[cmd_name]
        command: Any = getattr(importlib.import_module(module), name)
        assert isinstance(command, click.Command)
        return command


@click.group(cls=Lazy, context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 110})
@click.version_option(__version__, prog_name="nexorem")
def main() -> None:
    """Nexorem: star schemas whose numbers explain themselves."""


if __name__ == "__main__":
    main(prog_name="nexorem")
