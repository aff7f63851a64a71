"""Tokens to a syntax tree, by precedence climbing. After an error it goes on at the next comma or bracket."""

from __future__ import annotations

from collections.abc import Callable

from nexorem.core.diagnostics import Diagnostic, Mend, Span, near
from nexorem.core.functions.convert import parse_date, parse_datetime
from nexorem.core.functions.dates import DAY_PARTS, INTERVAL_UNITS, TIME_PARTS, UNITS
from nexorem.core.functions.library import FUNCTIONS
from nexorem.core.language import syntax as s
from nexorem.core.language.lexer import Token
from nexorem.core.language.tokens import Stuck, TokenReader
from nexorem.core.limits import DEFAULT_LIMITS, Limits
from nexorem.core.model.names import RESERVED
from nexorem.core.values import COLUMN_TYPES

AGGREGATES = ("sum", "avg", "min", "max", "count", "rows")
EDIT_WORDS = ("set", "keep", "clear", "via")
COMPARISONS = ("=", "<>", "<", "<=", ">", ">=")
TYPE_WORDS = {t: t for t in COLUMN_TYPES} | {"timestamp": "datetime"}
OR, AND, NOT, COMPARE, ADD, MULTIPLY, SIGN = range(1, 8)
CHAINED = {
    "or": (OR, "OR"), "and": (AND, "AND"), "+": (ADD, "+"), "-": (ADD, "-"), "||": (ADD, "||"), "*": (MULTIPLY, "*"),
    "/": (MULTIPLY, "/"), "%": (MULTIPLY, "%"),
}  # fmt: skip
COMPARE_WORDS = (*COMPARISONS, "is", "in", "not", "between", "like")
PLAIN_FUNCTIONS = {name.lower() for name, f in FUNCTIONS.items() if not f.operator and " " not in name}


