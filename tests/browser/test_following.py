"""What a page asks of the server by itself: one stream for each project that is shown, nothing
twice, nothing endlessly; what comes late, or goes wrong, belongs to what it was asked for."""

import re
import threading
import time

from playwright.sync_api import Request, Route, expect

from tests.browser.page import BrowserTest
from tests.engine.raw import raw_server
from tests.engine.test_redirects import answering


def hops(head: bytes) -> bytes:
    if b"/begin" in head:
        return (
            b"HTTP/1.1 302 X\r\nLocation: /end\r\nConnection: close\r\nContent-Type: "
            b"text/plain\r\nContent-Length: 8\r\n\r\nthis way"
        )
    return (
        b"HTTP/1.1 200 OK\r\nConnection: close\r\nContent-Type: text/plain\r\nContent-Length: "
        b"7\r\n\r\nthe end"
    )


STREAM = re.compile(r"/events/stream\?project=(\w+)")


class Following(BrowserTest):
    def streams(self) -> tuple[list[str], list[str]]:
        """The projects of the streams that were begun, and of those that have ended; filled as it
        goes on."""
        begun: list[str] = []
        ended: list[str] = []

        def noted(into: list[str]):
            def note(request: Request) -> None:
                if found := STREAM.search(request.url):
                    into.append(found[1])

            return note

        handlers = {
            "request": noted(begun),
            "requestfailed": noted(ended),
            "requestfinished": noted(ended),
        }
        for name, handler in handlers.items():
            self.page.on(name, handler)
            self.addCleanup(self.page.remove_listener, name, handler)
        return begun, ended

    def project(self, name: str) -> str:
        return self.app.ask("POST", "/projects", {"name": name})[2]["id"]

    def choose(self, name: str) -> None:
        self.page.get_by_role("button", name=re.compile("^Project ")).click()
        self.page.get_by_role("menuitem", name=name).click()
        expect(self.page.get_by_role("button", name=f"Project {name}")).to_be_visible()

    def test_projects_come_and_go_and_one_stream_is_left(self) -> None:
        """The fault: each left its stream open, and at the sixth the tab hung; going back doubled
        events."""
        names = [f"Quay {number}" for number in range(7)]
        ids = {name: self.project(name) for name in names}
        begun, ended = self.streams()
        self.go("/cases")
        for name in [*names, names[0], names[1], names[0]]:
            self.choose(name)
            self.page.wait_for_timeout(150)
        self.app.wait(lambda: self.page.wait_for_timeout(100) or len(begun) - len(ended) == 1)
        self.assertGreaterEqual(len(begun), 7)
        before, project = len(begun), ids[names[0]]
        with self.page.expect_response(STREAM):
            self.go("/runs")
        self.assertEqual(begun[before:], [project])
        listen = (
            "(name) => { window.heard = []; new BroadcastChannel(name).onmessage = (said) => "
            "heard.push(said.data.id); }"
        )
        self.page.evaluate(listen, f"saltpath-{project}")
        suite = self.app.ask("POST", "/suites", {"project": project, "name": "S"})[2]["id"]
        case = {"salt-path": 1, "case": "C", "steps": [{"wait": "1 ms"}]}
        id = self.app.ask("POST", "/cases", {"project": project, "suite": suite, "document": case})[
            2
        ]["id"]
        for _ in range(2):
            self.app.run(project=project, cases=[id])
        self.app.wait(
            lambda: self.page.wait_for_timeout(100) or self.page.evaluate("heard.length") >= 3
        )
        heard = self.page.evaluate("heard")
        self.assertEqual(len(heard), len(set(heard)))

    def test_without_a_stream_it_asks_for_what_is_new_and_for_no_more(self) -> None:
        """The fault: it began at 0, and all that had ever happened was told again."""
        asked: list[str] = []
        self.page.route(
            re.compile("/events/stream"), lambda route: route.fulfill(status=503, body="{}")
        )
        self.page.on(
            "response",
            lambda answer: asked.append(answer.text()) if "/events?" in answer.url else None,
        )
        self.go("/runs")
        self.page.locator("main table, main ul, main li").first.wait_for()
        self.app.wait(lambda: self.page.wait_for_timeout(100) or len(asked) >= 2)
        self.assertTrue(all('"items":[]' in text.replace(" ", "") for text in asked), asked)
        before = self.page.get_by_text("Free berths are listed").count()
        self.app.run(cases=[self.app.cases()["Free berths are listed"]])
        self.app.wait(
            lambda: (
                self.page.wait_for_timeout(100)
                or self.page.get_by_text("Free berths are listed").count() > before
            )
        )
        self.said.clear()  # a refused stream stands in the console

    def test_a_body_that_comes_late_is_shown_at_its_own_exchange(self) -> None:
        with raw_server(answering([], hops)) as (address, _):
            document = {
                "salt-path": 1,
                "case": "There and on",
                "steps": [{"request": "Go", "send": f"GET {address}/begin"}],
            }
            suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
            id = self.app.ask(
                "POST",
                "/cases",
                {"project": self.app.project, "suite": suite, "document": document},
            )[2]["id"]
            self.app.run(cases=[id])
        self.go(f"/cases/{id}")
        self.open_step(1)
        self.page.get_by_text("Raw", exact=True).click()
        body = self.page.locator("pre.code")
        expect(body).to_have_text("the end")
        held: list[Route] = []
        self.page.route(re.compile(r"/body\?"), lambda route: held.append(route))
        self.page.get_by_role("button", name="1. 302").click()
        self.app.wait(lambda: held or self.page.wait_for_timeout(50))
        expect(body).to_have_text("Reading…")
        self.page.get_by_role("button", name="2. 200").click()
        expect(body).to_have_text("the end")
        held.pop().continue_()
        self.page.wait_for_timeout(500)
        self.assertEqual(body.inner_text(), "the end")
        self.page.get_by_role("button", name="1. 302").click()
        expect(body).to_have_text("this way")

    def test_a_save_that_our_own_fault_refuses_leaves_the_field_as_it_was_typed(self) -> None:
        self.open_case("Free berths are listed")
        tries: list[float] = []

        def refuse(route: Route) -> None:
            if route.request.method == "GET":
                return route.continue_()
            tries.append(time.monotonic())
            route.fulfill(status=500, json={"title": "Salt Path itself made a mistake."})

        self.page.route(re.compile(r"/cases/case_\w+\?text=false$"), refuse)
        self.page.get_by_title("The case's tags").click()
        self.page.keyboard.press("Control+a")
        self.page.keyboard.type("fog, tide")
        self.page.keyboard.press("Enter")
        expect(self.page.locator(".typing [role=alert]")).to_contain_text("made a mistake")
        self.assertEqual(len(tries), 3)
        self.assertEqual(self.page.get_by_label("The case's tags").input_value(), "fog, tide")
        self.page.unroute_all()
        self.page.get_by_label("The case's tags").press("Enter")
        self.page.get_by_title("The case's tags").get_by_text("fog").wait_for()
        self.said.clear()

    def test_a_fault_of_our_own_is_not_asked_for_again_and_again(self) -> None:
        asked: list[str] = []
        pause = threading.Event()

        def broken(route: Route) -> None:
            asked.append(route.request.url)
            route.fulfill(status=200, body="{ no json", content_type="application/json")

        self.page.route(re.compile(r"/api/v1/runs\?"), broken)
        self.go("/runs")
        self.page.get_by_role("button", name="Try again").wait_for()
        pause.wait(2.5)
        self.assertLessEqual(len(asked), 2, asked)
        self.page.unroute_all()
        self.page.get_by_role("button", name="Try again").click()
        self.page.locator("main a[href^='/runs/']").first.wait_for()
        self.said.clear()
