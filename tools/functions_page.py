"""Writes docs/functions.md: every word of the measure language with its signature, what it gives and an example, from the registries."""

from __future__ import annotations

import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT / "src"))

from nexorem.core.engine.grid import answer  # noqa: E402
from nexorem.core.engine.probe import probe_of  # noqa: E402
from nexorem.core.functions.library import FUNCTIONS  # noqa: E402
from nexorem.core.functions.registry import Function  # noqa: E402
from nexorem.core.language.vocabulary import AGGREGATES, EDITS, ROWS  # noqa: E402
from nexorem.core.limits import Budget  # noqa: E402
from nexorem.core.model.model import Model  # noqa: E402
from nexorem.core.model.star import Star  # noqa: E402

HEAD = """# Every function, aggregate and edit

Made by `tools/functions_page.py` from the registries that the engine, completion and help read. What they mean together is told in
[language.md](language.md). An empty argument gives an empty result, unless it says so.
"""
GROUPS = (
    ("Numbers", ("ABS", "ROUND", "FLOOR", "CEIL", "SQRT", "LN", "EXP", "POWER", "MOD")),
    ("Texts", ("UPPER", "LOWER", "TRIM", "SUBSTRING", "POSITION", "CHAR_LENGTH", "REPLACE")),
    ("Dates and times", ("EXTRACT", "start_of", "end_of", "DATE_OF", "DATETIME_OF")),
    ("Empties, choices and types", ("COALESCE", "NULLIF", "LEAST", "GREATEST", "CAST")),
)
# How operators are written, and an example, by the registry's name where its signature does not do.
OPERATORS = {
    "negate": ("-x", "-(3)"),
    "IS NULL": ("x IS [NOT] NULL", "NULL IS NULL"),
    "NOT": ("NOT x", "NOT 1 = 2"),
    "AND": ("x AND y", "1 = 1 AND 2 = 3"),
    "OR": ("x OR y", "1 = 1 OR 2 = 3"),
    "CASE": ("CASE WHEN condition THEN x … [ELSE y] END", "CASE WHEN 2 > 1 THEN 'more' ELSE 'less' END"),
    "IS DISTINCT FROM": ("x IS [NOT] DISTINCT FROM y", "NULL IS DISTINCT FROM 1"),
    "||": ("x || y", "'Al' || 'der'"),
    "LIKE": ("x [NOT] LIKE pattern [ESCAPE c]", "'Alder' LIKE 'A%'"),
    "-": ("x - y", "DATE '2031-05-01' - DATE '2031-04-01'"),
    "+": ("x + y", "DATE '2031-01-31' + INTERVAL '1' MONTH"),
}
CASTS = {"integer": "'12'", "number": "'1.5'", "text": "12", "boolean": "'true'", "date": "'2031-04-30'", "datetime": "'2031-04-30 12:45'"}


def page() -> str:
    """The page as Markdown."""
    parts = [HEAD]
    for title, words in (("Aggregates and questions", AGGREGATES), ("Edits of a `given`, and `let`", EDITS), ("Table expressions", ROWS)):
        parts.append(_table(title, [(signature, told, example) for _, signature, told, example in words]))
    plain = [f for f in FUNCTIONS.values() if not f.operator]
    told: set[str] = set()
    for title, names in GROUPS:
        own = [f for f in plain if f.name.split(" ")[0] in names]
        told |= {f.name for f in own}
        parts.append(_table(title, _rows(own)))
    left = [f for f in plain if f.name not in told]
    if left:
        parts.append(_table("More functions", _rows(left)))
    parts.append(_table("Operators", _rows([f for f in FUNCTIONS.values() if f.operator])))
    return "\n".join(parts)


def _rows(functions: list[Function]) -> list[tuple[str, str, str]]:
    return [(*_written(f), _example(f)) for f in functions]


def _written(function: Function) -> tuple[str, str]:
    return OPERATORS.get(function.name, (function.signature, ""))[0], function.help


def _example(function: Function) -> str:
    """An example with what it gives, as the engine computes it."""
    if function.name in OPERATORS:
        example = OPERATORS[function.name][1]
    elif function.name.startswith("CAST "):
        dtype = function.name.removeprefix("CAST ")
        example = f"CAST({CASTS[dtype]} AS {dtype})"
    else:
        example = function.example or function.signature.replace("x", "7").replace("y", "2")
    star = Star(Model("none"), {})
    grid = answer(star, probe_of(star, {"measures": ["e"], "define": {"e": example}}), Budget())
    value = grid.value(0, 0, 0)
    return f"{example} → {'empty' if value is None else str(value).lower() if isinstance(value, bool) else value}"


def _table(title: str, rows: list[tuple[str, str, str]]) -> str:
    lines = [f"## {title}", "", "| written | gives | for example |", "| --- | --- | --- |"]
    lines += [f"| {_code(signature)} | {_plain(told)} | {_code(example)} |" for signature, told, example in rows]
    return "\n".join([*lines, ""])


def _code(text: str) -> str:
    return f"`{text.replace('|', chr(92) + '|')}`" if text else ""


def _plain(text: str) -> str:
    return text.replace("|", "\\|")


if __name__ == "__main__":
    (ROOT / "docs" / "functions.md").write_text(page(), encoding="utf-8")
