"""A run's cases by their steps, with the rows within a case: by the mouse, by keys, and of very
many only what is in sight."""

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
