"""What a run is to do, read from the store: a plan, as data."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from itertools import pairwise
from pathlib import Path
from typing import Any, TypeVar

from msgspec import Struct
from msgspec.structs import replace

from saltpath.core.assist.single_step import needs
from saltpath.core.cases.case import Case, Project
from saltpath.core.cases.expectations import checks_in
from saltpath.core.cases.row_sources import Source
from saltpath.core.checks.check import AS_BEFORE
from saltpath.core.checks.outcome import Outcome
from saltpath.core.format.plan_reader import read_planned
from saltpath.core.format.readable import (
    Broken,
    readable_project,
    readable_standing,
    readable_suite,
)
from saltpath.core.running.inherited import signed_in
from saltpath.core.running.plan import Plan, PlannedCase
from saltpath.core.running.roles import Role, in_turn, role_of
from saltpath.engine.run import utc_us
from saltpath.store import (
    cases,
    evidence,
    project_files,
    projects,
    runs,
    secrets,
    shared_steps,
)
from saltpath.store.documents import Document
from saltpath.store.kept_answers import last_handed, last_kept

MOST_LOOKED_AT = 50
"""Earlier runs in which a step's last pass is looked for."""
MOST_STEPS_READ = 5_000
"""Of cases that are kept as they were read; a step with five checks takes 5 kB, and reading it 160
us."""


class Planned(Struct, frozen=True):
    """A plan, and what belongs to it here."""

    plan: Plan
    files: dict[str, int]
    """The versions of the files that its rows come from, by path."""
    positions: list[int]
    """Where its cases stand in the run: those that have finished are not planned again."""
    roles: dict[int, tuple[str, Role]]
    """Of every case of a run that another runner had begun, by its position: its suite's id, and
    what it is there; only of suites that have such roles."""


