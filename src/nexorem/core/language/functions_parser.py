"""Reading functions, aggregates and what asks about the context."""

from __future__ import annotations

from nexorem.core.diagnostics import Diagnostic, Mend, near
from nexorem.core.functions.dates import DAY_PARTS, TIME_PARTS, UNITS
from nexorem.core.functions.library import FUNCTIONS
from nexorem.core.language import syntax as s
from nexorem.core.language.edits_parser import EditsParser
from nexorem.core.language.foreign import INSTEAD
from nexorem.core.language.lexer import Token
from nexorem.core.values import COLUMN_TYPES

AGGREGATES = ("sum", "avg", "min", "max", "median", "stddev", "count", "percentile", "listagg", "rows")
ASKED = ("the", "single", "filtered", "on_axis")
SPECIAL = ("cast", "extract", "substring", "position", "trim", "start_of", "end_of")
TYPE_WORDS = {t: t for t in COLUMN_TYPES} | {"timestamp": "datetime"}
PLAIN_FUNCTIONS = {name.lower() for name, f in FUNCTIONS.items() if not f.operator and " " not in name}


class FunctionsParser(EditsParser):
    """Whatever is a name with brackets behind it."""

    def function(self) -> s.Node:
        token = self.take()
        self.take()
        self.deeper()
        word = token.word()
        free, self.bare_in_ends = self.bare_in_ends, False
        try:
            return self.function_body(word, token)
        finally:
            self.level -= 1
            self.bare_in_ends = free

    def function_body(self, word: str, token: Token) -> s.Node:
        if word in AGGREGATES:
            return self.aggregate(token)
        if word in ASKED:
            return self.asked(token)
        if word == "rank":
            return self.rank(token)
        special = {
            "cast": self.cast,
            "extract": self.extract,
            "substring": self.substring,
            "position": self.position,
            "trim": self.trim,
            "start_of": self.edge,
            "end_of": self.edge,
        }.get(word)
        if special:
            return self.counted(special(token))
        arguments = [] if self.is_op(")") else self.list_of(self.expression)
        end = self.expect_op(")", "after the arguments")
        span = token.span.to(end.span)
        if word not in PLAIN_FUNCTIONS:
            self.wrong.append(self.unknown_function(word, token))
            return s.Broken(span)
        return self.counted(s.Call(span, word.upper(), tuple(arguments), token.span))

    def unknown_function(self, word: str, token: Token) -> Diagnostic:
        same, hint = INSTEAD.get(word, ("", ""))
        if same or hint:
            close = [same] if same else []
        else:
            close = near(token.text, [*AGGREGATES, *ASKED, "rank", *PLAIN_FUNCTIONS, *SPECIAL])
        hint = hint or (f"Did you mean {' or '.join(close)}?" if close else "")
        mends = tuple(Mend(f"write {n}", token.span, n) for n in close)
        return Diagnostic("unknown_function", f"The function {token.text} does not exist.", token.span, hint=hint, mends=mends)

    def closed(self, function: str, token: Token, *arguments: s.Node) -> s.Node:
        end = self.expect_op(")", "after the arguments")
        return s.Call(token.span.to(end.span), function, arguments, token.span)

    def cast(self, token: Token) -> s.Node:
        operand = self.expression()
        self.expect_word("as")
        kind = TYPE_WORDS.get(self.token.word())
        if kind is None:
            raise self.fail(f"{self.shown()} is not a type.", f"The types are {', '.join(COLUMN_TYPES)}.")
        self.take()
        return self.closed(f"CAST {kind}", token, operand)

    def extract(self, token: Token) -> s.Node:
        part = self.take()
        if part.text.upper() not in (*DAY_PARTS, *TIME_PARTS):
            raise self.fail(
                f"{part.text!r} is not a part of a date.", f"The parts are {', '.join((*DAY_PARTS, *TIME_PARTS))}.", span=part.span
            )
        self.expect_word("from")
        return self.closed(f"EXTRACT {part.text.upper()}", token, self.expression())

    def substring(self, token: Token) -> s.Node:
        arguments = [self.expression()]
        for word in ("from", "for"):
            if self.skip_op(",") or self.skip_word(word):
                arguments.append(self.expression())
        return self.closed("SUBSTRING", token, *arguments)

    def position(self, token: Token) -> s.Node:
        part = self.expression(self.ADDED)
        self.expect_word("in")
        return self.closed("POSITION", token, part, self.expression())

    def trim(self, token: Token) -> s.Node:
        side = self.take().text.upper() if self.is_word("both", "leading", "trailing") else "BOTH"
        first = s.Literal(self.token.span, "text", " ") if self.is_word("from") else self.expression()
        if self.skip_word("from"):
            return self.closed(f"TRIM {side}", token, self.expression(), first)
        return self.closed(f"TRIM {side}", token, first)

    def edge(self, token: Token) -> s.Node:
        unit = self.take()
        if unit.text.upper() not in UNITS:
            raise self.fail(f"{unit.text!r} is not a unit here.", f"The units are {', '.join(u.lower() for u in UNITS)}.", span=unit.span)
        self.expect_op(",", "after the unit")
        return self.closed(f"{token.word()} {unit.text.upper()}", token, self.expression())

    def aggregate(self, token: Token) -> s.Node:
        word = token.word()
        distinct = word == "count" and self.skip_word("distinct")
        if self.is_op(")"):
            raise self.fail(
                f"{word}( ) needs something to work on.",
                "rows(Table) counts rows." if word in ("count", "rows") else f"Write {word}(Table.column).",
            )
        if word == "count" and self.is_op("*"):
            raise self.fail("count(*) does not say whose rows are counted.", "Write rows(Table).", span=self.token.span)
        argument, extra, where, over = None, None, None, None
        if word == "rows":
            over = self.guarded_rows()
        else:
            argument = self.guarded(self.expression)
            if word in ("percentile", "listagg"):
                what = "the share, as in percentile(Table.column, 0.9)" if word == "percentile" else "what stands between the texts"
                self.expect_op(",", f"before {what}")
                extra = self.guarded(self.expression)
            if self.is_word("where"):
                self.take()
                where = self.guarded(self.expression)
            if self.is_word("for") and self.peek().word() == "each":
                self.at += 2
                over = self.guarded_rows()
        end = self.expect_op(")", "after the aggregate")
        return self.counted(s.Aggregate(token.span.to(end.span), word, argument, distinct, where, extra, over))

    def asked(self, token: Token) -> s.Node:
        word = token.word()
        column, table, default = None, "", None
        if self.peek().kind == "op" and self.peek().text == ".":
            column = self.column()
        elif word == "filtered":
            table = self.table_name("Write filtered(Table.column) or filtered(Table).")
        else:
            raise self.fail(f"{word} asks about a column.", f"Write {word}(Table.column).")
        if word == "the" and self.skip_op(","):
            default = self.guarded(self.expression)
        end = self.expect_op(")", "after the column")
        return self.counted(s.Asked(token.span.to(end.span), word, table, column, default))

    def rank(self, token: Token) -> s.Node:
        operand = self.guarded(self.expression)
        self.expect_word("among")
        among = self.guarded_rows()
        ascending = self.skip_word("asc")
        if not ascending:
            self.skip_word("desc")
        end = self.expect_op(")", "after the rank")
        return self.counted(s.Rank(token.span.to(end.span), operand, among, ascending))
