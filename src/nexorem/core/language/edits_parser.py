"""Reading the edits of a `given`."""

from __future__ import annotations

from nexorem.core.diagnostics import Mend, near
from nexorem.core.language import syntax as s
from nexorem.core.language.lexer import Token
from nexorem.core.language.rows_parser import RowsParser
from nexorem.core.language.tokens import Stuck

EDIT_WORDS = ("set", "keep", "clear", "reset", "via", "flow", "match", "shift", "stretch")
SHIFT_UNITS = ("day", "week", "month", "quarter", "year")


class EditsParser(RowsParser):
    """The edits of a `given`."""

    def edit(self) -> s.Edit:
        """One edit; after an error goes on behind it."""
        start, level = self.token.span, self.level
        try:
            return self.edit_body()
        except Stuck:
            self.level = level
            self.resync()
            return s.BrokenEdit(start)

    def edit_body(self) -> s.Edit:
        token = self.take()
        word = token.word()
        if word in ("set", "keep"):
            return self.condition(token)
        if word in ("clear", "reset"):
            target = self.target()
            but = self.target() if self.skip_word("but") else None
            kind = s.Clear if word == "clear" else s.Reset
            return kind(token.span.to((but or target).span), target, but)
        if word == "via":
            link = self.link_name()
            return s.Via(token.span.to(link.span), link)
        readers = {"flow": self.flow, "match": self.match, "shift": self.shift, "stretch": self.stretch}
        if word in readers:
            return readers[word](token)
        close = near(token.text, EDIT_WORDS)
        mends = tuple(Mend(f"write {n}", token.span, n) for n in close)
        raise self.fail(
            f"{token.text!r} is not an edit.", f"An edit starts with {', '.join(EDIT_WORDS)}.", "unknown_edit", token.span, mends
        )

    def condition(self, token: Token) -> s.Edit:
        """`set` or `keep`, by predicate or by rows.

        `x in (…)` may be both. It is SQL's list of values unless what stands in the brackets can only be rows: a
        column of another table, a table, or anything a list of values cannot hold.
        """
        keep = token.word() == "keep"
        named = self.attempt(self.columns_in)
        if named is None:
            return self.predicate_edit(token, keep)
        table, columns = named
        start = self.at
        if columns and len(columns) == 1 and self.is_op("("):
            self.at -= 1
            predicate = self.attempt(lambda: self.predicate_edit_from(columns[0], token, keep))
            if predicate is not None and self.is_op(",", ")") and not self.only_rows(predicate, columns[0]):
                return predicate
            self.at = start
            if self.attempt(self.rows) is None:
                self.at = start - 1
                return self.predicate_edit_from(columns[0], token, keep)
            self.at = start
        rows = self.rows()
        return s.SetIn(token.span.to(self.tokens[self.at - 1].span), keep, table, columns, rows)

    def columns_in(self) -> tuple[str, tuple[s.ColumnName, ...]]:
        """`COLS in`, as a table's name or columns."""
        table: str = ""
        columns: tuple[s.ColumnName, ...] = ()
        if self.is_op("("):
            columns = self.column_list()
        elif self.peek().word() == "in" and self.token.kind in ("name", "quoted"):
            table = self.take().text
        else:
            columns = (self.column(),)
        self.expect_word("in")
        return table, columns

    def predicate_edit(self, token: Token, keep: bool) -> s.Edit:
        predicate = self.expression()
        return s.SetWhere(token.span.to(predicate.span), keep, predicate)

    def predicate_edit_from(self, column: s.ColumnName, token: Token, keep: bool) -> s.Edit:
        """A predicate that starts with `column in (…)`, which were just read."""
        while self.token.span != column.span and self.token.span.start > column.span.start:
            self.at -= 1
        return self.predicate_edit(token, keep)

    @staticmethod
    def only_rows(edit: s.Edit, column: s.ColumnName) -> bool:
        """Whether a list of values in a predicate can only have been meant as rows."""
        assert isinstance(edit, s.SetWhere)
        predicate = edit.predicate
        if not isinstance(predicate, s.InList) or len(predicate.items) != 1:
            return False
        item = predicate.items[0]
        return isinstance(item, s.ColumnName) and item.table.lower() != column.table.lower()

    def target(self) -> s.Target:
        """What is cleared or reset."""
        token = self.token
        if self.is_op("("):
            columns = self.column_list()
            return s.Target(token.span.to(self.tokens[self.at - 1].span), "columns", "", columns)
        follows_name = self.peek().kind in ("name", "quoted") and self.peek().word() != "but"
        kind = token.word() if token.word() in ("wide", "into") and follows_name else "table"
        if token.word() == "all" and not (self.peek().kind == "op" and self.peek().text == "."):
            self.take()
            return s.Target(token.span, "all", "", ())
        if kind != "table":
            self.take()
        name = self.take()
        if name.kind not in ("name", "quoted"):
            raise self.fail(
                f"{name.text!r} cannot be cleared.", "Name a column, columns in brackets, a table, wide T, into T, or all.", span=name.span
            )
        if kind == "table" and self.is_op("."):
            self.at -= 1
            column = self.column()
            return s.Target(column.span, "columns", "", (column,))
        return s.Target(token.span.to(name.span), kind, name.text, ())

    def link_name(self) -> s.LinkName:
        """A link, by its ends or by its name."""
        start = self.token.span
        if self.is_word("link") and self.peek().kind == "quoted":
            self.take()
            name = self.take()
            return s.LinkName(start.to(name.span), name.text, (), ())
        left = self.column_list()
        self.expect_op("=", "between the link's ends")
        right = self.column_list()
        return s.LinkName(start.to(self.tokens[self.at - 1].span), "", left, right)

    def flow(self, token: Token) -> s.Edit:
        """`flow LINK two-way | to T | off`."""
        link = self.link_name()
        way, table = "", ""
        if self.is_word("two") and self.peek().text == "-" and self.peek(2).word() == "way":
            self.at += 3
            way = "two-way"
        elif self.skip_word("to"):
            way, table = "to", self.table_name("Write flow LINK to T.")
        elif self.skip_word("off"):
            way = "off"
        else:
            raise self.fail(f"{self.shown()} is not a direction.", "Write two-way, to T, or off.")
        return s.Flow(token.span.to(self.tokens[self.at - 1].span), link, way, table)

    def match(self, token: Token) -> s.Edit:
        """`match COLS to COLS`, or `match S to T where PREDICATE`."""
        if self.is_op("(") or (self.peek().kind == "op" and self.peek().text == "."):
            source = self.column_list()
            self.expect_word("to")
            target = self.column_list()
            return s.MatchColumns(token.span.to(self.tokens[self.at - 1].span), source, target)
        hint = "Write match S to T where condition, or match S.c to T.c."
        first = self.table_name(hint)
        self.expect_word("to")
        second = self.table_name(hint)
        self.expect_word("where")
        predicate = self.expression()
        return s.MatchWhere(token.span.to(predicate.span), first, second, predicate)

    def shift(self, token: Token) -> s.Edit:
        """`shift CAL by N UNIT`."""
        calendar = self.table_name("Write shift Calendar by -1 year.")
        self.expect_word("by")
        by, unit = self.steps()
        return s.Shift(token.span.to(self.tokens[self.at - 1].span), calendar, by, unit)

    def stretch(self, token: Token) -> s.Edit:
        """`stretch CAL to start of UNIT | to whole UNIT | back N UNIT`."""
        calendar = self.table_name("Write stretch Calendar to start of year.")
        by: s.Node | None = None
        if self.skip_word("back"):
            kind = "back"
            by, unit = self.steps()
        else:
            self.expect_word("to")
            kind = "whole" if self.skip_word("whole") else "start"
            if kind == "start":
                self.expect_word("start")
                self.expect_word("of")
            unit = self.unit("all") if kind == "start" else self.unit()
        return s.Stretch(token.span.to(self.tokens[self.at - 1].span), calendar, kind, unit, by)

    def steps(self) -> tuple[s.Node, str]:
        """`N UNIT`."""
        return self.expression(self.ADDED), self.unit()

    def unit(self, *more: str) -> str:
        """A unit of a calendar."""
        token = self.take()
        units = (*SHIFT_UNITS, *more)
        word = token.word().removesuffix("s") if token.word().removesuffix("s") in units else token.word()
        if word not in units:
            close = near(token.text, units)
            mends = tuple(Mend(f"write {n}", token.span, n) for n in close)
            shown = "The end of the formula" if token.kind == "end" else repr(token.text)
            raise self.fail(f"{shown} is not a unit here.", f"The units are {', '.join(units)}.", span=token.span, mends=mends)
        return word
