"""Who may do what: every operation of our own document, called as each role and as nobody, does
what its right says and no more; a view that forgets to look at a right answers nothing."""

from __future__ import annotations

import random
import tempfile
import unittest
from collections import defaultdict
from collections.abc import Iterator
from contextlib import contextmanager
from unittest.mock import patch

from saltpath.server import rights
from saltpath.store import people
from tests.calls import Calls, Operation, begun, known_in

SEED = 4711
CALLS_EACH = 6
"""Of each operation as owner; as others so many, of which none may do what it may not."""
CALLS_OF_OTHERS = 3
READ_BY_POST = {"lookAtSource", "profileSource", "compareVersions", "readRecording", "bePresent"}
"""Some that are no GET, and change nothing."""


@contextmanager
def acting_as(role: str | None) -> Iterator[None]:
    with (
        patch.object(people, "role_in", lambda *_: role),
        patch.object(people, "administers", lambda *_: False),
    ):
        yield


class Rights(unittest.TestCase):
    def setUp(self) -> None:
        _, self.app = begun(self.enterContext(tempfile.TemporaryDirectory()))
        self.calls = Calls(random.Random(SEED), self.app, known_in(self.app), mutations=0)

    def statuses(self, operation: Operation, calls: int) -> set[int]:
        return {self.calls.call(operation)[2] for _ in range(calls)}

    def test_each_role_may_do_what_its_rights_are(self) -> None:
        done: dict[str, int] = defaultdict(int)
        told: dict[str, int] = defaultdict(int)
        roles: list[tuple[str, frozenset[rights.Right]]] = [
            ("nobody", frozenset()),
            *rights.ROLES.items(),
        ]
        for role, held in roles:
            for operation in self.calls.operations:
                right = operation[2]["x-right"]
                with (
                    self.subTest(role=role, operation=operation[2]["operationId"]),
                    acting_as(None if role == "nobody" else role),
                ):
                    found = self.statuses(
                        operation, CALLS_EACH if role == "owner" else CALLS_OF_OTHERS
                    )
                    if right == "anyone" or right in held:
                        done[role] += any(status < 300 for status in found)
                        self.assertNotIn(403, found)
                    else:
                        self.assertFalse([status for status in found if status < 400], found)
                        refused = 404 if role == "nobody" and right != "administer" else 403
                        told[role] += refused in found
        self.assertGreater(done["owner"], 55, "most operations do something here")
        self.assertGreater(done["viewer"], 30)
        self.assertLess(done["nobody"], 10)
        self.assertGreater(told["nobody"], 50, "and it is that which they are told")
        self.assertGreater(told["viewer"], 25)

    def test_a_stranger_learns_of_nothing(self) -> None:
        """Of what there is and of what there is not the answer is the same kind, and names nothing
        of it."""
        client, host = self.app.test_client(), {"Host": "127.0.0.1"}
        known = self.calls.known
        with acting_as(None):
            self.assertEqual(client.get("/api/v1/projects", headers=host).json["items"], [])
            for kind, path in (("case", "cases"), ("run", "runs"), ("suite", "suites")):
                for id in (known[kind][0], "no_such_thing"):
                    wanted = f"/api/v1/{path}/{id}" + ("/rows" if kind == "suite" else "")
                    answer = client.get(wanted, headers=host)
                    self.assertEqual(answer.status_code, 404, wanted)
                    self.assertRegex(answer.json["title"], r"^There is no ")
            gone = known["case"][-1]
        client.delete(f"/api/v1/shared-steps/{gone}", headers=host)
        with acting_as(None):
            self.assertEqual(client.get(f"/api/v1/cases/{gone}", headers=host).status_code, 404)

    def test_what_changes_something_says_its_right(self) -> None:
        for method, path, told in self.calls.operations:
            if method == "get":
                self.assertIn(told["x-right"], ("read", "anyone"), path)
            elif told["operationId"] not in READ_BY_POST and told["x-right"] == "read":
                self.assertRegex(told["operationId"], "^(read|list|clean|put)", path)

    def test_a_view_that_looks_at_no_right_answers_nothing(self) -> None:
        with patch("saltpath.server.asked.permit"), self.assertLogs("saltpath.web"):
            project = self.calls.known["project"][0]
            answer = self.app.test_client().get(
                f"/api/v1/suites?project={project}", headers={"Host": "127.0.0.1"}
            )
        self.assertEqual((answer.status_code, answer.json["code"]), (500, "fault"))


if __name__ == "__main__":
    unittest.main()
