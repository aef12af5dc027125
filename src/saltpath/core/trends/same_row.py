"""Whether it is always the same row of a case that goes wrong in the runs in which it was bad by
chance.

If rows went wrong at random, a row would be among the bad ones of each run with the share of that
run's rows that were bad, so that the number of runs in which it is follows the Poisson binomial
distribution. What is said is that a row was bad in more runs than chance would have it for any row:
Bonferroni's bound over all rows.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from msgspec import Struct

from saltpath.core.statistics.in_common import ALPHA, FEWEST


class RowsOfRun(Struct, frozen=True):
    """The rows of one run of a case: how many there were, and the numbers of the bad ones."""

    number: int
    bad: Sequence[int]


class SameRow(Struct, frozen=True):
    """A row (its number) that was bad in so many of so many runs; the most rows that a run had."""

    row: int
    runs: int
    of: int
    rows: int


def same_row(runs: Sequence[RowsOfRun]) -> SameRow | None:
    """The row that was bad in most of these runs; None where that may as well be chance."""
    runs = [one for one in runs if one.bad]
    often = Counter(row for one in runs for row in set(one.bad)).most_common(1)
    if not often or often[0][1] < FEWEST:
        return None
    row, number = often[0]
    rows = max(one.number for one in runs)
    chance = _at_least(number, [min(len(set(one.bad)) / one.number, 1.0) for one in runs])
    return SameRow(row, number, len(runs), rows) if rows * chance <= ALPHA else None


def _at_least(number: int, shares: Sequence[float]) -> float:
    """The chance that at least so many of independent events come, each with its own share."""
    exactly = [1.0]
    for share in shares:
        exactly = [
            none * (1 - share) + one * share
            for none, one in zip([*exactly, 0.0], [0.0, *exactly], strict=True)
        ]
    return sum(exactly[number:])
