"""What became of watches: over any stretch of time, run by run, what a run saw, trouble."""

from __future__ import annotations

from datetime import UTC
from typing import TYPE_CHECKING, Any, cast, get_args

import msgspec
from flask import Blueprint, Response, request
from msgspec import UNSET

from saltpath.core.values import plain
from saltpath.core.values.moments import read_moment
from saltpath.core.values.nearest import listed
from saltpath.core.watching.alerts import TroubleKind
from saltpath.core.watching.hours import Span
from saltpath.core.watching.period import period_of
from saltpath.server.api.views import step_view
from saltpath.server.asked import permitted, project_asked, watch_asked
from saltpath.server.audited import concerns
from saltpath.server.context import actor, database, limit, whole
from saltpath.server.declared import ID, LIMIT, PROJECT, declared, of, page, parameter
from saltpath.server.problems import Refused, json_answer
from saltpath.server.stretches import DAY_S, TO, from_parameter, stretch
from saltpath.server.watch_bodies import TroubleNote
from saltpath.server.watch_views import (
    Read,
    allowance_view,
    burns_view,
    range_view,
    read,
    run_view,
    second,
    spread_view,
)
from saltpath.store import watches
from saltpath.store.database import NotFound, now_us
from saltpath.store.documents import Document
from saltpath.store.history import seen, troubles
from saltpath.store.history.runs import SECOND_US
from saltpath.store.history.troubles import Trouble

if TYPE_CHECKING:  # it brings numpy, which the web server has only where watches are looked at
    from saltpath.store.history.ranges import Range

watch_runs_api = Blueprint("watch runs", __name__)
LATEST_S = 253_402_300_799
"""The last second that a date can say."""
FROM = from_parameter("a day")
DUE = parameter("due", "when the run was due, in seconds since 1970", True, "path", "integer")
TURN = parameter(
    "turn",
    "which one of that second, where clocks were set back; the last unless it is said",
    kind="integer",
)


@watch_runs_api.get("/watches/range")
@declared("readWatchRange", "What became of watches", of("WatchRange"), PROJECT, FROM, TO)
def read_range() -> Response:
    """Of each watch of a project over a stretch: how often, how long good and bad, how fast, and
    its line. Counts and times are exact, percentiles within 2 %."""
    project = project_asked()
    begin, end = stretch()
    stored = watches.watches(database(), project.id)
    return json_answer(range_view(_over(project.id, stored, begin, end), _oids(stored)))


@watch_runs_api.get("/watches/allowances")
@declared("listAllowances", "What trouble watches may still have", page("Allowance"), PROJECT)
def list_allowances() -> Response:
    """Of each watch that promises a share of the time, or of its answers within a time, over the
    period of its promise up to now. `beyond` counts answers within 2 % of the time."""
    project = project_asked()
    found = [read(one) for one in watches.watches(database(), project.id)]
    promised = [
        one for one in found if one.watch.limits.available is not None or one.watch.limits.answers
    ]
    items = [
        {"id": one.stored.oid, **allowance_view(one.watch, period, over, row)}
        for one, period, over, row in _over_periods(project.id, promised)
    ]
    return json_answer({"items": items, "next": None})


def _over_periods(project: int, promised: list[Read]) -> list[tuple[Read, Span, Range, int]]:
    """With the period of each, what became of watches there, and in which row it stands."""
    now = now_us() // SECOND_US
    by_period: dict[Span, list[Read]] = {}
    for one in promised:
        by_period.setdefault(period_of(one.watch, one.zone, now), []).append(one)
    found = []
    for period, group in by_period.items():
        group = sorted(group, key=lambda one: one.stored.id)
        over = _over(project, [one.stored for one in group], period[0], min(period[1], now))
        found += [(one, period, over, row) for row, one in enumerate(group)]
    return found


@watch_runs_api.get("/watches/<id>/range")
@declared("readRangeOfWatch", "What became of a watch", of("RangeOfWatch"), ID, FROM, TO)
def read_range_of_one(id: str) -> Response:
    """The same of one, with how its times are spread."""
    stored = watch_asked(id)
    begin, end = stretch()
    found = _over(stored.project, [stored], begin, end)
    spread = spread_view(found.histogram[0])
    return json_answer({**range_view(found, _oids([stored])), "spread": spread})


@watch_runs_api.get("/watches/<id>/burns")
@declared("readWatchBurns", "How fast a watch uses up its allowance", page("Burn"), ID)
def read_burns(id: str) -> Response:
    """Now, over each pair of stretches; nothing of one without an allowance. People are told where
    both rates are beyond `most`."""
    found = read(watch_asked(id))
    items = [] if found.problem else burns_view(found.stored, found.watch)
    return json_answer({"items": items, "next": None})


@watch_runs_api.get("/watches/<id>/phases")
@declared("readWatchPhases", "Where a watch's time went", page("WatchPhases"), ID, FROM, TO)
def read_phases(id: str) -> Response:
    """Medians of some runs in each of sixty parts of the stretch, in milliseconds; parts of which
    no exchange is kept are not there."""
    from saltpath.store.history.phases import phases

    stored = watch_asked(id)
    found = phases(database("history"), stored.id, *stretch())
    items = [
        {
            "at": second(one.begin),
            "runs": one.runs,
            **{name: us / 1000 for name, us in one.us.items()},
        }
        for one in found
    ]
    return json_answer({"items": items, "next": None})