class Planner:
    """Plans runs, and keeps cases that it has read: a version never changes."""

    def __init__(
        self,
        main: sqlite3.Connection,
        evidence_side: sqlite3.Connection,
        folder: Path,
        beat: Callable[[], None],
    ) -> None:
        self._main, self._evidence, self._folder, self._beat = main, evidence_side, folder, beat
        self._read: dict[tuple[str, int], tuple[Case, list[Broken]]] = {}

    def read(self, planned: PlannedCase) -> tuple[Case, list[Broken]]:
        """What a planned case reads as, and what is wrong if it cannot be read."""
        key = (planned.id, planned.version)
        if key not in self._read:
            if sum(len(case.steps) for case, _ in self._read.values()) > MOST_STEPS_READ:
                self._read.clear()
            self._read[key] = read_planned(planned)
        return self._read[key]

    def plan(self, run: runs.Run, again: bool) -> Planned:
        """`again`: another runner may have begun it. Raises NotFound, StoreError."""
        document = _reaching(projects.project_by_id(self._main, run.project).document, run)
        project, _ = readable_project(document)
        suites = {suite.id: suite for suite in projects.suites(self._main, run.project)}
        environments = projects.environments(self._main, run.project)
        chosen: list[PlannedCase] = []
        positions: list[int] = []
        for entry in runs.run_cases(self._main, run.id):
            if entry.state == "finished":
                continue
            self._beat()
            chosen.append(self._planned(run, entry, again, project, suites))
            positions.append(entry.position)
        held = {planned.suite for planned in chosen}
        standing = {
            levels[-1].oid: levels
            for levels in projects.standing_of_each(list(suites.values())).values()
            if levels[-1].oid in held
        }
        order = places_in_turn([(one.suite, one.key, one.file) for one in chosen], standing)
        chosen, positions = [chosen[at] for at in order], [positions[at] for at in order]
        wanted = {planned.environment for planned in chosen}
        files = self._files_of(run.project, project, chosen)
        started, files = runs.beginning(self._main, run, utc_us(), files)
        plan = Plan(
            document,
            tuple(chosen),
            {e.name: e.document for e in environments if e.name in wanted},
            {
                level.oid: _reaching(level.document, run)
                for levels in standing.values()
                for level in levels
            },
            {
                inner.oid: outer.oid
                for levels in standing.values()
                for outer, inner in pairwise(levels)
            },
            shared_steps.documents(self._main, run.project),
            run.seed,
            run.number,
            run.request.jobs,
            started,
            run.request.changes,
            run.request.first_rows,
            # whoever goes on with a run that was begun does not wait again
            0 if again else run.request.wait_us,
            run.request.up_at,
            run.request.stop_after,
        )
        return Planned(plan, files, positions, self._roles(run, suites) if again else {})

    def _roles(self, run: runs.Run, suites: dict[int, Document]) -> dict[int, tuple[str, Role]]:
        read = {id: readable_suite(suite.document)[0] for id, suite in suites.items()}
        around = {id for id, suite in read.items() if suite.set_up or suite.clean_up}
        found: dict[int, tuple[str, Role]] = {}
        for entry in runs.run_cases(self._main, run.id) if around else ():
            stored = cases.case_at(self._main, entry.case_id, entry.version)
            if stored.suite in around:
                role = role_of(read[stored.suite], stored.key, stored.file)
                found[entry.position] = (suites[stored.suite].oid, role)
        return found

    def _planned(
        self,
        run: runs.Run,
        entry: runs.RunCase,
        again: bool,
        project: Project,
        suites: dict[int, Document],
    ) -> PlannedCase:
        stored = cases.case_at(self._main, entry.case_id, entry.version)
        suite = suites.get(stored.suite)
        if run.request.within:
            within = run.request.within.get(str(entry.position), "")
            suite = next((one for one in suites.values() if one.oid == within), None)
        more: dict[str, Any] = {}
        if again and entry.state == "running":
            more["begun"] = entry.begun
        planned = PlannedCase(
            entry.case,
            entry.version,
            stored.name,
            stored.key,
            stored.unread or stored.document,
            stored.file,
            suite.oid if suite else "",
            entry.environment,
            pick=run.request.picks.get(str(entry.position), ""),
            **more,
        )
        case, unread = self.read(planned)
        if unread:
            return planned
        if run.request.only:
            around = projects.standing(self._main, suite) if suite else []
            more["only"], more["given"] = self._alone(entry, run, stored, case, around, project)
        if case.is_shared:
            more["inside"] = cases.called(stored)
        more["measures"] = self._measures(entry.environment, run, stored, case)
        return replace(planned, **more)

    def _files_of(
        self, project: int, document: Project, chosen: list[PlannedCase]
    ) -> dict[str, int]:
        """The present version of each file that rows come from, by its path."""
        sources = (
            document.source_of(case.rows)
            for case, _ in map(self.read, chosen)
            if case.rows is not None
        )
        paths = {source.reads_file() for source in sources if isinstance(source, Source)} - {""}
        found = {
            path.removeprefix("./"): project_files.current(self._main, project, path)
            for path in paths
        }
        return {path: file.version for path, file in found.items() if file is not None}

    def _measures(
        self, environment: str, run: runs.Run, stored: cases.StoredCase, case: Case
    ) -> dict[str, dict[str, Any]]:
        """What each check of `same as last pass` saw when its step last passed in an environment,
        by step key and sentence."""
        found: dict[str, dict[str, Any]] = {}
        for _, step in case.every_step():
            wanted = {
                check.sentence for check in checks_in(step.expect) if check.relation == AS_BEFORE
            }
            if wanted:
                at = runs.last_runs_of_case(
                    self._main, run.project, stored.id, MOST_LOOKED_AT, environment=environment
                )
                found[step.key] = self._last_pass(at, step.key, wanted)
        return found

    def _last_pass(
        self, found: list[tuple[int, int]], key: str, wanted: set[str]
    ) -> dict[str, Any]:
        for earlier, position in found:
            for step in evidence.steps_with_key(self._evidence, earlier, position, key):
                if step.head.verdict == "passed":
                    return {o.check: o.actual for o in _every(step.outcomes) if o.check in wanted}
        return {}

    def _alone(
        self,
        entry: runs.RunCase,
        run: runs.Run,
        stored: cases.StoredCase,
        case: Case,
        levels: list[Document],
        project: Project,
    ) -> tuple[tuple[int, ...], dict[str, Any]]:
        """The steps that were asked for, with those that only set values for them, and the kept
        values that they are given. No other step is sent: what is missing blocks."""
        case = signed_in(case, readable_standing(level.document for level in levels), project)
        of = (run.project, stored.id)
        given = {
            **last_handed(self._main, self._evidence, stored, levels, entry.environment),
            **last_kept(self._main, self._evidence, of, case, entry.environment),
        }
        wanted = set(run.request.only or ())
        known = {*given, *secrets.given(self._folder, run.project, run.request.sealed)}
        return tuple(sorted(wanted | set(needs(case, wanted, known).set))), given


def _reaching(document: dict[str, Any], run: runs.Run) -> dict[str, Any]:
    """A project's or suite's document as it reaches the cases of a run."""
    if not run.request.within:
        return document
    return {name: value for name, value in document.items() if name != "every answer"}


Place = TypeVar("Place", str, int)


def places_in_turn(
    chosen: Sequence[tuple[Place, str, str]], standing: Mapping[Place, list[Document]]
) -> list[int]:
    """The places of cases (each its suite, its key, its file) in the order in which they are
    carried out: those that set suites up first, those that clean up last. `standing`: by suite,
    what it stands in, and itself."""
    read = {id: readable_suite(levels[-1].document)[0] for id, levels in standing.items()}
    depths = {id: len(levels) for id, levels in standing.items()}
    return in_turn(
        [(role_of(read.get(suite), key, file), depths.get(suite, 0)) for suite, key, file in chosen]
    )


def _every(outcomes: Iterable[Outcome]) -> Iterator[Outcome]:
    for outcome in outcomes:
        yield outcome
        yield from _every(outcome.parts)
