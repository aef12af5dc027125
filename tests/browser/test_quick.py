"""Small things that a tester does a hundred times a day: typed quickly, run again, mended where it
is told."""

import re
from typing import Any

from playwright.sync_api import expect

from tests.browser.page import BrowserTest


class Quick(BrowserTest):
    def made(self, document: dict[str, Any]) -> str:
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        asked = {
            "project": self.app.project,
            "suite": suite,
            "document": {"salt-path": 1, **document},
        }
        status, _, made = self.app.ask("POST", "/cases", asked)
        self.assertEqual(status, 201, made)
        self.go(f"/cases/{made['id']}")
        self.page.get_by_role("heading", name=document["case"]).wait_for()
        return made["id"]

    def document(self, id: str) -> dict[str, Any]:
        return self.app.get(f"/cases/{id}")["document"]

    def test_sentences_and_steps_typed_in_one_go_stay_apart(self) -> None:
        id = self.made(
            {
                "case": "Typed quickly",
                "steps": [{"request": "Berths", "send": "GET [=harbour]/berths"}],
            }
        )
        self.open_step(1)
        self.page.get_by_label("Expect something more, as a sentence").click()
        sentences = ["status 200", "$.items count at least 1", "no such sentence", "time under 5 s"]
        for sentence in sentences:
            self.page.keyboard.type(sentence + "\n")
        self.page.locator(".step.open .problem").wait_for()
        self.app.wait(
            lambda: (
                self.page.wait_for_timeout(50)
                or len(self.document(id)["steps"][0].get("expect", [])) == 3
            )
        )
        self.assertEqual(
            [check["of"] for check in self.document(id)["steps"][0]["expect"]],
            ["status", "$.items", "time"],
        )
        # on a slow machine it was refused while the next was typed
        back = self.page.get_by_role("button", name="Put it back")
        if back.count():
            back.click()
        expect(self.page.get_by_label("Expect something more, as a sentence")).to_have_value(
            "no such sentence"
        )
        self.page.get_by_label("Add a step: a method and an address").click()
        for step in ("GET [=harbour]/vessels", "wait 20 ms", "GET [=harbour]/pilots"):
            self.page.keyboard.type(step + "\n")
        self.app.wait(
            lambda: self.page.wait_for_timeout(50) or len(self.document(id)["steps"]) == 4
        )
        kinds = [step.get("send") or step.get("wait") for step in self.document(id)["steps"]]
        self.assertEqual(
            kinds,
            ["GET [=harbour]/berths", "GET [=harbour]/vessels", "20 ms", "GET [=harbour]/pilots"],
        )

    def test_after_a_passing_run_the_page_stays_where_it_was(self) -> None:
        passes = {"expect": [{"of": "status", "is": 200}]}
        steps = [
            {"request": name, "send": f"GET [=harbour]/{name.lower()}", **passes}
            for name in ("Berths", "Vessels", "Pilots")
        ]
        id = self.made({"case": "All is well", "steps": steps})
        self.open_step(3)
        for _ in range(2):
            self.page.keyboard.press("Control+Enter")
            self.page.get_by_role("status").filter(has_text="Finished: passed.").wait_for()
            self.page.locator('[data-step="3"] .step.open').locator(".was").get_by_text(
                "200"
            ).wait_for()
            expect(self.page.locator('[data-step="3"] .step.open')).to_be_visible()
        held = self.app.get(f"/cases/{id}")
        document = held["document"]
        document["steps"][1]["expect"] = [{"of": "status", "is": 404}]
        self.app.ask("PUT", f"/cases/{id}", {"document": document}, If_Match=f'"{held["version"]}"')
        self.page.locator('[data-step="2"]').get_by_text("404").or_(
            self.page.get_by_text("changed elsewhere")
        ).first.wait_for()
        self.page.keyboard.press("Control+Enter")
        self.page.get_by_role("status").filter(has_text="Finished: failed.").wait_for()
        self.page.locator('[data-step="2"] .step.open').wait_for()

    def test_a_secret_that_is_written_out_is_marked_where_it_is_told(self) -> None:
        steps = [
            {
                "request": "A header",
                "send": "GET [=harbour]/berths",
                "headers": {"X-Api-Key": "moor-1"},
                "expect": [{"of": "status", "is": 200}],
            },
            {
                "request": "A password",
                "send": "GET [=harbour]/berths",
                "auth": {"basic": ["desk", "moor-2"]},
                "expect": [{"of": "status", "is": 200}],
            },
            {
                "request": "The case's",
                "send": "GET [=harbour]/berths",
                "expect": [{"of": "status", "is": 200}],
            },
        ]
        id = self.made(
            {
                "case": "Written out",
                "values": {"deskPassword": "moor-4"},
                "auth": {"bearer": "moor-3"},
                "steps": steps,
            }
        )
        for number, name in ((1, "apiKey"), (2, "password"), (3, "token")):
            self.open_step(number)
            self.page.locator(".step-foot").get_by_role(
                "button", name="Mark it as secret"
            ).first.click()
            field = self.page.get_by_label(re.compile("The name of the secret that stands for"))
            self.assertEqual(field.input_value(), name)
            field.fill(f"{name}OfTheQuay")
            field.press("Enter")
            expect(field).to_have_count(0)
        self.page.get_by_role("button", name="Mark it as secret").click()
        self.page.get_by_label(re.compile("The name of the secret that stands for")).press("Enter")
        self.app.wait(lambda: self.page.wait_for_timeout(50) or "values" not in self.document(id))
        document = self.document(id)
        self.assertNotIn("moor-", str(document))
        self.assertEqual(document["steps"][0]["headers"], {"X-Api-Key": "[=apiKeyOfTheQuay]"})
        self.assertEqual(document["steps"][1]["auth"], {"basic": ["desk", "[=passwordOfTheQuay]"]})
        self.assertEqual(document["auth"], {"bearer": "[=tokenOfTheQuay]"})
        rows = {
            row["name"]: row for row in self.app.get(f"/values?project={self.app.project}")["items"]
        }
        for name in ("apiKeyOfTheQuay", "passwordOfTheQuay", "tokenOfTheQuay", "deskPassword"):
            self.assertTrue(rows[name]["secret"], rows[name])
        self.assertNotIn("moor-", str(rows))
        run = self.app.run(cases=[id])
        self.assertEqual(run["verdict"], "passed")
        self.assertNotIn("moor-", str(self.app.get(f"/runs/{run['id']}/cases/0")))

    def test_a_form_value_with_a_line_break_is_edited_beside_the_others(self) -> None:
        form = {"note": "two\nlines", "padded": " x ", "words": '"exact"'}
        id = self.made(
            {
                "case": "Lines in a form",
                "steps": [
                    {
                        "request": "Send",
                        "send": "POST [=harbour]/log",
                        "form": form,
                        "query": {"q": "a\nb"},
                    }
                ],
            }
        )
        self.open_step(1)
        self.page.get_by_title("The body").click()
        self.page.keyboard.press("Control+End")
        self.page.keyboard.type("\nmore = 1")
        self.page.keyboard.press("Control+Enter")
        self.page.locator(".step.open").get_by_text("more = 1").wait_for()
        self.becomes(lambda: self.document(id)["steps"][0]["form"], {**form, "more": "1"})
        self.page.get_by_title("The query, a line each: name = value").click()
        self.page.keyboard.press("Control+End")
        self.page.keyboard.type("\nr = 2")
        self.page.keyboard.press("Control+Enter")
        self.page.locator(".step.open").get_by_text("r =").wait_for()
        self.becomes(lambda: self.document(id)["steps"][0]["query"], {"q": "a\nb", "r": "2"})

    def test_a_report_of_rows_opens_on_the_step_that_failed(self) -> None:
        steps = [
            {
                "request": "Berths",
                "send": "GET [=harbour]/berths",
                "expect": [{"of": "status", "is": 200}],
            },
            {
                "request": "Vessels",
                "send": "GET [=harbour]/vessels",
                "expect": [{"of": "status", "is": "[=row.wanted]"}],
            },
        ]
        id = self.made(
            {
                "case": "Rows that fail late",
                "rows": [{"wanted": 200}, {"wanted": 418}],
                "steps": steps,
            }
        )
        run = self.app.run(cases=[id])
        self.go(f"/runs/{run['id']}")
        panel = self.page.get_by_role("complementary", name="The chosen step")
        panel.get_by_role("heading", name="Row 2 · Vessels").wait_for()
        panel.get_by_text("418").first.wait_for()

    def test_tab_goes_right_in_tables_and_a_proposal_is_chosen(self) -> None:
        steps = [
            {
                "request": "Berths",
                "send": "GET [=harbour]/berths",
                "expect": [{"of": "status", "is": 200}, {"of": "type", "is": "application/json"}],
            }
        ]
        id = self.made({"case": "By Tab", "steps": steps})
        self.app.run(cases=[id])
        self.go(f"/cases/{id}?view=sheet")
        grid = self.page.get_by_role("grid")
        grid.get_by_role("gridcell", name="status", exact=True).dblclick()
        self.page.keyboard.press("Tab")
        self.page.keyboard.press("Tab")
        self.page.keyboard.type("201")
        self.page.keyboard.press("Tab")
        self.app.wait(
            lambda: (
                self.page.wait_for_timeout(50)
                or self.document(id)["steps"][0]["expect"][0]["is"] == 201
            )
        )
        self.page.keyboard.press("Shift+Tab")
        self.page.keyboard.type("200")
        self.page.keyboard.press("Enter")
        self.app.wait(
            lambda: (
                self.page.wait_for_timeout(50)
                or self.document(id)["steps"][0]["expect"][0]["is"] == 200
            )
        )
        for _ in range(20):
            self.page.keyboard.press("Tab")
        self.assertFalse(
            grid.evaluate("(grid) => grid.contains(document.activeElement)"),
            "from its end on to what follows",
        )
        self.go(f"/cases/{id}")
        self.open_step(1)
        self.page.get_by_role("treeitem", name="total").click()
        self.page.get_by_role("button", name="Keep as…").click()
        self.page.get_by_label("Keep as").wait_for()
        self.page.keyboard.type("howMany")
        self.page.keyboard.press("Enter")
        self.app.wait(
            lambda: (
                self.page.wait_for_timeout(50)
                or self.document(id)["steps"][0].get("keep") == {"howMany": "$.total"}
            )
        )
