"""A plan's documents read: what cannot be read costs its case alone, with the reason."""

from __future__ import annotations

import logging
from collections.abc import Callable
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from saltpath.core.cases.case import Case, Project, Suite
from saltpath.core.cases.shared import Library
from saltpath.core.format.readable import (
    Broken,
    readable_case,
    readable_environment,
    readable_project,
    readable_suite,
)
from saltpath.core.running.compiled import CompiledCase, CompiledPlan, Destination, compiled
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
    goes: dict[str, int]
    """By an environment's name which of the destinations it is."""
    destinations: tuple[Destination, ...]
    unread: tuple[list[Broken], ...]
    """By destination what of its environment cannot be read."""
    suites: dict[tuple[str, str], tuple[Suite, list[Broken]]]
    """By id and environment, each with what of it and of its folders cannot be read."""
    library: Library
    broken: list[Broken]
    """What of the project cannot be read, and concerns every case."""


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
        around.destinations,
        plan.seed,
        plan.number,
        supplies.given(),
        plan.jobs,
        plan.started_us,
        plan.wait_us,
        plan.up_at,
        plan.stop_after,
        plan.first_rows,
    )


def _around(plan: Plan, supplies: Supplies) -> _Around:
    project, of_project = readable_project(plan.project)
    destinations, of_environments = list[Destination](), list[list[Broken]]()
    goes = {name: at for at, name in enumerate({one.environment for one in plan.cases} or {""})}
    for name in goes:
        environment, broken_there = (
            readable_environment(plan.environments[name])
            if name in plan.environments
            else (None, list[Broken]())
        )
        free = plan.changes is None or not (len(goes) == 1 or (environment and environment.guarded))
        changes = None if free else frozenset(plan.changes or ())
        destinations.append(Destination(environment, supplies.secrets("", name), changes))
        of_environments.append(broken_there)
    library = {}
    for name, document in plan.shared.items():
        shared, unread = readable_case(document, name, name)
        if not unread:
            library[name] = shared
    return _Around(
        project,
        goes,
        tuple(destinations),
        tuple(of_environments),
        {(id, name): suite for name in goes for id, suite in _suites(plan, supplies, name).items()},
        library,
        [item for item in of_project if not item.place.startswith(_KNOWN_ANYHOW)],
    )


def _suites(
    plan: Plan, supplies: Supplies, environment: str
) -> dict[str, tuple[Suite, list[Broken]]]:
    found: dict[str, tuple[Suite, list[Broken]]] = {}

    def read(id: str) -> tuple[Suite, list[Broken]]:
        if id not in found:
            suite, broken = readable_suite(plan.suites[id])
            within: Suite | None = None
            if (folder := plan.folders.get(id)) in plan.suites:
                within, broken_there = read(folder)
                broken = [*broken_there, *broken]
            more = {"within": within, "id": id, "secrets": supplies.secrets(id, environment)}
            found[id] = replace(suite, **more), broken
        return found[id]

    for id in plan.suites:
        read(id)
    return found


def _compiled(
    planned: PlannedCase, around: _Around, supplies: Supplies, read: ReadCase
) -> CompiledCase:
    case, unread = read(planned)
    key, goes = (planned.suite, planned.environment), around.goes[planned.environment]
    suite, broken_there = around.suites.get(key, (None, []))
    problems = [*unread, *broken_there, *around.unread[goes], *around.broken]
    if problems:
        reason = said("stored-unread", problem=problems[0].sentence)
        return CompiledCase(case, suite, planned.file, problem=reason, goes=goes)
    more: dict[str, Any] = {
        "begun": planned.begun,
        "only": None if planned.only is None else frozenset(planned.only),
        "given": planned.given,
        "measures": planned.measures,
        "pick": planned.pick,
        "goes": goes,
    }
    if planned.inside:
        more["inside"] = (planned.inside,)
    try:
        return compiled(case, suite, planned.file, around.project, around.library, **more)
    except Exception as problem:
        log.exception("a fault of Salt Path's own in the plan of %s", planned.name)
        reason = as_masked(fault(problem))
        return CompiledCase(case, suite, planned.file, problem=reason, goes=goes)
