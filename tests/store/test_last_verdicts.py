"""How cases ended lately, whatever the order in which their runs end, against all of history."""

import random
import sqlite3
import tempfile
import unittest
from itertools import takewhile
from pathlib import Path

from saltpath.store import cases, database, last_verdicts, people, projects, run_records, runs
from saltpath.store.database import connect, migrate, write

DOCUMENT = {"salt-path": 1, "case": "A", "steps": []}
MIGRATION = Path(database.__file__).parent / "migrations/main/013_last_verdict.sql"
ROUNDS = 40


def from_history(main: sqlite3.Connection, case: int) -> tuple[list[str], int] | None:
    """The last ten verdicts, newest first, and since when the newest one holds."""
    ended = main.execute(
        "SELECT verdict, started_at FROM run_case WHERE test_case = ? AND kind = 'run'"
        " AND state = 'finished' ORDER BY run DESC",
        (case,),
    ).fetchall()
    if not ended:
        return None
    alike = list(takewhile(lambda one: one["verdict"] == ended[0]["verdict"], ended))
    return [one["verdict"] for one in ended[:10]], min(one["started_at"] for one in alike)


class LastVerdicts(unittest.TestCase):
    def setUp(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        migrate(folder)
        self.main = connect(folder)
        self.addCleanup(self.main.close)
        self.owner = people.local_owner(self.main)
        project = {"salt-path": 1, "project": "P"}
        self.project = projects.add_project(self.main, self.owner.id, project)
        suite = projects.add_suite(
            self.main, self.project.id, self.owner.id, "s", {"salt-path": 1, "suite": "S"}
        )
        self.cases = [
            cases.add_case(self.main, self.project.id, suite.id, self.owner.id, DOCUMENT)
            for _ in range(3)
        ]

    def ask(self, kind: str) -> runs.Run:
        chosen = [(case.id, case.version, "A") for case in self.cases]
        of = (self.main, self.project.id, self.owner.id, chosen)
        return runs.ask(*of, kind=kind, title="A", environments=[""], seed=1)[0]

    def told(self) -> dict[int, tuple[list[str], int]]:
        found = last_verdicts.of_project(self.main, self.project.id)
        return {case: (last.verdicts, last.since) for case, last in found.items()}

    def test_at_random(self):
        chance = random.Random(4711)
        started = 1_000
        under_way: list[tuple[int, int]] = []
        for _ in range(ROUNDS):
            run = self.ask(chance.choice(("run", "run", "trial")))
            with write(self.main):
                for position in range(len(self.cases)):
                    started += 1
                    run_records.record_case_started(self.main, run.id, position, started)
                    under_way.append((run.id, position))
                chance.shuffle(under_way)
                while len(under_way) > chance.randrange(8):
                    end = (*under_way.pop(), chance.choice(("passed", "passed", "failed")))
                    for _ in range(chance.choice((1, 1, 2))):  # once more changes nothing
                        run_records.record_case_finished(self.main, *end, None, 7)
            wanted = {case.id: from_history(self.main, case.id) for case in self.cases}
            self.assertEqual(self.told(), {case: held for case, held in wanted.items() if held})
        # what an older store has is found by the migration, as far as it is remembered
        before = self.told()
        self.main.executescript(f"DROP TABLE last_verdict; {MIGRATION.read_text()}")
        for case, (verdicts, since) in self.told().items():
            self.assertEqual(verdicts, before[case][0])
            if len(set(verdicts)) > 1:
                self.assertEqual(since, before[case][1])

    def test_a_run_that_cannot_begin_counts(self):
        run = self.ask("run")
        run_records.refuse(self.main, run, {"code": "not-begun", "params": {"problem": "x"}})
        self.assertEqual({held[0][0] for held in self.told().values()}, {"blocked"})


if __name__ == "__main__":
    unittest.main()
