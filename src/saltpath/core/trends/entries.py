"""What is kept of a run for years: an entry for each case, and one for each thing whose times are
followed. Arrays of structured octets, little endian, as they are stored; a layout that changes gets
a number of its own, since what is stored is read for ever."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from itertools import pairwise
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from saltpath.core.values.verdicts import Verdict

LAYOUT = 1
VERDICTS: tuple[Verdict, ...] = ("passed", "failed", "blocked", "unchecked", "skipped")
"""By the numbers that stand in an entry."""
PASSED, FAILED, BLOCKED, UNCHECKED, SKIPPED = range(5)

KNOWN = 1
"""All that went wrong was known then."""
OURS = 2
"""It was stopped, or interrupted: it says nothing of the case."""
OF_HOST = 4
"""Nobody answered at all: it says nothing of the case alone."""

CASE = np.dtype(
    [
        ("case", "<u4"),
        ("run", "<u4"),
        ("at", "<u4"),
        ("version", "<u4"),
        ("checks", "<u4"),
        ("rows", "<u4"),
        ("bad_rows", "<u4"),
        ("cause", "<u4"),
        ("begun", "<u4"),
        ("us", "<u8"),
        ("verdict", "u1"),
        ("flags", "u1"),
        ("position", "<u2"),
    ]
)
"""How a case ended in a run: when the run was asked for (seconds UTC), how many milliseconds later
the case began, how many microseconds it took, the checks that it has, how many rows there were and
how many were bad (1 of a case without rows), the number of what was first wrong (0: nothing), and
where it stands in its run."""

STEP = np.dtype(
    [
        ("series", "<u4"),
        ("run", "<u4"),
        ("at", "<u4"),
        ("number", "<u4"),
        ("bad", "<u4"),
        ("timed", "<u4"),
        ("median", "<u4"),
        ("p95", "<u4"),
        ("sum", "<u8"),
        ("size", "<u4"),
        ("connecting", "u1"),
        ("waiting", "u1"),
        ("receiving", "u1"),
        ("free", "u1"),
    ]
)
"""What a step (or what several have in common: a host, an operation, shared steps) took in a run,
over all rows: how often it was carried out, how often it was bad, of how many there is a time;
microseconds, each at most 71 minutes; the largest answer in octets; what the phases were of the
whole, in 255ths, of a few that were looked at (all 0: of none)."""

Entries = NDArray[Any]
"""Of CASE or STEP."""
What = Literal["case", "step"]
DTYPES: dict[What, np.dtype[Any]] = {"case": CASE, "step": STEP}
MOST = np.iinfo(np.uint32).max


def read(what: What, stored: bytes | bytearray) -> Entries:
    """Stored entries, one after the other."""
    return np.frombuffer(stored, DTYPES[what])


def those(entries: Entries, which: NDArray[np.bool_]) -> Entries:
    """Of some entries those that are marked. (A mask as an index takes several times as long.)"""
    return entries if which.all() else np.take(entries, np.flatnonzero(which))


def only(steps: Entries, series: Collection[int]) -> Entries:
    """The entries of some series."""
    if not len(steps) or not series:
        return steps[:0]
    of_each = steps["series"]
    wanted = np.zeros(max(int(of_each.max()), *series) + 1, bool)
    wanted[list(series)] = True
    return those(steps, wanted[of_each])


def in_series(steps: Entries) -> Entries:
    """Those of each series one after the other, in the order of their runs."""
    return np.take(steps, np.lexsort((steps["run"], steps["at"], steps["series"])))


def groups(values: Entries) -> Iterator[tuple[int, int]]:
    """From where to where the same value stands, of values in their order."""
    if len(values):
        begins = np.flatnonzero(np.append(True, values[1:] != values[:-1])).tolist()
        yield from pairwise([*begins, len(values)])


def are_bad(cases: Entries) -> NDArray[np.bool_]:
    found: NDArray[np.bool_] = (cases["verdict"] == FAILED) | (cases["verdict"] == BLOCKED)
    return found


def that_count(cases: Entries) -> Entries:
    """Without those that say nothing of their case."""
    return those(cases, (cases["flags"] & OURS == 0) & (cases["verdict"] != SKIPPED))
