"""What the runs of all watches of a project add up to over three hours, and over a day: made from
the runs, and made anew whenever one of them came late."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from typing import Any

import numpy as np
from msgspec import Struct

from saltpath.core.statistics.histogram import LAYOUT, packed
from saltpath.core.watching.numbers import (
    POINT,
    SUMS,
    Before,
    Numbers,
    last_of,
    nothing_before,
    points,
    sums,
)
from saltpath.store.database import write
from saltpath.store.history.blocks import HOUR_S, runs_of
from saltpath.store.history.runs import WATCH_BITS

PART_S = 3 * HOUR_S
DAY_S = 24 * HOUR_S
PART, DAY = 1, 2
LENGTH_S = {PART: PART_S, DAY: DAY_S}
STEPS_S = {PART: (900, HOUR_S), DAY: (PART_S,)}
"""The lines that a slab has, each of all its length; that with one point is its sums'."""
SETTLED_S = 600
"""A stretch is summed up so long after its end, when nearly all its runs have ended."""
ENTRY = np.dtype([("bucket", "<u2"), ("count", "<u2")])


class Slab(Struct, frozen=True):
    """Of some watches of one stretch: `watches` their numbers, ascending."""

    start: int
    until: int
    watches: Numbers
    sums: Any
    """SUMS by watch."""
    entries: Any
    """Of their histograms, one behind the other."""
    points: Any
    """POINTs (watches x points of all lines)."""

    def line(self, level: int, step: int) -> Any:
        """(watches x parts) POINTs of one of its lines."""
        at = 0
        for each in STEPS_S[level]:
            parts = LENGTH_S[level] // each
            if each == step:
                return self.points[:, at : at + parts]
            at += parts
        raise ValueError(f"a slab has no line of {step} s")


def roll_up(connection: sqlite3.Connection, now: int) -> Iterator[int]:
    """Make what is missing of every project up to a moment (seconds, UTC), the oldest first; each
    is a short transaction, after which its project's number is given. Runs are packed first."""
    projects = [row[0] for row in connection.execute("SELECT DISTINCT project FROM watch_state")]
    for project in projects:
        for level in (PART, DAY):
            while (start := _missing(connection, project, level, now)) is not None:
                make(connection, project, level, start)
                yield project


def _missing(connection: sqlite3.Connection, project: int, level: int, now: int) -> int | None:
    """The begin of the first stretch that is to be summed up; None: there is none. Where nothing at
    all was due there is nothing to sum up."""
    last = connection.execute(
        "SELECT COALESCE(MAX(until), 0) FROM watch_slab WHERE project = ? AND level = ?",
        (project, level),
    ).fetchone()[0]
    due = _first_due(connection, int(last))
    if due is None:
        return None
    length = LENGTH_S[level]
    start = max(due, int(last)) // length * length
    return start if start + length + SETTLED_S <= now else None


