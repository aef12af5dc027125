"""What was last found in the times of what is followed (core/trends/changes.py)."""

from __future__ import annotations

import sqlite3
from collections.abc import Mapping, Sequence

from msgspec import Struct, json

from saltpath.core.trends.changes import Moved
from saltpath.store.database import write


class Look(Struct, frozen=True):
    """`until`: the last run that it has looked at was asked for then (seconds, UTC)."""

    until: int
    found: list[Moved]


def looks(connection: sqlite3.Connection, project: int, environment: str) -> dict[int, Look]:
    """By the number of the series."""
    rows = connection.execute(
        "SELECT series, until, found FROM trend_look WHERE project = ? AND environment = ?",
        (project, environment),
    )
    return {row[0]: Look(row[1], json.decode(row[2], type=list[Moved])) for row in rows}


def found(connection: sqlite3.Connection, project: int, environment: str) -> dict[int, list[Moved]]:
    """Only those in which something was found."""
    rows = connection.execute(
        "SELECT series, found FROM trend_look WHERE project = ? AND environment = ? AND "
        "found <> '[]'",
        (project, environment),
    )
    return {row[0]: json.decode(row[1], type=list[Moved]) for row in rows}


def to_look_through(connection: sqlite3.Connection) -> list[tuple[int, str]]:
    """Projects and environments with entries of later hours than were looked at."""
    rows = connection.execute(
        "SELECT h.project, h.environment FROM (SELECT project, environment, MAX(hour) AS hour FROM "
        "trend_hour WHERE what = 'step' GROUP BY project, environment) h LEFT JOIN (SELECT "
        "project, environment, MAX(until) AS until FROM trend_look GROUP BY project, environment) "
        "l ON l.project = h.project AND l.environment = h.environment "
        "WHERE l.until IS NULL OR (h.hour + 1) * 3600 > l.until"
    )
    return [(row[0], row[1]) for row in rows]


def note(
    connection: sqlite3.Connection,
    project: int,
    environment: str,
    seen: Mapping[int, tuple[int, Sequence[Moved]]],
) -> None:
    """What was found of some series, up to when."""
    with write(connection):
        connection.executemany(
            "INSERT OR REPLACE INTO trend_look (series, environment, project, until, found) "
            "VALUES (?, ?, ?, ?, ?)",
            [
                (series, environment, project, until, json.encode(list(moved)).decode())
                for series, (until, moved) in seen.items()
            ],
        )
