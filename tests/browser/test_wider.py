"""Checks that reach further than one step, bodies expected place by place, what was sent, files,
prefixes of the step's own: all by pointing."""

import re
import tempfile
from pathlib import Path

from playwright.sync_api import Locator, expect

from tests.browser.page import BrowserTest

FITS = {"items": ["[?every]", {"id": "[?text]", "metres": 30}], "total": 5}
CASE = {
    "salt-path": 1,
    "case": "Further than one step",
    "on failure": "go on",
    "steps": [
        {
            "request": "List the berths",
            "key": "brt001",
            "send": "GET [=harbour]/berths",
            "expect": [{"of": "status", "is": 200}, {"of": "$", "fits": FITS}],
        },
        {
            "request": "Read none",
            "key": "non001",
            "send": "GET [=harbour]/vessels/none",
            "expect": [{"of": "$.title", "present": True}],
        },
        {
            "request": "List some vessels",
            "key": "ves001",
            "send": "GET [=harbour]/vessels",
            "query": {"page": "2", "size": "3"},
        },
        {
            "request": "Tides as XML",
            "key": "xml001",
            "send": "GET [=harbour]/notices/xml",
            "options": {"namespaces": {"sea": "urn:fernholm:tides"}},
        },
        {
            "request": "Hand in papers",
            "key": "pap001",
            "send": "POST [=harbour]/papers",
            "form": {"vessel": "Kelp Runner"},
        },
    ],
}


