"""What is said of the runs of many watches over a stretch of time, from the runs themselves: how
often, how long good and bad, how fast.

A run's fate holds from when it was due to when the next one was. Moments are whole seconds, UTC;
response times microseconds. Watches stand as numbers from 0 (`row`), so that all are worked out at
once; a percentile is the time of rank ceil(q n).
"""

from __future__ import annotations

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from saltpath.core.statistics.histogram import BUCKETS, EDGES
from saltpath.core.watching.flags import ANSWERED, FATE_BITS, FATES, MAINTENANCE, OWN_SIDE

Numbers = NDArray[np.int64]
PACKED = np.dtype([("due", "<u2"), ("late", "<u2"), ("flag", "u1"), ("us", "<u4")])
"""A run in a block of an hour: seconds in the hour, milliseconds late, flag, microseconds."""
SUMS = np.dtype(
    [(name, "<u4") for name in ("runs", "bad", "failed", "blocked", "slow", "unchecked")]
    + [
        (name, "<u4")
        for name in ("interrupted", "skipped", "missed", "good_s", "bad_s", "left_s", "latest_ms")
    ]
    + [("answered", "<u4"), ("low", "<u4"), ("median", "<u4"), ("p95", "<u4"), ("high", "<u4")]
    + [("sum", "<u8"), ("last_due", "<u4"), ("last_flag", "u1"), ("entries", "<u4")]
)
"""Of one watch over a stretch. `bad`: those that are held against it, which those in agreed
maintenance and on our own side are not; `left_s`: seconds that count neither way; `low` to `sum`:
of its response times; `last_due`, `last_flag`: of its last run up to the end (0: it never ran);
`entries`: how many its histogram has."""
POINT = np.dtype(
    [("runs", "<u2"), ("bad", "<u2"), ("blocked", "<u2"), ("median", "<u4"), ("p95", "<u4")]
)
"""A point of a watch's line; `blocked`: of the bad ones those without an answer."""
ADDED = (*(SUMS.names or ())[:12], "answered", "sum")
"""What of two stretches is added."""
_PASSED, _FAILED, _BLOCKED, _UNCHECKED, _UNWATCHED, _SLOW, _SKIPPED, _INTERRUPTED = range(8)
assert FATES[_SLOW] == "slow" and FATES[_UNWATCHED] == "unwatched"
_WIDE = 36


class Runs(Struct, frozen=True):
    """Runs of many watches, by watch, then in the order in which they were due; columns of one
    length."""

    row: Numbers
    due: Numbers
    flag: Numbers
    us: Numbers
    late: Numbers
    """Milliseconds."""

    def __len__(self) -> int:
        return len(self.row)

    def chosen(self, which: NDArray[np.bool_]) -> Runs:
        return Runs(*(getattr(self, name)[which] for name in self.__struct_fields__))

    @property
    def fate(self) -> Numbers:
        return self.flag & FATE_BITS


class Before(Struct, frozen=True):
    """The last run of each watch before a stretch: when it was due (0: there was none) and its
    flag, by row."""

    due: Numbers
    flag: Numbers


def ordered(row: Numbers, due: Numbers, flag: Numbers, us: Numbers, late: Numbers) -> Runs:
    """Runs as they come, in their order. What is due at one second stays in the order given."""
    order = np.argsort(row << _WIDE | due, kind="stable")
    return Runs(row[order], due[order], flag[order], us[order], late[order])


def nothing_before(watches: int) -> Before:
    return Before(np.zeros(watches, np.int64), np.zeros(watches, np.int64))


def is_bad(flag: Numbers) -> NDArray[np.bool_]:
    """Which are held against what is watched."""
    fate = flag & FATE_BITS
    bad = (fate == _FAILED) | (fate == _BLOCKED) | (fate == _SLOW)
    found: NDArray[np.bool_] = bad & ((flag & (MAINTENANCE | OWN_SIDE)) == 0)
    return found


def last_of(runs: Runs, before: Before) -> Before:
    """The last run of each watch up to the end of these; what was skipped holds nothing."""
    due, flag = before.due.copy(), before.flag.copy()
    held = _that_hold(runs)
    due[held.row], flag[held.row] = held.due, held.flag  # of several the last one stands
    return Before(due, flag)


def _that_hold(runs: Runs) -> Runs:
    """Those whose fate holds until the next one's: where a run is skipped, that before it goes
    on."""
    holds = runs.fate != _SKIPPED
    return runs if holds.all() else runs.chosen(holds)


