"""The documents: SQL that PostgreSQL runs and rows keep to, a dictionary that Markdown reads, pictures that are XML."""

import unittest
import xml.etree.ElementTree as ET
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import psycopg

from nexorem.core.diagnostics import Refused
from nexorem.core.model.model import Column, Table
from nexorem.export.ddl import identifier
from nexorem.export.documents import DOCUMENTS, make_document
from nexorem.package.read import open_package
from tests.core.small import LINKS, MEASURES, STAR, TABLES, make_star
from tests.store.cluster import fresh_url

DEMO = open_package(Path(__file__).parents[2] / "demo" / "lantern_isles")
NASTY = {
    'O"dd; DROP': ("k:text select:text when:datetime", [("a", "x", None), ("b", None, None)]),
    "Straße 1": ("k:text ratio:number ok:boolean", [("a", 0.5, True), (None, None, None)]),
}


def nasty():
    """Names and words that would break what does not quote them."""
    links = [{"name": "it's; --\nx", "from": '"Straße 1".k', "to": '"O""dd; DROP".k', "description": "a'b|c"}]
    star = make_star(NASTY, links, {"m": 'rows("Straße 1")\n-- \'; DROP TABLE x; |'}, False)
    tables = tuple(replace(t, description="it's | a `test`\n# <b>", grain="one's row") for t in star.model.tables)
    return star.with_model(replace(star.model, tables=tables, title="A 'title'\n*/ --"))


class Ddl(unittest.TestCase):
    def run_on(self, star):
        """Runs the statements, then puts every row in; gives the open connection."""
        connection = psycopg.connect(fresh_url().replace("+psycopg", ""))
        self.addCleanup(connection.close)
        connection.execute(make_document(star, "ddl"))
        connection.execute("SET CONSTRAINTS ALL DEFERRED")
        first = {k.to_table for k in star.model.links}
        looked_up = sorted(
            star.model.tables,
            key=lambda t: (t.name not in first, any(k.from_table == t.name and k.to_table in first for k in star.model.links)),
        )
        waiting = list(looked_up)
        for _ in range(len(waiting) ** 2):
            if not waiting:
                break
            table = waiting.pop(0)
            try:
                with connection.transaction():
                    self.fill(connection, star, table)
            except psycopg.errors.ForeignKeyViolation:
                waiting.append(table)  # what it names is not there yet
        self.assertEqual(waiting, [])
        return connection

    def foreign_keys(self, connection, star):
        """How many constraints of the model's own tables there are: the store's tables lie beside them."""
        query = "SELECT count(*) FROM information_schema.table_constraints WHERE constraint_type = 'FOREIGN KEY' AND table_name = ANY(%s)"
        return connection.execute(query, [[t.name for t in star.model.tables]]).fetchone()[0]

    def fill(self, connection, star, table):
        columns = [c.name for c in table.columns]
        values = [star.column(table.name, c).rows().tolist() for c in columns]
        names, marks = ", ".join(map(identifier, columns)), ", ".join(["%s"] * len(columns))
        with connection.cursor() as cursor:
            cursor.executemany(f"INSERT INTO {identifier(table.name)} ({names}) VALUES ({marks})", list(zip(*values, strict=True)))

    def test_the_demo_with_its_rows(self):
        connection = self.run_on(DEMO)
        for table in DEMO.model.tables:
            (count,) = connection.execute(f"SELECT count(*) FROM {identifier(table.name)}").fetchone()
            self.assertEqual(count, DEMO.size(table.name))
        keys = self.foreign_keys(connection, DEMO)
        bearing = [
            k for k in DEMO.model.links if k.cardinality != "many-to-many" and not DEMO.facts(k).orphans and not DEMO.facts(k).repeated
        ]
        self.assertEqual(keys, len(bearing))
        self.assertGreater(keys, 15)
        with self.assertRaises(psycopg.errors.ForeignKeyViolation):
            connection.execute("""UPDATE "Booking" SET customer_no = -1""")

    def test_nasty_names_and_keys_that_do_not_hold(self):
        connection = self.run_on(nasty())
        told = connection.execute("SELECT obj_description('\"Straße 1\"'::regclass)").fetchone()[0]
        self.assertEqual(told, "it's | a `test`\n# <b> Grain: one's row")
        self.assertEqual(self.foreign_keys(connection, nasty()), 1)
        text = make_document(STAR, "ddl")
        self.assertIn("-- no constraint: 1 row names a key that Port does not have", text)
        self.assertIn("-- no constraint: both sides are many", text)
        self.run_on(STAR)

    def test_computed_tables_and_columns(self):
        star = make_star()
        computed = Table(
            "Deep",
            (Column("code", ""), Column("name", ""), Column("region", ""), Column("depth", "")),
            formula="every Port where Port.depth > 4",
        )
        model = replace(star.model, tables=(*star.model.tables, computed))
        from nexorem.core.engine.computed import make_star as with_computed

        self.assertIn("Computed: every Port where Port.depth > 4", make_document(with_computed(model, star.rows), "ddl"))


class Dictionary(unittest.TestCase):
    def test_everything_is_in_it(self):
        text = make_document(DEMO, "dictionary")
        for table in DEMO.model.tables:
            self.assertIn(f"### {table.name}\n", text)
        for measure in DEMO.model.measures:
            self.assertIn(f"### {measure.name}\n", text)
        self.assertIn("| sails on | Booking.sails_on | Calendar.date | many-to-one | one-way | active | 60,212 of 60,212 |", text)

    def test_no_text_breaks_a_table(self):
        broken = make_star(TABLES, LINKS, MEASURES | {"bad": "sum(Nope.x)"})
        for star in (nasty(), broken):
            lines = make_document(star, "dictionary").splitlines()
            rows = [line for line in lines if line.startswith("|")]
            self.assertTrue(rows)
            for before, line in pairwise(lines):
                if line.startswith("|") and before.startswith("|"):
                    self.assertEqual(line.replace("\\|", "").count("|"), before.replace("\\|", "").count("|"), line)
            self.assertNotIn("<b>", "\n".join(rows))
        self.assertIn("Cannot be computed", make_document(broken, "dictionary"))


class Pictures(unittest.TestCase):
    def test_they_are_xml_and_show_every_table_and_link(self):
        for star in (DEMO, nasty(), make_star({"One": TABLES["Port"]}, [], {}), STAR):
            for kind in ("star-svg", "matrix-svg"):
                root = ET.fromstring(make_document(star, kind))
                self.assertTrue(float(root.get("width")) > 0 < float(root.get("height")))
        root = ET.fromstring(make_document(DEMO, "star-svg", "sailing", "Booking"))
        said = [e.text for e in root.iter("{http://www.w3.org/2000/svg}title")]
        for link in DEMO.model.links:
            self.assertTrue(any(t.startswith(f"{link.name}: ") for t in said), link.name)
        words = " ".join(root.itertext())
        self.assertTrue(all(t.name in words for t in DEMO.model.tables))
        matrix = [e.text for e in ET.fromstring(make_document(DEMO, "matrix-svg")).iter("{http://www.w3.org/2000/svg}title")]
        self.assertIn("Calendar to Booking: filters it, over sails on", matrix)

    def test_what_cannot_be_drawn_is_refused(self):
        for star, fact in ((STAR, "Bookin"), (make_star({}, [], {}), None)):
            with self.assertRaises(Refused):
                make_document(star, "star-svg", fact)
        self.assertEqual(set(DOCUMENTS), {"ddl", "dictionary", "star-svg", "matrix-svg"})


if __name__ == "__main__":
    unittest.main()
