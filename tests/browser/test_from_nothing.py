"""From an empty project to a green case of three steps, by mouse and by keyboard; then the service
changes, and it is mended."""

import re
import subprocess
import sys
import tempfile
import time
import urllib.request

from playwright.sync_api import expect

from tests.application import free_port
from tests.browser.page import BrowserTest

MOST_S = 90
LINK = re.compile(r"http://\S+/enter#\S+")


class FromNothing(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        self.harbour = f"http://127.0.0.1:{self.app.harbour_port}"
        self.release("spring")
        self.addCleanup(self.release, "spring")

    def release(self, name: str) -> None:
        """The harbour is brought to another release, in which a field and a value are otherwise."""
        body = f'{{"release": "{name}"}}'.encode()
        urllib.request.urlopen(
            urllib.request.Request(f"{self.harbour}/switches/release", body, method="PUT"),
            timeout=5,
        )

    def step(self, number: int):
        return self.page.locator(f'[data-step="{number}"]')

    def node(self, name: str):
        """The first row of the tree with this key."""
        key = self.page.locator(".tree-key", has_text=re.compile(f"^{name}$"))
        return self.page.get_by_role("treeitem").filter(has=key).first

    def ended(self, verdict: str) -> None:
        self.page.get_by_role("status").filter(has_text=f"Finished: {verdict}.").wait_for()

    def document(self):
        return self.app.get(f"/cases/{self.page.url.rpartition('/')[2]}")["document"]

    def check_made(self) -> None:
        """What was made: a hand-over, five checks and more, all of the paths by pointing; and it is
        green."""
        steps = self.document()["steps"]
        self.assertEqual(
            [step["send"].removeprefix("GET ") for step in steps],
            [
                f"{self.harbour}/vessels",
                f"{self.harbour}/vessels/[=vesselId]",
                f"{self.harbour}/pilots",
            ],
        )
        self.assertEqual(steps[0]["keep"], {"vesselId": "$.items[0].id"})
        self.assertIn({"of": "$.callSign", "kind": "text"}, steps[1]["expect"])
        self.assertIn({"of": "$.homePort", "is": "Fernholm"}, steps[1]["expect"])
        self.assertTrue(all(step["expect"] for step in steps))

    def new_project(self, name: str) -> None:
        self.app.ask("POST", "/projects", {"name": name})
        self.go("/cases")

    def test_by_mouse_and_mended_in_three_acts(self):
        begun = time.monotonic()
        page = self.page
        self.new_project("Quay by mouse")
        page.get_by_role("button", name="Project Fernholm Harbour").click()
        page.get_by_role("menuitem", name="Quay by mouse").click()
        page.get_by_label("The first suite’s name").fill("Arrivals")
        page.get_by_label("The first suite’s name").press("Enter")
        page.get_by_role("button", name="+ case").click()
        page.get_by_label("Add a case to this suite").fill("A vessel is read")
        page.get_by_label("Add a case to this suite").press("Enter")
        add = page.get_by_label("Add a step: a method and an address")
        for address in ("vessels", "vessels/{id}", "pilots"):
            add.fill(f"{self.harbour}/{address}")
            add.press("Enter")
            expect(add).to_have_value("")
        self.open_step(1)
        page.get_by_role("button", name="Send this step alone").click()
        self.ended("unchecked")
        self.node("items").locator(".twist").click()
        self.node("total").click()
        page.get_by_role("button", name="Expect any number").click()
        self.node("items").locator(".twist").click()
        source = self.node("id").bounding_box()
        assert source is not None
        page.mouse.move(source["x"] + 60, source["y"] + 10)
        page.mouse.down()
        page.mouse.move(source["x"] + 20, source["y"] + 16, steps=3)
        page.get_by_text("in the address at {id}").wait_for()
        place = page.get_by_text("in the address at {id}").bounding_box()
        assert place is not None
        page.mouse.move(place["x"] + 20, place["y"] + 8, steps=4)
        page.mouse.up()
        self.step(1).get_by_text("to step 2").wait_for()
        self.open_step(2)
        page.get_by_role("button", name="Send this step alone").click()
        self.ended("unchecked")
        self.node("name").click(modifiers=["Control"])
        self.node("homePort").click(modifiers=["Control"])
        page.get_by_role("button", name="Expect each as it is").click()
        self.step(2).locator(".check").nth(1).wait_for()
        self.node("callSign").click()
        page.get_by_role("button", name="Expect any text").click()
        self.step(2).locator(".check").nth(2).wait_for()
        self.open_step(3)
        page.get_by_role("button", name="Send this step alone").click()
        self.ended("unchecked")
        self.node("items").click()
        page.get_by_role("button", name="Expect 3 items").click()
        self.step(3).locator(".check").first.wait_for()
        page.get_by_role("button", name="Run this case").click()
        self.ended("passed")
        self.assertLess(time.monotonic() - begun, MOST_S)
        self.check_made()

        self.release("autumn")
        page.get_by_role("button", name="Run this case").click()
        self.ended("failed")
        page.get_by_role("button", name="this is right now: “FERNHOLM” for $.homePort").click()
        page.get_by_role("button", name="look at $.radioCallSign instead").click()
        expect(self.step(2).locator(".check.failed")).to_have_count(0)
        page.get_by_role("button", name="Run this case").click()
        self.ended("passed")
        self.assertIn(
            {"of": "$.radioCallSign", "kind": "text"}, self.document()["steps"][1]["expect"]
        )

    def test_by_keyboard_and_mended_in_three_acts(self):
        begun = time.monotonic()
        keys = self.page.keyboard
        self.new_project("Quay by keyboard")

        def tab_to(label: str, most: int = 60) -> None:
            """Tab on until what has the focus is called so."""
            for _ in range(most):
                named = self.page.evaluate(
                    "() => { const it = document.activeElement;"
                    " if (it === document.body) return '';"
                    " return (it.getAttribute('aria-label') || it.textContent || it.title || "
                    "'').trim() }"
                )
                if label in named:
                    return
                keys.press("Tab")
            self.fail(f"the Tab key never came to {label!r}")

        def leave(to: str) -> None:
            keys.press("Tab")
            tab_to(to)

        self.page.get_by_role("button", name="Project Fernholm Harbour").wait_for()
        tab_to("Project Fernholm Harbour")
        keys.press("Enter")
        self.page.get_by_role("menuitem", name="Quay by keyboard").wait_for()
        while "Quay by keyboard" not in self.page.evaluate(
            "() => document.activeElement?.closest('[role=menuitem]')?.textContent ?? ''"
        ):
            keys.press("ArrowDown")
            self.assertLess(time.monotonic() - begun, MOST_S)
        keys.press("Enter")
        self.page.get_by_label("The first suite’s name").wait_for()
        tab_to("The first suite’s name")
        keys.type("Arrivals")
        keys.press("Enter")
        self.page.get_by_role("button", name="+ case").wait_for()
        tab_to("+ case", 80)
        keys.press("Enter")
        keys.type("A vessel is read")
        keys.press("Enter")
        add = self.page.get_by_label("Add a step: a method and an address")
        add.wait_for()
        for number, address in enumerate(("vessels", "vessels/", "pilots"), 1):
            tab_to("Add a step: a method and an address", 120)
            if number == 2:  # the id is picked from the first answer while the address is typed
                self.step(1).locator(".step-head").wait_for()
                keys.type(f"{self.harbour}/{address}[=id")
                self.page.get_by_role("option").filter(
                    has_text="will be kept from $.items[0].id of step 1"
                ).wait_for()
                keys.press("Enter")
                keys.press("Enter")
            else:
                keys.type(f"{self.harbour}/{address}")
                keys.press("Enter")
            self.step(number).locator(".step-head").wait_for()
            expect(add).to_have_value("")
            self.page.keyboard.press("Control+k")
            keys.type(f"Step {number}:")
            keys.press("Enter")
            leave("Send this step alone")
            keys.press("Enter")
            self.ended("unchecked")
            self.page.get_by_role("treeitem").first.wait_for()
            self.page.evaluate("() => window.scrollTo(0, 0)")
            leave("The answer as a tree")
            if number == 2:
                self.choose("name", " ")
                self.choose("homePort", " ")
                keys.press("e")
                self.step(2).locator(".check").nth(1).wait_for()
                self.choose("callSign", "a")
                self.step(2).locator(".check").nth(2).wait_for()
            else:
                self.choose("items", "e")
                self.step(number).locator(".check").first.wait_for()
        keys.press("Control+Enter")
        self.ended("passed")
        self.assertLess(time.monotonic() - begun, MOST_S)
        self.check_made()

        self.release("autumn")
        keys.press("Control+Enter")
        self.ended("failed")
        tab_to("this is right now", 120)
        keys.press("Enter")
        leave("look at $.radioCallSign instead")
        keys.press("Enter")
        expect(self.step(2).locator(".check.failed")).to_have_count(0)
        keys.press("Control+Enter")
        self.ended("passed")

    def test_an_installation_without_anything(self):
        with tempfile.TemporaryDirectory() as folder:
            port = free_port()
            command = [
                sys.executable,
                "-m",
                "saltpath.cli",
                "serve",
                "--data",
                folder,
                "--port",
                str(port),
            ]
            serve = subprocess.Popen(
                command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True
            )
            self.addCleanup(serve.wait, 20)
            self.addCleanup(serve.terminate)
            link = next(found[0] for line in serve.stdout if (found := LINK.search(line)))
            serve.stdout.close()
            self.app.wait(
                lambda: urllib.request.urlopen(f"http://127.0.0.1:{port}/api/v1/health", timeout=2)
            )
            page = self.page
            page.goto(f"http://127.0.0.1:{port}/")
            page.get_by_text("Nobody owns this installation yet").wait_for()
            page.goto(link)
            self.assertEqual(self.axe(), [])
            page.get_by_label("Your name").fill("Ines Wathne")
            page.get_by_label("Name to sign in by").fill("ines")
            page.get_by_label("Password").fill("kelp anvil marsh ninety")
            page.get_by_role("button", name="Come in").click()
            page.get_by_role("heading", name="There is no project here yet").wait_for()
            page.get_by_label("The new project’s name").fill("A first one")
            page.get_by_label("The new project’s name").press("Enter")
            page.get_by_role("button", name="load an example").click()
            page.get_by_role("heading", name="A vessel is found again").wait_for()
            page.get_by_role("button", name="Run this case").click()
            page.get_by_role("status").filter(has_text="Finished").wait_for()
            self.assertEqual(self.axe(), [])

    def choose(self, name: str, key: str) -> None:
        """Walk the tree's focus to a node, and press a key on it."""
        keys = self.page.keyboard
        keys.press("Home")
        for _ in range(40):
            focused = self.page.locator(".tree-row.focused .tree-key")
            if focused.inner_text() == name:
                keys.press(key)
                return
            keys.press("ArrowDown")
        self.fail(f"the arrows never came to {name}")
