"""What reports say of a case, kept with each of its versions as they are saved (cases.py)."""

from __future__ import annotations

import sqlite3

from saltpath.core.cases.summary import Summary, read_summary, summary_of, write_summary
from saltpath.core.format.readable import readable_case
from saltpath.core.values import plain
from saltpath.store.database import NotFound, write

PIECE = 200
"""Versions that are looked at in one transaction."""


def summary_at(connection: sqlite3.Connection, id: int, version: int) -> Summary:
    """What a case is at the version that a run used, as `case_at` finds it. Raises NotFound."""
    row = connection.execute(
        "SELECT summary FROM case_revision WHERE test_case = ? AND version >= ? ORDER BY version "
        "LIMIT 1",
        (id, version),
    ).fetchone()
    if row is None:
        raise NotFound(f"version {version} of this case is not kept")
    return read_summary(row["summary"])


def check_stored(connection: sqlite3.Connection) -> None:
    """Look once whether what older versions of Salt Path have stored can be read, and note what
    reports say of it, so that it need not be looked at whenever it is asked for."""
    place: tuple[int, int] | None = (0, 0)
    while place is not None:
        place = _check_piece(connection, place)


def _check_piece(connection: sqlite3.Connection, after: tuple[int, int]) -> tuple[int, int] | None:
    """Some of what was not looked at yet, from behind a version (case, version); the last of them,
    or None if there was none."""
    rows = connection.execute(
        "SELECT c.id, r.version, r.document, c.name, c.key FROM test_case c JOIN case_revision r "
        "ON r.test_case = c.id"
        " WHERE (c.id, r.version) > (?, ?) AND ((r.version = c.version AND NOT r.checked)"
        " OR (r.summary = '' AND (r.used OR r.version = c.version)))"
        " ORDER BY c.id, r.version LIMIT ?",
        (*after, PIECE),
    ).fetchall()
    noted = []
    for row in rows:
        read, wrong = readable_case(plain.read_json(row["document"]), row["name"], row["key"])
        noted.append((not wrong, write_summary(summary_of(read)), row["id"], row["version"]))
    with write(connection):
        connection.executemany(
            "UPDATE case_revision SET checked = ?, summary = ? WHERE test_case = ? AND version = ?",
            noted,
        )
    return (rows[-1]["id"], rows[-1]["version"]) if rows else None
