"""When a watch's answers became slower, though its limits may hold, and when they are as quick as
before again: from its response times, less what the time of day does to them.

Who looks each hour has thousands of chances to be wrong: so it takes a clear change, which two
looks agree on, to a level that no other day has shown at these hours (weekends differ from
weekdays), and nothing is said of a watch's first three days.
"""

from __future__ import annotations

from collections.abc import Sequence
from math import floor, log10

import numpy as np
from msgspec import Struct

from saltpath.core.statistics.change_points import WATCHED, changes
from saltpath.core.statistics.daily_profile import (
    BY_INTERVAL_S,
    DAY_S,
    LEAST_DAYS,
    added_by,
    daily_profile,
    medians_of,
)
from saltpath.core.values.measures import show_duration
from saltpath.core.watching.flags import ANSWERED, FATE_BITS, FATES, MAINTENANCE, OWN_SIDE
from saltpath.core.watching.numbers import Numbers, Runs

VALUES = 1_000
"""So many of the last are looked at."""
PART_S = 60
"""Of a watch that runs more often, the medians of such parts are."""
NEEDED_DAYS = 10
"""Of the past, or as many as VALUES take."""
COMPARED_S = DAY_S // 2
"""So long from a shift on its level is held against the same hours of other days."""
AS_BEFORE = 1.10
"""Within this share of it a level is as it was before."""
FURTHER = 1.25
"""What is slower already became slower again from this share of it on: what is known of the day is
less certain while a change lies in it."""


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


def shifts(runs: Runs, every_s: int) -> list[Shift]:
    """Of one watch (row 0), in their order. `every_s`: how often it runs about."""
    fate = runs.flag & FATE_BITS
    meant = (runs.flag & (ANSWERED | MAINTENANCE | OWN_SIDE)) == ANSWERED
    meant &= (fate == FATES.index("passed")) | (fate == FATES.index("slow"))
    due, us = runs.due[meant], runs.us[meant]
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
    found = changes(last_us, WATCHED, daily)
    ends = [*(one.at for one in found), len(last_us)][1:]
    return [
        Shift(
            int(last_due[one.at]),
            round(one.before),
            round(one.after),
            end - one.at,
            bool(parts) and _is_usual(due, us, last_due[one.at : end]),
        )
        for one, end in zip(found, ends, strict=True)
    ]


def _is_usual(due: Numbers, us: Numbers, shown: Numbers) -> bool:
    """Whether some other day before was about as slow at the hours at which a shift was shown."""
    begin = int(shown[0])
    end = min(int(shown[-1]) + 1, begin + COMPARED_S)

    def level(days: int) -> float:
        here = us[np.searchsorted(due, begin - days) : np.searchsorted(due, end - days)]
        return float(np.median(here)) if len(here) else 0.0

    others = [level(days * DAY_S) for days in range(1, NEEDED_DAYS)]
    return level(0) < max(others) * (1 + WATCHED.effect)


def agreed(before: Sequence[Shift], now: Sequence[Shift], every_s: int) -> Shift | None:
    """The last shift, where the look before has found it about there, too."""
    if not now:
        return None
    near, last = near_s(every_s), now[-1]
    there = any(
        abs(one.due - last.due) <= near and (one.ratio > 1) == (last.ratio > 1) for one in before
    )
    return last if there and not (last.usual and last.ratio > 1) else None


def near_s(every_s: int) -> int:
    """Within so many seconds it is the same shift."""
    return WATCHED.edge * max(every_s, PART_S)


def is_as_before(level: int, before: int) -> bool:
    return level <= before * AS_BEFORE


def is_further(level: int, after: int) -> bool:
    return level >= after * FURTHER


def said(shift: Shift) -> str:
    """`Slower by half: answers took 190 ms, and take 290 ms`."""
    took, take = (show_duration(_rounded(us)) for us in (shift.before, shift.after))
    return f"Slower {_by(shift.ratio)}: answers took {took}, and take {take}"


def _by(ratio: float) -> str:
    if ratio >= 1.95:
        return f"{ratio:.1f} times".replace(".0 times", " times")
    return "by half" if 1.45 <= ratio < 1.55 else f"by {(ratio - 1) * 100:.0f} %"


def _rounded(us: int, digits: int = 2) -> int:
    """To so many digits that say something."""
    unit: int = 10 ** max(floor(log10(max(us, 1))) - digits + 1, 0)
    return round(us / unit) * unit
