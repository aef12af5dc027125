"""Two sets of runs held against each other: what became slower or quicker, which cases pass less
often or more, each with an interval, and said only where these runs can show it.

The ratio of times is the median of all ratios of one of each (Hodges and Lehmann 1963), with the
interval of the rank sum test on logarithms; the difference of two shares has Newcombe's hybrid
score interval (1998, method 10). Many things are held against each other at once, so each claim is
made at a level of 5 % over their number (Bonferroni).
"""

from __future__ import annotations

from collections.abc import Iterable
from math import exp, sqrt
from statistics import NormalDist

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from saltpath.core.trends.changes import by_series
from saltpath.core.trends.entries import Entries, are_bad

Medians = dict[int, NDArray[np.uint32]]
"""Microseconds, by the number of the series, of its runs in their order."""
LEVEL = 0.05
FEWEST = 5
"""Runs on each side; with fewer nothing is said of times."""
MOST = 400
"""Of each side, evenly taken: the interval hardly gets closer with more."""
LEAST = 0.03
"""A smaller change is none that matters."""


class Times(Struct, frozen=True):
    """Of a series: how many runs there were, their medians in microseconds, how many times as long
    the second took, from where to where (95 %), and whether it is clear, among so many, that it
    differs."""

    series: int
    runs: tuple[int, int]
    before: int
    after: int
    ratio: float
    low: float
    high: float
    clear: bool


class Shares(Struct, frozen=True):
    """Of a case: runs, those that passed, by how much the share differs, from where to where, and
    whether that is clear."""

    case: int
    runs: tuple[int, int]
    passed: tuple[int, int]
    difference: float
    low: float
    high: float
    clear: bool


def medians(steps: Entries) -> Medians:
    """Of each series those of its runs."""
    return {series: mine["median"].copy() for series, mine in by_series(steps)}


def times(before: Medians, after: Medians) -> list[Times]:
    """Of each series that has FEWEST runs on both sides, the greatest change first."""
    both = [
        (series, before[series], mine)
        for series, mine in after.items()
        if series in before and min(len(before[series]), len(mine)) >= FEWEST
    ]
    found = [_times(*one, len(both)) for one in both]
    return sorted(found, key=lambda one: (not one.clear, -abs(np.log(one.ratio)), one.series))


def _times(series: int, before: Entries, after: Entries, among: int) -> Times:
    a, b = _thinned(np.log(np.maximum(before, 1))), _thinned(np.log(np.maximum(after, 1)))
    apart = np.sort(np.subtract.outer(b, a), axis=None)
    middle = float(np.median(apart))
    low, high = _limits(apart, len(a), len(b), LEVEL)
    surely = _limits(apart, len(a), len(b), LEVEL / among)
    ratio = exp(middle)
    clear = (surely[0] > 0 or surely[1] < 0) and abs(ratio - 1) >= LEAST
    return Times(
        series,
        (len(before), len(after)),
        round(float(np.median(before))),
        round(float(np.median(after))),
        ratio,
        exp(low),
        exp(high),
        clear,
    )


def _thinned(values: Entries) -> Entries:
    if len(values) <= MOST:
        return values
    some: Entries = values[np.linspace(0, len(values) - 1, MOST).astype(int)]
    return some


def _limits(apart: Entries, a: int, b: int, level: float) -> tuple[float, float]:
    """Of the median difference, from all differences in their order."""
    z = NormalDist().inv_cdf(1 - level / 2)
    beyond = a * b / 2 - z * sqrt(a * b * (a + b + 1) / 12)
    place = int(beyond)
    if place < 0:
        return -float("inf"), float("inf")
    return float(apart[place]), float(apart[len(apart) - 1 - place])


def shares(before: Entries, after: Entries) -> list[Shares]:
    """Of each case that ran on both sides, the clear ones first, then the greatest difference. Of
    entries that count."""
    counted = dict(_counted(before))
    both = [(case, counted[case], mine) for case, mine in _counted(after) if case in counted]
    found = []
    for case, (n, passed), (m, did) in both:
        low, high = newcombe(passed, n, did, m, LEVEL)
        least, most = newcombe(passed, n, did, m, LEVEL / len(both))
        clear = least > 0 or most < 0
        difference = did / m - passed / n
        found.append(Shares(case, (n, m), (passed, did), difference, low, high, clear))
    return sorted(found, key=lambda one: (not one.clear, -abs(one.difference), one.case))


def _counted(cases: Entries) -> Iterable[tuple[int, tuple[int, int]]]:
    ids, which = np.unique(cases["case"], return_inverse=True)
    runs = np.bincount(which, minlength=len(ids)).tolist()
    bad = np.bincount(which[are_bad(cases)], minlength=len(ids)).tolist()
    for case, number, wrong in zip(ids.tolist(), runs, bad, strict=True):
        yield case, (number, number - wrong)


def newcombe(some: int, of: int, others: int, among: int, level: float) -> tuple[float, float]:
    """The interval of the second share less the first."""
    first, second = some / of, others / among
    low_1, high_1 = wilson(some, of, level)
    low_2, high_2 = wilson(others, among, level)
    apart = second - first
    return (
        apart - sqrt((second - low_2) ** 2 + (high_1 - first) ** 2),
        apart + sqrt((high_2 - second) ** 2 + (first - low_1) ** 2),
    )


def wilson(some: int, of: int, level: float) -> tuple[float, float]:
    """The score interval of a share."""
    z = NormalDist().inv_cdf(1 - level / 2)
    share = some / of
    middle = (share + z * z / (2 * of)) / (1 + z * z / of)
    half = z * sqrt(share * (1 - share) / of + z * z / (4 * of * of)) / (1 + z * z / of)
    low = middle - half if some else 0.0
    return max(low, 0.0), min(middle + half, 1.0) if some < of else 1.0
