"""The pages as a tester uses them: read, run, watch, find what failed and why."""

import re
import time

from playwright.sync_api import expect

from tests.browser.page import BrowserTest
from tests.made_trouble import made_trouble

LARGE = (
    "salt-path: 1\ncase: Ten megabytes\nsteps:\n  - request: Fetch\n    send: GET "
    "[=harbour]/faults/large\n    expect: [ { of: status, is: 200 } ]\n"
)
SCROLL = """async () => {
  const tree = document.querySelector('.tree');
  for (let step = 0; step < 60; step++) {
    tree.scrollTop += 2400;
    await new Promise((done) => requestAnimationFrame(done));
  }
  return { top: tree.scrollTop, rows: tree.querySelectorAll('[role=treeitem]').length };
}"""


class Pages(BrowserTest):
    def open_trouble(self, name: str) -> None:
        """A case of the other project; its page leads there."""
        self.app.finished(self.app.get(f"/runs?project={self.app.troubles}")["items"][-1]["id"])
        self.go(f"/cases/{self.app.cases(self.app.troubles)[name]}")
        self.page.get_by_role("heading", name=name).wait_for()

    def test_a_menu_is_opened_walked_and_left_by_keys_and_by_mouse(self):
        page, name = self.page, "Project Fernholm Harbour"
        self.go("/cases")
        opener = page.get_by_role("button", name=name)
        items = page.get_by_role("menuitem")
        focused = "document.activeElement?.getAttribute('aria-label')"
        opener.press("Enter")
        expect(items.first).to_be_focused()
        expect(opener).to_have_attribute("aria-expanded", "true")
        page.keyboard.press("Escape")
        expect(items).to_have_count(0)
        self.assertEqual(page.evaluate(focused), name, "the focus comes back")
        opener.press("Enter")
        expect(items.first).to_be_focused()
        page.keyboard.press("ArrowDown")
        expect(items.nth(1)).to_be_focused()
        page.keyboard.press("Enter")  # and the Enter does not open it again
        page.get_by_role("button", name="Project Troubles at Fernholm").wait_for()
        expect(items).to_have_count(0)
        page.get_by_role("button", name="Project Troubles at Fernholm").click()
        items.first.wait_for()
        self.assertEqual(self.axe(), [])
        page.mouse.click(640, 700)
        expect(items).to_have_count(0)
        page.get_by_role("button", name="Project Troubles at Fernholm").click()
        items.filter(has_text="Fernholm Harbour").click()
        opener.wait_for()

    def test_run_a_case_watch_it_and_find_what_failed(self):
        self.open_case("A long vessel gets a berth long enough")
        self.page.get_by_role("button", name="Run this case").click()
        self.page.get_by_role("status").filter(
            has_text=re.compile("Running|Waiting|Finished")
        ).wait_for()
        self.page.get_by_role("status").filter(has_text="Finished: failed.").wait_for()
        step = self.page.get_by_role("article", name="Step 2: Ask for a berth")
        self.assertIn("was 120, expected at least 141.9", step.inner_text())
        row = self.page.get_by_role("treeitem").filter(has_text="metres")
        self.assertIn("wanted at least 141.9", row.inner_text())
        self.page.get_by_text("Sent", exact=True).click()
        self.page.get_by_text("POST /port-calls HTTP/1.1").wait_for()
        sent = self.page.locator(".evidence").get_by_text("Authorization: Bearer ●●●")
        sent.first.wait_for()
        self.page.get_by_text("Headers", exact=True).click()
        self.page.get_by_text("As it came").click()
        self.page.get_by_text("HTTP/1.1 201 Created").wait_for()
        self.page.get_by_text("Raw", exact=True).click()
        self.page.get_by_text('"metres":120').wait_for()
        self.page.get_by_text("Timing", exact=True).click()
        begun = self.page.get_by_text(re.compile("in all, begun"))
        before = begun.inner_text()
        # another run is shown as one was looking at the last
        self.page.get_by_role("button", name="Run this case").click()
        expect(begun).not_to_have_text(before)

    def test_no_page_asks_for_what_it_does_not_know_yet(self):
        # anything that is refused stands in the console
        self.page.route("**/api/v1/projects", lambda route: (time.sleep(0.5), route.continue_()))
        for path in ("/cases", "/cases/single", "/data", "/runs", "/setup"):
            self.go(path)
            self.page.locator("header").wait_for()
            self.page.keyboard.press("Control+k")
            self.page.get_by_role("combobox", name="Find or do").wait_for()
            self.page.get_by_role("button", name="Project Fernholm Harbour").wait_for()
            self.page.keyboard.press("Escape")
            self.page.get_by_role("heading", level=1).wait_for()

    def test_what_was_asked_stands_by_address(self):
        run = self.app.run(tags=["smoke"])
        self.go(f"/runs/{run['id']}")
        self.page.get_by_role("button", name="What was asked, by address").click()
        row = self.page.get_by_role("row", name="POST [=harbour]/sessions")
        expect(row).to_contain_text("100 %")
        self.page.get_by_role("button", name="slowest").click()
        slowest = self.page.locator(".addresses tbody tr td:last-child").all_inner_texts()
        lengths = [float(text.split()[0]) * (1000 if " s" in text else 1) for text in slowest]
        self.assertEqual(lengths, sorted(lengths, reverse=True))
        self.page.get_by_label("cells show").select_option("status")
        expect(self.page.locator(".step-cell").first).to_contain_text(re.compile(r"20\d|40\d|$"))
        self.assertEqual(self.axe(), [])

    def test_one_cause_is_one_sentence_that_opens_to_where_it_was_met(self):
        run = made_trouble(self.app)
        self.go(f"/runs/{run['id']}")
        causes = self.page.get_by_label("What went wrong")
        causes.get_by_text("20 cases: Ask for the quay in Open the quay answered 500").wait_for()
        expect(causes.get_by_role("button")).to_have_count(4)
        expect(self.page).to_have_title("Failed: 46 cases · Salt Path")
        icon = self.page.locator("link[rel=icon]")
        expect(icon).to_have_attribute("href", "/verdict-failed.svg")
        answer = self.page.request.get(f"{self.app.address}/verdict-failed.svg")
        self.assertEqual(answer.headers["content-type"], "image/svg+xml; charset=utf-8")
        rows = causes.get_by_role("button", name=re.compile("15 rows of “Vessels”"))
        rows.focus()
        self.page.keyboard.press("Enter")
        met = causes.get_by_role("button", name="Vessels, row 7")
        met.wait_for()
        causes.get_by_text("$.name was “Marrow Finch”, expected 7").wait_for()
        self.assertEqual(self.axe(), [])
        met.focus()
        self.page.keyboard.press("Enter")
        panel = self.page.get_by_role("complementary", name="The chosen step")
        panel.get_by_text("$.name is [=row.wanted]").wait_for()
        expect(panel).to_contain_text("Expected7")
        cases = self.page.locator(".run-case")
        expect(cases).to_have_count(46)
        which = self.page.get_by_role("group", name="Which cases are shown")
        which.get_by_role("button", name="blocked").click()
        expect(cases).to_have_count(25)
        self.page.get_by_label("Words of the cases that are shown").fill("pier read")
        self.page.get_by_text("No case of this run is like that.").wait_for()
        self.page.get_by_label("Words of the cases that are shown").fill("pier 1")
        expect(cases).to_have_count(6)  # 1, and 10 to 14
        self.page.get_by_text("6 of 46 cases").wait_for()
        rows.click()
        met.wait_for(state="hidden")
        expect(panel).to_contain_text("Expected7")  # what was chosen stays
        self.page.get_by_role("link", name="Runs", exact=True).first.click()
        expect(self.page).to_have_title("Runs · Salt Path")
        expect(icon).to_have_attribute("href", "/mark.svg")

    def test_a_cause_is_marked_as_known_and_stands_apart(self):
        run = made_trouble(self.app)
        self.go(f"/runs/{run['id']}")
        causes = self.page.get_by_label("What went wrong")
        quay = re.compile("20 cases: Ask for the quay")
        causes.get_by_role("button", name=quay).click()
        causes.get_by_role("button", name="Mark it as known…").click()
        self.page.keyboard.press("Tab")  # over the parts of the day, which is asked for first
        self.page.get_by_label("A note, or a ticket").fill("QUAY-9")
        self.assertEqual(self.axe(), [])
        self.page.keyboard.press("Enter")
        known = re.compile(r"20 cases: .* known until \d+ \w+ \d{4}, Ines Wathne: QUAY-9")
        causes.get_by_role("button", name=known).wait_for()
        expect(causes.locator(".cause").last).to_contain_text("QUAY-9")
        self.go(f"/runs/{self.app.run(again=run['id'], cases=self.cases_of(run))['id']}")
        causes.get_by_role("button", name=known).click()
        # another person has said it otherwise meanwhile
        path = f"/known/{self.signature(run)}?project={self.app.project}"
        [held] = self.app.get(f"/known?project={self.app.project}")["items"]
        seen = {name: held["said"][name] for name in ("owner", "note", "until")}
        said = {**seen, "note": "QUAY-10"}
        body = {"run": run["id"], "said": said, "seen": seen}
        causes.get_by_role("button", name="Say something else of it").click()
        self.assertEqual(self.app.ask("PUT", path, body)[0], 200)
        causes.get_by_role("button", name=re.compile("QUAY-10")).wait_for()
        self.page.get_by_label("A note, or a ticket").fill("QUAY-11")
        self.page.keyboard.press("Enter")
        causes.get_by_role("button", name=re.compile("QUAY-11")).wait_for()
        causes.get_by_role("button", name="It is known no more").click()
        causes.get_by_role("button", name="Mark it as known…").wait_for()
        undo = self.page.get_by_role("button", name="Undo what was said of causes")
        undo.click()
        causes.get_by_role("button", name=re.compile("QUAY-11")).wait_for()
        undo.click()  # and what was said before that
        causes.get_by_role("button", name=re.compile("QUAY-10")).wait_for()
        expect(undo).to_have_count(0)
        causes.get_by_role("button", name="It is known no more").click()
        causes.get_by_role("button", name="Mark it as known…").wait_for()
        expect(causes.locator(".cause").first).to_contain_text("20 cases")  # news again
        expect(causes).not_to_contain_text("known until")

    def cases_of(self, run: dict) -> list[str]:
        return [entry["case"] for entry in self.app.get(f"/runs/{run['id']}")["cases"]]

    def signature(self, run: dict) -> str:
        causes = self.app.get(f"/runs/{run['id']}/causes")["items"]
        return next(item["signature"] for item in causes if item["status"] == 500)

    def test_the_report_says_it_in_sentences_and_leads_to_the_exchange(self):
        self.go("/runs")
        self.page.get_by_role("link", name="Every suite").last.click()
        banner = self.page.locator(".banner")
        banner.get_by_text("20 of 24 cases passed.").wait_for()
        cause = "“A long vessel gets a berth long enough”: Ask for a berth: $.berth.metres was 120"
        banner.get_by_text(cause).wait_for()
        banner.get_by_text("Row 7 of “Every arrival of the week gets a berth”:").wait_for()
        panel = self.page.get_by_role("complementary", name="The chosen step")
        panel.get_by_role("heading", name=re.compile("Ask for a berth")).wait_for()
        self.assertIn("Expected\n141.9\nWas\n120\nWhere\n$.berth.metres", panel.inner_text())
        run = self.app.get(f"/runs?project={self.app.troubles}")["items"][-1]["id"]
        self.app.finished(run)
        self.go(f"/runs/{run}")
        causes = self.page.get_by_label("What went wrong")
        causes.get_by_role("button", name=re.compile(r"^\d+ more causes$")).click()
        causes.get_by_text("It hangs up before a word: the connection was cut").wait_for()
        causes.get_by_role("button", name="only the first").click()
        expect(causes.locator(".cause")).to_have_count(8)
        self.page.get_by_role("button", name=re.compile("Quote a stay")).last.click()
        panel.get_by_text("nothing at $.totl; did you mean $.total?").wait_for()
        self.page.get_by_role("button", name=re.compile("Ask for the forecast")).click()
        panel.get_by_text(re.compile("refused the connection on port")).first.wait_for()
        panel.get_by_role("link", name="Open the step").click()
        self.page.get_by_role("heading", name="The weather feed is not up").wait_for()

    def test_a_blocked_step_says_why_on_its_card(self):
        self.open_trouble("What the desk sees on a bad day")
        self.page.get_by_text("no complete answer within 800 ms").wait_for()
        self.page.get_by_role("button", name=re.compile("Redirects in a circle")).click()
        step = self.page.get_by_role("article", name="Step 5: Redirects in a circle")
        step.get_by_text("the redirects go in a circle at").wait_for()
        self.go(f"/cases/{self.app.cases()['Register numbers keep all their digits']}")
        self.page.get_by_text(re.compile("last run .*: passed")).wait_for()

    def test_exact_numbers_on_the_screen(self):
        self.open_case("Register numbers keep all their digits")
        self.page.get_by_role("treeitem").filter(has_text="9007199254740993").wait_for()
        self.open_case("A stay is quoted to the cent")
        self.page.get_by_role("treeitem").filter(has_text="448.80").wait_for()

    def test_with_the_keyboard_alone(self):
        self.open_case("Free berths are listed")
        self.page.get_by_role("button", name=re.compile("List what is free")).focus()
        self.page.keyboard.press("ArrowDown")
        self.page.get_by_role("article", name="Step 2: Read the longest").get_by_role(
            "button", name="Send this step alone"
        ).wait_for()
        self.page.keyboard.press("Control+Enter")
        self.page.get_by_role("status").filter(has_text="Finished: passed.").wait_for()
        tree = self.page.get_by_role("tree")
        tree.focus()
        for key in ("End", "Home", "ArrowDown", "ArrowRight", "ArrowLeft"):
            self.page.keyboard.press(key)
        self.assertTrue(tree.get_attribute("aria-activedescendant"))

    def test_a_step_is_sent_alone_and_a_run_is_stopped(self):
        self.open_case("Free berths are listed")
        self.page.get_by_role("button", name=re.compile("Read the longest")).click()
        self.page.get_by_role("button", name="Send this step alone").click()
        self.page.get_by_text(re.compile("sent alone · 200")).wait_for()
        self.open_trouble("What the desk sees on a bad day")
        self.page.get_by_role("button", name="Run this case").click()
        self.page.get_by_role("button", name="Stop this run").click()
        self.page.get_by_role("status").filter(has_text=re.compile("Finished")).wait_for()

    def test_ten_megabytes_are_shown_by_the_rows_in_sight(self):
        """How fast is measured by `make bench`."""
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][2]["id"]
        made = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "text": LARGE}
        )[2]
        self.assertEqual(self.app.run(cases=[made["id"]])["verdict"], "passed")
        self.go("/cases")
        self.page.get_by_role("link", name="Ten megabytes").click()
        self.page.get_by_role("treeitem").filter(has_text="{4}").first.wait_for()
        found = self.page.evaluate(SCROLL)
        self.assertGreater(found["top"], 100_000)
        self.assertLess(found["rows"], 120)

    def test_a_long_value_is_shown_whole_when_it_is_asked_for(self):
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][2]["id"]
        step = {
            "request": "List",
            "send": "GET [=harbour]/vessels",
            "expect": [{"of": "$.items", "is": [1]}],
        }
        document = {
            "salt-path": 1,
            "case": "A long list",
            "steps": [{**step, "keep": {"vessels": "$.items"}}],
        }
        made = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "document": document}
        )[2]
        self.go(f"/runs/{self.app.run(cases=[made['id']])['id']}")
        was = self.page.locator(".bad-check .actual")
        expect(was).to_contain_text(re.compile("^\\[\\{.{200,240}… more$"))
        self.page.get_by_role("button", name="more of what it was").click()
        expect(was).to_contain_text(re.compile("^\\[\\{.{1000,} less$"))
        self.page.get_by_role("link", name="Open the step").click()
        expect(self.page.locator(".band", has_text="Keep").locator(".was")).to_contain_text(
            re.compile("^.{60,75}…")
        )

    def test_axe_finds_no_serious_fault_in_either_theme(self):
        case = self.app.cases()["A visiting vessel is given a berth"]
        run = self.app.run(cases=[case])["id"]
        for path in ("/cases", f"/cases/{case}", "/runs", f"/runs/{run}"):
            for theme in ("dark", "light"):
                with self.subTest(f"{path} {theme}"):
                    self.go(path)
                    self.page.get_by_role("heading", level=1).wait_for()
                    toggle = self.page.get_by_role("button", name=f"Use the {theme} theme")
                    if toggle.count():
                        toggle.click()
                    self.page.wait_for_timeout(400)
                    self.assertEqual(self.axe(), [])

    def test_an_unknown_address_and_an_unknown_case_say_so(self):
        self.go("/nowhere")
        self.page.get_by_role("heading", name="There is nothing at this address").wait_for()
        self.go("/cases/case_none")
        self.page.get_by_role("alert").get_by_text("there is no case case_none").wait_for()
        # the browser itself reports the answer's status
        self.said = [line for line in self.said if "404" not in line]

    def test_a_place_is_a_script_of_its_own_and_one_that_does_not_come_is_said(self):
        """What an update of Salt Path leaves behind in a tab that was open: scripts that are no
        longer there."""
        asked: list[str] = []
        self.page.on("request", lambda request: asked.append(request.url))
        self.page.route(re.compile(r"/assets/SetupPage"), lambda route: route.fulfill(status=404))
        self.go("/runs")
        self.assertFalse([url for url in asked if "CasePage" in url])
        self.page.get_by_role("link", name="Setup", exact=True).click()
        expect(
            self.page.get_by_role("heading", name="This page could not be shown")
        ).to_be_visible()
        expect(self.page.get_by_role("alert")).to_contain_text("updated since this tab was opened")
        self.assertEqual(self.axe(), [])
        self.page.get_by_role("link", name="Data", exact=True).click()
        expect(self.page.get_by_role("heading", name="Where rows come from")).to_be_visible()
        self.page.unroute(re.compile(r"/assets/SetupPage"))
        self.page.get_by_role("link", name="Setup", exact=True).click()
        self.page.get_by_role("button", name="Try again").click()
        expect(self.page.get_by_role("heading", name="Environments and values")).to_be_visible()
        self.assertTrue(all("404" in line and "SetupPage" in line for line in self.said), self.said)
        self.said.clear()

    def test_anything_is_found_with_the_keyboard(self):
        self.go("/cases")
        self.page.get_by_role("heading", name="Cases").wait_for()
        self.page.keyboard.press("Control+k")
        self.page.keyboard.type("arrivals long vessel")
        self.page.get_by_role("option").filter(
            has_text="A long vessel gets a berth long enough"
        ).wait_for()
        self.page.keyboard.press("Enter")
        self.page.get_by_role("heading", name="A long vessel gets a berth long enough").wait_for()
        self.page.keyboard.press("?")
        dialog = self.page.get_by_role("dialog", name="What the keys do")
        dialog.get_by_text("put it into a later step").wait_for()
        self.assertEqual(self.axe(), [])
        self.page.keyboard.press("Escape")
        dialog.wait_for(state="hidden")
