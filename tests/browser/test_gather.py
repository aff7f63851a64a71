"""The raw files of the demo, dropped into the browser and shaped by hand to the demo's model; and what else the two benches do."""

import json
import tempfile
import unittest
import urllib.request
from pathlib import Path

from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from tests.browser.site import RAW, site
from tests.browser.stage import OneBrowser

NAMES = {
    "Accounts": "Account",
    "Agents": "Agent",
    "Bookings": "Booking",
    "Communities": "Community",
    "Crew vessels": "Crew vessel",
    "Customers": "Customer",
    "Delay bands": "Delay band",
    "Fares": "Fare",
    "Islands": "Island",
    "Ports": "Port",
    "Price bands": "Price band",
    "Routes": "Route",
    "Sailings": "Sailing",
    "Targets": "Target",
    "Vessels": "Vessel",
}
DROP = """
const place = arguments[0], input = document.createElement('input');
input.type = 'file'; input.multiple = true; input.id = 'drop-source'; document.body.append(input);
input.addEventListener('change', () => {
  const data = new DataTransfer();
  for (const file of input.files) data.items.add(file);
  for (const kind of ['dragenter', 'dragover', 'drop']) place.dispatchEvent(new DragEvent(kind, { dataTransfer: data, bubbles: true, cancelable: true }));
  input.remove();
});
return input;
"""


