"""Malformed and random calls to our own API: no answer of 500, no hang, and the server is there
afterwards. Seeded."""

import copy
import http.client
import json
import random
import unittest
from typing import Any

from tests.application import PATIENCE_S, Application

JUNK = [
    "",
    "x",
    "-1",
    "0",
    "99999999999999999999",
    "%00",
    "%ff",
    "'\"",
    "../..",
    "[]",
    "null",
    "true",
    "a" * 3000,
]
VALUES: list[Any] = [
    None,
    1,
    -1,
    1.5,
    "x",
    "",
    [],
    {},
    [[]],
    {"a": 1},
    True,
    "\u0000",
    "é",
    10**30,
    ["x"],
]
KEYS = [
    "project",
    "cases",
    "suite",
    "environment",
    "seed",
    "build",
    "kind",
    "steps",
    "values",
    "jobs",
    "document",
    "text",
]
CALLS = 600


class Malformed(unittest.TestCase):
    def test_no_call_breaks_it(self):
        with Application() as app:
            first = app.finished(app.get(f"/runs?project={app.project}")["items"][0]["id"])["id"]
            case = app.cases()["Free berths are listed"]
            document = app.get(f"/cases/{case}")["document"]
            suite = app.get(f"/suites?project={app.project}")["items"][0]["id"]
            paths = [
                path.replace("{id}", case).replace("{position}", "0")
                for path in app.get("/openapi.json")["paths"]
            ]
            paths += [
                f"/runs/{first}",
                f"/runs/{first}/cases/0",
                f"/exchanges/{first}.0.1.steps.0.0/body",
            ]
            paths += [
                f"{path}?project={app.project}"
                for path in ("/runs", "/suites", "/events", "/environments")
            ]
            chance = random.Random(4)
            for number in range(CALLS):
                path, method, body = self.call(chance, paths, app.project, suite, case, document)
                if path.startswith("/events/stream"):
                    continue
                connection = http.client.HTTPConnection("127.0.0.1", app.port, timeout=PATIENCE_S)
                headers = (
                    {
                        "Content-Type": "application/json",
                        "If-Match": chance.choice(['"1"', "x", '"999"']),
                    }
                    if body
                    else {}
                )
                connection.request(method, "/api/v1" + path, body, headers)
                answer = connection.getresponse()
                said = answer.read(2000)
                connection.close()
                self.assertLess(
                    answer.status,
                    500,
                    f"{number}: {method} {path[:200]} {said[:300]!r} {(body or b'')[:300]!r}",
                )
            self.assertEqual(app.get("/health"), {"state": "up"})
            app.log.flush()
            with open(app.log.name) as log:
                self.assertNotIn("Traceback", log.read())

    def call(
        self,
        chance: random.Random,
        paths: list[str],
        project: str,
        suite: str,
        case: str,
        document: dict,
    ) -> tuple[str, str, bytes | None]:
        path = chance.choice(paths)
        if chance.random() < 0.4:
            path += chance.choice(
                ["/", "?", "&", "?project=", "&limit=", "&before=", "&after=", "?form="]
            ) + chance.choice(JUNK)
        method = chance.choice(["GET", "POST", "POST", "PUT", "PUT", "DELETE", "PATCH", "FOO"])
        if method not in ("POST", "PUT", "PATCH"):
            return path, method, None
        body = {key: chance.choice(VALUES) for key in chance.sample(KEYS, chance.randint(0, 5))}
        if chance.random() < 0.7:
            body["project"] = project
        if chance.random() < 0.4:
            body["suite"] = suite
        if chance.random() < 0.2:
            body["cases"] = [case]
        if chance.random() < 0.5:
            changed = copy.deepcopy(document)
            changed[chance.choice(list(changed))] = chance.choice(VALUES)
            body["document"] = changed
        data = json.dumps(body).encode()
        return path, method, data[: chance.randint(1, len(data))] if chance.random() < 0.1 else data
