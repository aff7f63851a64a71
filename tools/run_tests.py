"""Lint, types and every test, with one closing line: `N passed, N failed, N skipped`.

tools/run_tests.py [--cluster] [NAME ...]     only the tests whose names contain one of these, and no lint

`--cluster`: those that start a cluster, too. Without names the browser's tests, which mostly wait, and those of SQL, of the core and of
random models run in processes of their own beside the rest. The ten slowest tests are named at the end.
"""

from __future__ import annotations

import re
import subprocess
import sys
import tempfile
import time
import unittest
import warnings
from collections.abc import Iterator, Sequence
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
PYTHON = sys.executable
OWN_NAMES = ROOT.parent / "shared" / "checks" / "own_names.py"
ASIDE = (
    tuple(f"tests.browser.test_{x}" for x in ("bench", "lasting", "link", "p", "roles", "way")),
    ("tests.sql.", "tests.checks.", "tests.core.", "tests.properties."),
)  # each in a process of its own; about as long as the rest
CLUSTER = "tests.cluster."
SLOW = 5.0  # seconds; slower tests are named
MOST_SLOW = 10
LINTS: list[tuple[str, list[str], Path]] = [
    ("ruff check", [PYTHON, "-m", "ruff", "check", "--quiet", "--output-format=concise", "."], ROOT),
    ("ruff format", [PYTHON, "-m", "ruff", "format", "--quiet", "--check", "."], ROOT),
    ("mypy --strict", [PYTHON, "-m", "mypy", "--no-error-summary"], ROOT),
    ("tsc", ["npx", "--no-install", "tsc", "-p", "tsconfig.json"], ROOT / "web"),
    ("oxlint", ["npx", "--no-install", "oxlint", "--deny-warnings", "src", "test"], ROOT / "web"),
    ("oxfmt", ["npx", "--no-install", "oxfmt", "--check", "src", "test", "vitest.config.ts"], ROOT / "web"),
    ("generated types", [PYTHON, "tools/check_generated.py"], ROOT),
]


def lint() -> list[str]:
    """The names of the checks that failed; what they say is printed."""
    checks = [*LINTS, ("own names", [PYTHON, str(OWN_NAMES), "."], ROOT)] if OWN_NAMES.exists() else LINTS
    failed = []
    for name, command, folder in checks:
        start = time.monotonic()
        done = subprocess.run(command, cwd=folder, capture_output=True, text=True, check=False)
        print(f"{'ok  ' if done.returncode == 0 else 'FAIL'} {name} ({time.monotonic() - start:.1f} s)", flush=True)
        if done.returncode:
            failed.append(name)
            print(done.stdout[-6000:] + done.stderr[-3000:])
    return failed


def single_tests(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    """Every test of nested suites."""
    for item in suite:
        if isinstance(item, unittest.TestSuite):
            yield from single_tests(item)
        else:
            yield item


class Result(unittest.TextTestResult):
    """Prints each class with its time."""

    def startTestRun(self) -> None:
        self.current = ""
        self.began = time.monotonic()
        self.times: list[tuple[float, str]] = []

    def stopTest(self, test: unittest.TestCase) -> None:
        super().stopTest(test)
        took = time.monotonic() - self.started
        self.times.append((took, unittest.TestCase.id(test)))  # some tests call a number of their own `id`
        if took > SLOW:
            self.stream.write(f"({str(test).split()[0]} {took:.0f} s)")

    def startTest(self, test: unittest.TestCase) -> None:
        super().startTest(test)
        self.started = time.monotonic()
        name = f"{type(test).__module__}.{type(test).__qualname__}"
        if name != self.current:
            self.stream.write(f"\n{time.monotonic() - self.began:6.1f} s  {name} ")
            self.stream.flush()
            self.current = name


class Beside:
    """The tests of a part in a process of their own; what they print is kept until they have ended."""

    def __init__(self, parts: Sequence[str]) -> None:
        self.out = tempfile.TemporaryFile("w+")  # noqa: SIM115 - read when the process has ended
        self.slowest: list[tuple[float, str]] = []
        self.process = subprocess.Popen([PYTHON, __file__, *parts], cwd=ROOT, stdout=self.out, stderr=subprocess.STDOUT)

    def counts(self) -> tuple[int, int, int]:
        """Passed, failed and skipped, once they have ended; a process that did not come to its closing line is a failure."""
        self.process.wait()
        self.out.seek(0)
        text = self.out.read()
        print(text)
        self.slowest = [(float(took), name) for took, name in re.findall(r"^slow +([\d.]+) s  (\S+)$", text, re.M)]
        found = re.findall(r"^(\d+) passed, (\d+) failed, (\d+) skipped$", text, re.M)
        if not found:
            return 0, 1, 0
        passed, failed, skipped = map(int, found[-1])
        return passed, max(failed, 1 if self.process.returncode else 0), skipped


def main() -> int:
    """Runs everything that is asked for."""
    wanted = [x for x in sys.argv[1:] if x != "--cluster"]
    aside = tuple(part for parts in ASIDE for part in parts)
    left_out = aside if "--cluster" in sys.argv else (*aside, CLUSTER)
    for path in (ROOT, ROOT / "src"):
        sys.path.insert(0, str(path))
    warnings.filterwarnings("ignore", module="hypothesis")
    beside = [] if wanted else [Beside(parts) for parts in ASIDE]
    failed_lints = [] if wanted else lint()
    suite = unittest.defaultTestLoader.discover(str(ROOT / "tests"), top_level_dir=str(ROOT))
    tests = [t for t in single_tests(suite) if any(w in t.id() for w in wanted) or (not wanted and not t.id().startswith(left_out))]
    result = unittest.TextTestRunner(resultclass=Result, warnings="ignore").run(unittest.TestSuite(tests))
    assert isinstance(result, Result)
    failed = len({str(t) for t, _ in [*result.failures, *result.errors]}) + len(result.unexpectedSuccesses)
    skipped = len(result.skipped)
    passed = max(result.testsRun - failed - skipped, 0)
    nothing = not passed and not failed
    for other in beside:
        more = other.counts()
        passed, failed, skipped = passed + more[0], failed + more[1], skipped + more[2]
    for took, name in sorted([*result.times, *(x for other in beside for x in other.slowest)], reverse=True)[:MOST_SLOW]:
        print(f"slow {took:6.1f} s  {name}")
    for name in failed_lints:
        print(f"FAIL {name}")
    if nothing:
        print("No test was run.")
    print(f"{passed} passed, {failed + len(failed_lints)} failed, {skipped} skipped", flush=True)
    return 1 if failed or failed_lints or nothing else 0


if __name__ == "__main__":
    sys.exit(main())
