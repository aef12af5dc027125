"""The finished requests of a case's first rows, before anything is sent. What a step before it
would keep stands as the last run kept it."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, request

from saltpath.core.answers.exchange import MASK
from saltpath.core.cases.case import Case, Environment, Request
from saltpath.core.cases.row_sources import Row
from saltpath.core.references.scopes import Scope, Scopes
from saltpath.core.running.inherited import scope_of, scope_of_suite, signed_in, values_of_suite
from saltpath.core.running.prepare import Prepared, prepare
from saltpath.core.values.moments import zone_of
from saltpath.core.values.why import Blocked
from saltpath.server.api.case_view import begin_of_case
from saltpath.server.asked import case_asked
from saltpath.server.compiled import environment_of
from saltpath.server.context import database
from saltpath.server.declared import ID, declared, page, parameter
from saltpath.server.last_answers import around, last_seen
from saltpath.server.problems import Refused, json_answer
from saltpath.server.shared_cases import with_shared
from saltpath.server.sources import source_of
from saltpath.store import cases, project_files, projects
from saltpath.store.database import NotFound, now_us

finished_api = Blueprint("finished", __name__)
MOST_BODY = 20_000
SIGNED_BY = ("authorization", "proxy-authorization", "cookie")


@finished_api.get("/cases/<id>/finished")
@declared(
    "listFinished",
    "Finished requests of the first rows",
    page("FinishedRequest"),
    ID,
    parameter("step", "the step's key", True),
    parameter("environment", "against which; else the usual one"),
)
def finished_requests(id: str) -> Response:
    """The request of the step `?step=` for each of the first rows, against `?environment=`; secrets
    as marks. A row that could not be sent says why."""
    stored = case_asked(id)
    suite, project = around(stored)
    case = signed_in(with_shared(stored), suite, project)
    key = request.args.get("step", "")
    step = next((step for _, step in case.every_step() if step.key == key), None)
    if step is None:
        raise NotFound("the case has no such step")
    if not isinstance(step, Request):
        raise Refused(422, "no-request", "Only a request is finished before it is sent.")
    environment = _environment(stored.project, request.args.get("environment", ""))
    scopes = _scopes(stored, case, environment)
    source = source_of(stored.project, case.rows, project)
    begin = begin_of_case(stored, case, suite, project, source)
    rows = begin.rows if case.rows is not None else [Row(1, {})]
    return json_answer(
        {
            "items": [_finished(step, row, scopes) for row in rows],
            "next": None,
            "problem": begin.problem,
        }
    )


def _environment(project: int, name: str) -> Environment | None:
    found = [environment_of(item) for item in projects.environments(database(), project)]
    usual = projects.project_by_id(database(), project).document.get("environment", "")
    return next((item for item in found if item.name == (name or usual)), None)


def _scopes(stored: cases.StoredCase, case: Case, environment: Environment | None) -> Scopes:
    """The documents' values in this environment, secrets as marks, and what the last run kept."""
    suite, project = around(stored)
    over = environment.values if environment else None
    name = environment.name if environment else ""
    every = (
        project.values,
        *values_of_suite(suite),
        case.values,
        *([over] if over else []),
    )
    hidden: dict[str, Any] = {secret: MASK for values in every for secret in values.secret}
    of_project, of_suite = (
        scope_of(project.values, over, hidden),
        scope_of_suite(suite, name, hidden),
    )
    scopes = Scopes(of_project, of_suite, scope_of(case.values, None, hidden), run=Scope())
    scopes.zone = zone_of(project.zone)
    scopes.seeded, scopes.now_us = (1, case.key, 1), now_us()
    scopes.built_in = {"run.seed": 1, "run.number": 1, "case.name": case.name}
    _, _, found = last_seen(stored)
    for _, seen in found.values():
        for kept, value in seen.kept.items():
            scopes.keep(kept, value)
    scopes.built_in["run.environment"] = name
    scopes.read_file = project_files.file_reader(database(), stored.project)
    return scopes


def _finished(step: Request, row: Row, scopes: Scopes) -> dict[str, Any]:
    answer = {
        "row": row.number,
        "method": step.method,
        "address": "",
        "head": [],
        "body": "",
        "why": "",
    }
    if row.why is not None:
        return {**answer, "why": row.why.sentence}
    seeing = scopes.for_row(row.number, row.values)
    seeing.begin_step(step.key)
    seeing.built_in["step.name"] = step.name
    try:
        prepared = prepare(step, seeing, token=MASK)
    except Blocked as problem:
        return {**answer, "why": problem.reason.sentence}
    return {**answer, **_shown(prepared)}


def _shown(prepared: Prepared) -> dict[str, Any]:
    body = (prepared.body or b"")[:MOST_BODY].decode("utf-8", "backslashreplace")
    return {
        "method": prepared.method,
        "address": prepared.address,
        "head": [
            {"name": name, "value": MASK if name.lower() in SIGNED_BY else value}
            for name, value in prepared.headers
        ],
        "body": body,
    }