class Wider(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        self.suite = self.app.ask(
            "POST", "/suites", {"project": self.app.project, "name": "Wider"}
        )[2]["id"]
        answer = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": self.suite, "document": CASE}
        )
        self.id = answer[2]["id"]
        self.app.run(cases=[self.id])

    def document(self):
        return self.app.get(f"/cases/{self.id}")["document"]

    def steps(self):
        return self.document()["steps"]

    def every(self, origin: str):
        levels = self.app.get(f"/cases/{self.id}")["everyAnswer"]
        return next(level["documents"] for level in levels if level["origin"] == origin)

    def check(self, words: str) -> Locator:
        return self.page.locator(".step.open .check").filter(has_text=words)

    def line(self, words: str) -> Locator:
        return self.page.locator(".expected-body").get_by_role("button", name=words, exact=True)

    def node(self, words: str) -> Locator:
        return self.page.get_by_role("treeitem").filter(has_text=words).first

    def test_a_check_is_expected_of_every_answer(self):
        self.go(f"/cases/{self.id}?step=1")
        self.tool(self.check("status is 200"), "On every answer: ")
        self.app.wait(lambda: self.every("case") == [{"of": "status", "is": 200}])
        self.check("on every answer of this case").wait_for()
        self.open_step(2)
        failing = self.check("on every answer of this case")
        failing.get_by_text("was 404, expected 200").wait_for()
        self.tool(failing, "Not here: status is 200")
        self.check("not expected here").wait_for()
        self.app.wait(lambda: self.steps()[1].get("without") == ["status is 200"])
        self.assertEqual(self.every("case"), [{"of": "status", "is": 200, "note": "status is 200"}])
        self.tool(self.check("not expected here"), "For the whole suite Wider: status is 200")
        self.app.wait(lambda: [check["note"] for check in self.every("suite")] == ["status is 200"])
        self.app.wait(lambda: self.every("case") == [])
        self.page.get_by_text("Changed for the suite Wider.").wait_for()
        self.open_step(1)
        row = self.check("on every answer of the suite Wider")
        row.get_by_role("button", name="status is 200", exact=True).click()
        self.page.get_by_label("Change for the suite Wider: status is 200").fill("status is 201")
        self.page.keyboard.press("Enter")
        self.check("status is 201").get_by_text("was 200, expected 201").wait_for()
        self.page.locator(".step.open").get_by_role("button", name="Undo").click()
        self.check("status is 200").wait_for()
        self.assertEqual(self.axe(), [])

    def test_an_expected_body_stands_side_by_side_with_the_answer(self):
        self.go(f"/cases/{self.id}?step=1")
        self.page.get_by_role("button", name="Side by side with the answer").click()
        table = self.page.get_by_role(
            "table", name="What is expected of $, and what the answer has"
        )
        table.get_by_role("row", name="total 5 5").wait_for()
        expect(table.locator("tr.differs")).to_contain_text("metres")
        self.assertEqual(self.axe(), [])
        self.page.get_by_role("checkbox", name="Expect page").click()
        self.app.wait(lambda: self.steps()[0]["expect"][1]["fits"].get("page") == 1)
        self.page.get_by_role("checkbox", name="Expect $ total").click()
        self.app.wait(lambda: "total" not in self.steps()[0]["expect"][1]["fits"])
        self.page.get_by_label("only what differs").check()
        expect(table.get_by_role("row", name="page 1 1")).to_have_count(0)
        expect(table.get_by_role("row", name="total")).to_have_count(1)
        self.page.get_by_role("button", name="Close the comparison").click()
        self.line("page 1").wait_for()

    def test_an_expected_body_is_loosened_where_it_is_wrong(self):
        self.go(f"/cases/{self.id}?step=1")
        wrong = self.page.locator(".body-line.wrong")
        wrong.get_by_text("metres").wait_for()
        wrong.click()
        self.page.get_by_role("button", name="Any number").click()
        fits = {
            "of": "$",
            "fits": {"items": ["[?every]", {"id": "[?text]", "metres": "[?number]"}], "total": 5},
        }
        self.app.wait(lambda: self.steps()[0]["expect"][1] == fits)
        expect(wrong).to_have_count(0)
        self.line("total 5").click()
        self.page.get_by_role("button", name="Something else…").click()
        self.page.get_by_label("What is expected at $.total").fill("[?between 1 and 9]")
        self.page.keyboard.press("Enter")
        self.app.wait(lambda: self.steps()[0]["expect"][1]["fits"]["total"] == "[?between 1 and 9]")
        self.line("total between 1 and 9").click()
        self.page.get_by_role("button", name="As it is: 5").click()
        self.app.wait(lambda: self.steps()[0]["expect"][1] == fits)
        self.line("id any text").click()
        self.page.get_by_role("button", name="May be missing").click()
        self.app.wait(lambda: "id?" in self.steps()[0]["expect"][1]["fits"]["items"][1])
        self.line("total 5").click()
        self.page.get_by_role("button", name="Something else…").click()
        self.page.get_by_label("What is expected at $.total").fill("[?abov 3]")
        self.page.keyboard.press("Enter")
        self.page.get_by_text(re.compile("abov 3")).first.wait_for()
        self.assertEqual(
            self.steps()[0]["expect"][1]["fits"]["total"], 5, "what cannot be read is not saved"
        )
        # the browser reports the refusal itself
        self.said = [line for line in self.said if "422" not in line]
        self.page.keyboard.press("Escape")
        self.assertEqual(self.axe(), [])

    def test_what_was_sent_is_expected_by_name(self):
        self.go(f"/cases/{self.id}?step=3")
        self.page.get_by_role("treeitem", name=re.compile("^size")).click()
        self.page.get_by_role("button", name="Expect what was sent").click()
        size = {"of": "$.size", "is": "[=sent query size | number]"}
        self.app.wait(lambda: self.steps()[2].get("expect") == [size])
        self.check("$.size").get_by_text(re.compile("^3 ")).wait_for()
        self.page.get_by_role("treeitem", name=re.compile("^page")).click()
        self.page.keyboard.press("Escape")
        self.page.get_by_role("tree").press("s")
        page = {"of": "$.page", "is": "[=sent query page | number]"}
        self.app.wait(lambda: self.steps()[2]["expect"] == [size, page])
        self.check("$.page").get_by_text(re.compile("^2 ")).wait_for()

    def test_a_file_is_sent_with_a_form(self):
        self.go(f"/cases/{self.id}?step=5")
        self.page.get_by_role("button", name="+ file").click()
        self.page.get_by_role("menuitem", name="data/crew.csv, 38 B").wait_for()
        with tempfile.TemporaryDirectory() as folder:
            plan = Path(folder) / "Deck plan.pdf"
            plan.write_bytes(b"%PDF-1.4 a deck")
            with self.page.expect_file_chooser() as chosen:
                self.page.get_by_role("menuitem", name="A file of yours…").click()
            chosen.value.set_files(plan)
            self.page.get_by_text("Deck-plan = file data/Deck-plan.pdf, application/pdf").wait_for()
        parts = [
            {"name": "vessel", "text": "Kelp Runner"},
            {"name": "Deck-plan", "file": "data/Deck-plan.pdf", "type": "application/pdf"},
        ]
        self.app.wait(lambda: self.steps()[4].get("multipart") == parts)
        self.app.run(cases=[self.id])
        sent = self.app.get(f"/cases/{self.id}/evidence")["steps"][4]["exchanges"][0]["sentBody"]
        self.assertIn("%PDF-1.4 a deck", sent)

    def test_the_head_is_changed_where_it_is_read(self):
        self.go(f"/cases/{self.id}?step=2")
        self.page.get_by_text("goes on after what fails").click()
        self.app.wait(lambda: "on failure" not in self.document())
        self.page.get_by_text("stops at what fails").wait_for()
        for opener, field, typed in (
            ("+ tags", "The case's tags", "berths, smoke, berths"),
            ("+ what it is about", "What the case is about", "Checks that reach further."),
        ):
            self.page.get_by_text(opener).click()
            self.page.get_by_label(field).fill(typed)
            self.page.keyboard.press("Enter")
            self.page.get_by_label(field).wait_for(state="hidden")
        self.app.wait(lambda: self.document().get("tags") == ["berths", "smoke"])
        self.app.wait(lambda: self.document().get("about") == "Checks that reach further.")
        self.node("title").click()
        self.page.get_by_role("button", name="Keep as").click()
        self.page.get_by_label("Keep as").press("Enter")
        self.tool(self.page.locator("[data-keep]"), "secret: title")
        self.app.wait(
            lambda: self.steps()[1].get("keep") == {"title": {"of": "$.title", "secret": True}}
        )
        self.assertEqual(self.axe(), [])

    def test_the_steps_own_prefixes_name_places(self):
        self.go(f"/cases/{self.id}?step=4")
        self.node("@metres1.84").click()
        self.page.get_by_role("button", name=re.compile("Expect “1.84”")).click()
        self.app.wait(
            lambda: (
                self.steps()[3].get("expect")
                == [{"of": "/sea:tides/sea:tide[1]/@metres", "is": "1.84"}]
            )
        )
        self.node("@metres1.84").get_by_text("checked", exact=True).wait_for()

    def test_what_came_otherwise_is_accepted_together(self):
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        port = {"of": "$.homePort", "is": "Aldersund"}
        steps = [
            {
                "request": f"Read it, {n}",
                "key": f"acc00{n}",
                "send": "GET [=harbour]/vessels/V-101",
                "expect": [port],
            }
            for n in (1, 2)
        ]
        steps[1]["expect"] = [{**port, "note": "where it lies"}, {"of": "$.lengthMetres", "is": 20}]
        document = {
            "salt-path": 1,
            "case": "The port changed",
            "on failure": "go on",
            "steps": steps,
        }
        self.id = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "document": document}
        )[2]["id"]
        self.app.run(cases=[self.id])
        self.go(f"/cases/{self.id}")
        self.page.get_by_role("button", name="3 values came otherwise").click()
        dialog = self.page.get_by_role("dialog", name="What came otherwise")
        dialog.get_by_text("2 checks, in steps 1 and 2").wait_for()
        self.assertEqual(self.axe(), [])
        dialog.get_by_role("checkbox", name="lengthMetres").uncheck()
        dialog.get_by_label("Why it is right now").fill("moved in spring")
        dialog.get_by_role("button", name="Expect 2 values as they are").click()
        expect(dialog).to_have_count(0)
        self.app.wait(
            lambda: (
                self.steps()[0]["expect"]
                == [{"of": "$.homePort", "is": "Fernholm", "note": "moved in spring"}]
            )
        )
        self.assertEqual(
            self.steps()[1]["expect"][0],
            {"of": "$.homePort", "is": "Fernholm", "note": "where it lies"},
        )
        self.assertEqual(self.steps()[1]["expect"][1]["is"], 20)
        self.page.get_by_role("button", name="Undo").first.click()
        self.app.wait(lambda: self.steps()[0]["expect"] == [port])

    def test_what_came_otherwise_in_several_cases_of_a_run_is_accepted_together(self):
        suite = self.app.ask("POST", "/suites", {"project": self.app.project, "name": "Moved"})[2][
            "id"
        ]
        ids = {}
        for name in ("First", "Second"):
            port = {"of": "$.homePort", "is": "Aldersund"}
            step = {
                "request": "Read it",
                "send": "GET [=harbour]/vessels/V-101",
                "expect": [port, {"of": "$.id", "is": name}],
            }
            asked = {
                "project": self.app.project,
                "suite": suite,
                "document": {"salt-path": 1, "case": name, "steps": [step]},
            }
            ids[name] = self.app.ask("POST", "/cases", asked)[2]["id"]
        run = self.app.run(suite=suite)

        def expects(name: str) -> list[str]:
            [step] = self.app.get(f"/cases/{ids[name]}")["document"]["steps"]
            return [check["is"] for check in step["expect"]]

        self.go(f"/runs/{run['id']}")
        self.page.get_by_role("button", name="Is what came otherwise right now?").click()
        dialog = self.page.get_by_role("dialog", name="What came otherwise")
        dialog.get_by_text("2 checks, in 2 cases: “First” and “Second”").wait_for()
        for wrong in ("First", "Second"):
            dialog.get_by_role("checkbox", name=f"id was expected as “{wrong}”").uncheck()
        dialog.get_by_label("Why it is right now").fill("release 4")
        dialog.get_by_role("button", name="Expect 2 values as they are").click()
        self.page.get_by_text("2 checks expect what came in this run").wait_for()
        self.assertEqual(
            (expects("First"), expects("Second")), (["Fernholm", "First"], ["Fernholm", "Second"])
        )
        self.page.get_by_role("button", name="Undo").click()
        self.page.get_by_text("They expect what they did before.").wait_for()
        self.assertEqual(
            (expects("First"), expects("Second")), (["Aldersund", "First"], ["Aldersund", "Second"])
        )
