"""Projects, their environments and suites: the outline that cases stand in."""

from __future__ import annotations

import re
import sqlite3
import unicodedata
from functools import partial
from typing import Any

from flask import Blueprint, Response
from msgspec import UNSET

from saltpath.core.cases.steps import steps_in
from saltpath.core.format.project import read_project, read_suite
from saltpath.server import rights
from saltpath.server.api.views import every_answer_view, moment, ms, sign_in_view
from saltpath.server.asked import project_asked, suite_asked
from saltpath.server.bodies import (
    EveryAnswerChange,
    NewProject,
    NewSuite,
    SignInChange,
    SuiteChange,
)
from saltpath.server.caches import VersionCache
from saltpath.server.compiled import suite_of
from saltpath.server.context import actor, database, version_changed
from saltpath.server.declared import ID, IF_MATCH, PROJECT, declared, of, page
from saltpath.server.entry.callers import caller
from saltpath.server.problems import Refused, json_answer
from saltpath.server.suite_roles import role_in
from saltpath.store import cases, documents, last_verdicts, people, projects
from saltpath.store.database import NotFound, now_us, write
from saltpath.store.documents import Document
from saltpath.store.keeping import DAY_US, GONE_DAYS

outline_api = Blueprint("outline", __name__)
MOST_DELETED = 1_000


@outline_api.get("/projects")
@declared("listProjects", "Projects", page("Project"), may="anyone")
def list_projects() -> Response:
    """The projects that whoever asks has a part in."""
    items = [
        _project(project)
        for project in projects.projects(database())
        if rights.held_in(database(), caller(database()), project.id)
    ]
    return json_answer({"items": items, "next": None})


def _project(project: Document) -> dict[str, Any]:
    """With what whoever asks is in it, and may do there."""
    asking = caller(database())
    return {
        "id": project.oid,
        "name": project.name,
        "about": project.document.get("about", ""),
        "role": people.role_in(database(), asking.person, project.id) or "",
        "may": sorted(rights.held_in(database(), asking, project.id)),
    }


@outline_api.post("/projects")
@declared(
    "addProject",
    "A new project",
    of("Project"),
    status=201,
    takes=NewProject,
    may="administer",
    did="made the project {}",
)
def add_project(data: NewProject) -> Response:
    """A new project, empty, by its name."""
    document = {"salt-path": 1, "project": data.name.strip()}
    with write(database()):
        made = projects.add_project(database(), actor().id, document)
        people.set_role(database(), made.id, actor(), "owner", actor().id)
    return json_answer(_project(made), 201)


@outline_api.get("/deleted")
@declared("listDeleted", "Cases that were deleted lately", page("DeletedCase"), PROJECT)
def list_deleted() -> Response:
    """Cases and shared steps that were deleted in the last 30 days, the last ones first;
    `/cases/{id}/back` brings one back."""
    since = now_us() - GONE_DAYS * DAY_US
    items = [
        {"id": gone.oid, "name": gone.name, "suite": gone.suite, "at": moment(gone.gone_at)}
        for gone in cases.gone_cases(database(), project_asked().id, since, MOST_DELETED)
    ]
    return json_answer({"items": items, "next": None})


@outline_api.get("/suites")
@declared("listSuites", "Suites with their cases", page("Suite"), PROJECT)
def list_suites() -> Response:
    """The outline: every suite with its cases, each with its last verdict and since when, in their
    order. A suite `within` another stands in it as in a folder."""
    project = project_asked()
    connection = database()
    last = last_verdicts.of_project(connection, project.id)
    suites = {suite.id: suite for suite in projects.suites(connection, project.id)}
    by_suite: dict[int, list[dict[str, Any]]] = {}
    for head in cases.heads(connection, project.id):
        if head.suite not in suites:
            continue  # it was added in between
        said = _said.of(head.oid, head.version, partial(_said_by, connection, head))
        now = {"role": role_in(suites[head.suite], head), "last": _last_view(last.get(head.id))}
        by_suite.setdefault(head.suite, []).append(said | now)
    standing = projects.standing_of_each(list(suites.values()))
    items = [
        _suite_view(suite, by_suite.get(suite.id, []), standing[suite.id])
        for suite in suites.values()
    ]
    return json_answer({"items": items, "next": None})


