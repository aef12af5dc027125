"""What runs of watches saw: the steps of one as one record, packed against what the watch saw
before, which it resembles; large bodies apart, the same ones once."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable, Sequence
from typing import Any

import msgspec
import zstandard
from msgspec import Struct

from saltpath.store.bases import Base, Bases, bare_against, dictionary, unpacked
from saltpath.store.evidence import StepEvidence, StepHead, read_record
from saltpath.store.step_rows import StepRow

GOOD, BAD, WHOLE = range(3)
"""How long it is kept (`keep`): good ones shortest; WHOLE: the first, and one good one a day."""
MOST_HELD = 100_000_000
"""Bytes of bases that are kept in memory."""
SECOND_US = 1_000_000
ABSOLUTE_US = 10**14
"""A moment of a step at least so large is one of the clock's, a smaller one counts from when its
run was due: that takes fewer bytes."""


class WatchPacker:
    """Packs what runs of watches saw, each against its watch's base."""

    def __init__(self) -> None:
        self._bases = Bases[int](MOST_HELD)

    def put(
        self,
        connection: sqlite3.Connection,
        run: tuple[int, int, int],
        attempt: int,
        keep: int,
        cases: Sequence[tuple[str, str]],
        steps: Sequence[StepRow],
    ) -> None:
        """Insert what a run (watch, due, turn) saw in one attempt, within the caller's
        transaction."""
        watch, due, turn = run
        for step in steps:
            for key, body in step.bodies.items():
                connection.execute(
                    "INSERT INTO watch_body (hash, packed, last_due, keep) VALUES (?, ?, ?, ?) ON "
                    "CONFLICT DO UPDATE SET last_due = MAX(last_due, excluded.last_due), keep = "
                    "MAX(keep, excluded.keep)",
                    (key, self._bases.alone(body), due, keep),
                )
        record = msgspec.msgpack.encode([list(cases), [_kept(step, due) for step in steps]])
        base = self._bases.get(watch) or self._stored(connection, watch)
        packed = bare_against(base, record) if base is not None else b""
        if base is None or not base.fits(packed):
            base = self._new(connection, watch, due, record)
            packed = bare_against(base, record)
        connection.execute(
            "INSERT OR IGNORE INTO watch_evidence (watch, due, turn, attempt, keep, against, "
            "packed) VALUES (?, ?, ?, ?, ?, ?, ?)",
            (watch, due, turn, attempt, keep, base.id, packed),
        )

    def _stored(self, connection: sqlite3.Connection, watch: int) -> Base | None:
        row = connection.execute(
            "SELECT id, packed FROM watch_base WHERE watch = ? ORDER BY id DESC LIMIT 1", (watch,)
        ).fetchone()
        if row is None:
            return None
        return self._bases.read(watch, row["id"], row["packed"])

    def _new(self, connection: sqlite3.Connection, watch: int, due: int, record: bytes) -> Base:
        packed = self._bases.alone(record)
        cursor = connection.execute(
            "INSERT INTO watch_base (watch, packed, last_due) VALUES (?, ?, ?)",
            (watch, packed, due),
        )
        made = Base(int(cursor.lastrowid or 0), dictionary(record), len(packed))
        return self._bases.remember(watch, made)

    def forget(self) -> None:
        """After a rollback, or when bases were taken away: they may name rows that are not
        there."""
        self._bases.forget()


class Attempt(Struct, frozen=True):
    """What a run saw in one attempt."""

    cases: tuple[tuple[str, str], ...]
    """The id and the name of each case, by position."""
    steps: tuple[StepEvidence, ...]


def oldest(connection: sqlite3.Connection, watches: Iterable[int], keep: int) -> int | None:
    """When the oldest run of these watches was due (seconds) of which evidence is kept so long;
    None: there is none."""
    found = (
        connection.execute(
            "SELECT due FROM watch_evidence WHERE watch = ? AND keep = ? ORDER BY due LIMIT 1",
            (watch, keep),
        ).fetchone()
        for watch in watches
    )
    return min((row[0] for row in found if row is not None), default=None)


def turn_of(connection: sqlite3.Connection, watch: int, due: int) -> int:
    """The last turn in which a run that was due then saw something."""
    found = connection.execute(
        "SELECT MAX(turn) FROM watch_evidence WHERE watch = ? AND due = ?", (watch, due)
    ).fetchone()[0]
    return int(found or 0)


def attempts(connection: sqlite3.Connection, watch: int, due: int, turn: int) -> list[Attempt]:
    """What a run saw, by attempt, the believed one last; none where nothing is kept of it. What
    cannot be read any more is not there."""
    rows = connection.execute(
        "SELECT e.packed, b.packed AS base FROM watch_evidence e JOIN watch_base b ON b.id = "
        "e.against WHERE e.watch = ? AND e.due = ? AND e.turn = ? ORDER BY e.attempt",
        (watch, due, turn),
    ).fetchall()
    found = []
    for row in rows:
        try:
            base = zstandard.ZstdDecompressor().decompress(row["base"])
            record = unpacked(row["packed"], base)
            cases, steps = msgspec.msgpack.decode(record)
            read = tuple(_step(connection, step, due) for step in steps)
            found.append(Attempt(tuple((id, name) for id, name in cases), read))
        except (zstandard.ZstdError, msgspec.MsgspecError, ValueError, LookupError):
            continue
    return found


def _kept(step: StepRow, due: int) -> list[Any]:
    """As it stands in the record; what changes from run to run comes last, so that the rest is
    found in the base as a whole."""
    head = [step.position, step.row, step.part, step.step, step.inner, step.key, step.verdict]
    return [*head, step.status, step.size, step.record, step.us, step.at - due * SECOND_US]


def _step(connection: sqlite3.Connection, kept: list[Any], due: int) -> StepEvidence:
    position, row, part, step, inner, key, verdict, status, size, record, us, at = kept
    at += 0 if at >= ABSOLUTE_US else due * SECOND_US
    head = StepHead(position, row, part, step, verdict, status, us, at, inner, size)

    def body(stored: Any) -> bytes:
        if isinstance(stored, bytes):
            return stored
        found = connection.execute(
            "SELECT packed FROM watch_body WHERE hash = ?", (stored[0],)
        ).fetchone()
        return zstandard.ZstdDecompressor().decompress(found["packed"]) if found else b""

    return read_record(record, head, key, body)
