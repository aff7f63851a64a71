"""The documents that a model can be written as: one name each, for the command and for the server."""

from __future__ import annotations

from nexorem.core.design.layout import SHAPE, layout
from nexorem.core.design.matrix import bus_matrix
from nexorem.core.diagnostics import near_hint, refuse
from nexorem.core.model.star import Star
from nexorem.export.ddl import ddl
from nexorem.export.dictionary import dictionary
from nexorem.export.matrix_svg import matrix_svg
from nexorem.export.star_svg import star_svg

# By name: the ending of its file, and its media type.
DOCUMENTS = {
    "ddl": ("sql", "application/sql"),
    "dictionary": ("md", "text/markdown"),
    "star-svg": ("svg", "image/svg+xml"),
    "matrix-svg": ("svg", "image/svg+xml"),
}


def make_document(star: Star, kind: str, fact: str | None = None, beside: str | None = None, shape: float = SHAPE) -> str:
    """A document as text. `fact`, and a second one `beside` it, say which star is drawn; without, the first fact's. `shape` is how many
    times wider than high it is to be."""
    if kind == "ddl":
        return ddl(star)
    if kind == "dictionary":
        return dictionary(star)
    if kind == "matrix-svg":
        return matrix_svg(star)
    middle, second = _named(star, fact) if fact else _first(star), _named(star, beside) if beside else None
    return star_svg(star, middle, second, layout(star.model, middle, second, shape=shape))


def _named(star: Star, name: str) -> str:
    table = star.model.table(name)
    if table is None:
        raise refuse("unknown_table", f"The table {name} does not exist.", near_hint(name, [t.name for t in star.model.tables]))
    return table.name


def _first(star: Star) -> str:
    facts = bus_matrix(star).facts or [t.name for t in star.model.tables]
    if not facts:
        raise refuse("no_tables", "The model has no tables.", "Gather some first.")
    return str(facts[0])
