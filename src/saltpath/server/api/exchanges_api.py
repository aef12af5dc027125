"""The exchanges that runs kept: their bodies, as they came and as they went."""

from __future__ import annotations

import re
from typing import Any

from flask import Blueprint, Response, request

from saltpath.server.asked import run_asked, watch_asked
from saltpath.server.context import database
from saltpath.server.declared import ID, declared, parameter
from saltpath.server.problems import Refused
from saltpath.store import evidence
from saltpath.store.history import seen

exchanges_api = Blueprint("exchanges", __name__)
_WHOLE = re.compile(r"[0-9]{1,9}")
_PLACE = re.compile(r"([0-9]{1,9})(?:-([0-9_~]{1,200}))?")
_OF_WATCH = re.compile(r"(watch_\w{1,40})@([0-9]{1,12})-([0-9]{1,9})-([0-9]{1,2})", re.ASCII)
_IN = str.maketrans("_~", "/.")


@exchanges_api.get("/exchanges/<id>/body")
@declared(
    "readBody",
    "An exchange's body",
    None,
    ID,
    parameter("form", "decoded, received or sent"),
    media="application/octet-stream",
)
def read_body(id: str) -> Response:
    """The body of an answer as it was decoded; `?form=received` gives the octets as they came,
    `sent` what was sent."""
    exchange = _exchange(id)
    form = request.args.get("form", "decoded")
    bodies = {"decoded": exchange.body, "received": exchange.raw_body, "sent": exchange.sent_body}
    if form not in bodies:
        raise Refused(400, "form", "form is decoded, received or sent.")
    answer = Response(bodies[form], content_type="application/octet-stream")
    answer.headers["Content-Disposition"] = "attachment"
    answer.headers["Cache-Control"] = "private, max-age=86400, immutable"
    return answer


def _exchange(id: str) -> Any:
    parts = id.split(".")
    fits = len(parts) == 6 and all(
        _WHOLE.fullmatch(part) for part in (parts[1], parts[2], parts[5])
    )
    place = _PLACE.fullmatch(parts[4]) if fits else None
    if place is None:
        raise Refused(404, "not-found", f"there is no exchange {id}")
    if "@" in parts[0]:
        return _of_watch(id, parts[0], parts, int(place[1]), (place[2] or "").translate(_IN))
    run = run_asked(parts[0])
    step = evidence.step(
        database("evidence"),
        run.id,
        int(parts[1]),
        int(parts[2]),
        parts[3],
        int(place[1]),
        (place[2] or "").translate(_IN),
    )
    if step is None or int(parts[5]) >= len(step.exchanges):
        raise Refused(404, "not-found", f"there is no exchange {id}")
    return step.exchanges[int(parts[5])]


def _of_watch(id: str, run: str, parts: list[str], index: int, inner: str) -> Any:
    """An exchange of a watch's run: `watch_...@DUE-TURN-ATTEMPT` stands for the run."""
    found = _OF_WATCH.fullmatch(run)
    if found is None:
        raise Refused(404, "not-found", f"there is no exchange {id}")
    stored = watch_asked(found[1])
    attempts = seen.attempts(database("history"), stored.id, int(found[2]), int(found[3]))
    wanted = (int(parts[1]), int(parts[2]), parts[3], index, inner)
    for step in attempts[int(found[4])].steps if int(found[4]) < len(attempts) else ():
        head = step.head
        place = (head.position, head.row, head.part, head.step, head.inner)
        if place == wanted and int(parts[5]) < len(step.exchanges):
            return step.exchanges[int(parts[5])]
    raise Refused(404, "not-found", f"there is no exchange {id}")
