"""Watches as the API gives them: what they are, how they stand, and what became of them over a
stretch of time."""

from __future__ import annotations

import base64
from typing import Any, Literal

from msgspec import Struct

from saltpath.core.format.nodes import FormatError
from saltpath.core.format.watch_reader import read_watch
from saltpath.core.values.grammar import Unreadable
from saltpath.core.watching.alerts import TroubleKind
from saltpath.core.watching.flags import (
    CAUGHT_UP,
    EVIDENCE,
    MAINTENANCE,
    OWN_SIDE,
    fate_of,
)
from saltpath.core.watching.hours import Span
from saltpath.core.watching.sentences import said_when, sentence
from saltpath.core.watching.watch import Watch
from saltpath.server.api.views import moment
from saltpath.server.context import database
from saltpath.store import around, cases, projects, routes, watches
from saltpath.store.database import NotFound, now_us
from saltpath.store.documents import Document
from saltpath.store.history import alerts, runs, troubles
from saltpath.store.history.runs import SECOND_US, Standing

State = Literal["off", "new", "good", "bad", "outage", "own side", "unchecked"]
STATES: tuple[State, ...] = ("off", "new", "good", "bad", "outage", "own side", "unchecked")
NEXT = 5
HUGE = 1 << 62


class Read(Struct, frozen=True):
    """A stored watch as it reads; `problem`: why it cannot be."""

    stored: Document
    watch: Watch
    zone: str
    problem: str = ""


def read(stored: Document) -> Read:
    project = projects.project_by_id(database(), stored.project)
    zone = str(project.document.get("zone") or "UTC")
    try:
        return Read(stored, read_watch(stored.document), zone)
    except FormatError as problem:
        return Read(stored, Watch(stored.name), zone, problem.problems[0].sentence)


def list_views(project: Document) -> list[dict[str, Any]]:
    """Every watch of a project, by name."""
    stored = watches.watches(database(), project.id)
    standing = runs.standings(database("history"), [one.id for one in stored]) if stored else {}
    targets, lasting = _Targets(project), _lasting()
    return [
        {**view(read(one), standing.get(one.id), targets), "lasting": lasting.get(one.id, [])}
        for one in stored
    ]


def _lasting() -> dict[int, list[dict[str, Any]]]:
    """By watch, the trouble that lasts besides an outage, which its standing says."""
    found: dict[int, list[dict[str, Any]]] = {}
    kinds: tuple[TroubleKind, ...] = ("burn", "slower")
    for kind in kinds:
        for id, one in troubles.lasting(database("history"), kind).items():
            said = {"kind": kind, "since": second(one.began), "cause": one.cause}
            found.setdefault(id, []).append(said)
    return found


def one_view(stored: Document) -> dict[str, Any]:
    """A watch with all that is said of it."""
    project = projects.project_by_id(database(), stored.project)
    found = read(stored)
    standing = runs.standings(database("history"), [stored.id]).get(stored.id)
    schedule = found.watch.schedule(stored.id, found.zone)
    return {
        **view(found, standing, _Targets(project)),
        "lasting": _lasting().get(stored.id, []),
        "version": stored.version,
        "document": stored.document,
        "zone": found.watch.zone or found.zone,
        "about": found.watch.about,
        "muted": muted_view(stored.id, "watch"),
        "next": [] if found.watch.off or found.problem else next_times(schedule, now_us()),
    }


def muted_view(id: int, what: alerts.Muted) -> dict[str, Any]:
    """Until when nobody is told of a watch, or by a route."""
    until, by = alerts.mutes(database("history"), now_us(), what).get(id, (0, ""))
    return {"until": moment(until) if until else None, "by": by}


def next_times(schedule: Any, now: int, number: int = NEXT) -> list[str | None]:
    """When it is due next, so many times."""
    found: list[str | None] = []
    while len(found) < number and (due := schedule.due_after(now)) is not None:
        found.append(moment(due))
        now = due
    return found


