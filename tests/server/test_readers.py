"""What a page costs that many people have open: what is the same as before is not worked out again,
and what changed is seen at once."""

import sys
import tempfile
import unittest
from pathlib import Path
from types import FrameType
from typing import Any

from saltpath.core.running.events import StepFinished
from saltpath.server.app import make_app
from saltpath.store import (
    cases,
    documents,
    jobs,
    people,
    projects,
    run_records,
    runs,
    shared_steps,
    sources,
    step_rows,
)
from saltpath.store.database import connect, write
from saltpath.store.packing import Packer
from tests.application import without_sign_in

CASES, STEPS, SOURCES = 60, 6, 20
MOST_CALLS, MOST_CALLS_OF_SOURCE = 60, 400
"""Of functions for each case that a page names: reading one document anew takes 90, compiling a
case over 1,000."""


def document(number: int) -> dict[str, Any]:
    steps = [
        {
            "request": f"Step {step}",
            "send": "GET [=v]/a",
            "expect": [{"of": "status", "is": 200}],
            "keep": {f"k{step}": "$.id"},
        }
        for step in range(STEPS)
    ]
    rows = {"rows": "s1"} if number == 0 else {}
    return {
        "salt-path": 1,
        "case": f"C{number}",
        **rows,
        "steps": [*steps, {"shared": "log-in", "key": "abcdef"}],
    }


