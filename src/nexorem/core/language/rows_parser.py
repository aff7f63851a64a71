"""Reading table expressions."""

from __future__ import annotations

from nexorem.core.language import syntax as s
from nexorem.core.language.tokens import Stuck, TokenReader

QUANTIFIERS = ("every", "page")


class RowsParser(TokenReader):
    """Table expressions, by SQL's precedence: intersect before union and except; `where` and `with` to the nearest."""

    def rows(self) -> s.Rows:
        """A whole table expression."""
        self.deeper()
        left = self.intersected()
        while self.is_word("union", "except"):
            op = self.take().word()
            right = self.intersected()
            left = s.JoinedRows(left.span.to(right.span), op, left, right)
            self.counted_rows()
        self.level -= 1
        return left

    def guarded_rows(self) -> s.Rows:
        """A table expression; after an error goes on behind it."""
        start, level = self.token.span, self.level
        try:
            return self.rows()
        except Stuck:
            self.level = level
            self.resync()
            return s.BrokenRows(start)

    def counted_rows(self) -> None:
        self.counted(s.Broken(self.token.span))

    def intersected(self) -> s.Rows:
        left = self.refined()
        while self.skip_word("intersect"):
            right = self.refined()
            left = s.JoinedRows(left.span.to(right.span), "intersect", left, right)
            self.counted_rows()
        return left

    def refined(self) -> s.Rows:
        """A primary with its `where` and `with`."""
        rows = self.primary_rows()
        levels = 0
        while self.is_word("where", "with"):
            self.deeper()
            levels += 1
            if self.take().word() == "where":
                predicate = self.expression()
                rows = s.WhereRows(rows.span.to(predicate.span), rows, predicate)
            else:
                self.expect_op("(", "after with")
                definitions = self.definitions()
                end = self.expect_op(")", "after the columns")
                rows = s.WithRows(rows.span.to(end.span), rows, definitions)
            self.counted_rows()
        self.level -= levels
        return rows

    def definitions(self) -> tuple[s.Definition, ...]:
        """`name = expr, …`"""
        all_definitions = [self.definition()]
        while self.skip_op(","):
            all_definitions.append(self.definition())
        return tuple(all_definitions)

    def definition(self) -> s.Definition:
        name = self.take()
        if name.kind not in ("name", "quoted"):
            raise self.fail(f"{name.text!r} stands where a name is expected.", "Write name = expression.", span=name.span)
        self.expect_op("=", "after the name")
        value = self.expression()
        return s.Definition(name.span.to(value.span), name.text, value)

    def primary_rows(self) -> s.Rows:
        token = self.token
        self.counted_rows()
        if self.is_op("("):
            return self.bracketed_rows("")
        word = token.word()
        following = self.peek()
        named = following.kind in ("name", "quoted") or (following.kind == "op" and following.text == "(")
        if word in QUANTIFIERS and named:
            self.take()
            return self.quantified(word)
        if word == "known" and named:
            self.take()
            self.deeper()
            inner = self.refined()
            self.level -= 1
            return s.KnownRows(token.span.to(inner.span), inner)
        if word == "top" and not (following.kind == "op" and following.text == "."):
            return self.top()
        if word == "values" and following.kind == "op" and following.text == "(":
            return self.listed()
        return self.plain_rows("")

    def quantified(self, quantifier: str) -> s.Rows:
        start = self.tokens[self.at - 1].span
        rows = self.bracketed_rows(quantifier) if self.is_op("(") else self.plain_rows(quantifier)
        span = start.to(rows.span)
        if isinstance(rows, s.TableRows):
            but: tuple[s.ColumnName, ...] = ()
            if self.skip_word("but"):
                but = self.column_list()
                span = span.to(self.tokens[self.at - 1].span)
            return s.TableRows(span, quantifier, rows.table, but)
        if isinstance(rows, s.ColumnRows):
            return s.ColumnRows(span, quantifier, rows.columns, rows.bracketed)
        raise self.fail(
            f"{quantifier} stands before a table or its columns.",
            f"Write {quantifier} T, {quantifier} T.c or {quantifier} (T.a, T.b).",
            span=span,
        )

    def plain_rows(self, quantifier: str) -> s.Rows:
        """A table or a column."""
        if self.token.kind not in ("name", "quoted"):
            raise self.fail(f"{self.shown()} stands where rows are expected.", "Write a table, or columns as Table.column.")
        name = self.take()
        if self.is_op("."):
            self.at -= 1
            column = self.column()
            return s.ColumnRows(column.span, quantifier, (column,))
        return s.TableRows(name.span, quantifier, name.text, ())

    def bracketed_rows(self, quantifier: str) -> s.Rows:
        """Columns in brackets, or a bracketed table expression."""
        start = self.take().span
        inner = self.rows()
        if isinstance(inner, s.ColumnRows) and not inner.quantifier and not inner.bracketed and self.is_op(",", ")"):
            columns = list(inner.columns)
            while self.skip_op(","):
                columns.append(self.column())
            end = self.expect_op(")", "after the columns")
            return s.ColumnRows(start.to(end.span), quantifier, tuple(columns), True)
        self.expect_op(")", "to close the bracket")
        return inner

    def top(self) -> s.Rows:
        start = self.take().span
        self.deeper()
        count = self.expression()
        self.expect_word("of")
        rows = self.refined()
        self.expect_word("by")
        by = self.expression()
        ascending = self.skip_word("asc")
        if not ascending:
            self.skip_word("desc")
        self.level -= 1
        return s.TopRows(start.to(self.tokens[self.at - 1].span), count, rows, by, ascending)

    def listed(self) -> s.Rows:
        start = self.take().span
        lines = [self.line()]
        while self.is_op(",") and self.peek().kind == "op" and self.peek().text == "(":
            self.take()
            lines.append(self.line())
        return s.ListedRows(start.to(self.tokens[self.at - 1].span), tuple(lines))

    def line(self) -> tuple[s.Node, ...]:
        self.expect_op("(", "before the values of a row")
        items = self.list_of(self.expression)
        self.expect_op(")", "after the values of a row")
        return tuple(items)

    # columns

    def column(self) -> s.ColumnName:
        """`Table.column`."""
        table = self.take()
        if table.kind not in ("name", "quoted"):
            raise self.fail(f"{table.text!r} stands where a column is expected.", "Write Table.column.", span=table.span)
        self.expect_op(".", "between table and column")
        column = self.take()
        if column.kind not in ("name", "quoted"):
            raise self.fail(f"A column's name is missing after {table.text}.", "Write Table.column.", span=table.span.to(column.span))
        return s.ColumnName(table.span.to(column.span), table.text, column.text)

    def column_list(self) -> tuple[s.ColumnName, ...]:
        """A column, or columns in brackets."""
        if not self.skip_op("("):
            return (self.column(),)
        columns = [self.column()]
        while self.skip_op(","):
            columns.append(self.column())
        self.expect_op(")", "after the columns")
        return tuple(columns)

    def table_name(self, where: str) -> str:
        """A table's name."""
        if self.token.kind not in ("name", "quoted"):
            raise self.fail(f"{self.shown()} stands where a table is expected.", where)
        return self.take().text
