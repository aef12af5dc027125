"""Trends over 500 cases of five steps, 30 days, 24 runs a day (1.8 million entries of steps): how
long each part of the page takes, in milliseconds of a core.

    python -m bench.trends
"""

from __future__ import annotations

import tempfile
import time
from contextlib import closing
from pathlib import Path
from statistics import median

import numpy as np

from saltpath.core.trends.entries import CASE, KNOWN, STEP, Entries, What
from saltpath.runner import summing
from saltpath.server.app import make_app
from saltpath.store import cases, people, projects
from saltpath.store.database import connect, migrate
from saltpath.store.trends import entries, series
from saltpath.store.trends.entries import SummedRun
from saltpath.store.trends.series import Series

CASES, STEPS, DAYS, A_DAY = 500, 5, 30, 24
PARTS = ("trends/moved", "trends/suites", "trends/trust")
REPEATS = 7


def fill(folder: Path) -> str:
    """Cases with the runs of a month, as though they had been summed up; the project's identity."""
    migrate(folder)
    chance = np.random.default_rng(5)
    with closing(connect(folder)) as main, closing(connect(folder, "history")) as history:
        for connection in (main, history):
            connection.execute("PRAGMA synchronous = OFF")
        owner = people.local_owner(main).id
        people.set_alone(main, True)
        project = projects.add_project(main, owner, {"salt-path": 1, "project": "Large"})
        ids = []
        for suite_number in range(25):
            document = {"salt-path": 1, "suite": f"Suite {suite_number}"}
            suite = projects.add_suite(main, project.id, owner, f"s{suite_number}", document)
            for number in range(CASES // 25):
                name = f"Case {suite_number} {number}"
                document = {"salt-path": 1, "case": name, "steps": []}
                made = cases.add_case(main, project.id, suite.id, owner, document)
                ids.append(made.id)
        wanted = [
            Series("step", f"{case}/{step}", f"Step {step}", case)
            for case in ids
            for step in range(STEPS)
        ]
        numbers = series.numbers(history, project.id, wanted)
        _runs(history, project.id, ids, sorted(numbers.values()), chance)
        for _ in entries.pack(history, int(time.time())):
            pass
        summing.look(main, history, summing.Reader(), int(time.time()))
        return project.oid


def _runs(history, project: int, ids: list[int], steps: list[int], chance) -> None:  # type: ignore[no-untyped-def]
    usual = chance.lognormal(11, 0.8, len(steps))
    moved = chance.choice(len(steps), 20, replace=False)
    flaky = chance.random(len(ids)) < 0.02
    now = int(time.time())
    for run in range(1, DAYS * A_DAY + 1):
        at = now - (DAYS * A_DAY - run) * 86_400 // A_DAY
        if run == DAYS * A_DAY // 2:
            usual[moved] *= 1.4
        of_cases = np.zeros(len(ids), CASE)
        of_cases["case"], of_cases["run"], of_cases["at"] = ids, run, at
        of_cases["version"], of_cases["checks"], of_cases["us"] = 1, 12, 400_000
        bad = (chance.random(len(ids)) < 0.1) & flaky
        of_cases["verdict"] = bad
        of_cases["flags"] = np.where(bad & (chance.random(len(ids)) < 0.2), KNOWN, 0)
        of_steps = np.zeros(len(steps), STEP)
        of_steps["series"], of_steps["run"], of_steps["at"] = steps, run, at
        of_steps["number"] = of_steps["timed"] = 1
        times = usual * chance.lognormal(0, 0.15, len(steps))
        of_steps["median"] = of_steps["p95"] = of_steps["sum"] = times
        made: dict[tuple[What, str], Entries] = {
            ("case", "Rehearsal"): of_cases,
            ("step", "Rehearsal"): of_steps,
        }
        summed = SummedRun(run, project, run, f"run_{run}", "1.0", "", at * 10**6, at * 10**6)
        entries.add(history, summed, made)


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name) / "data"
        begun = time.perf_counter()
        project = fill(folder)
        size = (folder / "history.db").stat().st_size
        runs = DAYS * A_DAY * CASES
        print(
            f"{runs:,} runs of cases, {runs * STEPS:,} of steps: {size / 1e6:.0f} MB, "
            f"{size / runs:.0f} B a run of a case; made and looked through in "
            f"{time.perf_counter() - begun:.0f} s"
        )
        _measure(folder, project)


def _measure(folder: Path, project: str) -> None:
    client = make_app(folder).test_client()

    def ask(part: str) -> float:
        begun = time.process_time()
        answer = client.get(f"/api/v1/{part}?project={project}&environment=Rehearsal")
        assert answer.status_code == 200, answer.text
        return 1_000 * (time.process_time() - begun)

    whole = 0.0
    for part in (*PARTS, "today", "trends/spent", "trends/compared"):
        ask(part)
        took = median(ask(part) for _ in range(REPEATS))
        whole += took if part in PARTS else 0
        print(f"  {part:16} {took:6.0f} ms")
    print(f"  the whole first picture of Trends, one part after the other: {whole:.0f} ms")


if __name__ == "__main__":
    main()
