"""What the time of day does to response times: without it, each morning of a service that is used
in office hours is a change."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

DAY_S = 86_400
LEAST_DAYS = 3
"""With less of the past nothing is known of the day."""
BY_INTERVAL_S = ((900, 96), (3_600, 24), (10_800, 8))
"""Of what comes at least so often the day has so many parts; of what comes less often, none."""


def daily_profile(
    seconds: NDArray[np.int64], logs: NDArray[np.float64], parts: int
) -> NDArray[np.float64]:
    """What each of so many parts of the day (UTC) adds to the logarithm of a time: medians of the
    parts, less what the median of the 24 hours around them is, smoothed 1-2-1. 0 throughout of
    less than LEAST_DAYS."""
    if not len(seconds) or seconds[-1] - seconds[0] < LEAST_DAYS * DAY_S - 60:
        return np.zeros(parts)
    slots, values = _medians(seconds // (DAY_S // parts), logs)
    rest, part = values - _running_median(slots, values, parts // 2), slots % parts
    profile = np.zeros(parts)
    known, middles = _medians(part, rest)
    profile[known] = middles
    profile = (np.roll(profile, 1) + 2 * profile + np.roll(profile, -1)) / 4
    return _as_far_as_known(profile, rest - profile[part], len(values) / parts)


def _running_median(
    slots: NDArray[np.int64], values: NDArray[np.float64], half: int
) -> NDArray[np.float64]:
    """Of what lies within so many slots of each; there are fewer at the ends and beside gaps."""
    first = np.searchsorted(slots, slots - half)
    last = np.searchsorted(slots, slots + half, side="right")
    found = np.empty(len(values))
    whole = last - first == 2 * half + 1
    if whole.any():
        windows = np.lib.stride_tricks.sliding_window_view(values, 2 * half + 1)
        found[whole] = np.median(windows[first[whole]], axis=1)
    for place in np.flatnonzero(~whole).tolist():
        here = np.sort(values[first[place] : last[place]])
        found[place] = (here[(len(here) - 1) // 2] + here[len(here) // 2]) / 2
    return found


def _as_far_as_known(
    profile: NDArray[np.float64], rest: NDArray[np.float64], days: float
) -> NDArray[np.float64]:
    """Drawn towards none by as much as chance alone would have made of it: the variance of a
    smoothed median of so many days."""
    noise = float(np.median(np.abs(rest))) * 1.4826
    by_chance = noise**2 * (np.pi / 2) * 0.375 / max(days, 1)
    kept = max(0.0, 1 - by_chance / max(float(profile.var()), 1e-12))
    return np.asarray((profile - profile.mean()) * kept)


def added_by(profile: NDArray[np.float64], seconds: NDArray[np.int64]) -> NDArray[np.float64]:
    """What it adds at moments (seconds, UTC), between the middles of its parts."""
    parts = len(profile)
    place = (seconds % DAY_S) / DAY_S * parts - 0.5
    whole = np.floor(place).astype(np.int64)
    beyond = place - whole
    return np.asarray(profile[whole % parts] * (1 - beyond) + profile[(whole + 1) % parts] * beyond)


def _medians(
    slots: NDArray[np.int64], values: NDArray[np.float64]
) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """The median of the values of each slot, in order."""
    order = np.lexsort((values, slots))
    slots, values = slots[order], values[order]
    first = np.flatnonzero(np.append(True, slots[1:] != slots[:-1]))
    number = np.diff(np.append(first, len(slots)))
    middle = (values[first + (number - 1) // 2] + values[first + number // 2]) / 2
    return slots[first], middle


def medians_of(
    seconds: NDArray[np.int64], times: NDArray[np.int64], step_s: int
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Times as one a part of `step_s` seconds: when the part begins, and their median."""
    slots, middle = _medians(seconds // step_s, times.astype(np.float64))
    return slots * step_s, np.rint(middle).astype(np.int64)
