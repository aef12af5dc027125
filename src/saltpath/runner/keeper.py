"""Keeps house: takes away what is kept no more (store/keeping.py, store/history/retention.py), in
small pieces with pauses, now and then; packs and sums up what became of watches, each minute."""

from __future__ import annotations

import logging
import shutil
import sqlite3
import threading
import time
from collections.abc import Iterator
from contextlib import closing
from itertools import chain
from pathlib import Path

from saltpath.runner.life import ShutdownSignal, parent_gone
from saltpath.store import backup, disk, keeping, projects
from saltpath.store import runs as runs_of_cases
from saltpath.store.database import StoreError, connect, now_us
from saltpath.store.history import bounds, retention, runs

EVERY_S = 600.0
SOON_S = 20.0
FIRST_BACKUP_S = 300.0
PAUSE_S = 0.03
PACK_S = 60.0
NOTICE_S = 10.0
SUM_S = 2.0
LOOK_S = 60.0
TREND_DAYS = 1_100
"""What runs of cases add up to is kept so long, longer than these."""
FRESH_S = 300
"""Runs of watches stay fresh so long."""
log = logging.getLogger("saltpath.keeper")


def main(folder: Path, backups: Path, kept: int) -> None:
    """Until told to end, or until the supervisor is gone. `backups`: where a backup is made each
    day, of which so many are kept."""
    shutdown = ShutdownSignal()
    threading.Thread(target=_notice, args=(folder, shutdown), daemon=True).start()
    threading.Thread(target=_sum_up_runs, args=(folder, shutdown), daemon=True).start()
    next_look = time.monotonic() + SOON_S
    next_backup = time.monotonic() + FIRST_BACKUP_S
    next_pack = time.monotonic() + SOON_S
    while not shutdown.wait(0.5) and not parent_gone():
        if time.monotonic() >= next_backup:
            back_up_daily(folder, backups, kept)
            next_backup = time.monotonic() + EVERY_S
        if time.monotonic() >= next_pack:
            try:
                sum_up_watches(folder, time.time(), shutdown)
            except sqlite3.Error as problem:
                log.error(
                    "what became of watches could not be packed: %s; it is tried again", problem
                )
            next_pack = time.monotonic() + PACK_S
        if time.monotonic() < next_look:
            continue
        try:
            taken = keep_house(folder, shutdown)
            if taken:
                log.info("took away %s rows that are kept no more", taken)
        except sqlite3.Error as problem:
            log.error(
                "what is kept no more could not be taken away: %s; it is tried again", problem
            )
        next_look = time.monotonic() + EVERY_S


def _notice(folder: Path, shutdown: ShutdownSignal) -> None:
    """Beside what takes long: people wait for what it finds."""
    with closing(connect(folder, "main")) as main, closing(connect(folder, "history")) as history:
        while not shutdown.wait(NOTICE_S):
            try:
                if runs.any_watched(history):
                    from saltpath.runner import noticing  # it brings numpy

                    noticing.look(main, history, now_us())
            except sqlite3.Error as problem:
                log.error("watches could not be looked through: %s; it is tried again", problem)
            except Exception:
                log.exception("a fault of Salt Path's own while watches were looked through")


def _sum_up_runs(folder: Path, shutdown: ShutdownSignal) -> None:
    """What cases and steps came to, a few seconds after their runs have ended."""
    with (
        closing(connect(folder, "main")) as main,
        closing(connect(folder, "evidence")) as evidence,
        closing(connect(folder, "history")) as history,
    ):
        reader, next_look = None, 0.0
        while not shutdown.wait(SUM_S):
            try:
                if reader is None and not runs_of_cases.any_ended(main):
                    continue
                from saltpath.runner import summing  # they bring numpy
                from saltpath.store.trends import entries

                reader = reader or summing.Reader()
                while summing.sum_up(main, evidence, history, reader):
                    history.execute("PRAGMA wal_checkpoint(PASSIVE)")
                    if shutdown.wait(PAUSE_S):
                        return
                if time.monotonic() >= next_look:
                    begun = time.monotonic()
                    for _ in entries.pack(history, int(time.time())):
                        if shutdown.wait(PAUSE_S):
                            return
                    summing.look(main, history, reader, int(time.time()))
                    # what takes long is done seldom
                    next_look = begun + max(LOOK_S, 60 * (time.monotonic() - begun))
            except sqlite3.Error as problem:
                log.error("runs could not be summed up: %s; it is tried again", problem)
            except Exception:
                log.exception("a fault of Salt Path's own while runs were summed up")


def back_up_daily(folder: Path, backups: Path, kept: int) -> None:
    """The day's backup, if it is due and there is room for it."""
    try:
        size = sum(file.stat().st_size for file in folder.glob("*.db"))
        where = backups if backups.is_dir() else folder
        if kept and shutil.disk_usage(where).free < size + disk.LEAST_FREE:
            log.error("there is no room for the day's backup in %s", backups)
            return
        made = backup.daily(folder, backups, kept, time.time())
        if made:
            log.info("the day's backup is %s", made)
    except (StoreError, OSError) as problem:
        log.error("the day's backup could not be made: %s; it is tried again", problem)


def keep_house(folder: Path, shutdown: ShutdownSignal | None = None) -> int:
    """One look through everything; how many rows were taken away. Broken off when told to end."""
    taken = 0
    main, evidence = connect(folder, "main"), connect(folder, "evidence")
    history = connect(folder, "history")
    try:
        for rows in chain(
            keeping.take_away(main, evidence, now_us()), _of_history(main, history, now_us())
        ):
            taken += rows
            if shutdown is not None and shutdown.wait(PAUSE_S):
                break
    finally:
        for connection in (main, evidence, history):
            connection.close()
    return taken


def _of_history(main: sqlite3.Connection, history: sqlite3.Connection, now: int) -> Iterator[int]:
    from saltpath.store.trends import entries  # it brings numpy

    for project in projects.projects(main):
        rules = keeping.rules_of(main, project.id)
        second = now // 1_000_000
        yield from retention.take_away(history, project.id, rules, second)
        yield from entries.take_away(history, project.id, second - TREND_DAYS * 86_400)
    yield from retention.unused(history)


def sum_up_watches(folder: Path, now: float, shutdown: ShutdownSignal | None = None) -> int:
    """Pack the runs of watches that are fresh no more, and sum up what is complete by now (seconds,
    UTC); in how many pieces. Nobody else does."""
    with closing(connect(folder, "history")) as history:
        if not runs.any_watched(history):
            return 0
        from saltpath.store.history import blocks, heads, slabs  # they bring numpy

        done = 0
        pieces = chain(
            blocks.pack(history, int(now) - FRESH_S),
            slabs.roll_up(history, int(now)),
            heads.seal(history, int(now)),
            _bound(folder, history, int(now * 1_000_000)),
        )
        for _ in pieces:
            done += 1
            history.execute("PRAGMA wal_checkpoint(PASSIVE)")
            if shutdown is not None and shutdown.wait(PAUSE_S):
                break
        history.execute("PRAGMA wal_checkpoint(PASSIVE)")
        return done


def _bound(folder: Path, history: sqlite3.Connection, now: int) -> Iterator[int]:
    """What became of watches, where it takes more than an administrator allows."""
    with closing(connect(folder, "main")) as main:
        most = bounds.most(main)
    if most is not None:
        for number, rows in enumerate(bounds.bound(history, most, now)):
            if not number:
                log.warning(
                    "what became of watches takes more than %s bytes: the oldest goes", most
                )
            yield rows
