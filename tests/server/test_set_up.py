"""Cases that set a suite up and clean up after it, on the server: a run of any other has them, what
they kept outlives a runner, and a case becomes one without losing another's edit."""

import json
import sqlite3
import threading
import time
import unittest
import urllib.request
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

from tests.application import Application

CHECK = [{"of": "status", "is": 200}]


class _Quay(BaseHTTPRequestHandler):
    seen: list[str]

    def do_GET(self) -> None:
        self.seen.append(self.path)
        if "slow" in self.path:
            time.sleep(1.5)
        octets = json.dumps({"token": "T-4711", "berth": 5}).encode()
        self.send_response(200)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(octets)))
        self.end_headers()
        self.wfile.write(octets)

    def log_message(self, *_: object) -> None:
        pass


class Quays(unittest.TestCase):
    """An application with a suite that is set up, and a server that it asks."""

    @classmethod
    def setUpClass(cls) -> None:
        cls.app = cls.enterClassContext(Application())
        cls.seen: list[str] = []
        server = ThreadingHTTPServer(("127.0.0.1", 0), type("Quay", (_Quay,), {"seen": cls.seen}))
        cls.at = f"http://127.0.0.1:{server.server_address[1]}"
        threading.Thread(target=server.serve_forever, daemon=True).start()
        cls.addClassCleanup(server.server_close)
        cls.addClassCleanup(server.shutdown)

    def setUp(self) -> None:
        self.suite = self.make_suite("Quay")
        self.open = self.make(
            "Open",
            "open",
            {"keep": {"token": {"of": "$.token", "secret": True}, "berth": "$.berth"}},
        )
        self.one = self.make("One", "one?b=[=berth]", {"headers": {"Key": "[=suite.token]"}})
        self.two = self.make("Two", "two?t=[=token]")
        self.close = self.make("Close", "close?t=[=token]")
        self.role(self.open, "set up")
        self.role(self.close, "clean up")
        self.seen.clear()

    def make_suite(self, name: str) -> str:
        body = {"project": self.app.project, "name": name}
        return self.app.ask("POST", "/suites", body)[2]["id"]

    def make(self, name: str, path: str, more: dict[str, Any] | None = None) -> str:
        step = {"request": "Ask", "send": f"GET {self.at}/{path}", "expect": CHECK, **(more or {})}
        document = {"salt-path": 1, "case": name, "steps": [step]}
        body = {"project": self.app.project, "suite": self.suite, "document": document}
        return self.app.ask("POST", "/cases", body)[2]["id"]

    def role(self, case: str, role: str) -> int:
        return self.app.ask("PUT", f"/cases/{case}/role", {"role": role})[0]

    def roles(self) -> dict[str, str]:
        suites = self.app.get(f"/suites?project={self.app.project}")["items"]
        [suite] = [suite for suite in suites if suite["id"] == self.suite]
        return {case["name"]: case["role"] for case in suite["cases"]}


