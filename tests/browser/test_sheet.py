"""The Sheet view: cells changed, tables pasted and copied, rows filled down, deleted and brought
back, by keyboard and mouse."""

import time

from playwright.sync_api import expect

from tests.browser.page import BrowserTest

CASE = {
    "salt-path": 1,
    "case": "In a sheet",
    "steps": [
        {
            "request": "Read a vessel",
            "key": "vsl001",
            "send": "GET [=harbour]/vessels/V-101",
            "expect": [{"of": "status", "is": 200}, {"of": "$.name", "is": "Marrow Finch"}],
        },
        {"request": "List the berths", "key": "brt001", "send": "GET [=harbour]/berths"},
    ],
}


class Sheet(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        asked = {"project": self.app.project, "suite": suite, "document": CASE}
        self.id = self.app.ask("POST", "/cases", asked)[2]["id"]
        self.app.run(cases=[self.id])
        self.go(f"/cases/{self.id}")
        self.page.context.grant_permissions(["clipboard-read", "clipboard-write"])
        self.page.get_by_role("button", name="Sheet", exact=True).click()
        self.grid = self.page.get_by_role("grid", name="Checks")
        self.grid.focus()

    def checks(self, step: int = 0):
        return self.app.get(f"/cases/{self.id}")["document"]["steps"][step].get("expect", [])

    def row(self, number: int):
        return self.grid.locator(f'[data-row="{number}"]')

    def press(self, *keys: str) -> None:
        for key in keys:
            self.page.keyboard.press(key)

    def paste(self, text: str) -> None:
        self.page.evaluate("(text) => navigator.clipboard.writeText(text)", text)
        self.grid.focus()
        self.press("Control+v")

    def test_cells_are_changed_and_rows_added(self):
        expect(self.row(0)).to_contain_text("1 Read a vessel")
        self.press("ArrowDown", "ArrowRight", "ArrowRight")
        self.page.keyboard.type("Saltwife\n")
        self.app.wait(lambda: self.checks()[1] == {"of": "$.name", "is": "Saltwife"})
        self.row(1).get_by_text("failed").wait_for(state="attached")
        self.page.get_by_role("button", name="Undo").click()
        self.app.wait(lambda: self.checks()[1]["is"] == "Marrow Finch")
        expect(self.row(3)).to_contain_text("2 List the berths")
        self.row(2).get_by_text("+ a check").dblclick()
        self.page.keyboard.type("$.items counts 9\n")
        self.app.wait(lambda: self.checks(1) == [{"of": "$.items", "count": 9}])
        expect(self.row(2)).to_contain_text("$.items")
        self.row(2).locator(".col-step").click()
        self.page.keyboard.type("1\n")
        self.app.wait(lambda: len(self.checks()) == 3)
        self.assertEqual(self.axe(), [])

    def test_a_table_is_pasted_and_one_wrong_row_waits(self):
        lines = [
            "\t".join(["List the berths", f"$.items[{n % 9}].id", "is present", "", f"row {n}"])
            for n in range(500)
        ]
        lines[250] = "List the berths\t$.items[\tis present\t\tthe wrong one"
        self.press("Control+End", "Home")
        begun = time.monotonic()
        self.paste("\n".join(lines))
        self.page.get_by_role("status").get_by_text("499 rows read; 1 row waits").wait_for()
        self.app.wait(lambda: len(self.checks(1)) == 499)
        self.assertLess(time.monotonic() - begun, 15, "a second on a quiet machine")
        self.assertEqual(self.grid.locator(".sheet-row.wrong").count(), 1)
        self.page.reload()
        wrong = self.grid.locator(".sheet-row.wrong")
        expect(wrong).to_contain_text("the wrong one")
        wrong.locator(".col-of").dblclick()
        self.page.keyboard.press("Control+a")
        self.page.keyboard.type("$.items[0].id\n")
        self.app.wait(lambda: len(self.checks(1)) == 500)
        expect(self.grid.locator(".sheet-row.wrong")).to_have_count(0)

    def test_rows_are_copied_filled_down_deleted_and_brought_back(self):
        self.press("Control+a", "Control+c")
        self.page.get_by_role("status").get_by_text("4 rows copied.").wait_for()
        copied = self.page.evaluate("() => navigator.clipboard.readText()").split("\n")
        self.assertEqual(
            copied[1].split("\t"),
            ["1 Read a vessel", "$.name", "is", "Marrow Finch", "", "", "“Marrow Finch”", ""],
        )
        self.press("Control+Home", "Home", "ArrowRight", "ArrowRight", "ArrowRight", "ArrowRight")
        self.page.keyboard.type("by hand\n")
        self.app.wait(lambda: self.checks()[0].get("note") == "by hand")
        self.press("ArrowUp", "Shift+ArrowDown", "Control+d")
        self.app.wait(lambda: self.checks()[1].get("note") == "by hand")
        self.press("Delete")
        self.app.wait(lambda: self.checks() == [])
        self.page.get_by_role("button", name="Undo").click()
        self.app.wait(
            lambda: [check.get("note") for check in self.checks()] == ["by hand", "by hand"]
        )
