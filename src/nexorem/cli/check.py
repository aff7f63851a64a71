"""`nexorem check`: what a package's numbers are held to, without a server."""

from __future__ import annotations

import datetime as dt
import io
import json
import sys
import time
from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Any
from xml.etree import ElementTree as Xml

import click

from nexorem.cli import common
from nexorem.cli.query import AS_JSON, PACKAGE, limit_options, limits_of
from nexorem.core import results
from nexorem.core.checks.coverage import Coverage, Covered, Kept, share_noticed
from nexorem.core.checks.mutations import mutations
from nexorem.core.checks.outcome import Outcome
from nexorem.core.checks.run import run_check
from nexorem.core.diagnostics import near_hint, refuse
from nexorem.core.engine.computed import edited_star
from nexorem.core.limits import Limits
from nexorem.core.model.check_specs import CheckSpec
from nexorem.core.model.star import Star
from nexorem.core.words import counted
from nexorem.package.check_files import PackageFiles
from nexorem.package.opened import opened

MARKS = {"holds": "✓", "fails": "✗", "cannot": "!"}
MOST_SHOWN = 5
ONLY_SERVED = ("no_release", "no_connection", "no_loads")  # what a package does not have
Ran = list[tuple[CheckSpec, Outcome, float]]


@click.command()
@PACKAGE
@click.option("--only", "names", multiple=True, metavar="NAME", help="Only the checks of these names, or in folders of these names.")
@click.option("--coverage", "covering", is_flag=True, help="Break the model on purpose, and tell what no check would notice.")
@click.option("--junit", "junit_file", type=click.Path(dir_okay=False, path_type=Path), help="A file for the outcomes as JUnit XML.")
@limit_options
@AS_JSON
@common.reporting
def check(package: Path, names: Sequence[str], junit_file: Path | None, covering: bool, as_json: bool, **options: Any) -> None:
    """Hold a package's numbers to its checks; exit status 1 where one fails or cannot be computed, with --coverage where a change would go
    unnoticed."""
    limits = limits_of(options)
    star = opened(package)
    checks = _chosen(star.model.checks, names)
    files = PackageFiles(package)
    if covering:
        if names or junit_file:
            raise refuse("bad_option", "Coverage is of all checks.", "Leave --only and --junit out.", "--coverage")
        cover(star, files, limits, as_json)
        return
    ran: Ran = []
    for number, spec in enumerate(checks, 1):
        _progress(number, len(checks), spec.name, as_json)
        start = time.monotonic()
        outcome = run_check(star, spec, common.budget(limits), files)
        ran.append((spec, outcome, time.monotonic() - start))
    if junit_file:
        junit_file.write_bytes(junit(star.model.title or star.model.name, ran))
    if as_json:
        told = [{"name": spec.name, **results.as_json(outcome), "milliseconds": spent * 1000} for spec, outcome, spent in ran]
        click.echo(json.dumps({"checks": told}, ensure_ascii=False, indent=1))
    else:
        _show(ran)
    if any(outcome.state != "holds" and not aside(spec, outcome) for spec, outcome, _ in ran):
        sys.exit(1)


def _progress(number: int, of: int, words: str, as_json: bool) -> None:
    """How far it is, on a terminal."""
    if not as_json and sys.stderr.isatty():
        click.echo(f"\r{number:,} of {of:,}: {words[:60]:<60}", nl=number == of, err=True)


def cover(star: Star, files: PackageFiles, limits: Limits, as_json: bool) -> None:
    """Tells what the checks of a package would notice; exit status 1 where something would go unnoticed."""

    def run(on: Star, check: CheckSpec, _: str) -> Outcome:
        return run_check(on, check, common.budget(limits), files)

    coverage = Coverage(star, lambda model: edited_star(star, model), run, partial(common.budget, limits), Kept())
    changes = list(mutations(star))
    covered: list[Covered] = []
    for number, one in enumerate(coverage.all(changes), 1):
        _progress(number, len(changes), f"{one.about}: {one.words}", as_json)
        covered.append(one)
    noticed, moving = share_noticed([c.verdict for c in covered])
    if as_json:
        click.echo(json.dumps({"noticed": noticed, "of": moving, "changes": results.as_json(covered)}, ensure_ascii=False, indent=1))
    else:
        for one in (c for c in covered if c.verdict.state == "unnoticed"):
            click.echo(f"not noticed: {one.about}, {one.words}. {one.verdict.sentence}")
        click.echo(f"{noticed:,} of {moving:,} changes that move a number are noticed; {len(covered):,} were tried.")
    if noticed < moving:
        sys.exit(1)


