"""What one may not do is not offered: as a viewer and as a runner everything on every page that can
be pressed is pressed, and nothing of it is refused by the server, or by the page itself."""

import random
import re
import unittest

from playwright.sync_api import ConsoleMessage, Error, Response

from saltpath.store import people, sessions
from saltpath.store.database import connect
from tests.browser.page import BrowserTest

SEED = 11
WHO = {"viewer": "joren", "runner": "tilda"}
PRESSED_EACH = 20
"""On each page."""
LEFT_ALONE = re.compile(
    "Sign .* out|Save this one as files|Save as|workbook|JUnit|HAR|JSON|one file"
)
"""What ends the session, or is a download that the browser would keep."""


class Roles(BrowserTest):
    maxDiff = None
    pressed = ""
    """What was pressed last, as it stands in the page."""

    def as_role(self, role: str) -> None:
        with connect(self.app.data) as store:
            person = people.by_sign_in(store, WHO[role])
            _, token = sessions.begin(store, person, "", "", "password")
        self.context.clear_cookies()
        name = self.app.cookie.partition("=")[0]
        self.sign_in(self.context, f"{name}={token}")

    def pages(self) -> list[str]:
        cases = self.app.cases()
        failed = cases["A long vessel gets a berth long enough"]
        rows = cases["Every arrival of the week gets a berth"]
        run = self.app.get(f"/runs?project={self.app.project}")["items"][-1]["id"]
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        shared = self.app.get(f"/shared-steps?project={self.app.project}")["items"][0]["id"]
        return [
            "/cases",
            f"/cases/{failed}",
            f"/cases/{failed}?view=sheet",
            f"/cases/{failed}?view=text",
            f"/cases/{rows}",
            f"/cases/{shared}",
            f"/cases/{failed}/runs",
            f"/cases/suite/{suite}",
            "/cases/single",
            "/data",
            "/data/source?name=arrivals",
            "/runs",
            f"/runs/{run}",
            "/setup",
            "/setup/people",
        ]

    def press_all(self, path: str, chance: random.Random) -> None:
        """Buttons, what can be typed into, and what keys do, at random."""
        page = self.page
        page.goto(self.app.address + path)
        page.get_by_role("heading", level=1).first.wait_for()
        for _ in range(PRESSED_EACH):
            found = page.locator(
                "main button:visible, main select:visible, main [role=treeitem]:visible, "
                "main [role=gridcell]:visible, main .step-head:visible, [role=menuitem]:visible"
            ).all()
            if not found:
                return
            one = chance.choice(found)
            try:
                self.pressed = one.evaluate("of => of.outerHTML.slice(0, 160)", timeout=500)
                if LEFT_ALONE.search(one.inner_text(timeout=500)):
                    continue
                one.click(timeout=700)
                page.keyboard.press(chance.choice("ekpdbt") if chance.random() < 0.4 else "Tab")
                if chance.random() < 0.3:
                    page.keyboard.press(chance.choice(["Delete", "F2", "Alt+ArrowDown", "Enter"]))
                if chance.random() < 0.2:
                    page.keyboard.press("Escape")
            except Error:
                page.keyboard.press("Escape")
            if path.partition("?")[0] not in page.url:
                page.goto(self.app.address + path)
                page.get_by_role("heading", level=1).first.wait_for()

    def check(self, role: str) -> None:
        refused: list[str] = []

        def told(line: ConsoleMessage) -> None:
            if "Failed to load" not in line.text:  # whether it was refused is looked at below
                refused.append(f"{line.text}; behind {self.pressed}")

        def seen(answer: Response) -> None:
            if answer.status in (401, 403):
                refused.append(
                    f"{answer.status} {answer.request.method} {answer.url}; behind {self.pressed}"
                )

        self.as_role(role)
        self.page.on("response", seen)
        self.page.on("console", told)
        self.addCleanup(self.page.remove_listener, "response", seen)
        self.addCleanup(self.page.remove_listener, "console", told)
        chance = random.Random(SEED)
        for path in self.pages():
            with self.subTest(role=role, path=path):
                refused.clear()
                self.press_all(path, chance)
                self.assertEqual(refused, [])
        self.said.clear()

    def test_a_viewer_is_offered_nothing_that_is_refused(self):
        self.check("viewer")

    def test_a_runner_is_offered_nothing_that_is_refused(self):
        self.check("runner")


if __name__ == "__main__":
    unittest.main()
