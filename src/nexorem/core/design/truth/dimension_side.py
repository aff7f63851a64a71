"""The mark of rows of a dimension added up while something filters its facts and not itself."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

from nexorem.core.design.roles import role
from nexorem.core.design.truth.additive import operators
from nexorem.core.design.truth.mark import CLOSE, Mark, MarkMend, make_mark, mend_of, mended_measure
from nexorem.core.design.truth.recompute import products_by_hand
from nexorem.core.design.truth.seen import Seen
from nexorem.core.engine.execute import execute
from nexorem.core.language import typed as t
from nexorem.core.model.names import column_text, quoted
from nexorem.core.model.star import Star
from nexorem.core.plan.logical import make_plan
from nexorem.core.plan.tree import below, nodes, scans
from nexorem.core.words import listed, verb


def dimension_side(seen: Seen, measure: t.MeasureValue) -> Iterator[Mark]:
    """Rows of a dimension added up while something that filters its facts, and not itself, is on the axes or the page."""
    star, filtered = seen.star, {table for table, _ in (*seen.axes, *seen.paged)}
    for scan, fact, through in _sums_of_dimensions(star, measure, filtered):
        mends = [m for m in _mends(seen, measure, scan, fact) if _mends_it(seen, measure, m, scan, filtered)]
        sentence = f"{scan.text} adds up rows of the dimension {scan.grain}, each once, whatever {fact} has of it"
        yield make_mark("dimension_side", f"{sentence}; {_passing(through, fact, scan.grain)}.", [scan.grain, fact], mends=mends[:1])


def _passing(through: Sequence[str], fact: str, dimension: str) -> str:
    others = [x for x in through if x != fact]
    if not others:
        return f"a filter on {fact} does not come to {dimension}"
    return f"{listed(others)} {verb(len(others), 'filters', 'filter')} {fact} and not {dimension}"


def _sums_of_dimensions(star: Star, measure: t.MeasureValue, filtered: set[str]) -> Iterator[tuple[t.Aggregate, str, list[str]]]:
    """The scans that add up rows of a dimension, each with the fact that looks it up and the tables asked for that filter only it."""
    for scan in scans(measure):
        table = star.model.table(scan.grain)
        if not table or scan.function not in ("sum", "avg") or scan.distinct or role(star, table) not in ("dimension", "outrigger"):
            continue
        flows = {f.table for f in star.inflow(scan.grain, scan.state).walk()}
        facts = [
            x.name for x in star.model.tables if role(star, x) in ("fact", "bridge") and scan.grain in star.lookups(x.name, scan.state)
        ]
        reached = {f: {x.table for x in star.inflow(f, star.state).walk()} & filtered - flows for f in facts}
        fact = max(facts, key=lambda f: len(reached[f]), default="")
        if fact and reached[fact]:
            yield scan, fact, sorted(reached[fact])


def _mends(seen: Seen, measure: t.MeasureValue, scan: t.Aggregate, fact: str) -> Iterator[MarkMend]:
    """Formulas that look the dimension up from the fact's rows. In a product both factors have to go into one sum, row by row: each by
    itself would still be a product of totals."""
    star, define = seen.star, seen.grid.probe.define
    product = _product_around(measure, scan)
    if product is None:
        text = f"{scan.text.rstrip()[:-1]} for each {quoted(fact)})" if " for each " not in scan.text else ""
        made = mend_of(star, define, measure, scan, text, text) if text and scan.where is None else None
        if made:
            yield made
        return
    fused = _fused(product, scan)
    if fused:
        made = mend_of(star, define, measure, product, fused, fused)
        if made:
            yield made


def _product_around(measure: t.MeasureValue, scan: t.Aggregate) -> t.Fold | t.Apply | None:
    """The innermost product that a scan is a factor of, across the measures it stands in."""
    queue: list[tuple[t.Typed, t.Fold | t.Apply | None]] = [(measure, None)]
    met: set[int] = set()
    while queue:
        node, around = queue.pop()
        if node is scan:
            return around
        if id(node) in met:
            continue
        met.add(id(node))
        names = operators(node)
        if names & {"*", "/"} and isinstance(node, t.Fold | t.Apply):
            around = node
        elif not isinstance(node, t.MeasureValue):
            around = None
        queue += [(x, around) for x in below(node)]
    return None


def _fused(product: t.Fold | t.Apply, scan: t.Aggregate) -> str:
    """`sum(F.a * D.b)` for a product of sum(F.a) and the sum or average of D.b, other factors as they are; `` where that cannot be said."""
    names = {f.name for f in product.functions} if isinstance(product, t.Fold) else {product.function.name}
    factors = [(a, _plain_sum(a)) for a in product.arguments]
    inside = [x for _, x in factors if x is not None]
    if names != {"*"} or len(inside) != 2 or scan not in inside or any(x is None and not isinstance(a, t.Const) for a, x in factors):
        return ""
    other = next(x for x in inside if x is not scan)
    columns = [c for x in (other, scan) for c in [x.argument] if isinstance(c, t.ColumnValue)]
    if len(columns) != 2:
        return ""
    rest = "".join(f" * {a.value}" for a, _ in factors if isinstance(a, t.Const))
    return f"sum({column_text(columns[0].table, columns[0].column)} * {column_text(columns[1].table, columns[1].column)}){rest}"


def _plain_sum(node: t.Typed) -> t.Aggregate | None:
    """The scan of a factor that is nothing but a sum, or average, of a column; of a measure its formula's."""
    while isinstance(node, t.MeasureValue | t.InContext):
        node = node.body
    plain = isinstance(node, t.Aggregate) and node.function in ("sum", "avg") and node.where is None and not node.distinct
    return node if plain and isinstance(node, t.Aggregate) and isinstance(node.argument, t.ColumnValue) else None