def _first_due(connection: sqlite3.Connection, since: int = 0) -> int | None:
    """When a run of any watch was due first from a moment on, or in its hour; None: never."""
    block = connection.execute(
        "SELECT MIN(id) FROM watch_hour WHERE id >= ?", (since // HOUR_S << WATCH_BITS,)
    ).fetchone()[0]
    fresh = connection.execute("SELECT MIN(due) FROM watch_run WHERE due >= ?", (since,))
    found = [fresh.fetchone()[0], None if block is None else (block >> WATCH_BITS) * HOUR_S]
    return min((due for due in found if due is not None), default=None)


def watches_of(connection: sqlite3.Connection, project: int) -> Numbers:
    """The numbers of a project's watches that were ever looked after, ascending."""
    rows = connection.execute(
        "SELECT watch FROM watch_state WHERE project = ? ORDER BY watch", (project,)
    )
    return np.array([row[0] for row in rows], np.int64)


def make(connection: sqlite3.Connection, project: int, level: int, start: int) -> None:
    """Make, or make anew, what a stretch adds up to. Worked out before the transaction, so that
    nobody waits: runs that come meanwhile are fresh, and take it away again when they are packed,
    which nobody does but who rolls up."""
    end = start + LENGTH_S[level]
    watches = watches_of(connection, project)
    runs = runs_of(connection, watches, start, end)
    before = before_of(connection, project, watches, start)
    summed, counts = sums(runs, before, start, end)
    there = np.flatnonzero((summed["runs"] > 0) | (summed["last_due"] > 0))
    histograms = [packed(counts[row]) for row in there]
    summed["entries"][there] = [len(one) // ENTRY.itemsize for one in histograms]
    lines = [points(runs, len(watches), start, end, step)[there] for step in STEPS_S[level]]
    made = (
        project,
        level,
        start,
        end,
        LAYOUT,
        watches[there].astype("<u4").tobytes(),
        summed[there].tobytes(),
        b"".join(histograms),
        np.concatenate(lines, axis=1).tobytes(),
    )
    with write(connection):
        connection.execute(
            "INSERT OR REPLACE INTO watch_slab (project, level, start, until, layout, watches, "
            "sums, entries, points) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
            made,
        )


def before_of(
    connection: sqlite3.Connection, project: int, watches: Numbers, moment: int
) -> Before:
    """The last run of each watch before a moment: from the last slab that ended by then, and the
    runs since."""
    row = connection.execute(
        "SELECT until, watches, sums FROM watch_slab WHERE project = ? AND level = ? AND until <= ?"
        " ORDER BY until DESC LIMIT 1",
        (project, PART, min(moment, oldest_fresh(connection))),
    ).fetchone()
    found = nothing_before(len(watches))
    since = _first_due(connection) if row is None else row["until"]
    if row is not None:
        place, mine = rows_of(watches, np.frombuffer(row["watches"], "<u4").astype(np.int64))
        summed = np.frombuffer(row["sums"], SUMS)[mine]
        found.due[place], found.flag[place] = summed["last_due"], summed["last_flag"]
    if since is None or since >= moment:
        return found
    return last_of(runs_of(connection, watches, since, moment), found)


def oldest_fresh(connection: sqlite3.Connection) -> int:
    """When the first run was due that is not packed yet: what was summed up of the time since may
    lack one that came late."""
    found = connection.execute("SELECT MIN(due) FROM watch_run").fetchone()[0]
    return 1 << 62 if found is None else int(found)


def rows_of(watches: Numbers, of: Numbers) -> tuple[Numbers, Numbers]:
    """Of those watches that are among `watches`: the places there, and their own."""
    if len(of) == len(watches) and bool((of == watches).all()):
        every = np.arange(len(of))
        return every, every
    place = np.searchsorted(watches, of)
    known = place < len(watches)
    known[known] = watches[place[known]] == of[known]
    return place[known], np.flatnonzero(known)


def slabs(
    connection: sqlite3.Connection, project: int, level: int, begin: int, end: int
) -> list[Slab]:
    """Those that lie within a stretch, in their order, and hold all of its runs by now."""
    end = min(end, oldest_fresh(connection))
    rows = connection.execute(
        "SELECT start, until, watches, sums, entries, points FROM watch_slab WHERE project = ? AND "
        "level = ? AND start >= ? AND until <= ? AND layout = ? ORDER BY start",
        (project, level, begin, end, LAYOUT),
    )
    length = sum(LENGTH_S[level] // step for step in STEPS_S[level])
    found = []
    for row in rows:
        watches = np.frombuffer(row["watches"], "<u4").astype(np.int64)
        found.append(
            Slab(
                row["start"],
                row["until"],
                watches,
                np.frombuffer(row["sums"], SUMS),
                np.frombuffer(row["entries"], ENTRY),
                np.frombuffer(row["points"], POINT).reshape(len(watches), length),
            )
        )
    return found


def entries_of(slab: Slab, mine: Numbers) -> tuple[Numbers, Any]:
    """The entries of the histograms of some of a slab's watches: to which of these (by place) each
    belongs, and the entries."""
    lengths = slab.sums["entries"].astype(np.int64)
    if len(mine) == len(slab.watches):
        return np.repeat(np.arange(len(mine)), lengths), slab.entries
    begins = np.cumsum(lengths) - lengths
    found = [slab.entries[begins[one] : begins[one] + lengths[one]] for one in mine.tolist()]
    return np.repeat(np.arange(len(mine)), lengths[mine]), np.concatenate([_NONE, *found])


_NONE = np.empty(0, ENTRY)
