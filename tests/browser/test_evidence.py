"""What lies beside a case: facts of an answer pointed at like places, large answers searched, lines
of JSON, bytes that are no text."""

import json
import socket
from typing import Any

from playwright.sync_api import expect

from tests.browser.page import BrowserTest
from tests.engine.raw import next_head, raw_server

BODIES = {
    "/lines": (
        "application/x-ndjson",
        b'{"berth": "E4", "fee": 1318.40}\n{"berth": "W2", "fee": 2}\n',
    ),
    "/bytes": ("application/octet-stream", bytes(range(40))),
    "/many": (
        "application/json",
        json.dumps({"items": [{"n": at, "ship": f"Größe {at}"} for at in range(20_000)]}).encode(),
    ),
    "/none": ("text/html", b""),
    "/unsaid": ("application/json", b'{"berth": "E4"}\n{"berth": "W2"}\n'),
}


def harbour_office(connection: socket.socket) -> None:
    with connection:
        head, _ = next_head(connection, b"")
        media_type, body = BODIES[head.split()[1].decode()]
        status = b"204 No Content" if not body else b"200 OK"
        connection.sendall(
            b"HTTP/1.1 "
            + status
            + b"\r\nX-Berth-Version: v-77\r\nConnection: close\r\n"
            + f"Content-Type: {media_type}\r\nSet-Cookie: desk=moor-1234; Path=/\r\n"
            f"Content-Length: {len(body)}\r\n\r\n".encode()
            + body
        )


class Evidence(BrowserTest):
    def made(self) -> str:
        """A case over the office's answers, run once."""
        with raw_server(harbour_office) as (address, _):
            steps: list[dict[str, Any]] = [
                {"request": f"Ask {path}", "send": f"GET {address}{path}"} for path in BODIES
            ]
            suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
            document = {"salt-path": 1, "case": "The office answers", "steps": steps}
            id = self.app.ask(
                "POST",
                "/cases",
                {"project": self.app.project, "suite": suite, "document": document},
            )[2]["id"]
            self.app.run(cases=[id])
        self.go(f"/cases/{id}")
        self.page.get_by_role("heading", name="The office answers").wait_for()
        return id

    def step(self, id: str, at: int) -> dict[str, Any]:
        return self.app.get(f"/cases/{id}")["document"]["steps"][at]

    def test_facts_are_pointed_at_like_any_place(self) -> None:
        id = self.made()
        self.open_step(1)
        self.page.get_by_title("What to make of the status").click()
        self.page.get_by_role("button", name="Expect 200").click()
        self.page.locator(".expect, .band").get_by_text("status is 200").first.wait_for()
        facts = self.page.get_by_role("listbox", name="What the answer says besides its body")
        expect(facts.get_by_role("option", name="status 200 checked")).to_be_visible()
        self.page.get_by_title("What to make of the time").click()
        self.page.get_by_role("toolbar", name="What to make of time").get_by_role(
            "button", name="Expect at most"
        ).click()
        expect(
            facts.get_by_role("option", name="time", exact=False).filter(has_text="checked")
        ).to_be_visible()
        facts.get_by_role("option", name="X-Berth-Version v-77").click()
        facts.focus()
        self.page.keyboard.press("e")
        expect(facts.get_by_role("option", name="X-Berth-Version v-77 checked")).to_be_visible()
        facts.focus()
        self.page.keyboard.press("ArrowUp")
        self.page.keyboard.press("ArrowDown")
        self.page.keyboard.press("k")
        field = self.page.get_by_label("Keep as")
        self.assertEqual(field.input_value(), "xBerthVersion")
        field.press("Enter")
        self.page.locator(".band").get_by_text("xBerthVersion").first.wait_for()
        self.assertEqual(self.axe(), [])
        self.becomes(
            lambda: self.step(id, 0).get("keep"), {"xBerthVersion": "header X-Berth-Version"}
        )
        step = self.step(id, 0)
        self.assertEqual(
            [check["of"] for check in step["expect"]], ["status", "time", "header X-Berth-Version"]
        )
        self.assertEqual(step["expect"][2]["is"], "v-77")
        self.assertRegex(step["expect"][1]["at most"], r"^\d+ ms$")

    def test_facts_are_offered_where_a_value_is_typed(self) -> None:
        id = self.made()
        self.open_step(2)
        self.page.locator(".step.open").get_by_role("button", name="+ headers").click()
        self.page.keyboard.type("If-Match: [=berth-v")
        self.page.get_by_role("option", name="header X-Berth-Version").click()
        self.page.keyboard.press("Control+Enter")
        self.page.locator(".step.open").get_by_text("If-Match").wait_for()
        self.becomes(lambda: self.step(id, 1).get("headers"), {"If-Match": "[=xBerthVersion]"})
        self.becomes(
            lambda: self.step(id, 0).get("keep"), {"xBerthVersion": "header X-Berth-Version"}
        )

    def test_lines_bytes_and_nothing(self) -> None:
        id = self.made()
        self.open_step(1)
        self.page.get_by_role("treeitem", name="fee 1318.40").click()
        self.page.get_by_role("button", name="Expect 1318.40").click()
        expect(
            self.page.get_by_role("treeitem", name="fee 1318.40").get_by_text("checked")
        ).to_be_visible()
        self.assertEqual(self.step(id, 0)["expect"], [{"of": "$[0].fee", "is": 1318.40}])
        self.open_step(2)
        self.page.get_by_text("This body is no text, so its bytes are shown").wait_for()
        self.page.get_by_text("00 01 02 03").wait_for()
        self.page.get_by_text("Raw", exact=True).click()
        self.page.get_by_text("20 21 22 23").wait_for()
        self.open_step(4)
        self.page.get_by_text("The answer has no body.").wait_for()
        self.open_step(5)
        self.page.get_by_text(
            "This body is one JSON text a line, and its type does not say so"
        ).wait_for()

    def test_a_large_answer_is_searched(self) -> None:
        self.made()
        self.open_step(3)
        tree = self.page.get_by_role("tree", name="The answer as a tree")
        tree.wait_for()
        tree.focus()
        self.page.keyboard.press("Control+f")
        self.page.keyboard.type("GRÖßE 1999")
        self.page.get_by_text("in 11 places; Enter shows the first").wait_for()
        self.page.keyboard.press("Enter")
        row = self.page.locator(".tree-row.focused")
        expect(row).to_contain_text("Größe 1999")
        expect(row).to_be_in_viewport()
        self.page.keyboard.press("Enter")
        expect(row).to_contain_text("Größe 19990")
        expect(row).to_be_in_viewport()
        self.page.keyboard.press("Shift+Enter")
        expect(row).to_contain_text("Größe 1999")
        self.page.get_by_text("1 of 11").wait_for()
        self.page.keyboard.press("Escape")
        self.page.keyboard.press("b")
        self.page.locator(".band").get_by_text("Größe 1999").first.wait_for()
