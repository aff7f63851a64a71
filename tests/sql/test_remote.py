"""A model whose rows stay in a database: what that proves of them is what the rows prove here, and its probes come to the same."""

import unittest
from dataclasses import replace

import psycopg

from nexorem.core.diagnostics import Refused
from nexorem.core.engine.computed import edited_star
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.limits import Budget
from nexorem.core.model.model import Column
from nexorem.sql.proof import tidy_lines
from nexorem.store.elsewhere import elsewhere
from nexorem.store.proving import axes_of
from tests.core.small import STAR, TABLES
from tests.oracle.agreement import same
from tests.oracle.random_models import Maker
from tests.sql.test_agreement import random_probe
from tests.sql.voices import Server, columnar
from tests.store.cluster import fresh_url

SEEDS = 60


def told(facts):
    return facts.matched, facts.orphans, facts.empty, len(facts.repeated), facts.key_empty


class Proofs(unittest.TestCase):
    def test_what_a_database_proves(self):
        """Of random models: sizes, links as they are and turned round, columns; which links are firm and who has an unmatched member."""
        server = Server()
        for seed in range(SEEDS):
            star = Maker(seed).star
            for voice in (columnar, server):
                with self.subTest(seed=seed), voice(star) as database:
                    proven = database.proven()
                    self.assertEqual((proven.firm, proven.firm_back, proven.unmatched), (star.firm, star.firm_back, star.unmatched))
                    for table in star.model.tables:
                        self.assertEqual(proven.size(table.name), star.size(table.name))
                        for c in table.columns:
                            self.assertEqual(proven.column_facts(table.name, c.name), star.column_facts(table.name, c.name))
                            self.assertEqual(proven.has_empties(table.name, c.name), star.has_empties(table.name, c.name))
                    for link in star.model.links:
                        for way in (link, link.turned()):
                            self.assertEqual(told(proven.facts(way)), told(star.facts(way)))

    def test_probes_over_what_it_proves(self):
        agreed = 0
        for seed in range(SEEDS):
            made = random_probe(seed)
            if made is None:
                continue
            maker, probe, wanted = made
            with columnar(maker.star) as database:
                found = database.cells(probe, database.proven())
            agreed += 1
            self.assertEqual(len(found), len(wanted))
            self.assertTrue(all(same(a[m], b[m]) for a, b in zip(found, wanted, strict=True) for m in probe["measures"]), seed)
        self.assertGreater(agreed, SEEDS * 0.8)


# The small star's tables with other types, as databases have them.
KINDS = {
    "no": "integer",
    "port": "varchar(8)",
    "seats": "smallint",
    "fare": "numeric(8, 2)",
    "code": "char(5)",
    "region": "varchar",
    "depth": "numeric",
}


