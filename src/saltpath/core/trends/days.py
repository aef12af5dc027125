"""Suites day by day: how each case ended on each day, what broke and was mended, and what each run
came to.

How a case ended on a day is how its last run of that day did. Runs that were stopped say nothing.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
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
    VERDICTS,
    Entries,
    are_bad,
    groups,
    that_count,
    those,
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
    at = kept["at"].astype(np.int64) << 32 | kept["run"]
    if len(at) and (at[1:] < at[:-1]).any():
        kept = np.take(kept, np.argsort(at, kind="stable"))
    return np.take(kept, np.argsort(kept["case"], kind="stable"))


def by_day(
    ordered: Entries, bounds: Sequence[int], suites: Mapping[int, int]
) -> dict[int, list[Day]]:
    """For each suite a Day between each two bounds. `ordered`: as `in_order` gives them; `suites`:
    the number of each case's suite; cases without one are left out."""
    days = len(bounds) - 1
    case, day = ordered["case"], np.searchsorted(np.array(bounds), ordered["at"], side="right") - 1
    last = np.ones(len(ordered), bool)
    if len(ordered):
        last[:-1] = (case[1:] != case[:-1]) | (day[1:] != day[:-1])
    ordered, day = those(ordered, last), day[last]
    suite, known_suites = _suite_of(ordered, suites)
    there = (day >= 0) & (day < days) & (suite >= 0)
    ordered, place = those(ordered, there), suite[there] * days + day[there]
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
    bad, case = are_bad(ordered), ordered["case"]
    first = np.append(True, case[1:] != case[:-1]) if len(case) else np.zeros(0, bool)
    last = np.append(first[1:], True) if len(case) else first
    begins = np.flatnonzero(bad & (first | np.append(True, ~bad[:-1])[: len(bad)]))
    ends = np.flatnonzero(bad & (last | np.append(~bad[1:], True)[: len(bad)])) + 1
    found = []
    for begin, end in zip(begins.tolist(), ends.tolist(), strict=True):
        one, mended = ordered[begin], not last[end - 1]
        found.append(
            Spell(
                int(one["case"]),
                int(one["at"]),
                int(ordered["at"][end]) if mended else 0,
                end - begin,
                int(one["cause"]),
                int(one["run"]),
                bool(ordered["flags"][end - 1] & KNOWN),
                not first[begin],
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


class Counted(Struct, frozen=True):
    """What one case came to."""

    checks: int
    runs: int
    by_verdict: tuple[int, ...]
    verdict: int
    """Of its last run."""
    known: bool
    """Its last run was bad, and somebody knew."""


def by_case(ordered: Entries) -> dict[int, Counted]:
    """Of entries as `in_order` gives them."""
    found: dict[int, Counted] = {}
    begins = list(groups(ordered["case"]))
    place = np.repeat(np.arange(len(begins)), [end - begin for begin, end in begins])
    verdicts = ordered["verdict"].astype(np.int64)
    size = len(VERDICTS)
    counts = np.bincount(place * size + verdicts, minlength=len(begins) * size)
    for number, (begin, end) in enumerate(begins):
        one = ordered[end - 1]
        found[int(one["case"])] = Counted(
            int(one["checks"]),
            end - begin,
            tuple(counts[number * size : (number + 1) * size].tolist()),
            int(one["verdict"]),
            bool(one["flags"] & KNOWN) and int(one["verdict"]) in (FAILED, BLOCKED),
        )
    return found


def totals(counted: Iterable[Counted], broken: Sequence[Spell], begin: int, end: int) -> Totals:
    """Of some cases and their spells, within a stretch (seconds, UTC)."""
    cases = list(counted)
    mended = [one for one in broken if one.ended and begin <= one.ended < end]
    bad = [one for one in cases if one.verdict in (FAILED, BLOCKED)]

    def times(verdict: int) -> int:
        return sum(one.by_verdict[verdict] for one in cases)

    return Totals(
        len(cases),
        sum(one.checks for one in cases),
        sum(one.runs for one in cases),
        times(PASSED),
        times(FAILED),
        times(BLOCKED),
        sum(not one.known for one in bad),
        sum(one.known for one in bad),
        sum(one.verdict == UNCHECKED for one in cases),
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
