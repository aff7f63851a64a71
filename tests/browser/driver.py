"""One headless Chromium for the whole run, and the few gestures the tests make with it."""

from __future__ import annotations

import tempfile
from pathlib import Path

from selenium import webdriver
from selenium.common.exceptions import (
    ElementClickInterceptedException,
    ElementNotInteractableException,
    JavascriptException,
    StaleElementReferenceException,
    TimeoutException,
)
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import WebDriverWait

FLAGS = (
    "--headless=new --no-sandbox --disable-gpu --disable-dev-shm-usage --disable-quic --no-first-run --disable-background-networking "
    "--disable-component-update --disable-sync --hide-scrollbars --force-device-scale-factor=1"
).split()


AXE = Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js"
# Ruler and picks stand open, as somebody left them who works with them.
PICKS_OPEN = "try { localStorage.getItem('nexorem.picks') ?? localStorage.setItem('nexorem.picks', 'open'); } catch {}"
# One question for all elements: asking for the text of each is a way there and back.
NAMED = """
const [css, text] = arguments;
const found = [...document.querySelectorAll(css)].find((e) => e.getClientRects().length > 0 && getComputedStyle(e).visibility !== 'hidden'
  && [e.innerText.trim(), e.getAttribute('aria-label'), e.innerText.split('\\n')[0].trim()].includes(text));
// What a probe can be asked besides stands folded behind its sentence.
if (!found && /^(\\+ |Add a |totals |grand totals|no totals|Pick from)/.test(text)) document.querySelector('.sentence-more')?.click();
return found ?? null;
"""
# Seconds after which what is waited for is held never to come: many times what it takes, so that a machine that stands still for a
# minute fails nothing.
PATIENCE = 180
# What a page that is being drawn anew answers: looked for again.
PASSING = (
    ElementClickInterceptedException,
    ElementNotInteractableException,
    JavascriptException,
    StaleElementReferenceException,
    TimeoutException,
)
# Whether an element keeps its place for two frames: what comes in above it moves it from under the pointer.
STILL = """
const [element, done] = arguments, at = () => JSON.stringify(element.getBoundingClientRect()), before = at();
requestAnimationFrame(() => requestAnimationFrame(() => done(element.isConnected && at() === before)));
"""
READS = (
    "const [css, text] = arguments; return [...document.querySelectorAll(css)].some((e) => (e.innerText ?? e.textContent).includes(text))"
)
TEXTS = "return [...document.querySelectorAll(arguments[0])].map((e) => (e.innerText ?? e.textContent).slice(0, 400))"

# Counts what is asked of the server and the clicks that came in, from the first script of each page on.
COUNTED = """
window.onTheirWay = 0;
window.clicks = 0;
addEventListener('click', () => { window.clicks += 1; }, true);
const asked = window.fetch;
window.fetch = (...all) => { window.onTheirWay += 1; return asked(...all).finally(() => { window.onTheirWay -= 1; }); };
"""
SETTLED = """
const done = arguments[0];
let left = 4;
const look = () => {
  const moves = document.getAnimations().some((a) => a.playState === 'running' && a.effect?.getComputedTiming().iterations !== Infinity);
  if (window.onTheirWay > 0 || moves) done(false);
  else if ((left -= 1) === 0) done(true);
  else requestAnimationFrame(look);
};
requestAnimationFrame(look);
"""
CLICKS = "return window.clicks ?? 0"
FRAMES = """
const [count, done] = arguments;
let left = count;
const next = () => ((left -= 1) < 0 ? done(true) : requestAnimationFrame(next));
next();
"""


