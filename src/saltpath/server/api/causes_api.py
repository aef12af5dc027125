"""What went wrong in a run, in a few sentences: its failures by what they are cases of."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response

from saltpath.core.running.cause_sentences import Cause, sentence
from saltpath.reporting import is_known, today
from saltpath.server.api.known_api import said_view
from saltpath.server.asked import run_asked
from saltpath.server.causes import causes_of, met_by
from saltpath.server.compiled import summary_of
from saltpath.server.context import database, limit, whole
from saltpath.server.declared import ID, LIMIT, declared, page, parameter
from saltpath.server.problems import json_answer
from saltpath.store import causes, known, runs

causes_api = Blueprint("causes", __name__)


@causes_api.get("/runs/<id>/causes")
@declared("listCauses", "What the failures of a run are cases of", page("Cause"), ID)
def list_causes(id: str) -> Response:
    """Failures with the same signature (step, check, reason, place in the answer; never values) are
    one cause. Failures before what was blocked, those of most cases first; those that are known
    last."""
    run = run_asked(id)
    found = causes_of(run)
    entries = {entry.position: entry for entry in runs.run_cases(database(), run.id)}
    held, day = known.known(database(), run.project), today(database(), run.project)
    news_first = sorted(found, key=lambda cause: is_known(held.get(cause.signature), day))
    items = [
        {
            **_view(cause, met_by(run, cause, entries)),
            "known": said_view(held[cause.signature], day) if cause.signature in held else None,
        }
        for cause in news_first
    ]
    return json_answer({"items": items, "next": None})


@causes_api.get("/runs/<id>/causes/<signature>")
@declared(
    "listFailures",
    "Where a cause was met",
    page("Failure"),
    ID,
    parameter("signature", "the cause's", required=True, place="path"),
    LIMIT,
    parameter("offset", "how many are left out before", kind="integer"),
)
def list_failures(id: str, signature: str) -> Response:
    """In the order of cases and rows."""
    run = run_asked(id)
    offset, size = whole("offset", 0), limit(100)
    found = causes.failures(database("evidence"), run.id, signature, offset, size)
    entries = {entry.position: entry for entry in runs.run_cases(database(), run.id)}
    items = [
        {
            "position": failure.place.position,
            "case": _called(run, entries[failure.place.position]),
            "hasRows": summary_of(entries[failure.place.position]).has_rows,
            "row": failure.place.row,
            "part": failure.place.part,
            "index": failure.place.step,
            "inner": failure.place.inner,
            "said": failure.said,
        }
        for failure in found
    ]
    return json_answer({"items": items, "next": str(offset + size) if len(found) == size else None})


def _called(run: runs.Run, entry: runs.RunCase) -> str:
    """A case's name; of a run against several environments with where it went."""
    return f"{entry.name}, {entry.environment}" if len(run.environments) > 1 else entry.name


def _view(cause: Cause, who: str) -> dict[str, Any]:
    failure = cause.failure
    return {
        "signature": cause.signature,
        "verdict": failure.verdict,
        "who": who,
        "sentence": sentence(cause),
        "step": failure.step,
        "shared": failure.shared,
        "check": failure.checks[-1] if failure.checks else "",
        "place": failure.place,
        "status": failure.status,
        "cases": cause.cases,
        "rows": cause.rows,
        "failures": cause.failures,
        "said": list(cause.said),
        "values": cause.values,
    }
