"""A run's cases by their steps, with the rows within a case, and side by side where it went to
several environments; by the mouse and by keys."""

import re

from playwright.sync_api import expect

from tests.browser.page import BrowserTest


class Cases(BrowserTest):
    def test_cases_by_steps_with_rows_within(self) -> None:
        page = self.page
        run = self.app.get(f"/runs?project={self.app.project}")["items"][-1]["id"]
        report = self.app.finished(run)
        self.go(f"/runs/{run}")
        page.get_by_role("button", name="as a matrix").click()
        grid = page.get_by_role("grid", name="Cases by steps")
        lines = grid.get_by_role("row")
        expect(grid).to_have_attribute("aria-rowcount", str(len(report["cases"]) + 1))
        line = lines.filter(has_text="A long vessel gets a berth long enough")
        expect(line.locator(".matrix-cell.failed")).to_have_count(1)
        line.locator(".matrix-cell.failed").click()
        chosen = page.get_by_label("The chosen step")
        expect(chosen.get_by_role("heading", name="Ask for a berth")).to_be_visible()
        grid.press("ArrowLeft")
        grid.press("Enter")
        expect(chosen.get_by_role("heading", name="Sign in as harbour agent")).to_be_visible()
        page.get_by_label("cells show").select_option("status")
        expect(line.locator(".of-step").nth(1)).to_contain_text("201")
        self.assertEqual(self.axe(), [])
        weeks = lines.filter(has_text="Every arrival of the week gets a berth")
        weeks.get_by_role("gridcell").first.click()
        rows = next(one for one in report["cases"] if one["name"].startswith("Every arrival of"))
        more = sum(rows["rows"]["counts"].values())
        expect(grid).to_have_attribute("aria-rowcount", str(len(report["cases"]) + 1 + more))
        seventh = lines.filter(has_text=re.compile("row 7 · Brine Courier"))
        seventh.locator(".matrix-cell.failed").click()
        expect(chosen.get_by_role("heading", name="Row 7 · Ask for a berth")).to_be_visible()
        page.get_by_role("button", name="as a list").click()
        expect(grid).to_have_count(0)

    def test_one_run_against_two_environments(self) -> None:
        page = self.page
        self.go("/cases")
        page.get_by_label("Tick A long vessel gets a berth long enough").check()
        button = page.locator(".run-button")
        button.get_by_role("button", name="Rehearsal").click()
        page.get_by_role("menuitem", name="and Live, guarded, side by side").click()
        expect(button.get_by_role("button", name="Rehearsal and Live")).to_be_visible()
        button.get_by_role("button", name="Run the ticked one").click()
        dialog = page.get_by_role("dialog").filter(has_text="Live")
        dialog.get_by_role("button", name="Run all of it").click()
        page.locator(".banner").get_by_text("1 of 2 cases passed.").wait_for()
        cause = page.locator(".cause")
        expect(cause).to_contain_text("“A long vessel gets a berth long enough” against Rehearsal")
        beside = page.locator(".beside-each-other > div")
        expect(beside).to_have_count(2)
        expect(beside.nth(0).locator(".run-case-head")).to_contain_text("Rehearsal")
        expect(beside.nth(0).locator(".step-cell.failed")).to_have_count(1)
        expect(beside.nth(1).locator(".run-case-head")).to_contain_text("Live")
        expect(beside.nth(1).locator(".step-cell.failed")).to_have_count(0)
        chosen = page.get_by_label("The chosen step")
        expect(
            chosen.get_by_role("heading", name="Ask for a berth against Rehearsal")
        ).to_be_visible()
        beside.nth(1).get_by_role("button", name="Ask for a berth").click()
        expect(chosen.get_by_role("heading", name="Ask for a berth against Live")).to_be_visible()
        self.assertEqual(self.axe(), [])
        chosen.get_by_role("link", name="Open the step").click()
        page.get_by_label("Which run is looked at").locator("option:checked").filter(
            has_text="against Live"
        ).wait_for(state="attached")
        step = page.get_by_role("article", name="Step 2: Ask for a berth")
        expect(step.locator(".check .mark").first).to_have_attribute("aria-label", "passed")
        page.go_back()
        page.get_by_role("button", name="Run what did not pass again").click()
        dialog.get_by_role("button", name="Run all of it").click()
        page.locator(".crumb").get_by_text("against Rehearsal and Live").wait_for()

    def test_a_selection_is_run_again(self) -> None:
        page = self.page
        run = self.app.get(f"/runs?project={self.app.project}")["items"][-1]["id"]
        self.app.finished(run)
        self.go(f"/runs/{run}")
        page.get_by_label("Words of the cases that are shown").fill("vessels are")
        shown = page.locator(".run-case")
        expect(shown).to_have_count(2)
        page.get_by_role("button", name="Run these again").click()
        page.locator(".banner").get_by_text("All 2 cases passed.").wait_for()
