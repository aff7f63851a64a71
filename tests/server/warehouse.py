"""Somebody else's database with tables of the demo, which a model leaves there."""

from __future__ import annotations

from functools import cache
from pathlib import Path

import psycopg
from psycopg.conninfo import conninfo_to_dict

from nexorem.package.read import open_package
from nexorem.sql.dialects import stored
from nexorem.store.proving import written
from tests.store.cluster import fresh_url

DEMO = Path(__file__).parents[2] / "demo" / "lantern_isles"


@cache
def demo():
    """The demo's star."""
    return open_package(DEMO)


def quoted(name):
    return '"' + name.replace('"', '""') + '"'


class Warehouse:
    """A database with some of the demo's tables in the schema `line`, by their names in small letters."""

    def __init__(self, *names):
        self.url = fresh_url().replace("+psycopg", "")
        self.run("CREATE SCHEMA line")
        for name in names:
            table = demo().model.table(name)
            kinds = ", ".join(f"{quoted(c.name)} {stored(c.dtype)}" for c in table.columns if not c.formula)
            with psycopg.connect(self.url, autocommit=True) as connection:
                connection.execute(f"CREATE TABLE line.{quoted(name.lower())} ({kinds})")
                with connection.cursor().copy(f"COPY line.{quoted(name.lower())} FROM STDIN (FORMAT csv)") as copy:
                    for part in written(demo(), table, False):
                        copy.write(part)
        self.run("ANALYZE")

    def run(self, statement):
        """Does something there."""
        with psycopg.connect(self.url, autocommit=True) as connection:
            connection.execute(statement)

    def open(self, is_open):
        """Lets nobody in, or everybody again."""
        name = conninfo_to_dict(self.url)["dbname"]
        with psycopg.connect(fresh_url().replace("+psycopg", ""), autocommit=True) as connection:
            connection.execute(f"ALTER DATABASE {quoted(name)} ALLOW_CONNECTIONS {is_open}")

    def access(self, name="Warehouse"):
        """The connection as it is asked for."""
        parts = conninfo_to_dict(self.url)
        named = {"host": parts["host"], "port": int(parts["port"]), "database": parts["dbname"], "user": parts["user"]}
        return {"name": name, **named, "password": parts["password"], "keep_password": True}
