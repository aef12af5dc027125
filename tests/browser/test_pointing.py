"""What pointing at answers makes beyond one check: several places, what varies, items by name,
values picked, pipes tried."""

import re

from playwright.sync_api import expect

from tests.browser.page import BrowserTest

CASE = {
    "salt-path": 1,
    "case": "Pointing",
    "steps": [
        {"request": "List the berths", "key": "brt001", "send": "GET [=harbour]/berths"},
        {
            "request": "Ask for a quote",
            "key": "fee001",
            "send": "POST [=harbour]/fee-quotes",
            "json": '{ "lengthMetres": "[=run.number]", "tonnage": 100, "nights": 2, "season": '
            '"winter" }',
        },
        {"request": "Read a vessel", "key": "vsl001", "send": "GET [=harbour]/vessels/V-101"},
        {
            "request": "List the vessels of its port",
            "key": "vsl002",
            "send": "GET [=harbour]/vessels",
            "query": {"homePort": "Fernholm"},
            "json": '{ "berth": { "id": "E4" }, "nights": 2 }',
        },
    ],
}


class Pointing(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        self.id = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "document": CASE}
        )[2]["id"]
        self.app.run(cases=[self.id])

    def open(self, step: int) -> None:
        self.go(f"/cases/{self.id}?step={step}")
        self.page.get_by_role("treeitem").first.wait_for()
        self.page.locator(f'[data-step="{step}"] .band').first.wait_for()

    def node(self, name: str, index: int = 0):
        key = self.page.locator(".tree-key", has_text=re.compile(f"^{name}$"))
        return self.page.get_by_role("treeitem").filter(has=key).nth(index)

    def steps(self):
        return self.app.get(f"/cases/{self.id}")["document"]["steps"]

    def saved(self, probe):
        """Wait until the steps as they are stored fit."""
        self.app.wait(lambda: probe(self.steps()))

    def test_the_readme_is_followed_word_by_word(self):
        """A case from a request, sent, and its value picked for the place of the next step: nothing
        else is known."""
        self.go("/cases")
        self.page.get_by_text("+ case").first.click()
        self.page.keyboard.type("GET [=harbour]/vessels?homePort=Fernholm\n")
        self.page.get_by_role("heading", name="Read vessels", level=1).wait_for()
        self.page.get_by_role("button", name="Send this step alone").click()
        self.page.get_by_role("treeitem").first.wait_for()
        self.page.get_by_label("Add a step: a method and an address").fill(
            "GET [=harbour]/vessels/{id}"
        )
        self.page.keyboard.press("Enter")
        self.page.get_by_text("pick its value").click()
        self.page.keyboard.type("id")
        self.page.get_by_role(
            "option", name=re.compile("vesselId “V-103” will be kept from")
        ).click()
        self.page.keyboard.press("Enter")
        id = self.page.url.rpartition("/cases/")[2].partition("?")[0]
        self.app.wait(
            lambda: "[=vesselId]" in self.app.get(f"/cases/{id}")["document"]["steps"][1]["send"]
        )
        self.assertEqual(
            self.app.get(f"/cases/{id}")["document"]["steps"][0]["query"], {"homePort": "Fernholm"}
        )

    def test_a_value_begins_the_next_step(self):
        self.open(1)
        self.node("id").click()
        self.page.keyboard.press("p")
        self.page.get_by_role("button", name="a new step GET harbour/berths/berthId").click()
        self.page.get_by_role("article", name="Step 2: Read a berth").locator(
            ".band"
        ).first.wait_for()
        self.saved(lambda steps: steps[1].get("send") == "GET [=harbour]/berths/[=berthId]")
        self.assertEqual(list(self.steps()[0]["keep"].values()), ["$.items[0].id"])

    def test_the_answers_propose_checks(self):
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        steps = [{"request": "List the vessels", "key": "all001", "send": "GET [=harbour]/vessels"}]
        document = {"salt-path": 1, "case": "Proposals", "steps": steps}
        self.id = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "document": document}
        )[2]["id"]
        for _ in range(3):
            self.app.run(cases=[self.id])
        self.open(1)
        self.page.get_by_role("button", name="What its answers propose").click()
        self.page.get_by_text("3 answers of this status are kept. They justify").wait_for()
        self.page.get_by_text("of this form in 3 of 3 answers, 12 different ones").first.wait_for()
        self.assertEqual(self.axe(), [])
        self.page.get_by_role("button", name="Expect it").first.click()
        self.saved(
            lambda steps: steps[0].get("expect") == [{"of": "$.items[*].id", "matches": r"^V-\d+$"}]
        )
        self.page.get_by_role("button", name="Expect it").nth(1).wait_for(state="detached")
        self.page.get_by_role("button", name="Expect it").click()
        self.page.get_by_text("All that they justify is expected.").wait_for()
        self.assertEqual(self.app.run(cases=[self.id])["verdict"], "passed")

    def test_a_branch_is_expected_as_one_body(self):
        for _ in range(2):
            self.app.run(cases=[self.id])
        self.open(2)
        self.page.locator(".tree-watch", has_text="varies").first.wait_for()
        self.node("lines").click()
        self.page.get_by_role("button", name="Expect it as one body").click()
        self.saved(lambda steps: "fits" in (steps[1].get("expect") or [{}])[0])
        check = self.steps()[1]["expect"][0]
        self.assertEqual((check["of"], check["fits"][0]["code"]), ("$.lines", "QUAY"))
        self.assertEqual(check["fits"][0]["amount"], "[?number]", "what varied stays loose")
        self.page.get_by_role("status").get_by_text(
            "different values in the last 3 answers"
        ).first.wait_for()
        self.page.keyboard.press("Enter")
        self.page.locator(".tree-watch", has_text="loose").first.wait_for()

    def test_an_empty_case_begins_where_one_types(self):
        self.go("/cases")
        self.page.get_by_text("+ case").first.click()
        self.page.keyboard.type("A vessel is found again\n")
        self.page.get_by_role("heading", name="A vessel is found again").wait_for()
        expect(self.page.get_by_label("Add a step: a method and an address")).to_be_focused()

    def test_an_item_is_meant_by_its_name(self):
        self.open(1)
        self.node("metres", 2).click()
        by_name = self.page.get_by_role("button", name="of the item whose name is “East 4”")
        by_name.click()
        expect(by_name).to_have_attribute("aria-pressed", "true")
        self.page.get_by_role("button", name="Expect 120").click()
        self.page.get_by_role(
            "button", name="$.items[?@.name == 'East 4'].metres is 120", exact=True
        ).wait_for()
        self.page.locator(".check").get_by_role("img", name="passed").or_(
            self.page.locator(".check svg")
        ).first.wait_for()
        self.node("depth", 1).click()
        self.page.get_by_role("button", name="of the item whose name is “East 2”").click()
        self.page.get_by_role("button", name="Keep as…").click()
        self.page.get_by_label("Keep as").press("Enter")
        self.saved(
            lambda steps: steps[0].get("keep") == {"depth": "$.items[?@.name == 'East 2'].depth"}
        )

    def test_everything_below_is_expected_and_what_varied_stays_loose(self):
        for _ in range(2):
            self.app.run(cases=[self.id])
        self.open(2)
        self.page.locator(".tree-watch", has_text="varies").first.wait_for()
        self.page.get_by_role("tree").focus()
        self.node("lines").click()
        self.page.get_by_role("button", name="Expect everything below as it is").click()
        said = self.page.get_by_role("status").filter(has_text="had better stay loose")
        said.get_by_text("different values in the last 3 answers").first.wait_for()
        self.page.keyboard.press("Enter")
        expect(said).to_have_count(0)
        checks = self.steps()[1]["expect"]
        self.assertIn({"of": "$.lines[0].code", "is": "QUAY"}, checks)
        loose = next(check for check in checks if check["of"] == "$.lines[0].amount")
        self.assertEqual(
            (loose["kind"], loose["note"]), ("number", "3 different values in the last 3 answers")
        )
        self.node("total").click()
        self.page.get_by_role("button", name=re.compile(r"Expect one of the \d seen")).click()
        self.saved(lambda steps: any(check.get("is one of") for check in steps[1]["expect"]))

    def test_several_places_become_checks_and_keeps_in_one_act(self):
        self.open(3)
        self.page.get_by_role("tree").focus()
        for key in ("ArrowDown", " ", "ArrowDown", " ", "t"):
            self.page.keyboard.press(key)
        self.page.locator(".check").nth(1).wait_for()
        self.node("name").click(modifiers=["Control"])
        self.node("callSign").click(modifiers=["Control"])
        self.page.get_by_role("button", name="Keep them").click()
        self.saved(
            lambda steps: steps[2].get("keep") == {"vesselName": "$.name", "callSign": "$.callSign"}
        )
        self.page.get_by_role("button", name="Undo").click()
        self.saved(lambda steps: "keep" not in steps[2])
        self.assertEqual([check["present"] for check in self.steps()[2]["expect"]], [True, True])

    def test_a_literal_that_an_earlier_answer_held_is_handed_over(self):
        self.open(4)
        self.page.get_by_text(
            "in the parameter homePort is $.homePort of “Read a vessel”"
        ).wait_for()
        self.page.get_by_role("button", name="Hand it over as homePort").click()
        self.saved(lambda steps: steps[3]["query"] == {"homePort": "[=homePort]"})
        self.assertEqual(self.steps()[2]["keep"], {"homePort": "$.homePort"})
        self.open(3)
        self.node("tonnage").click()
        self.page.get_by_role("button", name="Put into…").click()
        self.page.get_by_role("button", name="in the body at $.nights").click()
        self.saved(
            lambda steps: steps[3]["json"] == '{ "berth": { "id": "E4" }, "nights": "[=tonnage]" }'
        )

    def test_an_earlier_value_is_picked_while_a_body_is_edited(self):
        self.open(2)
        self.page.get_by_title("The body").click()
        body = self.page.locator(".cm-content")
        body.wait_for()
        self.page.keyboard.press("Control+a")
        self.page.keyboard.type('{ "lengthMetres": "')
        self.page.keyboard.type("[=metr")
        offered = self.page.locator(".cm-tooltip-autocomplete li")
        # the five berths, and nothing of an earlier query
        expect(offered.filter(has_text="metres")).to_have_count(5)
        # the editor takes no Enter right after its list has changed
        self.page.wait_for_timeout(200)
        self.page.keyboard.press("Enter")
        self.page.locator(".cm-content .reference").get_by_text("[=").wait_for()
        self.page.keyboard.press("Control+Enter")
        self.saved(
            lambda steps: (
                '"[=metres]"' in steps[1]["json"] and steps[0].get("keep", {}).get("metres")
            )
        )
        self.page.get_by_role("button", name="Undo").click()
        self.saved(lambda steps: "keep" not in steps[0] and "[=metres]" not in steps[1]["json"])

    def test_pipes_are_tried_on_the_last_value(self):
        self.open(3)
        self.node("name").click()
        self.page.get_by_role("tree").press("k")
        self.page.get_by_label("Keep as").press("Enter")
        self.page.get_by_title("What is kept as vesselName").click()
        field = self.page.get_by_label("What is kept as vesselName")
        field.fill("$.name | up")
        self.page.get_by_role("button", name="| upper").click()
        self.page.get_by_text("gives “MARROW FINCH”").wait_for()
        field.fill("$.name | uper")
        self.page.get_by_text("did you mean upper?").wait_for()
        field.fill("$.name | upper")
        field.press("Enter")
        self.saved(lambda steps: steps[2]["keep"] == {"vesselName": "$.name | upper"})
        self.page.get_by_title("The name of $.name | upper").click()
        self.page.get_by_label("The name of $.name | upper").fill("loud")
        self.page.keyboard.press("Enter")
        self.saved(lambda steps: steps[2]["keep"] == {"loud": "$.name | upper"})

    def test_rows_of_expect_are_moved_noted_switched_and_deleted(self):
        self.open(3)
        self.page.get_by_role("tree").focus()
        for key in ("ArrowDown", "e", "ArrowDown", "e"):
            self.page.keyboard.press(key)
        rows = self.page.locator(".step.open .check")
        rows.nth(1).wait_for()
        first = self.steps()[2]["expect"][0]["of"]
        self.tool(rows.nth(0), "Move down: ")
        self.saved(lambda steps: steps[2]["expect"][1]["of"] == first)
        self.tool(rows.nth(0), "Note: ")
        self.page.get_by_label(re.compile("^The note of")).fill("what the register says")
        self.page.keyboard.press("Enter")
        self.saved(lambda steps: steps[2]["expect"][0].get("note") == "what the register says")
        for name, mark in (("Make advice: ", "advice"), ("Switch off: ", "off")):
            self.tool(rows.nth(0), name)
            self.saved(lambda steps, mark=mark: steps[2]["expect"][0].get(mark) is True)
        self.tool(rows.nth(0), "Delete: ")
        self.saved(lambda steps: len(steps[2]["expect"]) == 1)

    def test_an_earlier_run_is_looked_at(self):
        for _ in range(2):
            self.app.run(cases=[self.id])
        self.open(3)
        runs = self.page.get_by_label("Which run is looked at")
        labels = runs.locator("option").all_inner_texts()
        self.assertEqual(len(labels), 4)
        runs.select_option(index=3)
        self.page.locator(".evidence").get_by_text("200").first.wait_for()
        expect(
            self.page.get_by_label("Which run is looked at").locator("option").first
        ).to_have_text("the newest answers")
        self.page.get_by_role("treeitem").first.wait_for()

    def test_keys_and_finding(self):
        self.open(3)
        self.page.keyboard.press("?")
        self.page.get_by_role("checkbox").click()
        self.page.get_by_role("button", name="Close").click()
        self.page.get_by_role("tree").focus()
        self.page.keyboard.press("e")
        self.page.wait_for_timeout(300)
        expect(self.page.locator(".step.open .check")).to_have_count(0)
        self.page.keyboard.press("Control+k")
        self.page.keyboard.type("step 1")
        self.page.get_by_role("option").filter(has_text="Step 1: List the berths").wait_for()
        self.page.keyboard.press("Enter")
        self.page.get_by_role("article", name="Step 1: List the berths").locator(
            ".band"
        ).first.wait_for()
        self.page.keyboard.press("Control+k")
        self.page.keyboard.type("agent value")
        self.page.get_by_role("option").filter(has_text="value of project").first.wait_for()

    def test_a_screen_reader_finds_its_way(self):
        """The accessibility tree: landmarks, headings, the path as a list of named steps, the
        answer as a tree."""
        self.open(3)
        self.page.get_by_role("tree").press("e")
        self.page.locator(".step.open .check").first.wait_for()
        said = self.page.locator("body").aria_snapshot()
        for line in (
            '- navigation "Places"',
            "- main:",
            '- heading "Pointing" [level=1]',
            '- list "The path"',
            'article "Step 3: Read a vessel"',
            '- button "Read a vessel',
            '- heading "Send" [level=3]',
            '- heading "Expect" [level=3]',
            '- combobox "Expect something more, as a sentence"',
            '- complementary "Evidence"',
            '- tree "The answer as a tree"',
            'textbox "Add a step: a method and an address"',
        ):
            self.assertIn(line, said)
        self.assertRegex(
            said,
            r'- treeitem "name .*Marrow Finch.*" \[level=1\]|- treeitem "name .*Marrow Finch.*"',
        )
        unnamed = self.page.evaluate(
            "() => [...document.querySelectorAll('button, input, textarea, select, "
            "[role]')].filter((item) =>"
            " item.checkVisibility() && !['presentation', "
            "'status'].includes(item.getAttribute('role')) &&"
            " !(item.getAttribute('aria-label') || item.title || item.labels?.length || "
            "item.textContent.trim() ||"
            " item.getAttribute('aria-labelledby'))).map((item) => item.outerHTML.slice(0, 120))"
        )
        self.assertEqual(unnamed, [])

    def test_it_works_from_1024_pixels_in_both_themes(self):
        self.page.set_viewport_size({"width": 1024, "height": 700})
        for theme in ("dark", "light"):
            self.open(2)
            toggle = self.page.get_by_role("button", name=f"Use the {theme} theme")
            if toggle.count():
                toggle.click()
            self.node("total").click()
            self.page.get_by_role("toolbar").wait_for()
            self.page.get_by_title("The body").click()
            self.page.locator(".cm-content").wait_for()
            self.page.wait_for_timeout(300)
            self.assertEqual(self.axe(), [], theme)
            width = self.page.evaluate("document.documentElement.scrollWidth")
            self.assertLessEqual(width, 1024, "nothing to scroll sideways")
            self.page.keyboard.press("Escape")
