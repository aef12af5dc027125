"""Who may run against which environment, and let steps change something there."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from saltpath.core.cases.case import Step
from saltpath.core.cases.steps import changing
from saltpath.server.context import actor, database
from saltpath.server.problems import Refused
from saltpath.server.shared_cases import with_shared
from saltpath.store import guards, people, projects
from saltpath.store.cases import StoredCase
from saltpath.store.documents import Document
from saltpath.store.guards import Guard

_WHO = {"owner": "owners of the project", "editor": "its editors and owners"}


def may_run_there(project: Document, names: Iterable[str]) -> None:
    """Raises Refused where whoever asks may not run against one of these environments."""
    role = people.role_in(database(), actor(), project.id)
    for name, guard in _guards(project, names):
        if not guard.lets_run(role):
            raise Refused(403, "not-allowed", f"Only {_WHO[guard.run]} run against {name}.")


def may_change_there(project: Document, names: Iterable[str]) -> None:
    """Raises Refused where whoever asks may not let steps change something in one of these."""
    role = people.role_in(database(), actor(), project.id)
    for name, guard in _guards(project, names):
        if not guard.lets_change(role):
            sentence = f"Only {_WHO[guard.change]} let steps change something in {name}."
            raise Refused(403, "not-allowed", sentence)


def _guards(project: Document, names: Iterable[str]) -> Iterator[tuple[str, Guard]]:
    for environment in projects.environments(database(), project.id):
        if environment.name in names:
            yield environment.name, guards.guard_of(database(), environment.id)


def guarded_among(project: Document, names: Iterable[str]) -> list[str]:
    """Those in which steps that may change something are asked about."""
    known = {
        environment.name
        for environment in projects.environments(database(), project.id)
        if environment.document.get("guarded") or guards.guard_of(database(), environment.id).change
    }
    return [name for name in names if name in known]


def changing_steps(
    chosen: list[StoredCase], only: tuple[int, ...] | None = None
) -> list[dict[str, Any]]:
    """The steps of cases that may change something, of one case `only` some by index, as a page
    asks about them."""
    return [
        {
            "case": case.oid,
            "caseName": case.name,
            "step": step.key,
            "name": step.name,
            "send": step.where_to(),
        }
        for case in chosen
        for step in _changing(case, only)
    ]


def _changing(case: StoredCase, only: tuple[int, ...] | None) -> list[Step]:
    linked = with_shared(case)
    steps = [
        step
        for part, index, step in linked.parts()
        if only is None or (part == "steps" and index in only)
    ]
    return list(changing(steps))