_said: VersionCache[dict[str, Any]] = VersionCache(5_000)


def _said_by(connection: sqlite3.Connection, head: cases.CaseHead) -> dict[str, Any]:
    """A case's line of the outline, as far as its document says it."""
    case = cases.case_at(connection, head.id, head.version)
    steps = list(steps_in(case.document))
    return {
        "id": case.oid,
        "name": case.name,
        "about": case.document.get("about", ""),
        "register": case.document.get("register", ""),
        "tags": case.document.get("tags", []),
        "steps": len(steps),
        "checks": sum(len(step.get("expect", [])) for step in steps),
        "addresses": sorted({str(step["send"]) for step in steps if "send" in step}),
    }


def _last_view(last: last_verdicts.LastVerdicts | None) -> dict[str, Any] | None:
    if last is None:
        return None
    return {
        "verdict": last.verdict,
        "at": moment(last.at),
        "since": moment(last.since),
        "ms": ms(last.us),
        "verdicts": last.verdicts,
    }


@outline_api.post("/suites")
@declared(
    "addSuite",
    "A new suite",
    of("Suite"),
    status=201,
    takes=NewSuite,
    may="edit",
    did="made the suite {}",
)
def add_suite(data: NewSuite) -> Response:
    """A new suite at the end of a project, empty, by its name."""
    project = project_asked(data.project)
    name = data.name.strip()
    document = {"salt-path": 1, "suite": name}
    with write(database()):
        made = projects.add_suite(database(), project.id, actor().id, _folder(name), document)
        if data.into is not UNSET:
            projects.put_into(database(), made, _folder_asked(data.into, made))
    return json_answer(_suite_view(suite_asked(made.oid), []), 201)


def _folder_asked(oid: str, of: Document) -> Document:
    """The suite that another one is to stand in."""
    found = suite_asked(oid)
    if found.project != of.project:
        raise NotFound(f"there is no suite {oid} in this project")
    return found


def _suite_view(
    suite: Document, lines: list[dict[str, Any]], standing: list[Document] | None = None
) -> dict[str, Any]:
    levels = standing or projects.standing(database(), suite)
    return {
        "id": suite.oid,
        "name": suite.name,
        "folder": suite.folder,
        "about": suite.document.get("about", ""),
        "within": levels[-2].oid if len(levels) > 1 else None,
        "tags": list(suite_of(suite).tags),
        "inOrder": suite.document.get("in order") is True,
        "cases": lines,
    }


def _folder(name: str) -> str:
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    return "suites/" + (re.sub(r"[^a-z0-9]+", "-", plain).strip("-") or "suite")


@outline_api.patch("/suites/<id>")
@declared(
    "changeSuite",
    "Rename or move a suite",
    of("Suite"),
    ID,
    takes=SuiteChange,
    may="edit",
    did="changed the suite {}",
)
def change_suite(data: SuiteChange, id: str) -> Response:
    """Rename a suite, say what it is about and what its cases are found by, put it `into` another
    one, which is its folder, with all that stands in it, or `before` another one (null: to the
    end). Only what is given changes."""
    suite = suite_asked(id)
    put: dict[str, Any] = {} if data.name is UNSET else {"suite": data.name.strip()}
    if data.about is not UNSET:
        put["about"] = data.about
    if data.tags is not UNSET:
        put["tags"] = list(dict.fromkeys(tag.strip() for tag in data.tags if tag.strip()))
    gone = "in order" if data.in_order is False else ""
    if data.in_order is True:
        put["in order"] = True

    def changed(document: dict[str, Any]) -> dict[str, Any]:
        now = {name: value for name, value in {**document, **put}.items() if name != gone}
        return {name: value for name, value in now.items() if name != "tags" or value}

    with write(database()):
        documents.change(database(), suite, actor().id, changed)
        if data.into is not UNSET:
            folder = None if data.into is None else _folder_asked(data.into, suite)
            projects.put_into(database(), suite, folder)
        if data.before is not UNSET:
            projects.move_suite(database(), suite, data.before)
    return json_answer(_suite_view(suite_asked(id), []))


