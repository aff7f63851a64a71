"""What all parts of the binder stand on: the formula at hand, its scopes, and the names it may use."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from nexorem.core.diagnostics import Diagnostic, Mend, Span, near
from nexorem.core.language import syntax as s
from nexorem.core.language import typed as t
from nexorem.core.limits import DEFAULT_LIMITS, Limits
from nexorem.core.model.model import Link
from nexorem.core.model.names import column_text, quoted
from nexorem.core.model.paths import DoublePath, LinkState
from nexorem.core.model.proven import Proven

MOST_NAMED = 5  # columns that a message lists


@dataclass(slots=True)
class Scope:
    """Where a node stands. kind: cell, rows (a row is at hand) or condition (inside an edit or a `match`).

    `source` is what the rows are rows of, None where the grain is found from the columns that are met: `named`
    collects these. `lets` are the `let` names that can be seen, each with the
    kind and the token of its scope; `home` is the table of a computed column; `token` stands for the row at hand. `around` are the names
    that `with` gave to columns of rows farther out, which are not seen here.
    """

    kind: str
    state: LinkState
    named: list[t.ColumnValue] = field(default_factory=list)
    source: t.Rows | None = None
    lets: Mapping[str, tuple[t.LetDefinition, str, object]] = field(default_factory=dict)
    home: str | None = None
    token: object = field(default_factory=object)
    around: frozenset[str] = frozenset()

    def _names_around(self) -> frozenset[str]:
        own = {c.name.lower() for c in self.source.columns if c.table is None} if self.source and self.kind == "rows" else set()
        return self.around | own

    def cell(self, state: LinkState) -> Scope:
        """The scope of a cell-shaped node inside this one."""
        return Scope("cell", state, lets=self.lets, home=self.home, around=self._names_around())

    def rows(self, state: LinkState, source: t.Rows | None = None) -> Scope:
        """The scope of a row inside this one."""
        return Scope("rows", state, source=source, lets=self.lets, home=self.home, around=self._names_around())

    def condition(self, state: LinkState) -> Scope:
        """The scope of an edit's condition inside this one."""
        return Scope("condition", state, lets=self.lets, home=self.home, around=self._names_around())


@dataclass(slots=True)
class Text:
    """The formula that is being bound, and what was found wrong with it."""

    place: str
    text: str
    wrong: list[Diagnostic] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class Named:
    """A place of a formula that names something. kind: measure, column (`Table.column`), table or link; `place` is the formula's owner."""

    place: str
    kind: str
    name: str
    start: int
    end: int


