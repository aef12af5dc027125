"""S6: the first load of each place in a browser that has nothing yet: octets as sent, and the time
until its page can be used."""

from __future__ import annotations

import statistics
import time

from playwright.sync_api import Browser, sync_playwright

from bench.sides import line
from tests.application import Application
from tests.browser.page import ARGUMENTS, CHROMIUM

LARGEST_KB, LONGEST_S, ROUNDS = 400, 1.5, 5
AFTER_MS = 800
"""What still comes then belongs to the first load; the other places follow later (`readAhead` in
`web/src/places/routes.tsx`)."""
USABLE = {"/cases": "main a", "/data": "main h1", "/runs": "main h1", "/setup": "main h1"}
"""What stands on each place when it can be used."""
CASE = {
    "salt-path": 1,
    "case": "Read a vessel",
    "steps": [{"request": "Read", "send": "GET [=harbour]/vessels/V-101"}],
}


def load(browser: Browser, app: Application, place: str, usable: str) -> tuple[float, float]:
    """Octets, as they came over the wire with their heads, and seconds, of somebody signed in."""
    name, _, token = app.cookie.partition("=")
    with browser.new_context(viewport={"width": 1280, "height": 800}) as context:
        context.add_cookies([{"name": name, "value": token, "url": app.address}])
        page = context.new_page()
        sent: list[float] = []
        session = context.new_cdp_session(page)
        session.send("Network.enable")
        session.on("Network.loadingFinished", lambda event: sent.append(event["encodedDataLength"]))
        begun = time.perf_counter()
        page.goto(app.address + place)
        page.locator(usable).first.wait_for()
        took = time.perf_counter() - begun
        page.wait_for_timeout(AFTER_MS)
        return sum(sent), took


def s6() -> None:
    with Application(sign_in=True) as app, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        suite = app.get(f"/suites?project={app.project}")["items"][0]["id"]
        case = app.ask(
            "POST", "/cases", {"project": app.project, "suite": suite, "document": CASE}
        )[2]["id"]
        load(browser, app, "/", "main")
        for place, usable in {**USABLE, f"/cases/{case}": ".step-head"}.items():
            measured = [load(browser, app, place, usable) for _ in range(ROUNDS)]
            octets, seconds = zip(*measured, strict=True)
            kilo, took = max(octets) / 1000, statistics.median(seconds)
            holds = kilo <= LARGEST_KB and took <= LONGEST_S
            told = f"first load of {place}; usable after {took:.2f} s (bar {LONGEST_S} s)"
            line("S6", f"{kilo:.0f} kB", f"<= {LARGEST_KB} kB", holds, told)
        browser.close()


if __name__ == "__main__":
    s6()
