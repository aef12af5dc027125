"""Where what is followed became slower or quicker: shifts of the level of its times (one a run: the
median over its rows), told apart from the time of day.

Many things are looked through at once, and each has its chance to be wrong: so the more there are,
the clearer a shift has to be, and about at most one of a page is false.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from saltpath.core.statistics.change_points import Rule
from saltpath.core.statistics.shifts import Shift, shifts_in
from saltpath.core.trends.entries import Entries, groups, in_series, those

THRESHOLDS = ((40, 3.6), (400, 4.2))
"""Of so many things, in standard deviations of the CUSUM: at 3.6 at most 1.7 % of noise is called
changed, at 4.2 0.3 %."""
CLEAREST = 4.8
"""Of more."""
FEWEST = 24
"""Runs; with fewer nothing can be told."""
USUAL_GAP_S = 3_600
"""How often runs come, where there are too few to say."""


class Moved(Struct, frozen=True):
    """From a run on, which was asked for then (`at`, seconds UTC), the level is another;
    microseconds. `found`: when it was first found (seconds UTC)."""

    at: int
    run: int
    before: int
    after: int
    values: int
    found: int

    @property
    def ratio(self) -> float:
        return self.after / max(self.before, 1)


def rule_for(things: int) -> Rule:
    """What it takes to be called a shift, where so many things are looked through."""
    threshold = next((least for most, least in THRESHOLDS if things <= most), CLEAREST)
    return Rule(threshold=threshold)


def by_series(entries: Entries) -> Iterator[tuple[int, Entries]]:
    """The entries of each series that have a time, in the order of their runs."""
    ordered = in_series(those(entries, entries["timed"] > 0))
    for begin, end in groups(ordered["series"]):
        yield int(ordered["series"][begin]), ordered[begin:end]


def of_enough(entries: Entries) -> int:
    """How many series have so many runs with a time that something can be told."""
    numbers = np.unique(those(entries, entries["timed"] > 0)["series"], return_counts=True)[1]
    return int((numbers >= FEWEST).sum())


def moved_in(mine: Entries, rule: Rule) -> list[Moved]:
    """Of the entries of one series, in their order. `found` is left 0."""
    if len(mine) < FEWEST:
        return []
    at = mine["at"].astype(np.int64)
    gaps = np.diff(at)
    gaps = gaps[gaps > 0]
    every = int(np.median(gaps)) if len(gaps) else USUAL_GAP_S
    return [
        _moved(one, at, mine)
        for one in shifts_in(at, mine["median"].astype(np.int64), max(every, 60), rule)
        if not one.usual
    ]


def _moved(one: Shift, at: Entries, mine: Entries) -> Moved:
    place = int(np.searchsorted(at, one.due))
    return Moved(one.due, int(mine["run"][place]), one.before, one.after, one.values, 0)


def as_found(
    before: Sequence[Moved], now: Sequence[Moved], mine: Entries, when: int
) -> list[Moved]:
    """What was found now, each with when it was found first: what lies within a few runs of one
    that was known, and goes the same way, is that one."""
    at = mine["at"].astype(np.int64)
    found = []
    for one in now:
        place = int(np.searchsorted(at, one.at))
        near = [
            other.found
            for other in before
            if abs(int(np.searchsorted(at, other.at)) - place) <= Rule().edge
            and (other.ratio > 1) == (one.ratio > 1)
        ]
        found.append(replace(one, found=min(near, default=when)))
    return found
