"""The Text view beside the Path; groups and expected bodies by the typed sentence; XML pointed at;
a project brought in from files."""

import re
import tempfile
from pathlib import Path

from playwright.sync_api import expect

from saltpath.formats.folders import read_zip, write_zip
from tests.browser.page import BrowserTest

CASE = {
    "salt-path": 1,
    "case": "Two ways to look",
    "steps": [
        {"request": "List the berths", "key": "brt001", "send": "GET [=harbour]/berths"},
        {"request": "Tides as XML", "key": "xml001", "send": "GET [=harbour]/notices/xml"},
    ],
}


class TextAndGroups(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        answer = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "document": CASE}
        )
        self.id = answer[2]["id"]

    def steps(self):
        return self.app.get(f"/cases/{self.id}")["document"]["steps"]

    def saved(self, probe):
        self.app.wait(lambda: probe(self.steps()))

    def editor(self):
        return self.page.get_by_role("textbox", name="The case as text")

    def type_at_the_end(self, text: str) -> None:
        self.editor().click()
        self.page.keyboard.press("Control+End")
        self.page.keyboard.insert_text(text)

    def test_text_and_path_are_one_case(self):
        self.go(f"/cases/{self.id}")
        self.page.get_by_role("button", name="Text", exact=True).click()
        self.type_at_the_end("    # how many there are\n    expect: [{ of: status, is: 200 }]\n")
        self.saved(lambda steps: steps[1].get("expect") == [{"of": "status", "is": 200}])
        self.page.get_by_text("Saved. Path and text are the same case.").wait_for()
        self.assertIn("# how many there are", self.app.get(f"/cases/{self.id}")["text"])
        self.page.get_by_role("button", name="Path", exact=True).click()
        self.open_step(2)
        self.page.get_by_role("button", name="status is 200", exact=True).wait_for()
        self.page.get_by_role("button", name="Undo", exact=True).click()
        self.saved(lambda steps: "expect" not in steps[1])
        self.page.get_by_role("button", name="Text", exact=True).click()
        expect(self.editor()).not_to_contain_text("of: status")

    def test_what_cannot_be_read_is_neither_saved_nor_lost(self):
        self.go(f"/cases/{self.id}?view=text")
        self.type_at_the_end("    expcet: []\n")
        self.page.get_by_text("did you mean 'expect'?").first.wait_for()
        self.assertEqual([set(step) for step in self.steps()], [{"request", "key", "send"}] * 2)
        self.page.locator(".cm-lintRange-error").first.wait_for()
        self.page.reload()
        expect(self.editor()).to_contain_text("expcet")
        self.page.get_by_role("button", name="Back to what is saved").click()
        expect(self.editor()).not_to_contain_text("expcet")

    def test_the_editor_knows_the_format(self):
        self.go(f"/cases/{self.id}?view=text")
        self.editor().wait_for()
        self.editor().click()
        self.page.keyboard.press("Control+End")
        self.page.keyboard.type("    only")
        self.page.get_by_role("option", name=re.compile("only if.*skipped")).wait_for()
        self.page.keyboard.press("Enter")
        self.page.keyboard.type("{{ of: value a, is: '[=any dig")
        self.page.get_by_role("option", name=re.compile("any digits 6")).wait_for()
        self.page.keyboard.press("Escape")
        self.page.locator(".cm-line", has_text="request: List").hover(position={"x": 60, "y": 8})
        self.page.get_by_text("request: a request step, by its name").wait_for()

    def test_groups_are_typed_as_sentences(self):
        self.app.run(cases=[self.id])
        self.go(f"/cases/{self.id}?step=1")
        field = self.page.get_by_label("Expect something more, as a sentence").first
        for sentence in (
            "when status is 200 then $.total is 5; $.items counts at least 2 otherwise $.title is "
            "present",
            'each of $.items[*]: $.id matches "^[EW]"; $.metres above 0',
            "none of: $.items[*].state is gone",
        ):
            field.fill(sentence)
            self.page.keyboard.press("Enter")
            expect(field).to_have_value("")
        self.saved(lambda steps: len(steps[0].get("expect", [])) == 3)
        group, each, none = self.steps()[0]["expect"]
        self.assertEqual(set(group), {"when", "then", "otherwise"})
        self.assertEqual(
            (each["for each"], len(each["expect"]), set(none)), ("$.items[*]", 2, {"none of"})
        )
        parts = self.page.locator(".parts").first
        parts.get_by_text("status").wait_for()
        self.assertGreater(parts.locator("li").count(), 2)
        self.page.get_by_role("button", name=re.compile("^when status is 200")).click()
        self.page.get_by_label(re.compile("Change the check when")).fill(
            "when status is 200 then $.total is 6"
        )
        self.page.keyboard.press("Enter")
        self.saved(lambda steps: "otherwise" not in steps[0]["expect"][0])
        self.page.get_by_text("was 5, expected 6").first.wait_for()

    def test_made_up_values_are_offered_in_a_request(self):
        self.go(f"/cases/{self.id}?step=1")
        self.page.get_by_title("The method and the address").click()
        field = self.page.get_by_label("The method and the address")
        field.press("End")
        field.press_sequentially("/[=any dig")
        self.page.get_by_role("option", name=re.compile("^any digits 6")).click()
        field.press("Enter")
        self.saved(lambda steps: steps[0]["send"] == "GET [=harbour]/berths/[=any digits 6]")

    def test_conditions_and_waiting_are_sentences_too(self):
        self.go(f"/cases/{self.id}?step=1")
        self.page.get_by_text("+ condition").first.click()
        self.page.get_by_label("The condition of this step").fill("value harbour is present")
        self.page.keyboard.press("Enter")
        self.saved(
            lambda steps: steps[0].get("only if") == {"of": "value harbour", "present": True}
        )
        self.page.get_by_text("+ wait until").first.click()
        self.page.get_by_label("What is waited for").fill("$.total is 5, every 50 ms, at most 2 s")
        self.page.keyboard.press("Enter")
        wanted = {"until": {"of": "$.total", "is": 5}, "every": "50 ms", "at most": "2 s"}
        self.saved(lambda steps: steps[0].get("repeat") == wanted)
        self.page.get_by_text("only if value harbour is present").wait_for()

    def test_bodies_and_sign_ins_are_typed(self):
        self.go(f"/cases/{self.id}?step=1")
        self.page.get_by_text("+ sign-in").first.click()
        self.page.get_by_label("How it signs in").fill("digest desk [=agentPassword]")
        self.page.keyboard.press("Enter")
        self.saved(lambda steps: steps[0].get("auth") == {"digest": ["desk", "[=agentPassword]"]})
        self.page.get_by_text("+ body").first.click()
        self.page.get_by_label("Add a body").click()
        self.page.keyboard.insert_text("<cargo>[=harbour]</cargo>")
        self.page.keyboard.press("Control+Enter")
        self.saved(lambda steps: steps[0].get("xml") == "<cargo>[=harbour]</cargo>")

    def test_xml_is_pointed_at(self):
        self.app.run(cases=[self.id])
        self.go(f"/cases/{self.id}?step=2")
        row = self.page.get_by_role("treeitem").filter(has_text="@metres1.84")
        row.click()
        self.page.get_by_role("button", name=re.compile("Expect “1.84”")).click()
        self.saved(
            lambda steps: (
                steps[1].get("expect") == [{"of": "/_:tides/_:tide[1]/@metres", "is": "1.84"}]
            )
        )
        self.page.get_by_role("treeitem").filter(has_text="@metres1.84").get_by_text(
            "checked", exact=True
        ).wait_for()
        self.page.get_by_role("tree").focus()
        self.page.keyboard.press("End")
        self.page.keyboard.press("k")
        self.page.get_by_label("Keep as").press("Enter")
        self.saved(
            lambda steps: list(steps[1].get("keep", {}).values()) == ["/_:tides/q:quay/q:depth"]
        )
        self.assertEqual(self.axe(), [])

    def test_pages_and_pictures_are_shown_safely(self):
        steps = [
            {"request": "A page", "key": "pag001", "send": "GET [=harbour]/notices/html"},
            {"request": "A picture", "key": "pic001", "send": "GET [=harbour]/notices/picture"},
            {"request": "A text", "key": "txt001", "send": "GET [=harbour]/notices/latin1"},
        ]
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        document = {"salt-path": 1, "case": "Notices", "steps": steps}
        id = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "document": document}
        )[2]["id"]
        self.app.run(cases=[id])
        self.go(f"/cases/{id}?step=1")
        frame = self.page.frame_locator("iframe[title='The answer as a page']")
        frame.get_by_role("heading", name=re.compile("Nattbølge")).wait_for()
        self.assertNotEqual(self.page.title(), "run")
        self.app.wait(lambda: self.said)
        # its script was not run
        self.assertTrue(all("sandboxed" in line for line in self.said), self.said)
        self.said.clear()
        self.open_step(2)
        picture = self.page.get_by_alt_text("What the answer holds")
        picture.wait_for()
        self.assertEqual(
            picture.evaluate(
                "async (image) => { await image.decode(); return image.naturalWidth; }"
            ),
            1,
        )
        self.open_step(3)
        self.page.get_by_text("Raw", exact=True).click()
        self.page.get_by_text("fortøy dobbelt").wait_for()

    def test_a_project_goes_out_and_comes_in(self):
        self.go("/cases")
        self.page.get_by_role("button", name="Project Fernholm Harbour").click()
        with tempfile.TemporaryDirectory() as folder:
            archive = Path(folder) / "harbour.zip"
            archive.write_bytes(self.app.ask("GET", f"/projects/{self.app.project}/folder")[2])
            self.page.get_by_role("menuitem", name="Save this one as files").wait_for()
            with self.page.expect_file_chooser() as chosen:
                self.page.get_by_role("menuitem", name="Bring in a project from files…").click()
            chosen.value.set_files(archive)
            self.page.get_by_text("nothing in these files is otherwise").wait_for()
            self.page.get_by_role("button", name="Well").click()
            files = read_zip(archive.read_bytes())
            papers = "suites/desks/papers.case.yaml"
            files[papers] = files[papers].replace(b"a visitor", b"a guest")
            archive.write_bytes(write_zip(files))
            for answer in ("Leave it", "Bring them in"):
                self.page.get_by_role("button", name="Project Fernholm Harbour").click()
                with self.page.expect_file_chooser() as chosen:
                    self.page.get_by_role("menuitem", name="Bring in a project from files…").click()
                chosen.value.set_files(archive)
                dialog = self.page.get_by_role("dialog")
                dialog.get_by_text("changed: case A vessel's papers are handed in").wait_for()
                dialog.get_by_role("button", name=answer).click()
            told = re.compile(r"Fernholm Harbour: 0 new cases, 1 changed, \d+ as they were")
            self.page.get_by_text(told).wait_for()
            self.page.get_by_role("button", name="Undo", exact=True).click()
            self.page.get_by_text("Fernholm Harbour is as it was before.").wait_for()
