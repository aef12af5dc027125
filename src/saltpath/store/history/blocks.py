"""Fresh runs packed into a block for each watch and hour, of 9 octets a run; and runs read back
from wherever they lie."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator

import numpy as np

from saltpath.core.watching.numbers import PACKED, Numbers, Runs, ordered
from saltpath.store.database import write
from saltpath.store.history.runs import MOST_WATCHES, WATCH_BITS

HOUR_S = 3_600
AT_ONCE = 100
"""Watches whose runs are packed in one transaction."""
FEW = 40
"""So many watches are looked up one by one; of more, all of an hour is read."""


def pack(connection: sqlite3.Connection, before: int) -> Iterator[int]:
    """Move the fresh runs that were due before a moment (seconds, UTC) to their blocks, some
    watches at a time: each a short transaction, after which it gives how many it moved. Slabs that
    hold one of these hours already are taken away, to be made anew."""
    watches = [
        row[0]
        for row in connection.execute(
            "SELECT DISTINCT watch FROM watch_run WHERE due < ? ORDER BY watch", (before,)
        )
    ]
    for begin in range(0, len(watches), AT_ONCE):
        yield _packed(connection, before, watches[begin : begin + AT_ONCE])


def _packed(connection: sqlite3.Connection, before: int, watches: list[int]) -> int:
    which = (before, watches[0], watches[-1])
    where = "WHERE due < ? AND watch BETWEEN ? AND ?"
    with write(connection):
        rows = connection.execute(
            f"SELECT watch, due, late, flag, us FROM watch_run {where} ORDER BY watch, due, turn",
            which,
        ).fetchall()
        if not rows:
            return 0
        columns = np.array([tuple(row) for row in rows], np.int64)
        keys = columns[:, 1] // HOUR_S << WATCH_BITS | columns[:, 0]
        packed = np.empty(len(columns), PACKED)
        packed["due"] = columns[:, 1] % HOUR_S
        for name, column in (("late", 2), ("flag", 3), ("us", 4)):
            packed[name] = columns[:, column]
        begins = np.flatnonzero(np.append(True, keys[1:] != keys[:-1])).tolist()
        connection.executemany(
            "INSERT INTO watch_hour (id, runs) VALUES (?, ?) ON CONFLICT (id) DO UPDATE SET "
            "runs = CAST(runs || excluded.runs AS BLOB)",
            [
                (int(keys[begin]), packed[begin:end].tobytes())
                for begin, end in zip(begins, [*begins[1:], len(keys)], strict=True)
            ],
        )
        connection.execute(f"DELETE FROM watch_run {where}", which)
        connection.execute(  # a run that came late changes what was summed up of then and since
            "DELETE FROM watch_slab WHERE until > ? AND project IN (SELECT project FROM "
            "watch_state WHERE watch BETWEEN ? AND ?)",
            (int(columns[:, 1].min()), watches[0], watches[-1]),
        )
    return len(rows)


def runs_of(connection: sqlite3.Connection, watches: Numbers, begin: int, end: int) -> Runs:
    """The runs of some watches (their numbers, ascending) that were due from one moment to another,
    which is left out; seconds, UTC. A watch's row is its place among them."""
    parts = [_in_blocks(connection, watches, begin, end), _fresh(connection, watches, begin, end)]
    found = np.concatenate(parts, axis=1)
    place = np.searchsorted(watches, found[0])
    known = place < len(watches)
    known[known] = watches[place[known]] == found[0][known]
    which = known & (found[1] >= begin) & (found[1] < end)
    return ordered(place[which], *(column[which] for column in found[1:]))


def _in_blocks(connection: sqlite3.Connection, watches: Numbers, begin: int, end: int) -> Numbers:
    """Columns watch, due, flag, us, late; whole hours."""
    if not len(watches) or end <= begin:
        return np.empty((5, 0), np.int64)
    hours = range(begin // HOUR_S, (end - 1) // HOUR_S + 1)
    if len(watches) <= FEW:
        wanted = [hour << WATCH_BITS | watch for hour in hours for watch in watches.tolist()]
        rows = [
            row
            for at in range(0, len(wanted), 500)
            for row in connection.execute(
                "SELECT id, runs FROM watch_hour WHERE id IN "
                f"({', '.join('?' * len(wanted[at : at + 500]))})",
                wanted[at : at + 500],
            )
        ]
    else:
        rows = connection.execute(
            "SELECT id, runs FROM watch_hour WHERE id BETWEEN ? AND ?",
            (hours[0] << WATCH_BITS, hours[-1] << WATCH_BITS | MOST_WATCHES),
        ).fetchall()
    if not rows:
        return np.empty((5, 0), np.int64)
    ids = np.array([row[0] for row in rows], np.int64)
    number = np.array([len(row[1]) for row in rows], np.int64) // PACKED.itemsize
    packed = np.frombuffer(b"".join(row[1] for row in rows), PACKED)
    due = np.repeat(ids >> WATCH_BITS, number) * HOUR_S + packed["due"]
    columns = [np.repeat(ids & MOST_WATCHES, number), due]
    columns += [packed[name].astype(np.int64) for name in ("flag", "us", "late")]
    return np.array(columns, np.int64)


def _fresh(connection: sqlite3.Connection, watches: Numbers, begin: int, end: int) -> Numbers:
    if not len(watches):
        return np.empty((5, 0), np.int64)
    rows = connection.execute(
        "SELECT watch, due, flag, us, late FROM watch_run WHERE due >= ? AND due < ? "
        "AND watch BETWEEN ? AND ? ORDER BY due, watch, turn",
        (begin, end, int(watches[0]), int(watches[-1])),
    ).fetchall()
    return np.array([tuple(row) for row in rows], np.int64).reshape(-1, 5).T
