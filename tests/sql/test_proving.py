"""Proofs in PostgreSQL: what differs is told, tables are shared by what they hold and dropped when nobody needs them."""

import threading
import unittest
import unittest.mock

import psycopg

from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.limits import Budget
from nexorem.core.model.model import Column, Measure, Model, Table
from nexorem.core.model.star import Star, table_rows
from nexorem.core.values import vector
from nexorem.sql.proof import Answer, compared, same_value, values_by_place
from nexorem.store.proving import SCHEMA, ProofTables, table_name
from tests.core.small import STAR
from tests.store.cluster import fresh_url

SEATS = {"rows": ["Port.region"], "measures": ["seats", "trips"], "totals": "all"}


def grid_of(star, data):
    return answer(star, probe_of(star, data), Budget())


def numbers(**columns):
    """A star of one table of whole numbers and a text."""
    size = len(next(iter(columns.values())))
    kinds = {n: "text" if isinstance(v[0], str) else "integer" for n, v in columns.items()}
    model = Model(
        "m", (Table("r", tuple(Column(n, k) for n, k in kinds.items())),), (), (Measure("total", "sum(r.n)"), Measure("rows_", "rows(r)"))
    )
    return Star(model, {"r": table_rows(size, {n: vector(kinds[n], v) for n, v in columns.items()})})


