"""Tokens to a syntax tree, by precedence climbing. After an error it goes on at the next comma or bracket."""

from __future__ import annotations

from functools import lru_cache

from nexorem.core.diagnostics import Diagnostic, Span
from nexorem.core.functions.convert import parse_date, parse_datetime
from nexorem.core.functions.dates import INTERVAL_UNITS
from nexorem.core.language import syntax as s
from nexorem.core.language.functions_parser import FunctionsParser
from nexorem.core.language.lexer import Token
from nexorem.core.language.tokens import Stuck
from nexorem.core.limits import DEFAULT_LIMITS, Limits
from nexorem.core.model.names import RESERVED

COMPARISONS = ("=", "<>", "<", "<=", ">", ">=")
OR, AND, NOT, COMPARE, ADD, MULTIPLY, SIGN = range(1, 8)
CHAINED = {
    "or": (OR, "OR"),
    "and": (AND, "AND"),
    "+": (ADD, "+"),
    "-": (ADD, "-"),
    "||": (ADD, "||"),
    "*": (MULTIPLY, "*"),
    "/": (MULTIPLY, "/"),
    "%": (MULTIPLY, "%"),
}
COMPARE_WORDS = (*COMPARISONS, "is", "in", "not", "between", "like")


class Parser(FunctionsParser):
    """Reads one formula."""

    ADDED = ADD

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
        if text == "in" and self.bare_in_ends:
            return False
        return text in COMPARE_WORDS and (text != "not" or self.peek().word() in ("in", "between", "like"))

    def chain(self, first: s.Node, level: int) -> s.Node:
        operands: list[s.Node] = [first]
        ops: list[str] = []
        while True:
            text = self.token.word() or self.token.text
            strength, name = CHAINED.get(text, (0, "")) if self.token.kind in ("op", "name") else (0, "")
            if strength != level:
                span = operands[0].span.to(operands[-1].span)
                return self.counted(s.Chain(span, tuple(operands), tuple(ops)))
            self.take()
            ops.append(name)
            operands.append(self.counted(self.expression(level + 1)))

    def prefix(self, lowest: int) -> s.Node:
        token = self.token
        if token.word() == "let" and self.peek().kind in ("name", "quoted") and self.peek(2).text == "=":
            return self.let()
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

    def let(self) -> s.Node:
        """`let a = …, b = … in …`; the body reaches as far as it can."""
        start = self.take()
        self.deeper()
        outer, self.bare_in_ends = self.bare_in_ends, True
        definitions = self.definitions()
        self.bare_in_ends = outer
        self.expect_word("in")
        body = self.expression()
        self.level -= 1
        return self.counted(s.Let(start.span.to(body.span), definitions, body))

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

    def postfix(self, node: s.Node) -> s.Node:
        levels = 0
        while self.is_word("given"):
            self.take()
            self.deeper()
            levels += 1
            self.expect_op("(", "after given")
            outer, self.bare_in_ends = self.bare_in_ends, False
            edits = [self.edit()]
            while self.skip_op(","):
                edits.append(self.edit())
            self.bare_in_ends = outer
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
        outer, self.bare_in_ends = self.bare_in_ends, False
        node = self.guarded(self.expression)
        self.bare_in_ends = outer
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
            raise self.fail("This is not an interval.", f"Write INTERVAL '1' MONTH; the units are {units}.", "bad_literal", span)
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


def number_literal(token: Token) -> s.Literal:
    """An integer, or a number where it has a point, an exponent or more than 64 bits."""
    if token.text.isdigit() and len(token.text) < 20 and int(token.text) < 2**63:
        return s.Literal(token.span, "integer", int(token.text))
    value = float(token.text)
    return s.Literal(token.span, "number", value if value != float("inf") else None)


def parse(text: str, limits: Limits = DEFAULT_LIMITS) -> tuple[s.Node, list[Diagnostic]]:
    """The syntax tree and everything that is wrong with the text; raises OverLimit at once where a bound is met."""
    node, wrong = _parsed(text, limits)
    return node, list(wrong)


def parse_rows(text: str, limits: Limits = DEFAULT_LIMITS) -> tuple[s.Rows, list[Diagnostic]]:
    """The same for a table expression."""
    parser = Parser(text, limits)
    try:
        rows = parser.rows()
        if parser.token.kind != "end":
            raise parser.fail(*parser.left_over())
    except Stuck:
        rows = s.BrokenRows(Span(0, 0))
    return rows, parser.wrong


@lru_cache(maxsize=512)
def _parsed(text: str, limits: Limits) -> tuple[s.Node, tuple[Diagnostic, ...]]:
    parser = Parser(text, limits)
    node = parser.formula()
    return node, tuple(parser.wrong)
