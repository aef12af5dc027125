"""The line of what is followed: the usual and the slowest times of parts of a stretch."""

from __future__ import annotations

import numpy as np
from msgspec import Struct

from saltpath.core.statistics.histogram import rank
from saltpath.core.trends.entries import Entries, groups


class Point(Struct, frozen=True, array_like=True):
    """A part of a stretch: its number, the median of the runs' medians and the 95th percentile of
    their 95th percentiles (microseconds), how many runs there were, how many steps were bad."""

    part: int
    median: int
    p95: int
    runs: int
    bad: int


def line(mine: Entries, begin: int, end: int, parts: int) -> list[Point]:
    """Of the entries of one series, in the order of their runs: a point for each of so many parts
    of a stretch (seconds, UTC) in which there was a time."""
    part = (mine["at"].astype(np.int64) - begin) * parts // max(end - begin, 1)
    there = (part >= 0) & (part < parts)
    mine, part = mine[there], part[there]
    medians, slowest = mine["median"].tolist(), mine["p95"].tolist()
    bad = mine["bad"].tolist()
    return [
        Point(
            int(part[first]),
            _at(medians[first:last], 0.5),
            _at(slowest[first:last], 0.95),
            last - first,
            sum(bad[first:last]),
        )
        for first, last in groups(part)
    ]


def _at(values: list[int], share: float) -> int:
    return sorted(values)[rank(share, len(values)) - 1]


class Phases(Struct, frozen=True):
    """How long connecting, waiting and receiving took in the usual run; microseconds."""

    connecting: int
    waiting: int
    receiving: int


def phases(mine: Entries) -> Phases | None:
    """Of the entries of one series; None where nothing is known of them."""
    shares = np.stack([mine[name] for name in ("connecting", "waiting", "receiving")]).astype(float)
    seen = shares.sum(axis=0) > 0
    if not seen.any():
        return None
    times = shares[:, seen] / shares[:, seen].sum(axis=0) * mine["median"][seen]
    return Phases(*(round(float(np.median(one))) for one in times))
