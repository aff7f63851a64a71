"""Generated requests against the OpenAPI document, known and odd values: no defect (5xx), no answer off its schema. Run by hand, with
schemathesis from an environment of its own:

    python -m venv /tmp/fuzz && /tmp/fuzz/bin/pip install schemathesis
    python -m tests.load.fuzz /tmp/fuzz/bin/schemathesis [--examples 100] [--seed 1]

About 100 addresses × the examples are asked of the demo in a folder of its own, with the names of its tables, measures and probes among the
values.
"""

from __future__ import annotations

import argparse
import subprocess
import sys
import tempfile
from pathlib import Path

from nexorem.server.app import create_app
from nexorem.work.actor import COMMAND_LINE
from tests.server.served import served
from tests.server.warehouse import DEMO
from tests.store.cluster import fresh_url

CHECKS = "not_a_server_error,status_code_conformance,content_type_conformance,response_schema_conformance"
LEFT_OUT = (
    "/events$|/connections$|/connections/cluster$|/openapi.json$|/models/{model_id}$"  # one never ends, two connect anywhere, one removes
)
CONFIG = """
[generation]
allow-x00 = true

[parameters]
"path.model_id" = {model}
"path.table" = ["Booking", "Port", "Nope"]
"""


def main() -> int:
    """schemathesis' own status."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("schemathesis", type=Path)
    asked.add_argument("--examples", type=int, default=100)
    asked.add_argument("--seed", type=int, default=1)
    asked.add_argument("--only", default="", help="A pattern of the addresses to be asked.")
    given = asked.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        app = create_app(fresh_url(), data=Path(folder))
        model = app.extensions["nexorem"].open(COMMAND_LINE, DEMO)
        address = served(app)
        config = Path(folder) / "schemathesis.toml"
        config.write_text(CONFIG.format(model=model))
        command = [given.schemathesis, "--config-file", config, "run", f"{address}/api/openapi.json", "--checks", CHECKS]
        bounds = ["--max-examples", str(given.examples), "--seed", str(given.seed), "--phases", "coverage,fuzzing"]
        which = ["--exclude-path-regex", LEFT_OUT, *(["--include-path-regex", given.only] if given.only else [])]
        more = ["--continue-on-failure", "--suppress-health-check", "all", "--request-timeout", "90", "--no-color"]
        return subprocess.run([*command, *bounds, *which, *more], cwd=folder, check=False).returncode


if __name__ == "__main__":
    sys.exit(main())
