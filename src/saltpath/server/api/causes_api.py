"""What went wrong in a run, in a few sentences: its failures by what they are cases of."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response

from saltpath.core.cases.summary import read_summary
from saltpath.server.asked import run_asked
from saltpath.server.context import database, limit, whole
from saltpath.server.declared import ID, LIMIT, declared, page, parameter
from saltpath.server.problems import json_answer
from saltpath.store import causes, runs
from saltpath.store.causes import Cause

causes_api = Blueprint("causes", __name__)

SENTENCES = {
    "answered": "{step} answered {status}",
    "at": "{step}: {said}",
    "by itself": "{said}",
    "differently": "{step}: {check} did not hold, in {values} ways; the first: {said}",
    "blocked differently": "{step} could not be carried out, in {values} ways; the first: {said}",
    "without a reason": "{step} was {verdict}",
}
"""What a cause says, whoever it happened to."""
WHO = {
    "one": "“{case}”",
    "row": "Row {row} of “{case}”",
    "again and again": "“{case}”, {failures} times",
    "rows": "{rows} rows of “{case}”",
    "cases": "{cases} cases",
    "rows of cases": "{rows} rows of {cases} cases",
}
"""Whom it happened to."""
INSIDE = "{step} in {shared}"
OF_STATUS = "status"


@causes_api.get("/runs/<id>/causes")
@declared("listCauses", "What the failures of a run are cases of", page("Cause"), ID)
def list_causes(id: str) -> Response:
    """Failures with the same signature (step, check, reason, place in the answer; never values) are
    one cause. Failures before what was blocked, those of most cases first."""
    run = run_asked(id)
    found = causes.causes(database("evidence"), run.id)
    entries = {entry.position: entry for entry in runs.run_cases(database(), run.id)}
    items = [_view(cause, entries[cause.first]) for cause in found]
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
            "case": entries[failure.place.position].name,
            "hasRows": has_rows(entries[failure.place.position]),
            "row": failure.place.row,
            "part": failure.place.part,
            "index": failure.place.step,
            "inner": failure.place.inner,
            "said": failure.said,
        }
        for failure in found
    ]
    return json_answer({"items": items, "next": str(offset + size) if len(found) == size else None})


def _view(cause: Cause, first: runs.RunCase) -> dict[str, Any]:
    failure = cause.failure
    return {
        "signature": cause.signature,
        "verdict": failure.verdict,
        "who": who(cause, first),
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


def has_rows(entry: runs.RunCase) -> bool:
    return read_summary(entry.summary).has_rows


def who(cause: Cause, first: runs.RunCase) -> str:
    """Whom a cause was met in, of whom this is the first."""
    if cause.cases > 1:
        kind = "rows of cases" if cause.rows > cause.cases else "cases"
    elif cause.rows > 1:
        kind = "rows"
    elif cause.failures > 1:
        kind = "again and again"
    else:
        kind = "row" if has_rows(first) and cause.row else "one"
    return WHO[kind].format(
        case=first.name,
        row=cause.row,
        failures=cause.failures,
        rows=cause.rows,
        cases=cause.cases,
    )


def sentence(cause: Cause) -> str:
    """What a cause says, without whom it happened to."""
    failure = cause.failure
    step = (
        INSIDE.format(step=failure.step, shared=failure.shared)
        if failure.shared and failure.shared != failure.step
        else failure.step
    )
    said = cause.said[0] if cause.said else ""
    return SENTENCES[_kind(cause, said)].format(
        step=step,
        said=said,
        status=failure.status,
        check=failure.checks[-1] if failure.checks else "",
        verdict=failure.verdict,
        values=cause.values,
    )


def _kind(cause: Cause, said: str) -> str:
    failure = cause.failure
    if failure.status and failure.of == OF_STATUS:
        return "answered"
    if not failure.step:
        return "by itself"
    if cause.values > 1:
        return "differently" if failure.checks else "blocked differently"
    return "at" if said else "without a reason"
