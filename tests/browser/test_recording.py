"""A browser's recording becomes a case that works twice; what is none says so."""

import tempfile
from pathlib import Path

from playwright.sync_api import expect

from saltpath.core.recorded import handed_over, left_out
from saltpath.formats.har import read_har
from tests.browser.page import BrowserTest
from tests.recordings import an_agents_morning


class Recording(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def choose(self, octets: bytes) -> None:
        file = self.folder / "An agent's morning.har"
        file.write_bytes(octets)
        self.go("/cases")
        self.page.get_by_role("link", name="or from a browser’s recording").first.click()
        self.page.get_by_label("A browser's recording, as a HAR file").set_input_files(file)

    def test_six_of_twenty_entries_run_green_twice(self):
        self.choose(an_agents_morning(f"http://127.0.0.1:{self.app.harbour_port}").har())
        expect(self.page.get_by_text("20 entries were recorded; 6 look like")).to_be_visible()
        self.page.get_by_text("14 entries are left out").click()
        self.page.get_by_text("It is a file of the page (script).").wait_for()
        self.assertEqual(self.axe(), [])
        self.page.get_by_role("checkbox", name="Read berths").uncheck()
        self.page.get_by_role("checkbox", name="Read hit").check()
        self.page.get_by_role("button", name="Make a case of 6 steps").wait_for()
        self.page.get_by_role("checkbox", name="Read hit").uncheck()
        self.page.get_by_role("checkbox", name="Read berths").check()
        self.page.get_by_role("button", name="Make a case of 6 steps").click()
        self.page.get_by_role("heading", name="An agent's morning").wait_for()
        id = self.page.url.rpartition("/cases/")[2]
        steps = self.app.get(f"/cases/{id}")["document"]["steps"]
        self.assertEqual([step["send"] for step in steps], [
            "POST [=harbour]/sessions", "POST [=harbour]/port-calls", "GET [=harbour]/port-calls/[=portCallId]", "GET [=harbour]/berths",
            "GET [=harbour]/vessels", "DELETE [=harbour]/port-calls/[=portCallId]"])  # fmt: skip
        for _ in range(2):
            run = self.app.run(cases=[id])
            self.assertEqual([step["verdict"] for step in run["cases"][0]["steps"]], ["passed"] * 6)

    def test_what_a_real_browser_recorded(self):
        file = self.folder / "pages.har"
        context = self.browser.new_context(record_har_path=file, record_har_content="embed")
        page = context.new_page()
        page.goto(self.app.address + "/cases")
        page.get_by_role("link", name="A visiting vessel is given a berth").click()
        page.get_by_role("treeitem").first.wait_for()
        context.close()
        exchanges = [entry.exchange for entry in read_har(file.read_bytes()).entries if entry.exchange]
        left = left_out(exchanges)
        kept = [item for item in exchanges if item.number not in left]
        self.assertTrue(kept and all("/api/v1/" in item.address for item in kept), [item.address for item in kept])
        self.assertGreater(len(left), 3, "scripts, styles, fonts and the page")
        case = next(item for item in handed_over(exchanges) if item.literal.startswith("case_"))
        self.assertIn("$.items[", case.sources[-1][1], "the case's id came out of the list of suites")

    def test_what_is_no_recording_says_so(self):
        self.choose(b'{"log": {"entries"')
        self.page.get_by_role("status").get_by_text("the file ends in the middle, as if it was cut").wait_for()
        self.said.clear()  # the refusal itself stands in the console