class Elsewhere(unittest.TestCase):
    def setUp(self):
        self.url = fresh_url()
        with psycopg.connect(self.url.replace("+psycopg", ""), autocommit=True) as connection:
            connection.execute('CREATE SCHEMA "the line"')
            for name, (columns, rows) in TABLES.items():
                pairs = [c.split(":") for c in columns.split()]
                kinds = ", ".join(f'"{c}" {KINDS.get(c, {"number": "real"}.get(d, d))}' for c, d in pairs)
                connection.execute(f'CREATE TABLE "the line"."{name}" ({kinds})')
                marks = ", ".join(["%s"] * len(pairs))
                for row in rows:
                    connection.execute(f'INSERT INTO "the line"."{name}" VALUES ({marks})', row)

    def cells(self, star, data, schema="the line"):
        with elsewhere(self.url, star.model, schema, 20) as there:
            probe = probe_of(there.proven, data)
            return list(tidy_lines(axes_of(probe), probe.measures, there.answer(probe)))

    def test_a_probe_over_tables_of_other_types(self):
        formulas = {"x": "sum(Booking.seats * Port.depth)", "y": "sum(seats for each Port)", "z": "avg(Booking.fare)"}
        data = {"rows": ["Port.region"], "measures": ["seats", "share", *formulas], "define": formulas, "totals": "all"}
        wanted = list(answer(STAR, probe_of(STAR, data), Budget()).tidy())
        found = self.cells(STAR, data)
        self.assertEqual([c.get("Port.region", "all") for c in found], [c.get("Port.region", "all") for c in wanted])
        self.assertTrue(all(same(a[m], b[m]) for a, b in zip(found, wanted, strict=True) for m in data["measures"]), (found, wanted))

    def test_what_is_no_value_here_is_empty(self):
        with psycopg.connect(self.url.replace("+psycopg", ""), autocommit=True) as connection:
            connection.execute("""UPDATE "the line"."Booking" SET fare = 'NaN' WHERE no = 1""")
            connection.execute("""ALTER TABLE "the line"."Booking" ALTER fare TYPE double precision""")
            connection.execute("""UPDATE "the line"."Booking" SET fare = '-Infinity', refunded = 'infinity' WHERE no = 2""")
            connection.execute("""UPDATE "the line"."Booking" SET refunded = '0044-03-15 BC' WHERE no = 4""")
        formulas = {"a": "sum(Booking.fare)", "b": "count(Booking.fare)", "c": "count(Booking.refunded)", "d": "max(Booking.fare)"}
        formulas["e"] = "rows(Booking where Booking.fare IS NULL)"
        (cell,) = self.cells(STAR, {"measures": list(formulas), "define": formulas})
        self.assertEqual(cell, {"a": 14.5, "b": 4, "c": 1, "d": 7.0, "e": 3})

    def test_computed_columns_are_computed_where_they_are_read(self):
        star = self.with_column("Booking", Column("worth", "number", formula="fare * COALESCE(Port.depth, 1)"))
        data = {
            "rows": ["Port.region"],
            "measures": ["x"],
            "define": {"x": "sum(worth)".replace("worth", "Booking.worth")},
            "totals": "all",
        }
        wanted = [c["x"] for c in answer(star, probe_of(star, data), Budget()).tidy()]
        self.assertTrue(all(map(same, [c["x"] for c in self.cells(star, data)], wanted)))
        star = self.with_column("Port", Column("size", "integer", formula="seats + 1"))
        with self.assertRaises(Refused) as caught:
            self.cells(star, {"measures": ["x"], "define": {"x": "sum(Port.size)"}})
        self.assertEqual(caught.exception.diagnostics[0].code, "no_sql")

    def with_column(self, name, column):
        tables = tuple(replace(t, columns=(*t.columns, column)) if t.name == name else t for t in STAR.model.tables)
        return edited_star(STAR, replace(STAR.model, tables=tables))

    def test_what_is_not_there_is_told_at_once(self):
        with psycopg.connect(self.url.replace("+psycopg", ""), autocommit=True) as connection:
            connection.execute('ALTER TABLE "the line"."Port" DROP COLUMN depth')
            connection.execute('DROP TABLE "the line"."Cal"')
        with self.assertRaises(Refused) as caught:
            self.cells(STAR, {"measures": ["seats"]})
        self.assertEqual({d.code for d in caught.exception.diagnostics}, {"no_table", "no_column"})
        for url, code in ((self.url.replace("127.0.0.1", "127.0.0.2"), "database"), (self.url.rsplit("/", 1)[0] + "/nowhere", "database")):
            self.url = url
            with self.assertRaises(Refused) as caught:
                self.cells(STAR, {"measures": ["seats"]})
            self.assertEqual(caught.exception.diagnostics[0].code, code)

    def test_what_takes_too_long_is_ended(self):
        with elsewhere(self.url, STAR.model, "the line", 0.2) as there, self.assertRaises(Refused) as caught:
            there.asking.rows("SELECT pg_sleep(20)")
        self.assertEqual(caught.exception.diagnostics[0].code, "limit_seconds")

    def test_nothing_is_written(self):
        with elsewhere(self.url, STAR.model, "the line", 20) as there, self.assertRaises(Refused):
            there.asking.rows('DELETE FROM "the line"."Port" RETURNING 1')


if __name__ == "__main__":
    unittest.main()
