"""Cases as documents: reading, saving on a version, moving, what they were before, and who else has
one open."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, current_app
from msgspec import UNSET

from saltpath.core.assist.difference import differences
from saltpath.core.cases.case import Case, Request
from saltpath.core.format.carried import carried
from saltpath.core.format.nodes import FormatError
from saltpath.core.format.reader import case_from_data, case_of
from saltpath.core.format.source import read_source
from saltpath.core.format.words import words
from saltpath.core.format.writer import write_document
from saltpath.server.api.case_view import case_answer
from saltpath.server.api.views import moment
from saltpath.server.asked import case_asked, project_asked, suite_asked
from saltpath.server.bodies import CaseDocument, CaseMove, CaseRole, NewCase, Tab, TextToRead
from saltpath.server.compiled import remember
from saltpath.server.context import actor, database, version_changed
from saltpath.server.declared import ID, IF_MATCH, TEXT, declared, of, page, parameter
from saltpath.server.presence import Presence
from saltpath.server.problems import Refused, json_answer
from saltpath.server.suite_roles import set_role
from saltpath.store import cases, projects, single
from saltpath.store.database import NotFound, write

documents = Blueprint("documents", __name__)
MOST_CHANGES = 12


@documents.get("/cases/<id>")
@declared("readCase", "One case", of("Case"), ID, TEXT)
def read_case(id: str) -> Response:
    """One case: its document, how it reads, and what is wrong with it; `?text=false` leaves its
    text out."""
    return case_answer(case_asked(id))


@documents.put("/cases/<id>")
@declared(
    "saveCase",
    "Save a case",
    of("Case"),
    ID,
    TEXT,
    IF_MATCH,
    takes=CaseDocument,
    may="edit",
    did="changed the case {}",
)
def save_case(data: CaseDocument, id: str) -> Response:
    """Save the case, given as `document` or as `text`, on top of the version that If-Match
    names."""
    before = case_asked(id)
    version = version_changed()
    document, comments, case = _given_document(data)
    if projects.suite_by_id(database(), before.suite).hidden == single.SINGLE:
        _one_request(case)
    if case.is_shared != ("shared" in before.document):
        raise Refused(422, "kind", "A case stays a case, and shared steps stay shared steps.")
    if comments is None:
        comments = carried(before.document, document, before.comments)
    stored = cases.save_case(database(), id, actor().id, version, document, comments)
    if stored.document == document:
        remember(stored, case)
    return case_answer(stored)


def _one_request(case: Case) -> None:
    """A single request stays one request. Raises Refused."""
    if [type(step) for _, _, step in case.parts()] != [Request] or not case.steps:
        raise Refused(
            422, "single", "A single request is one request step; put it into a case to add others."
        )


def _given_document(
    data: CaseDocument,
) -> tuple[dict[str, Any], dict[str, list[str]] | None, Case]:
    """The document and the case that it is, and its comments where it came as text; its faults then
    have lines."""
    if data.text is not UNSET:
        source = read_source(data.text)
        return source.root.data(), source.comments, case_of(source.root, "")
    document = data.document
    if document is UNSET:
        raise Refused(422, "document-missing", "Give the case as document (an object) or as text.")
    return document, None, case_from_data(document)


@documents.post("/texts")
@declared("readText", "What a case's text reads as", of("ReadText"), takes=TextToRead, may="anyone")
def read_text(data: TextToRead) -> Response:
    """A case's text as a document, or what is wrong with it, each with its line. Nothing is
    saved."""
    try:
        source = read_source(data.text)
        case_of(source.root, "")
    except FormatError as problem:
        faults = [{"sentence": p.sentence, "line": p.line} for p in problem.problems]
        return json_answer({"document": None, "problems": faults})
    return json_answer({"document": source.root.data(), "problems": []})


@documents.get("/format")
@declared("readFormat", "The words of the case format", page("FormatWord"), may="anyone")
def format_words() -> Response:
    """The words of the case format with what each is for: what completion and hover in the Text
    view speak of."""
    return json_answer({"items": list(words()), "next": None})


@documents.post("/cases")
@declared(
    "addCase",
    "A new case",
    of("Case"),
    status=201,
    takes=NewCase,
    may="edit",
    did="made the case {}",
)
def add_case(data: NewCase) -> Response:
    """A new case in a suite, from a `document` or a `text` of the case format."""
    project = project_asked(data.project)
    suite = next((s for s in projects.suites(database(), project.id) if s.oid == data.suite), None)
    if suite is None:
        raise Refused(422, "suite-missing", "Name a suite of this project.")
    document, comments, case = _given_document(data)
    if case.is_shared:
        raise Refused(
            422, "kind", "These are shared steps; they stand beside the suites: POST /shared-steps."
        )
    stored = cases.add_case(database(), project.id, suite.id, actor().id, document, comments or {})
    answer = case_answer(stored)
    answer.status_code = 201
    answer.headers["Location"] = f"/api/v1/cases/{stored.oid}"
    return answer


@documents.post("/cases/<id>/move")
@declared(
    "moveCase",
    "To another place",
    of("Case"),
    ID,
    takes=CaseMove,
    may="edit",
    did="moved the case {}",
)
def move_case(data: CaseMove, id: str) -> Response:
    """Into a `suite` of the project, right `before` another case there (null: to the end)."""
    stored = case_asked(id)
    if "shared" in stored.document:
        raise Refused(409, "shared", "Shared steps stand beside the suites, and in none.")
    suite = suite_asked(data.suite)
    if suite.project != stored.project:
        raise Refused(422, "suite-missing", "Name a suite of this project.")
    with write(database()):
        now = case_asked(id)
        if suite.id != now.suite:
            set_role(now, "")
        moved = cases.move_case(database(), id, suite.id, data.before)
    return case_answer(moved)


@documents.put("/cases/<id>/role")
@declared(
    "setRole",
    "What a case is in its suite",
    of("Case"),
    ID,
    takes=CaseRole,
    may="edit",
    did="said what the case {} is in its suite",
)
def change_role(data: CaseRole, id: str) -> Response:
    """Have a case set its suite up, once before the others (`set up`), or clean up after it (`clean
    up`), or be one of the others (empty)."""
    stored = case_asked(id)
    if "shared" in stored.document:
        raise Refused(409, "shared", "Shared steps stand beside the suites, and in none.")
    if projects.suite_by_id(database(), stored.suite).hidden == single.SINGLE:
        raise Refused(409, "single", "A single request stands in no suite.")
    with write(database()):
        set_role(case_asked(id), data.role)
    return case_answer(case_asked(id))


@documents.delete("/cases/<id>")
@declared(
    "removeCase",
    "Take a case out of its suite",
    of("Gone"),
    ID,
    may="edit",
    did="took the case {} away",
)
def remove_case(id: str) -> Response:
    """Take a case out of its suite. Its runs stay, and `/back` undoes it."""
    stored = case_asked(id)
    if "shared" in stored.document:
        raise Refused(
            409,
            "shared",
            "These are shared steps: DELETE /shared-steps takes them away where nobody uses them.",
        )
    with write(database()):
        set_role(case_asked(id), "")
        cases.remove_case(database(), id)
    return json_answer({"gone": True})


@documents.post("/cases/<id>/back")
@declared(
    "bringBack", "Bring a case back", of("Case"), ID, may="edit", did="brought the case {} back"
)
def bring_back(id: str) -> Response:
    """Bring back a case that was taken away."""
    case_asked(id, gone=True)
    cases.bring_back(database(), id)
    return case_answer(case_asked(id))


@documents.get("/cases/<id>/revisions")
@declared("listRevisions", "Kept versions", page("Revision"), ID)
def list_revisions(id: str) -> Response:
    """The kept versions, newest first: when, who, the runs that used it, and what changed since the
    one before it."""
    found = cases.revisions(database(), case_asked(id).id)
    items = []
    for revision, older in zip(found, [*found[1:], None], strict=True):
        changes = differences(older.document, revision.document) if older else []
        items.append(
            {
                "version": revision.version,
                "at": moment(revision.at),
                "by": revision.actor,
                "runs": list(revision.runs[:3]),
                "first": older is None,
                "changes": changes[:MOST_CHANGES],
                "more": max(len(changes) - MOST_CHANGES, 0),
            }
        )
    return json_answer({"items": items, "next": None})


@documents.get("/cases/<id>/revisions/<int:version>")
@declared(
    "readRevision",
    "One kept version",
    of("RevisionDocument"),
    ID,
    parameter("version", "the version's number", True, "path", "integer"),
)
def read_revision(id: str, version: int) -> Response:
    """One kept version: its document and text, and what the case now has otherwise."""
    now = case_asked(id)
    then = cases.case_at(database(), now.id, min(version, 2**53))
    if then.version != version:
        raise NotFound(f"version {version} of this case is not kept")
    return json_answer(
        {
            "version": then.version,
            "at": moment(then.at),
            "document": then.document,
            "text": write_document(then.document, then.comments),
            "changes": differences(then.document, now.document),
        }
    )


@documents.post("/cases/<id>/presence")
@declared("bePresent", "Who else has it open", of("Present"), ID, takes=Tab, may="read")
def be_present(data: Tab, id: str) -> Response:
    """A tab says that it has the case open, and at which step; the answer says who else has.
    Forgotten after 15 s."""
    case_asked(id, gone=data.leaving)  # one may leave a case that is gone
    presence: Presence = current_app.config["PRESENCE"]
    me = actor()
    others = presence.enter(id, data.tab, me.oid, me.name, data.step)
    if data.leaving:
        presence.leave(id, data.tab)
    return json_answer(
        {"others": [{"name": o.name, "step": o.step, "same": o.person == me.oid} for o in others]}
    )
