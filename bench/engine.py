"""E1 and E4: the engine alone against a bare libcurl loop."""

from __future__ import annotations

import itertools
import statistics
import time

from bench.nginx import harbour
from bench.sides import bare, engine, in_turn, line, median_ratio
from saltpath.core.running.events import Event

EXCHANGES = 8_000


def e1(address: str) -> None:
    """16 at once, JSON parsed, 5 checks, events, nothing stored: exchanges a second against bare
    libcurl."""

    def nowhere(event: Event) -> None:
        pass

    ours, theirs = in_turn(
        9, lambda: engine(address, EXCHANGES, 16, nowhere), lambda: bare(address, EXCHANGES, 16)
    )
    ratio = median_ratio(theirs, ours)
    rates = (
        f"{EXCHANGES / statistics.median(ours):,.0f}/s against "
        f"{EXCHANGES / statistics.median(theirs):,.0f}/s"
    )
    line("E1", f"{ratio:.2f}", ">= 0.30", ratio >= 0.30, rates)


def e4(address: str) -> None:
    """What Salt Path adds to one exchange at concurrency 1 (median), over bare libcurl."""
    moments: list[int] = []

    def note(event: Event) -> None:
        if type(event).__name__ == "StepFinished":
            moments.append(time.perf_counter_ns())

    def ours() -> float:
        moments.clear()
        engine(address, 2_000, 1, note)
        return statistics.median(b - a for a, b in itertools.pairwise(moments)) / 1e6

    ours_ms, theirs_ms = in_turn(5, ours, lambda: bare(address, 2_000, 1) / 2_000 * 1000)
    added = statistics.median(a - b for a, b in zip(ours_ms, theirs_ms, strict=True))
    detail = f"{statistics.median(ours_ms):.3f} ms against {statistics.median(theirs_ms):.3f} ms"
    line("E4", f"{added:.3f} ms", "<= 0.5 ms", added <= 0.5, detail)


if __name__ == "__main__":
    with harbour() as bench_address:
        e1(bench_address)
        e4(bench_address)
