"""Models some tables of which stay in a database: whatever is asked of them comes to what their rows would come to here."""

import os
import random
import threading
import unittest
from collections import Counter
from contextlib import contextmanager
from dataclasses import replace

import pyarrow as pa
from cachetools import TTLCache

from nexorem.core.diagnostics import Refused
from nexorem.core.engine.cleared import cleared
from nexorem.core.engine.computed import make_star
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of, read_pick
from nexorem.core.engine.trace import trace
from nexorem.core.limits import Budget
from nexorem.core.model.rows import TableRows
from nexorem.core.model.specs import UNMATCHED, Clearance
from nexorem.core.results import as_json
from nexorem.sql.dialects import DUCKDB, POSTGRESQL
from nexorem.store.elsewhere import PostgreSql
from nexorem.store.sides import Look
from nexorem.store.staying import Staying
from tests.oracle.agreement import describe, same
from tests.sql.test_agreement import DIGITS, random_probe
from tests.sql.voices import ARROW, Server, columnar

SEEDS = int(os.environ.get("STAYING_SEEDS", "60"))
FIRST = int(os.environ.get("FIRST_SEED", "0"))
KINDS = {"integer": "BIGINT", "number": "DOUBLE", "text": "VARCHAR", "boolean": "BOOLEAN", "date": "DATE", "datetime": "TIMESTAMP"}
REFUSED = {"no_row_key", "no_sql", "rules_stay"}


class Asking:
    """Asks a voice; rows that go along become tables of it where it takes no arrays."""

    def __init__(self, voice):
        self.voice, self.sent = voice, set()

    def rows(self, text, values=None):
        return self.voice.run(text, values)

    def stop(self):
        """Nobody does."""

    def send(self, name, sent, table):
        if name not in self.sent:
            columns = {c.name: pa.array(sent.values(c.name), ARROW[c.dtype]) for c in table.columns}
            self.voice.base.register(name, pa.table({**columns, "row_number": pa.array(range(sent.size), pa.int64())}))
            self.sent.add(name)


class OfDuck(Asking):
    dialect = replace(DUCKDB, arrays=False)
    kinds = KINDS


class OfPostgres(Asking):
    dialect = POSTGRESQL
    kinds = PostgreSql.kinds


class Ways:
    """Ways to voices, by name."""

    def __init__(self, **voices):
        self.voices = {name: (OfPostgres if v.dialect is POSTGRESQL else OfDuck)(v) for name, v in voices.items()}
        self.answers, self.lock, self.facts = TTLCache(100, 60), threading.Lock(), {}

    @contextmanager
    def asking(self, name, seconds):
        yield self.voices[name]

    def speaks(self, name):
        return type(self.voices[name])

    def known(self, key):
        return self.facts.get(key)

    def kept(self, key, make):
        if key not in self.facts:
            self.facts[key] = make()
        return self.facts[key]


def left(star, names, ways, where):
    """The star with some tables left where they are: in the place that `where` says."""
    model = replace(
        star.model, tables=tuple(replace(t, stays=True, load=i) if t.name in names else t for i, t in enumerate(star.model.tables))
    )
    looks = {}
    for table in model.tables:
        if table.stays:
            kinds = ways.speaks(where(table.name)).kinds
            own = [c for c in table.columns if not c.formula]
            columns = {c.name: kinds[c.dtype] for c in own}
            sample = TableRows(star.size(table.name), {c.name: star.column(table.name, c.name) for c in own})
            looks[str(table.load)] = Look(table.load, where(table.name), None, table.name, columns, sample, "", "_row")
    stored = {
        t.name: TableRows(star.size(t.name), {c.name: star.column(t.name, c.name) for c in t.columns if not c.formula})
        for t in model.tables
        if not t.formula and not t.stays
    }
    return make_star(model, stored, elsewhere=Staying(ways, looks))


def left_under_rules(star, *how):
    """The same for a star that may be under rules of rows, which are held where its tables are."""
    if star.unruled is None:
        return left(star, *how)
    return cleared(left(star.unruled.with_model(star.model), *how), Clearance("some", star.cleared.rules), {}, Budget())


def with_some_left(seed, under_rules=False):
    """A random probe as (maker, probe, wanted), with the names of tables that are left; None where its numbers are not told alike."""
    made = random_probe(seed, under_rules)
    if made is None or any(DIGITS.search(m.formula) for m in made[0].model.measures):
        return None
    names = [t.name for t in made[0].model.tables if not t.formula]
    return *made, set(random.Random(seed).sample(names, random.Random(seed + 1).randint(1, len(names))))


