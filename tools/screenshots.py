"""Makes docs/screenshots/ from the demo in the real browser: a picture of each main view, at 1280×800.

python tools/screenshots.py
"""

import json
import sys
import tempfile
import time
import urllib.parse
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(ROOT), str(ROOT / "src")]

from tests.browser.driver import Browser  # noqa: E402
from tests.browser.site import RAW, site  # noqa: E402

OUT = ROOT / "docs" / "screenshots"
PORTS = {
    "rows": ["Island.group", "Port.name"],
    "columns": ["Calendar.year"],
    "measures": ["seats_sold", "share_of_all", "target_seats"],
    "totals": "all",
}
GROUPS = {"name": "Seats by group", "rows": ["Island.group"], "columns": ["Calendar.year"], "measures": ["seats_sold"], "totals": "all"}
SWITCHED = [
    {"kind": "change_link", "name": "sails on", "set": {"active": False}},
    {"kind": "change_link", "name": "booked on", "set": {"active": True}},
]
MONTHS = PORTS | {
    "rows": ["Calendar.month"],
    "columns": ["Island.group"],
    "measures": ["seats_sold"],
    "look": {"picture": "lines"},
}
SEGMENTS = PORTS | {"rows": ["Customer.segment"], "measures": ["seats_sold", "target_seats", "against_target"]}
VESSEL = {"column": "Vessel.name", "in": ["Heron", "Tern"]}


def value(text):
    return {"kind": "value", "value": text}


CELL = [
    {"column": "Island.group", "member": value("Near Isles")},
    {"column": "Port.name", "member": value("Teal Quay")},
    {"column": "Calendar.year", "member": value(2032)},
]
# (name, stage, what the address names, what must stand there first, dark, hovered)
VIEWS = [
    ("shape", "shape", {"t": "Fare"}, "turn 6 columns into rows", False, None),
    ("keys", "shape", {"v": "keys"}, "Only in Booking", True, None),
    ("make", "shape", {"v": "remake", "t": "Calendar"}, "943 rows", False, None),
    ("link", "link", {"f": "Booking", "s": {"kind": "table", "name": "Calendar"}}, "The star of Booking", False, "Calendar"),
    (
        "link-sheet",
        "link",
        {"f": "Booking", "p": GROUPS, "s": {"kind": "link", "name": "sails on"}},
        "A filter on Calendar runs",
        False,
        None,
    ),
    ("matrix", "link", {"w": "matrix", "p": GROUPS}, "Who filters whom", False, None),
    ("reach", "link", {"r": "out", "p": GROUPS, "s": {"kind": "table", "name": "Vessel"}}, "Not reached", False, None),
    ("beside", "link", {"p": GROUPS, "x": SWITCHED}, "cells differ", True, None),
    ("held", "link", {"w": "star", "b": "Sailing", "h": {"measure": "refunded_seats"}, "p": GROUPS}, "is switched on", True, None),
    ("measure", "measure", {"m": "share_of_ports", "p": PORTS}, "cells", False, None),
    ("measure-trial", "measure", {"m": "share_of_all_trial", "p": PORTS}, "Put it in the place of", True, None),
    (
        "probe",
        "probe",
        {"p": PORTS, "s": {"kind": "cell", "measure": "share_of_all", "at": CELL}},
        "Arithmetic on what is left",
        False,
        None,
    ),
    (
        "not-reached",
        "probe",
        {"p": PORTS | {"picks": [VESSEL]}, "s": {"kind": "cell", "measure": "target_seats", "at": CELL}},
        "does not reach Target",
        False,
        None,
    ),
    (
        "in-part",
        "probe",
        {"p": SEGMENTS, "s": {"kind": "mark", "measure": "against_target", "mark": "partly"}},
        "Why does Customer not reach Target",
        False,
        None,
    ),
    (
        "picture",
        "probe",
        {"p": PORTS | {"rows": ["Calendar.month"], "columns": ["Island.group"], "measures": ["seats_sold"], "look": {"picture": "lines"}}},
        "SVG",
        True,
        None,
    ),
    ("folio", "probe", {}, "Harbour meeting", False, None),
    ("prove", "prove", {}, "Findings", False, None),
]


def gathering(browser):
    """Files being read, and a load that would break a link."""
    raw = sorted(RAW.iterdir())
    browser.scheme(False)
    browser.open(f"{site().empty('Lantern Isles Ferries')}/gather")
    browser.one('input[aria-label="Choose files"]').send_keys("\n".join(map(str, raw)))
    browser.reads("Read 21 tables", seconds=60)
    browser.click("Look at Bookings")
    time.sleep(0.5)
    browser.picture(OUT / "gather.png")
    browser.open(f"{site().demo()}/gather")
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "ports.csv"
        file.write_text((RAW / "ports.csv").read_text() + "SOR,Again,ORN\n")
        browser.one('input[aria-label="Choose files"]').send_keys(str(file))
        browser.reads("This load is held", seconds=60)
        time.sleep(0.5)
        browser.picture(OUT / "load-held.png")


def main():
    """Makes every picture."""
    OUT.mkdir(parents=True, exist_ok=True)
    browser = Browser()
    model = site().demo()
    gathering(browser)
    for name, stage, named, words, dark, hovered in VIEWS:
        browser.scheme(dark)
        browser.open(f"{model}/{stage}?at={urllib.parse.quote(json.dumps(named))}")
        browser.reads(words)
        if name == "shape":
            browser.all(".step-words")[1].click()
            browser.reads("rows as they are now")
        if name == "link-sheet":
            browser.click("inactive", ".lens .segment button")
            browser.reads("cells differ", ".sheet")
        if name == "matrix":
            browser.one('[aria-label="Group the matrix"]').send_keys("by subject")
            browser.one('td[aria-label^="Vessel to Booking"]').click()
            browser.reads("The smallest change", ".cell-panel")
        if name == "reach":
            next(e for e in browser.all(".blocked-line") if e.text.startswith("Booking")).find_element("css selector", ".plain").click()
            browser.reads("The smallest change", ".reach")
        if name == "measure":
            browser.one(".cm-content").click()
            browser.command("a")
            browser.keys("seats_sold / seats_sold given (clear Port, clear Island)")
            browser.reads("cells differ")
        if name == "not-reached":
            browser.click("not reached by Vessel", ".grid thead button")
            browser.reads("What would mend it")
        if name == "folio":
            browser.click("Harbour meeting")
            browser.reads("a year earlier")
            time.sleep(1.5)
        if hovered:
            browser.hover(browser.one(f'.star-card[data-table="{hovered}"] small'))
        time.sleep(0.8)
        browser.picture(OUT / f"{name}.png")
        browser.run("localStorage.clear()")  # a draft of one picture is none of the next
        print(name)
    browser.close()


if __name__ == "__main__":
    main()
