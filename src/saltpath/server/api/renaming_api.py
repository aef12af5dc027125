"""A value called otherwise, everywhere in one act."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response

from saltpath.core.assist.renaming import means_another, renaming
from saltpath.core.format.carried import carried
from saltpath.core.references.templates import is_name
from saltpath.core.values import plain
from saltpath.server.asked import case_asked, project_asked, suite_asked
from saltpath.server.bodies import NewValueName
from saltpath.server.compiled import compiled
from saltpath.server.context import actor, database, folder
from saltpath.server.declared import declared, of
from saltpath.server.problems import Refused, json_answer, not_a_name
from saltpath.store import cases, projects, shared_steps
from saltpath.store.database import Conflict, VersionConflict
from saltpath.store.documents import Document
from saltpath.store.values import has_value, rename_value

renaming_api = Blueprint("renaming", __name__)
TRIES = 5


@renaming_api.post("/value-names")
@declared(
    "renameValue",
    "Call a value otherwise, everywhere",
    of("Renamed"),
    takes=NewValueName,
    may="edit",
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
    rename_value(database(), folder(), project, actor().id, suite, name, to, keep=True)
    changed = [
        case.name for case in _all(project, suite) if _renamed(project, case, suite, name, to)
    ]
    rename_value(database(), folder(), project, actor().id, suite, name, to, keep=False)
    return json_answer({"cases": len(changed)})


def _all(project: Document, suite: str) -> list[cases.StoredCase]:
    every = cases.cases(database(), project.id)
    if not suite:
        return [*every, *shared_steps.shared_steps(database(), project.id)]
    inside = suite_asked(suite).id
    return [case for case in every if case.suite == inside]


def _renamed(project: Document, case: cases.StoredCase, suite: str, name: str, to: str) -> bool:
    """Whether the case means the value; then it says the new name from now on."""
    for tried in range(TRIES):
        holder = "" if suite else projects.suite_by_id(database(), case.suite).oid
        hidden = holder != "" and _is_suites(project, holder, name)
        bare = not means_another(compiled(case), name) and not hidden
        change = renaming(name, to, "suite" if suite else "project", bare)
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


def _is_suites(project: Document, suite: str, name: str) -> bool:
    """Whether a suite has a value of the name, which its cases mean."""
    known = {item.oid for item in projects.suites(database(), project.id)}
    return suite in known and has_value(database(), project, suite, name)
