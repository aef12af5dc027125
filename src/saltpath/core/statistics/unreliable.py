"""Whether a verdict turns bad and good again with nothing changed, and how often.

What counts is brief spells of bad runs between good ones that touch no change: k of them (those
close together once) among m good runs. Unreliable from three on, where the lower limit of their
rate, the 5th percentile of Beta(k + 1/2, m - k + 1/2) (Jeffreys' prior; Brown, Cai and DasGupta
2001), lies above one in a hundred. So a hiccup, an outage, and a case that is broken for good are
none. Bad runs that all lie closer together than chance would have them were an episode: the range
of so many places drawn evenly.

docs/development/decisions/trends.md has what was measured: false claims, what is found, how often
the intervals hold the truth.
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache
from typing import Literal

import numpy as np
from msgspec import Struct
from msgspec.structs import replace
from numpy.typing import NDArray

Flags = NDArray[np.bool_]
Judgement = Literal["unreliable", "episode", "too few", "reliable"]

BRIEF = 2
"""So many bad runs in a row may be chance."""
FEWEST = 3
"""Spells; with fewer nothing can be told from hiccups."""
APART = 5
"""Spells with fewer runs between them are one."""
LEAST_RATE = 0.01
SURE = 0.95
BY_CHANCE = 0.01
"""A longer or denser row of bad runs than comes so seldom by chance is none of it."""
OF_EPISODE = 5
"""Bad runs of an episode that would not be unreliable even if they lay apart."""
EPISODE = 60
"""What has gone on for more runs than this is an episode no more."""
ENOUGH_GOOD = 59
"""Runs in a row without a bad one: it fails less often than one in twenty, with 95 % of certainty.
With fewer, nothing can be said."""


class Reliability(Struct, frozen=True):
    """What so many runs say of a case."""

    judgement: Judgement
    runs: int
    """That were looked at: from `since` on, those that can be held against it."""
    bad: int
    """Of them those that were bad by chance: in brief spells with nothing changed."""
    spells: int
    low: float
    """The rate of bad runs, from here ..."""
    high: float
    """... to here, with 95 % of certainty (Jeffreys' interval)."""
    since: int = 0
    """The index of the run from which on it is judged."""
    places: tuple[int, ...] = ()
    """The indexes of the bad runs."""


class _Spell(Struct, frozen=True):
    begin: int
    end: int

    @property
    def length(self) -> int:
        return self.end - self.begin


def reliability(bad: Flags, changes: Iterable[int] = ()) -> Reliability:
    """Of the runs of one case in one place, in their order. `changes`: the indexes of runs before
    which the case, the build or the environment was changed."""
    at = np.array(sorted(changes), np.int64)
    found = _judged(bad, at, 0)
    if not _is_dense(found):
        return found
    first, last = found.places[0], found.places[-1]
    usual = (last - first + 1) / len(found.places)
    if len(bad) - 1 - last <= 3 * usual and len(bad) - first > EPISODE:
        lately = _judged(bad, at, first)
        if lately.judgement == "unreliable":
            return lately
    return replace(found, judgement="episode")


def all_good(runs: int) -> Reliability:
    """The same of so many runs of which none was bad."""
    judgement: Judgement = "reliable" if runs >= ENOUGH_GOOD else "too few"
    return Reliability(judgement, runs, 0, 0, *_all_good(runs))


@lru_cache(maxsize=1_024)
def _all_good(runs: int) -> tuple[float, float]:
    return interval(0, runs)


def _judged(bad: Flags, changes: NDArray[np.int64], since: int) -> Reliability:
    spells = _spells(bad, changes, since)
    brief = [one for one in spells if one.length <= BRIEF]
    episodes = 0
    end = -APART - 1
    for one in brief:
        episodes += one.begin - end >= APART
        end = one.end
    good = int((~bad[since:]).sum())
    low = _limit(1 - SURE, episodes, good) if episodes else 0.0
    counted = _plausible(spells, len(bad) - since)
    places = tuple(place for one in counted for place in range(one.begin, one.end))
    runs = good + len(places)
    most = _limit(SURE, episodes, good)
    judgement: Judgement = "too few"
    if episodes >= FEWEST and low > LEAST_RATE:
        judgement = "unreliable"
    elif good >= ENOUGH_GOOD and (not episodes or most < 2 * LEAST_RATE):
        judgement = "reliable"
    return Reliability(
        judgement,
        runs,
        len(places),
        episodes,
        *interval(len(places), runs),
        since,
        places,
    )


def _spells(bad: Flags, changes: NDArray[np.int64], since: int) -> list[_Spell]:
    """Rows of bad runs between good ones that touch no change."""
    edge = np.diff(np.concatenate(([0], bad[since:].astype(np.int8), [0])))
    begins = (np.flatnonzero(edge == 1) + since).tolist()
    ends = (np.flatnonzero(edge == -1) + since).tolist()
    found = []
    for begin, end in zip(begins, ends, strict=True):
        whole = (begin > 0) and end < len(bad)
        # a change before the first of them, within, or before the first good one after them
        touched = np.searchsorted(changes, end, side="right") > np.searchsorted(changes, begin)
        if whole and not touched:
            found.append(_Spell(begin, end))
    return found


def _plausible(spells: list[_Spell], runs: int) -> list[_Spell]:
    """Those no longer than chance makes them: of what is bad every second time, three in a row are
    no outage."""
    longest = BRIEF
    while True:
        counted = [one for one in spells if one.length <= longest]
        bad = sum(one.length for one in counted)
        rate = bad / max(runs - sum(one.length for one in spells) + bad, 1)
        # so often would one at least so long come among so many
        by_chance = rate**longest * max(len(counted), 1)
        if by_chance < BY_CHANCE or longest >= 40 or len(counted) == len(spells):
            return counted
        longest += 1


def _is_dense(found: Reliability) -> bool:
    """Whether its bad runs lie closer together than chance would have it: the range of so many
    places drawn evenly."""
    number = len(found.places)
    if number < (FEWEST if found.judgement == "unreliable" else OF_EPISODE):
        return False
    share = (found.places[-1] - found.places[0] + 1) / found.runs
    if share >= 1:
        return False
    by_chance: float = number * share ** (number - 1) - (number - 1) * share**number
    return by_chance < BY_CHANCE


def interval(bad: int, runs: int, sure: float = 0.95) -> tuple[float, float]:
    """The rate of which so many in so many came, by Jeffreys: from, to."""
    if not runs:
        return 0.0, 1.0
    tail = (1 - sure) / 2
    low = _limit(tail, bad, runs) if bad else 0.0
    high = _limit(1 - tail, bad, runs) if bad < runs else 1.0
    return low, high


def _limit(share: float, some: int, of: int) -> float:
    """A quantile of Beta(k + 1/2, n - k + 1/2)."""
    from scipy.special import betaincinv  # it takes its time to load

    return float(betaincinv(some + 0.5, max(of - some, 0) + 0.5, share))
