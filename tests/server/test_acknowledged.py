"""Every pair of writing operations of our API against each other: what was acknowledged is there
afterwards.

Documents were read outside of the transaction that wrote them: of 485 sources that were answered
with 201, 233 were gone."""

import itertools
import json
import sys
import tempfile
import threading
import time
import unittest
from collections.abc import Callable
from pathlib import Path
from typing import Any

from saltpath.server.app import make_app
from saltpath.store.database import connect
from tests.application import PATIENCE_S, without_sign_in

PAIR_S = 0.06
CASE = {"salt-path": 1, "case": "A berth", "steps": [{"request": "Read", "send": "GET http://h/"}]}


class Client:
    """Calls of one thread; `again` is done until it is no longer told that something was changed
    meanwhile."""

    def __init__(self, app: Any) -> None:
        self._client = app.test_client()

    def call(self, method: str, path: str, body: Any = None, **headers: str) -> tuple[int, Any]:
        given = {"Host": "127.0.0.1", **headers}
        data = None if body is None else json.dumps(body)
        answer = self._client.open(
            f"/api/v1{path}",
            method=method,
            data=data,
            headers=given,
            content_type="application/json" if data else None,
        )
        return answer.status_code, answer.get_json(silent=True, force=True)

    def get(self, path: str) -> Any:
        return self.call("GET", path)[1]


Write = Callable[["Acknowledged", Client, int], bool]
"""Does the nth write; True where it was acknowledged."""
Missing = Callable[["Acknowledged", Client, list[int]], set[Any]]
"""Of the acknowledged writes those that are not there."""


def _value(
    test: "Acknowledged", client: Client, n: int, suite: str = "", environment: str = ""
) -> bool:
    name = f"v{suite[-1:]}{environment}{n}"
    change = {
        "kind": "put",
        "name": name,
        "suite": suite,
        "environment": environment,
        "text": str(n),
    }
    return client.call("POST", "/values", {"project": test.project, "changes": [change]})[0] == 200


def _values_missing(suite: bool, environment: str) -> Missing:
    def missing(test: "Acknowledged", client: Client, done: list[int]) -> set[str]:
        of = test.suite if suite else ""
        there = {
            row["name"]
            for row in client.get(f"/values?project={test.project}")["items"]
            for cell in row["cells"]
            if row["suite"] == of and cell["environment"] == environment and cell["given"]
        }
        return {f"v{of[-1:]}{environment}{n}" for n in done} - there

    return missing


def _secret(test: "Acknowledged", client: Client, n: int) -> bool:
    name = {"name": f"s{n}", "suite": test.suite, "environment": ""}
    changes = [{"kind": "put", **name, "text": "tok"}, {"kind": "hide", **name}]
    return client.call("POST", "/values", {"project": test.project, "changes": changes})[0] == 200


def _secrets_missing(test: "Acknowledged", client: Client, done: list[int]) -> set[str]:
    rows = client.get(f"/values?project={test.project}")["items"]
    held = {
        row["name"]
        for row in rows
        if row["suite"] == test.suite and row["secret"] and row["cells"][0]["given"]
    }
    return {f"s{n}" for n in done} - held


def _about(path: Callable[["Acknowledged"], str]) -> Write:
    return lambda test, client, n: (
        client.call("PATCH", path(test), {"about": f"about {n}"})[0] == 200
    )


def _about_missing(
    items: Callable[["Acknowledged"], str], id: Callable[["Acknowledged"], str]
) -> Missing:
    def missing(test: "Acknowledged", client: Client, done: list[int]) -> set[str]:
        held = next(
            item["about"] for item in client.get(items(test))["items"] if item["id"] == id(test)
        )
        return {f"about {done[-1]}"} - {held} if done else set()

    return missing


def _source(test: "Acknowledged", client: Client, n: int) -> bool:
    body = {
        "project": test.project,
        "name": f"source {n}",
        "document": {"make": 1, "columns": {"a": "1"}},
    }
    return client.call("POST", "/sources", body)[0] == 201


def _sources_missing(test: "Acknowledged", client: Client, done: list[int]) -> set[str]:
    held = {item["name"] for item in client.get(f"/sources?project={test.project}")["items"]}
    return {f"source {n}" for n in done} - held


def _rename_source(test: "Acknowledged", client: Client, n: int) -> bool:
    path = f"/sources?project={test.project}&name=turn {n}"
    return client.call("PATCH", path, {"to": f"turn {n + 1}"})[0] == 200