class SetUp(Quays):
    def test_a_run_of_one_case_has_those_around_it(self) -> None:
        self.assertEqual(
            self.roles(), {"Open": "set up", "One": "", "Two": "", "Close": "clean up"}
        )
        for asked in ({"cases": [self.one]}, {"cases": [self.one], "kind": "trial"}):
            self.seen.clear()
            run = self.app.run(**asked)
            self.assertEqual(
                [(case["name"], case["verdict"]) for case in run["cases"]],
                [("Open", "passed"), ("One", "passed"), ("Close", "passed")],
            )
            self.assertEqual(run["title"], "One")
            self.assertEqual(self.seen, ["/open", "/one?b=5", "/close?t=T-4711"])
            steps = json.dumps(self.app.get(f"/runs/{run['id']}/cases/1"))
            self.assertNotIn("T-4711", steps)

    def test_a_step_alone_is_given_what_was_handed_down_last(self) -> None:
        berth = self.make("Berth", "berth?b=[=berth]")
        self.app.run(cases=[self.one])
        self.seen.clear()
        asked = {"cases": [berth], "kind": "trial", "steps": [0]}
        before = self.app.ask("POST", "/steps-before", {"project": self.app.project, **asked})[2]
        self.assertEqual(before, {"items": [], "names": [], "once": []})
        run = self.app.run(**asked)
        self.assertEqual([case["name"] for case in run["cases"]], ["Berth"])
        self.assertEqual(self.seen, ["/berth?b=5"])

    def test_a_step_says_which_build_it_met(self) -> None:
        keep = {"keep": {"berth": {"of": "$.berth", "build": True}}}
        self.make("Version", "version", keep)
        run = self.app.run(suite=self.suite)
        self.assertEqual(run["build"], "5")
        self.assertEqual(self.app.run(suite=self.suite, build="3.3")["build"], "3.3")
        self.make("Other", "other", {"keep": {"type": {"of": "type", "build": True}}})
        self.make("Masked", "masked", {"keep": {"token": {"of": "$.token", "build": True}}})
        met = set(self.app.run(suite=self.suite)["build"].split(", "))
        self.assertEqual(met, {"5", "application/json"}, "what is a secret elsewhere is none")
        secret = {"keep": {"token": {"of": "$.token", "build": True, "secret": True}}}
        document = {
            "salt-path": 1,
            "case": "No",
            "steps": [{"request": "R", "send": "GET http://x/", **secret}],
        }
        body = {"project": self.app.project, "suite": self.suite, "document": document}
        self.assertEqual(self.app.ask("POST", "/cases", body)[0], 422)

    def test_findings_know_what_is_handed_down(self) -> None:
        found = self.app.get(f"/cases/{self.two}")["findings"]
        self.assertFalse(any(one["name"] == "token" for one in found), found)
        scope = self.app.get(f"/cases/{self.two}")["scope"]
        self.assertIn(("token", "suite"), [(one["name"], one["from"]) for one in scope])
        self.assertEqual(self.role(self.open, ""), 200)
        found = self.app.get(f"/cases/{self.two}")["findings"]
        self.assertTrue(any(one["name"] == "token" for one in found), found)

    def test_a_set_up_that_is_bad_is_one_cause(self) -> None:
        held = self.app.get(f"/cases/{self.open}")
        [step] = held["document"]["steps"]
        bad = {**step, "expect": [{"of": "status", "is": 418}]}
        document = {**held["document"], "steps": [bad]}
        version = {"If_Match": f'"{held["version"]}"'}
        self.app.ask("PUT", f"/cases/{self.open}", {"document": document}, **version)
        run = self.app.run(suite=self.suite)
        verdicts = {case["name"]: case["verdict"] for case in run["cases"]}
        self.assertEqual(
            (verdicts["Open"], verdicts["One"], verdicts["Two"]), ("failed", "blocked", "blocked")
        )
        causes = self.app.get(f"/runs/{run['id']}/causes")["items"]
        set_up = [cause for cause in causes if "could not be set up" in cause["sentence"]]
        self.assertEqual([cause["cases"] for cause in set_up], [2], causes)

    def test_what_was_handed_down_outlives_the_runner(self) -> None:
        slow = self.make("Slow", "slow?t=[=token]")
        late = self.make("Z late", "late?t=[=token]")
        body = {"project": self.app.project, "cases": [slow, late, self.two], "jobs": 1}
        run = self.app.ask("POST", "/runs", body)[2]
        self.app.wait(lambda: any("slow" in path for path in self.seen))
        self.app.kill("runner")
        done = self.app.finished(run["id"])
        verdicts = {case["name"]: case["verdict"] for case in done["cases"]}
        self.assertEqual(
            {name: verdicts[name] for name in ("Open", "Two", "Z late")},
            {"Open": "passed", "Two": "passed", "Z late": "passed"},
        )
        self.assertEqual(self.seen.count("/open"), 1, "it is set up once")
        self.assertIn("/late?t=T-4711", self.seen)
        self.assertEqual(self.seen[-1], "/close?t=T-4711")

    def test_who_leaves_is_none_any_more(self) -> None:
        other = self.make_suite("Other")
        self.app.ask("POST", f"/cases/{self.open}/move", {"suite": other})
        self.assertEqual(self.app.ask("DELETE", f"/cases/{self.close}")[0], 200)
        self.assertEqual(self.roles(), {"One": "", "Two": ""})
        run = self.app.run(cases=[self.two])
        self.assertEqual(len(run["cases"]), 1)

    def test_a_name_that_fits_no_case_is_said_and_goes(self) -> None:
        """As a folder of files may bring it."""
        with sqlite3.connect(self.app.data / "saltpath.db") as main:
            main.execute(
                "UPDATE suite SET document = json_set(document, '$.\"set up\"[0]', 'nobody') "
                "WHERE oid = ?",
                (self.suite,),
            )
            main.execute("UPDATE suite SET version = version + 1 WHERE oid = ?", (self.suite,))
        main.close()
        body = {"project": self.app.project, "cases": [self.one]}
        status, _, problem = self.app.ask("POST", "/runs", body)
        self.assertEqual(status, 422)
        self.assertIn("has no case nobody, which sets it up", problem["title"])
        self.role(self.open, "set up")
        self.assertEqual(self.app.run(cases=[self.two])["verdict"], "passed")

    def test_other_tabs_are_told_of_suites_and_new_cases(self) -> None:
        def told() -> list[str]:
            path = f"/events?project={self.app.project}&after={last}"
            types = [event["type"] for event in self.app.get(path)["items"]]
            return [type for type in types if type.endswith("changed")]

        last = 0
        while items := self.app.get(f"/events?project={self.app.project}&after={last}")["items"]:
            last = items[-1]["id"]
        self.role(self.one, "clean up")
        self.make_suite("Another")
        self.app.ask("PATCH", f"/suites/{self.suite}", {"before": None})
        self.make("New", "new")
        self.assertEqual(told(), ["suites changed"] * 3 + ["case changed"])

    def test_roles_given_at_once_all_stand(self) -> None:
        cases = [self.make(f"Up {number}", "up") for number in range(8)]
        threads = [threading.Thread(target=self.role, args=(case, "set up")) for case in cases]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        ups = [name for name, role in self.roles().items() if role == "set up"]
        self.assertEqual(len(ups), 9)

    def test_another_role_is_refused(self) -> None:
        for bad in ("nobody", 5, None, ["set up"]):
            status, _, answer = self.app.ask("PUT", f"/cases/{self.one}/role", {"role": bad})
            self.assertIn(status, (400, 422), answer)


