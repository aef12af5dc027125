"""A runner: takes a job, builds its plan from the store, drives the engine, and says that it is not
stuck.

A job that another runner had begun is gone on with: finished cases, rows and steps stand, a step
that may have been sent is blocked ("interrupted") and never sent again, its row's afterwards runs
from the recorded keeps, what was not begun runs as if nothing had happened.
"""

from __future__ import annotations

import asyncio
import logging
import os
import sqlite3
import threading
import time
from pathlib import Path
from typing import Any

from saltpath.core.format.nodes import FormatError
from saltpath.core.format.plan_reader import compile_plan
from saltpath.core.running.compiled import CompiledPlan
from saltpath.core.running.supplies import Supplies
from saltpath.core.values.why import why
from saltpath.engine.loop import run_in_loop
from saltpath.engine.run import run_plan
from saltpath.engine.stop import Stop
from saltpath.runner.life import Heartbeat, ShutdownSignal, holding, limit_memory, parent_gone
from saltpath.runner.planning import Planner
from saltpath.runner.recorder import Recorder
from saltpath.runner.supplies import LocalSupplies
from saltpath.store import jobs, run_records, runs
from saltpath.store.database import NotFound, StoreError, connect
from saltpath.store.memory import give_memory_back

BEAT_S = 0.25
STOP_LOOK_S = 0.1
LOOK_S = 0.010
LOOK_ANYWAY_S = 0.4
GIVE_BACK_S = 10.0
"""Memory is given back after a run, at most once in so long."""
MOST_STUCK = 5
log = logging.getLogger("saltpath.runner")


class Worker:
    """One runner process. `name`: that its supervisor knows it by, and releases its jobs by when it
    has ended."""

    def __init__(self, folder: Path, name: str, heartbeat: Heartbeat, own_port: int = 0) -> None:
        self._folder, self._name, self._heartbeat, self._own_port = (
            folder,
            name,
            heartbeat,
            own_port,
        )
        self._main = connect(folder, "main")
        self._evidence = connect(folder, "evidence")
        self._recorder = Recorder(folder, heartbeat.beat)
        self._planner = Planner(self._main, self._evidence, folder, heartbeat.beat)

    def serve(self) -> None:
        """Until told to end. A run under way is then stopped, its afterwards carried out."""
        shutdown = ShutdownSignal()
        seen, quiet = -1, 0.0
        carried_out, given_back = False, time.monotonic()
        while not shutdown.is_set() and not parent_gone():
            self._heartbeat.beat()
            if carried_out and time.monotonic() - given_back > GIVE_BACK_S:
                give_memory_back()
                carried_out, given_back = False, time.monotonic()
            version = self._main.execute("PRAGMA data_version").fetchone()[0]
            if version == seen and quiet < LOOK_ANYWAY_S:
                shutdown.wait(LOOK_S)
                quiet += LOOK_S
                continue
            seen, quiet = version, 0.0
            try:
                job = jobs.take(self._main, self._name)
                if job is not None:
                    self._carry_out(job, shutdown)
                    carried_out, seen = True, -1
            except sqlite3.OperationalError as problem:
                log.error("the database cannot be used: %s; trying again", problem)
                shutdown.wait(0.5)
                self._release()
        self._wait_until_settled(5)
        self._recorder.close()

    def _release(self) -> None:
        """Let go of what could not be carried out, so that it is taken again."""
        try:
            jobs.release(self._main, self._name)
        except sqlite3.OperationalError as problem:
            log.error(
                "the database cannot be used: %s; this runner ends, so that its run is taken by "
                "another",
                problem,
            )
            raise SystemExit(1) from None

    def _wait_until_settled(self, seconds: float) -> bool:
        """Wait for the writer, and say meanwhile that nothing hangs here."""
        for _ in range(int(seconds * 2)):
            self._heartbeat.beat()
            if self._recorder.settled(0.5):
                return True
        return False

    def _carry_out(self, job: jobs.Job, shutdown: ShutdownSignal) -> None:
        run = runs.run_by_id(self._main, job.run)
        if run.state != "finished":
            try:
                if job.stuck >= MOST_STUCK:
                    raise StoreError(f"{MOST_STUCK} runners have ended while they carried it out")
                plan, supplies, positions = self._plan(run, again=job.epoch > 1)
            except (StoreError, FormatError, NotFound) as problem:
                log.error("run %s cannot begin: %s", run.oid, problem)
                run_records.refuse(
                    self._main, run, why("not-begun", problem=str(problem)).to_json()
                )
                jobs.finish(self._main, job)
                return
            cases = [planned.case for planned in plan.cases]
            self._recorder.begin(job.project, job.run, job.epoch, positions, cases)
            run_in_loop(lambda selector: self._drive(selector, plan, supplies, job, shutdown))
            while not self._wait_until_settled(1):
                if jobs.stop_asked(self._main, job) is None:
                    return
        jobs.finish(self._main, job)

    def _plan(self, run: runs.Run, again: bool) -> tuple[CompiledPlan, Supplies, list[int]]:
        """What is to be carried out, what it is carried out with, and which of the run's cases it
        has. Raises StoreError, FormatError, NotFound."""
        planned = self._planner.plan(run, again)
        supplies = LocalSupplies(
            self._folder, self._main, self._evidence, self._recorder, run, planned, self._own_port
        )
        read, beat = self._planner.read, self._heartbeat.beat
        return compile_plan(planned.plan, supplies, read, beat), supplies, planned.positions

    async def _drive(
        self,
        selector: Any,
        plan: CompiledPlan,
        supplies: Supplies,
        job: jobs.Job,
        shutdown: ShutdownSignal,
    ) -> None:
        stop = Stop()
        loop = asyncio.get_running_loop()
        over = threading.Event()

        def look_for_stop() -> None:
            connection = connect(self._folder, "main")
            while not over.wait(STOP_LOOK_S):
                try:
                    by = jobs.stop_asked(connection, job)
                except sqlite3.OperationalError:
                    continue
                if by is None or self._recorder.refused:
                    log.error(
                        "another runner goes on with run %s; this one ends at once, and sends "
                        "nothing more",
                        job.run,
                    )
                    os._exit(1)
                if shutdown.is_set() or parent_gone():
                    by = by or "the application's end"
                if by:
                    loop.call_soon_threadsafe(stop.request, by)
            connection.close()

        def beat() -> None:
            self._heartbeat.beat()
            loop.call_later(BEAT_S, beat)

        beat()
        thread = threading.Thread(target=look_for_stop, name="stop", daemon=True)
        thread.start()
        try:
            await run_plan(plan, selector, self._recorder.take, stop, supplies=supplies)
        finally:
            over.set()


def main(folder: Path, name: str, descriptor: int, own_port: int) -> None:
    limit_memory()
    with holding(folder):
        Worker(folder, name, Heartbeat(descriptor), own_port).serve()
