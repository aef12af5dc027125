"""Evidence on its way into the store: packed against what the same step saw before, in whichever
run."""

from __future__ import annotations

import re
import sqlite3

from saltpath.store import output_rows
from saltpath.store.bases import Base, Bases, against, dictionary
from saltpath.store.step_rows import StepRow

MOST_HELD = 50_000_000
"""Bytes of bases that are kept in memory."""
_PLACE = re.compile(r"\d+\.")  # the number of an item, whose records are alike


class Packer:
    """Compresses rows of one process's connections, each against its step's base. A base that fits
    no more is replaced when the step is first met in a run."""

    def __init__(self) -> None:
        self._bases = Bases[tuple[int, str]](MOST_HELD)

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
                (key, len(body), self._bases.alone(body), run),
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
        packed = against(base, row.record)
        met_first = base.last < run
        if met_first and not (base.fits(packed) and _used_again(connection, name, base, run)):
            base = self._new(connection, name, run, row.record)
            packed = against(base, row.record)
        return base.id, packed

    def _stored(self, connection: sqlite3.Connection, name: tuple[int, str]) -> Base | None:
        row = connection.execute(
            "SELECT id, packed, last_run FROM base WHERE project = ? AND name = ?"
            " ORDER BY id DESC LIMIT 1",
            name,
        ).fetchone()
        if row is None:
            return None
        return self._bases.read(name, row["id"], row["packed"], row["last_run"])

    def _new(
        self, connection: sqlite3.Connection, name: tuple[int, str], run: int, record: bytes
    ) -> Base:
        packed = self._bases.alone(record)
        cursor = connection.execute(
            "INSERT INTO base (project, name, packed, last_run) VALUES (?, ?, ?, ?)",
            (*name, packed, run),
        )
        base = Base(int(cursor.lastrowid or 0), dictionary(record), len(packed), run)
        return self._bases.remember(name, base)

    def forget(self) -> None:
        """After a rollback: bases may name rows that are not there."""
        self._bases.forget()


def _used_again(
    connection: sqlite3.Connection, name: tuple[int, str], base: Base, run: int
) -> bool:
    """Note that a later run uses a base; False if it was taken away since (keeping.py), in which
    case its number may be another's by now."""
    found = connection.execute(
        "UPDATE base SET last_run = ? WHERE id = ? AND project = ? AND name = ?",
        (run, base.id, *name),
    ).rowcount
    base.last = run
    return found == 1
