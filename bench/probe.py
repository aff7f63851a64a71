"""The benches of Measure and Probe at a million rows: what a key costs until the numbers stand there, and how a large grid scrolls."""

from __future__ import annotations

import datetime as dt
import statistics
import time
from collections.abc import Callable
from typing import Any

import numpy as np

from bench.link import GESTURE, SECONDS, WINDOW
from bench.timing import median
from nexorem.core.design.truth import marks
from nexorem.core.engine.grid import answer
from nexorem.core.engine.probe import probe_of
from nexorem.core.limits import Budget
from nexorem.core.model.check import checked_star
from nexorem.core.model.model import Calendar, Column, Link, Measure, Model, Table
from nexorem.core.model.star import Star, TableRows, table_rows
from nexorem.core.values import Vector, vector

ROWS = 1_000_000
ITEMS = 10_000
MONTHS = 50
SEED = 2031
FORMULA = "amount / amount given (clear Item)"
EDITED = "amount / amount given (clear Item, clear Day)"
LIVE: dict[str, Any] = {"rows": ["Item.kind"], "columns": ["Day.year"], "totals": "all", "picks": []}
LARGE: dict[str, Any] = {"rows": ["Item.name"], "columns": ["Day.month"], "measures": ["amount"], "totals": "none", "picks": []}
# From a key in the formula, typed as by a hand, to the first picture in which the live grid says something else.
KEYED = """
const said = () => [...document.querySelectorAll('.live-grid td')].map((x) => x.textContent).join('|');
const before = said();
window.keyed = new Promise((done) => addEventListener('keydown', ({timeStamp}) => {
  const watch = new MutationObserver(() => { if (said() && said() !== before) { watch.disconnect(); requestAnimationFrame((now) => done(now - timeStamp)); } });
  watch.observe(document.querySelector('.desk'), {subtree: true, childList: true, characterData: true});
  setTimeout(() => { watch.disconnect(); done(-1); }, 8000);
}, {capture: true, once: true}));
"""
WAITED = "window.keyed.then(arguments[0])"
# Down at the speed of a fast wheel, down and across, and down as one drags the bar through the whole of it.
SPEEDS = {
    "down, 4,000 pixels a second": "0, at * 4000",
    "down and across": "800 + 800 * Math.sin(at * 2), at * 2000",
    "the bar dragged": "0, at * 90000",
}
WHEEL = "const box = document.querySelector('.matrix-scroll'); box.scrollTo(900 + 900 * Math.sin(at * 2), 400 + 400 * Math.cos(at * 2));"


def large_star() -> Star:
    """A fact of a million rows with a calendar and 10,000 items."""
    chance = np.random.default_rng(SEED)
    days = [dt.date(2028, 1, 1) + dt.timedelta(days=i) for i in range(MONTHS * 31)]
    days = [d for d in days if (d.year - 2028) * 12 + d.month <= MONTHS]
    names = [f"item {i:05}" for i in range(ITEMS)]

    def numbers(values: Any) -> Vector:
        return Vector("integer", np.asarray(values, np.int64), np.ones(len(values), bool))

    picked, when = chance.integers(0, ITEMS, ROWS), np.sort(chance.integers(0, len(days), ROWS))
    columns: dict[str, dict[str, Vector]] = {
        "Sale": {"item": numbers(picked), "day": vector("date", days).take(when), "amount": numbers(chance.integers(1, 100, ROWS))},
        "Item": {
            "code": numbers(np.arange(ITEMS)),
            "name": vector("text", names),
            "kind": vector("text", [f"kind {i % 20:02}" for i in range(ITEMS)]),
        },
        "Day": {
            "date": vector("date", days),
            "year": vector("integer", [d.year for d in days]),
            "month": vector("text", [f"{d.year}-{d.month:02}" for d in days]),
        },
    }
    tables = tuple(
        Table(n, tuple(Column(c, v.dtype) for c, v in x.items()), calendar=Calendar("date") if n == "Day" else None)
        for n, x in columns.items()
    )
    rows: dict[str, TableRows] = {n: table_rows(len(next(iter(x.values()))), x) for n, x in columns.items()}
    links = (Link("item", "Sale", ("item",), "Item", ("code",)), Link("day", "Sale", ("day",), "Day", ("date",)))
    measures = (Measure("amount", "sum(Sale.amount)", "Sale", "#,##0"), Measure("share", FORMULA, "Sale", "0.0%"))
    return checked_star(Star(Model("sales", tables, links, measures), rows))