class Proving(unittest.TestCase):
    def setUp(self):
        self.url = fresh_url().replace("+psycopg", "")
        self.tables = ProofTables(self.url, 20)

    def run_there(self, text, *values):
        with psycopg.connect(self.url, autocommit=True) as connection:
            cursor = connection.execute(text, values)
            return cursor.fetchall() if cursor.description else []

    def there(self):
        return {name for (name,) in self.run_there("SELECT tablename FROM pg_tables WHERE schemaname = %s AND tablename <> 'held'", SCHEMA)}

    def test_a_grid_is_the_same_and_then_it_is_not(self):
        grid = grid_of(STAR, SEATS)
        proof = self.tables.prove(grid)
        self.assertEqual((proof.state, proof.cells, proof.equal, proof.different, proof.aside), ("proven", 10, 10, 0, 0))
        self.assertIn("PostgreSQL", proof.by)
        booking = table_name(STAR, STAR.model.table("Booking"))
        self.run_there(f"UPDATE {SCHEMA}.{booking} SET c4 = 6 WHERE c0 = 1")  # its one seat to the north
        proof = self.tables.prove(grid)
        self.assertEqual((proof.state, proof.different), ("differs", 2))
        first = next(d for d in proof.differences if d.at == {"Port.region": "North"})
        self.assertEqual((first.measure, first.ours, first.theirs), ("seats", 5, 10))
        self.assertEqual(first.sentence, "seats at North is 5; PostgreSQL has 10.")
        self.run_there(f"DELETE FROM {SCHEMA}.{booking} WHERE c1 = 'c'")
        missing = next(d for d in self.tables.prove(grid).differences if d.missing)
        self.assertEqual((missing.missing, missing.at), ("theirs", {"Port.region": None}))
        self.run_there(f"UPDATE {SCHEMA}.{booking} SET c1 = 'c' WHERE c0 = 1")
        picked = grid_of(STAR, {**SEATS, "picks": [{"column": "Booking.no", "in": [1]}]})
        self.assertIn("ours", {d.missing for d in self.tables.prove(picked).differences})

    def test_tables_are_made_once_for_what_they_hold(self):
        made = []
        hold = self.tables._hold_one

        def counted(connection, star, table):
            made.append(table.name)
            hold(connection, star, table)

        self.tables._hold_one = counted
        threads = [threading.Thread(target=self.tables.prove, args=(grid_of(STAR, SEATS),)) for _ in range(4)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(self.there(), {table_name(STAR, STAR.model.table(n)) for n in ("Booking", "Port")})
        self.assertEqual(len(made), 8)
        # The same rows in another model are the same table; other rows are another.
        self.assertEqual(
            table_name(numbers(n=[1, 2]), numbers(n=[1, 2]).model.tables[0]),
            table_name(numbers(k=[1, 2]), numbers(k=[1, 2]).model.tables[0]),
        )
        self.assertNotEqual(
            table_name(numbers(n=[1, 2]), numbers(n=[1, 2]).model.tables[0]),
            table_name(numbers(n=[2, 1]), numbers(n=[2, 1]).model.tables[0]),
        )

    def test_what_nobody_needs_goes(self):
        self.tables.prove(grid_of(STAR, SEATS))
        booking = table_name(STAR, STAR.model.table("Booking"))
        self.run_there(f"UPDATE {SCHEMA}.held SET used_at = now() - interval '8 days' WHERE name = %s", booking)
        with self.tables.connection() as connection:
            self.assertEqual(self.tables.tidy(connection), 1)
        self.assertNotIn(booking, self.there())
        self.assertEqual(self.tables.prove(grid_of(STAR, SEATS)).state, "proven")
        with unittest.mock.patch("nexorem.store.proving.MOST_BYTES", 1), self.tables.connection() as connection:
            self.assertEqual(self.tables.tidy(connection), 2)
        self.assertEqual(self.there(), set())

    def test_a_number_beyond_its_type_is_put_aside(self):
        star = numbers(n=[2**62, 2**62, 5], k=[1, 1, 2])
        proof = self.tables.prove(grid_of(star, {"rows": ["r.k"], "measures": ["total", "rows_"]}))
        self.assertEqual((proof.state, proof.equal, proof.aside), ("proven", 2, 2))
        self.assertIn("total", proof.reasons[0])
        proof = self.tables.prove(grid_of(star, {"measures": ["total"]}))
        self.assertEqual((proof.state, proof.equal), ("cannot", 0))

    def test_texts_that_postgresql_has_no_place_for(self):
        star = numbers(n=[1, 2, 3], t=["a\0b", "", 'x\ny"z'])
        proof = self.tables.prove(grid_of(star, {"rows": ["r.t"], "measures": ["total"]}))
        self.assertEqual((proof.equal, proof.different), (2, 2), "the sign in place of the character is another text")
        self.assertEqual(self.tables.prove(grid_of(star, {"measures": ["total"]})).state, "proven")

    def test_a_database_that_is_gone(self):
        gone = ProofTables(self.url.rsplit("/", 1)[0] + "/nowhere")
        proof = gone.prove(grid_of(STAR, SEATS))
        self.assertEqual(proof.state, "cannot")
        self.assertIn("does not exist", proof.sentence)

    def test_a_statement_that_takes_too_long(self):
        self.tables.prove(grid_of(STAR, SEATS))
        self.tables.seconds = 0.001
        slow = {"measures": ["x"], "define": {"x": "rows(every (Booking.no, Port.code) union every (Booking.no, Port.code))"}}
        with unittest.mock.patch.object(
            ProofTables, "run", lambda tables, connection, made: tables.rows(connection, "SELECT 1, pg_sleep(5)")
        ):
            proof = self.tables.prove(grid_of(STAR, slow))
        self.assertEqual((proof.state, proof.sentence), ("cannot", "PostgreSQL needs too long for it."))


class Comparing(unittest.TestCase):
    def test_values(self):
        for a, b, widest, expected in (
            (1, 1, 0.0, True), (1, 2, 0.0, False), (1.0, 1.0 + 1e-12, 0.0, True), (1.0, 1.001, 0.0, False), (1e-8, 0.0, 1e6, True),
            (1e-7, 0.0, 1.0, False), (500.5, 500.0, 1e9, False), (None, None, 0.0, True), (None, 0, 0.0, False), ("a", "a", 0.0, True), ("a", "A", 0.0, False),
            (True, True, 0.0, True), (True, 1, 0.0, False), (2**62, 2**62 + 1, 0.0, False), ("2031-01-01", "2031-01-01", 0.0, True),
        ):  # fmt: skip
            self.assertEqual(same_value(a, b, widest), expected, (a, b))

    def test_an_unmatched_member_is_no_text_of_that_name(self):
        grid = grid_of(STAR, {"rows": ["Port.region"], "measures": ["seats"]})
        lines = [(0, "North", 5), (0, "South", 2), (0, "(unmatched)", 24), (1, "", 32)]
        proof = compared(grid, Answer(values_by_place(["Port.region"], ["seats"], lines), {}, 0.0), "It")
        self.assertEqual((proof.equal, proof.different), (3, 2))


if __name__ == "__main__":
    unittest.main()
