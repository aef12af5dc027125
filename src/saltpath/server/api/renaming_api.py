"""A value called otherwise, everywhere in one act."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from flask import Blueprint, Response

from saltpath.core.assist.renaming import means_another, renaming
from saltpath.core.format.carried import carried
from saltpath.core.references.templates import is_name
from saltpath.core.values import plain
from saltpath.server.asked import case_asked, project_asked
from saltpath.server.audited import concerns
from saltpath.server.bodies import NewValueName
from saltpath.server.compiled import compiled
from saltpath.server.context import actor, database, folder
from saltpath.server.declared import declared, of
from saltpath.server.problems import Refused, json_answer, not_a_name
from saltpath.store import cases, projects, shared_steps
from saltpath.store.database import Conflict, VersionConflict
from saltpath.store.documents import Document
from saltpath.store.values import has_value, holders, rename_value

renaming_api = Blueprint("renaming", __name__)
TRIES = 5


@renaming_api.post("/value-names")
@declared(
    "renameValue",
    "Call a value otherwise, everywhere",
    of("Renamed"),
    takes=NewValueName,
    may="edit",
    did="gave the value {} another name",
)
def rename(data: NewValueName) -> Response:
    """Call a value of the project, or of a `suite`, `to` something else: in its documents and
    environments, its secrets, and wherever cases, shared steps and other values mean it. Until all
    of it is done it has both names, so that nothing is without a value meanwhile."""
    project = project_asked(data.project)
    name, to, suite = data.name, data.to, data.suite
    if not is_name(to):
        raise not_a_name()
    if not has_value(database(), project, suite, name):
        raise Refused(404, "not-found", f"There is no value {name}.")
    if has_value(database(), project, suite, to):
        raise Conflict(f"there is a value {to} already")
    whose = holders(database(), project, name)
    rename_value(database(), folder(), project, actor().id, suite, name, to, keep=True)
    changed = [
        case.name
        for case, bare in _all(project, suite, whose)
        if _renamed(case, bare, suite, name, to)
    ]
    rename_value(database(), folder(), project, actor().id, suite, name, to, keep=False)
    concerns(project.id, project.oid, f"{name} (now {to})")
    return json_answer({"cases": len(changed)})


def _all(
    project: Document, suite: str, whose: dict[str, str]
) -> Iterator[tuple[cases.StoredCase, bool]]:
    """The cases that may mean a value, and whether they do where they name no scope. `whose`: by
    suite, whose value the name means there."""
    suites = {one.id: one.oid for one in projects.suites(database(), project.id)}
    for case in cases.cases(database(), project.id):
        mine = whose.get(suites.get(case.suite, ""), "") == suite
        if mine or not suite:
            yield case, mine
    if not suite:
        yield from ((one, True) for one in shared_steps.shared_steps(database(), project.id))


def _renamed(case: cases.StoredCase, bare: bool, suite: str, name: str, to: str) -> bool:
    """Whether the case means the value; then it says the new name from now on."""
    for tried in range(TRIES):
        own = means_another(compiled(case), name)
        change = renaming(name, to, "suite" if suite else "project", bare and not own)
        document: dict[str, Any] = change(case.document)
        if plain.same(document, case.document):
            return False
        try:
            comments = carried(case.document, document, case.comments)
            cases.save_case(database(), case.oid, actor().id, case.version, document, comments)
            return True
        except VersionConflict:
            if tried == TRIES - 1:
                raise
            case = case_asked(case.oid)
    return False
