"""A run is data: what is planned of the demonstration goes through JSON, and is carried out from
that alone."""

from __future__ import annotations

import shutil
import tempfile
import unittest
from collections import Counter
from contextlib import closing
from decimal import Decimal
from pathlib import Path
from unittest.mock import Mock

from saltpath.core.format.plan_reader import compile_plan
from saltpath.core.running.events import CaseFinished
from saltpath.core.running.plan import (
    Plan,
    PlannedCase,
    RunRequest,
    read_plan,
    read_request,
    write_plan,
    write_request,
)
from saltpath.core.running.supplies import Supplies
from saltpath.engine.loop import run_in_loop
from saltpath.engine.run import run_plan
from saltpath.runner.planning import Planner
from saltpath.runner.supplies import LocalSupplies
from saltpath.store import runs
from saltpath.store.database import connect
from tests.application import Application

EXACT = {
    "fee": Decimal("1318.40"),
    "least": Decimal("1E-400"),
    "most": 2**80,
    "half": Decimal("0.5"),
    "text": "1318.40",
    "odd": "\x00 ☃",
}


class AsData(unittest.TestCase):
    def test_numbers_and_texts_stay_as_they_are(self):
        case = PlannedCase(
            "case_x", 3, "A", "k", {"json": [EXACT, True, None]}, only=(0, 2), given=EXACT, begun=0
        )
        plan = Plan({"project": "P"}, (case,), suites={"suite_x": EXACT}, changes=("a",), seed=7)
        self.assertEqual(read_plan(write_plan(plan)), plan)
        self.assertEqual(str(read_plan(write_plan(plan)).cases[0].given["fee"]), "1318.40")
        for request in (RunRequest(), RunRequest(4, (1, 2), "c2VhbGVk", (), {"3": "1 to 4"}, 5)):
            self.assertEqual(read_request(write_request(request)), request)

    def test_what_is_no_plan_is_refused(self):
        for octets in (b"", b"[]", b"{}", b'{"project": {}, "cases": [{}]}', b"\xff"):
            with self.assertRaises(ValueError):
                read_plan(octets)
        with self.assertRaisesRegex(ValueError, "of version 2, and 1 is known here"):
            read_plan(b'{"version": 2, "project": {}, "cases": []}')

    def test_a_case_that_cannot_be_read_costs_itself_alone(self):
        good = {"salt-path": 1, "case": "Good", "steps": [{"wait": "1 ms"}]}
        cases = [
            PlannedCase(str(number), 1, "A case", "k", document)
            for number, document in enumerate((good, {"salt-path": 1, "case": 5}, ["no"], 7, good))
        ]
        plan = read_plan(write_plan(Plan({"salt-path": 1, "project": "P"}, tuple(cases))))
        found = compile_plan(plan, Supplies())
        self.assertEqual(
            [case.problem and case.problem.code for case in found.cases],
            [None, "stored-unread", "stored-unread", "stored-unread", None],
        )


class CarriedOut(unittest.TestCase):
    def test_the_demonstration_ends_as_it_did(self):
        with Application() as app, tempfile.TemporaryDirectory() as copied:
            for project in (app.project, app.troubles):
                listed = app.get(f"/runs?project={project}")["items"]
                if listed:
                    before = app.finished(listed[-1]["id"])
                    copy = Path(copied) / project
                    shutil.copytree(app.data, copy, ignore=shutil.ignore_patterns("*.sock"))
                    self.assertEqual(self.again(copy, before["id"]), Counter(before["counts"]))

    def again(self, folder: Path, oid: str) -> Counter[str]:
        """How many cases of a run end how, when its plan is carried out once more."""
        with (
            closing(connect(folder, "main")) as main,
            closing(connect(folder, "evidence")) as evidence,
        ):
            main.execute("UPDATE run_case SET state = 'waiting'")
            run = runs.run(main, oid)
            planned = Planner(main, evidence, folder, lambda: None).plan(run, again=False)
            octets = write_plan(planned.plan)
            for secret in LocalSupplies(folder, main, evidence, Mock(), run, planned, 0).secrets(
                "", run.environment
            ):
                self.assertNotIn(f'"{secret}":"', octets.decode(), "a plan holds nothing secret")
            supplies = Silent(folder, main, evidence, Mock(), run, planned, 0)
            plan = compile_plan(read_plan(octets), supplies)
            ended: list[CaseFinished] = []

            def take(event: object) -> None:
                if isinstance(event, CaseFinished):
                    ended.append(event)

            run_in_loop(lambda selector: run_plan(plan, selector, take, supplies=supplies))
        return Counter(event.verdict for event in ended)


class Silent(LocalSupplies):
    """Says nothing of what begins."""

    begin_rows, begin_part, keep_session = (
        Supplies.begin_rows,
        Supplies.begin_part,
        Supplies.keep_session,
    )


if __name__ == "__main__":
    unittest.main()
