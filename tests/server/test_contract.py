"""The API keeps its own contract: every answer is one that its OpenAPI document declares, in
status, type and body; problems too."""

import json
import unittest
import urllib.error
import urllib.request

import jsonschema

from tests.application import PATIENCE_S, Application

DOCUMENT = {
    "salt-path": 1,
    "case": "Held to it",
    "steps": [
        {
            "request": "List",
            "key": "lst001",
            "send": "GET [=harbour]/vessels",
            "expect": [{"of": "status", "is": 200}, {"of": "$.total", "is": 99}],
            "keep": {"id": "$.items[0].id"},
        },
        {"set": {"a": "[=id]"}, "key": "set001"},
        {"wait": "1 ms", "key": "wai001"},
        {
            "request": "Read",
            "key": "rd0001",
            "send": "GET [=harbour]/vessels/V-101",
            "auth": {"bearer": "x"},
            "expect": [{"any of": [{"of": "status", "is": 200}]}],
        },
    ],
}


class Contract(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.app = app = cls.enterClassContext(Application())
        cls.contract = app.get("/openapi.json")
        suite = app.ask("POST", "/suites", {"project": app.project, "name": "Held"})[2]["id"]
        case = app.ask(
            "POST", "/cases", {"project": app.project, "suite": suite, "document": DOCUMENT}
        )[2]["id"]
        run = app.run(cases=[case])["id"]
        app.run(cases=[case])
        step = next(s for s in app.get(f"/cases/{case}/evidence")["steps"] if s["exchanges"])
        cls.ids = {
            "/projects/{id}": app.project,
            "/suites/{id}": suite,
            "/cases/{id}": case,
            "/runs/{id}": run,
            "/exchanges/{id}": step["exchanges"][0]["id"],
        }

    def call(self, method: str, path: str, body=None, **headers: str) -> tuple[int, str, bytes]:
        data = json.dumps(body).encode() if body is not None else None
        request = urllib.request.Request(f"{self.app.address}/api/v1{path}", data, method=method)
        for name, value in (
            ({"Content-Type": "application/json"} if data else {}) | headers
        ).items():
            request.add_header(name.replace("_", "-"), value)
        try:
            with urllib.request.urlopen(request, timeout=PATIENCE_S) as answer:
                return answer.status, answer.headers["Content-Type"], answer.read()
        except urllib.error.HTTPError as error:
            return error.code, error.headers["Content-Type"], error.read()

    def hold(self, method: str, template: str, query: str = "", body=None, **headers: str):
        """Make the call, and hold its answer to what the contract says of it; the body if it is
        JSON."""
        path = template
        for prefix, id in self.ids.items():
            if path.startswith(prefix):
                path = path.replace("{id}", id)
        path = path.replace("{position}", "0").replace("{key}", "lst001").replace("{version}", "1")
        status, media, octets = self.call(method, path + query, body, **headers)
        operation = self.contract["paths"][template][method.lower()]
        declared = operation["responses"].get(str(status)) or operation["responses"]["default"]
        wanted = next(iter(declared["content"]))
        self.assertEqual(media.partition(";")[0], wanted, (method, path, status))
        if not wanted.endswith("json"):
            return octets
        found = json.loads(octets)
        schema = {
            **declared["content"][wanted]["schema"],
            "components": self.contract["components"],
        }
        faults = [
            f"{error.json_path}: {error.message[:200]}"
            for error in jsonschema.Draft202012Validator(schema).iter_errors(found)
        ]
        self.assertEqual(faults, [], (method, path, status))
        return found

    def test_everything_that_is_read(self):
        project = f"?project={self.app.project}"
        needs = {
            "/environments": project,
            "/suites": project,
            "/runs": f"{project}&limit=2",
            "/events": f"{project}&after=0&limit=5",
            "/cases/{id}/places": "?before=rd0001&text=",
            "/exchanges/{id}/body": "?form=decoded",
        }
        read = 0
        for template, operations in self.contract["paths"].items():
            if "get" in operations and template != "/events/stream":
                with self.subTest(template):
                    self.hold("GET", template, needs.get(template, ""))
                    read += 1
        self.assertGreater(read, 20)

    def test_everything_that_is_made_or_changed(self):
        app = self.app
        self.hold("POST", "/projects", body={"name": "One more"})
        suite = self.hold("POST", "/suites", body={"project": app.project, "name": "New"})["id"]
        self.hold(
            "POST", "/cases", body={"project": app.project, "suite": suite, "document": DOCUMENT}
        )
        self.hold(
            "POST",
            "/cases",
            body={
                "project": app.project,
                "suite": suite,
                "text": "salt-path: 1\ncase: y\nsteps: []\n",
            },
        )
        self.hold("PATCH", "/suites/{id}", body={"about": "kept to"})
        levels = {
            level["origin"]: level
            for level in app.get(f"/cases/{self.ids['/cases/{id}']}")["everyAnswer"]
        }
        for origin in ("suite", "project"):
            version = f'"{levels[origin]["version"]}"'
            checks = [{"of": "time", "below": "30 s"}]
            self.hold(
                "PUT", f"/{origin}s/{{id}}/every-answer", body={"checks": checks}, If_Match=version
            )
        version = app.get(f"/cases/{self.ids['/cases/{id}']}")["version"]
        self.hold(
            "PUT",
            "/cases/{id}",
            body={"document": {**DOCUMENT, "about": "changed"}},
            If_Match=f'"{version}"',
        )
        self.hold("POST", "/cases/{id}/move", body={"suite": suite, "before": None})
        self.hold("POST", "/cases/{id}/presence", body={"tab": "t1", "step": "lst001"})
        for text in (
            "status 201",
            "$.total above",
            "nonsense",
            "when status is 200 then $.total is 6",
            '$ fits {"total": "[?integer]"}',
        ):
            self.hold("POST", "/cases/{id}/sentences", body={"text": text, "step": "lst001"})
        for of in ("$.items[0].name | upper", "$.gone", "$[", "$.total | "):
            self.hold("POST", "/cases/{id}/kept", body={"of": of, "step": "lst001"})
        for text in ("salt-path: 1\ncase: y\nsteps: []\n", "salt-path: 2", ": :"):
            self.hold("POST", "/texts", body={"text": text})
        self.hold("POST", "/pasted", body={"text": "curl http://h/ -b jar"})
        run = self.hold(
            "POST", "/runs", body={"project": app.project, "cases": [self.ids["/cases/{id}"]]}
        )
        app.finished(run["id"])
        self.hold("POST", "/runs/{id}/stop", body={})
        self.hold("DELETE", "/cases/{id}")
        self.hold("POST", "/cases/{id}/back", body={})

    def test_problems_are_problem_documents(self):
        for method, template, query, body in [
            ("GET", "/suites", "", None),
            ("GET", "/runs", f"?project={self.app.project}&limit=none", None),
            ("POST", "/suites", "", {"project": self.app.project, "name": ""}),
            ("POST", "/cases", "", {"project": self.app.project, "suite": "none"}),
            ("POST", "/pasted", "", {"text": "hello"}),
            ("PUT", "/cases/{id}", "", {"document": {}}),
            ("POST", "/cases/{id}/sentences", "", {}),
            ("POST", "/cases/{id}/move", "", {"suite": "none"}),
            ("GET", "/cases/{id}/evidence", "?run=run_none", None),
        ]:
            with self.subTest(method=method, template=template):
                problem = self.hold(method, template, query, body)
                self.assertEqual(problem["type"], f"urn:saltpath:{problem['code']}")
                self.assertRegex(problem["title"], r"\w.*")
