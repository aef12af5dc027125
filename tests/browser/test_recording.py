"""A browser's recording becomes a case that works twice; what is none says so."""

import tempfile
import urllib.request
from pathlib import Path

from playwright.sync_api import expect

from saltpath.core.assist.handed_over import handed_over
from saltpath.core.assist.recorded_story import story
from saltpath.formats.har import read_har
from tests.browser.page import BrowserTest
from tests.recordings import an_agents_morning
from tests.site import Site


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
        self.assertEqual(
            [step["send"] for step in steps],
            [
                "POST [=harbour]/sessions",
                "POST [=harbour]/port-calls",
                "GET [=harbour]/port-calls/[=portCallId]",
                "GET [=harbour]/berths",
                "GET [=harbour]/vessels",
                "DELETE [=harbour]/port-calls/[=portCallId]",
            ],
        )
        for _ in range(2):
            run = self.app.run(cases=[id])
            self.assertEqual([step["verdict"] for step in run["cases"][0]["steps"]], ["passed"] * 6)

    def test_what_a_real_browser_recorded(self):
        file = self.folder / "pages.har"
        context = self.browser.new_context(record_har_path=file, record_har_content="embed")
        self.sign_in(context)
        page = context.new_page()
        page.goto(self.app.address + "/cases")
        page.get_by_role("link", name="A visiting vessel is given a berth").click()
        page.get_by_role("treeitem").first.wait_for()
        context.close()
        exchanges = [
            entry.exchange for entry in read_har(file.read_bytes()).entries if entry.exchange
        ]
        left = story(exchanges).left_out
        kept = [item for item in exchanges if item.number not in left]
        self.assertTrue(
            kept and all("/api/v1/" in item.address for item in kept),
            [item.address for item in kept],
        )
        self.assertGreater(len(left), 3, "scripts, styles, fonts and the page")
        case = next(item for item in handed_over(exchanges) if item.literal.startswith("case_"))
        self.assertIn(
            "$.items[", case.sources[-1][1], "the case's id came out of the list of suites"
        )

    def test_a_sites_pages_sign_in_and_calls_run_green_twice(self):
        """Everything of it is made anew each time: the form's token, the ticket, two cookies, the
        ids, the version."""
        site = Site()
        self.addCleanup(site.close)
        file = self.folder / "At the desk.har"
        self.at_the_desk(site, file)
        self.choose(file.read_bytes())
        self.page.get_by_label("The API's site").wait_for()
        self.assertEqual(
            self.page.get_by_label("The API's site").input_value(),
            "127.0.0.1",
            "though most went to the other one",
        )
        expect(self.page.get_by_text("Later requests send what it sets: porch.")).to_be_visible()
        self.page.get_by_text("10 entries are left out").click()
        expect(
            self.page.get_by_text("Its body (multipart/form-data) is not in the recording")
        ).to_be_visible()
        self.page.get_by_role("checkbox", name="Send a paper").check()
        self.page.get_by_label("The API's site").select_option("127.0.0.2")
        self.page.get_by_text("6 look like").wait_for()
        self.page.get_by_label("The API's site").select_option("127.0.0.1")
        self.page.get_by_text("10 entries are left out").click()
        self.page.get_by_role("checkbox", name="Send a paper").check()
        self.page.get_by_role("button", name="Make a case of 8 steps").click()
        self.page.get_by_role("heading", name="An agent's morning").wait_for()
        id = self.page.url.rpartition("/cases/")[2]
        there = f"{self.app.address}/api/v1/projects/{self.app.project}/files/data/plan.txt"
        asked = urllib.request.Request(
            there,
            b"Deck one: salt",
            {
                "Content-Type": "application/octet-stream",
                "Origin": self.app.address,
                "Cookie": self.app.cookie,
            },
            method="PUT",
        )
        urllib.request.urlopen(asked, timeout=20).close()
        self.open_step(8)
        self.page.locator(".step.open").get_by_role("button", name="+ body").click()
        # At once, as a quick typist does: the editor is still being read.
        self.page.keyboard.type("visit = [=visit]\nplan = file data/plan.txt, text/plain")
        self.page.keyboard.press("Control+Enter")

        def last():
            return self.app.get(f"/cases/{id}")["document"]["steps"][-1]

        self.app.wait(lambda: self.page.wait_for_timeout(50) or "multipart" in last())
        for _ in range(2):
            before = len(site.asked)
            run = self.app.run(cases=[id])
            self.assertEqual(
                [step["verdict"] for step in run["cases"][0]["steps"]], ["passed"] * 8, last()
            )
            self.assertEqual({status for _, status in site.asked[before:]}, {200, 201, 302, 303})

    def at_the_desk(self, site: Site, file: Path) -> None:
        """Sign in, have a call announced and given a berth, hand in papers, in a browser that
        records it."""
        context = self.browser.new_context(record_har_path=file, record_har_content="embed")
        page = context.new_page()
        page.goto(site.address + "/")
        page.locator("[name=user]").fill("desk")
        page.locator("[name=password]").fill("salt & tar")
        page.get_by_role("button", name="Sign in").click()
        page.get_by_role("button", name="Announce a call").click()
        expect(page.get_by_role("status")).to_have_text("Given East 4")
        plan = {"name": "plan of decks.txt", "mimeType": "text/plain", "buffer": b"Deck one: salt"}
        page.locator("[type=file]").set_input_files([plan])
        page.get_by_role("button", name="Hand in").click()
        page.get_by_text("Thanks for 14 bytes").wait_for()
        context.close()

    def test_what_is_no_recording_says_so(self):
        self.choose(b'{"log": {"entries"')
        self.page.get_by_role("status").get_by_text(
            "the file ends in the middle, as if it was cut"
        ).wait_for()
        self.said.clear()  # the refusal itself stands in the console