class Names:
    """The star, the formula at hand, and finding what a name means."""

    def __init__(self, star: Proven, limits: Limits = DEFAULT_LIMITS) -> None:
        self.star = star
        self.model = star.model
        self.limits = limits
        self._text = Text("", "")
        self.named: list[Named] = []

    def note(self, kind: str, name: str, span: Span) -> None:
        """Remembers what a place of the formula names."""
        self.named.append(Named(self._text.place, kind, name, span.start, span.end))

    def report(self, code: str, message: str, span: Span, hint: str = "", mends: Sequence[Mend] = ()) -> t.Unknown:
        """Notes what is wrong and gives the node that stands in its place."""
        self._text.wrong.append(Diagnostic(code, message, span, self._text.place, hint, tuple(mends), self._source(span)))
        return t.Unknown(span, "null")

    def _source(self, span: Span) -> str:
        return self._text.text[span.start : span.end]

    def _wrong(self) -> int:
        """How much was found wrong so far."""
        return len(self._text.wrong)

    def bind(self, node: s.Node, scope: Scope) -> t.Typed:
        """A syntax node in its scope."""
        raise NotImplementedError

    def _inside(self, node: t.Typed, scope: Scope) -> t.Typed:
        """A cell-shaped node where its scope has rows."""
        if scope.kind == "rows":
            return t.InRow(node.span, node.dtype, node, scope.token)
        return t.InContext(node.span, node.dtype, node) if scope.kind == "condition" else node

    def _find_column(self, node: s.ColumnName) -> t.ColumnValue | t.Unknown:
        table = self.model.table(node.table)
        if table is None:
            close = near(node.table, [x.name for x in self.model.tables])
            start = Span(node.span.start, node.span.start + len(node.table))
            plain_start = self._text.text[start.start : start.end] == node.table
            mends = [Mend(f"write {n}", start, quoted(n)) for n in close] if plain_start else []
            return self.report("unknown_table", f"The table {node.table} does not exist.", node.span, did_you_mean(close), mends)
        column = table.column(node.column)
        if column is None:
            close = near(node.column, [c.name for c in table.columns])
            mends = [Mend(f"write {column_text(table.name, n)}", node.span, column_text(table.name, n)) for n in close]
            hint = did_you_mean(close) or its_columns([c.name for c in table.columns])
            return self.report("unknown_column", f"{table.name} has no column {node.column}.", node.span, hint, mends)
        self.note("column", f"{table.name}.{column.name}", node.span)
        return t.ColumnValue(node.span, column.dtype, table.name, column.name)

    def _find_table(self, name: str, span: Span) -> str | None:
        """The table of that name, as defined; reports where there is none."""
        table = self.model.table(name)
        if table is None:
            close = near(name, [x.name for x in self.model.tables])
            mends = [Mend(f"write {n}", span, quoted(n)) for n in close] if self._source(span).strip('"').lower() == name.lower() else []
            self.report("unknown_table", f"The table {name} does not exist.", span, did_you_mean(close), mends)
            return None
        self.note("table", table.name, span)
        return table.name

    def _find_link(self, edit: s.LinkName) -> Link | None:
        if edit.name:
            link = self.model.link(edit.name)
            if link is None:
                close = near(edit.name, [k.name for k in self.model.links])
                mends = [Mend(f"write {n}", edit.span, f"link {double_quoted(n)}") for n in close]
                self.report("unknown_link", f"The link “{edit.name}” does not exist.", edit.span, did_you_mean(close), mends)
            return link
        sides = [[self._find_column(c) for c in side] for side in (edit.left, edit.right)]
        if any(isinstance(c, t.Unknown) for side in sides for c in side):
            return None
        left, right = ([(c.table, c.column) for c in side if isinstance(c, t.ColumnValue)] for side in sides)
        for link in self.model.links:
            if _same_ends(link, left, right):
                self.note("link", link.name, edit.span)
                return link
        tables = {left[0][0], right[0][0]}
        between = [self.model.link_text(k) for k in self.model.links if k.tables == tables]
        listed = f"The links between them: {'; '.join(between)}." if between else "No link joins these two tables."
        mends = [Mend(f"write {x}", edit.span, x) for x in between]
        self.report("unknown_link", "These columns are not the two ends of a link.", edit.span, listed, mends)
        return None

    def _single_paths(self, table: str, state: LinkState, span: Span) -> bool:
        """Whether filters reach a table over one path each; reports both paths where not, with what mends it."""
        try:
            self.star.inflow(table, state)
        except DoublePath as double:
            text = self._source(span)
            mends = []
            for name in dict.fromkeys((*double.first[-1:], *double.second[-1:], *double.first[:1], *double.second[:1])):
                link = self.model.link(name)
                if link and self._stays_single(table, state.turning(link, "off")):
                    mends.append(Mend(f"turn off {name}", span, f"({text}) given (flow {self.model.link_text(link)} off)"))
            hint = f"Turn one of them off, as in given (flow … off){_or_keep(double)}."
            self.report("double_path", double.sentence(), span, hint, mends)
            return False
        return True

    def _stays_single(self, table: str, state: LinkState) -> bool:
        try:
            self.star.inflow(table, state)
        except DoublePath:
            return False
        return True


def _or_keep(double: DoublePath) -> str:
    return "" if double.source == double.target else f", or filter {double.target} by keep {quoted(double.target)} in (…)"


def _same_ends(link: Link, left: list[tuple[str, str]], right: list[tuple[str, str]]) -> bool:
    if len(left) != len(right):
        return False
    ends = ([(link.from_table, c) for c in link.from_columns], [(link.to_table, c) for c in link.to_columns])
    return sorted(zip(left, right, strict=True)) in (sorted(zip(*ends, strict=True)), sorted(zip(*ends[::-1], strict=True)))


def double_quoted(name: str) -> str:
    """A name in double quotes, whatever it holds."""
    return '"' + name.replace('"', '""') + '"'


def placed(d: Diagnostic, place: str, formula: str) -> Diagnostic:
    """A diagnostic with the formula it is about."""
    text = formula[d.span.start : d.span.end] if d.span else ""
    return replace(d, place=place, text=text[:200])


def its_columns(names: Sequence[str]) -> str:
    """The columns that a table has, the first of them."""
    more = f" and {len(names) - MOST_NAMED} more" if len(names) > MOST_NAMED else ""
    return f"It has {', '.join(names[:MOST_NAMED])}{more}." if names else ""


def did_you_mean(close: Sequence[str]) -> str:
    """“Did you mean …?” or nothing."""
    return f"Did you mean {' or '.join(close)}?" if close else ""