def _mends_it(seen: Seen, measure: t.MeasureValue, mend: MarkMend, scan: t.Aggregate, filtered: set[str]) -> bool:
    """Whether the mark is gone with a mend, and its number, where rows can be gone through one by one, the one that they give."""
    after = mended_measure(seen.star, seen.grid.probe.define, mend, measure)
    if after is None or scan.text in [x.text for x, _, _ in _sums_of_dimensions(seen.star, after, filtered)]:
        return False
    return all(by_hand is None or _same(number, by_hand) for number, by_hand in _twice(seen, after))


def _twice(seen: Seen, measure: t.MeasureValue) -> Iterator[tuple[float | None, float | None]]:
    """For every sum of a product of looked-up columns in a formula its number on the page, and the number that going through the rows
    gives."""
    star = seen.star
    for scan in (n for n in nodes(measure) if isinstance(n, t.Aggregate) and n.function == "sum" and n.where is None):
        factors = product_factors(scan.argument)
        if len(factors) < 2 or scan.state != star.state:
            continue
        run = execute(star, make_plan(star.model, [scan]), seen.base, seen.budget)
        number = run.root(0)
        value = None if not number.valid[0] else float(number.data[0])
        yield value, products_by_hand(star, scan.grain, factors, dict(scan.lookups), seen.base)


def product_factors(node: t.Typed | None) -> list[t.ColumnValue]:
    """The columns of a row-shaped product of columns, and of nothing else; empty for anything else."""
    if isinstance(node, t.ColumnValue):
        return [node]
    names = operators(node)
    if names != {"*"} or not isinstance(node, t.Fold | t.Apply):
        return []
    factors = [product_factors(a) for a in node.arguments]
    return [c for columns in factors for c in columns] if all(factors) else []


def _same(number: float | None, by_hand: float) -> bool:
    return number is not None and math.isclose(number, by_hand, rel_tol=CLOSE, abs_tol=CLOSE)
