"""A runner: takes a job, builds its plan from the store, drives the engine, keeps the lease alive.

A job that another runner had begun is gone on with: finished cases stand, the begun row is blocked ("interrupted") and
its afterwards runs from the recorded keeps, cases not begun run as if nothing had happened.
"""

from __future__ import annotations

import asyncio
import logging
import sqlite3
import threading
from collections.abc import Callable, Iterable, Iterator
from contextlib import closing
from pathlib import Path
from typing import Any, cast

from saltpath.core.case import Answered, Case, checks_in, keeps_of
from saltpath.core.checks.one import AS_BEFORE
from saltpath.core.checks.outcome import Outcome
from saltpath.core.exchange import MASK
from saltpath.core.format.project import read_environment, read_project, read_suite
from saltpath.core.format.reader import case_from_data
from saltpath.core.format.source import FormatError
from saltpath.core.inspect import used_names
from saltpath.core.plan import Plan, PlannedCase, Resume, ResumedRows, planned
from saltpath.core.tables.sources import FileRows, Row
from saltpath.core.verdicts import Verdict
from saltpath.core.why import Blocked, Why, why
from saltpath.engine.loop import run_in_loop
from saltpath.engine.run import run_plan, utc_us
from saltpath.engine.stop import Stop
from saltpath.formats.rows import rows_reader
from saltpath.runner.life import Told, parent_gone
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
from saltpath.store.database import NotFound, StoreError, connect, new_id

BEAT_S = 0.4
LOOK_S = 0.010
LOOK_ANYWAY_S = 0.4
MOST_TRIES = 5
MOST_LOOKED_AT = 50
SETTLED_S = 60
MOST_STEPS_READ = 5_000
"""Of cases that are kept as they were read; a step with five checks takes 5 kB, and reading it 160 us."""
log = logging.getLogger("saltpath.runner")


