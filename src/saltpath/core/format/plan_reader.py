"""A plan's documents read: what cannot be read costs its case alone, with the reason."""

from __future__ import annotations

import logging
from collections.abc import Callable
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from saltpath.core.cases.case import Case, Environment, Project, Suite
from saltpath.core.cases.shared import Library
from saltpath.core.format.readable import (
    Broken,
    readable_case,
    readable_environment,
    readable_project,
    readable_suite,
)
from saltpath.core.running.compiled import CompiledCase, CompiledPlan, compiled
from saltpath.core.running.plan import Plan, PlannedCase
from saltpath.core.running.supplies import Supplies
from saltpath.core.values.why import as_masked, fault, said

ReadCase = Callable[[PlannedCase], tuple[Case, list[Broken]]]
"""A case as it reads, and what is wrong with it where it cannot be read."""
_KNOWN_ANYHOW = ("sources.", "databases.")
"""Of a project's entries that cannot be read: a case that names one is told that it is not there,
others do without."""
log = logging.getLogger("saltpath.core")


class _Around(Struct, frozen=True):
    """What the cases of a plan have in common."""

    project: Project
    environment: Environment | None
    suites: dict[str, tuple[Suite, list[Broken]]]
    """By id, each with what of it and of its folders cannot be read."""
    library: Library
    broken: list[Broken]
    """What of project and environment cannot be read, and concerns every case."""


def read_planned(planned: PlannedCase) -> tuple[Case, list[Broken]]:
    return readable_case(planned.document, planned.name, planned.key)


def compile_plan(
    plan: Plan,
    supplies: Supplies,
    read: ReadCase = read_planned,
    each: Callable[[], None] = lambda: None,
) -> CompiledPlan:
    """The plan as the engine carries it out. `read` may keep cases that it has read; `each` is
    called before each case."""
    around = _around(plan, supplies)
    cases = []
    for planned in plan.cases:
        each()
        cases.append(_compiled(planned, around, supplies, read))
    return CompiledPlan(
        tuple(cases),
        around.project,
        around.environment,
        plan.seed,
        plan.number,
        supplies.given(),
        supplies.secrets(),
        plan.jobs,
        plan.started_us,
        None if plan.changes is None else frozenset(plan.changes),
        plan.wait_us,
        plan.stop_after,
        plan.first_rows,
    )


def _around(plan: Plan, supplies: Supplies) -> _Around:
    project, broken = readable_project(plan.project)
    environment, broken_there = (
        readable_environment(plan.environment) if plan.environment is not None else (None, [])
    )
    library = {}
    for name, document in plan.shared.items():
        shared, unread = readable_case(document, name, name)
        if not unread:
            library[name] = shared
    return _Around(
        project,
        environment,
        _suites(plan, supplies),
        library,
        [item for item in broken if not item.place.startswith(_KNOWN_ANYHOW)] + broken_there,
    )


def _suites(plan: Plan, supplies: Supplies) -> dict[str, tuple[Suite, list[Broken]]]:
    found: dict[str, tuple[Suite, list[Broken]]] = {}

    def read(id: str) -> tuple[Suite, list[Broken]]:
        if id not in found:
            suite, broken = readable_suite(plan.suites[id])
            within: Suite | None = None
            if (folder := plan.folders.get(id)) in plan.suites:
                within, broken_there = read(folder)
                broken = [*broken_there, *broken]
            more = {"within": within, "id": id, "secrets": supplies.secrets(id)}
            found[id] = replace(suite, **more), broken
        return found[id]

    for id in plan.suites:
        read(id)
    return found


def _compiled(
    planned: PlannedCase, around: _Around, supplies: Supplies, read: ReadCase
) -> CompiledCase:
    case, unread = read(planned)
    suite, broken_there = around.suites.get(planned.suite, (None, []))
    problems = [*unread, *broken_there, *around.broken]
    if problems:
        reason = said("stored-unread", problem=problems[0].sentence)
        return CompiledCase(case, suite, planned.file, problem=reason)
    more: dict[str, Any] = {
        "begun": planned.begun,
        "only": None if planned.only is None else frozenset(planned.only),
        "given": planned.given,
        "measures": planned.measures,
        "pick": planned.pick,
    }
    if planned.inside:
        more["inside"] = (planned.inside,)
    try:
        return compiled(case, suite, planned.file, around.project, around.library, **more)
    except Exception as problem:
        log.exception("a fault of Salt Path's own in the plan of %s", planned.name)
        return CompiledCase(case, suite, planned.file, problem=as_masked(fault(problem)))
