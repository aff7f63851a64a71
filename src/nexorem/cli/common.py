"""What all commands share: how errors are told, and how picks are written."""

from __future__ import annotations

import json
import os
import sys
import time
import traceback
from collections.abc import Callable, Iterable
from functools import wraps
from pathlib import Path
from typing import Any

import click

from nexorem.core.diagnostics import Diagnostic, Refused, near_hint, refuse
from nexorem.core.engine.cleared import PERSON, cleared
from nexorem.core.engine.probe import Pick, read_pick
from nexorem.core.limits import Budget, Limits
from nexorem.core.model.specs import UNMATCHED, spec_json
from nexorem.core.model.star import Star

UNUSABLE, OURS = 2, 70


def tell(diagnostics: Iterable[Diagnostic], as_json: bool) -> None:
    """Errors on standard error: one clear line each, or one JSON object."""
    if as_json:
        click.echo(json.dumps({"errors": [d.as_json() for d in diagnostics]}, ensure_ascii=False), err=True)
        return
    for d in diagnostics:
        click.echo(f"nexorem: {d.as_line()}", err=True)


def reporting(command: Callable[..., Any]) -> Callable[..., Any]:
    """Turns refusals into errors and exit status 2."""

    @wraps(command)
    def run(*args: Any, **options: Any) -> Any:
        try:
            return command(*args, **options)
        except Refused as refused:
            tell(refused.diagnostics, bool(options.get("as_json")) or options.get("form") == "json")
            sys.exit(UNUSABLE)
        except BrokenPipeError:
            sys.stderr.close()
            sys.exit(UNUSABLE)
        except OSError as error:
            tell([Diagnostic("system", f"{error.strerror or error}.", place=str(error.filename or ""))], bool(options.get("as_json")))
            sys.exit(UNUSABLE)
        except Exception as error:
            if os.environ.get("NEXOREM_DEBUG"):
                raise
            tell([ours(error)], bool(options.get("as_json")))
            sys.exit(OURS)

    return run


def ours(error: Exception) -> Diagnostic:
    """What is said of a fault of Nexorem's own, in place of a traceback."""
    at = traceback.extract_tb(error.__traceback__)[-1]
    where = f"{Path(at.filename).name}, line {at.lineno}"
    message = f"Nexorem itself failed: {type(error).__name__} in {where}. Nothing was changed by it."
    return Diagnostic("internal", message, hint="Report it with this command; NEXOREM_DEBUG=1 shows all that is known of it.")


def budget(limits: Limits | None = None) -> Budget:
    """A budget on the process's own clock."""
    return Budget(limits or Limits(), time.monotonic)


def word_value(word: str) -> Any:
    """`(empty)` and `(unmatched)` pick those members; anything else is itself."""
    return {"(empty)": None, "(unmatched)": UNMATCHED}.get(word, word)


def parse_pick(text: str) -> dict[str, Any]:
    """`T.c=v|w` as a pick's JSON."""
    column, sign, values = text.partition("=")
    if not sign or not column.strip():
        raise refuse("bad_pick", f"{text!r} is not a pick.", "Write Table.column=value|value.", "--pick")
    return {"column": column.strip(), "in": [spec_json(v) if v is UNMATCHED else v for v in map(word_value, values.split("|"))]}


def parse_at(star: Star, text: str) -> Pick:
    """`T.c=v` as a coordinate."""
    column, sign, value = text.partition("=")
    if not sign:
        raise refuse("bad_coordinate", f"{text!r} is not a coordinate.", "Write Table.column=value.", "--at")
    return read_pick(star, column.strip(), [word_value(value)])


def parse_define(texts: Iterable[str]) -> dict[str, str]:
    """`x = formula`, several of them."""
    definitions = {}
    for text in texts:
        name, sign, formula = text.partition("=")
        if not sign or not name.strip():
            raise refuse("bad_define", f"{text!r} defines nothing.", "Write name = formula.", "--define")
        definitions[name.strip().strip('"')] = formula.strip()
    return definitions


def names(text: str | None) -> list[str]:
    """A list written with commas; a comma inside double quotes separates nothing."""
    parts, quoted = [""], False
    for ch in text or "":
        quoted ^= ch == '"'
        if ch == "," and not quoted:
            parts.append("")
        else:
            parts[-1] += ch
    return [x.strip() for x in parts if x.strip()]


def clearance_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """The options that say as whom a model is seen."""
    for option in (
        click.option("--person", metavar="WHO=VALUE", multiple=True, help="Of --clearance: email=… and name=… of who it is."),
        click.option("--clearance", metavar="NAME", help="See the model as somebody does who has this clearance."),
    ):
        command = option(command)
    return command


def seen(star: Star, options: dict[str, Any]) -> Star:
    """The star under the clearance that `clearance_options` read; takes them out of the options."""
    name, given = options.pop("clearance"), options.pop("person")
    person = dict(text.partition("=")[::2] for text in given)
    if wrong := [k for k in person if k not in PERSON] or ([*person] if not name else []):
        raise refuse("bad_option", f"{wrong[0]!r} says nothing of a person.", "Write --clearance NAME --person email=ADDRESS.", "--person")
    if not name:
        return star
    clearance = star.model.clearance(name)
    if clearance is None:
        known = [x.name for x in star.model.clearances]
        raise refuse("no_clearance", f"There is no clearance {name[:200]}.", near_hint(name, known), "--clearance")
    return cleared(star, clearance, person, budget())
