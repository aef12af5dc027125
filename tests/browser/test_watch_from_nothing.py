"""From an empty project to a running watch that tells people by mail, without the guide; then the
service breaks, and its trouble is found, and read."""

import re
import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

from aiosmtpd.controller import Controller

from tests.application import free_port
from tests.browser.page import BrowserTest
from tests.browser.test_watches import Inbox

MOST_S = 120


class Tide(ThreadingHTTPServer):
    """Answers with a tide, or, while it is `down`, with 503."""

    def __init__(self) -> None:
        self.down = False
        super().__init__(("127.0.0.1", 0), _Asked)
        threading.Thread(target=self.serve_forever, daemon=True).start()


class _Asked(BaseHTTPRequestHandler):
    def do_GET(self) -> None:
        down = self.server.down
        body = b'{"reason": "the gauge is out"}' if down else b'{"tide": "high", "metres": 3.1}'
        self.send_response(503 if down else 200)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, *_: object) -> None:
        pass


class WatchFromNothing(BrowserTest):
    def test_from_an_empty_project_to_the_exchange_of_its_trouble(self):
        tide, inbox, port = Tide(), Inbox(), free_port()
        self.addCleanup(tide.server_close)
        self.addCleanup(tide.shutdown)
        post = Controller(inbox, "127.0.0.1", port)
        post.start()
        self.addCleanup(post.stop)
        self.app.ask("POST", "/projects", {"name": "Quay that is watched"})
        page = self.page
        begun = time.monotonic()
        self.go("/cases")
        page.get_by_role("button", name="Project Fernholm Harbour").click()
        page.get_by_role("menuitem", name="Quay that is watched").click()
        page.get_by_label("The first suite’s name").fill("Feeds")
        page.get_by_label("The first suite’s name").press("Enter")
        page.get_by_role("button", name="+ case").click()
        page.get_by_label("Add a case to this suite").fill("The tide is told")
        page.get_by_label("Add a case to this suite").press("Enter")
        add = page.get_by_label("Add a step: a method and an address")
        add.fill(f"http://127.0.0.1:{tide.server_address[1]}/tide")
        add.press("Enter")
        self.open_step(1)
        check = page.get_by_label("Expect something more, as a sentence")
        check.fill("status 200")
        check.press("Enter")
        page.locator('[data-step="1"] .check').first.wait_for()

        page.get_by_role("link", name="Watch", exact=True).click()
        page.get_by_label("When, where, and what is expected").fill("every 1 s, bad after 2")
        page.get_by_text("Nobody can be told yet").wait_for()
        page.get_by_role("button", name="+ a route").click()
        page.get_by_label("What it is called, as watches name it").fill("quay")
        page.get_by_label("Whom it tells").fill("quay@fernholm.example")
        page.get_by_label("From whom it comes").fill("salt@fernholm.example")
        page.get_by_label("The mail server").fill(f"127.0.0.1:{port}")
        page.get_by_label("How it is spoken to").select_option("without encryption")
        page.get_by_role("button", name="Add the route").click()
        page.get_by_role("button", name="quay", pressed=True).wait_for()
        page.get_by_role("button", name="Watch it").click()
        page.get_by_text(re.compile("Nothing to report")).wait_for()
        self.assertLess(time.monotonic() - begun, MOST_S)

        tide.down = True
        page.get_by_text(re.compile(r"Failing for \d+ runs.*: Read tide: ")).wait_for()
        self.app.wait(lambda: inbox.subjects == ["The tide is told is failing"])
        tide.down = False
        page.get_by_text(re.compile(r"Failing since|Nothing to report|bad runs of")).wait_for()
        self.app.wait(lambda: len(inbox.subjects) == 2)
        self.assertIn("is well again", inbox.subjects[1])

        self.go("/watches?over=an+hour")
        page.locator(".trouble-failed").first.wait_for()
        line = page.locator(".watch-row .over-time").last
        box = line.bounding_box()
        at = box["y"] + box["height"] / 2
        page.mouse.move(box["x"] + box["width"] * 0.8, at)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] + 90, at, steps=6)
        page.mouse.up()
        page.get_by_role("button", name="up to now again").wait_for()
        page.locator(".trouble-failed").last.click(force=True)  # its line may lie over it
        beside = page.get_by_role("complementary", name="A run of The tide is told")
        beside.get_by_text(re.compile("it failed")).wait_for()
        beside.get_by_text("the gauge is out").first.wait_for()
        self.assertEqual(self.axe(), [])
        beside.get_by_role("button", name="Close").click()
        outages = page.get_by_role("region", name="Trouble")
        outages.locator(".trouble-line > button").first.click()
        beside.get_by_text(re.compile("it failed")).wait_for()
