"""What was last found in the times of what is followed (core/trends/changes.py)."""

from __future__ import annotations

import sqlite3
from collections.abc import Mapping

from msgspec import Struct, json

from saltpath.core.trends.changes import Moved
from saltpath.store.database import write


class Look(Struct, frozen=True):
    """`until`: the last run that it has looked at was asked for then (seconds, UTC); `us`: what it
    took in all over the thirty days before, microseconds."""

    until: int
    us: int
    found: list[Moved]


def looks(connection: sqlite3.Connection, project: int, environment: str) -> dict[int, Look]:
    """By the number of the series."""
    rows = connection.execute(
        "SELECT series, until, us, found FROM trend_look WHERE project = ? AND environment = ?",
        (project, environment),
    )
    return {row[0]: Look(row[1], row[2], _read(row[3])) for row in rows}


def found(connection: sqlite3.Connection, project: int, environment: str) -> dict[int, list[Moved]]:
    """Only those in which something was found."""
    rows = connection.execute(
        "SELECT series, found FROM trend_look WHERE project = ? AND environment = ? AND "
        "found <> '[]'",
        (project, environment),
    )
    return {row[0]: _read(row[1]) for row in rows}


def _read(text: str) -> list[Moved]:
    return [] if text == "[]" else json.decode(text, type=list[Moved])


def note(
    connection: sqlite3.Connection, project: int, environment: str, seen: Mapping[int, Look]
) -> None:
    """What was found of some series, by their numbers."""
    with write(connection):
        connection.executemany(
            "INSERT OR REPLACE INTO trend_look (series, environment, project, until, us, found) "
            "VALUES (?, ?, ?, ?, ?, ?)",
            [
                (id, environment, project, one.until, one.us, json.encode(one.found).decode())
                for id, one in seen.items()
            ],
        )
