"""Causes of failures that are known: they are told apart in a run's report until their day is
over."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any

from flask import Blueprint, Response
from msgspec.structs import asdict

from saltpath.core.running.cause_sentences import sentence
from saltpath.reporting import is_known, today
from saltpath.server.api.views import moment
from saltpath.server.asked import project_asked, run_asked
from saltpath.server.bodies import KnownCause, SaidOfCause
from saltpath.server.causes import causes_of
from saltpath.server.context import actor, database
from saltpath.server.declared import ID, PROJECT, declared, of, page, parameter
from saltpath.server.problems import Refused, json_answer
from saltpath.store import cases, causes, known, runs
from saltpath.store.database import NotFound, now_us
from saltpath.store.known import Known

known_api = Blueprint("known", __name__)
LONGEST = timedelta(days=366)
"""Nothing is known for longer: what nobody looks at again is no plan."""
_CARRIED_OUT = ("passed", "failed", "unchecked")
SIGNATURE = parameter("signature", "the cause's", True, "path")


@known_api.get("/known")
@declared("listKnown", "The causes that are known", page("Known"), PROJECT)
def list_known() -> Response:
    """In the order in which they were marked."""
    project = project_asked()
    day = today(database(), project.id)
    held = known.known(database(), project.id)
    return json_answer({"items": [_view(one, day) for one in held.values()], "next": None})


@known_api.put("/known/<signature>")
@declared(
    "markKnown",
    "Mark a cause as known",
    of("Known"),
    SIGNATURE,
    PROJECT,
    takes=KnownCause,
    may="edit",
    did="marked a cause as known",
)
def mark_known(data: KnownCause, signature: str) -> Response:
    """Mark it as known, or say something else of it. 409 where something else is said of it by now
    than was seen."""
    project, run = project_asked(), run_asked(data.run)
    cause = next((one for one in causes_of(run) if one.signature == signature), None)
    if cause is None or run.project != project.id:
        raise NotFound("the run has not met this cause")
    day = today(database(), project.id)
    _check_until(data.said.until, day)
    entries = {entry.position: entry for entry in runs.run_cases(database(), run.id)}
    met = causes.positions(database("evidence"), run.id, signature)
    said = known.Said(
        data.said.owner.strip() or actor().name, data.said.note.strip(), data.said.until
    )
    held = Known(
        signature,
        cause.failure.verdict,
        sentence(cause),
        said,
        frozenset(entries[position].case_id for position in met),
        next(entries[position].environment for position in met),
        actor().name,
        now_us(),
    )
    known.put(database(), project.id, actor().id, held, _seen(data.seen))
    return json_answer(_view(held, day))


@known_api.delete("/known/<signature>")
@declared(
    "unmarkKnown",
    "A cause is known no more",
    of("Gone"),
    SIGNATURE,
    PROJECT,
    may="edit",
    did="marked a cause as known no more",
)
def unmark_known(signature: str) -> Response:
    """Its next failure is news. `back` undoes it."""
    known.turn(database(), project_asked().id, signature, gone=True)
    return json_answer({"gone": True})


@known_api.post("/known/<signature>/back")
@declared(
    "knowAgain",
    "It is known as it was",
    of("Gone"),
    SIGNATURE,
    PROJECT,
    may="edit",
    did="marked a cause as known again",
)
def know_again(signature: str) -> Response:
    """Undo that a cause is known no more."""
    known.turn(database(), project_asked().id, signature, gone=False)
    return json_answer({"gone": False})


@known_api.get("/runs/<id>/known")
@declared("listNotMet", "Known causes that a run no longer met", page("Known"), ID)
def list_not_met(id: str) -> Response:
    """Those that were met against the same environment when they were marked, and that the run did
    not meet, though all their cases that there still are were carried out in it."""
    run = run_asked(id)
    held = known.known(database(), run.project)
    if not held:
        return json_answer({"items": [], "next": None})
    ended = {
        (entry.case_id, entry.environment)
        for entry in runs.run_cases(database(), run.id)
        if entry.verdict in _CARRIED_OUT
    }
    there = {head.id for head in cases.heads(database(), run.project)}
    met, day = causes.signatures(database("evidence"), run.id), today(database(), run.project)
    items = [
        _view(one, day)
        for one in held.values()
        if one.signature not in met and one.cases & there
        if {(case, one.environment) for case in one.cases & there} <= ended
    ]
    return json_answer({"items": items, "next": None})


def said_view(one: Known, day: date) -> dict[str, Any]:
    return {**asdict(one.said), "over": not is_known(one, day)}


def _view(one: Known, day: date) -> dict[str, Any]:
    return {
        "signature": one.signature,
        "verdict": one.verdict,
        "sentence": one.sentence,
        "said": said_view(one, day),
        "markedBy": one.actor,
        "at": moment(one.at),
    }


def _seen(seen: SaidOfCause | None) -> known.Said | None:
    return None if seen is None else known.Said(seen.owner, seen.note, seen.until)


def _check_until(until: str, day: date) -> None:
    """Raises Refused."""
    try:
        last = date.fromisoformat(until)
    except ValueError:
        raise Refused(422, "until", f"There is no day {until}.") from None
    if last < day:
        raise Refused(422, "until", f"{until} is over; give today or a later day.")
    if last > day + LONGEST:
        raise Refused(422, "until", "Give a day within a year: then somebody looks at it again.")
