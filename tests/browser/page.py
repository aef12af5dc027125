"""Shared by the browser tests: one Chromium, a fresh context per test; anything in the console
fails the test."""

from __future__ import annotations

import atexit
import re
import unittest
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path
from typing import Any

from playwright.sync_api import (
    Browser,
    BrowserContext,
    Locator,
    Page,
    Route,
    TimeoutError,
    ViewportSize,
    expect,
    sync_playwright,
)

from tests.application import PATIENCE_S, Application

# Debian builds the same Chromium twice; the one without windows draws no tabs and menus that nobody
# sees, and takes a third less.
CHROMIUM = next(
    (
        file
        for file in ("/usr/bin/chromium-headless-shell", "/usr/bin/chromium")
        if Path(file).exists()
    ),
    "/usr/bin/chromium",
)
ARGUMENTS = [
    "--no-sandbox",
    "--disable-gpu",
    "--in-process-gpu",
    "--renderer-process-limit=1",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
expect.set_options(timeout=PATIENCE_S * 1000)
AXE = Path(__file__).resolve().parents[2] / "web/node_modules/axe-core/axe.min.js"


SIZE: ViewportSize = {"width": 1280, "height": 800}


@cache
def chromium() -> Browser:
    """The one of this process, which ends with it."""
    playwright = sync_playwright().start()
    atexit.register(playwright.stop)
    return playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)


class BrowserTest(unittest.TestCase):
    """The tests of a class share a page, which is emptied between them: a new one reads and
    compiles all scripts again."""

    app: Application
    browser: Browser
    context: BrowserContext
    said: list[str]
    past = False
    """Whether the demonstration's cases have theirs."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.app = cls.enterClassContext(Application(sign_in=True, past=cls.past))
        cls.browser = chromium()
        # What opens stands still at once: a menu that still unfolds on a busy machine is clicked
        # beside its items.
        cls.context = cls.browser.new_context(viewport=SIZE, reduced_motion="reduce")
        cls.addClassCleanup(cls.context.close)
        cls.context.set_default_timeout(PATIENCE_S * 1000)
        said = cls.said = []
        cls.context.on(
            "console",
            lambda message: said.append(
                f"{message.type}: {message.text} {message.location.get('url', '')}"
            ),
        )
        cls.context.on("weberror", lambda error: said.append(f"error: {error.error}"))
        first = cls.app.get(f"/runs?project={cls.app.project}")["items"][0]
        cls.app.finished(first["id"])

    def setUp(self) -> None:
        self.page: Page = self.context.pages[0] if self.context.pages else self.context.new_page()
        for other in self.context.pages[1:]:
            other.close()
        self.page.unroute_all()
        self.page.goto("about:blank")
        self.page.set_viewport_size(SIZE)
        self.context.clear_cookies()
        self.context.clear_permissions()
        devtools = self.context.new_cdp_session(self.page)
        devtools.send(
            "Storage.clearDataForOrigin", {"origin": self.app.address, "storageTypes": "all"}
        )
        devtools.detach()
        self.sign_in(self.context)
        self.said.clear()

    def tearDown(self) -> None:
        self.assertEqual(self.said, [], "something stands in the browser's console")

    @classmethod
    def sign_in(cls, context: BrowserContext, cookie: str = "") -> None:
        """Whoever begun this session, by default the owner, is signed in in this context."""
        name, _, value = (cookie or cls.app.cookie).partition("=")
        context.add_cookies([{"name": name, "value": value, "url": cls.app.address}])

    def go(self, path: str) -> None:
        self.page.goto(self.app.address + path)

    def open_case(self, name: str) -> None:
        self.go("/cases")
        self.page.get_by_role("link", name=name).click()
        self.page.get_by_role("heading", name=name).wait_for()

    def open_step(self, number: int) -> None:
        """A click on a step's head, until it is open: what stands on the page before that belongs
        to another step."""
        self.page.locator(f'[data-step="{number}"] .step-head').click()
        self.page.locator(f'[data-step="{number}"] .step.open').wait_for()

    def tool(self, row: Locator, name: str) -> None:
        """Press one of a row's tools, which are there while the row is under the mouse; a row that
        is drawn anew meanwhile is pointed at again."""
        for _ in range(20):
            row.hover()
            try:
                return row.get_by_role("button", name=re.compile(f"^{name}")).click(timeout=2000)
            except TimeoutError:
                continue
        raise AssertionError(f"the row has no tool {name} under the mouse")

    @contextmanager
    def slowly(self, rate: int = 20) -> Iterator[None]:
        """The browser is so many times as slow: more states between can be seen."""
        devtools = self.context.new_cdp_session(self.page)
        devtools.send("Emulation.setCPUThrottlingRate", {"rate": rate})
        try:
            yield
        finally:
            devtools.send("Emulation.setCPUThrottlingRate", {"rate": 1})
            devtools.detach()

    @contextmanager
    def saved_late(self, address: str) -> Iterator[None]:
        """What the page asks to have changed at addresses that match arrives when the block ends;
        at least one does."""
        held: list[Route] = []
        over = False

        def hold(route: Route) -> None:
            if over or route.request.method == "GET":
                route.continue_()
            else:
                held.append(route)

        self.page.route(re.compile(address), hold)
        yield
        self.app.wait(lambda: held or self.page.wait_for_timeout(50))
        over = True
        for route in held:
            route.continue_()

    def becomes(self, probe: Callable[[], Any], wanted: Any) -> None:
        """What the page shows already is stored a moment later."""
        try:
            self.app.wait(lambda: self.page.wait_for_timeout(50) or probe() == wanted)
        except AssertionError:
            self.assertEqual(probe(), wanted)

    def axe(self) -> list[str]:
        """Serious and critical faults that axe finds; its script runs outside the page's policy."""
        self.page.evaluate(f"() => {{ {AXE.read_text(encoding='utf-8')}; window.axe = axe; }}")
        found = self.page.evaluate("() => axe.run({ resultTypes: ['violations'], preload: false })")
        return [
            f"{fault['id']}: {fault['nodes'][0]['html'][:160]} "
            f"{(fault['nodes'][0]['any'] or [{}])[0].get('data')}"
            for fault in found["violations"]
            if fault["impact"] in ("serious", "critical")
        ]
