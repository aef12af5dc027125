"""The history of a case: its runs, and what was edited between two of them."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, request

from saltpath.core.assist.difference import differences
from saltpath.server.api.views import moment, ms, reason
from saltpath.server.asked import case_asked
from saltpath.server.context import database, limit, whole
from saltpath.server.declared import ID, LIMIT, declared, page, parameter
from saltpath.server.problems import json_answer
from saltpath.store import case_history
from saltpath.store.case_history import PastRun

history_api = Blueprint("history", __name__)
MOST_CHANGES = 12
"""Sentences of what was edited between two runs."""


@history_api.get("/cases/<id>/history")
@declared(
    "listHistory",
    "A case's runs, with what was edited between",
    page("PastRun"),
    ID,
    LIMIT,
    parameter("before", "the page's next"),
    parameter("environment", "only runs against this environment"),
)
def list_history(id: str) -> Response:
    """Newest first; `edited` is what was changed since the run before it."""
    case, size = case_asked(id, gone=True), limit(50)
    found = case_history.past_runs(
        database(),
        case.project,
        case.id,
        request.args.get("environment"),
        whole("before", 0) or None,
        size + 1,
    )
    items = []
    for index, run in enumerate(found):
        older = found[index + 1 : index + 2]
        edited = _edited(case.id, older[0], run) if older else None
        items.append({**_view(run), "edited": edited})
    following = str(found[size - 1].run) if len(found) > size else None
    return json_answer({"items": items[:size], "next": following})


def _view(run: PastRun) -> dict[str, Any]:
    return {
        "run": run.oid,
        "number": run.number,
        "build": run.build,
        "environment": run.environment,
        "startedBy": run.actor,
        "at": moment(run.at),
        "position": run.position,
        "verdict": run.verdict,
        "why": reason(run.why),
        "ms": ms(run.us),
    }


def _edited(case: int, older: PastRun, newer: PastRun) -> dict[str, Any] | None:
    """Who has edited it between two runs, and what; None if nobody has."""
    if newer.version <= older.version:
        return None
    edits = case_history.edits_between(database(), case, older.version, newer.version)
    if len(edits) < 2:
        return None
    changes = differences(edits[-1].document, edits[0].document)
    if not changes:
        return None
    return {
        "by": list(dict.fromkeys(edit.actor for edit in edits[:-1])),
        "at": moment(edits[0].at),
        "changes": changes[:MOST_CHANGES],
        "more": max(len(changes) - MOST_CHANGES, 0),
    }
