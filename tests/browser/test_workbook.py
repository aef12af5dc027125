"""A team's own workbook becomes cases: its headings mapped once and remembered, wrong rows mended
where they stand, verdicts beside its rows; and the suite's sheet, edited, undone, saved and brought
in again."""

import io
import tempfile
from pathlib import Path

from openpyxl import Workbook, load_workbook
from playwright.sync_api import expect

from tests.browser.page import BrowserTest

ROWS = [
    ["Tests of the harbour, kept by the desk"],
    [],
    ["Test case", "Method", "URL", "Expected status", "Port?", "Must hold"],
    ["A vessel has a home", "GET", "{harbour}/vessels/V-101", 200, "Fernholm", "$.name is present"],
    [None, None, None, None, None, "$.lengthMetres[ is above 20"],
    ["A berth is listed", "GET", "{harbour}/berths", 200, None, "$.items[0].id is present"],
    ["No such vessel", "GET", "{harbour}/vessels/V-0", 404, None, None],
]


class TeamsWorkbook(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.harbour = f"http://127.0.0.1:{self.app.harbour_port}"

    def new_suite(self, name: str) -> str:
        return self.app.ask("POST", "/suites", {"project": self.app.project, "name": name})[2]["id"]

    def workbook(self) -> Path:
        book = Workbook()
        sheet = book.active
        sheet.title = "Desk"
        for row in ROWS:
            sheet.append(
                [
                    cell.replace("{harbour}", self.harbour) if isinstance(cell, str) else cell
                    for cell in row
                ]
            )
        sheet["G4"] = "=1+1"
        book.create_sheet("Notes")["A1"] = "Rows are kept by the desk"
        path = self.folder / "desk.xlsx"
        book.save(path)
        return path

    def choose(self, path: Path) -> None:
        self.page.get_by_label("A workbook or a CSV file").set_input_files(path)

    def cases(self, suite: str):
        found = self.app.get(f"/suites?project={self.app.project}")["items"]
        lines = next(item for item in found if item["id"] == suite)["cases"]
        return {line["name"]: line["id"] for line in lines}

    def saved(self, link) -> bytes:
        with self.page.expect_download() as download:
            link.click()
        return Path(download.value.path()).read_bytes()

    def test_it_is_mapped_once_mended_taken_over_and_had_again_with_verdicts(self):
        page, suite = self.page, self.new_suite("Desk")
        self.go(f"/cases/suite/{suite}")
        page.get_by_role("link", name="Bring in a workbook", exact=True).click()
        self.choose(self.workbook())
        page.get_by_label("What the column Port? is").select_option("is expected of…")
        page.get_by_label("What Port? is expected of").fill("$.homePort")
        page.get_by_label("What Port? is expected of").press("Enter")
        page.get_by_label("What the column Must hold is").select_option("is what is checked")
        page.get_by_role("heading", name="3 cases would be made").wait_for()
        wrong = page.get_by_label("Row 5, of")
        expect(page.locator(".fault")).to_contain_text("lengthMetres[")
        self.assertEqual(self.axe(), [])
        page.get_by_role("heading", name="1 place cannot be read; 6 checks can").wait_for()
        wrong.fill("$.lengthMetres is above 20")
        wrong.press("Enter")
        expect(page.locator(".fault")).to_have_count(0)
        page.get_by_role("button", name="Take it over").click()
        page.get_by_text("3 cases have what the workbook says").wait_for()
        page.get_by_role("button", name="Undo all of it").click()
        self.app.wait(lambda: self.cases(suite) == {})
        page.get_by_role("button", name="Take it over").click()
        page.get_by_text("3 cases have what the workbook says").wait_for()
        page.get_by_role("link", name="Look at the sheet").click()
        page.get_by_role("grid", name="Checks").get_by_text("A berth is listed").wait_for()

        self.app.run(cases=list(self.cases(suite).values()))
        book = load_workbook(
            io.BytesIO(
                self.saved(page.get_by_role("link", name="save desk.xlsx with its verdicts"))
            )
        )
        table = [[cell.value for cell in row] for row in book["Desk"].iter_rows()]
        self.assertEqual(table[2][7:], ["verdict (Salt Path)", "was (Salt Path)", "at (Salt Path)"])
        self.assertEqual([row[7] for row in table[3:]], ["passed", "not read", "passed", "passed"])
        self.assertEqual((table[3][6], table[3][8]), ("=1+1", "200; “Fernholm”; “Marrow Finch”"))
        self.assertEqual(book["Notes"]["A1"].value, "Rows are kept by the desk")

        another = self.new_suite("Desk again")
        self.go(f"/cases/workbook?suite={another}")
        self.choose(self.workbook())
        page.get_by_role("heading", name="3 cases would be made").wait_for()
        expect(page.get_by_label("What Port? is expected of")).to_have_value("$.homePort")

    def test_the_sheet_of_a_suite_is_edited_undone_saved_and_brought_in_again(self):
        page, suite = self.page, self.new_suite("Sheeted")
        for name, path in (("First", "vessels/V-101"), ("Second", "berths")):
            steps = [
                {
                    "request": f"Read {name}",
                    "send": f"GET [=harbour]/{path}",
                    "expect": [{"of": "status", "is": 200}],
                }
            ]
            document = {"salt-path": 1, "case": name, "steps": steps}
            self.app.ask(
                "POST",
                "/cases",
                {"project": self.app.project, "suite": suite, "document": document},
            )
        ids = self.cases(suite)
        self.app.run(suite=suite)
        self.app.run(suite=suite)
        steps = lambda name: self.app.get(f"/cases/{ids[name]}")["document"]["steps"]  # noqa: E731
        self.go("/cases")
        page.get_by_role("link", name="Sheeted as a sheet").click()
        grid = page.get_by_role("grid", name="Checks")
        row = lambda number: grid.locator(f'[data-row="{number}"]')  # noqa: E731
        expect(row(1)).to_contain_text("Second")
        expect(row(0)).to_contain_text("200, always, in 2")
        row(0).locator(".col-expected").click()
        page.keyboard.type("404\n")
        self.app.wait(lambda: steps("First")[0]["expect"] == [{"of": "status", "is": 404}])
        row(0).get_by_text("failed").wait_for(state="attached")
        page.get_by_label("with whole requests").check()
        row(1).locator(".col-address").dblclick()
        page.keyboard.press("Control+a")
        page.keyboard.type("[=harbour]/pilots?limit=2\n")
        self.app.wait(lambda: steps("Second")[0].get("query") == {"limit": "2"})
        for _ in range(2):
            page.get_by_role("button", name="Undo").click()
        self.app.wait(
            lambda: (
                (steps("First")[0]["expect"][0]["is"], steps("Second")[0]["send"])
                == (200, "GET [=harbour]/berths")
            )
        )

        book = load_workbook(io.BytesIO(self.saved(page.get_by_role("link", name="XLSX"))))
        sheet = book.active
        heads = [cell.value for cell in sheet[1]]
        sheet.cell(2, heads.index("expected") + 1).value = 201
        sheet.append([""] * heads.index("of") + ["$.items", "is present"])
        path = self.folder / "sheeted.xlsx"
        book.save(path)
        page.get_by_role("link", name="Bring in a workbook…").click()
        self.choose(path)
        page.get_by_role("heading", name="2 cases would change").wait_for()
        page.get_by_role("button", name="Take it over").click()
        page.get_by_text("2 cases have what the workbook says").wait_for()
        self.assertEqual(steps("First")[0]["expect"], [{"of": "status", "is": 201}])
        self.assertEqual(
            steps("Second")[0]["expect"],
            [{"of": "status", "is": 200}, {"of": "$.items", "present": True}],
        )
