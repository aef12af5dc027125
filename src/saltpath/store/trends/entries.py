"""Entries of runs (core/trends/entries.py), a blob for each environment and hour. A run's are
written once."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator, Mapping

from msgspec import Struct

from saltpath.core.trends.entries import LAYOUT, Entries, What, joined
from saltpath.store.database import write

HOUR_S = 3_600
SECOND_US = 1_000_000
PIECE = 200
"""Hours that are taken away in one transaction."""
SLACK_US = 600 * SECOND_US
"""So much later than others a run may be written down that has ended before them."""


class SummedRun(Struct, frozen=True):
    """A run that is among the entries. `at`: when it was asked for; UTC microseconds."""

    run: int
    project: int
    number: int
    oid: str
    build: str
    runner: str
    at: int
    finished_at: int


def to_sum_up(
    main: sqlite3.Connection, history: sqlite3.Connection, most: int
) -> list[tuple[int, int]]:
    """Runs (with when they ended) that have ended and are not among the entries, the first that
    did first; at most so many."""
    last = history.execute("SELECT MAX(finished_at) FROM trend_run").fetchone()[0] or 0
    rows = main.execute(
        "SELECT id, finished_at FROM run WHERE kind = 'run' AND finished_at IS NOT NULL AND "
        "finished_at > ? ORDER BY finished_at, id",
        (last - SLACK_US,),
    )
    known = {
        row[0]
        for row in history.execute(
            "SELECT run FROM trend_run WHERE finished_at > ?", (last - SLACK_US,)
        )
    }
    found: list[tuple[int, int]] = []
    for row in rows:
        if row["id"] not in known:
            found.append((row["id"], row["finished_at"]))
            if len(found) == most:
                break
    return found


def add(
    connection: sqlite3.Connection,
    run: SummedRun,
    made: Mapping[tuple[What, str], Entries],
) -> bool:
    """A run's entries, by what they are of and the environment; False: it is among them."""
    hour = run.at // SECOND_US // HOUR_S
    with write(connection):
        new = connection.execute(
            "INSERT OR IGNORE INTO trend_run (run, project, number, oid, build, runner, at, "
            "finished_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
            (
                run.run,
                run.project,
                run.number,
                run.oid,
                run.build,
                run.runner,
                run.at,
                run.finished_at,
            ),
        ).rowcount
        if not new:
            return False
        for (what, environment), entries in made.items():
            connection.execute(
                "INSERT INTO trend_hour (project, what, environment, hour, layout, entries) VALUES "
                "(?, ?, ?, ?, ?, ?) ON CONFLICT (project, what, environment, hour) DO UPDATE SET "
                "entries = CAST(entries || excluded.entries AS BLOB)",
                (run.project, what, environment, hour, LAYOUT, entries.tobytes()),
            )
    return True


def entries(
    connection: sqlite3.Connection,
    project: int,
    what: What,
    environment: str,
    begin: int,
    end: int,
) -> Entries:
    """Those of runs that were asked for within a stretch (seconds, UTC), in their order."""
    rows = connection.execute(
        "SELECT entries FROM trend_hour WHERE project = ? AND what = ? AND environment = ? AND "
        "hour BETWEEN ? AND ? AND layout = ? ORDER BY hour",
        (project, what, environment, begin // HOUR_S, (end - 1) // HOUR_S, LAYOUT),
    )
    found = joined(what, [row[0] for row in rows])
    within = (found["at"] >= begin) & (found["at"] < end)
    return found if within.all() else found[within]


def environments(connection: sqlite3.Connection, project: int) -> list[str]:
    """Those that there are entries of, the one with the newest first."""
    rows = connection.execute(
        "SELECT environment FROM trend_hour WHERE project = ? AND what = 'case' GROUP BY "
        "environment ORDER BY MAX(hour) DESC, COUNT(*) DESC",
        (project,),
    )
    return [row[0] for row in rows]


def runs_between(
    connection: sqlite3.Connection, project: int, begin: int, end: int
) -> dict[int, SummedRun]:
    """Those that were asked for within a stretch (seconds, UTC), by their numbers."""
    rows = connection.execute(
        "SELECT run, project, number, oid, build, runner, at, finished_at FROM trend_run WHERE "
        "project = ? AND at >= ? AND at < ?",
        (project, begin * SECOND_US, end * SECOND_US),
    )
    return {row["run"]: SummedRun(*row) for row in rows}


def take_away(connection: sqlite3.Connection, project: int, before: int) -> Iterator[int]:
    """What is older than a moment (seconds, UTC), some hours at a time; how many each time."""
    while True:
        with write(connection):
            gone = connection.execute(
                "DELETE FROM trend_hour WHERE rowid IN (SELECT rowid FROM trend_hour WHERE "
                "project = ? AND hour < ? LIMIT ?)",
                (project, before // HOUR_S, PIECE),
            ).rowcount
        if not gone:
            break
        yield gone
    with write(connection):
        gone = connection.execute(
            "DELETE FROM trend_run WHERE project = ? AND at < ?", (project, before * SECOND_US)
        ).rowcount
    if gone:
        yield gone
