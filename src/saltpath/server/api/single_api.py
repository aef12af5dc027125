"""Single requests: kept and sent without a case, and put into one when they are worth it."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response
from msgspec.structs import replace

from saltpath.core.format.reader import case_from_data
from saltpath.server.api.case_view import case_answer
from saltpath.server.api.views import moment, ms, reason
from saltpath.server.asked import case_asked, project_asked, suite_asked
from saltpath.server.bodies import NewSingleRequest, PlaceForRequest
from saltpath.server.compiled import compiled
from saltpath.server.context import actor, database, limit
from saltpath.server.declared import ID, LIMIT, PROJECT, declared, of, page
from saltpath.server.origins import by_name, origins_of
from saltpath.server.problems import Refused, json_answer
from saltpath.store import cases, evidence, projects, runs, single
from saltpath.store.cases import StoredCase
from saltpath.store.evidence import StepEvidence

single_api = Blueprint("single", __name__)
MOST_SENDINGS = 50


@single_api.get("/single-requests")
@declared(
    "listSingleRequests", "Requests that belong to no case", page("SingleRequest"), PROJECT, LIMIT
)
def list_single_requests() -> Response:
    """Those made last come first, each with how its last sending was answered."""
    project = project_asked()
    found = cases.single_requests(database(), project.id, limit(200))
    items = []
    for case in found:
        send = str(case.document["steps"][0]["send"])
        sendings = _sendings(case, 1)
        items.append(
            {
                "id": case.oid,
                "name": case.name,
                "send": send,
                "last": sendings[0] if sendings else None,
            }
        )
    return json_answer({"items": items, "next": None})


@single_api.post("/single-requests")
@declared(
    "addSingleRequest",
    "A new one",
    of("Case"),
    status=201,
    takes=NewSingleRequest,
    may="edit",
    did="made the single request {}",
)
def add_single_request(data: NewSingleRequest) -> Response:
    """A new one, given as the `step` that it is in the case format."""
    project = project_asked(data.project)
    step = data.step
    if not isinstance(step.get("request"), str):
        raise Refused(422, "step", "Give the request as step, a request step of the case format.")
    document = {"salt-path": 1, "case": step["request"], "steps": [step]}
    case_from_data(document)
    place = single.home(database(), project.id, actor().id)
    stored = cases.add_case(database(), project.id, place, actor().id, document)
    answer = case_answer(stored)
    answer.status_code = 201
    answer.headers["Location"] = f"/api/v1/cases/{stored.oid}"
    return answer


@single_api.get("/single-requests/<id>/sent")
@declared("listSendings", "What it sent before", page("Sending"), ID)
def list_sendings(id: str) -> Response:
    """What was sent before and how it was answered, newest first: at most 50."""
    return json_answer({"items": _sendings(_single(id), MOST_SENDINGS), "next": None})


def _single(id: str) -> cases.StoredCase:
    found = case_asked(id)
    if not projects.suite_by_id(database(), found.suite).hidden == single.SINGLE:
        raise Refused(
            409, "in-a-case", f"“{found.name}” is a case, and no single request any more."
        )
    return found


def _by_names(found: cases.StoredCase) -> cases.StoredCase:
    """In a case the address says the name of where it goes, where the project has one."""
    project = projects.project_by_id(database(), found.project)
    [step] = found.document["steps"]
    named = {**step, "send": by_name(str(step["send"]), origins_of(project))}
    return replace(found, document={**found.document, "steps": [named]})


def _sendings(case: cases.StoredCase, most: int) -> list[dict[str, Any]]:
    items = []
    for run_id, position in runs.last_runs_of_case(database(), case.project, case.id, most):
        steps = list(evidence.steps(database("evidence"), run_id, position))
        if steps:
            run = runs.run_by_id(database(), run_id)
            version = next(
                e.version for e in runs.run_cases(database(), run_id) if e.position == position
            )
            items.append(_sending(run, version, steps[-1]))
    return items


def _sending(run: runs.Run, version: int, step: StepEvidence) -> dict[str, Any]:
    """One sending: the request as it went out, and the answer's status, size and time; or why there
    was none."""
    exchange = step.exchanges[-1] if step.exchanges else None
    return {
        "run": run.oid,
        "version": version,
        "at": moment(step.head.at),
        "environment": run.environment,
        "method": exchange.method if exchange else "",
        "address": exchange.address if exchange else "",
        "verdict": step.head.verdict,
        "status": step.head.status,
        "ms": ms(step.head.us),
        "size": len(exchange.body) if exchange else 0,
        "why": reason(step.why),
    }


@single_api.post("/single-requests/<id>/place")
@declared(
    "placeSingleRequest",
    "Make it a step of a case",
    of("PlacedRequest"),
    ID,
    takes=PlaceForRequest,
    may="edit",
    did="made a step of the single request {}",
)
def place_single_request(data: PlaceForRequest, id: str) -> Response:
    """Make it a step: the first of a new case in a `suite` under a `name`, or the last of a `case`.
    The answer is that case's id, and the step's key and number; the single request is one no
    more."""
    found = _by_names(_single(id))
    if data.case:
        target = case_asked(data.case)
        if target.project != found.project or target.oid == found.oid:
            raise Refused(422, "case", "Name a case of this project.")
        saved, key = single.into_case(
            database(), database("evidence"), found, target.oid, actor().id
        )
        return json_answer(_placed(saved, key))
    suite, name = suite_asked(data.suite), data.name.strip()
    if suite.project != found.project or not name:
        raise Refused(
            422, "suite", "Name a suite of this project and the new case, or a case of it."
        )
    case_from_data({**found.document, "case": name})
    saved = single.into_new_case(database(), found, suite.id, name, actor().id)
    return json_answer(_placed(saved, saved.document["steps"][0]["key"]))


def _placed(saved: StoredCase, key: str) -> dict[str, Any]:
    """Where a request stands now: its case, and its step's key and number."""
    parts = enumerate(compiled(saved).parts(), 1)
    number = next(number for number, (_, _, step) in parts if step.key == key)
    return {"case": saved.oid, "name": saved.name, "step": key, "number": number}
