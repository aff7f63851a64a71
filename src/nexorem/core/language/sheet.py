"""Measures as text, many at once: `name = formula;` each, with what is said of it in comments before. Read back, it is the same.

-- home: Booking
-- folder: Volume
-- format: #,##0
-- Seats on all bookings, refunded ones too.
seats_sold = sum(Booking.seats);
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from nexorem.core.diagnostics import Diagnostic, Refused, Span
from nexorem.core.language.lexer import Token, tokenize
from nexorem.core.limits import DEFAULT_LIMITS
from nexorem.core.model.model import Measure
from nexorem.core.model.names import quoted

SAID = ("home", "folder", "format", "standing", "variant_of")
MOST = 20  # times the bound of one formula
HINT = "Write name = formula; one after another, each with a semicolon at its end."


@dataclass(frozen=True, slots=True)
class Written:
    """A measure that a text holds, what the text says of it (`said`), and the line it starts on."""

    measure: Measure
    said: frozenset[str]
    line: int


def print_sheet(measures: Iterable[Measure]) -> str:
    """The text of some measures."""
    return "\n".join(_printed(m) for m in measures)


def _printed(m: Measure) -> str:
    said = {"home": m.home, "folder": m.folder, "format": m.format, "standing": "trial" if m.trial else "", "variant_of": m.variant_of}
    lines = [f"-- {key}: {value}" for key, value in said.items() if value]
    # A line of a description that looks like one of the above is kept apart by a bar.
    lines += [
        f"-- {'| ' if _said(x) or x.startswith('|') or not x.strip() else ''}{x}"
        for x in (m.description.split("\n") if m.description else ())
    ]
    formula = m.formula.strip()
    break_ = "\n" if "\n" in formula else " "
    # A comment at the very end of a formula would take the semicolon in.
    end = "\n;" if "--" in formula.splitlines()[-1] else ";"
    return "\n".join([*lines, f"{quoted(m.name)} ={break_}{formula}{end}"]) + "\n"


def _said(line: str) -> tuple[str, str] | None:
    key, colon, value = line.partition(":")
    return (key.strip(), value.strip()) if colon and key.strip() in SAID else None


def read_sheet(text: str) -> list[Written]:
    """The measures of a text; refuses with every line that is no measure. Formulas are not looked into."""
    limits = replace(DEFAULT_LIMITS, formula_characters=DEFAULT_LIMITS.formula_characters * MOST)
    tokens, odd = tokenize(text, limits)
    ends = [d.span.start for d in odd if d.span and d.text in ("", ";") and text[d.span.start] == ";"]
    wrong = [replace(d, place=f"line {_line(text, d.span.start)}") for d in odd if d.span and d.span.start not in ends]
    statements: list[Written] = []
    start = 0
    for end in [*ends, len(text)]:
        inside = [x for x in tokens if start <= x.span.start < end]
        if inside:
            one = _statement(text, inside, start, end, wrong)
            if end == len(text) and one:
                wrong.append(
                    _wrong(
                        text, inside[0].span, "open_measure", f"The formula of {one.measure.name} has no end.", "Put a semicolon behind it."
                    )
                )
            elif one:
                statements.append(one)
        start = end + 1
    names = [w.measure.name.lower() for w in statements]
    wrong += [
        Diagnostic("repeated_name", f"{w.measure.name} stands here twice.", place=f"line {w.line}", hint="Leave one of them out.")
        for i, w in enumerate(statements)
        if w.measure.name.lower() in names[:i]
    ]
    if not statements and not wrong:
        wrong.append(Diagnostic("no_measure", "There is no measure in this text.", place="line 1", hint=HINT))
    if wrong:
        raise Refused(wrong)
    return statements


def _line(text: str, at: int) -> int:
    return text.count("\n", 0, at) + 1


def _wrong(text: str, span: Span, code: str, message: str, hint: str) -> Diagnostic:
    return Diagnostic(code, message, span, f"line {_line(text, span.start)}", hint, (), text[span.start : span.end])


def _statement(text: str, tokens: Sequence[Token], start: int, end: int, wrong: list[Diagnostic]) -> Written | None:
    name, equals = tokens[0], tokens[1] if len(tokens) > 1 else tokens[0]
    if name.kind not in ("name", "quoted") or equals.text != "=" or equals.kind != "op":
        wrong.append(_wrong(text, name.span, "no_measure", f"No measure begins with {text[name.span.start : name.span.end]!r}.", HINT))
        return None
    formula = text[equals.span.end : end].strip()
    if not formula:
        wrong.append(_wrong(text, name.span, "no_formula", f"{name.text} has no formula.", HINT))
        return None
    said: dict[str, str] = {}
    description = []
    for raw in text[start : name.span.start].splitlines():
        line = raw.strip()
        if not line.startswith("--"):
            continue
        line = line[2:].strip()
        if line.startswith("|"):
            description.append(line[1:].removeprefix(" "))
        elif statement := _said(line):
            said[statement[0]] = statement[1]
        else:
            description.append(line)
    if said.get("standing", "trial") not in ("trial", "official"):
        wrong.append(_wrong(text, name.span, "bad_standing", f"{name.text} is called {said['standing']}.", "It is trial or official."))
    standing = said.pop("standing", "")
    # What is called official stands beside no other.
    about = {"trial": ["trial"], "official": ["trial", "variant_of"]}.get(standing, [])
    kept, trial = frozenset([*said, "formula", *(["description"] if description else []), *about]), standing == "trial"
    measure = Measure(name.text, formula, trial=trial, description="\n".join(description), **said)
    return Written(measure, kept, _line(text, name.span.start))
