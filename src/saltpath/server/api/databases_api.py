"""The databases that look-ups ask: where each stands, and which cases ask it. The web server itself never connects to one."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, request

from saltpath.core.format.project import read_project
from saltpath.server.context import actor, body, database, project_asked
from saltpath.server.problems import Refused, json_answer
from saltpath.store import databases, projects

databases_api = Blueprint("databases", __name__)
LONGEST_NAME = 100
MOST_CASES_NAMED = 5


@databases_api.get("/databases")
def list_databases() -> Response:
    """The project's databases in their order."""
    project = project_asked()
    return json_answer({"items": [_view(project, name) for name in databases.databases(project)], "next": None})


@databases_api.put("/databases")
def put_database() -> Response:
    """Say where the database `?name=` stands, also a new one: `{ sqlite: ... }` or `{ postgres: host:port/name, user, password }`."""
    project, name, data = project_asked(), request.args.get("name", "").strip(), body()
    if not name or len(name) > LONGEST_NAME:
        raise Refused(422, "name", f"Give the database a name of 1 to {LONGEST_NAME} characters.")
    document = data.get("document")
    read_project({**project.document, "databases": {**databases.databases(project), name: document}})
    databases.put_database(database(), project, actor().id, name, document)
    return json_answer(_view(projects.project_by_id(database(), project.id), name))


@databases_api.delete("/databases")
def remove_database() -> Response:
    """Take `?name=` away; refused while cases ask it."""
    databases.remove_database(database(), project_asked(), actor().id, request.args.get("name", ""))
    return json_answer({"gone": True})


def _view(project: projects.Document, name: str) -> dict[str, Any]:
    users = databases.asking(database(), project.id, name)
    return {
        "name": name,
        "document": databases.databases(project)[name],
        "uses": len(users),
        "cases": [{"id": case.oid, "name": case.name} for case in users[:MOST_CASES_NAMED]],
    }
