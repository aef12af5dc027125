"""Data as a tester uses it: a file is brought in, its frame drawn, kinds said, a new version
compared; rows are made and combined."""

import re

from playwright.sync_api import expect

from tests.browser.page import BrowserTest

BERTHS = (
    "Berths of Fernholm;;\n;;\nname;metres;built\nEast 1;80,5;1987\nEast 2;95;1990\nWest 1;60,0;x\n"
)


AT_ONCE = """() => {
  const enter = new KeyboardEvent("keydown", { key: "Enter", bubbles: true, cancelable: true });
  document.activeElement.dispatchEvent(enter);
  const how = document.querySelector('[aria-label="How values are combined"]');
  how.value = "all";
  how.dispatchEvent(new Event("change", { bubbles: true }));
}"""
"""Enter in a field, and another choice, before anything is drawn."""


class Data(BrowserTest):
    def test_what_was_guessed_stands_beside_the_frame_until_it_is_said(self):
        page = self.page
        self.go("/data")
        page.get_by_role("link", name="arrivals", exact=True).wait_for()
        self.bring("A file of rows", "Quays.csv", "name;metres\n;m\nEast 1;80\nEast 2;95\n")
        guess = page.get_by_text("A guess: row 2 has texts where those below it have numbers")
        guess.wait_for()
        page.get_by_role("button", name="it is right so").click()
        guess.wait_for(state="hidden")
        page.get_by_text("3 rows").wait_for()
        page.get_by_role("button", name="Undo").click()
        guess.wait_for()
        page.get_by_title("Where the data stand").click()
        page.keyboard.press("Control+a")
        page.keyboard.type("A3")
        page.keyboard.press("Enter")
        page.get_by_text("2 rows").wait_for()
        guess.wait_for(state="hidden")

    def test_what_another_tab_said_meanwhile_is_not_lost(self):
        page, project = self.page, f"?project={self.app.project}"
        page.route("**/api/v1/events**", lambda route: route.abort())  # it hears of nothing
        page.route("**/api/v1/events/**", lambda route: route.abort())
        self.go("/data")
        page.get_by_role("link", name="arrivals", exact=True).wait_for()
        self.bring("A file of rows", "Moles.csv", "name;metres\n;m\nEast 1;80\nEast 2;95\n")
        page.get_by_text("Names stand in row").wait_for()
        sources = {item["name"]: item for item in self.app.get(f"/sources{project}")["items"]}
        said = {**sources["Moles"]["document"], "columns": {"name": "text"}}
        path = f"/sources{project}&name=Moles"
        self.assertEqual(self.app.ask("PATCH", path, {"document": said})[0], 200)
        field = page.get_by_label("Where the data stand")
        with self.slowly():
            page.get_by_title("Where the data stand").click()
            field.fill("A3")
            field.press("Enter")
            told = page.locator(".typing").get_by_text("was changed meanwhile")
            told.wait_for()
            page.wait_for_timeout(400)
            expect(field).to_have_value("A3")
        field.press("Enter")  # on what stands now

        def document() -> dict:
            items = self.app.get(f"/sources{project}")["items"]
            return next(item["document"] for item in items if item["name"] == "Moles")

        self.becomes(document, {**said, "data in": "A3"})
        field.wait_for(state="hidden")
        self.said = [line for line in self.said if "ERR_FAILED" not in line and "409" not in line]

    def bring(self, label: str, name: str, text: str) -> None:
        self.page.get_by_label(label).set_input_files(
            {"name": name, "mimeType": "text/csv", "buffer": text.encode("utf-8-sig")}
        )

    def test_a_file_is_brought_in_framed_and_renewed(self):
        page = self.page
        self.go("/data")
        page.get_by_role("link", name="arrivals", exact=True).wait_for()
        self.bring("A file of rows", "Berths.csv", BERTHS)
        page.get_by_role("heading", name="Berths").wait_for()
        expect(page.get_by_label("What divides cells").locator("option:checked")).to_have_text(
            "a semicolon, as found"
        )
        page.get_by_text("3 rows").wait_for()
        columns = page.get_by_role("region", name="Columns")
        row = columns.get_by_role("row", name=re.compile("^metres"))
        row.get_by_role("button", name="all fit number").click()
        expect(page.get_by_label("What stands before decimals")).to_have_value(",")
        columns.get_by_label("The kind of built").select_option("integer")
        columns.get_by_text("1 does not fit, first “x” in row 3").wait_for()
        columns.get_by_text("Row 3: built is “x”, which is no integer").wait_for()
        page.get_by_text("3 rows, of which 1 cannot be carried out").wait_for()
        self.assertEqual(self.axe(), [])
        # The frame is drawn over the first two columns, without the last row.
        cells = page.locator(".framed-cells")
        cells.locator('td[data-at="3 1"]').hover()
        page.mouse.down()
        cells.locator('td[data-at="5 2"]').hover()
        with self.saved_late(r"/api/v1/sources\?"):
            page.mouse.up()
            page.get_by_text("A4:B5").wait_for()
            page.get_by_text("2 rows").wait_for()
            expect(columns.get_by_label("The kind of built")).to_have_count(0)
            # takes back the frame, which is still being saved
            page.get_by_role("button", name="Undo").click()
        page.get_by_text("3 rows, of which 1 cannot be carried out").wait_for()
        # By keys: the frame begins a row further down, and its first row has the names.
        cells.focus()
        page.keyboard.press("ArrowDown")
        page.keyboard.press("Enter")
        columns.get_by_role("row", name=re.compile("^East 1")).wait_for()
        page.get_by_role("button", name="find them again").click()
        columns.get_by_role("row", name=re.compile("^metres")).wait_for()
        self.bring(
            "A new version of the file",
            "berths-2.csv",
            BERTHS.replace("East 2;95", "East 2;97") + "West 2;70;2001\n",
        )
        versions = page.get_by_role("region", name="Versions of the file")
        versions.get_by_text(
            "Rows are known again by name. 1 cell in 1 row read otherwise and 1 row is new."
        ).wait_for()
        versions.get_by_text("West 2, 70, 2001").wait_for()
        page.get_by_role("button", name="Berths", exact=True).click()
        page.get_by_label("The name of this source").fill("berths of ours")
        page.keyboard.press("Enter")
        page.get_by_role("button", name="berths of ours", exact=True).wait_for()
        page.get_by_role("button", name="take it away").click()
        page.get_by_role("button", name="Take it away", exact=True).click()
        page.get_by_role("heading", name="Where rows come from").wait_for()
        expect(page.get_by_role("link", name="berths of ours")).to_have_count(0)

    def test_rows_of_a_database_are_looked_at(self):
        page = self.page
        self.go("/data")
        page.get_by_role("button", name="of a database").click()
        page.get_by_text("Choose a database and one of its tables").wait_for()
        page.get_by_label("Which database").select_option("harbour-db")
        page.get_by_label("Which table").select_option("berth")
        page.get_by_text("5 rows when they were last looked at").wait_for()
        rows = page.get_by_role("region", name="The first rows")
        rows.get_by_text("West 1").wait_for()
        columns = page.get_by_role("region", name="Columns")
        columns.get_by_role("row", name=re.compile("^metres integer 5 5 30 … 120")).wait_for()
        page.get_by_role("button", name="anything holds").click()
        page.get_by_label("Which rows, a line each").fill("state = free\nmetres above 50")
        page.keyboard.press("Control+Enter")
        page.get_by_text("3 rows when they were last looked at").wait_for()
        expect(rows.get_by_text("West 1")).to_have_count(0)
        self.assertEqual(self.axe(), [])
        page.get_by_role("button", name="state = free, metres above 50").click()
        page.get_by_label("Which rows, a line each").fill("metres above 5000")
        page.keyboard.press("Control+Enter")
        page.get_by_text("No row is there now.").wait_for()
        page.get_by_role("button", name="Undo").click()
        page.get_by_text("3 rows when they were last looked at").wait_for()
        page.get_by_role("button", name="Undo").click()
        rows.get_by_text("West 1").wait_for()
        page.get_by_role("button", name="look again").click()
        page.get_by_text("5 rows when they were last looked at").wait_for()

    def test_rows_are_made_and_combined(self):
        page = self.page
        self.go("/data")
        page.get_by_role("button", name="of values that are combined").click()
        page.get_by_role("heading", name="combinations").wait_for()
        page.get_by_text("6 rows").wait_for()
        page.get_by_role("button", name="1, 7, 30").click()
        page.get_by_label("What nights is").fill('1, 7, 30, "1, 2"')
        page.keyboard.press("Enter")
        page.get_by_text("8 rows").wait_for()
        page.get_by_role("button", name="+ a column").click()
        page.get_by_label("The name of a new column").fill("quay")
        page.evaluate(AT_ONCE)  # who is quicker than the page means both
        page.get_by_text("16 rows").wait_for()
        page.get_by_role("button", name="quay", exact=True).first.wait_for()
        page.get_by_role("button", name="Undo").click()
        page.get_by_text("8 rows").wait_for()
        self.go("/data")
        page.get_by_role("button", name="of generators").click()
        page.get_by_role("heading", name="made rows").wait_for()
        page.get_by_role("button", name="[=any name]").click()
        page.get_by_label("What name is").fill("[=any of East, West] [=row.number]")
        page.keyboard.press("Enter")
        page.get_by_role("region", name="The first rows").get_by_text(
            re.compile("^(East|West) 20$")
        ).wait_for()
        self.assertEqual(self.axe(), [])