@outline_api.put("/suites/<id>/every-answer")
@declared(
    "setSuiteChecks",
    "A suite's checks on every answer",
    of("EveryAnswer"),
    ID,
    IF_MATCH,
    takes=EveryAnswerChange,
    may="edit",
    did="changed the checks on every answer of {}",
)
def set_suite_checks(data: EveryAnswerChange, id: str) -> Response:
    """The checks on every answer of a suite's cases, on top of the version that If-Match names."""
    suite = _with_field(suite_asked(id), "every answer", data.checks)
    return json_answer(every_answer_view("suite", suite, read_suite(suite.document).every_answer))


@outline_api.put("/projects/<id>/every-answer")
@declared(
    "setProjectChecks",
    "A project's checks on every answer",
    of("EveryAnswer"),
    ID,
    IF_MATCH,
    takes=EveryAnswerChange,
    may="edit",
    did="changed the checks on every answer of {}",
)
def set_project_checks(data: EveryAnswerChange, id: str) -> Response:
    """The checks on every answer of all a project's cases, on top of the version that If-Match
    names."""
    project = _with_field(project_asked(id), "every answer", data.checks)
    return json_answer(
        every_answer_view("project", project, read_project(project.document).every_answer)
    )


@outline_api.put("/suites/<id>/sign-in")
@declared(
    "setSuiteSignIn",
    "How a suite's steps sign in",
    of("SignIn"),
    ID,
    IF_MATCH,
    takes=SignInChange,
    may="edit",
    did="changed how steps of {} sign in",
)
def set_suite_sign_in(data: SignInChange, id: str) -> Response:
    """How the steps of a suite's cases sign in that do not say it themselves, on top of the version
    that If-Match names."""
    suite = _with_field(suite_asked(id), "auth", data.auth)
    return json_answer(sign_in_view("suite", suite, read_suite(suite.document).auth))


@outline_api.put("/projects/<id>/sign-in")
@declared(
    "setProjectSignIn",
    "How a project's steps sign in",
    of("SignIn"),
    ID,
    IF_MATCH,
    takes=SignInChange,
    may="edit",
    did="changed how steps of {} sign in",
)
def set_project_sign_in(data: SignInChange, id: str) -> Response:
    """How the steps of all a project's cases sign in that do not say it themselves, on top of the
    version that If-Match names."""
    project = _with_field(project_asked(id), "auth", data.auth)
    return json_answer(sign_in_view("project", project, read_project(project.document).auth))


def _with_field(of: Document, field: str, value: Any) -> Document:
    """A document with another value in a field; without the field where there is none."""
    version = version_changed()

    def edit(document: dict[str, Any]) -> dict[str, Any]:
        rest = {name: held for name, held in document.items() if name != field}
        return rest if value is None or value == [] else {**rest, field: value}

    return documents.change(database(), of, actor().id, edit, version)


@outline_api.delete("/suites/<id>")
@declared(
    "removeSuite",
    "Take an empty suite away",
    of("Gone"),
    ID,
    may="edit",
    did="took the suite {} away",
)
def remove_suite(id: str) -> Response:
    """Take an empty suite away."""
    suite = suite_asked(id)
    if len(projects.inside(suite, projects.suites(database(), suite.project))) > 1:
        raise Refused(
            409, "holds-suites", "Suites stand in this one; move them out or delete them first."
        )
    if not projects.remove_suite(database(), suite.id):
        raise Refused(
            409, "holds-cases", "This suite still holds cases; move or delete them first."
        )
    return json_answer({"gone": True})