class _Targets:
    """What watches of a project run, by name and by id."""

    def __init__(self, project: Document) -> None:
        self._project = project
        every = routes.routes(database(), project.id)
        self.routes = frozenset(one.route.name for one in every)
        self._suites: dict[str, Document] | None = None
        self._cases: dict[str, tuple[str, str]] | None = None

    def of(self, watch: Watch) -> tuple[str, str]:
        """The name and the id of what it runs; no id of a tag, and of what is there no more."""
        if watch.of == "tag":
            return f"cases with the tag {watch.what}", ""
        if watch.of == "suite":
            if self._suites is None:
                every = projects.suites(database(), self._project.id)
                self._suites = {suite.folder: suite for suite in every}
            suite = self._suites.get(watch.what)
            return (suite.name, suite.oid) if suite else (watch.what, "")
        if self._cases is None:
            every_case = cases.heads(database(), self._project.id)
            self._cases = {head.key: (head.name, head.oid) for head in every_case}
        if watch.what not in self._cases:
            try:
                [case] = around.meant_by(database(), self._project.id, "case", watch.what)
                self._cases[watch.what] = (case.name, case.oid)
            except NotFound:
                self._cases[watch.what] = (watch.what, "")
        return self._cases[watch.what]


def view(found: Read, standing: Standing | None, targets: _Targets) -> dict[str, Any]:
    """A watch as lists show it."""
    watch = found.watch
    name, target = targets.of(watch)
    schedule = watch.schedule(found.stored.id, found.zone)
    due = None if watch.off or found.problem else schedule.due_after(now_us())
    return {
        "id": found.stored.oid,
        "name": found.stored.name,
        "of": watch.of,
        "target": target,
        "targetName": name,
        "sentence": sentence(watch, found.zone),
        "when": said_when(watch, found.zone),
        "environment": watch.environment,
        "supplier": watch.supplier,
        "tags": list(watch.tags),
        "limitMs": None if watch.limits.time_us is None else watch.limits.time_us / 1000,
        "problem": found.problem,
        "noRoutes": [name for name in watch.tell if name not in targets.routes],
        "nextAt": moment(due),
        "standing": standing_view(watch, standing),
    }


def standing_view(watch: Watch, standing: Standing | None) -> dict[str, Any]:
    """How it stands after its last run. `since`: when the first of the bad runs in a row was due,
    or else the last run."""
    if standing is None or not standing.last_due:
        state: State = "off" if watch.off else "new"
        return _standing(state)
    known, flag = standing.state, standing.last_flag
    fate = fate_of(flag)
    if watch.off:
        state = "off"
    elif known.outage is not None:
        state = "outage"
    elif flag & OWN_SIDE or fate == "interrupted":
        state = "own side"
    elif known.bad_since is not None:
        state = "bad"
    else:
        state = "unchecked" if fate == "unchecked" else "good"
    since = known.outage if known.outage is not None else known.bad_since
    return _standing(
        state,
        since=since or standing.last_due,
        runs=known.bad_runs,
        fate=fate,
        due=standing.last_due,
        ms=standing.last_us / 1000,
        why=standing.last_why,
        maintenance=bool(flag & MAINTENANCE),
    )


def _standing(
    state: State,
    since: int = 0,
    runs: int = 0,
    fate: str | None = None,
    due: int = 0,
    ms: float = 0,
    why: str = "",
    maintenance: bool = False,
) -> dict[str, Any]:
    return {
        "state": state,
        "since": second(since) if since else None,
        "runs": runs,
        "fate": fate,
        "due": second(due) if due else None,
        "ms": ms,
        "why": why,
        "maintenance": maintenance,
    }


def second(due: int) -> str | None:
    return moment(due * SECOND_US)


# ---- over a stretch of time


def range_view(found: Any, oids: dict[int, str]) -> dict[str, Any]:
    """What `ranges.over` gives, by watch. A line is packed: of each point the median and the 95th
    percentile in microseconds (u32), the runs, the bad ones and those without an answer (u16),
    little endian, one after the other, in base 64."""
    items = []
    availability = found.availability
    for row, watch in enumerate(found.watches.tolist()):
        counts = {name: int(held[row]) for name, held in found.counts.items()}
        share = float(availability[row])
        line = found.line[row]
        items.append(
            {
                "id": oids[watch],
                "availability": None if share != share else share,
                "runs": counts["runs"],
                "bad": counts["bad"],
                "failed": counts["failed"],
                "blocked": counts["blocked"],
                "slow": counts["slow"],
                "unchecked": counts["unchecked"],
                "interrupted": counts["interrupted"],
                "skipped": counts["skipped"],
                "missed": counts["missed"],
                "goodSeconds": counts["good_s"],
                "badSeconds": counts["bad_s"],
                "leftSeconds": counts["left_s"],
                "latestMs": counts["latest_ms"],
                "medianMs": _ms(found.median[row]),
                "p95Ms": _ms(found.p95[row]),
                "lowMs": _ms(found.low[row]),
                "highMs": _ms(found.high[row]),
                "line": _line(line),
            }
        )
    return {
        "from": second(found.begin),
        "to": second(found.end),
        "step": found.step,
        "first": second(found.first),
        "items": items,
    }


