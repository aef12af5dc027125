"""What a step of a run has that it had not when it last passed."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, request

from saltpath.core.answers.exchange import Exchange
from saltpath.core.assist.since_pass import Difference, since_pass
from saltpath.core.paths.jsonpath import MISSING
from saltpath.core.values import plain
from saltpath.server.api.views import moment, ms
from saltpath.server.asked import run_asked
from saltpath.server.context import database, whole
from saltpath.server.declared import ID, POSITION, declared, of, parameter
from saltpath.server.problems import json_answer
from saltpath.store import evidence, runs
from saltpath.store.database import NotFound
from saltpath.store.evidence import StepEvidence

since_pass_api = Blueprint("since_pass", __name__)
MOST_LOOKED_AT = 50
"""Earlier runs of the case in which passes are looked for."""
MOST_PASSES = 5
"""From so many it is told what differs among passes, too."""
LONGEST = 500


@since_pass_api.get("/runs/<id>/cases/<int:position>/since-pass")
@declared(
    "readSincePass",
    "What differs since a step's last pass",
    of("SincePass"),
    ID,
    POSITION,
    parameter("part", "the step's part; steps unless it is said"),
    parameter("index", "its index there, from 0", kind="integer"),
    parameter("row", "of which row; 1 unless it is said", kind="integer"),
    parameter("inner", "where it stands inside that step"),
    parameter("with", "another run, with whose step it is compared instead, whatever came of it"),
)
def read_since_pass(id: str, position: int) -> Response:
    """Against the same environment; of a case with rows in the row of the same number. Nothing
    where it never passed before, or nothing was sent."""
    run = run_asked(id)
    connection = database("evidence")
    row, index = min(whole("row", 1), 2**31), min(whole("index", 0), 2**31)
    part, inner = request.args.get("part", "steps"), request.args.get("inner", "")
    step = evidence.step(connection, run.id, min(position, 2**31), row, part, index, inner)
    if step is None:
        raise NotFound("this run has no such step")
    found = _passes(run, step)
    if "with" in request.args:
        found = _in_run(run_asked(request.args["with"]), run, step)
    if not found or not step.exchanges:
        return json_answer({"run": None, "differences": []})
    earlier, newest = found[0]
    exchanges = [seen.exchanges[-1] for _, seen in found]
    differences = since_pass(step.exchanges[-1], exchanges)
    return json_answer(
        {
            "run": {
                "id": earlier.oid,
                "number": earlier.number,
                "build": earlier.build,
                "at": moment(newest.head.at),
                "ms": ms(newest.head.us),
            },
            "differences": [_view(one) for one in differences],
        }
    )


def _passes(run: runs.Run, step: StepEvidence) -> list[tuple[runs.Run, StepEvidence]]:
    """The last runs before this one in which the step passed, and what it saw; newest first."""
    found: list[tuple[runs.Run, StepEvidence]] = []
    entries = {one.position: one for one in runs.run_cases(database(), run.id)}
    entry = entries[step.head.position]
    asked = (run.project, entry.case_id, MOST_LOOKED_AT, run.id, entry.environment)
    for id, position in runs.last_runs_of_case(database(), *asked):
        earlier = runs.run_by_id(database(), id)
        for seen in evidence.steps_with_key(database("evidence"), id, position, step.key):
            same = (seen.head.row, seen.head.inner) == (step.head.row, step.head.inner)
            if same and seen.head.verdict == "passed" and _answered(seen.exchanges):
                found.append((earlier, seen))
                break
        if len(found) >= MOST_PASSES:
            break
    return found


def _in_run(
    other: runs.Run, run: runs.Run, step: StepEvidence
) -> list[tuple[runs.Run, StepEvidence]]:
    """What the step saw in another run of the project; nothing if it did not answer there."""
    entries = {one.position: one for one in runs.run_cases(database(), run.id)}
    own = entries[step.head.position]
    if other.project != run.project:
        raise NotFound("there is no such run in this project")
    return [
        (other, seen)
        for entry in sorted(
            runs.run_cases(database(), other.id),
            key=lambda entry: entry.environment != own.environment,
        )
        if entry.case_id == own.case_id
        for seen in evidence.steps_with_key(
            database("evidence"), other.id, entry.position, step.key
        )
        if (seen.head.row, seen.head.inner) == (step.head.row, step.head.inner)
        and _answered(seen.exchanges)
    ][:1]


def _answered(exchanges: tuple[Exchange, ...]) -> bool:
    return bool(exchanges) and exchanges[-1].status > 0


def _view(one: Difference) -> dict[str, Any]:
    return {
        "part": one.part,
        "where": one.where,
        "before": None if one.before is MISSING else plain.show(one.before, LONGEST),
        "after": None if one.after is MISSING else plain.show(one.after, LONGEST),
        "volatile": one.volatile,
    }
