"""Watches, as a user makes them, looks at them and is told by them."""

import email
import email.policy
import re
from contextlib import closing
from datetime import UTC, datetime

from aiosmtpd.controller import Controller
from playwright.sync_api import expect

from saltpath.store import people, projects, watches
from saltpath.store.database import connect
from tests.application import free_port
from tests.browser.page import BrowserTest


class Inbox:
    def __init__(self) -> None:
        self.subjects: list[str] = []

    async def handle_DATA(self, server, session, envelope):
        mail = email.message_from_bytes(envelope.content, policy=email.policy.default)
        self.subjects.append(str(mail["Subject"]))
        return "250 taken"


class Watches(BrowserTest):
    def made(self, case: str, sentence: str) -> str:
        """A watch of a case, by the API; its id."""
        asked = {"project": self.app.project, "case": self.app.cases()[case], "sentence": sentence}
        status, _, made = self.app.ask("POST", "/watches", asked)
        self.assertEqual(status, 201, made)
        self.addCleanup(self.app.ask, "DELETE", f"/watches/{made['id']}")
        return str(made["id"])

    def test_from_a_case_to_a_watch_with_a_mail_route(self):
        inbox, port = Inbox(), free_port()
        server = Controller(inbox, "127.0.0.1", port)
        server.start()
        self.addCleanup(server.stop)
        page = self.page
        self.go("/watches/routes")
        page.get_by_role("button", name="+ a route").click()
        page.get_by_label("What it is called").fill("night")
        page.get_by_label("Whom it tells").fill("night@fernholm.example")
        page.get_by_label("From whom it comes").fill("salt@fernholm.example")
        page.get_by_role("textbox", name="The mail server", exact=True).fill(f"127.0.0.1:{port}")
        page.get_by_label("How it is spoken to").select_option("without encryption")
        page.get_by_role("button", name="Add the route").click()
        page.get_by_role("button", name="Test night", exact=True).click()
        told = page.get_by_role("region", name="What was told")
        told.get_by_text("A test from Salt Path: this route works").first.wait_for()
        self.app.wait(lambda: inbox.subjects == ["A test from Salt Path: this route works"])
        told.get_by_text(re.compile("arrived")).first.wait_for()

        self.open_case("A long vessel gets a berth long enough")
        page.get_by_role("link", name="Watch", exact=True).click()
        when = page.get_by_label("When, where, and what is expected")
        when.fill("every 1 s against Rehearsal, bad aftr 1")
        page.get_by_text("'bad aftr 1' is not understood").wait_for()
        when.fill("every 1 s against Rehearsal, bad after 1, tell nigth")
        page.get_by_text(re.compile("Understood: every second")).wait_for()
        page.get_by_role("button", name="Watch it").click()
        page.get_by_role("alert").get_by_text("did you mean night?").wait_for()
        when.fill("every 1 s against Rehearsal, bad after 1, tell night")
        page.get_by_role("button", name="Watch it").click()
        page.get_by_text(re.compile(r"Failing for \d+ runs?, since .*expected at least")).wait_for()
        self.app.wait(lambda: len(inbox.subjects) > 1)
        name = "A long vessel gets a berth long enough"
        self.assertEqual(inbox.subjects[1], f"{name} is failing")

        page.get_by_text("an hour", exact=True).click()
        page.locator(".watch-run button").first.click()
        beside = page.get_by_role("complementary", name=f"A run of {name}")
        beside.get_by_text(re.compile("it failed")).wait_for()
        beside.get_by_role("button", name="Ask for a berth").click()
        beside.get_by_text(re.compile("expected at least 141.9")).first.wait_for()
        beside.get_by_text("Evidence").wait_for()
        page.get_by_role("button", name="I look after it").click()
        page.get_by_role("button", name=re.compile("looks after it: leave it")).wait_for()
        page.get_by_role("button", name="2 h", exact=True).click()
        page.get_by_text(re.compile("Nobody is told of it until")).wait_for()
        self.assertEqual(self.axe(), [])
        page.get_by_role("button", name="Watch no more").click()
        page.get_by_role("heading", name=f"{name} is watched no more").wait_for()
        page.get_by_role("button", name="Undo").click()
        page.get_by_role("button", name="Turn it off").click()
        page.get_by_text("It is off.").wait_for()
        self.forgive_refusals()
        page.get_by_role("button", name="Watch no more").click()
        page.get_by_role("heading", name=f"{name} is watched no more").wait_for()

    def test_the_time_is_dragged_over_to_look_closer(self):
        page = self.page
        self.go("/watches")
        row = page.locator(".watch-row", has_text="Tide tables")
        row.get_by_text(re.compile("Half of the answers come within")).wait_for()
        page.get_by_text("30 days", exact=True).click()
        page.get_by_role("heading", name=re.compile("outages.* here")).wait_for()
        box = row.locator(".over-time").bounding_box()
        at = box["y"] + box["height"] / 2
        page.mouse.move(box["x"] + box["width"] * 0.5, at)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] * 0.6, at, steps=5)
        page.locator(".time-marked").wait_for()
        page.mouse.up()
        expect(page).to_have_url(re.compile(r"from=.*to="))
        page.get_by_role("button", name="up to now again").wait_for()
        begin, end = re.findall(r"(?:from|to)=([^&]+)", page.url)
        self.assertLess(begin, end)
        row.get_by_text(re.compile(r"Half of the answers|No runs here")).wait_for()
        page.go_back()
        page.get_by_text("30 days", exact=True).wait_for()
        page.get_by_label("Find watches").fill("kvist")
        expect(page.locator(".watch-row h3")).to_have_count(1)
        page.get_by_label("Find watches").fill("nothing like it")
        page.get_by_text("No watch has these words.").wait_for()
        page.get_by_label("Find watches").fill("")
        page.get_by_text("by supplier", exact=True).click()
        page.get_by_role("heading", name="Fernholm Tide Office").wait_for()

    def test_trouble_is_clicked_and_its_outage_noted(self):
        page = self.page
        self.go("/watches?over=30+days")
        row = page.locator(".watch-row", has_text="Tide tables")
        trouble = row.locator(".trouble-failed").last
        trouble.wait_for()
        box = trouble.bounding_box()
        page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        beside = page.get_by_role("complementary", name="A run of Tide tables")
        beside.get_by_text(re.compile("took longer than its limit|was blocked")).wait_for()
        outages = page.get_by_role("region", name="Trouble")
        outages.get_by_role("button", name="+ note").first.click()
        page.get_by_label("What is noted of this trouble").fill("The registry moved.")
        page.keyboard.press("Control+Enter")
        outages.get_by_text("The registry moved.").wait_for()

    def test_of_a_thousand_only_those_in_view_are_drawn(self):
        page = self.page
        with closing(connect(self.app.data)) as main:
            owner = people.local_owner(main).id
            document = {"salt-path": 1, "project": "Thousand quays"}
            project = projects.add_project(main, owner, document)
            people.set_role(main, project.id, people.local_owner(main), "owner", owner)
            for number in range(1_000):
                quay = {"salt-path": 1, "watch": f"Quay {number:03}", "tag": "x", "off": True}
                watches.add(main, project.id, owner, quay)
        self.go("/watches")
        page.get_by_role("button", name="Project Fernholm Harbour").click()
        page.get_by_role("menuitem", name="Thousand quays").click()
        page.get_by_role("link", name="Watches", exact=True).click()
        rows, lines = page.locator(".watch-row[data-watch]"), page.locator(".watch-line")
        expect(rows).to_have_count(1_000)
        lines.first.wait_for()
        self.assertLess(lines.count(), 60)
        rows.last.scroll_into_view_if_needed()
        rows.last.locator(".watch-line").wait_for()
        self.assertLess(lines.count(), 60)
        page.get_by_label("Find watches").fill("quay 077")
        expect(rows).to_have_count(1)
        rows.first.locator(".watch-line").wait_for()

    def test_a_watch_is_changed_by_its_sentence(self):
        watch = self.made("Free berths are listed", "every 2 s against Rehearsal")
        self.go(f"/watches/{watch}?over=an+hour")
        page = self.page
        page.get_by_text(re.compile("Nothing to report")).wait_for()
        page.get_by_role("button", name="every 2 s against Rehearsal").click()
        field = page.get_by_label("When, where and what is expected")
        field.fill("every 3 s against Nowhere")
        page.keyboard.press("Enter")
        page.get_by_text("There is no environment Nowhere.").wait_for()
        field.fill("every 3 s against Rehearsal, at most 2 s, available 99 %")
        page.keyboard.press("Enter")
        page.get_by_role(
            "button", name=re.compile("every 3 s against Rehearsal, at most 2 s")
        ).wait_for()
        page.get_by_text(re.compile(r"May still fail for .* this month")).wait_for()
        self.assertIn("every: 3 s", self.exported(watch))
        self.forgive_refusals()

    def forgive_refusals(self) -> None:
        """The browser itself reports the status of an answer: of what was refused, and of what is
        gone while it was asked for."""
        self.said = [line for line in self.said if "422" not in line and "410" not in line]

    def exported(self, watch: str) -> str:
        found = self.app.get(f"/watches/{watch}")["document"]
        return "\n".join(f"{key}: {value}" for key, value in found.items())

    def test_the_wall_says_when_it_has_lost_its_connection(self):
        page = self.page
        self.go("/watches/wall")
        page.get_by_role(
            "heading", name=re.compile("watches are well|is failing|became slower|too fast")
        ).wait_for()
        expect(page.locator(".wall-watch h2").first).to_be_visible()
        size = page.locator(".wall-watch h2").first.evaluate("e => getComputedStyle(e).fontSize")
        self.assertGreaterEqual(float(size.removesuffix("px")), 20)
        self.assertEqual(self.axe(), [])
        # before the clock: while that is put in, the page may think that it is 1970
        page.route("**/api/v1/watches**", lambda route: route.abort())
        page.clock.install(time=datetime.now(UTC))
        page.clock.fast_forward(60_000)
        page.get_by_role("heading", name=re.compile("No connection for")).wait_for()
        page.unroute("**/api/v1/watches**")
        page.clock.fast_forward(20_000)
        page.get_by_role(
            "heading", name=re.compile("watches are well|is failing|became slower|too fast")
        ).wait_for()
        self.said = [line for line in self.said if "ERR_" not in line]

    def test_axe_finds_no_serious_fault_in_either_theme(self):
        watch = self.app.get(f"/watches?project={self.app.project}")["items"][0]["id"]
        for path in ("/watches", f"/watches/{watch}", "/watches/new", "/watches/routes"):
            for theme in ("dark", "light"):
                with self.subTest(f"{path} {theme}"):
                    self.go(path)
                    self.page.get_by_role("heading", level=1).wait_for()
                    toggle = self.page.get_by_role("button", name=f"Use the {theme} theme")
                    if toggle.count():
                        toggle.click()
                    self.page.wait_for_timeout(600)
                    self.assertEqual(self.axe(), [])
