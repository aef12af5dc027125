"""What somebody looks at: a project against an environment over a stretch, with what everything in
it is called."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from datetime import tzinfo
from functools import cached_property

from flask import request

from saltpath.core.format.readable import project_zone
from saltpath.core.trends.entries import Entries, What
from saltpath.server.context import database
from saltpath.server.problems import Refused
from saltpath.server.stretches import stretch
from saltpath.store import cases, projects, shared_uses
from saltpath.store.cases import CaseHead
from saltpath.store.documents import Document
from saltpath.store.trends import entries, series
from saltpath.store.trends.entries import SummedRun
from saltpath.store.trends.series import Series

MONTH_S = 30 * 86_400
PARTS = 120
"""Of a line in a list."""


class Looked:
    """`begin`, `end`: seconds, UTC."""

    def __init__(self, project: Document, environment: str, begin: int, end: int) -> None:
        self.project, self.environment = project, environment
        self.begin, self.end = begin, end

    def entries(self, what: What, back_s: int = 0, series: Sequence[int] | None = None) -> Entries:
        """Those of the stretch, and of so many seconds before; with `series` only of steps with
        these numbers, and of some others."""
        return self.between(what, self.begin - back_s, self.end, series)

    def between(
        self, what: What, begin: int, end: int, series: Sequence[int] | None = None
    ) -> Entries:
        """The same of another stretch (seconds, UTC)."""
        history = database("history")
        return entries.entries(history, self.project.id, what, self.environment, begin, end, series)

    def blocks(self, series: Collection[int]) -> Iterator[Entries]:
        """Those of the stretch of these steps, those of some hundred at a time."""
        return entries.blocks(
            database("history"), self.project.id, self.environment, self.begin, self.end, series
        )

    @cached_property
    def zone(self) -> tzinfo:
        return project_zone(self.project.document)

    @cached_property
    def cases(self) -> dict[int, CaseHead]:
        """Those that there are, by number."""
        return {head.id: head for head in cases.heads(database(), self.project.id)}

    @cached_property
    def shared(self) -> dict[int, CaseHead]:
        found = cases.heads(database(), self.project.id, cases.SHARED)
        return {head.id: head for head in found}

    @cached_property
    def suites(self) -> dict[int, Document]:
        """Those that there are, by number, in their order."""
        return {suite.id: suite for suite in projects.suites(database(), self.project.id)}

    @cached_property
    def suite_of(self) -> dict[int, int]:
        """The number of each case's suite, by the case's."""
        return {head.id: head.suite for head in self.cases.values()}

    @cached_property
    def series(self) -> dict[int, Series]:
        return series.of_project(database("history"), self.project.id)

    @cached_property
    def runs(self) -> dict[int, SummedRun]:
        """Of the stretch and a month before it, by number."""
        return entries.runs_between(
            database("history"), self.project.id, self.begin - 3 * MONTH_S, self.end
        )

    @cached_property
    def order(self) -> list[int]:
        """The numbers of these runs, in their order."""
        return sorted(self.runs, key=lambda id: (self.runs[id].at, id))

    @cached_property
    def place(self) -> dict[int, int]:
        """Where each stands among them."""
        return {run: number for number, run in enumerate(self.order)}

    @cached_property
    def uses(self) -> dict[int, set[int]]:
        """The shared steps that each case uses, by their numbers."""
        return shared_uses.of_project(database(), self.project.id)


def looked(project: Document) -> Looked:
    """What the parameters of the request say. Raises Refused."""
    begin, end = stretch(MONTH_S)
    return Looked(project, environment_of(project), begin, end)


def environments(project: Document) -> list[str]:
    """Those that cases ran against: the project's usual one first, then the one that ran last."""
    there = entries.environments(database("history"), project.id)
    usual = project.document.get("environment", "")
    return sorted(there, key=lambda one: one != usual)


def environment_of(project: Document, name: str = "environment") -> str:
    """What `?environment=` says, else the first of those that there are. Raises Refused."""
    there = environments(project)
    wanted = request.args.get(name)
    if wanted is None:
        return there[0] if there else str(project.document.get("environment", ""))
    known = [one.name for one in projects.environments(database(), project.id)]
    if wanted not in there and wanted not in known:
        raise Refused(422, "no-environment", f"There is no environment {wanted}.")
    return wanted
