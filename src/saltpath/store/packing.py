"""Evidence on its way into the store: packed against what a step's first record of the run was."""

from __future__ import annotations

import re
import sqlite3

import zstandard

from saltpath.store import output_rows
from saltpath.store.step_rows import StepRow

_LEVEL = 3
MOST_HELD = 50_000_000
"""Bytes of first records."""
_PLACE = re.compile(r"\d+\.")  # the number of an item, whose records are alike


class Packer:
    """Compresses rows of one process's connections, remembering each step's first record of each
    run: the last `MOST_HELD` bytes of them. A compressor is made for each use, which takes no
    longer than to use one that is kept; kept, each takes up to 4 MB."""

    def __init__(self) -> None:
        self._plain = zstandard.ZstdCompressor(level=_LEVEL)
        self._bases: dict[tuple[int, str, int, str], tuple[int, zstandard.ZstdCompressionDict]] = {}
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
            for key, body in () if bare else row.bodies.items():
                connection.execute(
                    "INSERT INTO body (hash, size, packed, last_run) VALUES (?, ?, ?, ?)"
                    " ON CONFLICT DO UPDATE SET last_run = MAX(last_run, excluded.last_run)",
                    (key, len(body), self._plain.compress(body), run),
                )
            name = (run, row.key or row.part, row.step, _PLACE.sub("", row.inner))
            base = None if bare else self._bases.get(name)
            packer = self._plain
            if base is not None:
                packer = zstandard.ZstdCompressor(
                    level=_LEVEL, dict_data=base[1], write_content_size=True
                )
            packed = b"" if bare else packer.compress(row.record)
            cursor = connection.execute(
                "INSERT OR IGNORE INTO step (project, run, position, row, part, step, attempt, "
                "key, verdict, status, us, at,"
                " base, packed, inner, size, flags) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, "
                "?, ?, ?, ?, ?)",
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
                    base[0] if base else None,
                    packed,
                    row.inner,
                    row.size,
                    row.flags,
                ),
            )
            if row.wrote is not None:
                output_rows.insert(connection, project, run, row.position, row.wrote)
            if base is None and cursor.rowcount == 1 and not bare:
                self._remember(name, int(cursor.lastrowid or 0), row.record)

    def _remember(self, name: tuple[int, str, int, str], id: int, record: bytes) -> None:
        self._held += len(record)
        while self._held > MOST_HELD and self._bases:
            oldest = next(iter(self._bases))
            self._held -= len(self._bases.pop(oldest)[1])
        dictionary = zstandard.ZstdCompressionDict(record, dict_type=zstandard.DICT_TYPE_RAWCONTENT)
        self._bases[name] = (id, dictionary)

    def forget(self) -> None:
        """After a rollback: bases may name rows that are not there."""
        self._bases.clear()
        self._held = 0
