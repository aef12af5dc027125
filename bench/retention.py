"""How long a write of watches' runs waits while ten million runs, and what they saw, are taken away
(`python -m bench.retention [WATCHES] [DAYS]`)."""

from __future__ import annotations

import multiprocessing
import os
import sys
import tempfile
import threading
import time
from contextlib import closing
from pathlib import Path

from bench.walls import BEGIN, _fill
from saltpath.core.watching.flags import ANSWERED, flag_of
from saltpath.core.watching.states import Rule
from saltpath.runner.keeper import PAUSE_S
from saltpath.store.database import connect, migrate, write
from saltpath.store.history import retention, runs, seen
from saltpath.store.history.runs import Claim, Ended
from saltpath.store.keeping import Rules

WATCHES, DAYS = 1_000, 7
EVIDENCE = 200_000
WRITE_S = 0.02


def retained(watches: int = WATCHES, days: int = DAYS) -> None:
    """All but the last day goes."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        migrate(folder)
        with closing(connect(folder, "history")) as history:
            history.execute("PRAGMA synchronous = OFF")
            _fill(history, watches, days)
            _see(history, watches, days)
        now = BEGIN + days * 86_400
        going = multiprocessing.get_context("spawn").Process(
            target=_take_away, args=(folder, now), daemon=True
        )
        with closing(connect(folder, "history")) as history:
            quiet = _written(history, now, time.monotonic() + 5, lambda: False)
            going.start()
            synced: list[float] = []
            over = threading.Event()
            control = threading.Thread(target=_sync, args=(folder / "bare", synced, over))
            control.start()
            time.sleep(1)
            begun = time.monotonic()
            waits = _written(history, now + 1_000, begun + 600, lambda: not going.is_alive())
            over.set()
            control.join()
            left = history.execute("SELECT COUNT(*) FROM watch_hour").fetchone()[0]
            print(
                f"    {watches * days * 1_440:,} runs and {EVIDENCE:,} records; in "
                f"{time.monotonic() - begun:.0f} s all but {left:,} blocks went"
            )
        for title, found in (("beside nothing", quiet), ("while they go", waits)):
            longest = ", ".join(f"{one:.1f}" for one in found[-4:])
            print(
                f"Retention: {len(found)} writes {title}: median {_at(found, 0.5):.1f} ms, 99th "
                f"percentile {_at(found, 0.99):.1f}, longest {longest} (at most 100)"
            )
        bare = sorted(synced)
        print(
            f"    a bare 4 kB to the disk meanwhile: 99th percentile {_at(bare, 0.99):.1f} ms, "
            f"longest {', '.join(f'{one:.1f}' for one in bare[-4:])}"
        )


def _see(history, watches: int, days: int) -> None:  # type: ignore[no-untyped-def]
    """Evidence as it lies after packing."""
    each = EVIDENCE // watches
    step = days * 86_400 // each
    for watch in range(1, watches + 1):
        with write(history):
            history.executemany(
                "INSERT INTO watch_evidence VALUES (?, ?, 0, 0, ?, 1, ?)",
                [(watch, BEGIN + n * step, seen.GOOD, bytes(60)) for n in range(each)],
            )


def _take_away(folder: Path, now: int) -> None:
    """As the keeper does, with its pauses."""
    rules = Rules(watch_days=1, watch_evidence_days=1, bad_evidence_days=1, evidence_days=1)
    with closing(connect(folder, "history")) as history:
        for _ in retention.take_away(history, 1, rules, now):
            time.sleep(PAUSE_S)


def _written(history, due, until, over) -> list[float]:  # type: ignore[no-untyped-def]
    """How long each of many writes took, milliseconds, in order of size: a claim, then its run."""
    runs.leave_the_log(history)
    epoch = runs.take_lease(history, "bench")
    found = []
    while time.monotonic() < until and not over():
        due += 1
        begun = time.perf_counter()
        runs.claim(history, epoch, [Claim(1, due, 0)], [], [], 0)
        ended = Ended(1, 1, due, 0, flag_of("passed", ANSWERED), 90_000)
        with write(history):
            runs.end(history, epoch, [ended], {1: Rule()})
        found.append(1_000 * (time.perf_counter() - begun))
        time.sleep(WRITE_S)
    return sorted(found)


def _sync(file: Path, found: list[float], over: threading.Event) -> None:
    """How long the disk itself takes for as much as a commit writes, milliseconds."""
    with file.open("ab", buffering=0) as to:
        while not over.is_set():
            begun = time.perf_counter()
            to.write(bytes(4_096))
            os.fsync(to.fileno())
            found.append(1_000 * (time.perf_counter() - begun))
            time.sleep(WRITE_S)


def _at(ordered: list[float], share: float) -> float:
    return ordered[min(int(share * len(ordered)), len(ordered) - 1)]


if __name__ == "__main__":
    retained(*map(int, sys.argv[1:]))