def spread_view(histogram: Any) -> list[dict[str, Any]]:
    """How times are spread, in steps of about 8 %: from, to (milliseconds), how many."""
    from saltpath.core.statistics.histogram import BUCKETS, EDGES, HIGHEST_US

    edges = [0, *EDGES.tolist(), HIGHEST_US]
    found = []
    for at in range(0, BUCKETS, 2):
        number = round(float(histogram[at : at + 2].sum()))
        if number:
            until = edges[min(at + 2, BUCKETS)]
            found.append({"from": edges[at] / 1000, "to": until / 1000, "answers": number})
    return found


def _ms(us: Any) -> float | None:
    return int(us) / 1000 if us else None


def _line(points: Any) -> str:
    packed = [points["median"].astype("<u4"), points["p95"].astype("<u4")]
    packed += [points[name].astype("<u2") for name in ("runs", "bad", "blocked")]
    return base64.b64encode(b"".join(part.tobytes() for part in packed)).decode()


def allowance_view(watch: Watch, period: Span, over: Any, row: int) -> dict[str, Any]:
    """How much trouble the promise permits over its period, and how much there was, from what
    became of it there (`ranges.over`)."""
    from saltpath.core.statistics.histogram import number_within

    begin, end = period
    share = watch.limits.available
    histogram = over.histogram[row]
    answered = int(over.counts["answered"][row])
    return {
        "available": share,
        "from": second(begin),
        "to": second(end),
        "days": watch.limits.days,
        "allowedSeconds": 0 if share is None else round((1 - share) * (end - begin)),
        "usedSeconds": int(over.counts["bad_s"][row]),
        "goodSeconds": int(over.counts["good_s"][row]),
        "answered": answered,
        "answers": [
            {
                "share": one.share,
                "ms": one.us / 1000,
                "beyond": answered - round(number_within(histogram, one.us)),
                "allowed": round((1 - one.share) * answered),
            }
            for one in watch.limits.answers
        ],
    }


def burns_view(stored: Document, watch: Watch) -> list[dict[str, Any]]:
    """How fast it uses up its allowance now, over each pair of stretches; nothing without one."""
    from saltpath.store.history.burns import burns_of

    share = watch.limits.available
    if share is None:
        return []
    now = now_us() // SECOND_US
    found = burns_of(database("history"), stored.project, stored.id, share, now)
    return [
        {
            "seconds": one.pair.long_s,
            "shortSeconds": one.pair.short_s,
            "rate": round(one.long, 2),
            "shortRate": round(one.short, 2),
            "bad": one.bad,
            "most": one.pair.rate,
            "told": one.pair.told,
        }
        for one in found
    ]


# ---- runs


def run_view(due: int, turn: int, flag: int, us: int, late_ms: int) -> dict[str, Any]:
    """A run, or what stands for some that never were."""
    fate = fate_of(flag)
    return {
        "due": second(due),
        "turn": turn,
        "fate": fate,
        "ms": None if fate == "unwatched" else us / 1000,
        "missed": us if fate == "unwatched" else 0,
        "lateMs": late_ms,
        "ownSide": bool(flag & OWN_SIDE),
        "maintenance": bool(flag & MAINTENANCE),
        "caughtUp": bool(flag & CAUGHT_UP),
        "evidence": bool(flag & EVIDENCE),
    }


def understood(text: str, zone: str) -> dict[str, Any]:
    """What a sentence says of a watch, as it would be said back, with the next times; or what of it
    is not understood."""
    from saltpath.core.watching.sentences import read_sentence

    nothing: dict[str, Any] = {"problem": "", "sentence": "", "when": "", "next": []}
    try:
        document = {"salt-path": 1, "watch": "new", "tag": "new", **read_sentence(text)}
        watch = read_watch(document)
    except Unreadable as problem:
        return {**nothing, "problem": str(problem)}
    except FormatError as problem:
        return {**nothing, "problem": problem.problems[0].sentence}
    return {
        "problem": "",
        "sentence": sentence(watch, zone),
        "when": said_when(watch, zone),
        "next": next_times(watch.schedule(0, zone), now_us()),
    }
