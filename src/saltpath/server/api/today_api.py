"""Today: what is worth a look, worst first."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, request

from saltpath import today
from saltpath.core.format.readable import project_zone
from saltpath.core.trends.today import Item, last_working_day
from saltpath.server.api.views import moment
from saltpath.server.asked import project_asked
from saltpath.server.context import actor, database
from saltpath.server.declared import PROJECT, declared, of, parameter
from saltpath.server.problems import Refused, json_answer
from saltpath.server.stretches import EARLIEST_S, moment_asked
from saltpath.store import visits
from saltpath.store.database import now_us

today_api = Blueprint("today", __name__)
MOST_DONE = 8
MOST_OTHERS = 20
SECOND_US = 1_000_000
WORKING_DAY, HERE = "working day", "here"


@today_api.get("/today")
@declared(
    "readToday",
    "What is worth a look today",
    of("Today"),
    PROJECT,
    parameter(
        "since",
        f"{WORKING_DAY} (when the last one ended, unless it is said), {HERE} (when one was last "
        "here), or a moment (RFC 3339)",
    ),
)
def read_today() -> Response:
    """Worst first, one line a cause: what broke, is broken still, became slower or unreliable,
    recovered, is unchecked, is known and over, and what did not get through."""
    project, now = project_asked(), now_us()
    zone = project_zone(project.document)
    worked = last_working_day(now, zone)
    here = visits.last_here(database(), actor().id, project.id, now)
    said = request.args.get("since", WORKING_DAY)
    since = worked
    if said == HERE:
        since = here or worked
    elif said != WORKING_DAY:
        since = moment_asked("since") * SECOND_US
        if not EARLIEST_S * SECOND_US <= since <= now:
            raise Refused(422, "since", "since lies before now.")
    stored = today.Stored(database(), database("evidence"), database("history"))
    found = today.items(stored, project, since, now)
    done = visits.done(database(), project.id, since, MOST_DONE)
    return json_answer(
        {
            "since": moment(since),
            "workingDay": moment(worked),
            "lastHere": moment(here),
            "items": [_view(one) for one in found],
            "done": [
                {
                    "at": moment(one.at),
                    "who": one.who,
                    "did": one.did,
                    "name": one.name,
                    "id": one.id,
                    "where": one.where,
                }
                for one in done
            ],
        }
    )


@today_api.put("/today/seen")
@declared("putVisit", "Say that one has looked at today", None, PROJECT, may="read")
def put_visit() -> Response:
    """What happens from now on is news at the next visit, which begins after half an hour without
    a look."""
    project = project_asked()
    visits.look(database(), actor().id, project.id, now_us())
    return json_answer({"seen": True})


def _view(one: Item) -> dict[str, Any]:
    return {
        **_line(one),
        "sentence": one.sentence,
        "at": moment(one.at),
        "run": one.run or None,
        "line": list(one.line),
        "takenBy": one.taken_by,
        "trouble": one.trouble or None,
        "others": [_line(other) for other in one.others[:MOST_OTHERS]],
        "more": len(one.others),
    }


def _line(one: Item) -> dict[str, Any]:
    return {
        "kind": one.kind,
        "what": one.what,
        "id": one.id,
        "name": one.name,
        "verdict": one.verdict,
    }
