"""When a watch's answers became slower, though its limits may hold, and when they are as quick as
before again: from its response times, less what the time of day does to them.

Who looks each hour has thousands of chances to be wrong: so it takes a clear change, which two
looks agree on, to a level that no other day has shown at these hours (weekends differ from
weekdays), and nothing is said of a watch's first three days.
"""

from __future__ import annotations

from collections.abc import Sequence

from saltpath.core.statistics.change_points import WATCHED
from saltpath.core.statistics.shifts import PART_S, Shift, by_how_much, rounded, shifts_in
from saltpath.core.values.measures import show_duration
from saltpath.core.watching.flags import ANSWERED, FATE_BITS, FATES, MAINTENANCE, OWN_SIDE
from saltpath.core.watching.numbers import Runs

AS_BEFORE = 1.10
"""Within this share of it a level is as it was before."""
FURTHER = 1.25
"""What is slower already became slower again from this share of it on: what is known of the day is
less certain while a change lies in it."""


def shifts(runs: Runs, every_s: int) -> list[Shift]:
    """Of one watch (row 0), in their order. `every_s`: how often it runs about."""
    fate = runs.flag & FATE_BITS
    meant = (runs.flag & (ANSWERED | MAINTENANCE | OWN_SIDE)) == ANSWERED
    meant &= (fate == FATES.index("passed")) | (fate == FATES.index("slow"))
    return shifts_in(runs.due[meant], runs.us[meant], every_s, WATCHED)


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
    took, take = (show_duration(rounded(us)) for us in (shift.before, shift.after))
    return f"Slower {by_how_much(shift.ratio)}: answers took {took}, and take {take}"
