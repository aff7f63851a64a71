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

from nexorem.cli.demo import make_releases, open_office  # noqa: E402
from nexorem.server.app import in_background  # noqa: E402
from nexorem.work import checking, covering  # noqa: E402
from nexorem.work.actor import COMMAND_LINE  # noqa: E402

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
    ("measure", "measure", {"m": "share_of_ports", "p": PORTS}, "cells", False, None),
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
        "picture",
        "probe",
        {"p": PORTS | {"rows": ["Calendar.month"], "columns": ["Island.group"], "measures": ["seats_sold"], "look": {"picture": "lines"}}},
        "SVG",
        True,
        None,
    ),
    ("folio", "probe", {}, "Harbour meeting", False, None),
    ("sql", "probe", {"p": PORTS}, "lines", False, None),
    ("prove", "prove", {"s": {"kind": "check", "name": "Seats as the harbour offices counted them"}}, "switch from port off", False, None),
    ("coverage", "prove", {"k": "coverage"}, "would go unnoticed", False, None),
    ("releases", "prove", {"k": "releases", "s": {"kind": "release", "number": 2}}, "refunded_seats is 87", True, None),
]


def gathering(browser):
    """Files being read, and a load that would break a link."""
    raw = sorted(RAW.iterdir())
    browser.scheme(False)
    browser.open(f"{site().empty('Lantern Isles Ferries')}/gather")
    browser.one('input[aria-label="Choose files"]').send_keys("\n".join(map(str, raw)))
    browser.reads("Read 21 tables")
    browser.click("Look at Bookings")
    time.sleep(0.5)
    browser.picture(OUT / "gather.png")
    browser.open(f"{site().demo()}/gather")
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "ports.csv"
        file.write_text((RAW / "ports.csv").read_text() + "SOR,Again,ORN\n")
        browser.one('input[aria-label="Choose files"]').send_keys(str(file))
        browser.reads("This load is held")
        time.sleep(0.5)
        browser.picture(OUT / "load-held.png")


def proven(browser, model):
    """The demo with its releases and its office's database, its checks and its coverage computed."""
    app, number = site().app, int(model.rsplit("/", 1)[1])
    workspace = app.extensions["nexorem"]
    open_office(workspace, number)
    make_releases(workspace, number)
    in_background(app)
    checking.start(workspace, COMMAND_LINE, number)
    covering.start(workspace, COMMAND_LINE, number)
    browser.until(lambda: not checking.described(workspace, number)["running"], seconds=120)
    browser.until(lambda: (told := covering.described(workspace, number)) and not told["running"] and told["changes"], seconds=300)
    return workspace, number


def ruled(browser, workspace, number, model):
    """A clearance, and the open probe as somebody who has it sees it."""
    rules = {"name": "Near Isles office", "rules": ["Island.\"group\" = 'Near Isles'"]}
    change = {"kind": "put_clearance", "clearance": rules}
    workspace.edit(COMMAND_LINE, number, change, workspace.star(number)[0].version)
    browser.scheme(False)
    browser.open(f"{model}/probe")
    browser.reads("Brann East", ".grid")
    browser.click("Sharing", "header button")
    browser.click("Clearances: who sees which rows", "[role=menuitem]")
    browser.click("See the open probe as…")
    browser.reads("cells differ", '[aria-label="Seen as Near Isles office"]')
    time.sleep(0.8)
    browser.picture(OUT / "people.png")
    workspace.step(COMMAND_LINE, number, "undo", workspace.star(number)[0].edits)


def main():
    """Makes every picture."""
    OUT.mkdir(parents=True, exist_ok=True)
    browser = Browser()
    model = site().demo()
    workspace, number = proven(browser, model)
    gathering(browser)
    for name, stage, named, words, dark, hovered in VIEWS:
        browser.scheme(dark)
        if name == "prove":
            change = {"kind": "change_link", "name": "from port", "set": {"active": False}}
            workspace.edit(COMMAND_LINE, number, change, workspace.star(number)[0].version)
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
        if name == "sql":
            browser.click("take out ▾", ".grid-bar button")
            browser.click("Show it as SQL, and prove it in PostgreSQL", "[role=menuitem]")
            browser.reads("port_and_unmatched AS", ".sql-text")
            browser.click("Prove it in PostgreSQL")
            browser.reads("PostgreSQL has the same", ".sql-beside")
        if hovered:
            browser.hover(browser.one(f'.star-card[data-table="{hovered}"] small'))
        time.sleep(0.8)
        browser.picture(OUT / f"{name}.png")
        if name == "prove":
            workspace.step(COMMAND_LINE, number, "undo", workspace.star(number)[0].edits)
        browser.run("localStorage.clear()")  # a draft of one picture is none of the next
        print(name)
    ruled(browser, workspace, number, model)
    browser.close()


if __name__ == "__main__":
    main()
