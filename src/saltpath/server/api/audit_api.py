"""Who did what, when and from where."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

from flask import Blueprint, Response, request

from saltpath.formats.workbook import safe_cell
from saltpath.server.api.views import moment
from saltpath.server.asked import project_asked
from saltpath.server.context import database, limit, whole
from saltpath.server.declared import LIMIT, PROJECT, declared, page, parameter
from saltpath.server.problems import Refused, json_answer
from saltpath.store import audit
from saltpath.store.audit import Line, Wanted

audit_api = Blueprint("audit", __name__)
MOST_IN_FILE = 100_000
FILTERS = (
    parameter("person", "only what this person did"),
    parameter("text", "only what holds this"),
    parameter("since", "only from this moment on (RFC 3339)"),
    parameter("until", "only before this moment"),
)
BEFORE = parameter("before", "the page's next")
COLUMNS = ("at", "name", "way", "place", "about", "operation", "thing")


@audit_api.get("/audit")
@declared("listDone", "Who did what", page("Done"), PROJECT, *FILTERS, BEFORE, LIMIT, may="own")
def list_done() -> Response:
    """In a project, the newest first; `next` goes into `before`."""
    return _page(_wanted(project_asked().id))


@audit_api.get("/audit/file")
@declared(
    "saveDone", "The same as CSV", None, PROJECT, *FILTERS, media="text/csv", may="own", dear=True
)
def save_done() -> Response:
    """The newest first, 100,000 lines at most."""
    return _file(_wanted(project_asked().id))


@audit_api.get("/installation/audit")
@declared(
    "listDoneHere",
    "Who did what, in all projects and to the installation",
    page("Done"),
    *FILTERS,
    BEFORE,
    LIMIT,
    may="administer",
)
def list_done_here() -> Response:
    """The newest first."""
    return _page(_wanted(None))


@audit_api.get("/installation/audit/file")
@declared(
    "saveDoneHere", "The same as CSV", None, *FILTERS, media="text/csv", may="administer", dear=True
)
def save_done_here() -> Response:
    """The newest first, 100,000 lines at most."""
    return _file(_wanted(None))


def _wanted(project: int | None) -> Wanted:
    return Wanted(
        project,
        request.args.get("person", "")[:100],
        request.args.get("text", "")[:200],
        _moment("since", 0),
        _moment("until", 1 << 62),
    )


def _moment(name: str, default: int) -> int:
    text = request.args.get(name, "")
    if not text:
        return default
    try:
        found = datetime.fromisoformat(text)
        return round(found.replace(tzinfo=found.tzinfo or UTC).timestamp() * 1e6)
    except (ValueError, OverflowError):
        raise Refused(400, name, f"{name} is a moment, such as 2026-12-01T08:00:00Z.") from None


def _page(wanted: Wanted) -> Response:
    size, before = limit(), whole("before", 0) or None
    found = audit.lines(database(), wanted, before, size + 1)
    following = str(found[size - 1].id) if len(found) > size else None
    return json_answer({"items": [_view(line) for line in found[:size]], "next": following})


def _view(line: Line) -> dict[str, Any]:
    return {
        "id": line.id,
        "at": moment(line.at),
        "person": line.person,
        "name": line.name,
        "way": line.way,
        "place": line.place,
        "operation": line.operation,
        "thing": line.thing,
        "about": line.about,
    }


def _file(wanted: Wanted) -> Response:
    found = audit.lines(database(), wanted, None, MOST_IN_FILE)
    answer = Response(_written(found), content_type="text/csv; charset=utf-8")
    answer.headers["Content-Disposition"] = 'attachment; filename="who-did-what.csv"'
    return answer


def _written(found: list[Line]) -> Iterator[bytes]:
    """RFC 4180, behind a mark by which spreadsheets know UTF-8; what they would take for a formula
    begins with an apostrophe."""
    yield b"\xef\xbb\xbf"
    for row in (COLUMNS, *(_cells(line) for line in found)):
        text = io.StringIO()
        csv.writer(text).writerow(row)
        yield text.getvalue().encode("utf-8", "replace")


def _cells(line: Line) -> list[str]:
    view = _view(line)
    return [safe_cell(str(view[name])) for name in COLUMNS]
