"""The room that an administrator gives what became of watches. Where more is taken, what good runs
saw goes first, then what the others saw, then the runs themselves; always what is oldest, in
pieces, and it is written down what went. What was summed up stays."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator

from msgspec import Struct

from saltpath.store.database import write
from saltpath.store.history import retention, seen
from saltpath.store.history.retention import PIECE
from saltpath.store.history.runs import WATCH_BITS
from saltpath.store.people import set_setting, setting

MOST = "history/most"
ENOUGH = 0.95
"""So far down it goes, so that it is not again and again."""
FULL = 1.1
"""From this share of the limit on what runs see is not kept."""
STEP_S = 6 * 3_600
STAYS_S = 3_600
"""The newest stay in any case."""
WHATS = ("good", "bad", "whole", "runs")
"""What goes, in this order: evidence by how long it would be kept, then runs."""


class Dropped(Struct, frozen=True):
    """What had to go: of the kind all that was due before a moment (seconds, UTC)."""

    what: str
    before: int
    rows: int
    at: int
    """When it last was, UTC microseconds."""


def most(main: sqlite3.Connection) -> int | None:
    """The limit, bytes; None: there is none."""
    said = setting(main, MOST)
    return int(said) if said.isdigit() else None


def say_most(main: sqlite3.Connection, octets: int | None) -> None:
    set_setting(main, MOST, "" if octets is None else str(octets))


def used(history: sqlite3.Connection) -> int:
    """Bytes of the file that hold something; what is free in it is used again."""
    page_size, pages, free = (
        int(history.execute(f"PRAGMA {name}").fetchone()[0])
        for name in ("page_size", "page_count", "freelist_count")
    )
    return page_size * (pages - free)


def dropped(history: sqlite3.Connection) -> list[Dropped]:
    rows = history.execute("SELECT what, before, rows, at FROM history_dropped")
    return sorted((Dropped(*row) for row in rows), key=lambda one: WHATS.index(one.what))


def bound(history: sqlite3.Connection, limit: int, now: int) -> Iterator[int]:
    """Take away what is too much, at a moment (UTC microseconds). Goes on after each piece, with
    how many rows it had."""
    if used(history) <= limit:
        return
    second = now // 1_000_000
    for what in WHATS:
        before = _oldest(history, what)
        while before is not None and before < second - STAYS_S:
            before = min(before + STEP_S, second - STAYS_S)
            for rows in _until(history, what, before, now):
                yield rows
                if used(history) <= limit * ENOUGH:
                    return
            yield from retention.unused(history)  # else more would have to go than is too much
            if used(history) <= limit * ENOUGH:
                return
            before = _oldest(history, what)


def _oldest(history: sqlite3.Connection, what: str) -> int | None:
    if what == "runs":
        found = history.execute("SELECT MIN(id) FROM watch_hour").fetchone()[0]
        return None if found is None else (int(found) >> WATCH_BITS) * 3_600
    return seen.oldest(history, retention.watches_of(history), _keep(what))


def _until(history: sqlite3.Connection, what: str, before: int, now: int) -> Iterator[int]:
    if what == "runs":
        hour = before // 3_600 << WATCH_BITS
        old = "SELECT id FROM watch_hour WHERE id < ? ORDER BY id LIMIT ?"
        statement = f"DELETE FROM watch_hour WHERE id IN ({old})"
        yield from _pieces(history, what, before, now, statement, (hour,))
        return
    old = (
        "SELECT due, turn, attempt FROM watch_evidence WHERE watch = ? AND due < ? AND keep = ? "
        "ORDER BY due LIMIT ?"
    )
    statement = f"DELETE FROM watch_evidence WHERE watch = ? AND (due, turn, attempt) IN ({old})"
    for watch in retention.watches_of(history):
        values = (watch, watch, before, _keep(what))
        yield from _pieces(history, what, before, now, statement, values)


def _pieces(
    history: sqlite3.Connection,
    what: str,
    before: int,
    now: int,
    statement: str,
    values: tuple[int, ...],
) -> Iterator[int]:
    while True:
        with write(history):
            gone = history.execute(statement, (*values, PIECE)).rowcount
            if gone:
                history.execute(
                    "INSERT INTO history_dropped (what, before, rows, at) VALUES (?, ?, ?, ?) ON "
                    "CONFLICT DO UPDATE SET before = MAX(before, excluded.before), rows = rows + "
                    "excluded.rows, at = excluded.at",
                    (what, before, gone, now),
                )
        if not gone:
            return
        yield gone


def _keep(what: str) -> int:
    return {"good": seen.GOOD, "bad": seen.BAD, "whole": seen.WHOLE}[what]