def _renamed_missing(test: "Acknowledged", client: Client, done: list[int]) -> set[str]:
    held = {item["name"] for item in client.get(f"/sources?project={test.project}")["items"]}
    used = client.get(f"/cases/{test.turning}")["document"]["rows"]
    return {f"turn {done[-1] + 1}"} - held | {f"turn {done[-1] + 1}"} - {used} if done else set()


def _database(test: "Acknowledged", client: Client, n: int) -> bool:
    return (
        client.call(
            "PUT", f"/databases?project={test.project}&name=d{n}", {"document": {"sqlite": "a.db"}}
        )[0]
        == 200
    )


def _databases_missing(test: "Acknowledged", client: Client, done: list[int]) -> set[str]:
    held = {item["name"] for item in client.get(f"/databases?project={test.project}")["items"]}
    return {f"d{n}" for n in done} - held


def _environment(test: "Acknowledged", client: Client, n: int) -> bool:
    return (
        client.call(
            "POST", "/environments", {"project": test.project, "name": f"E{n}", "like": test.live}
        )[0]
        == 201
    )


def _environments_missing(test: "Acknowledged", client: Client, done: list[int]) -> set[str]:
    held = {item["name"] for item in client.get(f"/environments?project={test.project}")["items"]}
    return {f"E{n}" for n in done} - held


def _usual(test: "Acknowledged", client: Client, n: int) -> bool:
    path = f"/environments/{(test.live, test.other)[n % 2]}"
    return client.call("PATCH", path, {"usual": True})[0] == 200


def _usual_missing(test: "Acknowledged", client: Client, done: list[int]) -> set[str]:
    items = client.get(f"/environments?project={test.project}")["items"]
    usual = next(item["id"] for item in items if item["usual"])
    return {(test.live, test.other)[done[-1] % 2]} - {usual} if done else set()


def _save(test: "Acknowledged", client: Client, n: int) -> bool:
    now = client.get(f"/cases/{test.case}")
    document = {**now["document"], "tags": [*now["document"].get("tags", []), f"t{n}"]}
    return (
        client.call(
            "PUT",
            f"/cases/{test.case}",
            {"document": document},
            **{"If-Match": f'"{now["version"]}"'},
        )[0]
        == 200
    )


def _saved_missing(test: "Acknowledged", client: Client, done: list[int]) -> set[str]:
    return {f"t{n}" for n in done} - set(
        client.get(f"/cases/{test.case}")["document"].get("tags", [])
    )


def _run(test: "Acknowledged", client: Client, n: int) -> bool:
    body = {"project": test.project, "cases": [test.case], "build": f"run {n}"}
    status, run = client.call("POST", "/runs", body)
    if status == 201:
        test.runs.append(run["id"])
    return status == 201


def _runs_missing(test: "Acknowledged", client: Client, done: list[int]) -> set[str]:
    return {run for run in test.runs if client.call("GET", f"/runs/{run}")[0] != 200}


def _move(test: "Acknowledged", client: Client, n: int) -> bool:
    before = test.second if n % 2 else None
    return (
        client.call("PATCH", f"/suites/{test.suite}", {"before": before, "name": f"Moved {n}"})[0]
        == 200
    )


def _moved_missing(test: "Acknowledged", client: Client, done: list[int]) -> set[str]:
    order = [
        (item["id"], item["name"])
        for item in client.get(f"/suites?project={test.project}")["items"]
    ]
    if not done:
        return set()
    place = [id for id, _ in order].index(test.suite)
    first = place < [id for id, _ in order].index(test.second)
    right = order[place][1] == f"Moved {done[-1]}" and first == bool(done[-1] % 2)
    return set() if right else {f"Moved {done[-1]}"}


def _checks(test: "Acknowledged", client: Client, n: int) -> bool:
    with connect(test.folder) as connection:
        version = connection.execute(
            "SELECT version FROM suite WHERE oid = ?", (test.suite,)
        ).fetchone()[0]
    checks = [{"of": "status", "is": 200 + n % 100}]
    path = f"/suites/{test.suite}/every-answer"
    return client.call("PUT", path, {"checks": checks}, **{"If-Match": f'"{version}"'})[0] == 200


def _checks_missing(test: "Acknowledged", client: Client, done: list[int]) -> set[str]:
    with connect(test.folder) as connection:
        row = connection.execute(
            "SELECT document FROM suite WHERE oid = ?", (test.suite,)
        ).fetchone()
    held = json.loads(row[0]).get("every answer", [{"is": 0}])[0]["is"]
    return {200 + done[-1] % 100} - {held} if done else set()


