"""Response times as logarithmic histograms, layout 1: below 100 us, then buckets of ratio 1.04 up
to an hour, then an hour and above. Percentiles come out within 2 %, whatever the distribution, and
histograms of parts are merged by adding.

Edges are whole microseconds, so that a time belongs to the same bucket everywhere. A stored
histogram is a list of entries, each the bucket's index and a count (two unsigned 16-bit integers,
little endian), in the order of the indexes; a larger count has several. A layout that is changed
gets another number, since what is stored is read for ever.
"""

from __future__ import annotations

from collections.abc import Iterable
from math import ceil, sqrt

import numpy as np
from numpy.typing import NDArray

LAYOUT = 1
LOWEST_US, HIGHEST_US = 100, 3_600_000_000
RATIO = (26, 25)
"""As a fraction, so that the edges are the same on every machine."""
MOST_IN_ENTRY = 65_535


def _edges() -> NDArray[np.int64]:
    edges: list[int] = []
    above, below = LOWEST_US, 1
    while (edge := -(-above // below)) < HIGHEST_US:
        edges.append(edge)
        above, below = above * RATIO[0], below * RATIO[1]
    return np.array([*edges, HIGHEST_US], np.int64)


EDGES = _edges()
"""Where each bucket but the first begins, microseconds; each but the last ends where the next
begins."""
BUCKETS = len(EDGES) + 1
_ENTRY = np.dtype([("bucket", "<u2"), ("count", "<u2")])

Counts = NDArray[np.int64]
"""How many times fell into each of the BUCKETS."""


def counts_of(times_us: NDArray[np.int64] | Iterable[int]) -> Counts:
    """The histogram of times, microseconds."""
    times = np.asarray(list(times_us) if not isinstance(times_us, np.ndarray) else times_us)
    found = np.searchsorted(EDGES, times.astype(np.int64), side="right")
    return np.bincount(found, minlength=BUCKETS).astype(np.int64)


def packed(counts: Counts) -> bytes:
    """As it is stored."""
    buckets = np.nonzero(counts)[0]
    entries = -(-counts[buckets] // MOST_IN_ENTRY)
    made = np.empty(int(entries.sum()), _ENTRY)
    made["bucket"] = np.repeat(buckets, entries)
    made["count"] = MOST_IN_ENTRY
    last = np.cumsum(entries) - 1
    made["count"][last] = counts[buckets] - (entries - 1) * MOST_IN_ENTRY
    return made.tobytes()


def merged(stored: Iterable[bytes]) -> Counts:
    """Stored histograms, added up. Raises ValueError for what is none."""
    entries = np.frombuffer(b"".join(stored), _ENTRY)
    if entries.size and int(entries["bucket"].max()) >= BUCKETS:
        raise ValueError(f"a histogram of layout {LAYOUT} has {BUCKETS} buckets")
    added = np.bincount(entries["bucket"], weights=entries["count"], minlength=BUCKETS)
    return np.rint(added).astype(np.int64)


def percentile(counts: Counts, share: float) -> int | None:
    """The time of rank ceil(share n), microseconds: its bucket's middle, within 2 % of it; None of
    no times. Below the first edge it is that edge, from the last one on that."""
    number = int(counts.sum())
    if not number:
        return None
    bucket = int(np.searchsorted(np.cumsum(counts), rank(share, number)))
    if bucket in (0, BUCKETS - 1):
        return LOWEST_US if bucket == 0 else HIGHEST_US
    low, high = int(EDGES[bucket - 1]), int(EDGES[bucket]) - 1
    return round(sqrt(low * high))


def number_within(counts: Counts, us: int) -> float:
    """How many times are at most so long; of the bucket in which that lies a part, as though its
    times were spread evenly."""
    bucket = int(np.searchsorted(EDGES, us, side="right"))
    whole = float(counts[:bucket].sum())
    low = int(EDGES[bucket - 1]) if bucket else 0
    high = int(EDGES[bucket]) if bucket < BUCKETS - 1 else us + 1
    return whole + float(counts[bucket]) * (us + 1 - low) / (high - low)


def exact_percentile(times_us: Iterable[int], share: float) -> int | None:
    """The same of times themselves."""
    ordered = sorted(times_us)
    return ordered[rank(share, len(ordered)) - 1] if ordered else None


def rank(share: float, number: int) -> int:
    """Which of so many in their order is meant, from 1: ceil(share n), wherever a percentile
    stands."""
    return min(max(ceil(round(share * number, 9)), 1), number)