def seconds(runs: Runs, before: Before, begin: int, end: int) -> tuple[Numbers, Numbers, Numbers]:
    """How long each watch was good, bad, and neither, within a stretch."""
    held = _that_hold(runs)
    had = np.flatnonzero(before.due > 0)
    row = np.concatenate((had, held.row))
    due = np.concatenate((before.due[had], held.due))
    flag = np.concatenate((before.flag[had], held.flag))
    order = np.argsort(row, kind="stable")
    row, due, flag = row[order], due[order], flag[order]
    next_due = np.full(len(row), end, np.int64)
    same = row[1:] == row[:-1]
    next_due[:-1][same] = due[1:][same]
    length = np.maximum(np.minimum(next_due, end) - np.maximum(due, begin), 0)
    bad = is_bad(flag)
    good = (flag & FATE_BITS == _PASSED) & ((flag & (MAINTENANCE | OWN_SIDE)) == 0)
    watches = len(before.due)
    return (
        _added(row, length * good, watches),
        _added(row, length * bad, watches),
        _added(row, length * ~(good | bad), watches),
    )


def sums(
    runs: Runs, before: Before, begin: int, end: int
) -> tuple[NDArray[np.void], NDArray[np.int64]]:
    """SUMS of each watch over a stretch, and its histogram (watches x BUCKETS)."""
    watches = len(before.due)
    made = np.zeros(watches, SUMS)
    fate, row = runs.fate, runs.row
    made["runs"] = _added(row, (fate != _UNWATCHED) & (fate != _SKIPPED), watches)
    for name, number in (
        ("failed", _FAILED),
        ("blocked", _BLOCKED),
        ("slow", _SLOW),
        ("unchecked", _UNCHECKED),
        ("interrupted", _INTERRUPTED),
        ("skipped", _SKIPPED),
    ):
        made[name] = _added(row, fate == number, watches)
    made["bad"] = _added(row, is_bad(runs.flag), watches)
    made["missed"] = _added(row, np.where(fate == _UNWATCHED, runs.us, 0), watches)
    made["good_s"], made["bad_s"], made["left_s"] = seconds(runs, before, begin, end)
    latest = np.zeros(watches, np.int64)
    np.maximum.at(latest, row, np.where(fate == _UNWATCHED, 0, runs.late))
    made["latest_ms"] = latest
    last = last_of(runs, before)
    made["last_due"], made["last_flag"] = last.due, last.flag
    answered = runs.chosen((runs.flag & ANSWERED) != 0)
    made["answered"] = _added(answered.row, np.ones(len(answered), np.int64), watches)
    made["sum"] = _added(answered.row, answered.us, watches)
    made["low"], made["median"], made["p95"], made["high"] = spread(
        answered.us, answered.row, watches
    )
    bucket = np.searchsorted(EDGES, answered.us, side="right")
    counts = np.bincount(answered.row * BUCKETS + bucket, minlength=watches * BUCKETS)
    return made, counts.reshape(watches, BUCKETS)


def points(runs: Runs, watches: int, begin: int, end: int, step: int) -> NDArray[np.void]:
    """The line of each watch: (watches x parts of `step` seconds) POINTs."""
    parts = -(-(end - begin) // step)
    made = np.zeros(watches * parts, POINT)
    ran = (runs.fate != _UNWATCHED) & (runs.fate != _SKIPPED)
    place = runs.row * parts + (runs.due - begin) // step
    most = np.iinfo(np.uint16).max
    made["runs"] = np.minimum(
        _added(place[ran], np.ones(int(ran.sum()), np.int64), len(made)), most
    )
    made["bad"] = np.minimum(_added(place, is_bad(runs.flag), len(made)), most)
    unanswered = is_bad(runs.flag) & (runs.fate == _BLOCKED)
    made["blocked"] = np.minimum(_added(place, unanswered, len(made)), most)
    answered = (runs.flag & ANSWERED) != 0
    _, made["median"], made["p95"], _ = spread(runs.us[answered], place[answered], len(made))
    return made.reshape(watches, parts)


def spread(us: Numbers, group: Numbers, groups: int) -> tuple[Numbers, Numbers, Numbers, Numbers]:
    """The least, the median, the 95th percentile and the most of each group's times; 0 of none."""
    ordered = np.sort(group << _WIDE | us) & ((1 << _WIDE) - 1)
    number = np.bincount(group, minlength=groups)
    first = np.cumsum(number) - number
    there = number > 0

    def at(place: Numbers) -> Numbers:
        found = np.zeros(groups, np.int64)
        found[there] = ordered[(first + place)[there]]
        return found

    median, p95 = ((number * q + 99) // 100 - 1 for q in (50, 95))
    return at(np.zeros(groups, np.int64)), at(median), at(p95), at(number - 1)


def _added(group: Numbers, what: NDArray[np.generic], groups: int) -> Numbers:
    return np.rint(np.bincount(group, what, groups)).astype(np.int64)
