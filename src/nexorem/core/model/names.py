"""Names and how they are written: `Table.column`, SQL's double quotes where a name needs them."""

from __future__ import annotations

import re

from nexorem.core.diagnostics import refuse

PLAIN = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")
RESERVED = frozenset(
    """and or not case when then else end is in between like escape null true false distinct from cast as extract
    interval given where for each let by among with union intersect except to page every known top values""".split()
)


def quoted(name: str) -> str:
    """A name as a formula writes it."""
    if PLAIN.fullmatch(name) and name.lower() not in RESERVED:
        return name
    return '"' + name.replace('"', '""') + '"'


def column_text(table: str, column: str) -> str:
    """A column as a formula writes it."""
    return f"{quoted(table)}.{column if PLAIN.fullmatch(column) else quoted(column)}"


def reference_text(table: str, column: str) -> str:
    """A column as probes write it, plainly where that can be read back: `Table.column` with quotes only round names with dots or quotes."""
    if "." in table + column or '"' in table + column:
        return f"{quoted(table)}.{quoted(column)}"
    return f"{table}.{column}"


def columns_text(table: str, columns: tuple[str, ...]) -> str:
    """One column, or several in brackets."""
    texts = [column_text(table, c) for c in columns]
    return texts[0] if len(texts) == 1 else f"({', '.join(texts)})"


def split_key(text: str) -> list[str]:
    """The references of a key that is written as one text: `Table.a, Table.b`, in brackets or not, or with the table said once:
    `Table.a, b`."""
    inner = text.strip().removeprefix("(").removesuffix(")")
    parts = [p.strip() for p in re.findall(r'(?:"(?:[^"]|"")*"|[^,"])+', inner)]
    table = _table_part(parts[0]) if parts else ""
    return [part if i == 0 or not table or _table_part(part) else f"{table}.{part}" for i, part in enumerate(parts)]


def _table_part(text: str) -> str:
    match = re.match(r'((?:"(?:[^"]|"")*"|[^."])+)\.', text)
    return match.group(1) if match else ""


def split_reference(text: str) -> tuple[str, str]:
    """The table and column of a written `Table.column`; a part with a dot in it stands in double quotes."""
    parts, i = [], 0
    while i <= len(text):
        if text.startswith('"', i):
            match = re.compile(r'"((?:[^"]|"")*)"').match(text, i)
            if not match:
                break
            parts.append(match.group(1).replace('""', '"'))
            i = match.end()
        else:
            end = text.find(".", i) if len(parts) == 0 else len(text)
            end = len(text) if end < 0 else end
            parts.append(text[i:end])
            i = end
        if i >= len(text):
            break
        if text[i] != ".":
            break
        i += 1
    if len(parts) != 2 or i < len(text) or not all(parts):
        raise refuse(
            "bad_column", f"{text!r} is not a column.", "Write it as Table.column, with double quotes round a name that has a dot."
        )
    return parts[0], parts[1]
