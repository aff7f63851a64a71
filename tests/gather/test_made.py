"""Tables that are made here: calendars against the standard library, bands, lists, parameters, and what cannot be made."""

import datetime as dt
import unittest

from nexorem.core.diagnostics import Refused
from nexorem.gather import made
from tests.gather import plain_steps as plain
from tests.gather.test_steps import frame


class Made(unittest.TestCase):
    def rows(self, origin, **others):
        found = made.make(origin, lambda n: frame(others[n]))
        return [dict(zip(found.columns, row, strict=True)) for row in zip(*(v.tolist() for v in found.columns.values()), strict=True)]

    def test_a_calendar_against_the_standard_library(self):
        dates = plain.Rows({"d": "date", "n": "text"}, [[dt.date(2031, 11, 3), "Fair"], [None, None], [dt.date(2033, 2, 27), None]])
        names = list(made.CALENDAR_COLUMNS)
        for first in (1, 4, 10):
            for row in self.rows(
                {
                    "kind": "calendar",
                    "dates": ["T.d"],
                    "year_starts_in": first,
                    "columns": names,
                    "holidays": {"table": "T", "date": "d", "name": "n"},
                },
                T=dates,
            ):
                d = row["date"]
                year, week, day = d.isocalendar()
                months = (d.month - first) % 12
                expected = {
                    "year": d.year if d.month >= first else d.year - 1,
                    "month": f"{d:%Y-%m}",
                    "month_of_year": months + 1,
                    "month_name": f"{d:%b}",
                    "week": f"{year}-W{week:02}",
                    "week_of_year": week,
                    "iso_year": year,
                    "day_of_month": d.day,
                    "day_of_year": d.timetuple().tm_yday,
                    "day_of_week": day,
                    "day_name": f"{d:%a}",
                    "weekend": day > 5,
                    "season": ["winter", "spring", "summer", "autumn"][d.month % 12 // 3],
                    "holiday": {dt.date(2031, 11, 3): "Fair", dt.date(2033, 2, 27): "holiday"}.get(d),
                }
                expected |= {
                    "quarter": f"{expected['year']} Q{months // 3 + 1}",
                    "half": f"{expected['year']} H{months // 6 + 1}",
                    "working_day": day < 6 and expected["holiday"] is None,
                }
                self.assertEqual(row, {"date": d, **expected})
        days = [r["date"] for r in self.rows({"kind": "calendar", "dates": ["T.d"]}, T=dates)]
        self.assertEqual((days[0], days[-1], len(days)), (dt.date(2031, 11, 3), dt.date(2033, 2, 27), 483))
        whole = self.rows({"kind": "calendar", "dates": ["T.d"], "whole_years": True, "year_starts_in": 4}, T=dates)
        self.assertEqual((whole[0]["date"], whole[-1]["date"]), (dt.date(2031, 4, 1), dt.date(2033, 3, 31)))
        self.assertEqual(
            [r["month_name"] for r in self.rows({"kind": "calendar", "start": "2031-03-31", "end": "2031-04-01", "language": "fr"})],
            ["mars", "avr."],
        )

    def test_bands_lists_and_parameters(self):
        bands = self.rows(
            {
                "kind": "bands",
                "sizes": [
                    {"name": "fine", "start": 0, "end": 25, "step": 10},
                    {"name": "own", "edges": [-5, 0.5], "open_below": True, "open_above": True, "labels": ["low", "mid", "high"]},
                ],
            }
        )
        self.assertEqual(
            [(b["size"], b["low"], b["high"], b["label"], b["order"]) for b in bands],
            [
                ("fine", 0, 10, "0 to 10", 1),
                ("fine", 10, 20, "10 to 20", 2),
                ("fine", 20, 25, "20 to 25", 3),
                ("own", None, -5, "low", 1),
                ("own", -5, 0.5, "mid", 2),
                ("own", 0.5, None, "high", 3),
            ],
        )
        self.assertEqual(
            self.rows({"kind": "parameter", "start": 0, "end": 0.3, "step": 0.1, "column": "share"}),
            [{"share": x} for x in (0.0, 0.1, 0.2, 0.3)],
        )
        listed = self.rows(
            {
                "kind": "list",
                "columns": [{"name": "n"}, {"name": "d", "type": "date"}, {"name": "t", "type": "text"}],
                "rows": [["1", "2031-01-01", "007"], [2, None], ["", "2031-01-02", 7]],
            }
        )
        self.assertEqual(
            listed,
            [
                {"n": 1, "d": dt.date(2031, 1, 1), "t": "007"},
                {"n": 2, "d": None, "t": None},
                {"n": None, "d": dt.date(2031, 1, 2), "t": "7"},
            ],
        )

    def test_what_cannot_be_made_says_why(self):
        text = plain.Rows({"d": "text"}, [["x"]])
        for origin, code in (
            ({"kind": "nope"}, "bad_origin"),
            ({"kind": "calendar"}, "no_dates"),
            ({"kind": "calendar", "dates": ["T.d"]}, "wrong_type"),
            ({"kind": "calendar", "dates": ["T.x"]}, "unknown_column"),
            ({"kind": "calendar", "start": "2031-01-02", "end": "2031-01-01"}, "bad_span"),
            ({"kind": "calendar", "start": "0001-01-01", "end": "9999-01-01"}, "too_many_rows"),
            ({"kind": "calendar", "start": "2031-01-01", "end": "2031-01-02", "language": "xx"}, "unknown_language"),
            ({"kind": "bands", "sizes": [{"name": "a", "edges": [2, 1]}]}, "bad_bands"),
            ({"kind": "bands", "sizes": [{"name": "a"}]}, "bad_bands"),
            ({"kind": "bands", "sizes": [{"name": "a", "edges": [1, 2], "labels": ["x", "y"]}]}, "bad_bands"),
            ({"kind": "parameter", "start": 0, "end": 1e9, "step": 0.001}, "too_many_rows"),
            ({"kind": "list", "columns": [{"name": "a"}], "rows": [[1, 2]]}, "bad_list"),
            ({"kind": "list", "columns": [{"name": "a", "type": "integer"}], "rows": [["x"]]}, "bad_value"),
            ({"kind": "list", "columns": [{"name": "a"}, {"name": "A"}], "rows": []}, "repeated_name"),
        ):
            with self.assertRaises(Refused, msg=origin) as caught:
                self.rows(origin, T=text)
            self.assertEqual(caught.exception.diagnostics[0].code, code, origin)


if __name__ == "__main__":
    unittest.main()
