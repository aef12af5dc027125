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
from collections.abc import Callable, Iterable, Iterator
from contextlib import closing
from pathlib import Path
from typing import Any, cast

from msgspec.structs import replace

from saltpath.core.assist.single_step import needs
from saltpath.core.cases.case import Answered, Case, Project, checks_in
from saltpath.core.cases.row_sources import FileRows, Row
from saltpath.core.cases.shared import Library
from saltpath.core.checks.check import AS_BEFORE
from saltpath.core.checks.outcome import Outcome
from saltpath.core.format.nodes import FormatError
from saltpath.core.format.readable import (
    Broken,
    readable_case,
    readable_environment,
    readable_project,
    readable_suite,
)
from saltpath.core.running.plan import (
    Kept,
    Plan,
    PlannedCase,
    Resume,
    ResumedRows,
    planned,
    signed_in,
)
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import Blocked, MaskedWhy, as_masked, fault, said, why
from saltpath.engine.loop import run_in_loop
from saltpath.engine.run import run_plan, utc_us
from saltpath.engine.stop import Stop
from saltpath.formats.rows import rows_reader
from saltpath.runner.life import Heartbeat, ShutdownSignal, holding, limit_memory, parent_gone
from saltpath.runner.recorder import Recorder
from saltpath.store import (
    cases,
    evidence,
    jobs,
    output_rows,
    project_files,
    projects,
    run_rows,
    runs,
    secrets,
    shared_steps,
)
from saltpath.store.database import NotFound, StoreError, connect
from saltpath.store.documents import Document
from saltpath.store.kept_answers import last_kept
from saltpath.store.memory import give_memory_back

