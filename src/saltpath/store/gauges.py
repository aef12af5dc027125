"""Numbers of an installation itself, over all projects, for whoever watches it."""

from __future__ import annotations

import sqlite3

from msgspec import Struct


class Gauges(Struct, frozen=True):
    """`runs`: those that ended, by verdict; `messages`, `deliveries`: by state."""

    projects: int
    people: int
    cases: int
    runs: dict[str, int]
    waiting: int
    """Runs that nobody has begun."""
    running: int
    watches: int
    outages: int
    """That last."""
    messages: dict[str, int]
    deliveries: dict[str, int]
    last_run_at: int
    """When the last run ended, UTC microseconds; 0: none did."""
    last_watch_due: int
    """When the last run of a watch was due that was written down, UTC seconds; 0: none."""


def gauges(main: sqlite3.Connection, history: sqlite3.Connection) -> Gauges:
    return Gauges(
        _one(main, "SELECT COUNT(*) FROM project"),
        _one(main, "SELECT COUNT(*) FROM person WHERE ended_at IS NULL"),
        _one(
            main,
            "SELECT COUNT(*) FROM test_case c JOIN suite s ON s.id = c.suite WHERE c.gone_at IS "
            "NULL AND s.hidden = 0",
        ),
        _by(
            main,
            "SELECT verdict, COUNT(*) FROM run WHERE kind = 'run' AND verdict IS NOT NULL GROUP "
            "BY verdict",
        ),
        _one(main, "SELECT COUNT(*) FROM job WHERE state = 'waiting'"),
        _one(main, "SELECT COUNT(*) FROM job WHERE state = 'running'"),
        _one(history, "SELECT COUNT(*) FROM watch_state WHERE NOT off"),
        _one(history, "SELECT COUNT(*) FROM trouble WHERE kind = 'outage' AND ended = 0"),
        _by(history, "SELECT state, COUNT(*) FROM alert_message GROUP BY state"),
        _by(main, "SELECT state, COUNT(*) FROM delivery GROUP BY state"),
        _one(
            main,
            "SELECT COALESCE(MAX(finished_at), 0) FROM run WHERE kind = 'run' AND finished_at IS "
            "NOT NULL",
        ),
        _one(history, "SELECT COALESCE(MAX(last_due), 0) FROM watch_state"),
    )


def _one(connection: sqlite3.Connection, statement: str) -> int:
    return int(connection.execute(statement).fetchone()[0])


def _by(connection: sqlite3.Connection, statement: str) -> dict[str, int]:
    return {row[0]: row[1] for row in connection.execute(statement)}