class Gathering(OneBrowser):
    SIZE = (1500, 1000)
    maxDiff = None

    def tearDown(self):
        self.assertEqual(self.b.complaints(), [])

    def model(self, address):
        return json.load(urllib.request.urlopen(address.replace("/m/", "/api/models/")))

    def drop(self, *paths):
        place = self.b.one('section[aria-label="Drop files"]')
        self.b.driver.execute_script(DROP, place).send_keys("\n".join(map(str, paths)))

    def type(self, label, text, css="input, textarea"):
        """Writes into a field, in place of what stood there."""
        field = self.b.named(label, css)
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(text or Keys.BACKSPACE)
        return field

    def field(self, label, text):
        """The same for a field that stands in a label of this text."""
        place = self.b.named(label, ".step-editor label, .make label")
        field = place.find_element("css selector", "input, textarea, select")
        if field.tag_name == "select":
            Select(field).select_by_visible_text(text)
            return
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(text or Keys.BACKSPACE)

    def choose(self, label, text):
        Select(self.b.named(label, "select")).select_by_visible_text(text)

    def tick(self, *names, css=".step-editor .tick, .step-editor .check", on=True):
        for name in names:
            self.b.until(lambda n=name: self.ticked(n, css, on))

    def ticked(self, name, css, on):
        """Whether a box is as it should be; clicks it once if it is not."""
        if self.b.named(name, css).find_element("css selector", "input").is_selected() == on:
            return True
        self.b.press(lambda: self.b.named(name, css).find_element("css selector", "input"))
        return False

    def table(self, name):
        self.b.click(name, ".side-tables .side-item")
        self.b.until(lambda: self.b.named(name, ".side-tables .side-item").get_attribute("aria-current") == "true")

    def step(self, words):
        """A new step, found by typing."""
        self.b.click("+ step")
        self.b.type('input[aria-label="Search steps"]', words)
        self.b.until(lambda: len(self.b.all(".step-kinds .side-item")) == 1)
        self.b.press(lambda: self.b.one(".step-kinds .side-item"))
        self.b.until(lambda: self.b.all(".step-editor"))

    def keep(self):
        self.b.click("Keep the steps")
        self.b.until(lambda: not self.b.all(".keep-bar"))

    def test_the_demo_is_dropped_and_shaped_by_hand(self):
        address = site().empty("By hand")
        self.b.open(f"{address}/gather")
        self.b.reads("No table yet")
        self.drop(*sorted(RAW.iterdir()))
        self.b.reads("Read 21 tables")
        self.b.reads("all 4 sheets as one table")
        self.b.click("Look at Fares")
        sheets = self.b.named("Sheet’s name goes to", ".read-table .settings label").find_element("css selector", "input")
        sheets.send_keys(Keys.CONTROL, "a")
        sheets.send_keys("season")
        self.b.click("Read again with these settings")
        self.b.settled()  # the new reading has taken the old one's place
        self.b.reads("Read 21 tables")
        for found, name in NAMES.items():
            self.type(f"Name of {found}", name)
        self.b.click("Take 17 tables")
        self.b.reads("17 tables, 81,110 rows")
        self.b.keys("2")
        # Booking: codes of agents with spaces, in small letters, and of nobody.
        self.table("Booking")
        self.step("trim")
        self.tick("agent_code")
        self.b.reads("cells that changed: 19", ".step-editor")
        self.step("case")
        self.tick("agent_code")
        self.b.reads("cells that changed: 17", ".step-editor")
        self.step("replace")
        self.tick("agent_code")
        self.tick("route_code", on=False)
        self.type("Replace 1", "A77")
        self.type("By 1", "(empty)")
        self.b.click("one more")
        self.type("Replace 2", "ZZZ")
        self.type("By 2", "(empty)")
        self.b.reads("cells that changed: 13", ".step-editor")
        self.keep()
        # Fare: the classes from columns into rows, the seasons from rows into columns.
        self.table("Fare")
        self.step("columns into rows")
        self.field("Heading goes to", "fare_class")
        self.field("Value goes to", "price")
        self.b.reads("152 › 912 rows, 8 › 4 columns", ".steps")
        self.step("rename")
        self.type("New name of route", "route_code")
        self.step("rows into columns")
        self.field("Headings from", "season")
        self.field("Values from", "price")
        self.b.reads("912 › 228 rows, 4 › 6 columns", ".steps")
        self.step("choose")
        for name in ("autumn", "spring", "summer", "winter"):
            self.tick(name, on=False)
        self.tick("winter", "spring", "summer", "autumn")
        self.b.reads("choose 6 columns", ".steps")
        self.keep()
        self.table("Community")
        self.step("rename")
        self.type("New name of community", "name")
        self.keep()
        # Calendar: made of the dates.
        self.b.click("Make a table")
        self.tick("Booking.booked_on", "Booking.refunded_on", css=".make .tick", on=False)
        self.tick("Booking.sails_on", "Sailing.sails_on", "Target.month_end", "Ledger.month_end", css=".make .tick")
        self.tick("Customer.since", css=".make .tick", on=False)
        self.tick("day_of_month", css=".make .tick")
        self.b.reads("943 rows", ".make")
        self.b.click("Make Calendar")
        self.b.reads("Calendar", ".lens h2, .side-tables")
        self.b.until(lambda: any(t["name"] == "Calendar" for t in self.model(address)["tables"]))
        # The same tables as the script gathers, to the last value.
        mine, theirs = address.replace("/m/", "/api/models/"), site().demo().replace("/m/", "/api/models/")
        mine_model, their_model = json.load(urllib.request.urlopen(mine)), json.load(urllib.request.urlopen(theirs))
        self.assertEqual({t["name"] for t in mine_model["tables"]}, {t["name"] for t in their_model["tables"]})
        for table in their_model["tables"]:
            name = urllib.request.quote(table["name"])
            for start in range(0, table["rows"], 1000 if table["rows"] < 20_000 else 15_000):
                found = [json.load(urllib.request.urlopen(f"{x}/tables/{name}/rows?start={start}&count=1000")) for x in (mine, theirs)]
                self.assertEqual((found[0]["columns"], found[0]["size"]), (found[1]["columns"], found[1]["size"]), name)
                self.assertEqual(found[0]["rows"], found[1]["rows"], name)

    def test_types_are_corrected_and_what_does_not_fit_is_told(self):
        address = site().empty("Types")
        self.b.open(f"{address}/gather")
        with tempfile.TemporaryDirectory() as folder:
            file, broken = Path(folder) / "prices.csv", Path(folder) / "broken.csv"
            file.write_text("article;price;since\n" + "A1;1,50;03.04.2031\n" * 9 + "A2;free;05.06.2031\n", encoding="cp1252")
            broken.write_text("a,b\n1,2\n1,2,3\n")
            self.drop(file, broken)
            self.b.reads("1 could not be read")
            self.b.reads("row 3 has 3 fields, not 2")
            self.b.reads("1 column nearly of another type")
            self.b.click("Look at Prices")
            self.b.click("number decimal comma? but for 1", ".offer")
            self.sees(lambda: Select(self.b.all(".read-table .settings select")[0]).first_selected_option.text, "semicolon")
            self.b.click("Read again with these settings")
            self.b.reads("1 value did not fit")
            self.b.click("Look at Prices")
            self.b.click("What did not fit")
            self.b.reads("row 11: “free”", ".misfits")
            self.b.click("Take 1 table")
            self.b.reads("1 table, 10 rows")
            # New rows come in the same file: what they change is told before they replace anything.
            file.write_text("article;price;colour\nA1;2,00;red\n", encoding="cp1252")
            self.drop(file)
            self.b.reads("What it would change")
            self.b.reads("gone: since", ".comparison")
            self.b.reads("10 › 1 rows", ".comparison")
            self.b.click("Take 1 table")
            self.b.reads("1 table, 1 row")
            self.b.click("Loads and schedules")
            self.b.click("Go back to it")
            self.b.reads("1 table, 10 rows")
            self.choose("When Prices load by themselves", "every hour")
            self.b.reads("next ", ".panel")

    def test_texts_that_mean_no_value_are_asked_about_once_for_all_files(self):
        address = site().empty("Missing")
        self.b.open(f"{address}/gather")
        with tempfile.TemporaryDirectory() as folder:
            flights, ports = Path(folder) / "flights.csv", Path(folder) / "weather.csv"
            flights.write_text("no,tail,delay\n1,N14,NA\n2,NA,5\n3,N15,NA\n")
            ports.write_text("hour,wind\n2031-1-1 5:00,NA\n2031-1-1 6:00,2.5\n")
            self.drop(flights, ports)
            self.b.reads("2 columns of 2 tables are numbers, dates or the like but for NA (3 values)", ".ask")
            self.b.reads("Among texts it stands too: tail (1 value)", ".ask")
            self.b.click("NA means empty: read again")
            self.b.until(lambda: not self.b.all(".ask"))
            self.b.click("Take 2 tables")
            self.b.reads("2 tables, 5 rows")
        types = {t["name"]: [c["dtype"] for c in t["columns"]] for t in self.model(address)["tables"]}
        self.assertEqual(types, {"Flights": ["integer", "text", "integer"], "Weather": ["datetime", "number"]})

    def test_broken_rows_and_columns_of_nearly_a_type_are_asked_about_once_for_all_files(self):
        address = site().empty("Asked once")
        self.b.open(f"{address}/gather")
        with tempfile.TemporaryDirectory() as folder:
            files = [Path(folder) / f"{name}.csv" for name in ("tides", "winds")]
            for file in files:
                file.write_text("at,level\n" + "2031-1-1,4\n" * 12 + "2031-1-2,high\n2031-1-3,5,6\n")
            self.drop(*files)
            self.b.reads("2 files have rows with too many or too few columns, and were not read: Tides, Winds.", ".ask")
            self.b.click("Leave broken rows out: read again")
            self.b.reads(
                "2 columns of 2 tables are of another type but for 2 values: Tides.level as integer, Winds.level as integer", ".ask"
            )
            self.b.click("Read them so: what does not fit is empty")
            self.b.until(lambda: not self.b.all(".ask"))
            self.b.click("Take 2 tables")
            self.b.reads("2 tables, 26 rows")
        types = {t["name"]: [c["dtype"] for c in t["columns"]] for t in self.model(address)["tables"]}
        self.assertEqual(types, {"Tides": ["date", "integer"], "Winds": ["date", "integer"]})

    def test_a_load_that_breaks_is_held_until_a_choice_is_made(self):
        address = site().demo()
        self.b.open(f"{address}/gather")
        self.b.reads("18 tables, 82,129 rows")
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "ports.csv"
            file.write_text((RAW / "ports.csv").read_text() + "SOR,Again,ORN\n")
            self.drop(file)
        self.b.reads("This load is held")
        self.b.reads("Port.code is not unique: SOR")
        self.sees(lambda: self.b.named("Take 1 table").is_enabled(), False)
        self.b.click("take it and remove the link from port")
        self.b.reads("With it: the link from port goes")
        self.b.click("take it and remove the link to port")
        self.b.reads("the link to port goes")
        self.b.click("not so")
        self.b.click("take it and keep the first of each code")
        self.b.reads("a step of Port keeps the first of repeated rows")
        self.b.until(lambda: "held" not in self.b.text(".comparison"))
        self.b.until(self.b.named("Take 1 table").is_enabled)
        self.b.click("Take nothing")
        self.b.reads("18 tables, 82,129 rows")
        self.assertEqual(self.model(address)["version"], 0)

    def test_steps_are_moved_switched_and_undone_and_say_what_they_would_break(self):
        address = site().demo()
        self.b.open(f"{address}/shape")
        self.table("Fare")
        self.b.reads("912 › 228 rows")
        self.b.click("Switch step 1 off")
        self.b.reads("cannot be done", ".steps")
        self.b.reads("waits for the step before", ".steps")
        self.sees(lambda: self.b.named("Keep the steps").is_enabled(), False)
        self.b.click("Drop the changes")
        self.b.reads("912 › 228 rows")
        self.table("Booking")
        self.step("choose")
        self.tick("customer_no", on=False)
        self.b.reads("11 › 10 columns", ".steps")
        self.b.click("Keep the steps")
        self.b.reads("link customer", ".wrong-box")
        self.b.reads("customers_served would no longer make sense", ".wrong-box")
        self.b.click("Do it, and remove the link customer")
        self.b.named("↶ undo: shape Booking")
        self.assertNotIn("customer", [k["name"] for k in self.model(address)["links"]])
        self.b.click("↶ undo: shape Booking")
        self.b.until(lambda: "customer" in [k["name"] for k in self.model(address)["links"]])

    def test_keys_that_nearly_match_become_a_step(self):
        address = site().empty("Keys")
        self.b.open(f"{address}/gather")
        self.drop(RAW / "bookings.csv", RAW / "agents.csv")
        self.b.reads("Read 2 tables")
        self.b.click("Take 2 tables")
        self.b.reads("2 tables, 60,267 rows")
        self.b.keys("2")
        self.b.click("Keys that do not match")
        self.choose("Left table", "Bookings")
        self.choose("Left column 1", "agent_code")
        self.choose("Right table", "Agents")
        self.choose("Right column 1", "code")
        self.choose("Amount", "seats")
        self.b.reads("rows would find their partner", ".near")
        self.b.reads("49", ".keys-table")
        before = self.b.text(".keys-table")
        ticked = [x for x in self.b.all(".near input") if x.is_selected()]
        self.b.click(f"Make a step of {len(ticked)}")
        self.b.until(lambda: self.b.text(".keys-table") != before)
        self.b.reads("A77", ".keys-lists")
        self.b.named(f"↶ undo: mend {len(ticked)} keys of Bookings")

    def test_lists_bands_parameters_and_formulas(self):
        address = site().demo()
        self.b.open(f"{address}/shape?at=" + urllib.request.quote(json.dumps({"v": "make"})))
        for kind, name, written, rows in (
            ("List", "Season", ("Rows of the list", "season;weight\nwinter;1\nsummer;3"), "2 rows"),
            ("Parameter", "Rebate", None, "11 rows"),
            ("Bands", "Size band", None, "5 rows"),
            ("By a formula", "Busy port", ("Formula of its rows", "every Port where seats_sold > 9000"), None),
        ):
            self.b.click("Make a table")
            self.b.click(kind, ".card b")
            self.field("Name", name)
            if written and rows:
                self.type(*written)
            elif written:
                self.b.type(".make textarea", written[1])
            if rows:
                self.b.reads(rows, ".make h3")
            self.b.click(f"Make {name}")
            self.b.named(f"↶ undo: make table {name}")
            self.b.until(lambda: not self.b.all(".make"))
        found = {t["name"]: t for t in self.model(address)["tables"]}
        self.assertEqual([c["dtype"] for c in found["Season"]["columns"]], ["text", "integer"])
        self.assertEqual((found["Busy port"]["rows"] > 0, found["Rebate"]["role"]), (True, "disconnected"))
        self.b.click("Busy port", ".side-tables .clip")
        self.b.reads("Busy port", ".lens h2")
        self.b.click("Remove the table")
        self.b.until(lambda: "Busy port" not in [t["name"] for t in self.model(address)["tables"]])
        self.b.click("Booking", ".side-tables .clip")
        self.b.reads("Where it came from", ".lens")
        self.b.click("Remove the table")
        self.b.reads("What would go is used by", ".wrong-box")
        self.b.click("Leave it as it is")

    def test_everything_is_accessible_in_both_themes(self):
        address = site().demo()
        views = {"shape": {"t": "Fare"}, "keys": {"v": "keys"}, "make": {"v": "remake", "t": "Calendar"}}
        for dark in (False, True):
            self.b.scheme(dark)
            for name, named in views.items():
                self.b.open(f"{address}/shape?at=" + urllib.request.quote(json.dumps(named)))
                self.b.reads({"shape": "turn 6 columns", "keys": "lost keys is near", "make": "943 rows"}[name])
                if name == "shape":
                    self.b.press(lambda: self.b.all(".step-words")[1])
                    self.b.reads("rows as they are now")
                    self.b.click("+ step")
                self.assertEqual(self.b.violations(), [], f"{name} {dark}")
            self.b.open(f"{address}/gather")
            self.b.click("Loads and schedules")
            self.b.reads("in force", ".panel")
            self.b.type('input[aria-label="Choose files"]', str(RAW / "ports.csv"))
            self.b.reads("What it would change")
            self.b.click("Look at Ports")
            self.assertEqual(self.b.violations(), [], f"gather {dark}")
            self.b.click("Take nothing")
        self.b.scheme(False)

    def tab_to(self, text, most=90):
        """Goes on with the Tab key until the focus is on what is called so."""
        asks = "const e = document.activeElement; return [e.getAttribute('aria-label'), (e.closest('label') ?? e).innerText.split('\\n')[0].trim()]"
        for _ in range(most):
            self.b.keys(Keys.TAB)
            if text in self.b.driver.execute_script(asks):
                return
        self.fail(f"Tab never came to {text!r}")

    def test_a_step_is_made_with_the_keyboard_alone(self):
        address = site().demo()
        self.b.open(f"{address}/link")
        self.b.reads("The star of")
        self.b.keys("2")
        self.b.reads("replace 2 values in agent_code")
        self.tab_to("+ step")
        self.b.keys(Keys.ENTER)
        self.b.reads("Turn", ".step-kinds")
        self.b.keys("case", Keys.ENTER)
        self.b.reads("Change case", ".step-editor h2")
        self.tab_to("fare_class")
        self.b.keys(Keys.SPACE)
        self.b.reads("cells that changed: 60,212", ".step-editor")
        self.tab_to("Move step 4 up", 200)
        self.b.keys(Keys.ENTER)
        self.b.until(lambda: "4. replace" in self.b.text(".steps"))
        self.b.until(lambda: self.b.named("Keep the steps").is_enabled())
        self.tab_to("Keep the steps", 200)
        self.b.keys(Keys.ENTER)
        # No key of a fare is written so: what would no longer hold is said before.
        self.b.reads("would no longer hold", '[role="alertdialog"]')
        self.tab_to("Do it all the same", 200)
        self.b.keys(Keys.ENTER)
        self.b.named("↶ undo: shape Booking")

    def test_a_package_in_a_folder_comes_whole(self):
        address = site().empty("Folder")
        self.b.open(f"{address}/gather")
        with tempfile.TemporaryDirectory() as folder:
            package = Path(folder) / "isles"
            (package / "data").mkdir(parents=True)
            fields = [{"name": "code", "type": "string"}, {"name": "n", "type": "integer"}]
            keys = {"primaryKey": ["code"], "foreignKeys": [{"fields": ["code"], "reference": {"resource": "dim", "fields": ["code"]}}]}
            resources = [
                {
                    "name": n,
                    "path": f"data/{n}.csv",
                    "schema": {"fields": fields, **({"primaryKey": ["code"]} if n == "dim" else {"foreignKeys": keys["foreignKeys"]})},
                }
                for n in ("dim", "fact")
            ]
            (package / "datapackage.json").write_text(json.dumps({"name": "isles", "resources": resources}))
            for name in ("dim", "fact"):
                (package / "data" / f"{name}.csv").write_text("code,n\nA,1\nB,2\n")
            self.b.type('input[aria-label="Choose a package folder"]', str(package))
            self.b.reads("Read 2 tables")
            self.b.reads("isles.zip, resource dim")
            self.b.click("Take 2 tables")
            self.b.reads("2 tables, 4 rows")
        self.assertEqual([(k["from_table"], k["to_table"]) for k in self.model(address)["links"]], [("fact", "dim")])

    def test_a_database_is_reached_into(self):
        import psycopg

        from tests.store.cluster import fresh_url

        other = fresh_url().replace("+psycopg", "")
        with psycopg.connect(other) as connection:
            connection.execute("CREATE TABLE quay (code text PRIMARY KEY, depth int)")
            connection.execute("INSERT INTO quay VALUES ('Q1', 5), ('Q2', NULL)")
        parts = psycopg.conninfo.conninfo_to_dict(other)
        address = site().empty("Database")
        self.b.open(f"{address}/gather")
        self.b.click("From a database")
        fields = {x.text.split("\n")[0]: x.find_element("css selector", "input") for x in self.b.all(".panel form label")}
        for label, text in (
            ("Call it", "desk"),
            ("Port", parts["port"]),
            ("Database", parts["dbname"]),
            ("User", parts["user"]),
            ("Password", parts["password"]),
        ):
            fields[label].send_keys(Keys.CONTROL, "a")
            fields[label].send_keys(text)
        self.b.click("Connect")
        self.b.reads("quay", ".panel .pick-list")
        self.b.press(lambda: next(x for x in self.b.all(".pick-list label") if x.text.startswith("quay")))
        self.b.click("Read 1")
        self.b.reads("Read 1 table")
        self.b.click("Take 1 table")
        self.b.reads("1 table, 2 rows")
        self.b.reads("from desk: public.quay")


if __name__ == "__main__":
    unittest.main()
