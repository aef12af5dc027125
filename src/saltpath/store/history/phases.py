"""Where the time of a watch's answers went, over a stretch: look-up, connecting, TLS, waiting,
receiving, of some runs in each of its parts, as far as their exchanges are kept."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable
from statistics import median

from msgspec import Struct

from saltpath.core.answers.exchange import Times
from saltpath.store.history import seen

PARTS = 60
OF_PART = 3
"""So many runs of a part are read, from its end backwards."""
NAMES = ("lookup", "connect", "tls", "waiting", "receiving")


class Phased(Struct, frozen=True):
    """From a moment on (seconds, UTC); the medians of so many runs, microseconds."""

    begin: int
    runs: int
    us: dict[str, int]
    """By NAMES."""


def phases(connection: sqlite3.Connection, watch: int, begin: int, end: int) -> list[Phased]:
    """Those parts of a stretch of which something is kept."""
    step = max((end - begin) // PARTS, 1)
    found = []
    for since in range(begin // step * step, end, step):
        rows = connection.execute(
            "SELECT DISTINCT due, turn FROM watch_evidence WHERE watch = ? AND due >= ? AND due < ?"
            " ORDER BY due DESC LIMIT ?",
            (watch, max(since, begin), min(since + step, end), OF_PART),
        ).fetchall()
        times = [
            one
            for row in rows
            if (one := _times(seen.attempts(connection, watch, row["due"], row["turn"])))
        ]
        if times:
            us = {name: round(median(getattr(one, name) for one in times)) for name in NAMES}
            found.append(Phased(since, len(times), us))
    return found


def _times(attempts: list[seen.Attempt]) -> Times | None:
    """Of all exchanges of the attempt that was believed, together; None where nothing answered."""
    if not attempts:
        return None
    exchanges = [
        exchange.times
        for step in attempts[-1].steps
        if step.head.part in ("once", "steps")
        for exchange in step.exchanges
        if exchange.status
    ]
    return _added(exchanges) if exchanges else None


def _added(times: Iterable[Times]) -> Times:
    every = list(times)
    return Times(*(sum(getattr(one, name) for one in every) for name in (*NAMES, "total")))
