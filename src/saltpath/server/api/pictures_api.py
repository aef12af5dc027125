"""How a project or a suite stands, as a picture: for whoever may look, and at an address of its own
for pages elsewhere, `/p/TOKEN.svg`, outside the API."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Flask, Response, request

from saltpath.core.values.verdicts import worst
from saltpath.formats.badge import badge
from saltpath.server.api.person_view import here, name_of, secret_answer
from saltpath.server.api.views import moment
from saltpath.server.asked import permitted, project_asked, suite_asked
from saltpath.server.audited import concerns
from saltpath.server.context import actor, database
from saltpath.server.declared import ID, PROJECT, declared, of, page, parameter
from saltpath.server.problems import Refused, json_answer
from saltpath.server.run_bodies import NewPicture
from saltpath.store import pictures, projects, runs
from saltpath.store.database import NotFound
from saltpath.store.documents import Document
from saltpath.store.pictures import Picture

pictures_api = Blueprint("pictures", __name__)


@pictures_api.get("/badge")
@declared(
    "readBadge",
    "How it stands, as a picture",
    None,
    PROJECT,
    parameter("suite", "only this suite's cases"),
    parameter("environment", "only runs against this environment"),
    media="image/svg+xml",
)
def read_badge() -> Response:
    """Of the newest run that has ended."""
    project = project_asked()
    suite = suite_asked(request.args["suite"]) if "suite" in request.args else None
    if suite is not None and suite.project != project.id:
        raise NotFound("there is no such suite in this project")
    return _drawn(project, suite, request.args.get("environment", ""))


def _drawn(project: Document, suite: Document | None, environment: str) -> Response:
    of_suite = suite.id if suite else None
    counts = runs.last_counts(database(), project.id, environment or None, of_suite)
    name = suite.name if suite else project.name
    if environment:
        name = f"{name}, {environment}"
    total = sum(counts.values())
    said = f"{counts.get('passed', 0)} of {total} passed" if total else "not run yet"
    answer = Response(
        badge(name, worst(counts) if counts else "", said), content_type="image/svg+xml"
    )
    answer.headers["Cache-Control"] = "no-cache"
    answer.add_etag()
    answer.make_conditional(request)
    return answer


@pictures_api.get("/projects/<id>/pictures")
@declared("listPictures", "Addresses of its picture for pages elsewhere", page("Picture"), ID)
def list_pictures(id: str) -> Response:
    """The newest first; the addresses themselves were told when they were made."""
    found = pictures.pictures(database(), project_asked(id).id)
    return json_answer({"items": [_view(one) for one in found], "next": None})


def _view(one: Picture) -> dict[str, Any]:
    suite = projects.suite_by_id(database(), one.suite) if one.suite else None
    return {
        "id": one.oid,
        "suite": suite.oid if suite else None,
        "environment": one.environment,
        "by": name_of(one.person),
        "madeAt": moment(one.made_at),
    }


@pictures_api.post("/projects/<id>/pictures")
@declared(
    "addPicture",
    "An address of its picture, for whoever has it",
    of("NewPictureLink"),
    ID,
    status=201,
    takes=NewPicture,
    may="edit",
    did="made an address of the picture of {}",
)
def add_picture(data: NewPicture, id: str) -> Response:
    """The answer has the address, which is told this once. It shows a name and two numbers, and
    nothing else."""
    project = project_asked(id)
    suite = suite_asked(data.suite) if data.suite else None
    if suite is not None and suite.project != project.id:
        raise NotFound("there is no such suite in this project")
    known = [one.name for one in projects.environments(database(), project.id)]
    if data.environment and data.environment not in known:
        raise Refused(422, "no-environment", f"There is no environment {data.environment}.")
    made, token = pictures.add_picture(
        database(), project.id, suite.id if suite else None, data.environment, actor().id
    )
    concerns(project.id, made.oid, suite.name if suite else project.name)
    return secret_answer({"id": made.oid, "address": here(f"/p/{token}.svg")}, 201)


@pictures_api.delete("/pictures/<id>")
@declared(
    "endPicture",
    "Its address shows nothing any more",
    of("Gone"),
    ID,
    may="edit",
    did="ended an address of the picture of {}",
)
def end_picture(id: str) -> Response:
    """At once; copies that others have kept stay theirs."""
    found = pictures.picture(database(), id)
    permitted(found.project)
    pictures.end_picture(database(), found)
    concerns(found.project, found.oid, projects.project_by_id(database(), found.project).name)
    return json_answer({"gone": True})


def add_pictures(app: Flask) -> None:
    """What is shown at such addresses."""

    @app.get("/p/<token>.svg")
    def shown(token: str) -> Response:
        found = pictures.of_token(database(), token)
        suite = projects.suite_by_id(database(), found.suite) if found.suite else None
        project = projects.project_by_id(database(), found.project)
        answer = _drawn(project, suite, found.environment)
        answer.headers["Content-Security-Policy"] = "default-src 'none'; style-src 'unsafe-inline'"
        answer.headers["Cross-Origin-Resource-Policy"] = "cross-origin"
        return answer
