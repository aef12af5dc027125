"""What is kept no more of what became of watches: taken away in pieces, so that others who write
wait for milliseconds. What was summed up stays ten years; runs and what they saw as long as their
project's rules say (keeping.py)."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator

from saltpath.store.database import write
from saltpath.store.history import seen
from saltpath.store.history.runs import WATCH_BITS
from saltpath.store.keeping import Rules

PIECE = 200
"""Rows that are taken away in one transaction."""
SUMMED_DAYS = 3_660
DAY_S = 86_400


def take_away(history: sqlite3.Connection, project: int, rules: Rules, now: int) -> Iterator[int]:
    """What a project keeps no more at a moment (seconds, UTC). Goes on after each piece, with how
    many rows it had. What a piece wrote goes from the log into the file at once, beside others who
    write: else one of them would do so some day, and wait for it."""
    for rows in _all(history, project, rules, now):
        history.execute("PRAGMA wal_checkpoint(PASSIVE)")
        yield rows


def _all(history: sqlite3.Connection, project: int, rules: Rules, now: int) -> Iterator[int]:
    watches = watches_of(history, project)
    for watch in watches:
        for keep, days in (
            (seen.GOOD, rules.watch_evidence_days),
            (seen.BAD, rules.bad_evidence_days),
            (seen.WHOLE, rules.watch_days),
        ):
            yield from _evidence(history, watch, keep, now - days * DAY_S)
    mine = set(watches)
    yield from _blocks(history, mine, (now - rules.watch_days * DAY_S) // 3_600)
    yield from _slabs(history, project, now - SUMMED_DAYS * DAY_S)


def unused(history: sqlite3.Connection) -> Iterator[int]:
    """What nothing that is kept names any more: bases, and large bodies that were last seen before
    all evidence that is kept as long as they are."""
    watches = watches_of(history)
    for watch in watches:
        yield from _bases(history, watch)
    first = 1 << 62
    for keep in (seen.GOOD, seen.BAD, seen.WHOLE):
        oldest = seen.oldest(history, watches, keep)
        first = first if oldest is None else min(first, oldest)
        old = "SELECT hash FROM watch_body WHERE keep = ? AND last_due < ? LIMIT ?"
        yield from _pieces(history, f"DELETE FROM watch_body WHERE hash IN ({old})", (keep, first))


def watches_of(history: sqlite3.Connection, project: int | None = None) -> list[int]:
    """The numbers of the watches that were ever looked after, of one project or of all."""
    rows = history.execute(
        "SELECT watch FROM watch_state WHERE ? IS NULL OR project = ? ORDER BY watch",
        (project, project),
    )
    return [row[0] for row in rows]


def _evidence(history: sqlite3.Connection, watch: int, keep: int, before: int) -> Iterator[int]:
    old = (
        "SELECT due, turn, attempt FROM watch_evidence WHERE watch = ? AND due < ? AND keep = ? "
        "LIMIT ?"
    )
    statement = f"DELETE FROM watch_evidence WHERE watch = ? AND (due, turn, attempt) IN ({old})"
    yield from _pieces(history, statement, (watch, watch, before, keep))


def _bases(history: sqlite3.Connection, watch: int) -> Iterator[int]:
    """Those that nothing is packed against any more, but for the newest, which what comes next
    is."""
    old = (
        "SELECT id FROM watch_base WHERE watch = ? AND id < (SELECT MAX(id) FROM watch_base WHERE "
        "watch = ?) AND id NOT IN (SELECT against FROM watch_evidence WHERE watch = ?) LIMIT ?"
    )
    yield from _pieces(
        history, f"DELETE FROM watch_base WHERE id IN ({old})", (watch, watch, watch)
    )


def _blocks(history: sqlite3.Connection, watches: set[int], hour: int) -> Iterator[int]:
    """Blocks of these watches from before an hour (since 1970)."""
    at = -1
    while True:
        ids = [
            row[0]
            for row in history.execute(
                "SELECT id FROM watch_hour WHERE id > ? AND id < ? ORDER BY id LIMIT ?",
                (at, hour << WATCH_BITS, PIECE),
            )
        ]
        if not ids:
            return
        at = ids[-1]
        gone = [(id,) for id in ids if id & ((1 << WATCH_BITS) - 1) in watches]
        if gone:
            with write(history):
                history.executemany("DELETE FROM watch_hour WHERE id = ?", gone)
        yield len(gone)


def _slabs(history: sqlite3.Connection, project: int, before: int) -> Iterator[int]:
    old = "SELECT id FROM watch_slab WHERE project = ? AND until < ? LIMIT ?"
    yield from _pieces(history, f"DELETE FROM watch_slab WHERE id IN ({old})", (project, before))


def _pieces(history: sqlite3.Connection, statement: str, values: tuple[int, ...]) -> Iterator[int]:
    while True:
        with write(history):
            gone = history.execute(statement, (*values, PIECE)).rowcount
        if not gone:
            return
        yield gone
