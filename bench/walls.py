"""S1, S2: a month of a thousand watches that run each minute, all at once and one of them; and how
long somebody who writes waits while it is packed and summed up (`python -m bench.walls`)."""

from __future__ import annotations

import statistics
import sys
import tempfile
import time
from contextlib import closing
from pathlib import Path

import numpy as np

from saltpath.core.watching.flags import ANSWERED, FATES, flag_of
from saltpath.core.watching.numbers import PACKED
from saltpath.store.database import connect, migrate, write
from saltpath.store.history import ranges, slabs
from saltpath.store.history.runs import WATCH_BITS

WATCHES = 1_000
DAYS = 30
BEGIN = 1_767_225_600
REPEATS = 7


def s1_s2(watches: int = WATCHES, days: int = DAYS) -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        migrate(folder)
        with closing(connect(folder, "history")) as history:
            history.execute("PRAGMA synchronous = OFF")
            begun = time.perf_counter()
            _fill(history, watches, days)
            print(
                f"    {watches * days * 1440:,} runs written in {time.perf_counter() - begun:.0f} s"
            )
            begun = time.perf_counter()
            made = sum(1 for _ in slabs.roll_up(history, BEGIN + days * 86_400 + 100_000))
            took = time.perf_counter() - begun
            print(
                f"    {made} stretches summed up in {took:.1f} s, {1000 * took / made:.0f} ms each"
            )
            size = (folder / "history.db").stat().st_size
            print(f"    {size / 1e6:.0f} MB, {size / (watches * days * 1440):.1f} B a run")
            every = slabs.watches_of(history, 1)
            end = BEGIN + days * 86_400
            for title, since in (
                ("S1  the wall over 30 days (at most 300 ms)", end - 30 * 86_400 + 4_321),
                ("    over 7 days", end - 7 * 86_400 + 4_321),
                ("    over a day", end - 86_400 - 4_321),
                ("    over an hour", end - 3_600 - 77),
            ):
                _say(title, lambda since=since: ranges.over(history, 1, every, since, end - 1_234))
            one = every[:1]
            since = end - 30 * 86_400 + 4_321
            _say(
                "S2  one watch over 30 days (at most 50 ms)",
                lambda: ranges.over(history, 1, one, since, end - 1_234),
            )


def _say(title: str, do) -> None:  # type: ignore[no-untyped-def]
    times = []
    for _ in range(REPEATS):
        begun = time.perf_counter()
        do()
        times.append(time.perf_counter() - begun)
    print(f"{title}: {1000 * statistics.median(times[1:]):.0f} ms (first {1000 * times[0]:.0f})")


def _fill(history, watches: int, days: int) -> None:  # type: ignore[no-untyped-def]
    """Blocks as they lie after packing: log-normal times, a bad run in a thousand."""
    chance = np.random.default_rng(7)
    good, bad = flag_of("passed", ANSWERED), FATES.index("failed") | ANSWERED
    with write(history):
        history.executemany(
            "INSERT INTO watch_state (watch, project, looked_at) VALUES (?, 1, 0)",
            [(watch,) for watch in range(1, watches + 1)],
        )
    usual = chance.uniform(20_000, 400_000, watches)
    for hour in range(days * 24):
        packed = np.empty((watches, 60), PACKED)
        packed["due"] = np.arange(60) * 60 + chance.integers(0, 60, (watches, 60))
        packed["late"] = chance.integers(0, 9, (watches, 60))
        packed["flag"] = np.where(chance.random((watches, 60)) < 0.001, bad, good)
        packed["us"] = usual[:, None] * chance.lognormal(0, 0.3, (watches, 60))
        first = (BEGIN // 3_600 + hour) << WATCH_BITS
        with write(history):
            history.executemany(
                "INSERT INTO watch_hour (id, runs) VALUES (?, ?)",
                [(first | watch + 1, packed[watch].tobytes()) for watch in range(watches)],
            )


if __name__ == "__main__":
    s1_s2(*map(int, sys.argv[1:]))
