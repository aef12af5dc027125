"""The pages over time and in other circumstances: two tabs, a server that goes away, a guarded
environment, a phone."""

import re

from playwright.sync_api import expect

from tests.browser.page import BrowserTest


class Living(BrowserTest):
    def test_a_second_tab_sees_what_the_first_one_does(self):
        self.app.finished(self.app.get(f"/runs?project={self.app.troubles}")["items"][-1]["id"])
        self.go(f"/cases/{self.app.cases(self.app.troubles)['The weather feed is not up']}")
        self.page.get_by_role("heading", name="The weather feed is not up").wait_for()
        self.page.get_by_role("link", name="Runs", exact=True).click()
        self.page.get_by_role("heading", name="Runs").wait_for()
        before = self.page.locator(".run-line").count()
        other = self.page.context.new_page()
        other.goto(self.app.address + "/cases")
        other.get_by_role("button", name="Run these 4 of Troubles").click()
        other.get_by_role("heading", name="Troubles").wait_for()
        other.locator(".banner").get_by_text(re.compile("1 of 4 cases passed")).wait_for()
        self.page.locator(".run-line").nth(before).wait_for()
        self.page.locator(".run-line").first.get_by_text("1 of 4 cases passed").wait_for()
        other.close()

    def test_a_page_outlives_the_server(self):
        self.open_case("Register numbers keep all their digits")
        self.page.get_by_role("treeitem").first.wait_for()
        self.app.kill("web")
        self.app.wait(lambda: self.app.get("/health"))
        self.page.get_by_role("button", name="Run this case").click()
        self.page.get_by_role("status").filter(has_text="Finished: passed.").wait_for()
        # the browser reports the lost connection itself
        self.said = [line for line in self.said if "ERR_" not in line]

    def test_a_guarded_environment_asks_first(self):
        self.open_case("A visiting vessel is given a berth")
        self.page.get_by_role("button", name="Rehearsal").click()
        self.page.get_by_role("menuitem", name="Live, guarded").click()
        self.page.get_by_role("button", name="Run this case").click()
        dialog = self.page.get_by_role("dialog")
        dialog.get_by_text("Live is guarded").wait_for()
        self.assertEqual(dialog.get_by_role("checkbox").count(), 4)
        dialog.get_by_role("button", name="Do not run").click()
        dialog.wait_for(state="hidden")
        self.page.get_by_role("button", name="Run this case").click()
        dialog.get_by_role("checkbox").nth(1).click()
        dialog.get_by_role("button", name="Run with the 3 ticked").click()
        self.page.get_by_role("status").filter(has_text="Finished: blocked.").wait_for()
        self.page.get_by_text(
            "Live is guarded, and this run was to change nothing there"
        ).first.wait_for()
        self.page.get_by_role("button", name="Run this case").click()
        dialog.get_by_role("button", name="Run all of it").click()
        self.page.get_by_role("status").filter(has_text="Finished: passed.").wait_for()
        run = self.app.get(f"/runs?project={self.app.project}&limit=1")["items"][0]
        self.assertEqual(run["environment"], "Live")

    def test_what_changes_nothing_runs_against_it_unasked(self):
        self.open_case("Free berths are listed")
        self.page.get_by_role("button", name="Rehearsal").click()
        self.page.get_by_role("menuitem", name="Live, guarded").click()
        self.page.get_by_role("button", name="Run this case").click()
        self.page.get_by_role("status").filter(has_text="Finished: ").wait_for()

    def test_only_what_did_not_pass_is_run_again(self):
        self.go("/cases")
        self.page.get_by_role("button", name="Run these 7 of Arrivals").click()
        self.page.locator(".banner").get_by_text("4 of 7 cases passed.").wait_for()
        self.page.get_by_role("button", name="Run what did not pass again").click()
        self.page.locator(".banner").get_by_text("0 of 3 cases passed.").wait_for()
        self.assertEqual(self.page.locator(".run-case").count(), 3)

    def test_the_theme_is_remembered(self):
        self.go("/cases")
        before = self.page.evaluate("document.documentElement.dataset.theme")
        other = "dark" if before == "light" else "light"
        self.page.get_by_role("button", name=f"Use the {other} theme").click()
        self.page.reload()
        self.page.get_by_role("heading", name="Cases").wait_for()
        self.assertEqual(self.page.evaluate("document.documentElement.dataset.theme"), other)

    def test_references_say_what_they_stood_for(self):
        self.open_case("A visiting vessel is given a berth")
        self.open_step(4)
        step = self.page.get_by_role("article", name="Step 4: Read the port call back")
        step.locator(".reference", has_text="portCallId").first.hover()
        self.page.get_by_role("tooltip").get_by_text(
            re.compile(r"PC-\d+.*, from kept\.portCallId")
        ).wait_for()

    def test_threads_lead_from_keep_to_use_and_are_said_as_text(self):
        self.open_case("A visiting vessel is given a berth")
        self.page.get_by_role("button", name=re.compile("Ask for a berth")).click()
        step = self.page.get_by_role("article", name="Step 2: Ask for a berth")
        step.get_by_text("to steps 4, 5 and 6").wait_for()
        self.assertEqual(self.page.locator("g.thread").count(), 3)
        self.assertEqual(self.page.locator("g.thread.broken").count(), 0)

    def test_a_use_before_its_keep_is_drawn_broken(self):
        text = (
            "salt-path: 1\ncase: In the wrong order\nsteps:\n"
            "  - { request: Use, send: 'GET [=harbour]/berths/[=berth]', expect: [ { of: status, "
            "is: 200 } ] }\n"
            "  - { request: Keep, send: 'GET [=harbour]/berths', expect: [ { of: status, is: 200 "
            "} ], keep: { berth: '$.items[0].id' } }\n"
        )
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][2]["id"]
        made = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "text": text}
        )[2]
        self.go(f"/cases/{made['id']}?step=1")
        self.page.get_by_text(
            "berth is used here, and kept only later, in step 2 (Keep)"
        ).wait_for()
        expect(self.page.locator("g.thread.broken")).to_have_count(1)
        self.page.get_by_text("The last real answer of this step is shown here.").wait_for()
        self.page.locator(".step-head", has_text="Keep").click()
        closed = self.page.get_by_role("article", name="Step 1: Use")
        closed.get_by_text("berth is used here, and kept only later, in step 2 (Keep)").wait_for()

    def test_reports_read_well_on_a_phone(self):
        run = self.app.get(f"/runs?project={self.app.project}&limit=100")["items"][-1]["id"]
        self.page.set_viewport_size({"width": 390, "height": 800})
        for path in ("/cases", "/runs", f"/runs/{run}"):
            with self.subTest(path):
                self.go(path)
                self.page.get_by_role("heading", level=1).wait_for()
                self.page.wait_for_timeout(300)
                width = self.page.evaluate("document.documentElement.scrollWidth")
                self.assertLessEqual(width, 391, "nothing to scroll sideways")
