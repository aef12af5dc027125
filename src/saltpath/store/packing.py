"""Evidence on its way into the store: packed against what the same step saw before, in whichever
run."""

from __future__ import annotations

import re
import sqlite3

import zstandard
from msgspec import Struct

from saltpath.store import output_rows
from saltpath.store.step_rows import StepRow

_LEVEL = 3
MOST_HELD = 50_000_000
"""Bytes of bases that are kept in memory."""
WORTH = 2
"""A base stands as long as what is packed against it is so many times smaller than itself."""
_PLACE = re.compile(r"\d+\.")  # the number of an item, whose records are alike


class _Base(Struct):
    """What a step's records are packed against."""

    id: int
    dictionary: zstandard.ZstdCompressionDict
    size: int
    """Bytes of it, packed by itself."""
    run: int
    """The newest run that uses it."""


class Packer:
    """Compresses rows of one process's connections, each against its step's base: the last
    `MOST_HELD` bytes of bases are remembered, others are read again. A base that fits no more is
    replaced when the step is first met in a run. A compressor is made for each use, which takes no
    longer than to use one that is kept; kept, each takes up to 4 MB."""

    def __init__(self) -> None:
        self._plain = zstandard.ZstdCompressor(level=_LEVEL)
        self._bases: dict[tuple[int, str], _Base] = {}
        self._held = 0

    def insert(
        self,
        connection: sqlite3.Connection,
        project: int,
        run: int,
        rows: list[StepRow],
        bare: bool = False,
    ) -> None:
        """Insert rows within the caller's transaction; rows that are there already are left alone.
        `bare`: without what the steps saw."""
        for row in rows:
            against, packed = None, b""
            if not bare:
                self._bodies(connection, run, row)
                against, packed = self._packed(connection, project, run, row)
            connection.execute(
                "INSERT OR IGNORE INTO step (project, run, position, row, part, step, attempt, "
                "key, verdict, status, us, at, against, packed, inner, size, flags)"
                " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
                (
                    project,
                    run,
                    row.position,
                    row.row,
                    row.part,
                    row.step,
                    row.attempt,
                    row.key,
                    row.verdict,
                    row.status,
                    row.us,
                    row.at,
                    against,
                    packed,
                    row.inner,
                    row.size,
                    row.flags,
                ),
            )
            if row.wrote is not None:
                output_rows.insert(connection, project, run, row.position, row.wrote)

    def _bodies(self, connection: sqlite3.Connection, run: int, row: StepRow) -> None:
        for key, body in row.bodies.items():
            connection.execute(
                "INSERT INTO body (hash, size, packed, last_run) VALUES (?, ?, ?, ?)"
                " ON CONFLICT DO UPDATE SET last_run = MAX(last_run, excluded.last_run)",
                (key, len(body), self._plain.compress(body), run),
            )

    def _packed(
        self, connection: sqlite3.Connection, project: int, run: int, row: StepRow
    ) -> tuple[int, bytes]:
        """The id of its base, and the record packed against that."""
        # a step without a key is known within its run only
        own = row.key or f"{run} {row.position} {row.part} {row.step}"
        name = (project, f"{own} {_PLACE.sub('', row.inner)}")
        base = self._bases.get(name) or self._stored(connection, name)
        if base is None:
            base = self._new(connection, name, run, row.record)
        packed = _against(base, row.record)
        if base.run < run:  # its step is met for the first time in this run
            fits = len(packed) * WORTH <= base.size
            if not fits or not _used_again(connection, name, base, run):
                base = self._new(connection, name, run, row.record)
                packed = _against(base, row.record)
        return base.id, packed

    def _stored(self, connection: sqlite3.Connection, name: tuple[int, str]) -> _Base | None:
        row = connection.execute(
            "SELECT id, packed, last_run FROM base WHERE project = ? AND name = ?"
            " ORDER BY id DESC LIMIT 1",
            name,
        ).fetchone()
        if row is None:
            return None
        try:
            record = zstandard.ZstdDecompressor().decompress(row["packed"])
        except zstandard.ZstdError:  # a damaged file: what comes now is packed anew
            return None
        size = len(row["packed"])
        return self._remember(name, _Base(row["id"], _dictionary(record), size, row["last_run"]))

    def _new(
        self, connection: sqlite3.Connection, name: tuple[int, str], run: int, record: bytes
    ) -> _Base:
        packed = self._plain.compress(record)
        cursor = connection.execute(
            "INSERT INTO base (project, name, packed, last_run) VALUES (?, ?, ?, ?)",
            (*name, packed, run),
        )
        base = _Base(int(cursor.lastrowid or 0), _dictionary(record), len(packed), run)
        return self._remember(name, base)

    def _remember(self, name: tuple[int, str], base: _Base) -> _Base:
        before = self._bases.pop(name, None)
        self._held += len(base.dictionary) - (len(before.dictionary) if before else 0)
        self._bases[name] = base
        while self._held > MOST_HELD and len(self._bases) > 1:
            oldest = next(iter(self._bases))
            self._held -= len(self._bases.pop(oldest).dictionary)
        return base

    def forget(self) -> None:
        """After a rollback: bases may name rows that are not there."""
        self._bases.clear()
        self._held = 0


def _used_again(
    connection: sqlite3.Connection, name: tuple[int, str], base: _Base, run: int
) -> bool:
    """Note that a later run uses a base; False if it was taken away since (keeping.py), in which
    case its number may be another's by now."""
    found = connection.execute(
        "UPDATE base SET last_run = ? WHERE id = ? AND project = ? AND name = ?",
        (run, base.id, *name),
    ).rowcount
    base.run = run
    return found == 1


def _against(base: _Base, record: bytes) -> bytes:
    packer = zstandard.ZstdCompressor(
        level=_LEVEL, dict_data=base.dictionary, write_content_size=True
    )
    return packer.compress(record)


def _dictionary(record: bytes) -> zstandard.ZstdCompressionDict:
    return zstandard.ZstdCompressionDict(record, dict_type=zstandard.DICT_TYPE_RAWCONTENT)
