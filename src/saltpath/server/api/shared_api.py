"""Shared steps: which there are and who uses them, new ones, and steps of a case made into some."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from flask import Blueprint, Response

from saltpath.core.assist.extract import NotShareable, extracted
from saltpath.core.assist.shared_matches import alike
from saltpath.core.format.carried import carried
from saltpath.core.format.reader import case_from_data
from saltpath.server.api.case_view import case_answer
from saltpath.server.asked import case_asked, project_asked
from saltpath.server.bodies import NewSharedSteps, ToShare
from saltpath.server.compiled import compiled
from saltpath.server.context import actor, database
from saltpath.server.declared import ID, PROJECT, declared, of, page
from saltpath.server.problems import Refused, json_answer
from saltpath.server.shared_cases import shared_view, users_of, with_shared
from saltpath.store import cases, shared_steps
from saltpath.store.database import VersionConflict

shared_api = Blueprint("shared", __name__)


@shared_api.get("/shared-steps")
@declared("listSharedSteps", "Shared steps and who uses them", page("SharedSteps"), PROJECT)
def list_shared_steps() -> Response:
    """Those of a project by their names, each with what it needs and gives, and the cases that use
    it."""
    items = [_line(stored) for stored in shared_steps.shared_steps(database(), project_asked().id)]
    return json_answer({"items": items, "next": None})


def _line(stored: cases.StoredCase) -> dict[str, Any]:
    about = stored.document.get("about", "")
    steps = len(stored.document.get("steps", []))
    return {
        "id": stored.oid,
        "name": stored.name,
        "about": about,
        "steps": steps,
        **shared_view(stored),
    }


@shared_api.post("/shared-steps")
@declared(
    "addSharedSteps",
    "New ones",
    of("Case"),
    status=201,
    takes=NewSharedSteps,
    may="edit",
    did="made the shared steps {}",
)
def add_shared_steps(data: NewSharedSteps) -> Response:
    """New ones from a `document` of the format, in a project."""
    project = project_asked(data.project)
    if not case_from_data(data.document).is_shared:
        raise Refused(
            422,
            "document-missing",
            "Give the shared steps as document; it begins with shared: and their name.",
        )
    stored = shared_steps.add(database(), project.id, actor().id, data.document)
    answer = case_answer(stored)
    answer.status_code = 201
    answer.headers["Location"] = f"/api/v1/cases/{stored.oid}"
    return answer


@shared_api.post("/cases/<id>/shared-steps")
@declared(
    "extractSteps",
    "Steps of a case as shared steps",
    of("Extracted"),
    ID,
    status=201,
    takes=ToShare,
    may="edit",
    did="made shared steps of steps of {}",
)
def extract(data: ToShare, id: str) -> Response:
    """Make shared steps of those of a case with the keys `steps`, called `name`. The case stays as
    it is: the answer has the step that uses them, which its editor puts in their place."""
    stored = case_asked(id)
    try:
        found = extracted(with_shared(stored), stored.document, data.steps, data.name.strip())
    except NotShareable as problem:
        raise Refused(422, "not-shareable", str(problem)) from None
    case_from_data(found.shared)
    made = shared_steps.add(database(), stored.project, actor().id, found.shared)
    use = {**found.use, "shared": cases.called(made)}
    return json_answer({"shared": _line(made), "use": use}, 201)


@shared_api.get("/shared-steps/<id>/alike")
@declared("listAlike", "Cases that have them written out", page("NamedCase"), ID)
def list_alike(id: str) -> Response:
    """The cases that have these steps written out."""
    found = [{"id": case.oid, "name": case.name} for case, _ in _alike(_shared(id))]
    return json_answer({"items": found, "next": None})


@shared_api.post("/shared-steps/<id>/alike")
@declared(
    "useThere",
    "Use them in these cases",
    of("UsedThere"),
    ID,
    may="edit",
    did="put the shared steps {} into other cases",
)
def use_there(id: str) -> Response:
    """Use the shared steps in every case that has them written out. Gives the cases as they were,
    so that it can be undone."""
    saved = []
    for case, after in _alike(_shared(id)):
        case_from_data(after)
        comments = carried(case.document, after, case.comments)
        try:
            made = cases.save_case(database(), case.oid, actor().id, case.version, after, comments)
        except VersionConflict:
            continue  # somebody is at it just now; it is offered again
        saved.append(
            {"id": made.oid, "name": made.name, "version": made.version, "before": case.document}
        )
    return json_answer({"saved": saved})


def _shared(id: str) -> cases.StoredCase:
    stored = case_asked(id)
    if "shared" not in stored.document:
        raise Refused(409, "a-case", f"“{stored.name}” is a case, and no shared steps.")
    return stored


def _alike(shared: cases.StoredCase) -> Iterator[tuple[cases.StoredCase, dict[str, Any]]]:
    """Each case that has the steps written out, and what it would be with the shared ones."""
    for case in cases.cases(database(), shared.project):
        found = alike(shared.document, cases.called(shared), compiled(case), case.document)
        if found is not None:
            yield case, found.document


@shared_api.delete("/shared-steps/<id>")
@declared(
    "removeSharedSteps",
    "Take away what nobody uses",
    of("Gone"),
    ID,
    may="edit",
    did="took the shared steps {} away",
)
def remove_shared_steps(id: str) -> Response:
    """Take shared steps away that nobody uses."""
    stored = _shared(id)
    users = users_of(stored)
    if users:
        raise Refused(409, "in-use", f"“{users[0].name}” uses them; take them out there first.")
    cases.remove_case(database(), id)
    return json_answer({"gone": True})
