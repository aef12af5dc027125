"""Two tabs on one case, a server that goes away while something is typed, what was before, and the
outline put in order."""

import re

from playwright.sync_api import Page, Route, expect

from tests.browser.page import BrowserTest

CASE = {
    "salt-path": 1,
    "case": "Two at once",
    "steps": [
        {
            "request": "List the vessels",
            "key": "lst001",
            "send": "GET [=harbour]/vessels",
            "expect": [{"of": "status", "is": 200}, {"of": "$.items", "empty": False}],
        },
        {
            "request": "Ask for a fee",
            "key": "fee001",
            "send": "POST [=harbour]/fee-quotes",
            "json": '{ "nights": 2 }',
        },
    ],
}
SENTENCE = "Expect something more, as a sentence"
PUTS = re.compile(r"/api/v1/cases/[^/?]+(\?.*)?$")


class Together(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        self.id = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "document": CASE}
        )[2]["id"]
        self.go(f"/cases/{self.id}")
        self.page.get_by_role("heading", name="Two at once").wait_for()

    def other_tab(self) -> Page:
        other = self.page.context.new_page()
        other.goto(self.page.url)
        other.get_by_role("heading", name="Two at once").wait_for()
        return other

    def document(self):
        return self.app.get(f"/cases/{self.id}")["document"]

    def change_check(self, page: Page, was: str, to: str) -> None:
        page.get_by_role("button", name=was, exact=True).click()
        field = page.get_by_label(f"Change the check {was}")
        field.fill(to)
        field.press("Enter")

    def test_a_change_elsewhere_is_shown_at_once_and_undo_leaves_it(self):
        other = self.other_tab()
        self.page.get_by_text("also open: you in another tab").wait_for()
        self.page.get_by_label(SENTENCE).fill("time under 500 ms")
        self.page.get_by_label(SENTENCE).press("Enter")
        other.get_by_role("button", name="time is below 500 ms", exact=True).wait_for()
        other.get_by_text("changed elsewhere").wait_for()
        self.change_check(other, "status is 200", "status is 201")
        self.page.get_by_role("button", name="status is 201", exact=True).wait_for()
        self.page.get_by_role("button", name="Undo").click()
        expect(
            self.page.get_by_role("button", name="time is below 500 ms", exact=True)
        ).to_have_count(0)
        self.app.wait(lambda: len(self.document()["steps"][0]["expect"]) == 2)
        self.assertEqual(self.document()["steps"][0]["expect"][0], {"of": "status", "is": 201})
        other.close()

    def test_a_check_that_is_being_changed_stays_itself(self):
        """Another one is put in above it meanwhile, by somebody else."""
        self.page.get_by_role("button", name="$.items is not empty", exact=True).click()
        field = self.page.get_by_label("Change the check $.items is not empty")
        field.fill("$.items counts 12")
        document = self.document()
        document["steps"][0]["expect"].insert(0, {"of": "time", "below": "9 s"})
        self.app.ask("PUT", f"/cases/{self.id}", {"document": document}, If_Match='"1"')
        self.page.get_by_role("button", name="time is below 9 s", exact=True).wait_for()
        expect(field).to_have_value("$.items counts 12")
        field.press("Enter")
        self.page.get_by_role("button", name="$.items counts 12", exact=True).wait_for()
        self.app.wait(
            lambda: {"of": "$.items", "count": 12} in self.document()["steps"][0]["expect"]
        )
        checks = [check["of"] for check in self.document()["steps"][0]["expect"]]
        self.assertEqual(checks, ["time", "status", "$.items"])

    def test_the_same_place_changed_twice_is_offered_side_by_side(self):
        """The other one saves while this tab cannot reach the server; both changed one check."""
        self.page.route(
            PUTS,
            lambda route: route.abort() if route.request.method == "PUT" else route.continue_(),
        )
        self.change_check(self.page, "status is 200", "status is 202")
        self.page.get_by_text("Your edits wait in this browser").wait_for()
        document = self.document()
        document["steps"][0]["expect"][0]["is"] = 201
        document["steps"][1]["send"] = "POST [=harbour]/fee-quotes?draft=true"
        self.app.ask("PUT", f"/cases/{self.id}", {"document": document}, If_Match='"1"')
        self.page.unroute(PUTS)
        clash = self.page.get_by_role("region", name="Changed here and elsewhere")
        clash.get_by_text("status is 202").wait_for()
        clash.get_by_text("status is 201").wait_for()
        self.page.get_by_role("button", name="status is 201", exact=True).wait_for()
        self.assertEqual(self.axe(), [])
        clash.get_by_role("button", name="Put mine there").click()
        self.page.get_by_role("button", name="status is 202", exact=True).wait_for()
        self.app.wait(
            lambda: self.document()["steps"][0]["expect"][0] == {"of": "status", "is": 202}
        )
        self.assertEqual(
            self.document()["steps"][1]["send"], "POST [=harbour]/fee-quotes?draft=true"
        )
        self.said = [line for line in self.said if "ERR_FAILED" not in line and "412" not in line]

    def test_an_edit_that_is_refused_takes_nothing_else_with_it(self):
        self.page.route(
            PUTS,
            lambda route: route.abort() if route.request.method == "PUT" else route.continue_(),
        )
        self.change_check(self.page, "status is 200", "status is 202")
        self.page.get_by_title("The options").click()
        self.page.get_by_label("The options").fill("timeout: soon")
        self.page.keyboard.press("Control+Enter")
        self.page.get_by_label(SENTENCE).fill("time under 3 s")
        self.page.get_by_label(SENTENCE).press("Enter")
        self.page.get_by_text("Your edits wait in this browser").wait_for()
        self.page.unroute(PUTS)
        self.page.get_by_role("alert").get_by_text("soon").wait_for()
        self.app.wait(lambda: len(self.document()["steps"][0]["expect"]) == 3)
        step = self.document()["steps"][0]
        self.assertEqual((step["expect"][0]["is"], step["expect"][2]["below"]), (202, "3 s"))
        self.assertNotIn("options", step)
        expect(self.page.get_by_label("The options")).to_have_value("timeout: soon")
        self.said = [line for line in self.said if "ERR_FAILED" not in line and "422" not in line]

    def test_what_was_being_typed_is_there_after_a_crash(self):
        self.page.locator(".step-head", has_text="Ask for a fee").click()
        self.page.get_by_title("The body").click()
        self.page.locator(".cm-content").wait_for()
        self.page.keyboard.press("Control+End")
        self.page.keyboard.press("ArrowLeft")
        self.app.kill("web")
        self.page.keyboard.type(', "length": 23.40')
        self.page.close(run_before_unload=False)
        self.page = self.page.context.new_page()
        self.app.wait(lambda: self.app.get("/health"))
        self.go(f"/cases/{self.id}")
        body = self.page.locator(".cm-content")
        expect(body).to_contain_text('"length": 23.40')
        body.press("Control+Enter")
        self.app.wait(lambda: "23.40" in self.document()["steps"][1]["json"])
        self.said = []  # the browser reports the lost connection itself

    def test_a_sentence_that_was_being_typed_too(self):
        self.page.get_by_label(SENTENCE).fill("$.items is not em")
        self.page.reload()
        expect(self.page.get_by_label(SENTENCE)).to_have_value("$.items is not em")
        self.page.get_by_label("Add a step: a method and an address").fill("GET [=harbour]/pil")
        self.app.kill("web")
        self.page.get_by_role("button", name="Change").or_(self.page.locator("h1")).first.click()
        self.app.wait(lambda: self.app.get("/health"))
        self.app.wait(lambda: len(self.document()["steps"]) == 3)
        self.said = []  # the browser reports the lost connection itself

    def test_versions_are_read_and_brought_back(self):
        self.app.run(cases=[self.id])
        self.change_check(self.page, "status is 200", "status is 404")
        self.page.get_by_text("judged again").first.wait_for()
        self.page.get_by_role("button", name="Versions").click()
        dialog = self.page.get_by_role("dialog")
        dialog.get_by_text("“List the vessels” expects status is 404").first.wait_for()
        dialog.get_by_role("button", name=re.compile("used by run")).click()
        dialog.get_by_text("request: Ask for a fee").wait_for()
        self.assertEqual(self.axe(), [])
        dialog.get_by_role("button", name="Bring this version back").click()
        self.page.get_by_role("button", name="status is 200", exact=True).wait_for()
        self.page.get_by_role("button", name="Undo").click()
        self.page.get_by_role("button", name="status is 404", exact=True).wait_for()

    def test_several_steps_and_other_values(self):
        head = self.page.locator(".step-head")
        head.nth(0).click(modifiers=["Control"])
        head.nth(1).click(modifiers=["Shift"])
        bar = self.page.get_by_role("toolbar", name="The chosen steps")
        bar.get_by_text("2 steps are chosen").wait_for()
        bar.get_by_role("button", name="duplicate").click()
        expect(head).to_have_count(4)
        self.page.get_by_role("button", name="Undo").click()
        expect(head).to_have_count(2)
        head.nth(0).click()
        self.page.get_by_role("button", name="with other values…").click()
        self.page.get_by_label("harbour", exact=True).fill("http://127.0.0.1:1")
        self.page.get_by_role("button", name="Send with these, this once").click()
        self.page.get_by_text("refused the connection on port 1").first.wait_for()
        self.page.get_by_label("When this step runs").select_option("afterwards")
        self.page.locator(".part-head", has_text="Afterwards, whatever happened").wait_for()
        self.app.wait(lambda: len(self.document().get("afterwards", [])) == 1)
        self.page.locator("li", has=self.page.locator(".part-head", has_text="Afterwards")).locator(
            ".step-head"
        ).click()
        self.page.get_by_label("When this step runs").select_option("once")
        self.app.wait(
            lambda: (
                len(self.document().get("once", [])) == 1 and "afterwards" not in self.document()
            )
        )

    def test_a_step_opened_while_a_run_is_asked_for_stays_open(self):
        held: list[Route] = []
        self.page.route(re.compile(r"/api/v1/runs$"), lambda route: held.append(route))
        self.page.get_by_role("button", name="Run this case").click()
        second = self.page.get_by_role("article", name="Step 2: Ask for a fee")
        second.locator(".step-head").click()
        second.locator(".band").first.wait_for()
        self.app.wait(lambda: held or self.page.wait_for_timeout(50))
        held[0].continue_()
        self.page.get_by_role("status").filter(has_text="Finished").wait_for()
        expect(second.locator(".band").first).to_be_visible()

    def test_the_outline_is_put_in_order(self):
        self.go("/cases")
        self.page.get_by_role("button", name="+ suite", exact=True).click()
        self.page.get_by_label("Add a suite").fill("Departures")
        self.page.get_by_label("Add a suite").press("Enter")
        suite = self.page.get_by_role("region", name="Departures")
        suite.wait_for()
        self.page.get_by_role("link", name="Two at once").first.hover()
        self.page.get_by_role("button", name="move to… Two at once").first.click()
        self.page.get_by_role("menuitem", name="Departures").click()
        suite.get_by_role("link", name="Two at once").wait_for()
        self.page.get_by_role("button", name="Undo").click()
        expect(suite.get_by_role("link", name="Two at once")).to_have_count(0)
        suite.hover()
        suite.get_by_role("button", name="delete").click()
        expect(suite).to_have_count(0)
        find = self.page.get_by_label("Find cases by text, tag, address or verdict")
        find.fill("failed /port-calls")
        self.page.get_by_text("3 cases", exact=True).wait_for()
        expect(self.page.locator(".case-line")).to_have_count(3)
        find.fill("smoke")
        expect(self.page.get_by_role("link", name="Free berths are listed")).to_be_visible()
        self.assertEqual(self.axe(), [])
        find.fill("two at once")
        self.page.get_by_role("button", name="Delete the case Two at once").first.click(force=True)
        self.page.get_by_text("is deleted; its runs are kept").wait_for()
        self.page.get_by_role("button", name="Undo").click()
        self.page.get_by_text("is back").wait_for()
        self.page.get_by_role("button", name="Delete the case Two at once").first.click(force=True)
        self.page.get_by_text("is deleted; its runs are kept").wait_for()
        self.page.reload()
        self.page.get_by_role("button", name="1 case deleted in the last 30 days").click()
        self.page.get_by_role("button", name="Bring back Two at once").click()
        self.page.get_by_text("“Two at once” is back.").wait_for()
        self.page.get_by_role("link", name="Two at once").first.wait_for()
        self.app.ask("DELETE", f"/cases/{self.id}")
        self.go(f"/cases/{self.id}")
        self.page.get_by_text("the case “Two at once” was deleted").wait_for()
        self.page.get_by_role("button", name="Bring it back").click()
        self.page.get_by_role("heading", name="Two at once").wait_for()
        self.said = [line for line in self.said if "410" not in line]