class Worker:
    """One runner process."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._name = new_id("runner")
        self._main = connect(folder, "main")
        self._evidence = connect(folder, "evidence")
        self._recorder = Recorder(folder)
        self._read: dict[tuple[int, int], Case] = {}  # by case and version, which never changes

    def serve(self) -> None:
        """Until told to end. A run under way is then stopped, its afterwards carried out."""
        told = Told()
        seen, quiet = -1, 0.0
        while not told.is_set() and not parent_gone():
            version = self._main.execute("PRAGMA data_version").fetchone()[0]
            if version == seen and quiet < LOOK_ANYWAY_S:
                told.wait(LOOK_S)
                quiet += LOOK_S
                continue
            seen, quiet = version, 0.0
            try:
                job = jobs.take(self._main, self._name)
                if job is not None:
                    self._carry_out(job, told)
                    seen = -1
            except sqlite3.OperationalError as problem:
                log.error("the database cannot be used: %s; trying again", problem)
                told.wait(0.5)
        self._recorder.settled(5)
        self._recorder.close()

    def _carry_out(self, job: jobs.Job, told: Told) -> None:
        run = runs.run_by_id(self._main, job.run)
        if run.state != "finished":
            try:
                if job.taken > MOST_TRIES:
                    raise StoreError(f"{MOST_TRIES} runners have ended while they carried it out")
                plan, positions = self._plan(run, again=job.taken > 1)
            except (StoreError, FormatError, NotFound) as problem:
                log.error("run %s cannot begin: %s", run.oid, problem)
                runs.refuse(self._main, run, why("not-begun", problem=str(problem)).to_json())
                jobs.finish(self._main, job.id, self._name)
                return
            with_rows = frozenset(at for at, planned in enumerate(plan.cases) if planned.case.rows is not None)
            self._recorder.begin(job.project, job.run, positions, with_rows)
            run_in_loop(lambda selector: self._drive(selector, plan, job, told))
            while not self._recorder.settled(1):
                if jobs.beat(self._main, job.id, self._name) is None:
                    return
        jobs.finish(self._main, job.id, self._name)

    async def _drive(self, selector: Any, plan: Plan, job: jobs.Job, told: Told) -> None:
        stop = Stop()
        loop = asyncio.get_running_loop()
        over = threading.Event()

        def keep_lease() -> None:
            connection = connect(self._folder, "main")
            while not over.wait(BEAT_S):
                try:
                    by = jobs.beat(connection, job.id, self._name)
                except sqlite3.OperationalError:
                    continue
                if told.is_set() or parent_gone():
                    by = by or "the application's end"
                if by is None:
                    by = "another runner, which took the run over"
                if by:
                    loop.call_soon_threadsafe(stop.request, by)
            connection.close()

        thread = threading.Thread(target=keep_lease, name="lease", daemon=True)
        thread.start()
        try:
            await run_plan(plan, selector, self._recorder.take, stop)
        finally:
            over.set()

    # ---- the plan

    def _plan(self, run: runs.Run, again: bool) -> tuple[Plan, list[int]]:
        project = read_project(projects.project_by_id(self._main, run.project).document)
        suites = {suite.id: suite for suite in projects.suites(self._main, run.project)}
        environment = next(
            (e for e in projects.environments(self._main, run.project) if e.name == run.environment), None
        )
        library = shared_steps.library(self._main, run.project)
        chosen: list[PlannedCase] = []
        positions: list[int] = []
        for entry in runs.run_cases(self._main, run.id):
            if entry.state == "finished":
                continue
            stored = cases.case_at(self._main, entry.case_id, entry.version)
            case = self._case(stored)
            more: dict[str, Any] = {"pick": run.request.get("picks", {}).get(str(entry.position), "")}
            if again and entry.state == "running" and case.rows is not None:
                more["resumed"] = self._resumed_rows(run.id, entry)
            elif again and entry.state == "running":
                more["resume"] = self._resume(run.id, entry.position)
            elif run.request.get("only"):
                more["only"], more["given"] = self._alone(run, stored, case)
            if case.is_shared:
                more["inside"] = (shared_steps.called(stored),)
            more["measures"] = self._measures(run, stored, case)
            suite = suites.get(stored.suite)
            if suite is not None:
                more["secrets"] = self._secrets(run, suite.oid)
            read = read_suite(suite.document) if suite else None
            chosen.append(planned(case, read, stored.file, project, library, **more))
            positions.append(entry.position)
        started, files = runs.beginning(self._main, run, utc_us(), self._files_of(run.project, chosen))
        plan = Plan(
            tuple(chosen),
            project,
            read_environment(environment.document) if environment else None,
            run.seed,
            run.number,
            self._given(run),
            self._secrets(run),
            int(run.request.get("jobs", 1)),
            started,
            project_files.file_reader(self._main, run.project),
            frozenset(run.request["changes"]) if "changes" in run.request else None,
            rows_reader(project_files.opener(self._main, run.project, files)),
            self._recorder.rows_begin,
            self._output_reader(run),
            self._folder,
            first_rows=bool(run.request.get("firstRows")),
        )
        return plan, positions

    def _secrets(self, run: runs.Run, suite: str = "") -> dict[str, str]:
        """Those of the project, or of one of its suites (by its oid), as they read where the run goes."""
        return secrets.secrets_for(self._main, self._folder, run.project, run.environment, suite)

    def _case(self, stored: cases.StoredCase) -> Case:
        """What a stored case reads as; one that was run lately is not read again."""
        key = (stored.id, stored.version)
        if key not in self._read:
            if sum(len(case.steps) for case in self._read.values()) > MOST_STEPS_READ:
                self._read.clear()
            self._read[key] = case_from_data(stored.document)
        return self._read[key]

    def _output_reader(self, run: runs.Run) -> Callable[[str], Iterator[Row]]:
        """Reads the rows of an output table: those that this run has written, else those of the newest that did. In any thread."""

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
                    raise Blocked(why("source-unreadable", source=f"the output table {table}", problem=problem))
                for number, cells in enumerate(output_rows.rows(evidence_side, of, table), 1):
                    yield Row(number, cells)

        return read

    def _files_of(self, project: int, chosen: list[PlannedCase]) -> dict[str, int]:
        """The present version of each file that rows come from, by its path."""
        files = {planned.source.file for planned in chosen if isinstance(planned.source, FileRows)}
        found = {path.removeprefix("./"): project_files.current(self._main, project, path) for path in files}
        return {path: file.version for path, file in found.items() if file is not None}

    def _given(self, run: runs.Run) -> dict[str, str]:
        """The values that the run was given at its start."""
        sealed = run.request.get("sealed")
        return secrets.given(self._folder, run.project, sealed) if sealed else {}

    def _measures(self, run: runs.Run, stored: cases.StoredCase, case: Case) -> dict[str, dict[str, Any]]:
        """What each check of `same as last pass` saw when its step last passed in this environment, by step key and sentence."""
        found: dict[str, dict[str, Any]] = {}
        for _, step in case.every_step():
            checks = checks_in(step.expect) if isinstance(step, Answered) else ()
            wanted = {check.sentence for check in checks if check.relation == AS_BEFORE}
            if wanted:
                found[step.key] = self._last_pass(run, stored, step.key, wanted)
        return found

    def _last_pass(self, run: runs.Run, stored: cases.StoredCase, key: str, wanted: set[str]) -> dict[str, Any]:
        for earlier, position in runs.last_runs_of_case(self._main, run.project, stored.id, MOST_LOOKED_AT):
            if runs.run_by_id(self._main, earlier).environment != run.environment:
                continue
            for step in evidence.steps_with_key(self._evidence, earlier, position, key):
                if step.head.verdict == "passed":
                    return {o.check: o.actual for o in _every(step.outcomes) if o.check in wanted}
        return {}

    def _resumed_rows(self, run: int, entry: runs.RunCase) -> ResumedRows:
        """The rows of a case that another runner had begun."""

        def finished(row: int) -> tuple[Verdict, Why | None] | None:
            ended = run_rows.finished(self._evidence, run, entry.position, row)
            return (cast(Verdict, ended.verdict), ended.why) if ended else None

        return ResumedRows(entry.begun, finished, lambda row: self._resume(run, entry.position, row))

    def _resume(self, run: int, position: int, row: int | None = None) -> Resume:
        """What was recorded of a begun row: its keeps (secret ones are lost) and its finished steps."""
        kept: dict[str, Any] = {}
        finished: set[tuple[str, int]] = set()
        for step in evidence.steps(self._evidence, run, position, row):
            if row is not None and not step.head.row:
                continue
            if evidence.hidden(step.head.inner):
                continue
            if not step.head.inner:
                finished.add((step.head.part, step.head.step))
            kept.update({name: value for name, value in step.kept.items() if name not in step.secret_kept})
        return Resume(kept, frozenset(finished))

    def _alone(self, run: runs.Run, stored: cases.StoredCase, case: Any) -> tuple[frozenset[int], dict[str, Any]]:
        """The steps to send for a step by itself, and the kept values that they are given from the last run.

        A value that was kept as a secret is not known any more; the step that keeps it is sent first."""
        given = self._last_kept(run, stored)
        wanted = {int(index) for index in run.request["only"]}
        waiting = list(wanted)
        while waiting:
            step = case.steps[waiting.pop()]
            for name in used_names(step):
                if name in given:
                    continue
                for index, earlier in enumerate(case.steps):
                    if name in keeps_of(earlier) and earlier is not step and index not in wanted:
                        wanted.add(index)
                        waiting.append(index)
        return frozenset(wanted), given

    def _last_kept(self, run: runs.Run, stored: cases.StoredCase) -> dict[str, Any]:
        last = runs.last_run_of_case(self._main, run.project, stored.id, ("run",))
        kept: dict[str, Any] = {}
        for step in evidence.steps(self._evidence, *last) if last else ():
            if evidence.hidden(step.head.inner):
                continue
            for name, value in step.kept.items():
                if name not in step.secret_kept and MASK not in str(value):
                    kept[name] = value
        return kept


def _every(outcomes: Iterable[Outcome]) -> Iterator[Outcome]:
    for outcome in outcomes:
        yield outcome
        yield from _every(outcome.parts)


def main(folder: Path) -> None:
    Worker(folder).serve()
