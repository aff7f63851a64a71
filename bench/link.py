"""How the Link stage bears a large model: what the server computes of 40 facts × 120 dimensions, and the frames a second at which the
browser pans, zooms, drags and scrolls, of a star of 60 tables with 20 columns each and 100 links, and of that matrix."""

from __future__ import annotations

import random
import statistics
import time
from collections.abc import Callable
from dataclasses import replace
from typing import Any

from bench.timing import median
from nexorem.core.design.layout import layout
from nexorem.core.design.matrix import bus_matrix
from nexorem.core.design.suggest import suggestions
from nexorem.core.model.check import checked_star
from nexorem.core.model.model import Column, Link, Measure, Model, Table
from nexorem.core.model.paths import doubled_paths, model_state
from nexorem.core.model.star import Star, TableRows, table_rows
from nexorem.core.values import vector

ROWS = 200
KEYS = 50
SEED = 2031
SECONDS = 3.0
WINDOW = (1280, 800)
# Pointer events as a hand makes them, one a frame, on the element under a place.
GESTURE = """
const [kind, x, y, seconds, done] = [...arguments];
const target = document.elementFromPoint(x, y);
const fire = (type, dx, dy) => target.dispatchEvent(new PointerEvent(type, {bubbles: true, cancelable: true, button: 0, buttons: 1,
  pointerId: 1, isPrimary: true, clientX: x + dx, clientY: y + dy}));
const frames = []; let last = 0, start = 0;
Element.prototype.setPointerCapture = () => {}; // a pointer that no hand holds cannot be captured
if (kind !== 'zoom' && kind !== 'scroll') fire('pointerdown', 0, 0);
const step = (t) => {
  if (!start) start = t;
  if (last) frames.push(t - last);
  last = t;
  const at = (t - start) / 1000;
  const [dx, dy] = [180 * Math.sin(at * 5), 120 * Math.cos(at * 4) - 120];
  if (kind === 'zoom') target.dispatchEvent(new WheelEvent('wheel', {bubbles: true, cancelable: true, clientX: x, clientY: y, deltaY: Math.sin(at * 3) > 0 ? -20 : 20}));
  else if (kind === 'scroll') { const box = document.querySelector('.matrix-scroll'); box.scrollTo(900 + 900 * Math.sin(at * 2), 400 + 400 * Math.cos(at * 2)); }
  else fire('pointermove', dx, dy);
  if (at < seconds) requestAnimationFrame(step);
  else { if (kind !== 'zoom' && kind !== 'scroll') fire('pointerup', dx, dy); done(frames); }
};
requestAnimationFrame(step);
"""


def large_model(facts: int, dimensions: int, columns: int, links: int) -> Star:
    """Facts that look up dimensions, of which some look up others; as many links as can be active are, the rest are not."""
    chance = random.Random(SEED)
    tables, rows = [], {}
    names = [f"Fact {i + 1:02}" for i in range(facts)] + [f"Dimension {i + 1:03}" for i in range(dimensions)]
    for number, name in enumerate(names):
        is_fact = number < facts
        size = ROWS if is_fact else KEYS
        found: dict[str, Any] = {} if is_fact else {"code": vector("text", [f"{number:03}-{i:03}" for i in range(size)])}
        found |= {
            f"key_{c:02}": vector("text", [f"{chance.randrange(KEYS):03}" for _ in range(size)]) for c in range(columns - len(found) - 2)
        }
        found |= {"amount": vector("integer", [chance.randrange(1000) for _ in range(size)]), "note": vector("text", ["n"] * size)}
        tables.append(Table(name, tuple(Column(c, v.dtype) for c, v in found.items()), subject=f"Subject {number % 6 + 1}"))
        rows[name] = found
    model = Model("large", tuple(tables), measures=(Measure("amount", 'sum("Fact 01".amount)'),))
    ways = [(names[chance.randrange(facts)], names[facts + chance.randrange(dimensions)]) for _ in range(links * 3)]
    ways = [(names[i % facts], names[facts + i]) for i in range(dimensions)] + ways  # every dimension has its fact
    used: dict[str, int] = {}
    for fact, dimension in ways:
        place = used.get(fact, 0)
        if len(model.links) == links or place >= columns - 2 or any(k.tables == {fact, dimension} for k in model.links):
            continue
        used[fact] = place + 1
        rows[fact][f"key_{place:02}"] = vector("text", [rows[dimension]["code"].at(chance.randrange(KEYS)) for _ in range(ROWS)])
        link = Link(f"{fact} by {dimension}", fact, (f"key_{place:02}",), dimension, ("code",))
        tried = replace(model, links=(*model.links, link))
        doubled = doubled_paths(tried, model_state(tried))
        model = replace(model, links=(*model.links, replace(link, active=not doubled)))
    made: dict[str, TableRows] = {n: table_rows(len(next(iter(c.values()))), c) for n, c in rows.items()}
    return checked_star(Star(model, made))


