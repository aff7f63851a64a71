"""The long run: 20,000 random models against the oracle and, as SQL, against the columnar database, a tenth of them against PostgreSQL
and with tables that stay there; 100,000 mutated formulas, marks and mends on 10,000 models. As many tests at a time as there are cores;
about two hours on two.

tools/long_run.py [--seeds N] [--mutations N] [--first SEED]
"""

from __future__ import annotations

import argparse
import os
import subprocess
import sys
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from run_tests import single_tests

ROOT = Path(__file__).resolve().parents[1]
TESTS = (
    "tests.sql.test_agreement.Agreement",
    "tests.core.test_diagnostics.Fuzz",
    "tests.properties.test_agreement",
    "tests.checks.test_coverage.Random",
    "tests.sql.test_staying",
    "tests.core.test_plan.Contexts",
    "tests.core.test_truth_more.Sums",
    "tests.server.test_edit_forms.EditForms.test_mutated_edits",
)


def names() -> list[str]:
    """The name of every single test."""
    sys.path[:0] = [str(ROOT / "src"), str(ROOT)]
    suite = unittest.defaultTestLoader.loadTestsFromNames(TESTS)
    return [unittest.TestCase.id(test) for test in single_tests(suite)]  # some tests call a number of their own `id`


def passes(name: str, environment: dict[str, str]) -> bool:
    """Runs a test in a process of its own, tells how it went, and what it printed where it failed."""
    start = time.monotonic()
    command = [sys.executable, "-m", "unittest", name]
    done = subprocess.run(command, cwd=ROOT, env=environment, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, check=False)
    failed = done.returncode != 0
    print(f"{'FAIL' if failed else 'ok  '} {name} ({time.monotonic() - start:.0f} s)", flush=True)
    if failed:
        print(done.stdout, flush=True)
    return not failed


def main() -> int:
    """0 when every test passed."""
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
    tests = names()
    with ThreadPoolExecutor(len(os.sched_getaffinity(0))) as pool:
        passed = sum(pool.map(lambda name: passes(name, environment), tests))
    print(f"{passed} of {len(tests)} passed")
    return 0 if passed == len(tests) else 1


if __name__ == "__main__":
    sys.exit(main())
