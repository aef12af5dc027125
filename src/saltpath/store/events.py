"""Events: what happened, by a growing id, for live views. Stored events are read for ever."""

from __future__ import annotations

import sqlite3
from typing import Any

from saltpath.core.values import plain
from saltpath.store.database import now_us


def add_event(
    connection: sqlite3.Connection,
    project: int,
    run: int | None,
    at: int,
    type: str,
    body: dict[str, Any],
) -> None:
    """Within a transaction of the caller's."""
    connection.execute(
        "INSERT INTO event (project, run, at, type, body) VALUES (?, ?, ?, ?, ?)",
        (project, run, at, type, plain.write_json(body).decode()),
    )


def suites_changed(connection: sqlite3.Connection, project: int) -> None:
    """What the outline of a project shows of its suites, within a transaction of the caller's."""
    add_event(connection, project, None, now_us(), "suites changed", {})


def after(
    connection: sqlite3.Connection, project: int, id: int, limit: int = 500
) -> list[dict[str, Any]]:
    """Events after an id, oldest first: `{v, id, at, run, type, ...}`."""
    rows = connection.execute(
        "SELECT id, at, type, body FROM event WHERE project = ? AND id > ? ORDER BY id LIMIT ?",
        (project, id, limit),
    )
    return [
        {
            "v": 1,
            "id": row["id"],
            "at": row["at"],
            "type": row["type"],
            **plain.read_json(row["body"]),
        }
        for row in rows
    ]


def last_id(connection: sqlite3.Connection) -> int:
    return int(connection.execute("SELECT COALESCE(MAX(id), 0) FROM event").fetchone()[0])