class Answers(unittest.TestCase):
    def agree(self, seed, voice, under_rules=False):
        made = with_some_left(seed, under_rules)
        if made is None:
            return None
        maker, data, wanted, names = made
        with voice(maker.star.unruled or maker.star) as there:
            try:
                star = left_under_rules(maker.star, names, Ways(there=there), lambda name: "there")
                self.assertEqual((star.firm, star.firm_back, star.unmatched), (maker.star.firm, maker.star.firm_back, maker.star.unmatched))
                found = list(answer(star, probe_of(star, data), Budget()).tidy())
            except Refused as refused:
                self.assertIn(refused.diagnostics[0].code, REFUSED, describe(maker, data))
                return False
        measures = data["measures"]
        places = [[{k: v for k, v in cell.items() if k not in measures} for cell in cells] for cells in (found, wanted)]
        self.assertEqual(*places, f"seed {seed}, {names} stay: {describe(maker, data)}")
        for mine, theirs in zip(found, wanted, strict=True):
            for name in measures:
                self.assertTrue(same(mine[name], theirs[name]), f"seed {seed}: {name} at {mine}, not {theirs}: {describe(maker, data)}")
        return True

    def test_as_if_the_rows_were_here(self):
        """Random models and probes, any of their tables left in a columnar database or in PostgreSQL; the others go along."""
        server = Server()
        for voice, seeds in ((columnar, SEEDS), (server, SEEDS // 3)):
            came = [self.agree(seed, voice) for seed in range(FIRST, FIRST + seeds)]
            self.assertGreater(sum(x is True for x in came), seeds * 0.7)

    def test_under_rules_of_rows(self):
        """What rules leave is decided there, and read there in place of the tables."""
        server, came = Server(), Counter()
        for voice, seeds in ((columnar, SEEDS), (server, SEEDS // 3)):
            for seed in range(FIRST, FIRST + seeds):
                came[self.agree(seed, voice, under_rules=True)] += 1
        self.assertGreater(came[True], SEEDS * 0.6, came)

    def test_in_two_places(self):
        """Some tables in one place, some in another, some here: what is small goes to where the largest is."""
        came = 0
        for seed in range(FIRST, FIRST + SEEDS // 4):
            made = random_probe(seed, under_rules=seed % 3 == 0)
            if made is None or any(DIGITS.search(m.formula) for m in made[0].model.measures):
                continue
            maker, data, wanted = made
            place = {t.name: random.Random(f"{seed} {t.name}").choice(("one", "other", "")) for t in maker.model.tables if not t.formula}
            rows = maker.star.unruled or maker.star
            with columnar(rows) as one, columnar(rows) as other:
                try:
                    ways = Ways(one=one, other=other)
                    star = left_under_rules(maker.star, {n for n, where in place.items() if where}, ways, place.__getitem__)
                    self.assertEqual((star.firm, star.unmatched), (maker.star.firm, maker.star.unmatched))
                    found = list(answer(star, probe_of(star, data), Budget()).tidy())
                except Refused as refused:
                    self.assertIn(refused.diagnostics[0].code, REFUSED)
                    continue
            came += 1
            self.assertEqual(len(found), len(wanted))
            self.assertTrue(all(same(a[m], b[m]) for a, b in zip(found, wanted, strict=True) for m in data["measures"]), seed)
        self.assertGreater(came, SEEDS // 8)


# What a place does not tell, or tells in an order of its own: some rows, and which of them an iteration ran over.
ASIDE = {"rows", "values", "milliseconds"}


def told(trace):
    """A trace as it is compared: without the rows that stand for others, and doubles but for the order they are added in."""
    if isinstance(trace, dict):
        return {k: told(v) for k, v in trace.items() if k not in ASIDE or (k == "values" and "column" in trace)}
    if isinstance(trace, float):
        return float(f"{trace:.9g}")
    return [told(x) for x in trace] if isinstance(trace, list | tuple) else trace


class Traces(unittest.TestCase):
    maxDiff = 4000

    def agree(self, seed, voice):
        made = with_some_left(seed, under_rules=seed % 3 == 0)
        if made is None:
            return None
        maker, data, _, names = made
        with voice(maker.star.unruled or maker.star) as there:
            try:
                star = left_under_rules(maker.star, names, Ways(there=there), lambda name: "there")
            except Refused as refused:
                self.assertEqual(refused.diagnostics[0].code, "rules_stay", describe(maker, data))
                return False
            probe = probe_of(maker.star, data)
            grid = answer(maker.star, probe, Budget())
            line = random.Random(seed + 2).choice(grid.rows.named(maker.star, UNMATCHED) or [{}])
            across = random.Random(seed + 3).choice(grid.columns.named(maker.star, UNMATCHED) or [{}])
            at = [read_pick(maker.star, name, [v]) for name, v in (line | across).items()]
            for measure in data["measures"]:
                wanted = trace(maker.star, probe, measure, at, Budget())
                try:
                    found = trace(star, probe, measure, at, Budget())
                except Refused as refused:
                    self.assertIn(refused.diagnostics[0].code, {*REFUSED, "overflow"}, describe(maker, data))
                    return False
                self.assertEqual(
                    told(as_json(found)), told(as_json(wanted)), f"seed {seed}, {measure} at {at}, {names} stay: {describe(maker, data)}"
                )
        return True

    def test_a_trace_is_the_same(self):
        """Random cells explained: filters, flows, counts of rows and values as where the rows are here."""
        came = Counter()
        for seed in range(FIRST, FIRST + SEEDS):
            came[self.agree(seed, columnar)] += 1
        self.assertGreater(came[True], SEEDS * 0.5)


if __name__ == "__main__":
    unittest.main()
