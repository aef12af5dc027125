"""One run against several environments: a column each, with the values, the set-up, the guard and
the history of each."""

import json
import threading
import unittest
import urllib.request
from http.server import ThreadingHTTPServer
from typing import Any

from tests.application import Application
from tests.engine.answering import Handler

CHECK = [{"of": "status", "is": 200}]


class _Pier(Handler):
    seen: list[str]

    def do_GET(self) -> None:
        self.seen.append(self.path)
        body = json.dumps({"berth": 5, "path": self.path}).encode()
        self.give(body, status=500 if "bad" in self.path else 200)

    do_POST = do_GET


class SideBySide(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.app = cls.enterClassContext(Application())
        cls.seen: list[str] = []
        server = ThreadingHTTPServer(("127.0.0.1", 0), type("Pier", (_Pier,), {"seen": cls.seen}))
        cls.at = f"http://127.0.0.1:{server.server_address[1]}"
        threading.Thread(target=server.serve_forever, args=(0.02,), daemon=True).start()
        cls.addClassCleanup(server.server_close)
        cls.addClassCleanup(server.shutdown)
        cls.project = cls.app.ask("POST", "/projects", {"name": "Piers"})[2]["id"]
        about = {"project": cls.project}
        for name in ("North", "South"):
            cls.app.ask("POST", "/environments", {**about, "name": name})
        changes = [
            {"kind": "put", "name": "pier", "suite": "", "environment": name, "text": text}
            for name, text in (("North", "north"), ("South", "bad-south"))
        ]
        cls.app.ask("POST", "/values", {**about, "changes": changes})
        cls.suite = cls.app.ask("POST", "/suites", {**about, "name": "Quay"})[2]["id"]
        cls.one = cls.make("One", "GET", "one", {"where": "[=run.environment]"})
        cls.two = cls.make("Two", "GET", "two")

    @classmethod
    def make(cls, name: str, method: str, path: str, query: Any = None) -> str:
        step = {"request": "Ask", "send": f"{method} {cls.at}/{path}/[=pier]", "expect": CHECK}
        step |= {"query": query} if query else {}
        document = {"salt-path": 1, "case": name, "steps": [step]}
        body = {"project": cls.project, "suite": cls.suite, "document": document}
        return str(cls.app.ask("POST", "/cases", body)[2]["id"])

    def setUp(self) -> None:
        self.seen.clear()

    def run_both(self, status: int = 201, **asked: Any) -> dict[str, Any]:
        body = {"project": self.project, "environments": ["North", "South"], **asked}
        done = self.app.ask("POST", "/runs", body)
        self.assertEqual(done[0], status, done)
        return self.app.finished(done[2]["id"]) if status == 201 else done[2]

    def test_each_case_goes_to_each(self) -> None:
        run = self.run_both(cases=[self.one, self.two], jobs=4)
        self.assertEqual((run["environment"], run["verdict"]), ("North and South", "failed"))
        self.assertEqual(run["environments"], ["North", "South"])
        self.assertEqual(
            [(case["name"], case["environment"], case["verdict"]) for case in run["cases"]],
            [
                (name, there, verdict)
                for name in ("One", "Two")
                for there, verdict in (("North", "passed"), ("South", "failed"))
            ],
        )
        asked = ["/one/north?where=North", "/one/bad-south?where=South"]
        self.assertEqual(sorted(self.seen), sorted([*asked, "/two/north", "/two/bad-south"]))
        causes = self.app.get(f"/runs/{run['id']}/causes")["items"]
        who = sorted(cause["who"] for cause in causes)
        self.assertEqual(who, ["“One” against South", "“Two” against South"])
        held = self.app.get(f"/suites?project={self.project}")["items"][0]["cases"]
        self.assertEqual([case["last"]["verdict"] for case in held[:2]], ["failed", "failed"])
        for name, verdict in (("North", "passed"), ("South", "failed")):
            found = self.app.get(f"/cases/{self.one}/history?environment={name}")["items"]
            self.assertEqual((found[0]["verdict"], found[0]["environment"]), (verdict, name))
            badge = f"/api/v1/badge?project={self.project}&environment={name}"
            with urllib.request.urlopen(self.app.address + badge) as answer:
                said = "2 of 2 pass" if name == "North" else "0 of 2 pass"
                self.assertIn(said, answer.read().decode())
        for query, status in (("", 200), ("&environment=South", 500), ("&environment=North", 200)):
            found = self.app.get(f"/cases/{self.one}/evidence?run={run['id']}{query}")["steps"]
            self.assertEqual(found[0]["exchanges"][0]["status"], status)
        junit = self.app.ask("GET", f"/runs/{run['id']}/report?format=junit")[2]
        self.assertIn(b'name="One (South)"', junit)
        self.seen.clear()
        again = self.app.get(f"/runs/{run['id']}/cases/1/since-pass?part=steps&index=0&row=1")
        self.assertIsNone(again["run"], "what passed in North is no measure of South")

    def test_a_cause_says_where_it_was_met(self) -> None:
        four = self.make("Four", "GET", "bad")
        run = self.run_both(cases=[self.one, four])
        causes = self.app.get(f"/runs/{run['id']}/causes")["items"]
        self.assertEqual([cause["who"] for cause in causes], ["“Four”", "“One” against South"])
        told = self.app.get(f"/runs/{run['id']}/outcome")["causes"]
        self.assertEqual([cause["who"] for cause in told], ["“Four”", "“One” against South"])

    def test_kept_values_are_told_by_where_they_were_kept(self) -> None:
        keep = {"keep": {"met": "$.path", "pin": {"of": "$.berth", "secret": True}}}
        step = {"request": "Ask", "send": f"GET {self.at}/kept", "expect": CHECK, **keep}
        step["query"] = {"where": "[=run.environment]"}
        document = {"salt-path": 1, "case": "Kept", "steps": [step]}
        body = {"project": self.project, "suite": self.suite, "document": document}
        case = self.app.ask("POST", "/cases", body)[2]["id"]
        both = {"project": self.project, "environments": ["North", "South"], "cases": [case]}
        done = self.app.ask("POST", "/runs", {**both, "wait": 60, "want": ["met", "pin"]})[2]
        self.assertEqual(
            done["kept"]["met"], {"North": "/kept?where=North", "South": "/kept?where=South"}
        )
        self.assertEqual(set(done["kept"]["pin"].values()), {"●●●"})

    def test_side_by_side_with_another_run(self) -> None:
        both = self.run_both(cases=[self.one])
        north = {"project": self.project, "environment": "North", "cases": [self.one]}
        alone = self.app.finished(self.app.ask("POST", "/runs", north)[2]["id"])
        found = self.app.get(f"/runs/{alone['id']}/compared?with={both['id']}")["cases"]
        self.assertEqual(
            [(one["environment"], one["became"]) for one in found],
            [("South", "only there"), ("North", "same")],
        )

    def test_only_what_is_guarded_is_asked_about(self) -> None:
        three = self.make("Three", "POST", "three")
        held = self.app.get(f"/environments?project={self.project}")["items"]
        south = next(one["id"] for one in held if one["name"] == "South")
        self.app.ask("PATCH", f"/environments/{south}", {"guarded": True})
        self.addCleanup(self.app.ask, "PATCH", f"/environments/{south}", {"guarded": False})
        told = self.run_both(409, cases=[three])
        self.assertIn("South is guarded", told["title"])
        run = self.run_both(cases=[three], changes=[])
        self.assertEqual([case["verdict"] for case in run["cases"]], ["passed", "skipped"])
        self.assertEqual(self.seen, ["/three/north"])

    def test_what_cannot_be_meant_is_refused(self) -> None:
        for asked in (
            {"environment": "North"},
            {"environments": ["North", "East"]},
            {"environments": []},
            {"environments": ["North"] * 7},
            {"kind": "trial", "cases": [self.one]},
        ):
            told = self.run_both(422, **asked)
            self.assertTrue(told["title"], json.dumps(told))


if __name__ == "__main__":
    unittest.main()
