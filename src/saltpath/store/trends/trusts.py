"""Which cases can be trusted (core/trends/trust.py), as it was last worked out."""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence

from msgspec import json

from saltpath.core.trends.trust import Trust
from saltpath.store.database import write


def note(
    connection: sqlite3.Connection,
    project: int,
    environment: str,
    until: int,
    found: Sequence[Trust],
) -> None:
    """By the runs up to a moment (seconds, UTC)."""
    with write(connection):
        connection.execute(
            "INSERT OR REPLACE INTO trend_trust (project, environment, until, found) VALUES "
            "(?, ?, ?, ?)",
            (project, environment, until, json.encode(found).decode()),
        )


def found(
    connection: sqlite3.Connection, project: int, environment: str
) -> tuple[int, list[Trust]] | None:
    """Up to when the runs were looked at (seconds, UTC), and what was found; None: nobody has
    looked."""
    row = connection.execute(
        "SELECT until, found FROM trend_trust WHERE project = ? AND environment = ?",
        (project, environment),
    ).fetchone()
    return None if row is None else (row[0], json.decode(row[1], type=list[Trust]))
