"""What is kept of each of a watch's runs for years, besides its times: one octet.

Runs that never were stand among them, so that no gap has to be guessed: a stretch that nobody
watched begins with one of its own, and so does each that fell out since the one before was still
under way.
"""

from __future__ import annotations

from typing import Literal

from saltpath.core.values.verdicts import Verdict

Fate = Literal[
    "passed", "failed", "blocked", "unchecked", "unwatched", "slow", "skipped", "interrupted"
]
"""`slow`: all checks hold, and it took longer than its limit. `unwatched`: from here on nobody
looks, `us` says how many runs were missed. `skipped`: the one before was still under way.
`interrupted`: it was begun, and Salt Path ended before it had."""
FATES: tuple[Fate, ...] = (
    "passed",
    "failed",
    "blocked",
    "unchecked",
    "unwatched",
    "slow",
    "skipped",
    "interrupted",
)
"""In the order of their numbers, which are stored, so that it never changes."""
FATE_BITS = 0b111
ANSWERED = 8
"""It has a response time."""
MAINTENANCE = 16
OWN_SIDE = 32
CAUGHT_UP = 64
"""It stands for others, which were due while nobody looked."""
EVIDENCE = 128
"""Its exchanges were kept."""
BAD: frozenset[Fate] = frozenset({"failed", "blocked", "slow"})
NO_RUN: frozenset[Fate] = frozenset({"unwatched", "skipped"})
_BAD_BITS = frozenset(FATES.index(fate) for fate in BAD)
_LEFT_OUT_BITS = frozenset(
    FATES.index(fate) for fate in ("unchecked", "unwatched", "skipped", "interrupted")
)
MOST_LATE_MS = 65_535
MOST_US = 2**32 - 1


def flag_of(fate: Fate, *more: int) -> int:
    """The octet of a fate and what else is said of it."""
    found = FATES.index(fate)
    for bit in more:
        found |= bit
    return found


def fate_of(flag: int) -> Fate:
    return FATES[flag & FATE_BITS]


def is_bad(flag: int) -> bool | None:
    """Whether a run is held against what is watched; None where that cannot be said: nobody looked,
    nothing was checked, it was agreed, or it was our own side."""
    fate = flag & FATE_BITS
    if flag & (MAINTENANCE | OWN_SIDE) or fate in _LEFT_OUT_BITS:
        return None
    return fate in _BAD_BITS


def fate_of_verdict(verdict: Verdict, us: int, limit_us: int | None) -> Fate:
    """What becomes of a run with a verdict that took so long. Nothing was checked of one that was
    skipped."""
    if verdict == "passed":
        return "slow" if limit_us is not None and us > limit_us else "passed"
    return "unchecked" if verdict == "skipped" else verdict
