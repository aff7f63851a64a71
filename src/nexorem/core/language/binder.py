"""Syntax to typed nodes: names, types, grains and look-ups. Reports everything that is wrong, each with its span."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import TypeVar, assert_never, cast

from nexorem.core.diagnostics import Diagnostic, Mend, OverLimit, Refused, Span, near
from nexorem.core.functions.library import FUNCTIONS
from nexorem.core.language import syntax as s
from nexorem.core.language import typed as t
from nexorem.core.language.bind_aggregates import AggregateBinder
from nexorem.core.language.names import Named, Scope, Text, did_you_mean, placed
from nexorem.core.language.parser import parse, parse_rows
from nexorem.core.limits import DEFAULT_LIMITS, Limits, over
from nexorem.core.model.names import column_text, quoted
from nexorem.core.model.paths import LinkState
from nexorem.core.model.proven import Proven
from nexorem.core.values import INTERVALS, NUMERIC
from nexorem.core.words import an

Bindable = TypeVar("Bindable")
Use = tuple[str, LinkState, t.Typed, int]  # a measure that a formula names: its name, the link state it is in, its tree and levels


@dataclass(frozen=True, slots=True, eq=False)
class Bound:
    """A measure in a link state, bound: `named` are the places of its formula, `uses` the measures it names, `levels` how deep it builds on
    others."""

    formula: str
    node: t.Typed
    wrong: list[Diagnostic]
    named: tuple[Named, ...]
    uses: tuple[Use, ...]
    levels: int


class Binder(AggregateBinder):
    """Binds formulas of one star. `define` holds formulas by name that stand before the model's own measures."""

    def __init__(self, star: Proven, define: Mapping[str, str] | None = None, limits: Limits = DEFAULT_LIMITS) -> None:
        super().__init__(star, limits)
        self.define = {name.lower(): (name, formula) for name, formula in (define or {}).items()}
        self._shares = not define and limits == DEFAULT_LIMITS
        self._bound: dict[tuple[str, LinkState], Bound] = {}
        self._open: list[str] = []
        self._uses: list[list[Use]] = []
        self._nodes = 0

    # entrances

    def measure(self, name: str) -> t.MeasureValue:
        """A measure, or a formula of `define`, under the model's own links; refuses with all that is wrong."""
        formula = self.formula_of(name)
        if formula is None:
            names = self.measure_names()
            raise Refused(
                Diagnostic("unknown_measure", f"The measure {name} does not exist.", place=name, hint=did_you_mean(near(name, names)))
            )
        node, wrong = self._bind_measure(*formula, self.star.state)
        if wrong:
            raise Refused(wrong)
        return t.MeasureValue(node.span, node.dtype, formula[0], node, formula[1])

    def page_condition(self, text: str) -> t.Condition:
        """A page's condition over one table; refuses with all that is wrong."""
        syntax, wrong = parse(text, self.limits)
        outer, self._text = self._text, Text("where", text, [placed(d, "where", text) for d in wrong])
        try:
            edit = None if wrong else self._condition(s.SetWhere(syntax.span, True, syntax), Scope("cell", self.star.state))
            if self._text.wrong:
                raise Refused(self._text.wrong)
            assert isinstance(edit, t.Condition)
            return edit
        finally:
            self._text = outer

    def having(self, text: str) -> t.Typed:
        """A condition over measures, tried on the lines of a grid; refuses with all that is wrong."""
        syntax, wrong = parse(text, self.limits)

        def bound() -> t.Typed:
            node = self.bind(syntax, Scope("cell", self.star.state))
            if node.dtype not in ("boolean", "null"):
                hint = "Compare it with something, as in … > 100."
                self.report("wrong_type", f"A condition is true or false; this is {an(node.dtype)}.", node.span, hint)
            return node

        return self._entered("having", text, wrong, bound)

    def computed_column(self, table: str, name: str, formula: str) -> t.WithRows:
        """A computed column, as every row of its table with one more column; refuses with all that is wrong."""
        defined = self.model.table(table)
        assert defined
        columns = tuple(t.RowColumn(c.name, c.dtype, table, c.name) for c in defined.columns)
        nowhere = Span(0, 0)
        base = t.BaseRows(nowhere, table, columns, table, True, "every", table, {table: ()}, self.star.state)

        def bound(syntax: s.Node) -> t.WithRows:
            value = self.bind(syntax, replace(Scope("rows", self.star.state, source=base), home=table))
            if value.dtype in INTERVALS:
                self.report("interval_result", "A column cannot be an interval.", syntax.span, "Subtract two dates for whole days.")
            added = t.RowColumn(name, "text" if value.dtype == "null" else value.dtype)
            return t.WithRows(syntax.span, formula, (*columns, added), table, True, base, (value,))

        syntax, wrong = parse(formula, self.limits)
        return self._entered(f"{table}.{name}", formula, wrong, lambda: bound(syntax))

    def computed_table(self, name: str, formula: str) -> t.Rows:
        """The rows of a computed table; refuses with all that is wrong."""

        def bound(syntax: s.Rows) -> t.Rows | None:
            rows = self.bind_rows(syntax, Scope("cell", self.star.state))
            names = [c.name.lower() for c in rows.columns] if rows else []
            repeated = next((c.name for i, c in enumerate(rows.columns) if c.name.lower() in names[:i]), None) if rows else None
            if repeated:
                self.report(
                    "repeated_column",
                    f"Two columns of {name} would be named {repeated}.",
                    syntax.span,
                    "Give one a name of its own: … with (other_name = T.c).",
                )
            return rows

        syntax, wrong = parse_rows(formula, self.limits)
        bound_rows = self._entered(name, formula, wrong, lambda: bound(syntax))
        assert bound_rows  # what has no meaning was refused
        return bound_rows

    def given(self, text: str) -> tuple[t.TypedEdit, ...]:
        """Edits alone, as they stand in the brackets of a `given`; refuses with all that is wrong."""
        start = "0 given ("
        syntax, wrong = parse(f"{start}{text})", self.limits)
        node = self._entered("given", f"{start}{text})", wrong, lambda: self.bind(syntax, Scope("cell", self.star.state)))
        return node.edits if isinstance(node, t.Edited) else ()

    def _entered(self, place: str, formula: str, wrong: list[Diagnostic], bind: Callable[[], Bindable]) -> Bindable:
        """What `bind` gives of a formula of its own; refuses with all that is wrong."""
        outer, self._text = self._text, Text(place, formula, [placed(d, place, formula) for d in wrong])
        try:
            bound = None if wrong else bind()
            if self._text.wrong:
                raise Refused(self._text.wrong)
            return cast(Bindable, bound)
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
            kept = self._kept(key, formula)
            self._bound[key] = kept or self._newly_bound(name, formula, state)
            if kept is None and self._shares and not self._bound[key].wrong:
                self.star.bound[key] = self._bound[key]
        bound = self._bound[key]
        if len(self._open) + bound.levels > self.limits.formula_levels:
            raise over("formula_levels", f"{name} builds on measures more than {self.limits.formula_levels} levels deep.")
        if self._uses:
            self._uses[-1].append((name, state, bound.node, bound.levels))
        return bound.node, bound.wrong

    def _newly_bound(self, name: str, formula: str, state: LinkState) -> Bound:
        if len(self._open) >= self.limits.formula_levels:
            raise over("formula_levels", f"{name} builds on measures more than {self.limits.formula_levels} levels deep.")
        outer, self._text = self._text, Text(name, formula)
        counted, self._nodes = self._nodes, 0
        noted, uses = len(self.named), list[Use]()
        self._open.append(name.lower())
        self._uses.append(uses)
        try:
            syntax, wrong = parse(formula, self.limits)
            self._text.wrong += [placed(d, name, formula) for d in wrong]
            node = self.bind(syntax, Scope("cell", state))
            if node.dtype in INTERVALS:
                self.report("interval_result", "A measure cannot be an interval.", node.span, "Subtract two dates for whole days.")
            levels = 1 + max((x[3] for x in uses), default=0)
            return Bound(formula, node, self._text.wrong, tuple(self.named[noted:]), tuple(uses), levels)
        except OverLimit as limit:
            raise OverLimit([placed(d, d.place or name, formula) for d in limit.diagnostics]) from None
        finally:
            self._open.pop()
            self._uses.pop()
            self._text, self._nodes = outer, counted

    def _kept(self, key: tuple[str, LinkState], formula: str) -> Bound | None:
        """The measure as it was bound on the star before, by another binder or before an edit that did not touch it: its formula is the
        same, and each measure that it names is bound as it was then."""
        kept: Bound | None = self.star.bound.get(key) if self._shares else None
        if kept is None or kept.formula != formula:
            return None
        self._open.append(key[0])
        uses, self._uses = self._uses, []
        try:
            for name, state, node, _ in kept.uses:
                definition = self.formula_of(name)
                if definition is None or self._bind_measure(*definition, state)[0] is not node:
                    return None
        finally:
            self._open.pop()
            self._uses = uses
        self.named += kept.named
        return kept

    # nodes

    def bind(self, node: s.Node, scope: Scope) -> t.Typed:
        """A syntax node in its scope."""
        self._nodes += 1
        if self._nodes > 4 * self.limits.formula_nodes:
            # What is ranked is bound twice, here and for the rows: ranks in ranks grow with every level.
            raise over(
                "formula_nodes", "The ranks of this formula are nested too deep.", "Give the inner ones names of their own.", node.span
            )
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
            case s.Let():
                return self._let(node, scope)
            case s.Aggregate():
                return self._inside(self._aggregate(node, scope.cell(scope.state)), scope)
            case s.Asked():
                return self._inside(self._asked(node, scope.cell(scope.state)), scope)
            case s.Rank():
                return self._ranked(node, scope)
            case s.Given():
                return self._inside(self._given(node, scope), scope)
            case s.Broken():
                return t.Unknown(node.span, "null")
        assert_never(node)

    def _ranked(self, node: s.Rank, scope: Scope) -> t.Typed:
        """A rank in a row takes the row's value through a `let` that stands before it."""
        if scope.kind != "rows":
            cell = scope.cell(scope.state)
            before = self._wrong()
            operand = self.bind(node.operand, cell)
            bound = self._rank(node, cell, operand) if self._wrong() == before else t.Unknown(node.span, "null")
            return self._inside(bound, scope)
        before = self._wrong()
        value = self.bind(node.operand, scope)
        definition = t.LetDefinition("", value, scope.token, t.of_row(value))
        operand = t.LetValue(node.operand.span, value.dtype, definition)
        bound = self._rank(node, scope.cell(scope.state), operand) if self._wrong() == before else t.Unknown(node.span, "null")
        body = self._inside(bound, scope)
        return t.Let(node.span, body.dtype, (definition,), body)

    def _let(self, node: s.Let, scope: Scope) -> t.Typed:
        definitions = []
        kept = scope.token if scope.kind != "cell" else None
        for item in node.definitions:
            value = self.bind(item.value, scope)
            definition = t.LetDefinition(item.name, value, kept, t.of_row(value))
            definitions.append(definition)
            scope = replace(scope, lets={**scope.lets, item.name.lower(): (definition, scope.kind, scope.token)})
        body = self.bind(node.body, scope)
        return t.Let(node.span, body.dtype, tuple(definitions), body)

    def _let_value(self, node: s.BareName, scope: Scope) -> t.Typed:
        definition, kind, token = scope.lets[node.name.lower()]
        value = t.LetValue(node.span, definition.node.dtype, definition)
        if token is scope.token:
            return value
        if kind == "condition":
            return self.report(
                "row_of_condition",
                f"{node.name} belongs to the rows a condition is tried on; what stands here is computed once, before.",
                node.span,
                "Filter with keep T in (T where …) instead.",
            )
        return self._inside(value, scope)

    def _column(self, node: s.ColumnName, scope: Scope) -> t.Typed:
        column = self._find_column(node)
        if isinstance(column, t.Unknown):
            return column
        return self._column_value(column, scope)

    def _column_value(self, column: t.ColumnValue, scope: Scope) -> t.Typed:
        if scope.kind == "rows" and scope.source is not None:
            return self._row_column(column, scope)
        scope.named.append(column)
        if scope.kind != "cell":
            return column
        text = column_text(column.table, column.column)
        kinds = ("sum", "max", "min") if column.dtype in NUMERIC else ("max", "min", "count")
        mends = [Mend(f"write {k}({text})", column.span, f"{k}({text})") for k in kinds]
        return self.report(
            "bare_column",
            f"{text} has many values here, one a row.",
            column.span,
            f"Say which one: {', '.join(f'{k}({text})' for k in kinds)}.",
            mends,
        )

    def _name(self, node: s.BareName, scope: Scope) -> t.Typed:
        own = self._own_name(node, scope)
        if own is not None:
            return own
        definition = self.formula_of(node.name)
        if definition is None:
            return self._unknown_name(node, scope)
        name, formula = definition
        self.note("measure", name, node.span)
        if name.lower() in self._open:
            ring = [*self._open[self._open.index(name.lower()) :], name.lower()]
            return self.report(
                "cycle", f"{name} is built on itself: {' › '.join(ring)}.", node.span, "Break the cycle at one of these measures."
            )
        body, wrong = self._bind_measure(name, formula, scope.state)
        if wrong:
            first = wrong[0]
            if scope.state != self.star.state and not self._bind_measure(name, formula, self.star.state)[1]:
                return self.report(first.code, f"{name}, under the links of this context: {first.message}", node.span, first.hint)
            return self.report("broken_measure", f"{name} has an error of its own: {first.message}", node.span, f"Mend {name} first.")
        return self._inside(t.MeasureValue(node.span, body.dtype, name, body, formula), scope)

    def _own_name(self, node: s.BareName, scope: Scope) -> t.Typed | None:
        """A name of the formula itself: a `let`, a column that `with` made, or a column of a computed column's table."""
        word = node.name.lower()
        defined = scope.lets.get(word)
        place = self._row_name(word, scope.source.columns) if scope.kind == "rows" and scope.source else None
        if defined and (place is None or defined[2] is scope.token):
            return self._let_value(node, scope)
        if place is not None:
            assert scope.source
            return t.RowName(node.span, scope.source.columns[place].dtype, place)
        home = self.model.table(scope.home) if scope.home and scope.kind != "cell" else None
        column = home.column(node.name) if home else None
        if not home or not column:
            return None
        self.note("column", f"{home.name}.{column.name}", node.span)
        return self._column_value(t.ColumnValue(node.span, column.dtype, home.name, column.name), scope)

    def _unknown_name(self, node: s.BareName, scope: Scope) -> t.Unknown:
        if node.name.lower() in scope.around:
            name = quoted(node.name)
            message = (
                f"{node.name} is a column of rows farther out; what stands here is computed for each of them, and sees its own rows alone."
            )
            hint = f"Take its value along by a let in those rows: let value = {name} in …, and write value here."
            return self.report("row_farther_out", message, node.span, hint)
        if self.model.table(node.name):
            return self.report(
                "table_as_value",
                f"{node.name} is a table, not a value.",
                node.span,
                f"rows({quoted(node.name)}) counts its rows.",
                [Mend(f"write rows({quoted(node.name)})", node.span, f"rows({quoted(node.name)})")],
            )
        owners = [x for x in self.model.tables if x.column(node.name)]
        if owners:
            texts = [column_text(x.name, c.name) for x in owners if (c := x.column(node.name))][:5]
            return self.report(
                "unqualified_column",
                f"The measure {node.name} does not exist; a column is written with its table.",
                node.span,
                f"Did you mean {' or '.join(texts)}?",
                [Mend(f"write {x}", node.span, x) for x in texts],
            )
        if self._source(node.span).startswith('"'):
            text = "'" + node.name.replace("'", "''") + "'"
            hint, mends = "A text stands in single quotes; double quotes are for names.", [Mend(f"write {text}", node.span, text)]
            return self.report("unknown_name", f"The measure {node.name} does not exist.", node.span, hint, mends)
        close = near(node.name, self.measure_names())
        return self.report(
            "unknown_name",
            f"The measure {node.name} does not exist.",
            node.span,
            did_you_mean(close),
            [Mend(f"write {n}", node.span, quoted(n)) for n in close],
        )
