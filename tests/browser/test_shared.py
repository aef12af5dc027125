"""Shared steps in a browser: made of a case's steps, used in three more, changed once; steps for
each item; parts of a path."""

from playwright.sync_api import expect

from tests.browser.page import BrowserTest

SIGN_IN = {
    "request": "Ask for a token",
    "send": "POST [=harbour]/sessions",
    "json": {"user": "[=agent]", "password": "[=agentPassword]"},
    "expect": [{"of": "status", "is": 201}],
    "keep": {"token": {"of": "$.token", "secret": True}},
}
CALLS = {
    "request": "List the port calls",
    "send": "GET [=harbour]/port-calls",
    "auth": {"bearer": "[=token]"},
    "expect": [{"of": "status", "is": 200}],
}


class Shared(BrowserTest):
    def add(self, name, *steps):
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        document = {"salt-path": 1, "case": name, "steps": list(steps)}
        case = {"project": self.app.project, "suite": suite, "document": document}
        made = self.app.ask("POST", "/cases", case)[2]
        self.addCleanup(self.app.ask, "DELETE", f"/cases/{made['id']}")
        return made["id"]

    def finished(self, verdict):
        self.page.get_by_role("button", name="Run this case").click()
        self.page.get_by_role("status").filter(has_text=f"Finished: {verdict}.").wait_for()

    def test_sign_in_is_shared_by_four_and_changed_once(self):
        page = self.page
        first = self.add("First", SIGN_IN, CALLS)
        others = [self.add(f"Other {number}", CALLS) for number in (1, 2, 3)]
        self.go(f"/cases/{first}")
        page.locator('[data-step="1"] .step-head').click(modifiers=["Control"])
        page.get_by_role("button", name="make shared steps").click()
        page.keyboard.type("Sign in at the desk")
        page.keyboard.press("Enter")
        page.locator('[data-step="1"] .step.open', has_text="Sign in at the desk").wait_for()
        self.finished("passed")
        self.open_step(1)
        expect(page.get_by_label("The steps inside")).to_contain_text("Ask for a token")
        for other in others:
            self.go(f"/cases/{other}")
            page.get_by_role("button", name="Sign in at the desk").click()
            expect(page.locator('[data-step="1"]')).to_contain_text("Sign in at the desk")
            self.finished("passed")
        self.open_step(1)
        page.locator('[data-step="1"]').get_by_role("link", name="Open the shared steps").click()
        expect(page.get_by_role("heading", level=1)).to_have_text("Sign in at the desk")
        expect(page.get_by_text("Run these 4 cases")).to_be_visible()
        page.get_by_label("Expect something more").fill("$.agent is pilot")
        page.keyboard.press("Enter")
        page.locator("li.check", has_text="$.agent").wait_for()
        page.get_by_role("button", name="Run these 4 cases").click()
        page.get_by_text("0 of 4 cases passed.").wait_for()
        cause = "4 cases: Ask for a token in Sign in at the desk: $.agent was"
        page.get_by_label("What went wrong").get_by_text(cause).wait_for()
        expect(page.get_by_label("The steps inside")).to_contain_text("Ask for a token")
        page.go_back()
        self.tool(page.locator("li.check", has_text="$.agent"), "Delete")
        page.locator("li.check", has_text="$.agent").wait_for(state="detached")
        page.get_by_role("button", name="Run these 4 cases").click()
        page.get_by_text("All 4 cases passed.").wait_for()
        self.assertEqual(self.axe(), [])

    def test_other_cases_that_have_them_written_out_use_them_from_one_click_on(self):
        page = self.page
        first, second = (
            self.add(name, {**SIGN_IN, "request": name}, CALLS) for name in ("Morning", "Evening")
        )
        made = self.app.get(f"/cases/{first}")["steps"][0]["key"]
        shared = self.app.ask(
            "POST", f"/cases/{first}/shared-steps", {"steps": [made], "name": "Come in"}
        )[2]["shared"]
        self.go(f"/cases/{shared['id']}")
        page.get_by_text("Morning and Evening have these steps written out").wait_for()
        page.get_by_role("button", name="Use the shared ones there, too").click()
        page.get_by_text("2 cases use them now.").wait_for()
        expect(page.get_by_text("Run these 2 cases")).to_be_visible()
        self.assertEqual(self.app.get(f"/cases/{second}")["steps"][0]["name"], "Come in")
        page.get_by_role("status").get_by_role("button", name="Undo").click()
        page.get_by_text("Morning and Evening have these steps written out").wait_for()
        self.assertEqual(self.app.get(f"/cases/{second}")["steps"][0]["name"], "Evening")

    def test_steps_for_each_item_are_written_in_the_path(self):
        page = self.page
        listing = {
            "request": "List",
            "send": "GET [=harbour]/berths",
            "keep": {"berths": "$.items"},
        }
        self.go(
            f"/cases/{self.add('Each berth', {**listing, 'expect': [{'of': 'status', 'is': 200}]})}"
        )
        add = page.get_by_label("Add a step: a method and an address")
        add.fill("for each berth of berths")
        page.keyboard.press("Enter")
        page.locator('[data-step="2"] .step.open').wait_for()
        inside = page.get_by_label("Add a step for each item: a method and an address")
        inside.fill("GET [=harbour]/berths/[=berth | at $.id]")
        page.keyboard.press("Enter")
        page.locator('[data-step="3"] .step.open').wait_for()
        self.finished("unchecked")
        page.get_by_role("treeitem").filter(has_text="depth").first.wait_for()
        page.get_by_label("Expect something more").fill("$.id is [=berth | at $.id]")
        page.keyboard.press("Enter")
        check = page.locator('[data-step="3"] li.check', has_text="$.id")
        check.get_by_role("img", name="passed").wait_for()
        self.finished("passed")
        self.open_step(2)
        expect(page.get_by_label("The steps inside").get_by_role("listitem")).to_have_count(5)
        expect(page.get_by_label("The steps inside")).to_contain_text("item 5")

    def test_a_path_says_what_runs_once_and_what_afterwards(self):
        self.go("/cases")
        self.page.get_by_role("link", name="Every berth that is listed").click()
        heads = self.page.locator(".part-head")
        expect(heads).to_have_text(["Once, before everything", "Then, in turn"])
        expect(self.page.locator('[data-step="4"].inside')).to_contain_text("Read one of them")
        self.assertEqual(self.axe(), [])
