"""The cluster's SQL for SQLAlchemy: how it quotes, its types and literals."""

from __future__ import annotations

from typing import Any

from sqlalchemy.engine.default import DefaultDialect
from sqlalchemy.sql.compiler import GenericTypeCompiler, IdentifierPreparer, SQLCompiler

RESERVED = frozenset(
    "all and anti any as asc between both by case cast column cross current desc distinct drop else end except exists false filter for from"
    " full group having in inner insert intersect into is join lateral leading left like limit minus natural not null of on or order outer"
    " over partition range right rows select semi set some sort table then to trailing true union unique using values when where window"
    " with".split()
)


class _Preparer(IdentifierPreparer):
    reserved_words = set(RESERVED)

    def __init__(self, dialect: Any) -> None:
        super().__init__(dialect, initial_quote="`", escape_quote="`")

    def quote_schema(self, schema: str, force: Any = None) -> str:
        """A catalog and a schema are two names."""
        return ".".join(self.quote(part) for part in schema.split("."))


class _Types(GenericTypeCompiler):
    """Texts are STRING, times have no zone."""

    def visit_text(self, type_: Any, **kw: Any) -> str:
        return "STRING"

    def visit_TEXT(self, type_: Any, **kw: Any) -> str:
        return "STRING"

    def visit_double(self, type_: Any, **kw: Any) -> str:
        return "DOUBLE"

    def visit_DOUBLE(self, type_: Any, **kw: Any) -> str:
        return "DOUBLE"

    def visit_datetime(self, type_: Any, **kw: Any) -> str:
        return "TIMESTAMP_NTZ"

    def visit_integer(self, type_: Any, **kw: Any) -> str:
        return "INT"

    def visit_NUMERIC(self, type_: Any, **kw: Any) -> str:
        return f"DECIMAL({type_.precision or 38}, {type_.scale or 0})"


class _Compiler(SQLCompiler):
    def render_literal_value(self, value: Any, type_: Any) -> str:
        """A text's backslashes and quotes are escaped."""
        if isinstance(value, str):
            return "'" + value.replace("\\", "\\\\").replace("'", "\\'") + "'"
        return super().render_literal_value(value, type_)

    def visit_is_distinct_from_binary(self, binary: Any, operator: Any, **kw: Any) -> str:
        left, right = (self.process(x, **kw) for x in (binary.left, binary.right))
        return f"NOT ({left} <=> {right})"


class SparkDialect(DefaultDialect):
    """Statements alone: they are run by the cluster's own client."""

    name = "spark"
    preparer = _Preparer  # type: ignore[assignment]
    type_compiler_cls = _Types
    statement_compiler = _Compiler
    supports_native_boolean = True

    def __init__(self, paramstyle: Any) -> None:
        super().__init__(paramstyle=paramstyle)
