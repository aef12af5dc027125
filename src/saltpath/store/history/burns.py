"""How fast watches use up their allowance, from their runs and from what was told as an outage."""

from __future__ import annotations

import sqlite3

import numpy as np

from saltpath.core.watching import burn
from saltpath.core.watching.burn import Burn, Pair
from saltpath.store.history import troubles
from saltpath.store.history.blocks import runs_of
from saltpath.store.history.slabs import before_of


def burns_of(
    connection: sqlite3.Connection,
    project: int,
    watch: int,
    share: float,
    now: int,
    pairs: tuple[Pair, ...] = burn.PAIRS,
) -> list[Burn]:
    """Of a watch that promises a share of the time, at a moment (seconds), but for outages."""
    begin = now - max(pair.long_s for pair in pairs)
    id = np.array([watch], np.int64)
    runs = runs_of(connection, id, begin, now)
    before = before_of(connection, project, id, begin)
    told = troubles.troubles(connection, project, begin, now, watch, "outage")
    runs, before = burn.without(runs, before, [(one.began, one.ended or now) for one in told])
    return burn.burns(runs, before, share, now, pairs)
