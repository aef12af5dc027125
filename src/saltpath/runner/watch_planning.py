"""What a watch's run is to do: its plan, read from the store and kept until something of its
project changes."""

from __future__ import annotations

import hashlib
import sqlite3
from collections.abc import Iterable, Iterator
from itertools import pairwise
from pathlib import Path
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from saltpath.core.cases.case import Case
from saltpath.core.cases.row_sources import FileRows, Row
from saltpath.core.format.plan_reader import compile_plan
from saltpath.core.running.compiled import CompiledPlan
from saltpath.core.running.plan import Plan, PlannedCase
from saltpath.core.running.supplies import Supplies
from saltpath.core.watching.watch import Watch
from saltpath.formats.rows import read_table
from saltpath.runner.planning import places_in_turn
from saltpath.store import (
    around,
    guards,
    project_files,
    projects,
    secrets,
    shared_steps,
    watches,
)
from saltpath.store.database import NotFound
from saltpath.store.documents import Document
from saltpath.store.reaching import reach

JOBS = 4
"""Cases of a watched suite that are carried out side by side."""


class Planned(Struct, frozen=True):
    """What a watch runs each time, but for its seed and its moment."""

    plan: CompiledPlan
    supplies: Supplies
    cases: tuple[Case, ...]
    """As they are carried out, with their shared steps in their places."""
    named: tuple[tuple[str, str], ...]
    """The id and the name of each."""


def seed_of(watch: int, due: int, turn: int) -> int:
    """What the data of one run are drawn by."""
    drawn = hashlib.blake2b(f"{watch} {due} {turn}".encode(), digest_size=8).digest()
    return int.from_bytes(drawn, "big") % 2**53


class WatchPlanner:
    """Plans what watches run; in a thread of its own, with its own connection."""

    def __init__(self, main: sqlite3.Connection, folder: Path, own_port: int) -> None:
        self._main, self._folder, self._own_port = main, folder, own_port
        self._known: dict[int, tuple[tuple[bytes, int], Planned]] = {}
        self._tried: dict[int, tuple[bytes, int]] = {}

    def plan(self, stored: Document, watch: Watch) -> Planned:
        """Raises NotFound or StoreError where there is nothing to run."""
        mark = (watches.plan_stamp(self._main, stored.project), stored.version)
        known = self._known.get(stored.id)
        self._tried[stored.id] = mark
        if known is None or known[0] != mark:
            known = (mark, self._planned(stored, watch))
            self._known[stored.id] = known
        return known[1]

    def stale(self, asked: Iterable[Document]) -> list[int]:
        """The watches whose plans are to be made, or made anew, and were not tried yet."""
        stamps: dict[int, bytes] = {}
        found = []
        for stored in asked:
            if stored.project not in stamps:
                stamps[stored.project] = watches.plan_stamp(self._main, stored.project)
            if self._tried.get(stored.id) != (stamps[stored.project], stored.version):
                found.append(stored.id)
        return found

    def forget(self, watches: set[int]) -> None:
        """Of all but these."""
        self._known = {id: held for id, held in self._known.items() if id in watches}
        self._tried = {id: mark for id, mark in self._tried.items() if id in watches}

    def _planned(self, stored: Document, watch: Watch) -> Planned:
        project = projects.project_by_id(self._main, stored.project)
        chosen = around.meant_by(self._main, project.id, watch.of, watch.what)
        meant = {case.id for case in chosen}
        chosen = around.with_around(self._main, chosen, project.id)
        where, environment = self._environment(project, watch)
        suites = {suite.id: suite for suite in projects.suites(self._main, project.id)}
        held = {case.suite for case in chosen}
        standing = {
            id: levels
            for id, levels in projects.standing_of_each(list(suites.values())).items()
            if id in held
        }
        turns = [(case.suite, case.key, case.file) for case in chosen]
        planned = [
            PlannedCase(
                case.oid,
                case.version,
                case.name,
                case.key,
                case.unread or case.document,
                case.file,
                suites[case.suite].oid if case.suite in suites else "",
                where,
                pick=watch.pick if case.id in meant and "rows" in case.document else "",
            )
            for case in (chosen[place] for place in places_in_turn(turns, standing))
        ]
        levels = [level for each in standing.values() for level in each]
        plan = Plan(
            project.document,
            tuple(planned),
            {where: environment.document} if environment else {},
            {level.oid: level.document for level in levels},
            {inner.oid: outer.oid for each in standing.values() for outer, inner in pairwise(each)},
            shared_steps.documents(self._main, project.id),
            jobs=JOBS,
            changes=() if self._is_guarded(environment) and not watch.may_change else None,
        )
        supplies = WatchSupplies(self._folder, self._main, project.id, watch, self._own_port)
        compiled = compile_plan(plan, supplies)
        carried_out = tuple(one.case for one in compiled.cases)
        named = tuple((one.id, one.name) for one in planned)
        return Planned(compiled, supplies, carried_out, named)

    def _environment(self, project: Document, watch: Watch) -> tuple[str, Document | None]:
        """Raises NotFound."""
        every = projects.environments(self._main, project.id)
        name = watch.environment or str(project.document.get("environment", ""))
        found = next((one for one in every if one.name == name), None)
        if found is None and (watch.environment or every):
            raise NotFound(f"there is no environment {name}")
        return name if found else "", found

    def _is_guarded(self, environment: Document | None) -> bool:
        return environment is not None and bool(
            environment.document.get("guarded")
            or guards.guard_of(self._main, environment.id).change
        )


def at_moment(planned: Planned, seed: int, started_us: int) -> CompiledPlan:
    """The plan of one run: its seed, and its `now`."""
    return replace(planned.plan, seed=seed, started_us=started_us)


class WatchSupplies(Supplies):
    """What runs of a watch need from outside."""

    def __init__(
        self, folder: Path, main: sqlite3.Connection, project: int, watch: Watch, own_port: int
    ) -> None:
        self.own_folder, self.reach = folder, reach(main, own_port)
        self._folder, self._main, self._project = folder, main, project
        self._values = dict(watch.values)
        self._file = project_files.file_reader(main, project)
        self._open = project_files.opener(main, project)

    def given(self) -> dict[str, str]:
        return self._values

    def secrets(self, suite: str, environment: str) -> dict[str, Any]:
        """Asked while the plan is made."""
        return secrets.secrets_for(self._main, self._folder, self._project, environment, suite)

    def read_file(self, path: str) -> bytes:
        return self._file(path)

    def read_rows(self, source: FileRows) -> Iterator[Row]:
        return read_table(self._open(source.file), source).rows
