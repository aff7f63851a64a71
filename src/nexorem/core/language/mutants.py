"""A formula broken on purpose, one small change at a time, as its author might have written it by mistake."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, fields, is_dataclass
from typing import Any, assert_never

from nexorem.core.diagnostics import Span
from nexorem.core.language import syntax as s
from nexorem.core.language.lexer import Token, tokenize
from nexorem.core.language.parser import parse

TURNED = {"<": ">", "<=": ">=", ">": "<", ">=": "<=", "=": "<>", "<>": "="}
TERMS = ("+", "-")


@dataclass(frozen=True, slots=True)
class Mutant:
    """A formula with one change in it, and the change in words."""

    words: str
    formula: str


def mutants(formula: str) -> list[Mutant]:
    """All changes of a formula by its syntax alone; none for one that cannot be read. Each is another formula that can be read; whether it
    means something in a model is not looked at."""
    syntax, wrong = parse(formula)
    if wrong:
        return []
    maker = _Maker(formula, tokenize(formula)[0])
    made = {m.formula: m for m in maker.inside(syntax) if m.formula != formula and not parse(m.formula)[1]}
    return list(made.values())


def replaced(formula: str, span: Span, text: str) -> str:
    """A formula with other words at a place of it."""
    return formula[: span.start] + text + formula[span.end :]


class _Maker:
    def __init__(self, formula: str, tokens: Sequence[Token]) -> None:
        self.formula, self.tokens = formula, tokens

    def inside(self, node: Any) -> Iterator[Mutant]:
        """The changes of a piece of syntax and of all that is in it, in the formula's order."""
        if isinstance(node, tuple):
            for part in node:
                yield from self.inside(part)
        elif is_dataclass(node):
            yield from self.of(node)
            for f in fields(node):
                yield from self.inside(getattr(node, f.name))

    def of(self, node: Any) -> Iterator[Mutant]:
        """The changes of one node."""
        match node:
            case s.Chain() if node.ops[0] in TERMS:
                yield from self._terms(node)
            case s.Call() if node.function in TURNED:
                if self._text(node.name_span) == node.function:  # BETWEEN is two comparisons in one word
                    yield self._at(node.name_span, TURNED[node.function], f"{self._text(node.span)} turned round")
                yield from self._bounds(node.arguments)
            case s.Aggregate():
                yield from self._aggregate(node)
            case s.Given():
                yield from self._dropped(node)
                for edit in node.edits:
                    yield from self._edit(edit)
            case _:
                pass

    def _text(self, span: Span) -> str:
        return self.formula[span.start : span.end]

    def _at(self, span: Span, text: str, words: str) -> Mutant:
        return Mutant(words, replaced(self.formula, span, text))

    def _between(self, start: int, end: int, text: str) -> Token:
        """The first token of these words between two places, brackets passed over."""
        return next(x for x in self.tokens if start <= x.span.start < end and x.text.lower() == text.lower())

    def _terms(self, node: s.Chain) -> Iterator[Mutant]:
        for place, op in enumerate(node.ops):
            left, right = node.operands[place], node.operands[place + 1]
            sign = self._between(left.span.end, right.span.start, op)
            span = self._balanced(Span(sign.span.start, right.span.end))
            yield self._at(span, "", f"without {self._text(span).strip()}")
            if place == 0 and op == "+":
                span = self._balanced(Span(left.span.start, sign.span.end), back=True)
                yield self._at(span, "", f"without {self._text(span).strip()}")

    def _balanced(self, span: Span, back: bool = False) -> Span:
        """A span with the brackets that close what is opened in it, or that open what it closes."""
        inside = [x.text for x in self.tokens if span.start <= x.span.start < span.end and x.kind == "op"]
        if back:
            for token in reversed([x for x in self.tokens if x.span.end <= span.start]):
                if inside.count(")") <= inside.count("(") or token.text != "(":
                    break
                span = Span(token.span.start, span.end)
                inside.append("(")
            return span
        for token in (x for x in self.tokens if x.span.start >= span.end):
            if inside.count("(") <= inside.count(")") or token.text != ")":
                break
            span = Span(span.start, token.span.end)
            inside.append(")")
        return span

    def _bounds(self, arguments: Sequence[s.Node]) -> Iterator[Mutant]:
        for bound in arguments:
            if isinstance(bound, s.Literal) and (text := _further(bound)):
                yield self._at(bound.span, text, f"{text} in place of {self._text(bound.span)}")

    def _aggregate(self, node: s.Aggregate) -> Iterator[Mutant]:
        name = next(x for x in self.tokens if x.span.start == node.span.start)
        other = {"sum": "avg", "avg": "sum"}.get(node.function)
        if other:
            yield self._at(name.span, other, f"{other} in place of {node.function}")
        if node.function == "count" and node.argument is not None:
            if node.distinct:
                word = self._between(node.span.start, node.argument.span.start, "distinct")
                yield self._at(Span(word.span.start, node.argument.span.start), "", "repeats counted too")
            else:
                at = node.argument.span.start
                yield self._at(Span(at, at), "distinct ", "repeats counted once")

    def _dropped(self, node: s.Given) -> Iterator[Mutant]:
        """Without one of its edits; without the whole `given` where there is no other."""
        if len(node.edits) == 1:
            word = self._between(node.operand.span.end, node.edits[0].span.start, "given")
            yield self._at(Span(word.span.start, node.span.end), "", f"without {self._text(node.edits[0].span)}")
            return
        for place, edit in enumerate(node.edits):
            if place:
                start = self._between(node.edits[place - 1].span.end, edit.span.start, ",").span.start
                span = Span(start, edit.span.end)
            else:
                span = Span(edit.span.start, node.edits[1].span.start)
            yield self._at(self._balanced(span) if place else span, "", f"without {self._text(edit.span)}")

    def _edit(self, edit: s.Edit) -> Iterator[Mutant]:
        word = next(x for x in self.tokens if x.span.start == edit.span.start)
        match edit:
            case s.SetWhere() | s.SetIn():
                other = "set" if edit.keep else "keep"
                yield self._at(word.span, other, f"{other} in place of {word.text}")
            case s.Clear() | s.Reset():
                yield from self._target(edit)
            case s.Shift():
                yield self._moved(edit.by, edit.unit)
            case s.Stretch(by=by) if by is not None:
                yield self._moved(by, edit.unit)
            case s.Stretch() | s.Via() | s.Flow() | s.MatchColumns() | s.MatchWhere() | s.BrokenEdit():
                pass
            case _:
                assert_never(edit)

    def _target(self, edit: s.Clear | s.Reset) -> Iterator[Mutant]:
        if edit.but is not None:
            word = self._between(edit.target.span.end, edit.but.span.start, "but")
            yield self._at(self._balanced(Span(word.span.start, edit.but.span.end)), "", f"without but {self._text(edit.but.span)}")
        if edit.target.kind in ("wide", "into"):
            word = self._between(edit.target.span.start, edit.target.span.end, edit.target.kind)
            other = "into" if edit.target.kind == "wide" else "wide"
            yield self._at(word.span, other, f"{other} in place of {edit.target.kind}")

    def _moved(self, by: s.Node, unit: str) -> Mutant:
        further = self._balanced(by.span)
        number = _whole(by)
        text = str(number + (1 if number > 0 else -1)) if number is not None else f"({self._text(further)}) + 1"
        return self._at(further, text, f"{text} {unit} in place of {self._text(further)}")


def _whole(node: s.Node) -> int | None:
    """A whole number as it is written, with its sign."""
    if isinstance(node, s.Literal) and isinstance(node.value, int) and not isinstance(node.value, bool):
        return node.value
    if isinstance(node, s.Call) and node.function == "negate" and (inner := _whole(node.arguments[0])) is not None:
        return -inner
    return None


def _further(bound: s.Literal) -> str:
    """The next value after a bound, as a formula writes it; empty where there is none."""
    value = bound.value
    if isinstance(value, bool) or value is None:
        return ""
    if isinstance(value, int) and bound.dtype == "integer":
        return str(value + 1)
    if isinstance(value, float):
        return repr(value * 1.1 if value else 1.0)
    if isinstance(value, dt.date) and not isinstance(value, dt.datetime) and value < dt.date.max:
        return f"DATE '{value + dt.timedelta(days=1)}'"
    return ""
