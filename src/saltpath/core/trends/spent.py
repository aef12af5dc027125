"""What the time of runs is spent on, and what running cases side by side would save."""

from __future__ import annotations

import heapq
from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from saltpath.core.statistics.histogram import rank
from saltpath.core.trends.entries import Entries, groups, those
from saltpath.core.trends.lines import Phases, phases

SIDE_BY_SIDE = (1, 2, 4, 8)


class Spent(Struct, frozen=True):
    """What a series came to over a stretch. `us`: in all; `median`, `p95`: of its runs;
    microseconds, `size`: its largest answer, octets."""

    series: int
    number: int
    bad: int
    us: int
    median: int
    p95: int
    size: int
    phases: Phases | None


def spent(steps: Entries) -> list[Spent]:
    """On each series that has a time, most first."""
    steps = np.take(steps, np.argsort(steps["series"], kind="stable"))
    found = []
    for begin, end in groups(steps["series"]):
        mine = steps[begin:end]
        timed = those(mine, mine["timed"] > 0)
        if len(timed):
            found.append(
                Spent(
                    int(mine["series"][0]),
                    int(mine["number"].sum()),
                    int(mine["bad"].sum()),
                    int(mine["sum"].sum()),
                    _at(timed["median"], 0.5),
                    _at(timed["p95"], 0.95),
                    int(mine["size"].max()),
                    phases(timed),
                )
            )
    return sorted(found, key=lambda one: (-one.us, one.series))


def _at(values: Entries, share: float) -> int:
    return int(np.sort(values)[rank(share, len(values)) - 1])


def side_by_side(lengths: Sequence[int]) -> list[tuple[int, int]]:
    """How long these cases take together with so many at once, each taken up by who is free first,
    in their order: (how many, microseconds), up to as many as there are cases."""
    found = []
    for jobs in SIDE_BY_SIDE:
        if jobs > max(len(lengths), 1):
            break
        free = [0] * jobs
        for us in lengths:
            heapq.heapreplace(free, free[0] + us)
        found.append((jobs, max(free)))
    return found