class Browser:
    """A browser with a window of exactly the size asked for."""

    def __init__(self, width=1280, height=800, dark=False):
        options = webdriver.ChromeOptions()
        options.binary_location = "/usr/bin/chromium"
        self.profile = tempfile.TemporaryDirectory()
        for flag in (*FLAGS, f"--user-data-dir={self.profile.name}"):
            options.add_argument(flag)
        options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
        self.driver = webdriver.Chrome(options, Service("/usr/bin/chromedriver"))
        for source in (COUNTED, PICKS_OPEN):
            self.driver.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": source})
        self.resize(width, height)
        self.scheme(dark)

    def resize(self, width, height):
        size = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False}
        self.driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)

    def scheme(self, dark):
        features = [
            {"name": "prefers-color-scheme", "value": "dark" if dark else "light"},
            {"name": "prefers-reduced-motion", "value": "reduce"},
        ]
        self.driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"features": features})

    def open(self, url):
        self.driver.get(url)

    def until(self, found, what="", seconds=PATIENCE):
        """Waits until `found()` gives something true, and gives that."""

        def attempt(_):
            try:
                return found()
            except (*PASSING, StopIteration, IndexError):
                return False

        return WebDriverWait(self.driver, seconds, 0.1).until(attempt, what)

    def all(self, css):
        return self.driver.find_elements(By.CSS_SELECTOR, css)

    def one(self, css):
        """The first element, waited for."""
        return self.until(lambda: next(iter(self.all(css)), None), f"no {css}")

    def named(self, text, css="button, a, summary, label"):
        """The first visible element with this text, or this accessible name."""

        def look():
            return self.driver.execute_script(NAMED, css, text)

        return self.until(look, f"nothing is called {text!r}")

    def press(self, find, what="nothing could be clicked"):
        """Clicks what `find()` gives; looks for it again while it is drawn anew, waits for an answer, or something stands before it."""

        def attempt():
            element = find()
            if not element.is_enabled() or not self.driver.execute_async_script(STILL, element):
                return False
            before = self.driver.execute_script(CLICKS)
            try:
                element.click()
            except PASSING:
                # On a busy machine a click that came in can be told as one that did not: a second one would take it back.
                return self.driver.execute_script(CLICKS) > before
            return True

        self.until(attempt, what)

    def click(self, text, css="button, a, summary, label"):
        self.press(lambda: self.named(text, css), f"{text!r} could not be clicked")

    def type(self, css, *keys):
        """Keys into the first element of a kind, looked for again while it is drawn anew."""

        def attempt():
            self.one(css).send_keys(*keys)
            return True

        self.until(attempt, f"nothing could be typed into {css}")

    def typed(self, *keys):
        """Keys into the field that has the focus, once one has it."""
        self.until(lambda: self.driver.execute_script("return document.activeElement.matches('input, textarea')"), "no field has the focus")
        self.keys(*keys)

    def within(self, css, words, inner):
        """What an XPath finds in the first element of a kind whose text has these words."""
        return next(e for e in self.all(css) if words in e.text).find_element(By.XPATH, inner)

    def run(self, script, *given):
        """A script that touches an element, run again until it finds it."""
        self.until(lambda: self.driver.execute_script(f"{script}; return true", *given), script)

    def text(self, css="body"):
        return self.one(css).text

    def reads(self, text, css="body"):
        """Waits until a text stands somewhere."""
        try:
            self.until(lambda: self.driver.execute_script(READS, css, text))
        except TimeoutException:
            raise AssertionError(f"{text!r} does not stand in {css}: {self.driver.execute_script(TEXTS, css)}") from None

    def drag(self, source, target, steps=8):
        """Presses on one element, moves to another in steps, lets go."""
        a, b = source.rect, target.rect
        dx = (b["x"] + b["width"] / 2) - (a["x"] + a["width"] / 2)
        dy = (b["y"] + b["height"] / 2) - (a["y"] + a["height"] / 2)
        self.drag_by(source, round(dx), round(dy), steps)

    def drag_by(self, source, dx, dy, steps=8):
        chain = ActionChains(self.driver, duration=20).move_to_element(source).click_and_hold()
        for i in range(steps):
            chain = chain.move_by_offset(dx * (i + 1) // steps - dx * i // steps, dy * (i + 1) // steps - dy * i // steps)
        chain.pause(0.2).release().perform()

    def hover(self, element):
        ActionChains(self.driver, duration=20).move_to_element(element).perform()

    def keys(self, *keys):
        ActionChains(self.driver).send_keys(*keys).perform()

    def focused(self):
        """What the element with the focus is called."""
        return self.driver.execute_script(
            "const e = document.activeElement; return e === document.body ? '' : (e.getAttribute('aria-label') ?? e.labels?.[0]?.innerText ?? e.innerText ?? '').trim()"
        )

    def tab_to(self, text, most=320, back=False):
        """Tabs until something with this name, or one that begins so, has the focus: by the keyboard alone."""
        for _ in range(most):
            if self.focused().startswith(text):
                return self.driver.switch_to.active_element
            if back:
                ActionChains(self.driver).key_down(Keys.SHIFT).send_keys(Keys.TAB).key_up(Keys.SHIFT).perform()
            else:
                self.keys(Keys.TAB)
        raise AssertionError(f"nothing that begins {text!r} takes the focus; it is on {self.focused()!r}")

    def command(self, key):
        """A key with Ctrl held."""
        ActionChains(self.driver).key_down(Keys.CONTROL).send_keys(key).key_up(Keys.CONTROL).perform()

    def settled(self):
        """Waits until nothing is on its way: no answer, and nothing that moves, for some frames on end."""
        self.until(lambda: self.driver.execute_async_script(SETTLED))

    def frames(self, count):
        """Waits for some pictures of the screen."""
        self.driver.execute_async_script(FRAMES, count)

    def picture(self, path):
        self.settled()
        self.driver.save_screenshot(str(path))

    def violations(self):
        """What axe-core finds wrong with the page as it is, after WCAG 2.2 AA."""
        self.driver.execute_script(AXE.read_text())
        found = self.driver.execute_async_script(
            "const done = arguments[0]; axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']}).then(r => done(r.violations))"
        )
        nodes = [(v["id"], n) for v in found for n in v["nodes"]]
        # The star's plane is cut at the edge of its window as scrolled content is: a card there is not too small.
        nodes = [
            (rule, n)
            for rule, n in nodes
            if not (rule == "target-size" and "partially obscured" in n["failureSummary"] and self._on_plane(n))
        ]
        return [(rule, n["html"][:160], n["failureSummary"][:200]) for rule, n in nodes]

    def _on_plane(self, node):
        selector = node["target"][0]
        return self.driver.execute_script("return document.querySelector(arguments[0])?.closest('.star-plane') != null", selector)

    def complaints(self):
        """What the console holds against the page, requests that were refused on purpose left out."""
        return [
            e["message"] for e in self.driver.get_log("browser") if e["level"] == "SEVERE" and "Failed to load resource" not in e["message"]
        ]

    def close(self):
        self.driver.quit()
        self.profile.cleanup()