BEAT_S = 0.25
STOP_LOOK_S = 0.1
LOOK_S = 0.010
LOOK_ANYWAY_S = 0.4
GIVE_BACK_S = 10.0
"""Memory is given back after a run, at most once in so long."""
MOST_STUCK = 5
MOST_LOOKED_AT = 50
SETTLED_S = 60
MOST_STEPS_READ = 5_000
"""Of cases that are kept as they were read; a step with five checks takes 5 kB, and reading it 160
us."""
_KNOWN_ANYHOW = ("sources.", "databases.")
"""Of a project's entries that cannot be read: a case that names one is told that it is not there,
others do without."""
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
        # by case and version, which never changes
        self._read: dict[tuple[int, int], tuple[Case, list[Broken]]] = {}

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
                plan, positions = self._plan(run, again=job.epoch > 1)
            except (StoreError, FormatError, NotFound) as problem:
                log.error("run %s cannot begin: %s", run.oid, problem)
                runs.refuse(self._main, run, why("not-begun", problem=str(problem)).to_json())
                jobs.finish(self._main, job)
                return
            with_rows = frozenset(
                at for at, planned in enumerate(plan.cases) if planned.case.rows is not None
            )
            self._recorder.begin(job.project, job.run, job.epoch, positions, with_rows)
            run_in_loop(lambda selector: self._drive(selector, plan, job, shutdown))
            while not self._wait_until_settled(1):
                if jobs.stop_asked(self._main, job) is None:
                    return
        jobs.finish(self._main, job)

    async def _drive(
        self, selector: Any, plan: Plan, job: jobs.Job, shutdown: ShutdownSignal
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
            await run_plan(plan, selector, self._recorder.take, stop)
        finally:
            over.set()

    # ---- the plan

    def _plan(self, run: runs.Run, again: bool) -> tuple[Plan, list[int]]:
        project, broken = readable_project(projects.project_by_id(self._main, run.project).document)
        suites = {suite.id: suite for suite in projects.suites(self._main, run.project)}
        stored = [
            e for e in projects.environments(self._main, run.project) if e.name == run.environment
        ]
        environment, broken_there = (
            readable_environment(stored[0].document) if stored else (None, [])
        )
        around = [
            item for item in broken if not item.place.startswith(_KNOWN_ANYHOW)
        ] + broken_there
        library = shared_steps.library(self._main, run.project)
        chosen: list[PlannedCase] = []
        positions: list[int] = []
        for entry in runs.run_cases(self._main, run.id):
            if entry.state == "finished":
                continue
            self._heartbeat.beat()
            chosen.append(self._planned(run, entry, again, project, suites, library, around))
            positions.append(entry.position)
        started, files = runs.beginning(
            self._main, run, utc_us(), self._files_of(run.project, chosen)
        )
        plan = Plan(
            tuple(chosen),
            project,
            environment,
            run.seed,
            run.number,
            self._given(run),
            self._secrets(run),
            int(run.request.get("jobs", 1)),
            started,
            project_files.file_reader(self._main, run.project),
            frozenset(run.request["changes"]) if "changes" in run.request else None,
            rows_reader(project_files.opener(self._main, run.project, files)),
            begin_rows=self._recorder.rows_begin,
            begin_part=self._recorder.part_begins,
            keep_session=lambda case, kept: self._recorder.keep_session(
                case, self._sealed(run, kept)
            ),
            read_output=self._output_reader(run),
            own_folder=self._folder,
            first_rows=bool(run.request.get("firstRows")),
            own_port=self._own_port,
        )
        return plan, positions

    def _planned(
        self,
        run: runs.Run,
        entry: runs.RunCase,
        again: bool,
        project: Project,
        suites: dict[int, Document],
        library: Library,
        broken: list[Broken],
    ) -> PlannedCase:
        """One case as it is to be carried out; what cannot be read, or worked out, costs it
        alone."""
        stored = cases.case_at(self._main, entry.case_id, entry.version)
        case, unread = self._case(stored)
        suite = suites.get(stored.suite)
        of_suite, broken_there = readable_suite(suite.document) if suite else (None, [])
        problems = [*unread, *broken_there, *broken]
        if problems:
            return PlannedCase(
                case,
                of_suite,
                stored.file,
                problem=said("stored-unread", problem=problems[0].sentence),
            )
        more: dict[str, Any] = {"pick": run.request.get("picks", {}).get(str(entry.position), "")}
        if again and entry.state == "running":
            more["around"] = self._around(run, entry.position)
            if case.rows is not None:
                more["resumed"] = self._resumed_rows(run.id, entry)
            else:
                more["resume"] = self._resume(run.id, entry.position, 1)
        if run.request.get("only"):
            more["only"], more["given"] = self._alone(
                run, stored, signed_in(case, of_suite, project)
            )
        if case.is_shared:
            more["inside"] = (shared_steps.called(stored),)
        more["measures"] = self._measures(run, stored, case)
        if suite is not None:
            more["secrets"] = self._secrets(run, suite.oid)
        try:
            return planned(case, of_suite, stored.file, project, library, **more)
        except Exception as problem:
            log.exception("a fault of Salt Path's own in the plan of %s", stored.name)
            return PlannedCase(case, of_suite, stored.file, problem=as_masked(fault(problem)))

    def _secrets(self, run: runs.Run, suite: str = "") -> dict[str, str]:
        """Those of the project, or of one of its suites (by its oid), as they read where the run
        goes."""
        return secrets.secrets_for(self._main, self._folder, run.project, run.environment, suite)

    def _case(self, stored: cases.StoredCase) -> tuple[Case, list[Broken]]:
        """What a stored case reads as, and what is wrong if it cannot be read; one that was run
        lately is not read again."""
        key = (stored.id, stored.version)
        if key not in self._read:
            if sum(len(case.steps) for case, _ in self._read.values()) > MOST_STEPS_READ:
                self._read.clear()
            self._read[key] = readable_case(
                stored.unread or stored.document, stored.name, stored.key
            )
        return self._read[key]

    def _output_reader(self, run: runs.Run) -> Callable[[str], Iterator[Row]]:
        """Reads the rows of an output table: those that this run has written, else those of the
        newest that did. In any thread."""

        def read(table: str) -> Iterator[Row]:
            self._recorder.settled(SETTLED_S)
            with (
                closing(connect(self._folder, "evidence")) as evidence_side,
                closing(connect(self._folder, "main")) as main,
            ):
                own = run.id if output_rows.count(evidence_side, run.id, table) else None
                of = own or output_rows.newest_run(main, evidence_side, run.project, table)
                if of is None:
                    problem = "nothing was written there"
                    raise Blocked(
                        why(
                            "source-unreadable", source=f"the output table {table}", problem=problem
                        )
                    )
                for number, cells in enumerate(output_rows.rows(evidence_side, of, table), 1):
                    yield Row(number, cells)

        return read

    def _files_of(self, project: int, chosen: list[PlannedCase]) -> dict[str, int]:
        """The present version of each file that rows come from, by its path."""
        files = {planned.source.file for planned in chosen if isinstance(planned.source, FileRows)}
        found = {
            path.removeprefix("./"): project_files.current(self._main, project, path)
            for path in files
        }
        return {path: file.version for path, file in found.items() if file is not None}

    def _given(self, run: runs.Run) -> dict[str, str]:
        """The values that the run was given at its start."""
        sealed = run.request.get("sealed")
        return secrets.given(self._folder, run.project, sealed) if sealed else {}

    def _measures(
        self, run: runs.Run, stored: cases.StoredCase, case: Case
    ) -> dict[str, dict[str, Any]]:
        """What each check of `same as last pass` saw when its step last passed in this environment,
        by step key and sentence."""
        found: dict[str, dict[str, Any]] = {}
        for _, step in case.every_step():
            checks = checks_in(step.expect) if isinstance(step, Answered) else ()
            wanted = {check.sentence for check in checks if check.relation == AS_BEFORE}
            if wanted:
                found[step.key] = self._last_pass(run, stored, step.key, wanted)
        return found

    def _last_pass(
        self, run: runs.Run, stored: cases.StoredCase, key: str, wanted: set[str]
    ) -> dict[str, Any]:
        for earlier, position in runs.last_runs_of_case(
            self._main, run.project, stored.id, MOST_LOOKED_AT
        ):
            if runs.run_by_id(self._main, earlier).environment != run.environment:
                continue
            for step in evidence.steps_with_key(self._evidence, earlier, position, key):
                if step.head.verdict == "passed":
                    return {o.check: o.actual for o in _every(step.outcomes) if o.check in wanted}
        return {}

    def _resumed_rows(self, run: int, entry: runs.RunCase) -> ResumedRows:
        """The rows of a case that another runner had begun."""

        def finished(row: int) -> tuple[Verdict, MaskedWhy | None] | None:
            ended = run_rows.finished(self._evidence, run, entry.position, row)
            return (cast(Verdict, ended.verdict), ended.why) if ended else None

        def begun(row: int) -> Resume:
            found = self._resume(run, entry.position, row)
            return replace(found, begun=found.begun | {"steps"})

        return ResumedRows(entry.begun, finished, begun)

    def _resume(self, run: int, position: int, row: int) -> Resume:
        """What was recorded of a begun row, or (0) around the rows: its keeps (secret ones are
        lost), its finished steps, what was begun."""
        kept: dict[str, Any] = {}
        for step in evidence.steps_of_row(self._evidence, run, position, row):
            if not evidence.hidden(step.head.inner):
                kept.update(
                    {
                        name: value
                        for name, value in step.kept.items()
                        if name not in step.secret_kept
                    }
                )
        finished = evidence.recorded_steps(self._evidence, run, position, row)
        begun = evidence.parts_begun(self._evidence, run, position, row) | {
            part for part, _ in finished
        }
        return Resume(Kept(kept), finished, begun)

    def _around(self, run: runs.Run, position: int) -> Resume:
        """What was recorded around the rows of a case, with all that its `once` left."""
        found = self._resume(run.id, position, 0)
        sealed = runs.session(self._main, run.id, position)
        if sealed is None:
            return found
        left = secrets.given(self._folder, run.project, sealed)
        kept = Kept(
            left["values"],
            frozenset(left["secret"]),
            tuple(tuple(cookie) for cookie in left["cookies"]),
        )
        return replace(found, kept=kept)

    def _sealed(self, run: runs.Run, kept: Kept) -> str:
        """What `once` left, as it may be stored."""
        left = {"values": kept.values, "secret": sorted(kept.secret), "cookies": kept.cookies}
        return secrets.seal_given(self._folder, run.project, left)

    def _alone(
        self, run: runs.Run, stored: cases.StoredCase, case: Any
    ) -> tuple[frozenset[int], dict[str, Any]]:
        """The steps that were asked for, with those that only set values for them, and the kept
        values that they are given. No other step is sent: what is missing blocks."""
        given = last_kept(
            self._main, self._evidence, (run.project, stored.id), case, run.environment
        )
        wanted = {int(index) for index in run.request["only"]}
        known = {*given, *self._given(run)}
        return frozenset(wanted | set(needs(case, wanted, known).set)), given


def _every(outcomes: Iterable[Outcome]) -> Iterator[Outcome]:
    for outcome in outcomes:
        yield outcome
        yield from _every(outcome.parts)


def main(folder: Path, name: str, descriptor: int, own_port: int) -> None:
    limit_memory()
    with holding(folder):
        Worker(folder, name, Heartbeat(descriptor), own_port).serve()
