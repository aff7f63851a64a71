"""A star is three things: what is proven of a model's data, its rows, and what is derived from them within a bound."""

import unittest

from nexorem.core.diagnostics import Refused
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.language.assist import complete, hover
from nexorem.core.language.binder import Binder
from nexorem.core.language.printer import print_tree
from nexorem.core.language.reading import Reader
from nexorem.core.limits import Budget
from nexorem.core.model.derived import Derived
from nexorem.core.model.proven import Proven
from nexorem.core.model.star import Star
from nexorem.core.plan.dependence import reached_by
from nexorem.core.plan.logical import make_plan
from nexorem.core.plan.reach import carrying_ways, current, reach_table
from nexorem.core.plan.text import print_plan
from tests.oracle.random_models import Maker

BOUND = 500  # bytes: less than what most random models derive


class Elsewhere:
    """Proofs of data that are not here: what was told of them once, by name, and nothing else."""

    def __init__(self, star):
        self.sizes = {x.name: star.size(x.name) for x in star.model.tables}
        self.links = {k.name: star.facts(k) for k in star.model.links}
        self.columns = {(x.name, c.name): star.column_facts(x.name, c.name) for x in star.model.tables for c in x.columns}

    def size(self, table):
        return self.sizes[table]

    def facts(self, link):
        return self.links[link.name]

    def column_facts(self, table, column):
        return self.columns[table, column]


class Three(unittest.TestCase):
    def test_what_is_bound_read_planned_and_reached_needs_no_rows(self):
        bound = 0
        for seed in range(150):
            maker = Maker(seed)
            maker.with_measures(3)
            star = maker.star
            proven = Proven(star.model, Elsewhere(star))
            self.assertEqual((proven.firm, proven.firm_back, proven.state), (star.firm, star.firm_back, star.state))
            self.assertEqual([proven.has_unmatched(n) for n in maker.names], [star.has_unmatched(n) for n in maker.names])
            self.assertEqual(reach_table(proven, proven.state), reach_table(star, star.state))
            for a in maker.names:
                self.assertEqual(current(proven, a, proven.state), current(star, a, star.state))
                self.assertEqual(carrying_ways(proven, a, maker.names[0]), carrying_ways(star, a, maker.names[0]))
            for measure in star.model.measures:
                try:
                    tree = Binder(star).measure(measure.name)
                except Refused as refused:
                    with self.assertRaises(Refused) as again:
                        Binder(proven).measure(measure.name)
                    self.assertEqual(again.exception.diagnostics, refused.diagnostics)
                    continue
                bound += 1
                there = Binder(proven).measure(measure.name)
                self.assertEqual(print_tree(there), print_tree(tree))
                self.assertEqual(Reader(proven.model).sentence(there), Reader(star.model).sentence(tree))
                self.assertEqual(print_plan(proven, make_plan(proven.model, [there])), print_plan(star, make_plan(star.model, [tree])))
                self.assertEqual(reached_by(proven, there), reached_by(star, tree))
                for at in (0, len(measure.formula) // 2, len(measure.formula)):
                    self.assertEqual(complete(proven, measure.formula, at), complete(star, measure.formula, at))
                    self.assertEqual(hover(proven, measure.formula, at), hover(star, measure.formula, at))
        self.assertGreater(bound, 250)

    def test_an_edited_model_keeps_what_does_not_depend_on_it(self):
        star = Maker(1).star
        for link in star.model.links:
            star.facts(link)
        other = star.with_model(star.model)
        self.assertIs(other.derived, star.derived)
        self.assertIs(other.parts, star.parts)
        self.assertIsNot(other.plans, star.plans)

    def test_what_is_derived_keeps_its_bound_and_changes_no_answer(self):
        answered = short = 0
        for seed in range(120):
            maker = Maker(seed)
            names = maker.with_measures(2) or ["m0", "m1"]
            few = Star(maker.star.model, maker.star.rows, Derived(maker.star.rows, BOUND))
            for _ in range(2):
                probe = maker.probe(names)
                told = []
                for star in (maker.star, few):
                    try:
                        told.append(list(answer(star, probe_of(star, probe), Budget()).tidy()))
                    except Refused as refused:
                        told.append([d.message for d in refused.diagnostics])
                self.assertEqual(told[0], told[1], (seed, probe))
                self.assertLessEqual(few.derived.nbytes, BOUND)
                answered += 1
            short += maker.star.derived.nbytes > BOUND
        self.assertGreater(min(answered, short), 50)


if __name__ == "__main__":
    unittest.main()