@watch_runs_api.get("/watches/<id>/runs")
@declared(
    "listWatchRuns",
    "A watch's runs, newest first",
    page("WatchRun"),
    ID,
    FROM,
    TO,
    LIMIT,
    parameter("bad", "true: only those that are held against what is watched"),
    dear=True,
)
def list_runs_of_watch(id: str) -> Response:
    """Also what stands for runs that never were. `next` goes into `to`."""
    from saltpath.core.watching.numbers import is_bad
    from saltpath.store.history.blocks import runs_of

    stored, most = watch_asked(id), limit(100)
    begin, end = stretch()
    import numpy as np

    one = np.array([stored.id], np.int64)
    items: list[dict[str, Any]] = []
    while end > begin and len(items) <= most:  # a day after the other, until there are enough
        since = max(begin, (end - 1) // DAY_S * DAY_S)
        found = runs_of(database("history"), one, since, end)
        if request.args.get("bad") == "true":
            found = found.chosen(is_bad(found.flag))
        columns = zip(
            found.due.tolist(),
            found.flag.tolist(),
            found.us.tolist(),
            found.late.tolist(),
            strict=True,
        )
        items += [run_view(due, 0, flag, us, late) for due, flag, us, late in list(columns)[::-1]]
        end = since
    more = items[most]["due"] if len(items) > most else None
    if more is not None:
        at = read_moment(more, UTC)
        more = second(int(at.timestamp()) + 1)
    return json_answer({"items": items[:most], "next": more})


@watch_runs_api.get("/watches/<id>/runs/<int:due>")
@declared("readWatchRun", "What a run of a watch saw", of("WatchRunSeen"), ID, DUE, TURN)
def read_run_of_watch(id: str, due: int) -> Response:
    """By attempt, the one that was believed last. Nothing where its exchanges are kept no more."""
    stored, due = watch_asked(id), min(due, LATEST_S)
    turn = whole("turn", seen.turn_of(database("history"), stored.id, due))
    name = f"{stored.oid}@{due}-{turn}"
    found = seen.attempts(database("history"), stored.id, due, turn)
    attempts = [
        {
            "cases": [{"id": id, "name": name} for id, name in attempt.cases],
            "steps": [
                {
                    "position": step.head.position,
                    "step": msgspec.Raw(plain.write_json(step_view(step, f"{name}-{number}"))),
                }
                for step in attempt.steps
            ],
        }
        for number, attempt in enumerate(found)
    ]
    return json_answer({"due": second(due), "attempts": attempts})


# ---- trouble


@watch_runs_api.get("/troubles")
@declared(
    "listTroubles",
    "Trouble, newest first",
    page("Trouble"),
    PROJECT,
    FROM,
    TO,
    parameter("watch", "only of this watch"),
    parameter("kind", f"only {listed(get_args(TroubleKind), 20)}"),
)
def list_troubles() -> Response:
    """Outages, allowances that were used up too fast, and what became slower, as far as they reach
    into the stretch, at most 1000."""
    project = project_asked()
    begin, end = stretch()
    only = watch_asked(request.args["watch"]).id if "watch" in request.args else None
    kind = cast("TroubleKind | None", request.args.get("kind"))
    if kind is not None and kind not in get_args(TroubleKind):
        raise Refused(422, "kind", f"There is no kind {kind} of trouble.")
    found = troubles.troubles(database("history"), project.id, begin, end, only, kind)
    oids = {one.id: (one.oid, one.name) for one in watches.watches(database(), project.id)}
    items = [_trouble(one, *oids[one.watch]) for one in found if one.watch in oids]
    return json_answer({"items": items, "next": None})


@watch_runs_api.patch("/troubles/<id>")
@declared(
    "noteTrouble",
    "Note something of trouble",
    of("Trouble"),
    ID,
    takes=TroubleNote,
    may="edit",
    did="noted something of {}",
)
def note_trouble(data: TroubleNote, id: str) -> Response:
    """409 where somebody else has noted something meanwhile."""
    found = troubles.trouble(database("history"), id)
    permitted(found.project)
    watch = next(
        (one for one in watches.watches(database(), found.project) if one.id == found.watch), None
    )
    if watch is None:
        raise NotFound(f"there is no such trouble: {id}")
    concerns(found.project, found.oid, f"trouble of {watch.name}")
    seen_note = None if data.seen is UNSET else data.seen
    troubles.note(database("history"), found, data.note.strip(), actor().name, seen_note)
    return json_answer(_trouble(troubles.trouble(database("history"), id), watch.oid, watch.name))


def _trouble(one: Trouble, watch: str, name: str) -> dict[str, Any]:
    end = one.ended or now_us() // SECOND_US
    return {
        "id": one.oid,
        "kind": one.kind,
        "watch": watch,
        "watchName": name,
        "began": second(one.began),
        "ended": second(one.ended) if one.ended else None,
        "seconds": max(end - one.began, 0),
        "runs": one.runs,
        "cause": one.cause,
        "signature": one.signature,
        "note": one.note,
        "notedBy": one.noted_by,
        "takenBy": one.taken_by,
        "facts": one.facts,
    }


# ---- stretches


def _over(project: int, stored: list[Document], begin: int, end: int) -> Range:
    import numpy as np

    from saltpath.store.history.ranges import over

    ids = np.array(sorted(one.id for one in stored), np.int64)
    return over(database("history"), project, ids, begin, end)


def _oids(stored: list[Document]) -> dict[int, str]:
    return {one.id: one.oid for one in stored}
