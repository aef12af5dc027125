"""Suites day by day: how each case ended on each day, what broke and was mended, and what each run
came to.

How a case ended on a day is how its last run of that day did. Runs that were stopped say nothing.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime, timedelta, tzinfo

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from saltpath.core.statistics.histogram import exact_percentile
from saltpath.core.trends.entries import (
    BLOCKED,
    FAILED,
    KNOWN,
    PASSED,
    UNCHECKED,
    Entries,
    are_bad,
    groups,
    that_count,
)

Numbers = NDArray[np.int64]


def days_between(begin: int, end: int, zone: tzinfo) -> list[int]:
    """Where each day begins that has a part in a stretch, and where the last one ends; seconds
    UTC."""
    day = datetime.fromtimestamp(begin, UTC).astimezone(zone).date()
    found: list[int] = []
    while True:
        at = datetime(day.year, day.month, day.day, tzinfo=zone)
        found.append(round(at.timestamp()))
        if found[-1] >= end:
            return found
        day += timedelta(days=1)


class Day(Struct, frozen=True):
    """How the cases that ran on a day had ended by its end."""

    cases: int = 0
    bad: int = 0
    """And nobody knew."""
    known: int = 0
    unchecked: int = 0


def in_order(cases: Entries) -> Entries:
    """Those that count, each case's one after the other."""
    kept = that_count(cases)
    return kept[np.lexsort((kept["run"], kept["at"], kept["case"]))]


def by_day(
    ordered: Entries, bounds: Sequence[int], suites: Mapping[int, int]
) -> dict[int, list[Day]]:
    """For each suite a Day between each two bounds. `ordered`: as `in_order` gives them; `suites`:
    the number of each case's suite; cases without one are left out."""
    days = len(bounds) - 1
    day = np.searchsorted(np.array(bounds), ordered["at"], side="right") - 1
    suite, known_suites = _suite_of(ordered, suites)
    there = (day >= 0) & (day < days) & (suite >= 0)
    ordered, day, suite = ordered[there], day[there], suite[there]
    last = np.ones(len(ordered), bool)
    if len(ordered):
        same = (ordered["case"][1:] == ordered["case"][:-1]) & (day[1:] == day[:-1])
        last[:-1] = ~same
    ordered, place = ordered[last], suite[last] * days + day[last]
    bad, is_known = are_bad(ordered), (ordered["flags"] & KNOWN) != 0
    size = len(known_suites) * days

    def counted(which: NDArray[np.bool_]) -> list[int]:
        found: list[int] = np.bincount(place[which], minlength=size).tolist()
        return found

    columns = zip(
        counted(np.ones(len(ordered), bool)),
        counted(bad & ~is_known),
        counted(bad & is_known),
        counted(ordered["verdict"] == UNCHECKED),
        strict=True,
    )
    every = [Day(*column) for column in columns]
    return {suite: every[n * days : (n + 1) * days] for n, suite in enumerate(known_suites)}


def _suite_of(cases: Entries, suites: Mapping[int, int]) -> tuple[Numbers, list[int]]:
    """The place of each entry's suite among the suites (-1: it has none), and these."""
    known = sorted(set(suites.values()))
    place = {suite: n for n, suite in enumerate(known)}
    ids, which = np.unique(cases["case"], return_inverse=True)
    of_case = [place[suites[id]] if id in suites else -1 for id in ids.tolist()]
    return np.array(of_case, np.int64)[which], known


# ---- what broke, and was mended


class Spell(Struct, frozen=True):
    """A row of bad runs of a case. `began`, `ended`: when its first bad run, and the first good one
    after it, were asked for (seconds, UTC; 0: none yet); `cause`: the number of the first one's."""

    case: int
    began: int
    ended: int
    runs: int
    cause: int
    run: int
    """The first bad one."""
    known: bool
    """The last bad one was."""
    broke: bool
    """A run before it was good; else it was bad as far as one looks back."""


def spells(ordered: Entries) -> list[Spell]:
    """Of entries as `in_order` gives them."""
    found: list[Spell] = []
    for begin, end in groups(ordered["case"]):
        found += _spells(ordered[begin:end])
    return found


def _spells(mine: Entries) -> list[Spell]:
    edge = np.diff(np.concatenate(([0], are_bad(mine).astype(np.int8), [0])))
    found = []
    for begin, end in zip(
        np.flatnonzero(edge == 1).tolist(), np.flatnonzero(edge == -1).tolist(), strict=True
    ):
        first, last = mine[begin], mine[end - 1]
        found.append(
            Spell(
                int(first["case"]),
                int(first["at"]),
                int(mine["at"][end]) if end < len(mine) else 0,
                end - begin,
                int(first["cause"]),
                int(first["run"]),
                bool(last["flags"] & KNOWN),
                begin > 0,
            )
        )
    return found


class Totals(Struct, frozen=True):
    """What a suite came to over a stretch."""

    cases: int
    """That ran."""
    checks: int
    """That these have, as each ran last."""
    runs: int
    """Of cases."""
    passed: int
    failed: int
    blocked: int
    bad_now: int
    """Cases whose last run was bad, and nobody knew."""
    known_now: int
    unchecked_now: int
    broke: int
    """Spells that began."""
    mended: int
    """Spells that ended."""
    to_mend: int | None
    """The median of their lengths, seconds; None of none."""


def totals(ordered: Entries, broken: Sequence[Spell], begin: int, end: int) -> Totals:
    """Of the entries of one suite, and its spells, within a stretch (seconds, UTC)."""
    last = np.ones(len(ordered), bool)
    if len(ordered):
        last[:-1] = ordered["case"][1:] != ordered["case"][:-1]
    now = ordered[last]
    bad, is_known = are_bad(now), (now["flags"] & KNOWN) != 0
    mended = [one for one in broken if one.ended and begin <= one.ended < end]
    verdict = ordered["verdict"]
    return Totals(
        len(now),
        int(now["checks"].sum()),
        len(ordered),
        int((verdict == PASSED).sum()),
        int((verdict == FAILED).sum()),
        int((verdict == BLOCKED).sum()),
        int((bad & ~is_known).sum()),
        int((bad & is_known).sum()),
        int((now["verdict"] == UNCHECKED).sum()),
        sum(one.broke and begin <= one.began < end for one in broken),
        len(mended),
        exact_percentile((one.ended - one.began for one in mended if one.broke), 0.5),
    )


class Cycle(Struct, frozen=True):
    """What a run came to, of the cases that are looked at."""

    run: int
    at: int
    cases: int
    passed: int
    failed: int
    blocked: int
    unchecked: int


def cycles(cases: Entries) -> list[Cycle]:
    """Each run of these entries, the newest first."""
    kept = that_count(cases)
    runs, first, which = np.unique(kept["run"], return_index=True, return_inverse=True)

    def counted(verdict: int) -> list[int]:
        here = which[kept["verdict"] == verdict]
        found: list[int] = np.bincount(here, minlength=len(runs)).tolist()
        return found

    columns = zip(
        runs.tolist(),
        kept["at"][first].tolist(),
        np.bincount(which, minlength=len(runs)).tolist(),
        counted(PASSED),
        counted(FAILED),
        counted(BLOCKED),
        counted(UNCHECKED),
        strict=True,
    )
    return sorted((Cycle(*column) for column in columns), key=lambda one: (-one.at, -one.run))
