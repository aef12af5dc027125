"""Setup in a browser: 300 values in 6 environments, a block from a spreadsheet, lifting,
environments."""

import re

from playwright.sync_api import expect

from tests.browser.page import BrowserTest

PASTE = """text => {
    const data = new DataTransfer();
    data.setData('text/plain', text);
    document.querySelector('[role=grid]').dispatchEvent(new ClipboardEvent('paste',
      { clipboardData: data, bubbles: true }));
}"""
WATCH = (
    "() => { window.slow = []; new PerformanceObserver(list => "
    "window.slow.push(...list.getEntries().map(e => e.duration))).observe({ entryTypes: "
    "['longtask'] }); }"
)


class Setup(BrowserTest):
    def values(self, *changes):
        status, _, answer = self.app.ask(
            "POST", "/values", {"project": self.app.project, "changes": list(changes)}
        )
        self.assertEqual(status, 200, answer)

    def test_three_hundred_values_in_six_environments(self):
        for name in ("North", "South", "East", "West"):
            made = self.app.ask(
                "POST", "/environments", {"project": self.app.project, "name": name}
            )
            self.addCleanup(self.app.ask, "DELETE", f"/environments/{made[2]['id']}")
        self.values(
            *(
                {"kind": "put", "name": f"pier{n}", "environment": "", "text": f"pier {n}"}
                for n in range(300)
            )
        )
        self.addCleanup(self.values, *({"kind": "remove", "name": f"pier{n}"} for n in range(300)))
        self.go("/setup")
        page = self.page
        grid = page.get_by_role("grid", name="Values")
        page.get_by_text("pier3", exact=True).wait_for()
        page.evaluate(WATCH)
        grid.focus()
        for _ in range(9):
            page.keyboard.press("ArrowDown")
        page.keyboard.type("by hand")
        page.keyboard.press("Enter")
        grid.get_by_text("by hand").first.wait_for()
        rows = "\n".join(
            "\t".join([f"pier{n}", *(f"{n}.{c}" for c in range(7))]) for n in range(300)
        )
        page.evaluate(
            PASTE, "name\teverywhere\tRehearsal\tLive\tNorth\tSouth\tEast\tNowhere\n" + rows
        )
        page.get_by_text("Nowhere: no such environment here").wait_for()
        page.get_by_label("Find a value").fill("299.5")
        expect(grid.get_by_text("pier299")).to_be_visible()
        kept = self.app.get(f"/values?project={self.app.project}")["items"]
        cells = next(row["cells"] for row in kept if row["name"] == "pier299")
        self.assertEqual([cell["text"] for cell in cells], [*(f"299.{c}" for c in range(6)), ""])
        self.assertEqual(
            [took for took in page.evaluate("window.slow") if took > 500],
            [],
            "the page stood still",
        )
        page.get_by_label("Find a value").fill("")
        grid.focus()
        page.keyboard.press("Control+z")
        expect(grid.get_by_text("by hand").first).to_be_visible()
        self.assertEqual(self.axe(), [])

    def test_what_is_typed_stays_with_its_value_while_rows_move(self):
        """Another value comes before it meanwhile; then its own is taken away by somebody else."""
        self.addCleanup(
            self.app.ask,
            "POST",
            "/values",
            {"project": self.app.project, "changes": [{"kind": "remove", "name": "buoy"}]},
        )
        self.go("/setup")
        page = self.page
        grid = page.get_by_role("grid", name="Values")
        grid.get_by_role("row").filter(has_text="weather").get_by_role("gridcell").nth(2).dblclick()
        page.keyboard.type("ca")
        self.values({"kind": "put", "name": "buoy", "environment": "", "text": "red"})
        grid.get_by_text("buoy").wait_for()
        page.keyboard.type("lm")
        field = grid.get_by_label("What weather reads as")
        expect(field).to_have_value(re.compile("calm$"))
        page.keyboard.press("Escape")
        expect(field).to_have_count(0)
        grid.get_by_role("row").filter(has_text="buoy").get_by_role("gridcell").nth(1).dblclick()
        page.keyboard.type("green")
        self.values({"kind": "remove", "name": "buoy"})
        page.get_by_text("buoy is not there any more.").wait_for()
        expect(grid.get_by_role("textbox")).to_have_count(0)

    def test_a_value_by_hand_its_secret_and_its_end(self):
        self.go("/setup")
        page = self.page
        grid = page.get_by_role("grid", name="Values")
        grid.get_by_text("+ a value").dblclick()
        page.keyboard.type("tugName")
        page.keyboard.press("Enter")
        grid.get_by_text("tugName").wait_for()
        row = grid.get_by_role("row").filter(has_text="tugName")
        row.get_by_role("gridcell").nth(2).dblclick()
        page.keyboard.type("Holm Bell")
        page.keyboard.press("Enter")
        expect(row.get_by_role("gridcell").nth(2)).to_have_text("Holm Bell")
        row.get_by_role("gridcell").first.dblclick()
        page.keyboard.press("Control+a")
        page.keyboard.type("tugBoat")
        with self.saved_late(r"/api/v1/value-names"):
            page.keyboard.press("Enter")
            # takes back the name, which is still being saved
            page.get_by_role("button", name="Undo").click()
        page.get_by_text("tugBoat is called tugName now").wait_for()
        row.get_by_role("gridcell").nth(2).click()
        page.get_by_role("button", name="Make it a secret").click()
        expect(row.get_by_role("gridcell").nth(2)).to_have_text("set, hidden")
        page.get_by_role("button", name="Take it away").click()
        expect(row).to_have_count(0)
        page.get_by_role("button", name="Undo").click()
        expect(row.get_by_role("gridcell").nth(2)).to_have_text("set, hidden")
        # One that cases use is not taken away without a question.
        grid.get_by_role("row").filter(has_text="agentPassword").get_by_role("gridcell").nth(
            1
        ).click()
        page.get_by_role("button", name="Take it away").click()
        dialog = page.get_by_role("dialog", name="Take agentPassword away?")
        dialog.get_by_text("It is used by 3 cases, which are blocked without it").wait_for()
        dialog.get_by_role("button", name="Keep it").click()
        expect(grid.get_by_role("row").filter(has_text="agentPassword")).to_have_count(1)

    def test_an_environment_is_added_renamed_and_guarded(self):
        self.go("/setup")
        page = self.page
        page.get_by_text("+ an environment").click()
        page.keyboard.type("Night berth")
        page.keyboard.press("Enter")
        page.get_by_role("button", name="What can be done with Night berth").click()
        page.get_by_text("Guard it: ask before").click()
        head = page.get_by_role("columnheader").filter(has_text="Night berth")
        expect(head).to_contain_text("guarded")
        page.get_by_role("button", name="What can be done with Night berth").click()
        page.get_by_text("Take it away…").click()
        page.get_by_role("button", name="Take Night berth away").click()
        expect(head).to_have_count(0)

    def test_an_address_in_two_steps_is_offered_and_lifted(self):
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        steps = [
            {"request": f"Wave {n}", "send": f"GET http://127.0.0.1:9/waves/{n}"} for n in (1, 2)
        ]
        document = {"salt-path": 1, "case": "Waves", "steps": steps}
        case = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "document": document}
        )[2]
        self.go(f"/cases/{case['id']}")
        page = self.page
        page.get_by_role("link", name="Lift it into a value").first.click()
        page.get_by_placeholder("its name").fill("waves")
        page.get_by_role("button", name="Lift it in 2 places").click()
        expect(page.get_by_text("waves stands in 1 case now")).to_be_visible()
        kept = self.app.get(f"/cases/{case['id']}")["document"]
        self.assertEqual(
            [step["send"] for step in kept["steps"]],
            ["GET [=waves]/waves/1", "GET [=waves]/waves/2"],
        )
        page.get_by_label("Written out in many places").get_by_role(
            "button", name=re.compile("^Undo")
        ).click()
        page.get_by_text("Undone.").wait_for()
        self.assertEqual(
            self.app.get(f"/cases/{case['id']}")["document"]["steps"], case["document"]["steps"]
        )

    def test_what_is_kept_is_a_sentence_whose_numbers_are_changed(self):
        at = f"/projects/{self.app.project}/keeping"
        before = self.app.get(at)
        self.addCleanup(self.app.ask, "PATCH", at, before)
        self.go("/setup")
        page, kept = self.page, self.page.get_by_label("What is kept")
        expect(kept).to_contain_text("of evidence")
        number = kept.get_by_title("How many days evidence is kept", exact=True)

        def typed(text: str) -> None:
            number.click()
            page.keyboard.press("Control+a")
            page.keyboard.type(text)
            page.keyboard.press("Enter")

        typed("31")
        expect(number).to_have_text("31 days")
        typed("a week")
        expect(kept.get_by_role("alert")).to_have_text("Give a whole number.")
        page.keyboard.press("Escape")
        typed("100")
        expect(kept.get_by_role("alert")).to_contain_text("at least as long")
        self.said.clear()  # the refusal
        page.keyboard.press("Escape")
        typed("1")
        page.get_by_role("button", name="Leave it").click()
        expect(number).to_have_text("31 days")
        self.assertEqual(self.app.get(at)["evidenceDays"], 31)
        typed("1")
        page.get_by_role("button", name="Keep less").click()
        expect(number).to_have_text("1 day")
        self.assertEqual(self.app.get(at), {**before, "evidenceDays": 1})
        self.assertEqual(self.axe(), [])

    def test_a_disk_that_is_nearly_full_is_told_on_every_page(self):
        full = {**self.app.get("/storage"), "free": 300_000_000, "low": True}
        self.page.route("**/api/v1/storage", lambda route: route.fulfill(json=full))
        self.go("/runs")
        expect(self.page.get_by_role("alert")).to_contain_text(
            "The disk is nearly full: 300.0 MB free."
        )
        self.go("/setup")
        expect(self.page.get_by_label("What is kept")).to_contain_text(
            "Below 500.0 MB no evidence is kept"
        )
        self.assertEqual(self.axe(), [])

    def test_what_is_kept_is_not_shortened_by_a_page_that_has_not_seen_it(self):
        """Two tabs: what one says is more than before to it, and less than the other one has said
        meanwhile."""
        at = f"/projects/{self.app.project}/keeping"
        self.addCleanup(self.app.ask, "PATCH", at, self.app.get(at))
        self.go("/setup")
        number = self.page.get_by_title("How many days runs are kept", exact=True)
        expect(number).to_have_text("365 days")
        self.assertEqual(self.app.ask("PATCH", at, {"runDays": 500})[0], 200)
        for text, said in (
            ("1e3", "whole number"),
            ("-5", "whole number"),
            ("1,5", "whole number"),
            ("450", "it is 500 now"),
        ):
            number.click()
            self.page.keyboard.press("Control+a")
            self.page.keyboard.type(text)
            self.page.keyboard.press("Enter")
            expect(self.page.get_by_label("What is kept").get_by_role("alert")).to_contain_text(
                said
            )
            self.page.keyboard.press("Escape")
        self.said.clear()  # the refusal
        expect(number).to_have_text("500 days")
        self.assertEqual(self.app.get(at)["runDays"], 500)
        number.click()
        self.page.keyboard.press("Control+a")
        self.page.keyboard.type("10 000")
        self.page.keyboard.press("Enter")
        expect(number).to_contain_text("000 days")
        self.assertEqual(self.app.get(at)["runDays"], 10_000)
