"""Any stretch of time, of all watches of a project or of some: whole days and whole three hours
from what was summed up, the rest from the runs. Counts and times are exact at its edges too,
percentiles within 2 % (exact where the runs are read)."""

from __future__ import annotations

import sqlite3
from typing import Any

import numpy as np
from msgspec import Struct

from saltpath.core.statistics.histogram import BUCKETS, EDGES, HIGHEST_US, LOWEST_US
from saltpath.core.watching.numbers import ADDED, POINT, Numbers, points, sums
from saltpath.store.history.blocks import HOUR_S, runs_of
from saltpath.store.history.slabs import (
    DAY,
    DAY_S,
    PART,
    PART_S,
    STEPS_S,
    Slab,
    before_of,
    entries_of,
    rows_of,
    slabs,
)

POINTS = 90
"""A line has about so many points at least."""
FINE_S = (1, 2, 5, 10, 15, 30, 60, 120, 300)
"""Seconds between points that are read from the runs."""
ROLLED_S = (900, HOUR_S, PART_S, DAY_S)
"""Seconds between points that were summed up."""
_MIDDLES = np.concatenate(
    ([LOWEST_US], np.rint(np.sqrt(EDGES[:-1] * (EDGES[1:] - 1.0))), [HIGHEST_US])
)


class Range(Struct, frozen=True):
    """Of each of `watches` (by row) over a stretch; moments are seconds, UTC."""

    watches: Numbers
    begin: int
    end: int
    counts: dict[str, Numbers]
    """By the name of a field of SUMS that is added, and `latest_ms`."""
    low: Numbers
    median: Numbers
    p95: Numbers
    high: Numbers
    """Response times, microseconds; 0 of none."""
    step: int
    """Seconds between points."""
    first: int
    """When the first point begins."""
    line: Any
    """(watches x points) POINTs."""
    histogram: Any
    """(watches x BUCKETS)."""

    @property
    def availability(self) -> Any:
        """The share of the time that counts in which each was good; NaN where none does."""
        good, bad = self.counts["good_s"], self.counts["bad_s"]
        with np.errstate(invalid="ignore"):
            return good / (good + bad)


def step_of(begin: int, end: int) -> int:
    """Seconds between the points of a line over a stretch."""
    wanted = (end - begin) / POINTS
    if wanted * 2 < ROLLED_S[0]:
        return [step for step in FINE_S if step <= max(wanted, 1)][-1]
    return [step for step in ROLLED_S if step <= max(wanted, ROLLED_S[0])][-1]