class Folders(Quays):
    """The same suite in a folder that is set up, too: what the folder says reaches it."""

    def setUp(self) -> None:
        super().setUp()
        quay = self.suite
        self.suite = self.port = self.make_suite("Port")
        self.moor = self.make("Moor", "moor", {"keep": {"rope": "$.berth"}})
        self.unmoor = self.make("Unmoor", "unmoor?r=[=rope]")
        self.role(self.moor, "set up")
        self.role(self.unmoor, "clean up")
        self.suite = quay
        self.change(quay, into=self.port)
        self.seen.clear()

    def change(self, suite: str, status: int = 200, **change: Any) -> Any:
        done = self.app.ask("PATCH", f"/suites/{suite}", change)
        self.assertEqual(done[0], status, done)
        return done[2]

    def test_a_run_of_one_case_has_those_around_it(self) -> None:
        for asked in ({"cases": [self.one]}, {"cases": [self.one], "kind": "trial"}):
            self.seen.clear()
            run = self.app.run(**asked)
            self.assertEqual(
                [(case["name"], case["verdict"]) for case in run["cases"]],
                [(name, "passed") for name in ("Moor", "Open", "One", "Close", "Unmoor")],
            )
            around = ["/moor", "/open", "/one?b=5", "/close?t=T-4711", "/unmoor?r=5"]
            self.assertEqual(self.seen, around)

    def test_a_step_alone_is_given_what_was_handed_down_last(self) -> None:
        berth = self.make("Berth", "berth?b=[=berth]&r=[=rope]")
        self.app.run(cases=[self.one])
        self.seen.clear()
        self.app.run(cases=[berth], kind="trial", steps=[0])
        self.assertEqual(self.seen, ["/berth?b=5&r=5"])

    def test_its_values_and_tags_reach_what_is_in_it(self) -> None:
        name = f"quay-{self.port[-5:]}"
        tag = f"port-{self.port[-5:]}"
        self.change(self.port, tags=[tag, " ", tag])
        put = {"kind": "put", "name": name, "suite": self.port, "environment": "", "text": "north"}
        body = {"project": self.app.project, "changes": [put]}
        self.assertEqual(self.app.ask("POST", "/values", body)[2]["faults"], [])
        which = self.make("Which", f"which?q=[={name}]&s=[=suite.{name}]")
        run = self.app.run(tags=[tag])
        self.assertEqual(
            sorted(case["name"] for case in run["cases"]),
            ["Close", "Moor", "One", "Open", "Two", "Unmoor", "Which"],
        )
        self.assertIn("/which?q=north&s=north", self.seen)
        self.assertEqual([case["tags"] for case in run["cases"]], [[tag]] * 7)
        held = self.app.get(f"/cases/{which}")
        self.assertFalse([one for one in held["findings"] if one["name"] == name])
        rows = self.app.get(f"/values?project={self.app.project}")["items"]
        [row] = [row for row in rows if row["name"] == name]
        self.assertEqual(
            ([case["name"] for case in row["cases"]], row["suite"]), (["Which"], self.port)
        )
        body = {"project": self.app.project, "name": name, "suite": self.port, "to": name + "x"}
        self.assertEqual(self.app.ask("POST", "/value-names", body)[2], {"cases": 1})
        [step] = self.app.get(f"/cases/{which}")["document"]["steps"]
        self.assertEqual(step["send"], f"GET {self.at}/which?q=[={name}x]&s=[=suite.{name}x]")

    def test_the_folder_is_run_as_a_whole(self) -> None:
        run = self.app.run(suite=self.port)
        self.assertEqual((run["title"], len(run["cases"])), ("Port", 6))
        self.assertEqual([path[:4] for path in self.seen[:2]], ["/moo", "/ope"])
        self.assertEqual(self.seen[-1], "/unmoor?r=5")
        badge = f"/api/v1/badge?project={self.app.project}&suite={self.port}"
        with urllib.request.urlopen(self.app.address + badge) as answer:
            self.assertIn("6 of 6", answer.read().decode())

    def test_where_suites_can_stand(self) -> None:
        inner = self.make_suite("Inner")
        self.change(inner, into=self.suite)
        suites = {one["id"]: one for one in self.outline()}
        self.assertEqual(suites[inner]["within"], self.suite)
        self.assertEqual(suites[inner]["folder"], suites[self.suite]["folder"] + "/inner")
        for into in (inner, self.suite, self.port):
            self.change(self.port, 409, into=into)
        self.change(self.suite, 404, into="suite_nosuchsuite0")
        self.assertEqual(self.app.ask("DELETE", f"/suites/{self.port}")[0], 409)
        self.change(self.suite, into=None)
        suites = {one["id"]: one for one in self.outline()}
        self.assertIsNone(suites[self.suite]["within"])
        self.assertEqual(suites[inner]["within"], self.suite, "what is in it goes with it")
        self.seen.clear()
        self.app.run(cases=[self.one])
        self.assertEqual(self.seen, ["/open", "/one?b=5", "/close?t=T-4711"])

    def outline(self) -> list[dict[str, Any]]:
        return self.app.get(f"/suites?project={self.app.project}")["items"]


if __name__ == "__main__":
    unittest.main()
