"""Rows as a tester works with them: on the case's page, in the matrix of a run, in databases and
output tables."""

import io
import re

from openpyxl import Workbook, load_workbook
from playwright.sync_api import expect

from tests.browser.page import BrowserTest

ARRIVALS = "Every arrival of the week gets a berth"
AT_RANDOM = """\
salt-path: 1
case: {name}
rows: {{ make: 300, columns: {{ length: "[=any number 8.0 to 150.0]", port: "[=any of Fernholm,
  Kvist]" }} }}
once: [ {{ shared: sign-in, gives: {{ token: deskToken }} }} ]
steps:
  - request: Ask
    send: POST [=harbour]/port-calls
    auth: {{ bearer: "[=deskToken]" }}
    json: {{ vessel: Saltwife, lengthMetres: "[=row.length]" }}
    expect: [ {{ of: status, is: 201 }}, {{ of: $.berth.metres, at least: "[=row.length]" }} ]
    keep: {{ berth: $.berth.name }}
"""


class Rows(BrowserTest):
    def make(self, text: str) -> str:
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        status, _, made = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "text": text}
        )
        self.assertEqual(status, 201, made)
        self.addCleanup(self.app.ask, "DELETE", f"/cases/{made['id']}")
        return made["id"]

    def test_the_matrix_is_walked_sorted_and_filtered(self):
        page = self.page
        self.open_case(ARRIVALS)
        page.get_by_role("button", name="Run", exact=True).click()
        page.get_by_role("status").filter(has_text="Finished: failed.").wait_for()
        run = self.app.get(f"/runs?project={self.app.project}&limit=1")["items"][0]["id"]
        self.go(f"/runs/{run}")
        page.locator(".banner").get_by_text("9 of 12 rows passed.").wait_for()
        grid = page.get_by_role("grid", name="Rows")
        panel = page.get_by_role("complementary", name="The chosen step")
        panel.get_by_role("heading", name="Row 7 · Ask for a berth").wait_for()
        grid.get_by_role("gridcell", name="not sent").wait_for()
        grid.focus()
        for key in (
            "ArrowDown",
            "ArrowDown",
            "ArrowRight",
            "ArrowRight",
            "ArrowRight",
            "ArrowRight",
            "ArrowRight",
        ):
            page.keyboard.press(key)
        panel.get_by_role("heading", name="Row 2 · Read it back").wait_for()
        page.keyboard.press("End")
        panel.get_by_role("heading", name="Row 12 · Read it back").wait_for()
        page.get_by_role("button", name="length", exact=True).click()
        first = grid.get_by_role("row").nth(1)
        first.get_by_text("Holm Bell").wait_for()
        page.get_by_role("button", name=re.compile("^length")).click()
        first.get_by_text("Brine Courier").wait_for()
        page.get_by_role("button", name="1 blocked").click()
        expect(grid.get_by_role("row")).to_have_count(2)
        page.get_by_role("button", name="all 12 rows").click()
        page.get_by_label("cells show").select_option("berth, as it was kept")
        grid.get_by_text("East 4").first.wait_for()
        page.get_by_role("button", name="as sentences").click()
        grid.get_by_text("Row 12 checks nothing at Confirm").wait_for()
        self.assertEqual(self.axe(), [])

    def test_what_failed_rows_have_in_common_is_said(self):
        id = self.make(AT_RANDOM.format(name="Lengths at random"))
        run = self.app.run(cases=[id], jobs=8, seed=5)
        self.go(f"/runs/{run['id']}")
        self.page.get_by_role("note", name="What they have in common").get_by_text(
            re.compile(
                r"^All \d+ rows that failed have length above 120; none of the \d+ that passed "
                r"has\.$"
            )
        ).wait_for()
        self.page.get_by_role("grid", name="Rows").evaluate("box => { box.scrollTop = 200 * 31 }")
        self.page.get_by_role("gridcell", name=re.compile(r"\b205$")).wait_for()

    def test_columns_go_into_a_request_by_pointing_and_by_name(self):
        page = self.page
        id = self.make(
            "salt-path: 1\ncase: By columns\nsteps:\n  - request: Ask for the fee\n    send: POST "
            "[=harbour]/fee-quotes\n"
            '    json: |\n      { "lengthMetres": 23.4, "tonnage": 180, "nights": 2, "season": '
            '"summer" }\n    expect: [ { of: status, is: 200 } ]\n'
        )
        self.go(f"/cases/{id}")
        page.get_by_label("Run it over rows").select_option("of arrivals")
        card = page.get_by_role("region", name="Rows")
        card.get_by_role("cell", name="Marrow Finch").wait_for()
        card.get_by_role("button", name="put nights into Ask for the fee by name").click()
        step = page.get_by_role("article", name="Step 1: Ask for the fee")
        step.locator(".reference", has_text="row.nights").wait_for()
        card.get_by_role("button", name="length", exact=True).click()
        card.get_by_role("button", name="in the body at $.lengthMetres").click()
        card.get_by_text("length stands in the body at $.lengthMetres.").wait_for()
        card.get_by_role("button", name="the finished requests of the first rows").click()
        card.get_by_text(
            re.compile(r'"lengthMetres": 41(\.0)?, "tonnage": 180, "nights": 1')
        ).wait_for()
        self.assertEqual(self.axe(), [])
        page.get_by_role("button", name="all rows").click()
        page.get_by_role("menuitem", name="the first 10 rows").click()
        page.get_by_role("button", name="Run", exact=True).click()
        page.get_by_role("status").filter(has_text="Finished: passed.").wait_for()
        self.assertEqual(
            self.app.get(f"/runs?project={self.app.project}&limit=1")["items"][0]["counts"],
            {"passed": 1},
        )
        page.get_by_role("button", name="expect columns of its answer by name").click()
        step.get_by_text("$.nights").wait_for()
        page.get_by_label("Which row is looked at").fill("3")
        page.get_by_role("treeitem").filter(has_text="307.20").first.wait_for()

    def test_a_source_is_made_of_a_request(self):
        page = self.page
        id = self.make(
            "salt-path: 1\ncase: Made of a request\nsteps:\n  - request: Ask for the fee\n    "
            "send: POST [=harbour]/fee-quotes\n"
            "    json: { lengthMetres: 23.4, tonnage: 180, nights: 2, season: summer }\n    "
            "expect: [ { of: status, is: 200 } ]\n"
        )
        self.go(f"/cases/{id}")
        page.get_by_label("Run it over rows").select_option(
            "of a source made from “Ask for the fee”…"
        )
        made = page.get_by_role("dialog", name="A source made from a request")
        made.get_by_label("season").uncheck()
        made.get_by_role("button", name="Make a source of 3 columns").click()
        card = page.get_by_role("region", name="Rows")
        card.get_by_role("cell", name="23.4").wait_for()
        expect(page.get_by_label("Where the rows come from")).to_have_value("Made of a request")
        page.get_by_role("button", name="Run", exact=True).click()
        page.get_by_role("status").filter(has_text="Finished: passed.").wait_for()
        sent = self.app.get(f"/cases/{id}/evidence")["steps"][0]["exchanges"][0]["sentBody"]
        self.assertIn("23.4", sent)
        card.get_by_role("button", name="without rows").click()
        expect(card).to_have_count(0)

    def test_a_case_runs_over_a_list_of_an_answer(self):
        page = self.page
        id = self.make(
            "salt-path: 1\ncase: Each of them\nsteps:\n  - request: List them\n    send: GET "
            "[=harbour]/berths\n"
            "    expect: [ { of: status, is: 200 } ]\n  - request: Read one\n    send: GET "
            "[=harbour]/berths/E4\n"
            "    expect: [ { of: status, is: 200 } ]\n"
        )
        self.app.run(cases=[id])
        self.go(f"/cases/{id}?step=2")
        page.get_by_role("treeitem").filter(has_text="depth").first.click()
        expect(page.get_by_role("button", name="Run the case over its items")).to_have_count(0)
        page.keyboard.press("Escape")
        page.get_by_role("article", name="Step 1: List them").click()
        page.get_by_role("treeitem").filter(has_text="items").first.click()
        page.get_by_role("button", name="Run the case over its items").click()
        card = page.get_by_role("region", name="Rows")
        expect(
            card.get_by_label("Where the rows come from").locator("option:checked")
        ).to_have_text("the items of items")
        card.get_by_role("button", name="metres", exact=True).wait_for()
        self.assertEqual(
            self.app.get(f"/cases/{id}")["document"]["rows"], {"items of": "[=kept.items]"}
        )
        page.get_by_role("article", name=re.compile("Read one")).click()
        card.get_by_role("button", name="id", exact=True).click()
        page.get_by_role("button", name="in the address instead of E4").click()
        page.get_by_role("button", name="Run", exact=True).click()
        page.get_by_role("status").filter(has_text="Finished: passed.").wait_for()
        run = self.app.get(f"/cases/{id}/evidence")["run"]["id"]
        self.assertEqual(self.app.get(f"/runs/{run}")["cases"][0]["rows"]["counts"], {"passed": 5})

    def test_rows_that_are_written_out_become_a_source(self):
        page = self.page
        id = self.make(
            "salt-path: 1\ncase: Two berths\nrows: [ { id: E1, metres: 30.0 }, { id: W2, metres: "
            "90 } ]\nsteps:\n"
            "  - request: Read it\n    send: GET [=harbour]/berths/[=row.id]\n    expect: [ { of: "
            "$.metres, is: '[=row.metres]' } ]\n"
        )
        self.go(f"/cases/{id}")
        card = page.get_by_role("region", name="Rows")
        card.get_by_role("button", name="make a source of them").click()
        card.get_by_text("They stand in Data as Two berths.").wait_for()
        expect(card.get_by_label("Where the rows come from")).to_have_value("Two berths")
        expect(card.get_by_role("button", name="make a source of them")).to_have_count(0)
        card.get_by_text("30.0", exact=True).wait_for()
        self.assertEqual(self.app.run(cases=[id])["verdict"], "passed")
        page.get_by_role("button", name="Undo", exact=True).click()
        card.get_by_role("button", name="make a source of them").wait_for()
        self.addCleanup(
            self.app.ask, "DELETE", f"/sources?project={self.app.project}&name=Two%20berths"
        )

    def test_a_look_up_and_a_row_that_is_written(self):
        page = self.page
        id = self.make(
            "salt-path: 1\ncase: Looked up\nsteps:\n  - request: Read a berth\n    send: GET "
            "[=harbour]/berths/E4\n    query: { name: East 4 }\n"
            "    expect: [ { of: status, is: 200 } ]\n    keep: { berth: $.id }\n"
        )
        self.go(f"/cases/{id}")
        page.get_by_role("button", name="+ rows of a database").click()
        step = page.get_by_role("article", name="Step 2: Look rows up")
        step.get_by_label("Which database").select_option("harbour-db")
        step.get_by_label("Which table").select_option("berth")
        step.get_by_role("button", name="look at the table, and point").click()
        first = step.get_by_role("region", name="The first rows of berth")
        first.get_by_role("button", name="East 4").click()
        step.get_by_text("name = East 4").wait_for()
        for column in ("id", "name", "metres"):
            first.get_by_role("button", name=column, exact=True).click()
        step.get_by_role("button", name="id, name, metres").wait_for()
        step.get_by_role("button", name="name = East 4").click()
        page.get_by_label("Which rows, a line each").fill("id = [=berth]\nmetres above 90")
        page.keyboard.press("Control+Enter")
        step.get_by_text("metres above").wait_for()
        step.get_by_role("button", name="write a row").click()
        step.get_by_text("A row into").wait_for()
        page.get_by_role("button", name="Run this case").click()
        page.get_by_role("status").filter(has_text="Finished: unchecked.").wait_for()
        page.get_by_role("treeitem").filter(has_text="East 4").click()
        page.get_by_role("button", name="Expect what was sent").click()
        step.get_by_text("$[0].name").wait_for()
        step.get_by_role("button", name="say it in SQL").click()
        step.get_by_text("select * from berth").wait_for()
        page.get_by_role("button", name="Undo", exact=True).click()
        step.get_by_text("metres above").wait_for()
        self.assertEqual(self.axe(), [])
        page.get_by_role("button", name="Run this case").click()
        page.get_by_role("status").filter(has_text="Finished: passed.").wait_for()

    def test_output_tables_are_seen_and_saved(self):
        page = self.page
        self.go("/data")
        outputs = page.get_by_role("region", name="Output tables")
        outputs.get_by_role("button", name="quotes").click()
        outputs.get_by_role("cell", name="Tern & Daughter").wait_for()
        with page.expect_download() as saved:
            outputs.get_by_role("link", name="a workbook", exact=True).first.click()
        self.assertEqual(
            load_workbook(io.BytesIO(saved.value.path().read_bytes())).active["A10"].value,
            "Tern & Daughter",
        )
        book, octets = Workbook(), io.BytesIO()
        book.active.title = "Fees"
        book.save(octets)
        outputs.get_by_role("button", name="put it into a workbook of yours").first.click()
        outputs.get_by_label("Which sheet of your workbook").fill("Fees")
        outputs.get_by_label("Its first cell").fill("B4")
        with page.expect_download() as put:
            outputs.get_by_label("Your workbook", exact=True).set_input_files(
                {
                    "name": "mine.xlsx",
                    "mimeType": "application/octet-stream",
                    "buffer": octets.getvalue(),
                }
            )
        self.assertEqual(
            load_workbook(io.BytesIO(put.value.path().read_bytes()))["Fees"]["B5"].value,
            "Marrow Finch",
        )
        databases = page.get_by_role("region", name="Databases")
        databases.get_by_role("button", name="+ a database").click()
        page.get_by_label("A new database").fill(
            "register = postgres localhost:5432/register user reader password [=agentPassword] "
            "tls verify"
        )
        page.keyboard.press("Enter")
        databases.get_by_text(
            "postgres localhost:5432/register user reader password [=agentPassword] tls verify"
        ).wait_for()
        self.assertEqual(self.axe(), [])
        databases.get_by_role("button", name="take it away").last.click()
        page.get_by_role("button", name="Take it away", exact=True).click()
        expect(databases.get_by_text("register")).to_have_count(0)
