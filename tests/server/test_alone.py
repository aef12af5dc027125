"""A step sent by itself: nothing else is sent without a word; what it needs is taken from what was
kept, or asked for."""

import json
import threading
import unittest
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

from tests.application import Application


class _Berths(BaseHTTPRequestHandler):
    """Answers with an id, and notes what was asked."""

    seen: list[str]

    def do_GET(self) -> None:
        self.rfile.read(int(self.headers.get("Content-Length") or 0))
        self.seen.append(f"{self.command} {self.path}")
        octets = json.dumps({"id": f"B-{len(self.seen)}"}).encode()
        self.send_response(200)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(octets)))
        self.end_headers()
        self.wfile.write(octets)

    do_POST = do_DELETE = do_GET

    def log_message(self, *_: object) -> None:
        pass


class Alone(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.app = cls.enterClassContext(Application())
        cls.seen: list[str] = []
        handler = type("Berths", (_Berths,), {"seen": cls.seen})
        server = ThreadingHTTPServer(("127.0.0.1", 0), handler)
        cls.port = server.server_address[1]
        threading.Thread(target=server.serve_forever, daemon=True).start()
        cls.addClassCleanup(server.server_close)
        cls.addClassCleanup(server.shutdown)

    def setUp(self) -> None:
        self.seen.clear()
        at = f"http://127.0.0.1:{self.port}"
        check = [{"of": "status", "is": 200}]
        document = {
            "salt-path": 1,
            "case": "Berths",
            "once": [
                {
                    "request": "Sign in",
                    "send": f"POST {at}/sign-in",
                    "expect": check,
                    "keep": {"token": "$.id"},
                }
            ],
            "steps": [
                {
                    "request": "Make",
                    "send": f"POST {at}/berths",
                    "expect": check,
                    "keep": {"berth": "$.id"},
                },
                {
                    "request": "Read",
                    "send": f"GET {at}/berths/[=berth]",
                    "expect": check,
                    "keep": {"seen": "$.id"},
                },
                {"set": {"both": "[=berth]-x"}},
                {"request": "Move", "send": f"POST {at}/moves/[=both]", "expect": check},
                {
                    "request": "Leave",
                    "send": f"DELETE {at}/berths/[=seen]?by=[=token]",
                    "expect": check,
                },
            ],
        }
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        made = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "document": document}
        )[2]
        self.id = made["id"]

    def before(self, *steps: int, **more: Any) -> dict[str, Any]:
        asked = {
            "project": self.app.project,
            "cases": [self.id],
            "kind": "trial",
            "steps": list(steps),
            **more,
        }
        status, _, found = self.app.ask("POST", "/steps-before", asked)
        self.assertEqual(status, 200, found)
        return found

    def send(self, *steps: int, **more: Any) -> str:
        run = self.app.run(cases=[self.id], kind="trial", steps=list(steps), **more)
        return run["cases"][0]["verdict"]

    def test_no_other_step_is_sent_without_a_word(self):
        self.assertEqual(self.send(1), "blocked")
        self.assertEqual(self.seen, [])
        found = self.before(1)
        self.assertEqual([(s["name"], s["changes"]) for s in found["items"]], [("Make", True)])
        self.assertEqual((found["names"], found["once"]), (["berth"], []))
        self.assertEqual(self.send(1, values={"berth": "B-77"}), "passed")
        self.assertEqual(self.seen, ["GET /berths/B-77"])
        self.assertEqual(self.before(1, values={"berth": "B-77"})["items"], [])

    def test_what_was_kept_is_used_also_from_a_step_that_was_sent_alone(self):
        self.assertEqual(self.send(0, 1), "passed")
        self.assertEqual(self.seen, ["POST /berths", "GET /berths/B-1"])
        self.assertEqual(self.before(3)["items"], [])
        self.assertEqual(self.send(3), "passed")
        self.assertEqual(self.seen[2:], ["POST /moves/B-1-x"])
        self.assertEqual(self.send(0), "passed")
        self.assertEqual(self.send(1), "passed")
        self.assertEqual(self.seen[-1], "GET /berths/B-4", "the newest is meant")
        evidence = self.app.get(f"/cases/{self.id}/evidence")["steps"]
        self.assertEqual(
            [step["verdict"] for step in evidence if step["exchanges"]], ["passed"] * 3
        )

    def test_a_keep_that_came_later_takes_from_the_answer_that_is_kept(self):
        now = self.app.get(f"/cases/{self.id}")
        document = now["document"]
        del document["steps"][0]["keep"]
        self.app.ask(
            "PUT", f"/cases/{self.id}", {"document": document}, If_Match=f'"{now["version"]}"'
        )
        self.send(0)
        now = self.app.get(f"/cases/{self.id}")
        now["document"]["steps"][0]["keep"] = {"berth": "$.id | lower"}
        self.app.ask(
            "PUT",
            f"/cases/{self.id}",
            {"document": now["document"]},
            If_Match=f'"{now["version"]}"',
        )
        self.assertEqual(self.before(1)["items"], [])
        self.assertEqual(self.send(1), "passed")
        self.assertEqual(self.seen, ["POST /berths", "GET /berths/b-1"])

    def test_what_runs_once_is_said(self):
        self.send(0, 1)
        found = self.before(4)
        self.assertEqual((found["items"], found["once"]), ([], ["token"]))
        self.app.run(cases=[self.id])
        self.assertEqual(self.before(4), {"items": [], "names": [], "once": []})

    def test_another_environment_has_values_of_its_own(self):
        self.send(0)
        self.assertEqual(self.before(1)["items"], [])
        self.assertEqual(len(self.before(1, environment="Live")["items"]), 1)


if __name__ == "__main__":
    unittest.main()
