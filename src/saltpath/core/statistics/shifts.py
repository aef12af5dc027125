"""When the level of response times changed, with the moments at which they were taken: less what
the time of day does to them, and without what other days have shown at the same hours (weekends
differ from weekdays)."""

from __future__ import annotations

from math import floor, log10

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from saltpath.core.statistics.change_points import Rule, changes
from saltpath.core.statistics.daily_profile import (
    BY_INTERVAL_S,
    DAY_S,
    LEAST_DAYS,
    added_by,
    daily_profile,
    medians_of,
)

Numbers = NDArray[np.int64]

VALUES = 1_000
"""So many of the last are looked at."""
PART_S = 60
"""Of what comes more often, the medians of such parts are."""
NEEDED_DAYS = 10
"""Of the past, or as many as VALUES take."""
COMPARED_S = DAY_S // 2
"""So long from a shift on its level is held against the same hours of other days."""


class Shift(Struct, frozen=True):
    """From the run that was due then (seconds, UTC) on answers took another time; microseconds."""

    due: int
    before: int
    after: int
    values: int
    """How many have shown it."""
    usual: bool = False
    """Other days had such a level at the same hours."""

    @property
    def ratio(self) -> float:
        return self.after / self.before


def shifts_in(due: Numbers, us: Numbers, every_s: int, rule: Rule) -> list[Shift]:
    """In times (microseconds) that were taken at moments (seconds, UTC), in their order. `every_s`:
    how often they come about. None of what has less than LEAST_DAYS."""
    if not len(due) or due[-1] - due[0] < LEAST_DAYS * DAY_S:
        return []
    if every_s < PART_S:
        due, us = medians_of(due, us, PART_S)
    parts = next((parts for most, parts in BY_INTERVAL_S if every_s <= most), 0)
    last_due, last_us = due[-VALUES:], us[-VALUES:]
    daily = None
    if parts:
        profile = daily_profile(due, np.log(np.maximum(us, 1)), parts)
        daily = added_by(profile, last_due)
    found = changes(last_us, rule, daily)
    ends = [*(one.at for one in found), len(last_us)][1:]
    return [
        Shift(
            int(last_due[one.at]),
            round(one.before),
            round(one.after),
            end - one.at,
            bool(parts) and _is_usual(due, us, last_due[one.at : end], rule),
        )
        for one, end in zip(found, ends, strict=True)
    ]


def _is_usual(due: Numbers, us: Numbers, shown: Numbers, rule: Rule) -> bool:
    """Whether some other day before was about as slow at the hours at which a shift was shown."""
    begin = int(shown[0])
    end = min(int(shown[-1]) + 1, begin + COMPARED_S)

    def level(days: int) -> float:
        here = us[np.searchsorted(due, begin - days) : np.searchsorted(due, end - days)]
        return float(np.median(here)) if len(here) else 0.0

    others = [level(days * DAY_S) for days in range(1, NEEDED_DAYS)]
    return level(0) < max(others) * (1 + rule.effect)


def by_how_much(ratio: float) -> str:
    """`by half`, `by 23 %`, `2.4 times`: how much more (or, below 1, less) it is."""
    if ratio >= 1.95:
        return f"{ratio:.1f} times".replace(".0 times", " times")
    change = abs(ratio - 1)
    return "by half" if 0.45 <= change < 0.55 else f"by {change * 100:.0f} %"


def rounded(us: int, digits: int = 2) -> int:
    """To so many digits that say something."""
    unit: int = 10 ** max(floor(log10(max(us, 1))) - digits + 1, 0)
    return round(us / unit) * unit