def typed(browser: Any, key: str) -> float:
    """Milliseconds from a key to the numbers that it makes."""
    time.sleep(0.8)  # what the last one asked for is over
    browser.run(KEYED)
    browser.keys(key)
    waited: float = browser.driver.execute_async_script(WAITED)
    return waited


def probe_part(say: Callable[[str], None]) -> dict[str, Any]:
    """Both halves."""
    from tests.browser.driver import Browser, Keys  # it needs what the tests need: Chromium, and PostgreSQL on a port of its own
    from tests.browser.site import site

    from nexorem.store.models import create

    app = site().app
    star = large_star()
    number = create(app.extensions["nexorem"].engine, star)
    client = app.test_client()
    turn = iter(range(10**6))

    def post(rest: str, body: dict[str, Any]) -> Any:
        told = client.post(f"/api/models/{number}/{rest}", json=body)
        assert told.status_code == 200, told.get_data(as_text=True)
        return told

    def live() -> Any:
        # Every key makes another formula, so that nothing is known from before.
        return post(
            "grid", {"probe": {**LIVE, "measures": ["now", "then"], "define": {"now": FORMULA, "then": f"{EDITED} * {next(turn)}"}}}
        )

    members = {"column": "Item.name", "counted": "Sale", "picks": [{"where": "Day.year = 2030"}]}
    trace = {"probe": {**LIVE, "measures": ["share"]}, "measure": "share", "at": [], "into": []}
    server = {
        "live grid, saved and edited, 1 M rows": median(live, 9),
        "formula, its reading and value": median(lambda: post("formula", {"name": "share", "formula": f"{EDITED} * {next(turn)}"}), 9),
        "grid, 10,000 × 50": median(lambda: post("grid", {"probe": LARGE}), 3, 1),
        "the same as CSV": median(
            lambda: client.get(
                f"/api/models/{number}/grid.csv",
                query_string={"probe": '{"rows": ["Item.name"], "columns": ["Day.month"], "measures": ["amount"]}'},
            ),
            3,
            1,
        ),
        "members of 10,000 under another pick": median(lambda: post("members", members), 5),
        "a cell traced": median(lambda: post("trace", trace), 5),
    }
    found_grid = answer(star, probe_of(star, {**LARGE, "totals": "all"}), Budget())
    server["the marks of that grid alone, totals added"] = median(lambda: marks(found_grid), 5)
    for name, found in server.items():
        say(f"{name}: {found:.0f} ms")
    browser = Browser(*WINDOW)
    told: dict[str, dict[str, float]] = {}
    try:
        import json
        import urllib.parse

        def open_at(stage: str, named: dict[str, Any]) -> None:
            browser.open(f"{site().address}/m/{number}/{stage}?{urllib.parse.urlencode({'at': json.dumps(named)})}")

        open_at("measure", {"m": "share", "p": LIVE | {"measures": ["share"]}})
        browser.one(".live-grid td")
        time.sleep(2.0)
        browser.one(".cm-content").send_keys(Keys.CONTROL, "a")
        browser.keys(f"{EDITED} * 1")
        browser.until(lambda: browser.all(".live-grid .differs"))
        waits = [typed(browser, str(key)) for key in range(1, 10)]
        assert min(waits) > 0, waits
        told["last key to changed numbers"] = {"ms, median": statistics.median(waits), "ms, worst": max(waits)}
        start = time.perf_counter()
        open_at("probe", {"p": LARGE})
        browser.until(lambda: browser.all(".grid td button"), seconds=60)
        told["grid of 10,000 × 50, opened"] = {"seconds": time.perf_counter() - start}
        time.sleep(1.5)
        for kind, places in SPEEDS.items():
            script = GESTURE.replace(WHEEL, f"document.querySelector('.grid-scroll').scrollTo({places});")
            assert script != GESTURE
            frames = browser.driver.execute_async_script(script, "scroll", 700, 500, SECONDS)
            slow = sorted(frames)[-max(len(frames) // 20, 1) :]
            told[f"scroll {kind}"] = {"mean": 1000 / statistics.fmean(frames), "slowest twentieth": 1000 / statistics.fmean(slow)}
    finally:
        browser.close()
    for name, found in told.items():
        say(f"{name}: {', '.join(f'{v:.1f} {k}' for k, v in found.items())}")
    return {"server": server, "browser": told}
