"""What runs of watches saw: the steps of one as one record, packed against what the watch saw
before, which it resembles; large bodies apart, the same ones once."""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence
from typing import Any

import msgspec
import zstandard
from msgspec import Struct

from saltpath.store.evidence import StepEvidence, StepHead, read_record
from saltpath.store.step_rows import StepRow

GOOD, BAD, WHOLE = range(3)
"""How long it is kept (`keep`): good ones shortest; WHOLE: the first, and one good one a day."""
_LEVEL = 3
MOST_HELD = 100_000_000
"""Bytes of bases that are kept in memory."""
WORTH = 2
"""A base stands as long as what is packed against it is so many times smaller than itself."""


class _Base(Struct):
    id: int
    dictionary: zstandard.ZstdCompressionDict
    size: int
    """Bytes of it, packed by itself."""


class WatchPacker:
    """Packs what runs of watches saw, each against its watch's base."""

    def __init__(self) -> None:
        self._plain = zstandard.ZstdCompressor(level=_LEVEL)
        self._bases: dict[int, _Base] = {}
        self._held = 0

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
                    "INSERT INTO watch_body (hash, packed, last_due) VALUES (?, ?, ?) ON CONFLICT "
                    "DO UPDATE SET last_due = MAX(last_due, excluded.last_due)",
                    (key, self._plain.compress(body), due),
                )
        record = msgspec.msgpack.encode([list(cases), [_kept(step) for step in steps]])
        base = self._bases.get(watch) or self._stored(connection, watch)
        packed = _against(base, record) if base is not None else b""
        if base is None or len(packed) * WORTH > base.size:
            base = self._new(connection, watch, due, record)
            packed = _against(base, record)
        connection.execute(
            "INSERT OR IGNORE INTO watch_evidence (watch, due, turn, attempt, keep, against, "
            "packed) VALUES (?, ?, ?, ?, ?, ?, ?)",
            (watch, due, turn, attempt, keep, base.id, packed),
        )

    def _stored(self, connection: sqlite3.Connection, watch: int) -> _Base | None:
        row = connection.execute(
            "SELECT id, packed FROM watch_base WHERE watch = ? ORDER BY id DESC LIMIT 1", (watch,)
        ).fetchone()
        if row is None:
            return None
        try:
            record = zstandard.ZstdDecompressor().decompress(row["packed"])
        except zstandard.ZstdError:  # a damaged file: what comes now is packed anew
            return None
        return self._remember(watch, _Base(row["id"], _dictionary(record), len(row["packed"])))

    def _new(self, connection: sqlite3.Connection, watch: int, due: int, record: bytes) -> _Base:
        packed = self._plain.compress(record)
        cursor = connection.execute(
            "INSERT INTO watch_base (watch, packed, last_due) VALUES (?, ?, ?)",
            (watch, packed, due),
        )
        made = _Base(int(cursor.lastrowid or 0), _dictionary(record), len(packed))
        return self._remember(watch, made)

    def _remember(self, watch: int, base: _Base) -> _Base:
        before = self._bases.pop(watch, None)
        self._held += len(base.dictionary) - (len(before.dictionary) if before else 0)
        self._bases[watch] = base
        while self._held > MOST_HELD and len(self._bases) > 1:
            oldest = next(iter(self._bases))
            self._held -= len(self._bases.pop(oldest).dictionary)
        return base

    def forget(self) -> None:
        """After a rollback, or when bases were taken away: they may name rows that are not
        there."""
        self._bases.clear()
        self._held = 0


class Attempt(Struct, frozen=True):
    """What a run saw in one attempt."""

    cases: tuple[tuple[str, str], ...]
    """The id and the name of each case, by position."""
    steps: tuple[StepEvidence, ...]


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
            dictionary = _dictionary(zstandard.ZstdDecompressor().decompress(row["base"]))
            record = zstandard.ZstdDecompressor(dict_data=dictionary).decompress(row["packed"])
            cases, steps = msgspec.msgpack.decode(record)
            read = tuple(_step(connection, step) for step in steps)
            found.append(Attempt(tuple((id, name) for id, name in cases), read))
        except (zstandard.ZstdError, msgspec.MsgspecError, ValueError, LookupError):
            continue
    return found


def _kept(step: StepRow) -> list[Any]:
    """As it stands in the record; what changes from run to run comes last, so that the rest is
    found in the base as a whole."""
    head = [step.position, step.row, step.part, step.step, step.inner, step.key, step.verdict]
    return [*head, step.status, step.size, step.record, step.us, step.at]


def _step(connection: sqlite3.Connection, kept: list[Any]) -> StepEvidence:
    position, row, part, step, inner, key, verdict, status, size, record, us, at = kept
    head = StepHead(position, row, part, step, verdict, status, us, at, inner, size)

    def body(stored: Any) -> bytes:
        if isinstance(stored, bytes):
            return stored
        found = connection.execute(
            "SELECT packed FROM watch_body WHERE hash = ?", (stored[0],)
        ).fetchone()
        return zstandard.ZstdDecompressor().decompress(found["packed"]) if found else b""

    return read_record(record, head, key, body)


def _against(base: _Base, record: bytes) -> bytes:
    packer = zstandard.ZstdCompressor(
        level=_LEVEL, dict_data=base.dictionary, write_content_size=True
    )
    return packer.compress(record)


def _dictionary(record: bytes) -> zstandard.ZstdCompressionDict:
    return zstandard.ZstdCompressionDict(record, dict_type=zstandard.DICT_TYPE_RAWCONTENT)
