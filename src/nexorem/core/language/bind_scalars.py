"""Binding scalars: functions, operators, lists and CASE."""

from __future__ import annotations

from collections.abc import Sequence

from nexorem.core.diagnostics import Mend, Span
from nexorem.core.functions.library import FUNCTIONS, IN_ROW
from nexorem.core.functions.registry import Function, common_type
from nexorem.core.language import syntax as s
from nexorem.core.language import typed as t
from nexorem.core.language.names import Names, Scope
from nexorem.core.values import NUMERIC
from nexorem.core.words import an


class ScalarBinder(Names):
    """Scalars of either shape."""

    def _apply(self, function: Function, arguments: tuple[t.Typed, ...], span: Span) -> t.Typed:
        if not function.least <= len(arguments) <= function.most:
            count = str(function.least) if function.least == function.most else f"{function.least} to {function.most}"
            return self.report("argument_count", f"{function.signature} takes {count} arguments; here are {len(arguments)}.", span)
        dtype = function.result([a.dtype for a in arguments])
        if dtype is None:
            return self._misfit(function, arguments, span)
        return t.Apply(span, dtype, function, arguments)

    def _misfit(self, function: Function, arguments: Sequence[t.Typed], span: Span) -> t.Unknown:
        kinds = [a.dtype for a in arguments]
        hint, mends = "", []
        if function.name in ("+", "-") and set(kinds) == {"date", "integer"}:
            hint = "Say how far: DATE + INTERVAL '1' DAY."
            if isinstance(days := arguments[1], t.Const):
                mends = [Mend("write it as an interval of days", days.span, f"INTERVAL '{days.value}' DAY")]
        elif "text" in kinds and set(kinds) & set(NUMERIC):
            hint = "Bring one to the other's type with CAST(x AS type)."
        named = " and ".join(dict.fromkeys(kinds))
        return self.report("wrong_type", f"{function.signature} does not take {named}.", span, hint, mends)

    def _chain(self, node: s.Chain, scope: Scope) -> t.Typed:
        arguments = tuple(self.bind(o, scope) for o in node.operands)
        functions = self._operators(node.ops, arguments)
        dtype = arguments[0].dtype
        for function, argument in zip(functions, arguments[1:], strict=True):
            result = function.result([dtype, argument.dtype])
            if result is None:
                left = t.Unknown(arguments[0].span, dtype)
                return self._misfit(function, (left, argument), node.operands[0].span.to(argument.span))
            dtype = result
        return t.Fold(node.span, dtype, functions, arguments)

    def _operators(self, ops: Sequence[str], arguments: Sequence[t.Typed]) -> tuple[Function, ...]:
        """The operators of a chain. From the first side on that has a column of the row, + and - are those of rows."""
        functions, in_row = [], t.of_row(arguments[0])
        for op, argument in zip(ops, arguments[1:], strict=True):
            in_row = in_row or t.of_row(argument)
            functions.append(IN_ROW[op] if in_row and op in IN_ROW else FUNCTIONS[op])
        return tuple(functions)

    def _in_list(self, node: s.InList, scope: Scope) -> t.Typed:
        operand = self.bind(node.operand, scope)
        items = tuple(self.bind(i, scope) for i in node.items)
        for item in items:
            if common_type([operand.dtype, item.dtype]) is None:
                return self.report("wrong_type", f"{an(operand.dtype).capitalize()} is never equal to {an(item.dtype)}.", item.span)
        if common_type([operand.dtype, *(i.dtype for i in items)]) is None:
            kinds = " and ".join(dict.fromkeys(i.dtype for i in items))
            return self.report("wrong_type", f"The items of a list are of one type; here are {kinds}.", node.span)
        member = t.Member(node.span, "boolean", operand, items)
        return self._apply(FUNCTIONS["NOT"], (member,), node.span) if node.negated else member

    def _case(self, node: s.Case, scope: Scope) -> t.Typed:
        operand = self.bind(node.operand, scope) if node.operand else None
        branches = []
        for when, then in node.branches:
            condition = self.bind(when, scope)
            if operand is not None:
                condition = self._apply(FUNCTIONS["="], (operand, condition), when.span)
            elif condition.dtype not in ("boolean", "null"):
                condition = self.report("wrong_type", f"A condition is true or false; this is {an(condition.dtype)}.", when.span)
            branches.append((condition, self.bind(then, scope)))
        otherwise = self.bind(node.otherwise, scope) if node.otherwise else t.Const(node.span, "null", None)
        dtype = common_type([*(b.dtype for _, b in branches), otherwise.dtype])
        if dtype is None:
            kinds = " and ".join(dict.fromkeys([*(b.dtype for _, b in branches), otherwise.dtype]))
            return self.report("wrong_type", f"The branches of a CASE have one type; here are {kinds}.", node.span)
        return t.Cases(node.span, dtype, tuple(branches), otherwise)
