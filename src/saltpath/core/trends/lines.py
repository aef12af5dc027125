"""The line of what is followed: the usual and the slowest times of parts of a stretch."""

from __future__ import annotations

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from saltpath.core.statistics.histogram import rank
from saltpath.core.trends.entries import Entries, groups, those

Numbers = NDArray[np.int64]


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
    mine, part = those(mine, there), part[there]
    firsts = np.array([first for first, _ in groups(part)], np.int64)
    if not len(firsts):
        return []
    runs = np.diff(firsts, append=len(mine))
    columns = (
        part[firsts],
        _in_each(mine["median"], part, firsts, runs, 0.5),
        _in_each(mine["p95"], part, firsts, runs, 0.95),
        runs,
        np.add.reduceat(mine["bad"].astype(np.int64), firsts),
    )
    return [Point(*point) for point in zip(*(one.tolist() for one in columns), strict=True)]


def _in_each(
    values: Numbers, part: Numbers, firsts: Numbers, runs: Numbers, share: float
) -> Numbers:
    """The percentile of each part's values; `firsts`, `runs`: where it begins, and how many."""
    ranks = {number: rank(share, number) for number in set(runs.tolist())}
    places = firsts + np.array([ranks[number] for number in runs.tolist()]) - 1
    found: Numbers = values[np.lexsort((values, part))][places]
    return found


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
