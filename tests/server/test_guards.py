"""Guarded environments: who may run against one, and let steps change something there."""

from __future__ import annotations

import tempfile
import unittest
from contextlib import closing
from typing import Any
from unittest.mock import patch

from saltpath.core.assist.removal import SignedIn
from saltpath.core.running.resources import ResourceEvent
from saltpath.server import removing
from saltpath.server.entry import cookies
from saltpath.store import people, resources, runs, sessions
from saltpath.store.database import connect
from saltpath.store.resources import Left
from saltpath.store.runs import RunCase
from saltpath.store.step_rows import StepRow
from tests.calls import begun, known_in


class _Signed(removing._Finder):
    """Knows how everything was signed in for."""

    def _signed_in(self, thing: Left, entry: RunCase) -> SignedIn:
        return SignedIn((), {"request": "Remove", "send": f"DELETE {thing.event.address}"})


TEAM = {"owner": "", "editor": "odd", "runner": "tilda", "viewer": "joren"}


class Guards(unittest.TestCase):
    def setUp(self) -> None:
        self.folder, self.app = begun(self.enterContext(tempfile.TemporaryDirectory()))
        self.known = known_in(self.app)
        self.store = self.enterContext(closing(connect(self.folder)))
        people.set_alone(self.store, False)
        self.project = self.known["project"][0]
        items = self.ask("owner", "GET", f"/environments?project={self.project}").json["items"]
        self.live = next(item for item in items if item["name"] == "Live")
        suites = self.ask("owner", "GET", f"/suites?project={self.project}").json["items"]
        cases = {case["name"]: case["id"] for suite in suites for case in suite["cases"]}
        self.reads = cases["Free berths are listed"]
        self.changes = cases["A visiting vessel is given a berth"]

    def ask(self, who: str, method: str, path: str, body: Any = None) -> Any:
        sign_in = TEAM[who]
        person = (
            people.by_sign_in(self.store, sign_in) if sign_in else people.local_owner(self.store)
        )
        _, token = sessions.begin(self.store, person, "", "", "password")
        return self.app.test_client(use_cookies=False).open(
            f"/api/v1{path}",
            method=method,
            json=body,
            headers={
                "Host": "127.0.0.1",
                "Origin": "http://127.0.0.1",
                "Cookie": f"{cookies.SESSION}={token}",
            },
        )

    def guard(self, **roles: str) -> Any:
        return self.ask("owner", "PUT", f"/environments/{self.live['id']}/guard", roles)

    def run_there(self, who: str, case: str, **more: Any) -> int:
        asked = {"project": self.project, "cases": [case], "environment": "Live", **more}
        answer = self.ask(who, "POST", "/runs", asked)
        self.said = answer.json.get("title", "")
        return answer.status_code

    def test_who_may_run_there(self) -> None:
        for least, may in (
            ("", ("owner", "editor", "runner")),
            ("editor", ("owner", "editor")),
            ("owner", ("owner",)),
        ):
            self.assertEqual(self.guard(run=least).json["runRole"], least)
            for who in TEAM:
                wanted = 201 if who in may else 403
                self.assertEqual(self.run_there(who, self.reads), wanted, (least, who))
                listed = self.ask(who, "GET", f"/environments?project={self.project}").json
                found = {item["name"]: item["mayRun"] for item in listed["items"]}
                self.assertEqual(found["Live"], who in may or (least == "" and who == "viewer"))
                self.assertTrue(found["Rehearsal"])
        self.run_there("editor", self.reads)
        self.assertIn("Only owners of the project run against Live", self.said)
        asked = {
            "project": self.project,
            "cases": [self.reads],
            "environments": ["Rehearsal", "Live"],
        }
        self.assertEqual(self.ask("runner", "POST", "/runs", asked).status_code, 403)
        look = {"project": self.project, "database": "harbour", "environment": "Live"}
        self.assertEqual(self.ask("runner", "POST", "/databases/looks", look).status_code, 403)

    def test_what_was_left_is_removed_by_those_who_may_change_something(self) -> None:
        self.guard(change="owner")
        place = self.ask("owner", "POST", "/runs", self.asked_of(self.changes)).json["id"]
        with closing(connect(self.folder, "evidence")) as evidence:
            made = ResourceEvent(1, "POST", 201, "http://127.0.0.1:1/calls/7", "location")
            row = StepRow(0, 1, "steps", 1, 1, "", "passed", 201, 1, 1, b"", {}, resources=(made,))
            run = runs.run(self.store, place)
            resources.insert(evidence, run.project, run.id, [row])
        self.store.execute("UPDATE run SET state = 'finished' WHERE oid = ?", (place,))
        with patch.object(removing, "_Finder", _Signed):
            for who, status in (("viewer", 403), ("editor", 403), ("owner", 201), ("owner", 409)):
                asked = {"addresses": [made.address]}
                answer = self.ask(who, "POST", f"/runs/{place}/removal", asked)
                self.assertEqual(answer.status_code, status, (who, answer.json))

    def asked_of(self, case: str) -> dict[str, Any]:
        return {"project": self.project, "cases": [case], "environment": "Live", "changes": "all"}

    def test_who_lets_steps_change_something(self) -> None:
        self.guard(change="owner")
        self.assertEqual(self.run_there("editor", self.changes), 409, "each step is asked about")
        self.assertEqual(self.run_there("editor", self.changes, changes="all"), 403)
        self.assertIn("let steps change something in Live", self.said)
        self.assertEqual(self.run_there("editor", self.changes, changes=[]), 201)
        self.assertEqual(self.run_there("owner", self.changes), 409)
        self.assertEqual(self.run_there("owner", self.changes, changes="all"), 201)

    def test_an_editor_does_not_get_round_it(self) -> None:
        """By unguarding it, by renaming it, or by a copy, which holds its secrets too."""
        self.guard(run="owner", change="owner")
        path = f"/environments/{self.live['id']}"
        self.assertEqual(self.ask("editor", "PUT", f"{path}/guard", {}).status_code, 403)
        self.ask("editor", "PATCH", path, {"guarded": False, "name": "Open"})
        asked = {"project": self.project, "cases": [self.reads], "environment": "Open"}
        self.assertEqual(self.ask("editor", "POST", "/runs", asked).status_code, 403)
        copy = {"project": self.project, "name": "Copy", "like": self.live["id"]}
        self.assertEqual(self.ask("editor", "POST", "/environments", copy).status_code, 201)
        asked["environment"] = "Copy"
        self.assertEqual(self.ask("editor", "POST", "/runs", asked).status_code, 403)


if __name__ == "__main__":
    unittest.main()
