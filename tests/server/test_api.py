"""The API over the whole application: documents, runs, evidence, events, and who may talk to it."""

import http.client
import json
import re
import subprocess
import sys
import unittest
import urllib.request

from saltpath.server.app import contract, make_app
from tests.application import PATIENCE_S, Application, free_port
from tests.engine.answering import answering

NEW = (
    "salt-path: 1\n# mine\ncase: Pilots are listed\nsteps:\n  - request: List\n    send: GET "
    "[=harbour]/pilots\n    expect: [ { of: status, is: 200 } ]\n"
)


class Api(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.app = cls.enterClassContext(Application())
        first = cls.app.get(f"/runs?project={cls.app.project}")["items"][0]
        cls.first = cls.app.finished(first["id"])

    def test_the_demonstration_runs_as_the_command_line_runs_it(self):
        self.assertEqual(self.first["counts"], {"passed": 20, "failed": 3, "unchecked": 1})
        of_troubles = self.app.finished(
            self.app.get(f"/runs?project={self.app.troubles}")["items"][-1]["id"]
        )
        self.assertEqual(of_troubles["counts"], {"passed": 4, "failed": 6, "blocked": 21})
        both = [*self.first["cases"], *of_troubles["cases"]]
        by_name = {case["name"]: case["why"]["sentence"] for case in both if case["why"]}
        self.assertEqual(
            by_name["A misspelt path says what is there"],
            "nothing at $.totl; did you mean $.total?",
        )
        self.assertEqual(
            by_name["A long vessel gets a berth long enough"],
            "$.berth.metres was 120, expected at least 141.9",
        )

    def test_evidence_is_kept_exactly_and_masked(self):
        position = next(
            c["position"] for c in self.first["cases"] if c["name"].startswith("Register numbers")
        )
        step = self.app.get(f"/runs/{self.first['id']}/cases/{position}")["items"][0]
        self.assertEqual(
            [check["actual"] for check in step["checks"]],
            ["200", "9007199254740993", "23.4", "9007199254740993"],
        )
        status, headers, body = self.app.ask("GET", f"/exchanges/{step['exchanges'][0]['id']}/body")
        self.assertEqual((status, headers["Content-Disposition"]), (200, "attachment"))
        self.assertIn(b'"registerNumber":9007199254740993', body)
        everything = json.dumps(self.app.get(f"/runs/{self.first['id']}/cases/0"))
        self.assertNotIn("salt-and-tar", everything)
        self.assertIn("Authorization: Bearer \\u25cf", everything)

    def test_a_long_answer_is_compared_with_the_last_pass_to_its_end(self):
        """What a check saw is kept as far as it is shown; what later runs compare with is kept
        whole, also where advice did not hold."""
        bodies = {"/long": json.dumps({"of": ["x"] * 20_000}).encode()}
        steps = [
            {
                "request": "Long",
                "send": "GET [=there]/long",
                "expect": [
                    {"of": "status", "is": 200},
                    {"of": "$.of", "same as last pass": True, "advice": True},
                    {"of": "$.of", "is": "[=answer $.of]"},
                ],
            }
        ]
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        with answering(bodies) as there:
            document = {"salt-path": 1, "case": "Long", "values": {"there": there}, "steps": steps}
            case = self.app.ask(
                "POST",
                "/cases",
                {"project": self.app.project, "suite": suite, "document": document},
            )
            seen = []
            for last in ("x", "x", "y", "y", "x"):
                bodies["/long"] = json.dumps({"of": ["x"] * 19_999 + [last]}).encode()
                run = self.app.run(cases=[case[2]["id"]])
                self.assertEqual(run["verdict"], "passed")
                [step] = self.app.get(f"/runs/{run['id']}/cases/0")["items"]
                seen.append(step["checks"][1]["verdict"])
                self.assertEqual(
                    [len(check["actual"]) for check in step["checks"]], [3, 2_000, 2_000]
                )
        self.assertEqual(seen, ["passed", "passed", "failed", "passed", "failed"])

    def test_a_case_is_saved_on_the_version_that_was_read(self):
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        status, headers, made = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "text": NEW}
        )
        self.assertEqual((status, headers["Etag"], made["version"]), (201, '"1"', 1))
        self.assertRegex(made["key"], "^[a-z0-9]{10}$")
        self.assertIn("# mine\ncase:", made["text"])
        address = f"/cases/{made['id']}"
        changed = made["text"].replace("is: 200", "is: 201")
        self.assertEqual(self.app.ask("PUT", address, {"text": changed})[0], 428)
        status, _, saved = self.app.ask("PUT", address, {"text": changed}, If_Match='"1"')
        self.assertEqual(
            (status, saved["version"], saved["steps"][0]["expect"][0]["sentence"]),
            (200, 2, "status is 201"),
        )
        status, _, problem = self.app.ask("PUT", address, {"text": made["text"]}, If_Match='"1"')
        self.assertEqual((status, problem["version"]), (412, 2))
        status, _, problem = self.app.ask(
            "PUT", address, {"text": changed.replace("send:", "sned:")}, If_Match='"2"'
        )
        self.assertEqual((status, problem["code"]), (422, "not-the-format"))
        self.assertIn("did you mean 'send'?", problem["problems"][0]["sentence"])
        run = self.app.run(cases=[made["id"]])
        self.assertEqual(run["verdict"], "failed")

    def test_runs_are_asked_for_once(self):
        body = {
            "project": self.app.project,
            "cases": [self.app.cases()["Free berths are listed"]],
            "seed": 5,
            "build": "3.3",
        }
        first = self.app.ask("POST", "/runs", body, Idempotency_Key="one")
        second = self.app.ask("POST", "/runs", body, Idempotency_Key="one")
        self.assertEqual((first[0], second[0], second[2]["id"]), (201, 200, first[2]["id"]))
        self.assertEqual((first[2]["seed"], first[2]["build"]), (5, "3.3"))
        self.assertEqual(self.app.finished(first[2]["id"])["verdict"], "passed")

    def test_a_step_by_itself_gets_the_values_of_the_last_run(self):
        case = self.app.cases()["A visiting vessel is given a berth"]
        before = len(self.app.get(f"/runs?project={self.app.project}")["items"])
        asked = {"project": self.app.project, "cases": [case], "kind": "trial", "steps": [3]}
        needed = self.app.ask("POST", "/steps-before", asked)[2]["items"]
        self.assertEqual(
            [step["index"] for step in needed], [0], "the secret token is not known any more"
        )
        trial = self.app.run(cases=[case], kind="trial", steps=[0, 3])
        steps = trial["cases"][0]["steps"]
        self.assertEqual(
            [step["index"] for step in steps], [0, 3], "the secret token is fetched anew"
        )
        evidence = self.app.get(f"/cases/{case}/evidence")
        sent = next(
            step for step in evidence["steps"] if step["runKind"] == "trial" and step["index"] == 3
        )
        self.assertRegex(sent["exchanges"][0]["address"], r"/port-calls/PC-\d+$")
        self.assertEqual(
            len(self.app.get(f"/runs?project={self.app.project}")["items"]),
            before,
            "trials stay out of history",
        )

    def test_a_run_is_stopped(self):
        case = self.app.cases(self.app.troubles)["What the desk sees on a bad day"]
        _, _, run = self.app.ask("POST", "/runs", {"project": self.app.troubles, "cases": [case]})
        self.app.wait(lambda: len(self.app.get(f"/runs/{run['id']}")["cases"][0]["steps"]) >= 1)
        status, _, _ = self.app.ask("POST", f"/runs/{run['id']}/stop")
        self.assertIn(status, (202, 409))
        done = self.app.finished(run["id"])
        if status == 202 and done["stoppedBy"]:
            self.assertEqual(done["stoppedBy"], "Ines Wathne")
        self.assertEqual(self.app.ask("POST", f"/runs/{run['id']}/stop")[0], 409)

    def test_events_come_as_a_list_and_as_a_stream(self):
        events = self.app.get(f"/events?project={self.app.project}&after=0&limit=1000")["items"]
        kinds = {event["type"] for event in events}
        self.assertLessEqual(
            {
                "run asked",
                "run started",
                "case started",
                "steps finished",
                "case finished",
                "run finished",
            },
            kinds,
        )
        address = f"{self.app.address}/api/v1/events/stream?project={self.app.project}"
        request = urllib.request.Request(address, headers={"Last-Event-ID": "0"})
        with urllib.request.urlopen(request, timeout=PATIENCE_S) as stream:
            lines = [stream.readline() for _ in range(8)]
        self.assertIn(b"id: 1\n", lines)

    def test_pages_of_runs(self):
        for _ in range(2):
            self.app.run(cases=[self.app.cases()["Free berths are listed"]])
        first = self.app.get(f"/runs?project={self.app.project}&limit=1")
        second = self.app.get(f"/runs?project={self.app.project}&limit=1&before={first['next']}")
        self.assertEqual(first["items"][0]["number"], second["items"][0]["number"] + 1)

    def test_bad_calls_are_answered_with_a_problem(self):
        project = self.app.project
        for method, path, body, status in [
            ("GET", "/cases/case_none", None, 404),
            ("GET", "/runs/run_none", None, 404),
            ("GET", "/nothing", None, 404),
            ("GET", "/suites", None, 400),
            ("GET", "/suites?project=x", None, 404),
            ("GET", f"/runs?project={project}&limit=0", None, 400),
            ("GET", f"/runs?project={project}&before=x", None, 400),
            ("GET", f"/events?project={project}&after=99999999999999999999", None, 400),
            ("GET", "/exchanges/a.b.c/body", None, 404),
            ("DELETE", "/runs", None, 405),
            ("POST", "/runs", {}, 422),
            ("POST", "/runs", {"project": "x"}, 404),
            ("POST", "/runs", {"project": project, "job": 2}, 422),
            ("POST", "/runs", {"project": project, "cases": []}, 422),
            ("POST", "/runs", {"project": project, "cases": ["x"]}, 422),
            ("POST", "/runs", {"project": project, "environment": "Mars"}, 422),
            ("POST", "/runs", {"project": project, "seed": "x"}, 422),
            ("POST", "/runs", {"project": project, "jobs": 0}, 422),
            ("POST", "/runs", {"project": project, "steps": [0]}, 422),
            ("POST", "/runs", {"project": project, "values": {"a": 1}}, 422),
            ("POST", "/runs", {"project": project, "kind": "watch"}, 422),
            ("POST", "/cases", {"project": project}, 422),
            ("POST", "/runs", [1], 400),
        ]:
            with self.subTest(f"{method} {path} {body}"):
                answered, headers, problem = self.app.ask(method, path, body)
                self.assertEqual(
                    (answered, headers["Content-Type"]), (status, "application/problem+json")
                )
                self.assertEqual(problem["status"], status)
                self.assertTrue(problem["title"])

    def raw(
        self, method: str, path: str, body: bytes = b"", **headers: str
    ) -> http.client.HTTPResponse:
        connection = http.client.HTTPConnection("127.0.0.1", self.app.port, timeout=PATIENCE_S)
        self.addCleanup(connection.close)
        connection.request(
            method, path, body, {name.replace("_", "-"): value for name, value in headers.items()}
        )
        return connection.getresponse()

    def test_documents_that_are_nested_too_deeply_are_refused(self):
        deep: object = 1
        for _ in range(400):
            deep = [deep]
        document = {"salt-path": 1, "case": "Deep", "steps": [], "values": {"a": deep}}
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        status, _, problem = self.app.ask(
            "POST", "/cases", {"project": self.app.project, "suite": suite, "document": document}
        )
        self.assertEqual((status, problem["title"]), (422, "nested deeper than 100 levels"))

    def test_a_second_application_in_the_folder_or_on_the_port_is_refused(self):
        for data, port, words in [
            (self.app.data, free_port(), "another Salt Path works in"),
            (self.app.data.parent / "other", self.app.port, "cannot be listened on"),
        ]:
            command = [
                sys.executable,
                "-m",
                "saltpath.cli",
                "serve",
                "--data",
                str(data),
                "--port",
                str(port),
            ]
            done = subprocess.run(command, capture_output=True, text=True, timeout=PATIENCE_S)
            self.assertEqual(done.returncode, 2)
            self.assertIn(words, done.stderr)

    def test_a_run_that_cannot_begin_is_blocked_and_the_runners_go_on(self):
        key = self.app.data / "secret.key"
        right = key.read_bytes()
        case = self.app.cases()["Free berths are listed"]
        key.write_bytes(bytes(32))
        try:
            run = self.app.run(cases=[case])
        finally:
            key.write_bytes(right)
        self.assertEqual(run["verdict"], "blocked")
        self.assertIn("cannot be read with secret.key", run["cases"][0]["why"]["sentence"])
        self.assertEqual(self.app.run(cases=[case])["verdict"], "passed")

    def test_strangers_are_turned_away(self):
        json_type = {"Content_Type": "application/json"}
        self.assertEqual(self.raw("GET", "/api/v1/me", Host="evil.example").status, 421)
        self.assertEqual(
            self.raw("GET", "/api/v1/me", Host=f"localhost:{self.app.port}").status, 200
        )
        self.assertEqual(
            self.raw(
                "POST", "/api/v1/runs", b"{}", Origin="http://evil.example", **json_type
            ).status,
            403,
        )
        self.assertEqual(
            self.raw(
                "POST", "/api/v1/runs", b"{}", Sec_Fetch_Site="cross-site", **json_type
            ).status,
            403,
        )
        self.assertEqual(
            self.raw("POST", "/api/v1/runs", b"{}", Content_Type="text/plain").status, 415
        )
        self.assertEqual(self.raw("POST", "/api/v1/runs", b"{", **json_type).status, 400)
        self.assertEqual(self.raw("POST", "/api/v1/runs", b"[" * 100_000, **json_type).status, 400)

    def test_pages_have_a_strict_policy_and_a_new_nonce_each_time(self):
        nonces = set()
        for path in ("/", "/cases", "/runs/run_x"):
            answer = self.raw("GET", path)
            policy = answer.getheader("Content-Security-Policy")
            self.assertIn("script-src 'self';", policy)
            self.assertNotIn("unsafe", policy)
            nonce = re.search(r"'nonce-([^']+)'", policy)[1]
            self.assertIn(nonce.encode(), answer.read())
            nonces.add(nonce)
        self.assertEqual(len(nonces), 3)

    def test_the_contract_names_every_route(self):
        app = make_app(self.app.data)
        routes = set()
        for rule in app.url_map.iter_rules():
            if rule.rule.startswith("/api/v1"):
                path = re.sub(r"<(?:\w+:)?(\w+)>", r"{\1}", rule.rule.removeprefix("/api/v1"))
                routes |= {(path, method.lower()) for method in rule.methods - {"HEAD", "OPTIONS"}}
        self.assertEqual(
            routes,
            {(path, method) for path, item in contract()["paths"].items() for method in item},
        )
