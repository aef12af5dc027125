"""How the pages stand at the sizes that testers have: a notebook's, a small one's, a phone's."""

import unittest

from playwright.sync_api import expect

from tests.browser.page import BrowserTest

SIZES = ((1280, 800), (1024, 768), (390, 800))
CASE = "A long vessel gets a berth long enough"
CUT = """(selector) => [...document.querySelectorAll(selector)].filter((item) =>
    item.checkVisibility() && item.scrollWidth > item.clientWidth + 1)
    .map((item) => item.textContent)"""


class Sizes(BrowserTest):
    def height(self, selector: str) -> float:
        box = self.page.locator(selector).first.bounding_box()
        assert box is not None
        return box["height"]

    def test_a_case_begins_near_the_top_and_its_head_is_two_lines(self):
        for (width, height), most in zip(SIZES, (100, 110, 260), strict=True):
            with self.subTest(width):
                self.page.set_viewport_size({"width": width, "height": height})
                self.open_case(CASE)
                step = self.page.locator(".step-head").first
                step.wait_for()
                self.assertLessEqual(self.height(".case-head"), most)
                box = step.bounding_box()
                assert box is not None
                self.assertLess(box["y"], height / 2, "the first step is in the upper half")
                self.assertLessEqual(
                    self.page.evaluate("document.documentElement.scrollWidth"), width + 1
                )

    def test_on_a_phone_the_head_s_words_stay_in_their_lines(self):
        self.page.set_viewport_size({"width": 390, "height": 800})
        self.go("/cases")
        finder = self.page.get_by_role("button", name="Find or do")
        finder.wait_for()
        box = finder.bounding_box()
        assert box is not None
        self.assertLess(box["height"], 45, "one line")
        places = self.page.get_by_role("navigation").first.get_by_role("link").all()
        for link in places:
            place = link.bounding_box()
            assert place is not None
            self.assertLessEqual(place["x"] + place["width"], 391, link.text_content())

    def test_the_tree_says_only_what_is_watched(self):
        self.open_case(CASE)
        self.open_step(2)
        tree = self.page.get_by_role("tree", name="The answer")
        tree.wait_for()
        self.assertNotIn("not checked", tree.inner_text())
        expect(self.page.get_by_text("fields are checked")).to_be_visible()

    def test_the_sheet_s_steps_are_read_whole_and_evidence_folds_away(self):
        self.open_case(CASE)
        self.page.get_by_role("button", name="Sheet").click()
        self.page.locator(".sheet-row").first.wait_for()
        expect(self.page.get_by_role("button", name="Evidence", exact=True)).to_be_visible()
        rows = self.page.locator(".sheet-row").all_inner_texts()
        self.assertTrue(any("Ask for a berth" in row for row in rows), rows[:3])
        headings = self.page.evaluate(CUT, "[role=columnheader]")
        self.assertEqual(headings, [], "no heading is cut")

    def test_one_thing_is_marked_in_the_finder(self):
        self.go("/cases")
        self.page.get_by_role("heading", level=1).wait_for()
        self.page.keyboard.press("Control+k")
        options = self.page.get_by_role("option")
        options.nth(3).wait_for()
        options.nth(2).hover()
        marked = self.page.locator("[role=option][aria-selected=true]")
        expect(marked).to_have_count(1)
        colours = [
            option.evaluate("(item) => getComputedStyle(item).backgroundColor")
            for option in options.all()[:5]
        ]
        self.assertLessEqual(len(colours) - max(map(colours.count, colours)), 1, colours)
        self.page.keyboard.press("Escape")

    def test_the_demonstration_shows_a_healthy_suite(self):
        projects = {item["name"]: item["id"] for item in self.app.get("/projects")["items"]}
        self.assertIn("Troubles at Fernholm", projects)
        suites = self.app.get(f"/suites?project={projects['Fernholm Harbour']}")["items"]
        last = [case["last"] for suite in suites for case in suite["cases"] if case["last"]]
        bad = [verdict for verdict in last if verdict["verdict"] != "passed"]
        self.assertEqual((len(bad), len(last) > 15), (4, True), "three fail, one is unchecked")


if __name__ == "__main__":
    unittest.main()
