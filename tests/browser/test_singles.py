"""Single requests: from an empty project and a curl line to a green case that hands an id on; and
what was sent before."""

import re

from playwright.sync_api import expect

from tests.browser.page import BrowserTest


class Singles(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        self.harbour = f"http://127.0.0.1:{self.app.harbour_port}"

    def new_project(self, name: str) -> None:
        self.app.ask("POST", "/projects", {"name": name})
        self.go("/cases")
        self.page.get_by_role("button", name=re.compile("^Project ")).click()
        self.page.get_by_role("menuitem", name=name).click()

    def node(self, name: str):
        """The first row of the tree with this key."""
        key = self.page.locator(".tree-key", has_text=re.compile(f"^{name}$"))
        return self.page.get_by_role("treeitem").filter(has=key).first

    def turn(self, name: str) -> None:
        """Fold the node with this key, or unfold it."""
        self.node(name).locator(".twist").click()

    def request(self):
        return self.page.get_by_label("A request: a method and an address")

    def ended(self, verdict: str) -> None:
        self.page.get_by_role("status").filter(has_text=f"Finished: {verdict}.").wait_for()

    def document(self):
        return self.app.get(f"/cases/{re.findall(r'case_[0-9a-z]+', self.page.url)[0]}")["document"]

    def test_a_curl_line_becomes_a_case_that_hands_an_id_on(self):
        page = self.page
        self.new_project("Quay from a curl line")
        page.get_by_role("link", name="send a single request").click()
        self.request().fill(
            f"curl -s '{self.harbour}/vessels?sort=name' \\\n  -H 'Accept: application/json'"
        )
        self.request().press("Control+Enter")
        self.turn("items")
        self.node("total").click()
        page.get_by_role("button", name="Expect any number").click()
        self.node("items").click()
        page.get_by_role("button", name="Expect 12 items").click()
        self.turn("items")
        self.node("name").click(modifiers=["Control"])
        self.node("homePort").click(modifiers=["Control"])
        page.get_by_role("button", name="Expect each as it is").click()
        self.node("lengthMetres").click()
        page.get_by_role("button", name="Expect any number").click()
        expect(page.locator(".check")).to_have_count(5)

        page.get_by_role("button", name="Put it into a case…").click()
        page.get_by_label("The new case's name").fill("A vessel is found again")
        page.get_by_role("button", name="Put it there").click()
        page.get_by_role("heading", name="A vessel is found again").wait_for()
        self.node("id").click()
        page.get_by_role("button", name="Put into").click()
        page.get_by_role("button", name="a new step").click()
        self.open_step(2)
        page.get_by_role("button", name="Send this step alone").click()
        page.get_by_role("treeitem").filter(has_text="V-107").first.wait_for()
        self.node("name").click()
        page.get_by_role("button", name="Expect “Brine Courier”").click()
        page.locator('[data-step="2"] .check').first.wait_for()
        page.get_by_role("button", name="Run this case").click()
        self.ended("passed")
        first, second = self.document()["steps"]
        self.assertEqual(first["keep"], {"vesselId": "$.items[0].id"})
        self.assertEqual(
            [next(key for key in check if key != "of") for check in first["expect"]],
            ["kind", "count", "is", "is", "kind"],
        )
        self.assertEqual(second["send"], f"GET {self.harbour}/vessels/[=vesselId]")

    def test_what_was_sent_before_is_taken_up_again_and_put_into_a_case(self):
        page = self.page
        self.go("/cases/single")
        self.request().fill(f"{self.harbour}/vessels/V-101")
        page.get_by_role("button", name="Send it").click()
        before = page.get_by_role("region", name="Sent before")
        before.get_by_text("answered 200").wait_for()
        page.get_by_title("The method and the address").click()
        address = page.get_by_label("The method and the address")
        address.fill(f"GET {self.harbour}/vessels/V-0")
        address.press("Enter")
        # until then the keys belong to the field
        page.locator(".step").get_by_text("/vessels/V-0").wait_for()
        page.keyboard.press("Control+Enter")
        before.get_by_text("answered 404").wait_for()
        before.get_by_role("button", name="answered 200").click()
        self.node("callSign").wait_for()
        before.get_by_role("button", name="Take this request up again").click()
        page.locator(".step").get_by_text("/vessels/V-101").wait_for()

        page.get_by_role("button", name="Put it into a case…").click()
        page.get_by_label("Make it").select_option(
            "the last step of “A visiting vessel is given a berth”"
        )
        page.get_by_role("button", name="Put it there").click()
        page.get_by_role("heading", name="A visiting vessel is given a berth").wait_for()
        page.locator(".step.open").get_by_text("/vessels/V-101").wait_for()
        self.assertIn("[=harbour]/vessels/V-101", str(self.document()["steps"][-1]))
        self.go("/cases/single")
        expect(page.get_by_role("link", name="Read a vessel")).to_have_count(0)
        self.assertEqual(self.axe(), [])

    def test_a_request_that_was_not_sent_is_copied_as_it_is_written(self):
        page = self.page
        page.context.grant_permissions(["clipboard-read", "clipboard-write"])
        self.go("/cases/single")
        self.request().fill(
            f"POST {self.harbour}/sessions HTTP/1.1\nContent-Type: application/json\n\n"
            + '{"user": "desk"}'
        )
        page.get_by_role("button", name="only open it").click()
        page.get_by_role("button", name="Copy as curl").click()
        page.get_by_text("Copied as a curl line").wait_for()
        copied = page.evaluate("() => navigator.clipboard.readText()")
        self.assertEqual(copied.splitlines()[0], f"curl '{self.harbour}/sessions' \\")
        self.go("/cases/single")
        self.request().fill(copied)
        self.request().press("Control+Enter")
        page.get_by_role("region", name="Sent before").get_by_text(
            re.compile("answered 4\\d\\d")
        ).wait_for()
