"""Syntax to typed nodes: names, types, grains and look-ups. Reports everything that is wrong, each with its span."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from nexorem.core.diagnostics import Diagnostic, Mend, OverLimit, Refused, Span, near
from nexorem.core.functions.library import FUNCTIONS
from nexorem.core.functions.registry import Function, common_type
from nexorem.core.language import grain as grains
from nexorem.core.language import syntax as s
from nexorem.core.language import typed as t
from nexorem.core.language.parser import parse
from nexorem.core.limits import DEFAULT_LIMITS, Limits, over
from nexorem.core.model.model import Link
from nexorem.core.model.names import column_text, quoted
from nexorem.core.model.paths import DoublePath, LinkState
from nexorem.core.model.star import Star
from nexorem.core.values import INTERVALS, NUMERIC


@dataclass(slots=True)
class Scope:
    """Where a node stands. kind: cell, rows (inside an aggregate) or condition (inside an edit).

    `named` collects the columns met, with their spans.
    """

    kind: str
    state: LinkState
    named: list[t.ColumnValue] = field(default_factory=list)


@dataclass(slots=True)
class Text:
    """The formula that is being bound, and what was found wrong with it."""

    place: str
    text: str
    wrong: list[Diagnostic] = field(default_factory=list)


class Binder:
    """Binds formulas of one star. `define` holds formulas by name that stand before the model's own measures."""

    def __init__(self, star: Star, define: Mapping[str, str] | None = None, limits: Limits = DEFAULT_LIMITS) -> None:
        self.star = star
        self.model = star.model
        self.limits = limits
        self.define = {name.lower(): (name, formula) for name, formula in (define or {}).items()}
        self._bound: dict[tuple[str, LinkState], tuple[t.Typed, list[Diagnostic]]] = {}
        self._open: list[str] = []
        self._text = Text("", "")

    # entrances

    def measure(self, name: str) -> t.MeasureValue:
        """A measure, or a formula of `define`, under the model's own links; refuses with all that is wrong."""
        found = self.formula_of(name)
        if found is None:
            known = self.measure_names()
            raise Refused(Diagnostic("unknown_measure", f"There is no measure {name}.", place=name, hint=_did_you_mean(near(name, known))))
        node, wrong = self._bind_measure(*found, self.star.state)
        if wrong:
            raise Refused(wrong)
        return t.MeasureValue(node.span, node.dtype, found[0], node, found[1])

    def page_condition(self, text: str) -> t.Condition:
        """A page's condition over one table; refuses with all that is wrong."""
        syntax, wrong = parse(text, self.limits)
        outer, self._text = self._text, Text("where", text, [_placed(d, "where", text) for d in wrong])
        try:
            edit = None if wrong else self._condition(s.SetWhere(syntax.span, True, syntax), self.star.state)
            if self._text.wrong:
                raise Refused(self._text.wrong)
            assert isinstance(edit, t.Condition)
            return edit
        finally:
            self._text = outer

    def measure_names(self) -> list[str]:
        """Everything a bare name may mean."""
        return [name for name, _ in self.define.values()] + [m.name for m in self.model.measures]

    def formula_of(self, name: str) -> tuple[str, str] | None:
        """What a bare name means: the name as defined and its formula."""
        if name.lower() in self.define:
            return self.define[name.lower()]
        measure = self.model.measure(name)
        return (measure.name, measure.formula) if measure else None

    def _bind_measure(self, name: str, formula: str, state: LinkState) -> tuple[t.Typed, list[Diagnostic]]:
        key = (name.lower(), state)
        if key not in self._bound:
            if len(self._open) >= self.limits.formula_levels:
                raise over("formula_levels", f"{name} builds on measures more than {self.limits.formula_levels} levels deep.")
            outer, self._text = self._text, Text(name, formula)
            self._open.append(name.lower())
            try:
                syntax, wrong = parse(formula, self.limits)
                self._text.wrong += [_placed(d, name, formula) for d in wrong]
                node = self.bind(syntax, Scope("cell", state))
                if node.dtype in INTERVALS:
                    self.report("interval_result", "A measure cannot be an interval.", node.span, "Subtract two dates for whole days.")
                self._bound[key] = node, self._text.wrong
            except OverLimit as limit:
                raise OverLimit([_placed(d, d.place or name, formula) for d in limit.diagnostics]) from None
            finally:
                self._open.pop()
                self._text = outer
        return self._bound[key]

    def report(self, code: str, message: str, span: Span, hint: str = "", mends: Sequence[Mend] = ()) -> t.Unknown:
        """Notes what is wrong and gives the node that stands in its place."""
        self._text.wrong.append(Diagnostic(code, message, span, self._text.place, hint, tuple(mends), self._source(span)))
        return t.Unknown(span, "null")

    # nodes

    def bind(self, node: s.Node, scope: Scope) -> t.Typed:
        """A syntax node in its scope."""
        match node:
            case s.Literal():
                return t.Const(node.span, node.dtype, node.value)
            case s.ColumnName():
                return self._column(node, scope)
            case s.BareName():
                return self._name(node, scope)
            case s.Chain():
                return self._chain(node, scope)
            case s.Call():
                arguments = tuple(self.bind(a, scope) for a in node.arguments)
                return self._apply(FUNCTIONS[node.function], arguments, node.span)
            case s.InList():
                return self._in_list(node, scope)
            case s.Case():
                return self._case(node, scope)
            case s.Aggregate():
                return self._inside(self._aggregate(node, scope.state), scope)
            case s.Given():
                return self._inside(self._given(node, scope.state), scope)
        return t.Unknown(node.span, "null")

    def _inside(self, node: t.Typed, scope: Scope) -> t.Typed:
        """A cell-shaped node where its scope has rows."""
        if scope.kind == "rows":
            return t.InRow(node.span, node.dtype, node)
        return t.InContext(node.span, node.dtype, node) if scope.kind == "condition" else node

    def _column(self, node: s.ColumnName, scope: Scope) -> t.Typed:
        found = self._find_column(node)
        if isinstance(found, t.Unknown):
            return found
        scope.named.append(found)
        if scope.kind != "cell":
            return found
        text = column_text(found.table, found.column)
        kinds = ("sum", "max", "min") if found.dtype in NUMERIC else ("max", "min", "count")
        mends = [Mend(f"write {k}({text})", node.span, f"{k}({text})") for k in kinds]
        return self.report(
            "bare_column", f"{text} has many values here, one a row.", node.span,
            f"Say which one: {', '.join(f'{k}({text})' for k in kinds)}.", mends,
        )  # fmt: skip

    def _find_column(self, node: s.ColumnName) -> t.ColumnValue | t.Unknown:
        table = self.model.table(node.table)
        if table is None:
            close = near(node.table, [x.name for x in self.model.tables])
            start = Span(node.span.start, node.span.start + len(node.table))
            plain_start = self._text.text[start.start : start.end] == node.table
            mends = [Mend(f"write {n}", start, quoted(n)) for n in close] if plain_start else []
            return self.report("unknown_table", f"There is no table {node.table}.", node.span, _did_you_mean(close), mends)
        column = table.column(node.column)
        if column is None:
            close = near(node.column, [c.name for c in table.columns])
            mends = [Mend(f"write {column_text(table.name, n)}", node.span, column_text(table.name, n)) for n in close]
            return self.report("unknown_column", f"{table.name} has no column {node.column}.", node.span, _did_you_mean(close), mends)
        return t.ColumnValue(node.span, column.dtype, table.name, column.name)

    def _name(self, node: s.BareName, scope: Scope) -> t.Typed:
        found = self.formula_of(node.name)
        if found is None:
            return self._unknown_name(node)
        name, formula = found
        if name.lower() in self._open:
            ring = [*self._open[self._open.index(name.lower()) :], name.lower()]
            return self.report(
                "cycle", f"{name} is built on itself: {' › '.join(ring)}.", node.span, "Break the round at one of these measures."
            )
        body, wrong = self._bind_measure(name, formula, scope.state)
        if wrong:
            first = wrong[0]
            if scope.state != self.star.state and not self._bind_measure(name, formula, self.star.state)[1]:
                return self.report(first.code, f"{name}, under the links of this context: {first.message}", node.span, first.hint)
            return self.report("broken_measure", f"{name} has an error of its own: {first.message}", node.span, f"Mend {name} first.")
        return self._inside(t.MeasureValue(node.span, body.dtype, name, body, formula), scope)

    def _unknown_name(self, node: s.BareName) -> t.Unknown:
        if self.model.table(node.name):
            return self.report("table_as_value", f"{node.name} is a table, not a value.", node.span,
                               f"rows({quoted(node.name)}) counts its rows.",
                               [Mend(f"write rows({quoted(node.name)})", node.span, f"rows({quoted(node.name)})")])  # fmt: skip
        owners = [x for x in self.model.tables if x.column(node.name)]
        if owners:
            texts = [column_text(x.name, c.name) for x in owners if (c := x.column(node.name))][:5]
            return self.report("unqualified_column", f"There is no measure {node.name}; a column is written with its table.", node.span,
                               f"Did you mean {' or '.join(texts)}?", [Mend(f"write {x}", node.span, x) for x in texts])  # fmt: skip
        close = near(node.name, self.measure_names())
        return self.report("unknown_name", f"There is no measure {node.name}.", node.span, _did_you_mean(close),
                           [Mend(f"write {n}", node.span, quoted(n)) for n in close])  # fmt: skip

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
        functions = tuple(FUNCTIONS[op] for op in node.ops)
        dtype = arguments[0].dtype
        for function, argument in zip(functions, arguments[1:], strict=True):
            found = function.result([dtype, argument.dtype])
            if found is None:
                left = t.Unknown(arguments[0].span, dtype)
                return self._misfit(function, (left, argument), node.operands[0].span.to(argument.span))
            dtype = found
        return t.Fold(node.span, dtype, functions, arguments)

    def _in_list(self, node: s.InList, scope: Scope) -> t.Typed:
        operand = self.bind(node.operand, scope)
        items = tuple(self.bind(i, scope) for i in node.items)
        for item in items:
            if common_type([operand.dtype, item.dtype]) is None:
                return self.report("wrong_type", f"A {operand.dtype} is never equal to a {item.dtype}.", item.span)
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
                condition = self.report("wrong_type", f"A condition is true or false; this is a {condition.dtype}.", when.span)
            branches.append((condition, self.bind(then, scope)))
        otherwise = self.bind(node.otherwise, scope) if node.otherwise else t.Const(node.span, "null", None)
        dtype = common_type([*(b.dtype for _, b in branches), otherwise.dtype])
        if dtype is None:
            kinds = " and ".join(dict.fromkeys([*(b.dtype for _, b in branches), otherwise.dtype]))
            return self.report("wrong_type", f"The branches of a CASE have one type; here are {kinds}.", node.span)
        return t.Cases(node.span, dtype, tuple(branches), otherwise)

    # aggregates

    def _aggregate(self, node: s.Aggregate, state: LinkState) -> t.Typed:
        scope = Scope("rows", state)
        wrong_before = len(self._text.wrong)
        argument = None if node.function == "rows" else self.bind(node.argument, scope)
        where = self.bind(node.where, scope) if node.where else None
        if where and where.dtype not in ("boolean", "null"):
            self.report("wrong_type", f"A condition is true or false; this is a {where.dtype}.", where.span)
        dtype = self._aggregate_type(node, argument)
        own = self._counted_table(node) if node.function == "rows" else None
        if len(self._text.wrong) > wrong_before or dtype is None:
            return t.Unknown(node.span, "null")
        found = grains.find_grain(self.star, state, [c.table for c in scope.named], own)
        if isinstance(found, grains.NoGrain):
            return self.report("no_grain", found.message, node.span, found.hint)
        if not self._single_paths(found.table, state, node.span):
            return t.Unknown(node.span, "null")
        text = self._text.text[node.span.start : node.span.end]
        return t.Aggregate(node.span, dtype, node.function, found.table, argument, where, node.distinct, found.lookups, state, text)

    def _counted_table(self, node: s.Aggregate) -> str | None:
        name = node.argument.name if isinstance(node.argument, s.BareName) else ""
        table = self.model.table(name)
        if table is None:
            close = near(name, [x.name for x in self.model.tables])
            self.report("unknown_table", f"There is no table {name}.", node.argument.span, _did_you_mean(close),
                        [Mend(f"write {n}", node.argument.span, quoted(n)) for n in close])  # fmt: skip
        return table.name if table else None

    def _aggregate_type(self, node: s.Aggregate, argument: t.Typed | None) -> str | None:
        if node.function in ("count", "rows") or argument is None:
            return "integer"
        kind = argument.dtype
        takes = (*NUMERIC, "null") if node.function in ("sum", "avg") else ("text", "date", "datetime", *NUMERIC, "null")
        if kind not in takes:
            self.report(
                "wrong_type",
                f"{node.function} does not take a {kind}.",
                argument.span,
                f"It takes {', '.join(x for x in takes if x != 'null')}.",
            )
            return None
        return "number" if node.function == "avg" or kind == "null" else kind

    def _single_paths(self, table: str, state: LinkState, span: Span) -> bool:
        try:
            self.star.inflow(table, state)
        except DoublePath as double:
            self.report("double_path", double.sentence(), span, "Leave one of these links inactive in this context.")
            return False
        return True

    # edits

    def _given(self, node: s.Given, state: LinkState) -> t.Typed:
        edits: list[t.TypedEdit] = []
        for edit in node.edits:
            bound = self._edit(edit, state)
            if bound is not None:
                edits.append(bound)
                state = bound.state if isinstance(bound, t.Switched) else state
        body = self.bind(node.operand, Scope("cell", state))
        return t.Edited(node.span, body.dtype, body, tuple(edits))

    def _edit(self, edit: s.Edit, state: LinkState) -> t.TypedEdit | None:
        match edit:
            case s.SetWhere():
                return self._condition(edit, state)
            case s.Clear():
                return self._clear(edit, state)
            case s.Via():
                return self._via(edit, state)
        return None

    def _source(self, span: Span) -> str:
        return self._text.text[span.start : span.end]

    def _condition(self, edit: s.SetWhere, state: LinkState) -> t.TypedEdit | None:
        scope = Scope("condition", state)
        wrong_before = len(self._text.wrong)
        predicate = self.bind(edit.predicate, scope)
        if len(self._text.wrong) > wrong_before:
            return None
        if predicate.dtype not in ("boolean", "null"):
            self.report("wrong_type", f"A condition is true or false; this is a {predicate.dtype}.", edit.predicate.span)
            return None
        tables = list(dict.fromkeys(c.table for c in scope.named))
        if len(tables) != 1:
            named = " and ".join(tables) if tables else "no table"
            hint = "Write one edit a table." if tables else "Name the column that is to be filtered, as Table.column."
            self.report("condition_tables", f"A condition is over columns of one table; this names {named}.", edit.predicate.span, hint)
            return None
        columns = tuple(dict.fromkeys(c.column for c in scope.named))
        return t.Condition(
            self._source(edit.span), edit.keep, tables[0], columns, () if edit.keep else self._replaced(tables[0], columns), predicate
        )

    def _replaced(self, table_name: str, columns: tuple[str, ...]) -> tuple[str, ...]:
        """Setting a calendar's date replaces every filter on that calendar."""
        table = self.model.table(table_name)
        if table and table.calendar and table.calendar.date in columns:
            return tuple(c.name for c in table.columns)
        return columns

    def _clear(self, edit: s.Clear, state: LinkState) -> t.TypedEdit | None:
        gone = self._targeted(edit.target, state)
        kept = self._targeted(edit.but, state) if edit.but else {}
        if gone is None or kept is None:
            return None
        left = {table: frozenset(columns - kept.get(table, set())) for table, columns in gone.items()}
        return t.Cleared(self._source(edit.span), {table: columns for table, columns in left.items() if columns})

    def _targeted(self, target: s.Target, state: LinkState) -> dict[str, set[str]] | None:
        if target.kind == "columns":
            found: dict[str, set[str]] = {}
            bound = [self._find_column(c) for c in target.columns]
            for column in bound:
                if isinstance(column, t.ColumnValue):
                    found.setdefault(column.table, set()).add(column.column)
            return None if any(isinstance(c, t.Unknown) for c in bound) else found
        if target.kind == "all":
            tables = [x.name for x in self.model.tables]
        else:
            table = self.model.table(target.table)
            if table is None:
                close = near(target.table, [x.name for x in self.model.tables])
                self.report("unknown_table", f"There is no table {target.table}.", target.span, _did_you_mean(close))
                return None
            tables = self._tables_of(table.name, target, state)
        return {name: {c.name for c in x.columns} for name in tables if (x := self.model.table(name))}

    def _tables_of(self, table: str, target: s.Target, state: LinkState) -> list[str]:
        if target.kind == "wide":
            return list(self.star.lookups(table, state))
        if target.kind == "into":
            if not self._single_paths(table, state, target.span):
                return []
            return [flow.table for flow in self.star.inflow(table, state).walk()]
        return [table]

    def _via(self, edit: s.Via, state: LinkState) -> t.TypedEdit | None:
        link = self._find_link(edit)
        if link is None:
            return None
        return t.Switched(self._source(edit.span), link, state.switched(self.model, link))

    def _find_link(self, edit: s.Via) -> Link | None:
        if edit.name:
            link = self.model.link(edit.name)
            if link is None:
                close = near(edit.name, [k.name for k in self.model.links])
                self.report("unknown_link", f"There is no link “{edit.name}”.", edit.span, _did_you_mean(close))
            return link
        sides = [[self._find_column(c) for c in side] for side in (edit.left, edit.right)]
        if any(isinstance(c, t.Unknown) for side in sides for c in side):
            return None
        left, right = ([(c.table, c.column) for c in side if isinstance(c, t.ColumnValue)] for side in sides)
        for link in self.model.links:
            ends = ([(link.from_table, c) for c in link.from_columns], [(link.to_table, c) for c in link.to_columns])
            if sorted(zip(left, right, strict=False)) in (sorted(zip(*ends, strict=True)), sorted(zip(*ends[::-1], strict=True))) and len(
                left
            ) == len(right):
                return link
        tables = {left[0][0], right[0][0]}
        between = [k.ends_text for k in self.model.links if k.tables == tables]
        listed = f"The links between them: {'; '.join(between)}." if between else "No link joins these two tables."
        mends = [Mend(f"write via {x}", edit.span, f"via {x}") for x in between]
        self.report("unknown_link", "These columns are not the two ends of a link.", edit.span, listed, mends)
        return None


def _placed(d: Diagnostic, place: str, formula: str) -> Diagnostic:
    text = formula[d.span.start : d.span.end] if d.span else ""
    return replace(d, place=place, text=text[:200])


def _did_you_mean(close: Sequence[str]) -> str:
    return f"Did you mean {' or '.join(close)}?" if close else ""