def _suite_of(test: "Acknowledged") -> str:
    return test.suite


def _live_of(test: "Acknowledged") -> str:
    return test.live


OPERATIONS: dict[str, tuple[Write, Missing]] = {
    "a value of the project": (_value, _values_missing(False, "")),
    "a value in Live": (
        lambda t, c, n: _value(t, c, n, environment="Live"),
        _values_missing(False, "Live"),
    ),
    "a suite's value": (lambda t, c, n: _value(t, c, n, t.suite), _values_missing(True, "")),
    "a suite's value in Live": (
        lambda t, c, n: _value(t, c, n, t.suite, "Live"),
        _values_missing(True, "Live"),
    ),
    "a suite's secret": (_secret, _secrets_missing),
    "an environment's about": (
        _about(lambda t: f"/environments/{t.live}"),
        _about_missing(lambda t: f"/environments?project={t.project}", _live_of),
    ),
    "a suite's about": (
        _about(lambda t: f"/suites/{t.suite}"),
        _about_missing(lambda t: f"/suites?project={t.project}", _suite_of),
    ),
    "a suite's name and place": (_move, _moved_missing),
    "a suite's checks": (_checks, _checks_missing),
    "a source": (_source, _sources_missing),
    "a source's name": (_rename_source, _renamed_missing),
    "a database": (_database, _databases_missing),
    "an environment": (_environment, _environments_missing),
    "the usual environment": (_usual, _usual_missing),
    "a case": (_save, _saved_missing),
    "a run": (_run, _runs_missing),
}


class Acknowledged(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        without_sign_in(self.folder)
        self.app = make_app(self.folder)
        self.runs: list[str] = []
        before = sys.getswitchinterval()
        sys.setswitchinterval(0.0002)
        self.addCleanup(sys.setswitchinterval, before)

    def made(self, client: Client, path: str, **body: Any) -> str:
        status, answer = client.call("POST", path, body)
        self.assertEqual(status, 201, answer)
        return answer.get("id", "")

    def begin(self, client: Client) -> None:
        """A project of its own for each pair."""
        self.runs.clear()
        self.project = self.made(client, "/projects", name="Harbour")
        self.suite, self.second = (
            self.made(client, "/suites", project=self.project, name=name) for name in "ab"
        )
        self.live, self.other = (
            self.made(client, "/environments", project=self.project, name=n)
            for n in ("Live", "Sea")
        )
        self.case = self.made(
            client, "/cases", project=self.project, suite=self.second, document=CASE
        )
        self.made(
            client,
            "/sources",
            project=self.project,
            name="turn 0",
            document={"make": 1, "columns": {"a": "1"}},
        )
        document = {**CASE, "case": "Turning", "rows": "turn 0"}
        self.turning = self.made(
            client, "/cases", project=self.project, suite=self.second, document=document
        )

    def test_what_was_acknowledged_is_there(self) -> None:
        acknowledged = 0
        client = Client(self.app)
        for pair in itertools.combinations(OPERATIONS, 2):
            with self.subTest(pair=pair):
                self.begin(client)
                done: dict[str, list[int]] = {name: [] for name in pair}
                end = time.monotonic() + PAIR_S
                threads = [
                    threading.Thread(target=self.keep_on, args=(name, end, done[name]))
                    for name in pair
                ]
                for thread in threads:
                    thread.start()
                for thread in threads:
                    thread.join()
                for name in pair:
                    # they are saved on a version, which another may always have moved on
                    if name != "a suite's checks":
                        self.assertTrue(done[name], f"{name} was never acknowledged")
                    self.assertEqual(
                        OPERATIONS[name][1](self, client, done[name]),
                        set(),
                        f"{name}: of {len(done[name])}",
                    )
                    acknowledged += len(done[name])
        print(f"counted: {acknowledged} acknowledged writes, none lost", file=sys.__stdout__)

    def keep_on(self, name: str, end: float, done: list[int]) -> None:
        client, n = Client(self.app), 0
        # on a busy machine the other one may have had all of the time
        late = end + (0 if name == "a suite's checks" else PATIENCE_S)
        while (now := time.monotonic()) < end or (not done and now < late):
            if OPERATIONS[name][0](self, client, n):
                done.append(n)
                n += 1


if __name__ == "__main__":
    unittest.main()
