"""Looks for what no single run of a watch says, and has people told of it: that an allowance is
used up too fast. The keeper does, in a thread of its own."""

from __future__ import annotations

import logging
import sqlite3
from collections.abc import Iterator

from msgspec import Struct

from saltpath.core.format.nodes import FormatError
from saltpath.core.format.watch_reader import read_watch
from saltpath.core.watching import burn
from saltpath.core.watching.flags import BAD, FATE_BITS, FATES
from saltpath.core.watching.period import period_of
from saltpath.core.watching.watch import Watch
from saltpath.store import projects, watches
from saltpath.store.database import write
from saltpath.store.documents import Document
from saltpath.store.history import troubles
from saltpath.store.history.burns import burns_of
from saltpath.store.history.runs import SECOND_US
from saltpath.store.history.troubles import Begun

LATELY_S = 600
"""A bad run that was due within so long may be news: runs end, and are written down, later."""
log = logging.getLogger("saltpath.noticing")


class Found(Struct, frozen=True):
    """A watch that can be read, with the zone of its project."""

    stored: Document
    watch: Watch
    zone: str


def look(main: sqlite3.Connection, history: sqlite3.Connection, now: int) -> None:
    """At a moment (UTC microseconds)."""
    _look_for_burns(main, history, now)


def _look_for_burns(main: sqlite3.Connection, history: sqlite3.Connection, now: int) -> None:
    lasting = troubles.lasting(history, "burn")
    out = troubles.lasting(history, "outage")
    second = now // SECOND_US
    wanted = (_bad_lately(history, second) - set(out)) | set(lasting)
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
            since = max(high.first_bad, _ended(history, id))
            with write(history):
                troubles.begin(history, project, id, "burn", since, said, now)


def _bad_lately(history: sqlite3.Connection, now: int) -> set[int]:
    """The watches that had a bad run of late, as far as these are fresh."""
    bad = ", ".join(str(FATES.index(fate)) for fate in sorted(BAD))
    rows = history.execute(
        f"SELECT DISTINCT watch FROM watch_run WHERE due > ? AND flag & {FATE_BITS} IN ({bad})",
        (now - LATELY_S,),
    )
    return {row[0] for row in rows}


def _ended(history: sqlite3.Connection, watch: int) -> int:
    """When the last of its kind was over; 0: there was none."""
    found = history.execute(
        "SELECT MAX(ended) FROM trouble WHERE watch = ? AND kind = 'burn'", (watch,)
    ).fetchone()[0]
    return int(found or 0)


def _read(main: sqlite3.Connection, wanted: set[int]) -> Iterator[Found]:
    zones = {one.id: str(one.document.get("zone") or "UTC") for one in projects.projects(main)}
    for id in sorted(wanted):
        stored = watches.watch_by_id(main, id)
        try:
            yield Found(stored, read_watch(stored.document), zones.get(stored.project, "UTC"))
        except FormatError:
            continue  # its page says so
