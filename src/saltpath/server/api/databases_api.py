"""The databases that look-ups ask: where each stands, and which cases ask it. The web server itself
never connects to one."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, request
from msgspec import UNSET

from saltpath.core.cases.row_sources import DatabaseRows
from saltpath.core.format.project import read_project
from saltpath.core.running.plan import RunRequest
from saltpath.server.asked import project_asked
from saltpath.server.audited import named
from saltpath.server.bodies import DatabaseDocument, NewLook
from saltpath.server.context import actor, database
from saltpath.server.declared import DATABASE, PROJECT, declared, of, page
from saltpath.server.guarding import may_run_there
from saltpath.server.problems import Refused, json_answer
from saltpath.server.sources import look_of
from saltpath.server.tasks import MOST_LOOKED_AT
from saltpath.store import databases, probes, projects, runs
from saltpath.store.database import NotFound
from saltpath.store.documents import Document

databases_api = Blueprint("databases", __name__)
LONGEST_NAME = 100
MOST_CASES_NAMED = 5


@databases_api.get("/databases")
@declared("listDatabases", "Databases that look-ups ask", page("Database"), PROJECT)
def list_databases() -> Response:
    """The project's databases in their order."""
    project = project_asked()
    return json_answer(
        {"items": [_view(project, name) for name in databases.databases(project)], "next": None}
    )


@databases_api.put("/databases")
@declared(
    "putDatabase",
    "Where one stands",
    of("Database"),
    PROJECT,
    DATABASE,
    takes=DatabaseDocument,
    may="edit",
    did="said where the database {} stands",
)
def put_database(data: DatabaseDocument) -> Response:
    """Say where the database `?name=` stands, also a new one: `{ sqlite: ... }` or `{ postgres:
    host:port/name, user, password }`."""
    project, name = project_asked(), request.args.get("name", "").strip()
    if not name or len(name) > LONGEST_NAME:
        raise Refused(422, "name", f"Give the database a name of 1 to {LONGEST_NAME} characters.")
    held = {**databases.databases(project), name: data.document}
    read_project({**project.document, "databases": held})
    databases.put_database(database(), project, actor().id, name, data.document, data.seen)
    named(name)
    return json_answer(_view(projects.project_by_id(database(), project.id), name))


@databases_api.delete("/databases")
@declared(
    "removeDatabase",
    "Take one away",
    of("Gone"),
    PROJECT,
    DATABASE,
    may="edit",
    did="took the database {} away",
)
def remove_database() -> Response:
    """Take `?name=` away; refused while cases ask it."""
    name = request.args.get("name", "")
    databases.remove_database(database(), project_asked(), actor().id, name)
    named(name)
    return json_answer({"gone": True})


@databases_api.post("/databases/looks")
@declared(
    "lookIntoDatabase",
    "Ask a runner for tables, or for first rows",
    of("Look"),
    status=201,
    takes=NewLook,
    may="run",
    did="looked into the database {}",
)
def look_into(data: NewLook) -> Response:
    """Ask a runner for the tables of a `database`, for the first rows of a `table`, or for those of
    a data source (`rows`: its document); what it gives is the evidence of the case, when the run
    has ended. `environment`: where the database's values are read."""
    project = project_asked(data.project)
    environment = data.environment or str(project.document.get("environment", ""))
    may_run_there(project, [environment])
    about, asked = (
        _of_database(project, data) if data.rows is UNSET else _of_source(project, data.rows)
    )
    case = probes.look(database(), project.id, actor().id, about, asked)
    run, _ = runs.ask(
        database(),
        project.id,
        actor().id,
        [(case.id, case.version, case.name)],
        kind="trial",
        title=case.name,
        environments=[environment],
        seed=1,
        request=RunRequest(first_rows=True),
    )
    named(case.name)
    return json_answer({"run": run.oid, "case": case.oid}, 201)


def _of_database(project: Document, data: NewLook) -> tuple[str, dict[str, Any]]:
    """What the look is about, and what is asked."""
    name, table = data.database, data.table
    document = databases.databases(project).get(name)
    if document is None:
        raise NotFound(f"there is no database {name}")
    if table:
        return f"{name}: {table}", {"in": name, "rows of": table, "most rows": FEW_ROWS}
    return f"{name}: its tables", {
        "in": name,
        "sql": TABLES["sqlite" if "sqlite" in document else "postgres"],
    }


def _of_source(project: Document, document: object) -> tuple[str, dict[str, Any]]:
    """The same of a data source. Raises FormatError."""
    source = read_project({**project.document, "sources": {"it": document}}).sources["it"]
    if not isinstance(source, DatabaseRows) or not isinstance(document, dict):
        raise Refused(422, "no-database", "Only rows of a database are looked for there.")
    asked = {key: value for key, value in document.items() if key != "pick"}
    return look_of(source), {**asked, "most rows": MOST_LOOKED_AT + 1}


TABLES = {
    "sqlite": "select name from sqlite_master where type in ('table', 'view') and name not like "
    "'sqlite~_%' escape '~' order by name",
    "postgres": "select case table_schema when 'public' then '' else table_schema || '.' end || "
    "table_name as name"
    " from information_schema.tables where table_schema not in ('pg_catalog', "
    "'information_schema') order by 1",
}
FEW_ROWS = 20


def _view(project: Document, name: str) -> dict[str, Any]:
    users = databases.asking(database(), project.id, name)
    return {
        "name": name,
        "document": databases.databases(project)[name],
        "uses": len(users),
        "cases": [{"id": case.oid, "name": case.name} for case in users[:MOST_CASES_NAMED]],
    }
