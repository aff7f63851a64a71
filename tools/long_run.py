"""The long run: 20,000 random models against the oracle and, as SQL, against the columnar database, a tenth of them against PostgreSQL
and with tables that stay there; 100,000 mutated formulas, marks and mends on 10,000 models. About two hours.

tools/long_run.py [--seeds N] [--mutations N] [--first SEED]
"""

from __future__ import annotations

import argparse
import os
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
TESTS = (
    "tests.properties.test_agreement",
    "tests.core.test_diagnostics.Fuzz",
    "tests.core.test_truth_more.Sums",
    "tests.sql.test_agreement.Agreement",
    "tests.sql.test_staying",
    "tests.core.test_plan.Contexts",
    "tests.checks.test_coverage.Random",
    "tests.server.test_edit_forms.EditForms.test_mutated_edits",
)


def main() -> int:
    """Runs both, one after the other; 0 when both passed."""
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--seeds", type=int, default=20_000)
    asked.add_argument("--mutations", type=int, default=100_000)
    asked.add_argument("--first", type=int, default=1_000_000)
    given = asked.parse_args()
    environment = {
        **os.environ,
        "PYTHONPATH": f"{ROOT / 'src'}{os.pathsep}{ROOT}",
        "SEEDS": str(given.seeds),
        "FIRST_SEED": str(given.first),
        "MUTATIONS": str(given.mutations),
        "SQL_SEEDS": str(given.seeds),
        "POSTGRESQL_SEEDS": str(given.seeds // 10),
        "STAYING_SEEDS": str(given.seeds // 10),
        "PLAN_SEEDS": str(given.seeds // 2),
        "COVERAGE_SEEDS": str(given.seeds // 40),
        "EDIT_MUTATIONS": str(given.mutations // 10),
    }
    return subprocess.run([sys.executable, "-m", "unittest", "-v", *TESTS], cwd=ROOT, env=environment, check=False).returncode


if __name__ == "__main__":
    sys.exit(main())
