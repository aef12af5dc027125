"""Causes of failures that are known: they are told apart in a run's report until their day is
over."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from typing import Any

from flask import Blueprint, Response
from msgspec.structs import asdict

from saltpath.core.values.moments import zone_of
from saltpath.server.api.views import moment
from saltpath.server.asked import project_asked, run_asked
from saltpath.server.bodies import KnownCause, SaidOfCause
from saltpath.server.cause_sentences import sentence
from saltpath.server.compiled import project_of
from saltpath.server.context import actor, database
from saltpath.server.declared import ID, PROJECT, declared, of, page, parameter
from saltpath.server.problems import Refused, json_answer
from saltpath.store import causes, known, projects, runs
from saltpath.store.database import NotFound, now_us
from saltpath.store.known import Known

known_api = Blueprint("known", __name__)
LONGEST = timedelta(days=366)
"""Nothing is known for longer: what nobody looks at again is no plan."""
SIGNATURE = parameter("signature", "the cause's", True, "path")


@known_api.get("/known")
@declared("listKnown", "The causes that are known", page("Known"), PROJECT)
def list_known() -> Response:
    """In the order in which they were marked."""
    project = project_asked()
    day = today(project.id)
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
)
def mark_known(data: KnownCause, signature: str) -> Response:
    """Mark it as known, or say something else of it. 409 where something else is said of it by now
    than was seen."""
    project, run = project_asked(), run_asked(data.run)
    cause = next(
        (one for one in causes.causes(database("evidence"), run.id) if one.signature == signature),
        None,
    )
    if cause is None or run.project != project.id:
        raise NotFound("the run has not met this cause")
    day = today(project.id)
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
        actor().name,
        now_us(),
    )
    known.put(database(), project.id, actor().id, held, _seen(data.seen))
    return json_answer(_view(held, day))


@known_api.delete("/known/<signature>")
@declared("unmarkKnown", "A cause is known no more", of("Gone"), SIGNATURE, PROJECT, may="edit")
def unmark_known(signature: str) -> Response:
    """Its next failure is news."""
    known.remove(database(), project_asked().id, signature)
    return json_answer({"gone": True})


@known_api.get("/runs/<id>/known")
@declared("listNotMet", "Known causes that a run no longer met", page("Known"), ID)
def list_not_met(id: str) -> Response:
    """Those that cases of the run had met when they were marked, and that none of the run met,
    though they came to their end."""
    run = run_asked(id)
    day = today(run.project)
    ended = {
        entry.case_id
        for entry in runs.run_cases(database(), run.id)
        if entry.state == "finished" and entry.verdict != "skipped"
    }
    met = {cause.signature for cause in causes.causes(database("evidence"), run.id)}
    items = [
        _view(one, day)
        for one in known.known(database(), run.project).values()
        if one.cases and one.cases <= ended and one.signature not in met
    ]
    return json_answer({"items": items, "next": None})


def today(project: int) -> date:
    """In the project's zone."""
    zone = project_of(projects.project_by_id(database(), project)).zone
    return datetime.now(zone_of(zone)).date()


def is_known(one: Known | None, day: date) -> bool:
    """Whether it is no news on that day."""
    return one is not None and date.fromisoformat(one.said.until) >= day


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
