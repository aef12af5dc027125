"""S6: the first load of each place in a browser that has nothing yet: octets as sent, and the time
until its page can be used, also as a multiple of what a page of React with nothing on it takes."""

from __future__ import annotations

import shutil
import statistics
import subprocess
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from functools import partial
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

from playwright.sync_api import Browser, sync_playwright

from bench.sides import line
from tests.application import Application
from tests.browser.page import ARGUMENTS, CHROMIUM

LARGEST_KB, LONGEST_S, ROUNDS = 400, 1.5, 5
MOST_TIMES = 5
"""Of an empty page's time, where the machine is too slow for the seconds."""
WEB = Path(__file__).parents[1] / "web"
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


class _Files(SimpleHTTPRequestHandler):
    protocol_version = "HTTP/1.1"

    def log_message(self, format: str, *args: object) -> None:
        pass


@contextmanager
def empty_page() -> Iterator[str]:
    """The address of a page of React, of the version that ours has, that says one word."""
    # within the packages, so that React is found
    root = WEB / "node_modules" / ".empty-page"
    shutil.rmtree(root, ignore_errors=True)
    root.mkdir()
    (root / "index.html").write_text(
        '<!doctype html><html lang="en"><title>x</title><div id="root"></div>'
        '<script type="module" src="/main.js"></script></html>'
    )
    (root / "main.js").write_text(
        'import { createElement } from "react"; import { createRoot } from "react-dom/client";\n'
        'createRoot(document.getElementById("root")).render(createElement("main", null, "x"));\n'
    )
    build = ["npx", "--no-install", "vite", "build", str(root), "--logLevel", "error"]
    subprocess.run([*build, "--base", "/"], cwd=WEB, check=True, capture_output=True)
    handler = partial(_Files, directory=str(root / "dist"))
    server = ThreadingHTTPServer(("127.0.0.1", 0), handler)
    server.daemon_threads = True
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield f"http://127.0.0.1:{server.server_address[1]}"
    finally:
        server.shutdown()
        server.server_close()
        shutil.rmtree(root, ignore_errors=True)


def load(browser: Browser, cookie: str, address: str, usable: str) -> tuple[float, float]:
    """Octets, as they came over the wire with their heads, and seconds; with the cookie of somebody
    signed in."""
    name, _, token = cookie.partition("=")
    with browser.new_context(viewport={"width": 1280, "height": 800}) as context:
        host = "/".join(address.split("/")[:3])
        context.add_cookies([{"name": name, "value": token, "url": host}])
        page = context.new_page()
        sent: list[float] = []
        session = context.new_cdp_session(page)
        session.send("Network.enable")
        session.on("Network.loadingFinished", lambda event: sent.append(event["encodedDataLength"]))
        begun = time.perf_counter()
        page.goto(address)
        page.locator(usable).first.wait_for()
        took = time.perf_counter() - begun
        page.wait_for_timeout(AFTER_MS)
        return sum(sent), took


def s6() -> None:
    with Application(sign_in=True) as app, empty_page() as empty, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        suite = app.get(f"/suites?project={app.project}")["items"][0]["id"]
        case = app.ask(
            "POST", "/cases", {"project": app.project, "suite": suite, "document": CASE}
        )[2]["id"]
        load(browser, app.cookie, app.address, "main")
        for place, usable in {**USABLE, f"/cases/{case}": ".step-head"}.items():
            octets, seconds, bare = list[float](), list[float](), list[float]()
            for _ in range(ROUNDS):  # in turn, so that both meet the same machine
                bare.append(load(browser, app.cookie, empty, "main")[1])
                sent, took = load(browser, app.cookie, app.address + place, usable)
                octets.append(sent)
                seconds.append(took)
            kilo, took = max(octets) / 1000, statistics.median(seconds)
            times = took / statistics.median(bare)
            holds = kilo <= LARGEST_KB and (took <= LONGEST_S or times <= MOST_TIMES)
            told = (
                f"first load of {place}; usable after {took:.2f} s (bar {LONGEST_S} s), "
                f"{times:.1f} times an empty page (bar {MOST_TIMES})"
            )
            line("S6", f"{kilo:.0f} kB", f"<= {LARGEST_KB} kB", holds, told)
        browser.close()


if __name__ == "__main__":
    s6()