def over(
    connection: sqlite3.Connection, project: int, watches: Numbers, begin: int, end: int
) -> Range:
    """Of these watches of a project (their numbers, ascending), from one moment to another."""
    step = step_of(begin, end)
    first = begin // step * step
    made = _Adding(watches, first, step, -(-(end - first) // step))
    connection.execute("BEGIN")  # all of it as it was at one moment
    try:
        for since, until, level, found in _covering(connection, project, begin, end, step):
            if found is None:
                made.add_runs(connection, project, since, until)
            else:
                made.add_slab(found, level)
    finally:
        connection.execute("COMMIT")
    low, median, p95, high = made.spread()
    return Range(
        watches,
        begin,
        end,
        made.counts,
        low,
        median,
        p95,
        high,
        step,
        first,
        made.line,
        made.histogram,
    )


def _covering(
    connection: sqlite3.Connection, project: int, begin: int, end: int, step: int
) -> list[tuple[int, int, int, Slab | None]]:
    """What the stretch consists of, in its order: (begin, end, level, slab), or without one where
    the runs are to be read."""
    if step not in ROLLED_S:
        return [(begin, end, 0, None)]
    days = slabs(connection, project, DAY, begin, end) if step >= PART_S else []
    inside = [(slab, DAY) for slab in days]
    at = begin
    for since, until in [*((day.start, day.until) for day in days), (end, end)]:
        if at < since:
            inside += [(slab, PART) for slab in slabs(connection, project, PART, at, since)]
        at = until
    found: list[tuple[int, int, int, Slab | None]] = []
    at = begin
    for slab, level in sorted(inside, key=lambda one: one[0].start):
        if slab.start > at:
            found.append((at, slab.start, 0, None))
        found.append((slab.start, slab.until, level, slab))
        at = slab.until
    if at < end:
        found.append((at, end, 0, None))
    return found


class _Adding:
    """Parts of a stretch, added up."""

    def __init__(self, watches: Numbers, first: int, step: int, parts: int) -> None:
        number = len(watches)
        self.watches, self._first, self._step = watches, first, step
        self.counts = {name: np.zeros(number, np.int64) for name in (*ADDED, "latest_ms")}
        self.line = np.zeros((number, parts), POINT)
        self.histogram = np.zeros((number, BUCKETS))
        self._places: list[Numbers] = [np.empty(0, np.int64)]
        self._numbers: list[Any] = [np.empty(0, np.int64)]
        self._low = np.full(number, np.iinfo(np.int64).max)
        self._high = np.zeros(number, np.int64)

    def add_slab(self, slab: Slab, level: int) -> None:
        rows, mine = rows_of(self.watches, slab.watches)
        summed = slab.sums[mine]
        self._add(rows, summed)
        which, entries = entries_of(slab, mine)
        self._places.append(rows[which] * BUCKETS + entries["bucket"])
        self._numbers.append(entries["count"])
        at = (slab.start - self._first) // self._step
        if self._step in STEPS_S[level]:
            line = slab.line(level, self._step)[mine]
            self.line[rows, at : at + line.shape[1]] = line
        elif self._step <= slab.until - slab.start:
            self.line[rows, at] = _point(summed)
        else:
            self._wider(rows, at, _point(summed))

    def add_runs(self, connection: sqlite3.Connection, project: int, begin: int, end: int) -> None:
        runs = runs_of(connection, self.watches, begin, end)
        before = before_of(connection, project, self.watches, begin)
        summed, counts = sums(runs, before, begin, end)
        self._add(np.arange(len(self.watches)), summed)
        self.histogram += counts
        since = begin // self._step * self._step
        line = points(runs, len(self.watches), since, end, self._step)
        at = (since - self._first) // self._step
        there = line["runs"] > 0
        self._wider_all(at, line, there)

    def _wider_all(self, at: int, line: Any, there: Any) -> None:
        held = self.line[:, at : at + line.shape[1]]
        fresh = there & (held["runs"] == 0)
        held[fresh] = line[fresh]
        for row, part in np.argwhere(there & ~fresh).tolist():
            held[row, part] = _both(held[row, part], line[row, part])

    def _wider(self, rows: Numbers, at: int, line: Any) -> None:
        """A point that comes of several stretches."""
        for row, point in zip(rows.tolist(), line, strict=True):
            held = self.line[row, at]
            self.line[row, at] = _both(held, point) if held["runs"] else point

    def _add(self, rows: Numbers, summed: Any) -> None:
        for name in ADDED:
            self.counts[name][rows] += summed[name].astype(np.int64)
        np.maximum.at(self.counts["latest_ms"], rows, summed["latest_ms"].astype(np.int64))
        answered = summed["answered"] > 0
        np.minimum.at(self._low, rows[answered], summed["low"][answered].astype(np.int64))
        np.maximum.at(self._high, rows[answered], summed["high"][answered].astype(np.int64))

    def spread(self) -> tuple[Numbers, Numbers, Numbers, Numbers]:
        histogram = self.histogram
        places, numbers = np.concatenate(self._places), np.concatenate(self._numbers)
        histogram += np.bincount(places, numbers, histogram.size).reshape(histogram.shape)
        number = np.rint(histogram.sum(axis=1)).astype(np.int64)
        there = number > 0
        low = np.where(there, self._low, 0)
        added = np.cumsum(histogram, axis=1)
        found = []
        for share in (50, 95):
            rank = np.maximum((number * share + 99) // 100, 1)
            bucket = np.minimum((added < rank[:, None] - 0.5).sum(axis=1), BUCKETS - 1)
            middle = np.clip(_MIDDLES[bucket].astype(np.int64), low, np.maximum(low, self._high))
            found.append(np.where(there, middle, 0))
        return low, found[0], found[1], self._high


def _point(summed: Any) -> Any:
    """A stretch's sums as a point."""
    made = np.zeros(len(summed), POINT)
    most = np.iinfo(np.uint16).max
    made["runs"] = np.minimum(summed["runs"], most)
    made["bad"] = np.minimum(summed["bad"], most)
    made["blocked"] = np.minimum(np.minimum(summed["blocked"], summed["bad"]), most)
    made["median"], made["p95"] = summed["median"], summed["p95"]
    return made


def _both(one: Any, other: Any) -> Any:
    """A point at which two stretches meet: between their medians, by their runs; the higher of the
    slow ones."""
    made = np.zeros((), POINT)
    runs = int(one["runs"]) + int(other["runs"])
    most = np.iinfo(np.uint16).max
    made["runs"] = min(runs, most)
    made["bad"] = min(int(one["bad"]) + int(other["bad"]), most)
    made["blocked"] = min(int(one["blocked"]) + int(other["blocked"]), most)
    weighted = int(one["median"]) * int(one["runs"]) + int(other["median"]) * int(other["runs"])
    made["median"] = round(weighted / runs) if runs else 0
    made["p95"] = max(int(one["p95"]), int(other["p95"]))
    return made
