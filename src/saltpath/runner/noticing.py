"""Looks for what no single run of a watch says, and has people told of it: that an allowance is
used up too fast, that answers became slower. The keeper does, in a thread of its own."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from itertools import pairwise
from statistics import median

import numpy as np
from msgspec import Struct, json

from saltpath.core.format.nodes import FormatError
from saltpath.core.format.watch_reader import read_watch
from saltpath.core.statistics.shifts import NEEDED_DAYS, VALUES, Shift
from saltpath.core.watching import burn, slower
from saltpath.core.watching.period import period_of
from saltpath.core.watching.schedule import Every
from saltpath.core.watching.watch import Watch
from saltpath.store import projects, watches
from saltpath.store.database import NotFound, write
from saltpath.store.documents import Document
from saltpath.store.history import looks, troubles
from saltpath.store.history.blocks import runs_of
from saltpath.store.history.burns import burns_of
from saltpath.store.history.runs import SECOND_US
from saltpath.store.history.troubles import Begun, Trouble

LATELY_S = 600
"""A bad run that was due within so long may be news: runs end, and are written down, later."""
LOOK_US = 3_600 * SECOND_US
"""So often a watch's response times are looked through."""
NEXT = 12
AT_ONCE = 20
"""Watches that are, before others have a turn."""
DAY_S = 86_400
LONGEST_S = 400 * DAY_S
USUAL_AFTER_S = 60 * DAY_S
"""What has been slower for so long is how it is."""


class Found(Struct, frozen=True):
    """A watch that can be read, with the zone of its project."""

    stored: Document
    watch: Watch
    zone: str


def look(main: sqlite3.Connection, history: sqlite3.Connection, now: int) -> None:
    """At a moment (UTC microseconds)."""
    _look_for_burns(main, history, now)
    look_for_slower(main, history, now)


def _look_for_burns(main: sqlite3.Connection, history: sqlite3.Connection, now: int) -> None:
    lasting = troubles.lasting(history, "burn")
    out = troubles.lasting(history, "outage")
    second = now // SECOND_US
    wanted = (looks.bad_since(history, second - LATELY_S) - set(out)) | set(lasting)
    for one in _read(main, wanted):
        share = one.watch.limits.available
        id, project = one.stored.id, one.stored.project
        found = [] if share is None else burns_of(history, project, id, share, second, burn.TOLD)
        high = burn.too_high(found)
        if id in lasting:
            if burn.is_over(found):
                with write(history):
                    troubles.end(history, id, "burn", second, now)
        elif high is not None:
            begin, end = period_of(one.watch, one.zone, second)
            facts = {"rate": round(high.long, 1), "over": high.pair.long_s}
            said = Begun(high.bad, burn.said(high, end - begin), facts=facts)
            since = max(high.first_bad, looks.last_ended(history, id, "burn"))
            with write(history):
                troubles.begin(history, project, id, "burn", since, said, now)


# ---- slower


def look_for_slower(main: sqlite3.Connection, history: sqlite3.Connection, now: int) -> None:
    """Through some of the watches that have run since they were last looked through."""
    before = looks.to_look_through(history, "slower", now - LOOK_US, AT_ONCE)
    lasting = troubles.lasting(history, "slower") if before else {}
    for one in _read(main, set(before)):
        id = one.stored.id
        text = before[id]
        found = json.decode(text, type=list[Shift]) if text else []
        _look_at_times(history, one, found, lasting.get(id), now)


def _look_at_times(
    history: sqlite3.Connection,
    one: Found,
    before: list[Shift],
    lasting: Trouble | None,
    now: int,
) -> None:
    id, second = one.stored.id, now // SECOND_US
    every_s = _every_s(one, now)
    length = max(NEEDED_DAYS * DAY_S, VALUES * every_s)
    runs = runs_of(history, np.array([id], np.int64), second - min(length, LONGEST_S), second)
    found = slower.shifts(runs, every_s)
    last = slower.agreed(before, found, every_s)
    near = slower.near_s(every_s)
    with write(history):
        looks.note(history, id, "slower", now, json.encode(found).decode())
        if lasting is not None:
            if second - lasting.began > USUAL_AFTER_S:
                troubles.end(history, id, "slower", second, now, told=False)
            elif last is not None and last.due > lasting.began + near:
                if slower.is_as_before(last.after, int(lasting.facts["before"])):
                    troubles.end(history, id, "slower", last.due, now)
                elif last.ratio > 1 and slower.is_further(last.after, int(lasting.facts["after"])):
                    troubles.end(history, id, "slower", last.due, now, told=False)
                    _begin_slower(history, one, last, now)
        elif (
            last is not None
            and last.ratio > 1
            and not looks.is_known(history, id, "slower", last.due - near, last.due)
        ):
            _begin_slower(history, one, last, now)


def _every_s(one: Found, now: int) -> int:
    """How often it runs about: the usual time between those that are due next."""
    if isinstance(one.watch.when, Every):
        return max(one.watch.when.us // SECOND_US, 1)
    schedule, due = one.watch.schedule(one.stored.id, one.zone), [now]
    while len(due) < NEXT and (after := schedule.due_after(due[-1])) is not None:
        due.append(after)
    apart = [(later - sooner) // SECOND_US for sooner, later in pairwise(due[1:])]
    return max(round(median(apart)), 1) if apart else DAY_S


def _begin_slower(history: sqlite3.Connection, one: Found, last: Shift, now: int) -> None:
    facts = {"before": last.before, "after": last.after}
    said = Begun(last.values, slower.said(last), facts=facts)
    troubles.begin(history, one.stored.project, one.stored.id, "slower", last.due, said, now)


def _read(main: sqlite3.Connection, wanted: set[int]) -> Iterator[Found]:
    zones = {one.id: str(one.document.get("zone") or "UTC") for one in projects.projects(main)}
    for id in sorted(wanted):
        try:
            stored = watches.watch_by_id(main, id)
            yield Found(stored, read_watch(stored.document), zones.get(stored.project, "UTC"))
        except (FormatError, NotFound):
            continue  # its page says so