def aside(spec: CheckSpec, outcome: Outcome) -> str:
    """Why a check that does not hold is no failure of this run: it is silenced today, or asks for what a package does not have. Empty for
    one that is."""
    if outcome.state == "cannot" and outcome.problems[0].code in ONLY_SERVED:
        return "it is run by a server alone"
    if spec.silenced and spec.silenced.until >= dt.datetime.now(dt.UTC).date().isoformat():
        return f"silenced until {spec.silenced.until}: {spec.silenced.reason}"
    return ""


def _chosen(checks: Sequence[CheckSpec], names: Sequence[str]) -> list[CheckSpec]:
    known = [*(c.name for c in checks), *(c.folder for c in checks if c.folder)]
    for name in names:
        if name.lower() not in {k.lower() for k in known}:
            raise refuse("unknown_check", f"The check {name} does not exist.", near_hint(name, known), "--only")
    wanted = {n.lower() for n in names}
    return [c for c in checks if not wanted or c.name.lower() in wanted or (c.folder and c.folder.lower() in wanted)]


def _show(ran: Ran) -> None:
    for spec, outcome, _ in ran:
        said = aside(spec, outcome) if outcome.state != "holds" else ""
        click.echo(f"{'–' if said else MARKS[outcome.state]} {spec.name}: {outcome.sentence}{f' ({said})' if said else ''}")
        if outcome.state == "fails" and not said:
            for failure in outcome.failures[1:MOST_SHOWN]:
                click.echo(f"    {failure.sentence}")
            if outcome.failed > MOST_SHOWN:
                click.echo(f"    and {outcome.failed - MOST_SHOWN:,} more")
    held = sum(outcome.state == "holds" for _, outcome, _ in ran)
    click.echo(f"{held:,} of {counted(len(ran), 'check')} hold." if ran else "The model has no checks.")


def junit(model: str, ran: Ran) -> bytes:
    """The outcomes as JUnit XML: a check that fails is a failure, one that cannot be computed an error, one that is set aside skipped."""
    told = [(o.state, bool(o.state != "holds" and aside(spec, o))) for spec, o, _ in ran]
    numbers = {"failures": str(told.count(("fails", False))), "errors": str(told.count(("cannot", False)))}
    numbers |= {"skipped": str(sum(out for _, out in told))}
    spent = f"{sum(t for *_, t in ran):.3f}"
    suite = Xml.Element("testsuite", {"name": model, "tests": str(len(ran)), "time": spent, **numbers})
    for spec, outcome, seconds in ran:
        case = Xml.SubElement(suite, "testcase", classname=spec.folder or "checks", name=spec.name, time=f"{seconds:.3f}")
        if outcome.state != "holds":
            kind = "skipped" if aside(spec, outcome) else "failure" if outcome.state == "fails" else "error"
            said = Xml.SubElement(case, kind, message=_plain(outcome.sentence))
            said.text = _plain("\n".join(f.sentence for f in outcome.failures) or "\n".join(p.message for p in outcome.problems))
    written = io.BytesIO()
    Xml.ElementTree(suite).write(written, encoding="utf-8", xml_declaration=True)
    return written.getvalue() + b"\n"


def _plain(text: str) -> str:
    """A text without the characters that XML has no place for."""
    return "".join(c for c in text if c in "\t\n\r" or (ord(c) >= 32 and not 0xD800 <= ord(c) <= 0xDFFF and ord(c) not in (0xFFFE, 0xFFFF)))
