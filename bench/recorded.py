"""E2, E3 and E7: the engine with everything recorded, against hand-written scripts that record
nothing."""

from __future__ import annotations

import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from bench.nginx import harbour
from bench.sides import engine, in_turn, line, median_ratio, plan, with_aiohttp, with_requests
from saltpath.core.running.compiled import CompiledPlan
from saltpath.runner.recorder import Recorder
from saltpath.store import cases, jobs, people, projects, runs
from saltpath.store.database import connect, migrate

EXCHANGES = 4_000


class Recording:
    """A store with a writer process beside it, and runs to record into."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        migrate(folder)
        self.main = connect(folder)
        self.owner = people.local_owner(self.main).id
        self.project = projects.add_project(
            self.main, self.owner, {"salt-path": 1, "project": "Bench"}
        )
        suite = projects.add_suite(
            self.main, self.project.id, self.owner, "s", {"salt-path": 1, "suite": "S"}
        )
        document = {"salt-path": 1, "case": "Read port calls", "steps": []}
        self.case = cases.add_case(self.main, self.project.id, suite.id, self.owner, document)
        self.writer = subprocess.Popen(
            [sys.executable, "-m", "saltpath.processes", "writer", str(folder)]
        )
        self.recorder = Recorder(folder)

    def begin(self, work: CompiledPlan) -> None:
        many = [(self.case.id, 1, "Read port calls")] * len(work.cases)
        run, _ = runs.ask(
            self.main,
            self.project.id,
            self.owner,
            many,
            kind="run",
            title="Bench",
            environments=[""],
            seed=1,
        )
        job = jobs.take(self.main, "bench")
        assert job is not None and job.run == run.id
        self.recorder.begin(job.project, job.run, job.epoch, list(range(len(many))))

    def record(self, address: str, exchanges: int, jobs: int) -> float:
        """Seconds until everything is committed."""
        self.begin(plan(address, exchanges, jobs))
        begun = time.perf_counter()
        engine(address, exchanges, jobs, self.recorder.take)
        assert self.recorder.settled(60)
        return time.perf_counter() - begun

    def evidence_size(self) -> int:
        """Bytes of the evidence file, everything checkpointed."""
        connection = connect(self.folder, "evidence")
        connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        pages = connection.execute("PRAGMA page_count").fetchone()[0]
        return int(pages * connection.execute("PRAGMA page_size").fetchone()[0])

    def close(self) -> None:
        self.recorder.close()
        self.writer.terminate()
        self.writer.wait()


def e2_e3_e7(address: str) -> None:
    """16 at once, 5 checks, kept values; every exchange recorded in SQLite, against scripts without
    any record."""
    with tempfile.TemporaryDirectory() as folder:
        recording = Recording(Path(folder))
        try:
            recording.record(address, 500, 16)
            before = recording.evidence_size()
            rounds = 5
            ours, requests_side, aiohttp_side = in_turn(
                rounds,
                lambda: recording.record(address, EXCHANGES, 16),
                lambda: with_requests(address, EXCHANGES // 4, 16) * 4,
                lambda: with_aiohttp(address, EXCHANGES, 16),
            )
            each = (recording.evidence_size() - before) / (rounds * EXCHANGES)
        finally:
            recording.close()
    rate = f"{EXCHANGES / statistics.median(ours):,.0f}/s recorded"
    against = median_ratio(requests_side, ours)
    line(
        "E2",
        f"{against:.1f}",
        ">= 5",
        against >= 5,
        f"{rate}, requests {EXCHANGES / statistics.median(requests_side):,.0f}/s",
    )
    against = median_ratio(aiohttp_side, ours)
    line(
        "E3",
        f"{against:.2f}",
        ">= 1",
        against >= 1,
        f"{rate}, aiohttp {EXCHANGES / statistics.median(aiohttp_side):,.0f}/s",
    )
    line(
        "E7",
        f"{each:.0f} B",
        "<= 1000 B",
        each <= 1000,
        "evidence on disk per exchange of 1.2 kB with 5 checks",
    )


if __name__ == "__main__":
    with harbour() as bench_address:
        e2_e3_e7(bench_address)
