"""Who may run against which environment, and let steps change something there."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from saltpath.server.context import actor, database
from saltpath.server.problems import Refused
from saltpath.store import guards, people, projects
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