class Readers(unittest.TestCase):
    def setUp(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        without_sign_in(folder)
        self.main, self.evidence = connect(folder), connect(folder, "evidence")
        self.addCleanup(self.main.close)
        self.addCleanup(self.evidence.close)
        self.owner = people.local_owner(self.main).id
        sources = {f"s{number}": {"make": 3, "columns": {"a": "1"}} for number in range(SOURCES)}
        self.project = projects.add_project(
            self.main,
            self.owner,
            {"salt-path": 1, "project": "P", "values": {"v": "x"}, "sources": sources},
        )
        suite = projects.add_suite(
            self.main, self.project.id, self.owner, "s", {"salt-path": 1, "suite": "S"}
        )
        shared_steps.add(
            self.main,
            self.project.id,
            self.owner,
            {"salt-path": 1, "shared": "Log in", "steps": []},
            name="log-in",
        )
        self.cases = [
            cases.add_case(self.main, self.project.id, suite.id, self.owner, document(number))
            for number in range(CASES)
        ]
        asked = [(case.id, case.version, case.name) for case in self.cases]
        self.run_asked, _ = runs.ask(
            self.main,
            self.project.id,
            self.owner,
            asked,
            kind="run",
            title="x",
            environments=[""],
            seed=1,
        )
        jobs.take(self.main, "a")
        with write(self.main):
            run_records.record_started(self.main, self.run_asked.id, 1)
        for position in range(1, CASES):
            self.case_done(position)
        self.client = make_app(folder).test_client()

    def case_done(self, position: int) -> None:
        with write(self.main):
            run_records.record_case_started(self.main, self.run_asked.id, position, 1)
            run_records.record_case_finished(
                self.main, self.run_asked.id, position, "passed", None, 5
            )
        self.step_done(position, 0)

    def step_done(self, position: int, step: int) -> None:
        event = StepFinished(
            1,
            position,
            0,
            "steps",
            step,
            "abcdef",
            "A",
            "request",
            "passed",
            None,
            5,
            200,
            (),
            (),
            {},
            {},
        )
        with write(self.evidence):
            Packer().insert(
                self.evidence,
                self.project.id,
                self.run_asked.id,
                [step_rows.row_of(event, position)],
            )

    def get(self, path: str) -> Any:
        answer = self.client.get("/api/v1" + path, headers={"Host": "127.0.0.1"})
        self.assertEqual(answer.status_code, 200, answer.get_data())
        return answer.get_json()

    def calls(self, path: str) -> int:
        """How many functions a page calls that was read before."""
        self.get(path)
        count = 0

        def counted(frame: FrameType, event: str, _: object) -> None:
            nonlocal count
            count += event in ("call", "c_call")

        sys.setprofile(counted)
        try:
            self.client.get("/api/v1" + path, headers={"Host": "127.0.0.1"})
        finally:
            sys.setprofile(None)
        return count

    def test_a_page_read_again_costs_little_for_each_case(self) -> None:
        of = f"?project={self.project.oid}"
        pages = {
            f"/suites{of}": CASES,
            f"/values{of}": CASES,
            f"/runs/{self.run_asked.oid}": CASES,
            f"/runs{of}": 30,
            f"/sources{of}": CASES + SOURCES * MOST_CALLS_OF_SOURCE // MOST_CALLS,
        }
        every = self.calls(f"/events{of}")  # who asks, and what they may: of every page once
        for path, things in pages.items():
            with self.subTest(path.split("?")[0].split("_")[0]):
                self.assertLess((self.calls(path) - every) / things, MOST_CALLS)

    def test_a_case_that_was_saved_is_another_one_everywhere(self) -> None:
        of, case = f"?project={self.project.oid}", self.cases[5]
        self.get(f"/suites{of}"), self.get(f"/values{of}")
        changed = {
            **document(5),
            "case": "Another",
            "steps": [{"request": "One", "send": "GET [=w]/"}],
        }
        cases.save_case(self.main, case.oid, self.owner, case.version, changed, {})
        line = self.get(f"/suites{of}")["items"][0]["cases"][5]
        self.assertEqual(
            (line["name"], line["steps"], line["addresses"]), ("Another", 1, ["GET [=w]/"])
        )
        users = {item["name"]: item["uses"] for item in self.get(f"/values{of}")["items"]}
        self.assertEqual(users, {"v": CASES - 1, "w": 1})

    def test_a_run_is_seen_as_it_goes_on(self) -> None:
        path = f"/runs/{self.run_asked.oid}"
        before = self.get(path)["cases"]
        self.assertEqual(
            [case["state"] for case in before], ["waiting"] + ["finished"] * (CASES - 1)
        )
        self.step_done(7, 1)
        self.case_done(0)
        after = self.get(path)["cases"]
        self.assertEqual(
            (after[0]["state"], len(after[7]["steps"]), len(after[8]["steps"])), ("finished", 2, 1)
        )
        self.assertEqual(after[7]["steps"][1]["index"], 1)

    def test_a_run_says_what_shared_steps_were_called_when_it_was_asked_for(self) -> None:
        path = f"/runs/{self.run_asked.oid}"
        before = self.get(path)["cases"][3]["stepNames"][-1]["name"]
        self.assertEqual(before, "Log in")
        [shared] = shared_steps.shared_steps(self.main, self.project.id)
        cases.save_case(
            self.main, shared.oid, self.owner, 1, {**shared.document, "shared": "Sign in"}, {}
        )
        self.assertEqual(self.get(path)["cases"][3]["stepNames"][-1]["name"], before)
        with write(self.main):  # as a run of before knows nothing of it
            self.main.execute("UPDATE run SET shared_names = ''")
        self.assertEqual(self.get(path)["cases"][3]["stepNames"][-1]["name"], "Sign in")

    def test_a_suite_that_is_called_otherwise_is_so_in_its_runs(self) -> None:
        path = f"/runs/{self.run_asked.oid}"
        self.assertEqual(self.get(path)["cases"][3]["suite"], "S")
        [suite] = projects.suites(self.main, self.project.id)
        documents.change(self.main, suite, self.owner, lambda held: {**held, "suite": "Sea"})
        self.assertEqual({case["suite"] for case in self.get(path)["cases"]}, {"Sea"})

    def test_a_source_with_other_columns_is_seen_by_who_uses_which_value(self) -> None:
        """A case over its rows says what one of its columns is: where that is no column any more,
        it wants a value."""
        case, path = self.cases[0], f"/values?project={self.project.oid}"
        changed = {**document(0), "steps": [{"request": "One", "send": "GET [=a]/"}]}
        cases.save_case(self.main, case.oid, self.owner, case.version, changed, {})
        self.assertEqual([item["name"] for item in self.get(path)["items"]], ["v"])
        sources.put_source(
            self.main, self.project, self.owner, "s1", {"make": 3, "columns": {"b": "1"}}
        )
        items = {item["name"]: item["nowhere"] for item in self.get(path)["items"]}
        self.assertEqual(items, {"v": False, "a": True})
