"""Every function and operator of the language over nasty values, alone, on both databases against the engine's own."""

import datetime as dt
import math
import unittest

from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.functions.library import FUNCTIONS
from nexorem.core.limits import Budget
from nexorem.core.model.model import Column, Model, Table
from nexorem.core.model.star import Star, table_rows
from nexorem.core.values import vector
from nexorem.sql.scalars import BUILDERS
from tests.sql.voices import Server, columnar

NUMBERS = [None, 0.0, 0.5, -0.5, 1.5, 2.5, -2.5, 1e6, -1e15, 3.0, 0.1, 700.0, 1e300, 123456789.125]
INEXACT = {"r.x % 0.75": 1e300}  # of which PostgreSQL's NUMERIC keeps 15 digits
WHOLE = [None, 0, 1, -1, 2, 3, -7, 12, 31, 60, 1000, 2031, -400, 9999]
TEXTS = [
    None,
    "",
    " ",
    "a",
    "A",
    "ab",
    "ü",
    "😀b",
    "\uffee",
    "12",
    " -7 ",
    "1.5e3",
    "TRUE",
    "2031-02-29",
    "2032-02-29",
    "2031-1-5 7:30",
    "x'y",
    "a\\b",
    "%_",
]
DAYS = [
    None,
    dt.date(2031, 1, 1),
    dt.date(2032, 2, 29),
    dt.date(1, 1, 1),
    dt.date(9999, 12, 31),
    dt.date(2030, 12, 31),
    dt.date(2024, 1, 31),
]
TIMES = [None, *(dt.datetime(2031, 3, 31, 23, 59, 59, 250_000) + dt.timedelta(hours=h) for h in (0, 1, 700)), dt.datetime(1, 1, 1)]
ONE = {
    "x": ("number", NUMBERS, "ABS(r.x) ; ROUND(r.x) ; ROUND(r.x, 1) ; ROUND(r.x, -2) ; FLOOR(r.x) ; CEIL(r.x) ; SQRT(r.x) ; LN(r.x) ; EXP(r.x) ; -r.x ; r.x * 2 ; "
          "r.x / 3 ; r.x % 0.75 ; POWER(r.x, 2) ; POWER(2, r.x) ; POWER(r.x, -1) ; POWER(r.x, 0.5) ; CAST(r.x AS integer) ; CAST(r.x AS text) ; r.x + 1 ; r.x - NULL ; "
          "COALESCE(r.x, 7) ; NULLIF(r.x, 3) ; LEAST(r.x, 1, 2) ; GREATEST(r.x, 0.25) ; r.x / 0 ; MOD(r.x, 2) ; r.x IN (0, 3, NULL) ; r.x IS DISTINCT FROM NULL ; "
          "CASE WHEN r.x > 1 THEN r.x WHEN r.x IS NULL THEN -1 END ; NOT (r.x > 0 OR NULL) ; r.x BETWEEN 0 AND 2"),
    "n": ("integer", WHOLE, "ABS(r.n) ; -r.n ; r.n * r.n ; r.n / 2 ; r.n % 5 ; r.n % -3 ; MOD(r.n, 0) ; ROUND(r.n, -1) ; FLOOR(r.n) ; CAST(r.n AS text) ; CAST(r.n AS number) ; "
          "date_of(2031, r.n, 28) ; date_of(r.n, 2, 29) ; date_of(2032, 2, r.n) ; datetime_of(2031, 1, 2, r.n, 5) ; datetime_of(2031, 1, 2, 3, r.n, r.n / 7) ; "
          "DATE '2031-01-31' + INTERVAL '1' MONTH * r.n ; DATE '2031-01-31' - INTERVAL '1' DAY * r.n ; TIMESTAMP '2031-01-31 12:00:00' + INTERVAL '1' HOUR * r.n ; "
          "TIMESTAMP '2031-01-31 12:00:00' + INTERVAL '1' DAY * r.n ; SUBSTRING('ferry' FROM r.n) ; SUBSTRING('ferry' FROM 2 FOR r.n) ; SUBSTRING('ferry' FROM r.n FOR 4)"),
    "t": ("text", TEXTS, "UPPER(r.t) ; LOWER(r.t) ; CHAR_LENGTH(r.t) ; r.t || '!' ; r.t LIKE '%a%' ; r.t LIKE '_' ; r.t LIKE '!%!_' ESCAPE '!' ; POSITION('b' IN r.t) ; "
          "REPLACE(r.t, 'a', 'zz') ; TRIM(BOTH ' ' FROM r.t) ; TRIM(LEADING 'a' FROM r.t) ; TRIM(TRAILING 'b' FROM r.t) ; SUBSTRING(r.t FROM 2) ; CAST(r.t AS integer) ; "
          "CAST(r.t AS number) ; CAST(r.t AS boolean) ; CAST(r.t AS date) ; CAST(r.t AS datetime) ; r.t < 'a' ; r.t >= 'ü' ; LEAST(r.t, 'b') ; GREATEST(r.t, 'B') ; "
          "POSITION('' IN r.t) ; TRIM(BOTH 'ab' FROM r.t) ; r.t = '' ; COALESCE(r.t, 'none')"),
    "d": ("date", DAYS, " ; ".join([*(f"EXTRACT({p} FROM r.d)" for p in ("YEAR", "QUARTER", "MONTH", "WEEK", "ISOYEAR", "DAY", "DOY", "ISODOW", "HOUR")),
          *(f"{e}_of({u}, r.d)" for e in ("start", "end") for u in ("year", "quarter", "month", "week")),
          "r.d - DATE '2031-01-01'", "r.d + INTERVAL '1' MONTH", "r.d - INTERVAL '1' DAY", "r.d + INTERVAL '3' YEAR", "CAST(r.d AS text)", "CAST(r.d AS datetime)",
          "r.d < DATE '2031-01-01'"])),
    "m": ("datetime", TIMES, " ; ".join([*(f"EXTRACT({p} FROM r.m)" for p in ("YEAR", "DAY", "HOUR", "MINUTE", "SECOND")), "CAST(r.m AS text)", "CAST(r.m AS date)",
          "start_of(week, r.m)", "end_of(month, r.m)", "r.m + INTERVAL '90' SECOND", "r.m - INTERVAL '1' MONTH", "r.m > TIMESTAMP '2031-04-01 00:00:00'"])),
    "b": ("boolean", [None, True, False], "NOT r.b ; r.b AND TRUE ; r.b OR FALSE ; r.b IS NULL ; CAST(r.b AS text) ; r.b = TRUE ; r.b IS DISTINCT FROM TRUE"),
}  # fmt: skip


