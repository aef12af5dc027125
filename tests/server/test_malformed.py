"""Malformed and random calls to our own API, by nobody, a viewer, an editor and the owner: no
answer of 500, no hang, no growth, and the server is there afterwards. Seeded.

Some hundred here; `python -m tests.server.test_malformed CALLS [SEED]` makes as many as wanted."""

import copy
import http.client
import json
import random
import sys
import time
import unittest
from collections import Counter
from pathlib import Path
from typing import Any

from saltpath.store import people, sessions
from saltpath.store.database import connect
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
WHO = ("nobody", "viewer", "editor", "owner")
MOST_S = 10.0
"""For one answer, on a busy machine."""
MOST_GROWTH = 80_000_000
"""Bytes that the web process may hold more than after the first tenth."""


class Malformed(unittest.TestCase):
    calls, seed = 600, 4

    def test_no_call_breaks_it(self):
        with Application(sign_in=True) as app:
            first = app.finished(app.get(f"/runs?project={app.project}")["items"][0]["id"])["id"]
            case = app.cases()["Free berths are listed"]
            document = app.get(f"/cases/{case}")["document"]
            suite = app.get(f"/suites?project={app.project}")["items"][0]["id"]
            paths = [
                path.replace("{id}", case).replace("{position}", "0")
                for path in app.get("/openapi.json")["paths"]
                if path not in ("/sign-out", "/sessions", "/events/stream")
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
            cookies = self.cookies(app)
            chance, statuses, held = random.Random(self.seed), Counter[str](), 0
            for number in range(self.calls):
                path, method, body = self.call(chance, paths, app.project, suite, case, document)
                who = chance.choice(WHO)
                headers = {"Origin": app.address, **cookies[who]}
                if body:
                    headers["Content-Type"] = "application/json"
                    headers["If-Match"] = chance.choice(['"1"', "x", '"999"'])
                begun = time.monotonic()
                status, said = self.asked(app, method, path, body, headers)
                told = (
                    f"{number}: {who} {method} {path[:200]} {said[:300]!r} {(body or b'')[:300]!r}"
                )
                self.assertLess(status, 500, told)
                self.assertLess(time.monotonic() - begun, MOST_S, told)
                if who == "nobody" and status < 300:
                    self.assertRegex(path, r"^/(health|entry)", told)
                statuses[f"{who} {status // 100}xx"] += 1
                if number == self.calls // 10:
                    held = self.memory(app)
            self.assertEqual(app.get("/health"), {"state": "up"})
            self.assertLess(self.memory(app) - held, MOST_GROWTH)
            app.log.flush()
            with open(app.log.name) as log:
                self.assertNotIn("Traceback", log.read())
            print(f"counted: {dict(sorted(statuses.items()))}", file=sys.__stdout__)

    def cookies(self, app: Application) -> dict[str, dict[str, str]]:
        """What each has in their browser."""
        name = app.cookie.partition("=")[0]
        found = {"nobody": {}, "owner": {"Cookie": app.cookie}}
        with connect(app.data) as store:
            for who, sign_in in (("viewer", "joren"), ("editor", "odd")):
                person = people.by_sign_in(store, sign_in)
                _, token = sessions.begin(store, person, "", "", "password")
                found[who] = {"Cookie": f"{name}={token}"}
        return found

    def asked(
        self, app: Application, method: str, path: str, body: bytes | None, headers: dict[str, str]
    ) -> tuple[int, bytes]:
        connection = http.client.HTTPConnection("127.0.0.1", app.port, timeout=PATIENCE_S)
        connection.request(method, "/api/v1" + path, body, headers)
        answer = connection.getresponse()
        said = answer.read(2000)
        connection.close()
        return answer.status, said

    def memory(self, app: Application) -> int:
        """Bytes that the web process holds."""
        [process] = app.children()["web"]
        pages = Path(f"/proc/{process}/statm").read_text().split()[1]
        return int(pages) * 4096

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


if __name__ == "__main__":
    if len(sys.argv) > 2:
        Malformed.seed = int(sys.argv.pop())
    Malformed.calls = int(sys.argv.pop()) if sys.argv[1:] else 10_000
    unittest.main()