class Parser(TokenReader):
    """Reads one formula."""

    # whole formula

    def formula(self) -> s.Node:
        """The whole text as one expression."""
        try:
            node = self.expression()
            if self.token.kind != "end":
                raise self.fail(*self.left_over())
        except Stuck:
            return s.Broken(Span(0, 0))
        return node

    def left_over(self) -> tuple[str, str]:
        if self.is_op(")"):
            return "This bracket closes nothing.", "Leave it out, or open one before it."
        if self.is_op(*COMPARISONS):
            return "Comparisons do not chain.", "Join two of them with AND."
        return f"{self.shown()} is not expected here.", "An operator may be missing before it."

    # expressions

    def expression(self, lowest: int = OR) -> s.Node:
        """An expression whose operators bind at least as tightly as `lowest`."""
        left = self.prefix(lowest)
        tightest = MULTIPLY
        while True:
            text = self.token.word() or (self.token.text if self.token.kind == "op" else "")
            level, _ = CHAINED.get(text, (0, ""))
            if level and lowest <= level <= tightest:
                left, tightest = self.chain(left, level), level
            elif lowest <= COMPARE < tightest and self.starts_comparison(text):
                left, tightest = self.comparison(left), NOT
            else:
                return left

    def starts_comparison(self, text: str) -> bool:
        return text in COMPARE_WORDS and (text != "not" or self.peek().word() in ("in", "between", "like"))

    def chain(self, first: s.Node, level: int) -> s.Node:
        operands: list[s.Node] = [first]
        ops: list[str] = []
        while True:
            text = self.token.word() or self.token.text
            found, name = CHAINED.get(text, (0, "")) if self.token.kind in ("op", "name") else (0, "")
            if found != level:
                span = operands[0].span.to(operands[-1].span)
                return self.counted(s.Chain(span, tuple(operands), tuple(ops)))
            self.take()
            ops.append(name)
            operands.append(self.counted(self.expression(level + 1)))

    def prefix(self, lowest: int) -> s.Node:
        token = self.token
        if token.word() == "not" and lowest <= NOT:
            return self.unary("NOT", NOT)
        if self.is_op("-") and lowest <= SIGN:
            return self.unary("negate", SIGN)
        if self.is_op("+") and lowest <= SIGN:
            self.take()
            self.deeper()
            node = self.expression(SIGN)
            self.level -= 1
            return node
        return self.postfix(self.primary())

    def unary(self, function: str, level: int) -> s.Node:
        token = self.take()
        self.deeper()
        operand = self.expression(level)
        self.level -= 1
        return self.counted(s.Call(token.span.to(operand.span), function, (operand,), token.span))

    def call(self, function: str, token: Token, *arguments: s.Node) -> s.Node:
        span = token.span
        for argument in arguments:
            span = span.to(argument.span)
        return self.counted(s.Call(span, function, tuple(arguments), token.span))

    def comparison(self, left: s.Node) -> s.Node:
        token = self.take()
        if token.kind == "op":
            return self.call(token.text, token, left, self.expression(ADD))
        if token.word() == "is":
            return self.is_test(left, token)
        negated = token.word() == "not"
        node = self.word_test(left, self.take() if negated else token, negated)
        return self.call("NOT", token, node) if negated and not isinstance(node, s.InList) else node

    def is_test(self, left: s.Node, token: Token) -> s.Node:
        negated = self.skip_word("not")
        if self.skip_word("null"):
            node = self.call("IS NULL", token, left)
        elif self.skip_word("distinct"):
            self.expect_word("from")
            node = self.call("IS DISTINCT FROM", token, left, self.expression(ADD))
        else:
            raise self.fail(f"{self.shown()} cannot follow IS.", "Write IS [NOT] NULL or IS [NOT] DISTINCT FROM.")
        return self.call("NOT", token, node) if negated else node

    def word_test(self, left: s.Node, token: Token, negated: bool) -> s.Node:
        if token.word() == "in":
            self.expect_op("(", "before the list")
            items = self.list_of(self.expression)
            end = self.expect_op(")", "after the list")
            return self.counted(s.InList(left.span.to(end.span), left, tuple(items), negated))
        if token.word() == "between":
            low = self.expression(ADD)
            self.expect_word("and")
            high = self.expression(ADD)
            return self.call("AND", token, self.call(">=", token, left, low), self.call("<=", token, left, high))
        pattern = self.expression(ADD)
        more = (self.expression(ADD),) if self.skip_word("escape") else ()
        return self.call("LIKE", token, left, pattern, *more)

    def list_of(self, read: Callable[[], s.Node]) -> list[s.Node]:
        items = [self.guarded(read)]
        while self.skip_op(","):
            items.append(self.guarded(read))
        return items

    def postfix(self, node: s.Node) -> s.Node:
        levels = 0
        while self.is_word("given"):
            self.take()
            self.deeper()
            levels += 1
            self.expect_op("(", "after given")
            edits = [self.edit()]
            while self.skip_op(","):
                edits.append(self.edit())
            end = self.expect_op(")", "after the edits")
            node = self.counted(s.Given(node.span.to(end.span), node, tuple(edits)))
        self.level -= levels
        return node

    # primaries

    def primary(self) -> s.Node:
        token = self.token
        if token.kind == "number":
            self.take()
            return self.counted(number_literal(token))
        if token.kind == "string":
            self.take()
            return self.counted(s.Literal(token.span, "text", token.text))
        if self.is_op("("):
            return self.bracket()
        if token.kind in ("name", "quoted"):
            return self.named()
        if token.kind == "end":
            raise self.fail("The formula ends where a value is expected.")
        raise self.fail(f"{self.shown()} stands where a value is expected.")

    def bracket(self) -> s.Node:
        self.take()
        self.deeper()
        node = self.guarded(self.expression)
        self.expect_op(")", "to close the bracket")
        self.level -= 1
        return node

    def named(self) -> s.Node:
        token = self.token
        following = self.peek()
        word = token.word()
        if following.kind == "op" and following.text == ".":
            return self.counted(self.column())
        if word in ("date", "timestamp") and following.kind == "string":
            return self.moment(word)
        if word == "interval":
            return self.interval()
        if word in ("true", "false", "null"):
            self.take()
            value = None if word == "null" else word == "true"
            return self.counted(s.Literal(token.span, "null" if value is None else "boolean", value))
        if word == "case":
            return self.case()
        if following.kind == "op" and following.text == "(" and token.kind == "name":
            return self.function()
        if word in RESERVED:
            raise self.fail(
                f"{token.text!r} stands where a value is expected.",
                f'A name that is a word of the language stands in double quotes: "{token.text}".',
            )
        self.take()
        return self.counted(s.BareName(token.span, token.text))

    def column(self) -> s.ColumnName:
        table = self.take()
        if table.kind not in ("name", "quoted"):
            raise self.fail(f"{table.text!r} stands where a column is expected.", "Write Table.column.", span=table.span)
        self.expect_op(".", "between table and column")
        column = self.take()
        if column.kind not in ("name", "quoted"):
            raise self.fail(f"A column's name is missing after {table.text}.", "Write Table.column.", span=table.span.to(column.span))
        return s.ColumnName(table.span.to(column.span), table.text, column.text)

    def moment(self, word: str) -> s.Node:
        start, text = self.take(), self.take()
        span = start.span.to(text.span)
        value = parse_date(text.text) if word == "date" else parse_datetime(text.text)
        if value is None:
            shape = "'2031-04-30'" if word == "date" else "'2031-04-30 12:00:00'"
            raise self.fail(f"{text.text!r} is no {word}.", f"Write it as {shape}.", "bad_literal", span)
        return self.counted(s.Literal(span, "date" if word == "date" else "datetime", value))

    def interval(self) -> s.Node:
        start, text, unit = self.take(), self.take(), self.take()
        span = start.span.to(unit.span)
        kind, size = INTERVAL_UNITS.get(unit.text.upper(), ("", 0))
        if (
            text.kind != "string"
            or not kind
            or not text.text.strip().lstrip("+-").isascii()
            or not text.text.strip().lstrip("+-").isdigit()
            or len(text.text) > 9
        ):
            units = ", ".join(INTERVAL_UNITS)
            raise self.fail("This is no interval.", f"Write INTERVAL '1' MONTH; the units are {units}.", "bad_literal", span)
        return self.counted(s.Literal(span, kind, int(text.text) * size))

    def case(self) -> s.Node:
        start = self.take()
        self.deeper()
        operand = None if self.is_word("when") else self.expression()
        branches = []
        while self.skip_word("when"):
            condition = self.expression()
            self.expect_word("then")
            branches.append((condition, self.expression()))
        if not branches:
            raise self.fail("A CASE needs at least one WHEN.")
        otherwise = self.expression() if self.skip_word("else") else None
        end = self.expect_word("end")
        self.level -= 1
        return self.counted(s.Case(start.span.to(end.span), operand, tuple(branches), otherwise))

    def function(self) -> s.Node:
        token = self.take()
        self.take()
        self.deeper()
        word = token.word()
        try:
            return self.function_body(word, token)
        finally:
            self.level -= 1

    def function_body(self, word: str, token: Token) -> s.Node:
        if word in AGGREGATES:
            return self.aggregate(token)
        special = {"cast": self.cast, "extract": self.extract, "substring": self.substring, "position": self.position,
                   "trim": self.trim, "start_of": self.edge, "end_of": self.edge}.get(word)  # fmt: skip
        if special:
            return self.counted(special(token))
        arguments = [] if self.is_op(")") else self.list_of(self.expression)
        end = self.expect_op(")", "after the arguments")
        span = token.span.to(end.span)
        if word not in PLAIN_FUNCTIONS:
            known = [*AGGREGATES, *PLAIN_FUNCTIONS, "cast", "extract", "substring", "position", "trim", "start_of", "end_of"]
            close = near(token.text, known)
            mends = tuple(Mend(f"write {n}", token.span, n) for n in close)
            self.wrong.append(
                Diagnostic(
                    "unknown_function",
                    f"There is no function {token.text}.",
                    token.span,
                    hint=f"Did you mean {' or '.join(close)}?" if close else "",
                    mends=mends,
                )
            )
            return s.Broken(span)
        return self.counted(s.Call(span, word.upper(), tuple(arguments), token.span))

    def closed(self, function: str, token: Token, *arguments: s.Node) -> s.Node:
        end = self.expect_op(")", "after the arguments")
        return s.Call(token.span.to(end.span), function, arguments, token.span)

    def cast(self, token: Token) -> s.Node:
        operand = self.expression()
        self.expect_word("as")
        kind = TYPE_WORDS.get(self.token.word())
        if kind is None:
            raise self.fail(f"{self.shown()} is no type.", f"The types are {', '.join(COLUMN_TYPES)}.")
        self.take()
        return self.closed(f"CAST {kind}", token, operand)

    def extract(self, token: Token) -> s.Node:
        part = self.take()
        if part.text.upper() not in (*DAY_PARTS, *TIME_PARTS):
            raise self.fail(
                f"{part.text!r} is no part of a date.", f"The parts are {', '.join((*DAY_PARTS, *TIME_PARTS))}.", span=part.span
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
        part = self.expression(ADD)
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
            raise self.fail(f"{unit.text!r} is no unit here.", f"The units are {', '.join(u.lower() for u in UNITS)}.", span=unit.span)
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
        argument = self.table_name() if word == "rows" else self.guarded(self.expression)
        where = self.expression() if self.skip_word("where") else None
        end = self.expect_op(")", "after the aggregate")
        return self.counted(s.Aggregate(token.span.to(end.span), word, argument, distinct, where))

    def table_name(self) -> s.Node:
        token = self.take()
        if token.kind not in ("name", "quoted"):
            raise self.fail(f"{token.text!r} stands where a table is expected.", "Write rows(Table).", span=token.span)
        if self.is_op("."):
            raise self.fail(
                "rows counts the rows of a table.", f"Write rows({token.text}), or count(distinct {token.text}.…).", span=token.span
            )
        return s.BareName(token.span, token.text)

    # edits

    def edit(self) -> s.Edit:
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
            predicate = self.expression()
            return s.SetWhere(token.span.to(predicate.span), word == "keep", predicate)
        if word == "clear":
            target = self.target()
            but = self.target() if self.skip_word("but") else None
            return s.Clear(token.span.to((but or target).span), target, but)
        if word == "via":
            return self.via(token)
        close = near(token.text, EDIT_WORDS)
        mends = tuple(Mend(f"write {n}", token.span, n) for n in close)
        raise self.fail(f"{token.text!r} is no edit.", f"An edit starts with {', '.join(EDIT_WORDS)}.", "unknown_edit", token.span, mends)

    def target(self) -> s.Target:
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

    def column_list(self) -> tuple[s.ColumnName, ...]:
        if not self.skip_op("("):
            return (self.column(),)
        columns = [self.column()]
        while self.skip_op(","):
            columns.append(self.column())
        self.expect_op(")", "after the columns")
        return tuple(columns)

    def via(self, token: Token) -> s.Edit:
        if self.is_word("link") and self.peek().kind == "quoted":
            self.take()
            name = self.take()
            return s.Via(token.span.to(name.span), name.text, (), ())
        left = self.column_list()
        self.expect_op("=", "between the link's ends")
        right = self.column_list()
        return s.Via(token.span.to(self.tokens[self.at - 1].span), "", left, right)


def number_literal(token: Token) -> s.Literal:
    """An integer, or a number where it has a point, an exponent or more than 64 bits."""
    if token.text.isdigit() and len(token.text) < 20 and int(token.text) < 2**63:
        return s.Literal(token.span, "integer", int(token.text))
    value = float(token.text)
    return s.Literal(token.span, "number", value if value != float("inf") else None)


def parse(text: str, limits: Limits = DEFAULT_LIMITS) -> tuple[s.Node, list[Diagnostic]]:
    """The syntax tree and everything that is wrong with the text; raises OverLimit at once where a bound is met."""
    parser = Parser(text, limits)
    node = parser.formula()
    return node, parser.wrong
