"""How fast a watch uses up its allowance: its burn rate, the share of the time in which it was bad
over the share in which it may be. At 1 the allowance just lasts.

People are told when it is high over a long and a short stretch at once: the long one shows that it
matters, the short one that it still goes on. A single hiccup tells nobody (at least three bad runs
in the long one), nor does what was told as an outage already.
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from msgspec import Struct

from saltpath.core.values.measures import counted
from saltpath.core.watching.alerts import lasting
from saltpath.core.watching.flags import OWN_SIDE
from saltpath.core.watching.hours import Span
from saltpath.core.watching.numbers import Before, Numbers, Runs, is_bad, last_of, seconds

HOUR_S = 3_600


class Pair(Struct, frozen=True):
    """Two stretches up to now (seconds), and the rate over both that people are told of."""

    long_s: int
    short_s: int
    rate: float
    told: bool = True
    """False: it is shown, and nobody is told: over days a few hiccups make it go up and down."""


PAIRS = (
    Pair(HOUR_S, 300, 14.4),
    Pair(6 * HOUR_S, 1_800, 6.0),
    Pair(72 * HOUR_S, 6 * HOUR_S, 1.0, told=False),
)
TOLD = tuple(pair for pair in PAIRS if pair.told)
LEAST_BAD = 3
"""Runs in the long stretch."""
OVER_BELOW = 0.5
"""It is over when the rates over the long stretches are below this share of those that people are
told of."""


class Burn(Struct, frozen=True):
    """How fast it is over a pair's two stretches, and how many bad runs the long one has."""

    pair: Pair
    long: float
    short: float
    bad: int
    first_bad: int
    """When the first of them was due (seconds, UTC); 0 of none."""

    @property
    def high(self) -> bool:
        return min(self.long, self.short) >= self.pair.rate and self.bad >= LEAST_BAD


def burns(
    runs: Runs, before: Before, share: float, now: int, pairs: tuple[Pair, ...] = PAIRS
) -> list[Burn]:
    """Of one watch (row 0) that promises a share of the time: its runs over the longest of the
    stretches up to now (seconds, UTC), and the last one before."""
    found = []
    for pair in pairs:
        bad = runs.due[(runs.due >= now - pair.long_s) & (runs.due < now) & is_bad(runs.flag)]
        found.append(
            Burn(
                pair,
                _rate(runs, before, share, now - pair.long_s, now),
                _rate(runs, before, share, now - pair.short_s, now),
                len(bad),
                int(bad[0]) if len(bad) else 0,
            )
        )
    return found


def _rate(runs: Runs, before: Before, share: float, begin: int, end: int) -> float:
    earlier = last_of(runs.chosen(runs.due < begin), before)
    here = runs.chosen((runs.due >= begin) & (runs.due < end))
    good, bad, _ = (int(one[0]) for one in seconds(here, earlier, begin, end))
    return bad / (good + bad) / (1 - share) if bad else 0.0


def without(runs: Runs, before: Before, outages: Iterable[Span]) -> tuple[Runs, Before]:
    """The same, but that those which were due in outages (seconds) count neither way."""
    spans = list(outages)

    def marked(due: Numbers, flag: Numbers) -> Numbers:
        told = np.zeros(len(due), bool)
        for begin, end in spans:
            told |= (due >= begin) & (due < end)
        return np.where(told, flag | OWN_SIDE, flag)

    return (
        Runs(runs.row, runs.due, marked(runs.due, runs.flag), runs.us, runs.late),
        Before(before.due, marked(before.due, before.flag)),
    )


def too_high(found: Iterable[Burn]) -> Burn | None:
    """What people are told of: the first pair that is too high."""
    return next((one for one in found if one.pair.told and one.high), None)


def is_over(found: Iterable[Burn]) -> bool:
    """Whether what people were told of is so no more, by far."""
    return all(
        one.long < one.pair.rate * OVER_BELOW or one.bad < LEAST_BAD
        for one in found
        if one.pair.told
    )


def said(burn: Burn, period_s: int) -> str:
    """`7 bad runs in the last 1 h use its allowance up 20 times as fast as it may be; the whole of
    it would last 36 h`. `period_s`: over which it has the allowance."""
    times = f"{burn.long:.0f}" if burn.long >= 10 else f"{burn.long:.1f}"
    bad, over = counted(burn.bad, "bad run"), lasting(burn.pair.long_s)
    lasts = lasting(round(period_s / burn.long))
    return (
        f"{bad} in the last {over} use its allowance up {times} times as fast as it may be; the "
        f"whole of it would last {lasts}"
    )