def star_of(dtype, name, values):
    model = Model("m", (Table("r", (Column("id", "integer"), Column(name, dtype))),))
    rows = {"id": vector("integer", list(range(len(values)))), name: vector(dtype, values)}
    return Star(model, {"r": table_rows(len(values), rows)})


def same(mine, theirs):
    if isinstance(mine, float) and isinstance(theirs, int | float):
        return math.isclose(mine, theirs, rel_tol=1e-9, abs_tol=1e-12)
    return type(mine) is type(theirs) and mine == theirs


class Scalars(unittest.TestCase):
    def on(self, voice):
        """Each formula for each value: kept apart by the row's number, as text where it is no number."""
        for name, (dtype, values, formulas) in ONE.items():
            star = star_of(dtype, name, values)
            with voice(star) as database:
                for formula in formulas.split(";"):
                    with self.subTest(formula.strip()):
                        self.hold(star, database, formula.strip())

    def hold(self, star, database, formula):
        probe = {"rows": ["r.id"], "measures": ["x"], "define": {"x": f"max({formula})"}, "empty_lines": True}
        try:
            wanted = list(answer(star, probe_of(star, probe), Budget()).tidy())
        except Exception:  # of booleans there is no largest
            probe["define"]["x"] = f"max(CASE WHEN {formula} THEN 1 WHEN NOT ({formula}) THEN 0 END)"
            wanted = list(answer(star, probe_of(star, probe), Budget()).tidy())
        for mine, theirs in zip(wanted, database.cells(probe), strict=True):
            if isinstance(mine["x"], dict):
                continue
            if formula in INEXACT and star.column("r", "x").at(mine["r.id"]) == INEXACT[formula]:
                continue
            self.assertTrue(same(mine["x"], theirs["x"]), f"{mine['x']!r}, and there {theirs['x']!r}, in row {mine['r.id']}")

    def test_on_the_columnar_database(self):
        self.on(columnar)

    def test_on_postgresql(self):
        self.on(Server())

    def test_every_function_has_its_sql(self):
        self.assertEqual(set(FUNCTIONS) - set(BUILDERS) - {"CASE"}, set())


if __name__ == "__main__":
    unittest.main()