def server_part(matrix: Star, star: Star) -> dict[str, float]:
    """What an edit and a look cost the server."""
    from nexorem.store.models import Stored
    from nexorem.work.describe import document

    def whole(of: Star) -> object:
        fresh = of.with_model(replace(of.model, title=f"t{time.perf_counter_ns()}"))
        return document(Stored(1, "large", 1, fresh.model, None, None, 0), fresh)

    fact = star.model.tables[0].name
    return {
        "bus matrix, 40 × 120": median(lambda: bus_matrix(matrix), 5),
        "document, 160 tables": median(lambda: whole(matrix), 3, 1),
        "document, 60 tables": median(lambda: whole(star), 3, 1),
        "layout, 60 tables": median(lambda: layout(star.model, fact), 5),
        "layout, 160 tables": median(lambda: layout(matrix.model, matrix.model.tables[0].name), 3),
        "suggestions, 60 tables, first": median(lambda: suggestions(star), 1, 0),
        "suggestions, again": median(lambda: suggestions(star), 3),
    }


def frames_part(matrix: Star, star: Star, say: Callable[[str], None]) -> dict[str, dict[str, float]]:
    """Frames a second of each gesture, the mean and that of the slowest twentieth of its frames."""
    from tests.browser.driver import Browser  # it needs what the tests need: Chromium, and PostgreSQL on a port of its own
    from tests.browser.site import site

    from nexorem.store.models import create

    engine = site().app.extensions["nexorem"].engine
    browser = Browser(*WINDOW)
    told: dict[str, dict[str, float]] = {}
    try:
        for name, of, gestures in (("star", star, ("pan", "zoom", "drag")), ("matrix", matrix, ("scroll",))):
            number = create(engine, of)
            start = time.perf_counter()
            browser.open(f'{site().address}/m/{number}/link?at={{"w":"{name}"}}')
            browser.one(".star-card" if name == "star" else ".matrix td[data-cell]")
            told[f"{name}, opened"] = {"seconds": time.perf_counter() - start}
            time.sleep(2.0)
            for kind in gestures:
                if name == "star":
                    browser.click("fit")
                    time.sleep(0.5)
                place = (
                    browser.one(".star" if kind != "drag" else f'.star-card[data-table="{star.model.tables[0].name}"] small')
                    if name == "star"
                    else browser.one(".matrix-scroll")
                )
                box = place.rect
                x, y = box["x"] + box["width"] / 2, box["y"] + (box["height"] / 2 if kind != "pan" else box["height"] - 90)
                x = x if kind != "pan" else box["x"] + 12
                frames = browser.driver.execute_async_script(GESTURE, kind, x, y, SECONDS)
                slow = sorted(frames)[-max(len(frames) // 20, 1) :]
                told[f"{name}, {kind}"] = {"mean": 1000 / statistics.fmean(frames), "slowest twentieth": 1000 / statistics.fmean(slow)}
                say(f"{name}, {kind}: {told[f'{name}, {kind}']['mean']:.0f} frames a second")
                time.sleep(0.5)
    finally:
        browser.close()
    return told


def link_part(say: Callable[[str], None]) -> dict[str, Any]:
    """Both halves."""
    matrix = large_model(40, 120, 8, 220)
    star = large_model(8, 52, 20, 100)
    say(f"{len(star.model.links)} links of the star, {len(matrix.model.links)} of the matrix")
    return {"server": server_part(matrix, star), "browser": frames_part(matrix, star, say)}
