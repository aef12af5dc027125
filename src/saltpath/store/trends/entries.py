"""Entries of runs (core/trends/entries.py), a blob for each environment and hour, and of days that
are over one for each day. A run's are written once."""

from __future__ import annotations

import sqlite3
from collections.abc import Collection, Iterator, Mapping, Sequence

from msgspec import Struct

from saltpath.core.trends.entries import LAYOUT, Entries, What, groups, in_series, only, read
from saltpath.store.database import write

HOUR_S = 3_600
DAY_S = 86_400
IN_BLOCK = 512
"""Numbers of series that are read at a time."""
IN_PIECE = 16
"""Numbers of series whose entries of a day lie together."""
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
    series: Sequence[int] | None = None,
) -> Entries:
    """Those of runs that were asked for within a stretch (seconds, UTC), those of days that are
    over first. `series`: only of steps with these numbers, and of some others."""
    pieces = "" if series is None else f" AND piece IN ({', '.join(_pieces(series))})"
    days = connection.execute(
        "SELECT day, entries FROM trend_day WHERE project = ? AND what = ? AND environment = ? AND "
        f"day BETWEEN ? AND ? AND layout = ?{pieces} ORDER BY piece, day",
        (project, what, environment, begin // DAY_S, (end - 1) // DAY_S, LAYOUT),
    )
    found = bytearray()  # one buffer: the days themselves are let go of at once
    for day, stored in days:
        found += _within(what, day * DAY_S, DAY_S, stored, begin, end)
    hours = connection.execute(
        "SELECT hour, entries FROM trend_hour WHERE project = ? AND what = ? AND environment = ? "
        "AND hour BETWEEN ? AND ? AND layout = ? ORDER BY hour",
        (project, what, environment, begin // HOUR_S, (end - 1) // HOUR_S, LAYOUT),
    )
    for hour, stored in hours:
        found += _within(what, hour * HOUR_S, HOUR_S, stored, begin, end)
    return read(what, found)


def blocks(
    connection: sqlite3.Connection,
    project: int,
    environment: str,
    begin: int,
    end: int,
    series: Collection[int],
) -> Iterator[Entries]:
    """The entries of steps with these numbers, those of some hundred series at a time, so that
    months of a large project are never in memory at once."""
    by_block: dict[int, list[int]] = {}
    for id in series:
        by_block.setdefault(id // IN_BLOCK, []).append(id)
    for some in by_block.values():
        found = entries(connection, project, "step", environment, begin, end, some)
        yield only(found, some)


def _pieces(series: Sequence[int]) -> list[str]:
    return sorted({str(int(id) // IN_PIECE) for id in series}) or ["-1"]


def _within(what: What, at: int, length: int, stored: bytes, begin: int, end: int) -> bytes:
    """Of an hour's or a day's entries those within a stretch."""
    if begin <= at and at + length <= end:
        return stored
    found = read(what, stored)
    return found[(found["at"] >= begin) & (found["at"] < end)].tobytes()


def pack(connection: sqlite3.Connection, now: int) -> Iterator[int]:
    """Put the hours of days that are over (by a moment, seconds UTC) together, a day of an
    environment at a time; how many hours each time. What was packed in an earlier way is read no
    more, and stays."""
    rows = connection.execute(
        "SELECT DISTINCT project, what, environment, hour / 24 AS day FROM trend_hour WHERE "
        "hour < ? AND layout = ? ORDER BY project, environment, day",
        (now // DAY_S * 24, LAYOUT),
    ).fetchall()
    for project, what, environment, day in rows:
        with write(connection):
            yield _packed(connection, project, what, environment, day)


def _packed(
    connection: sqlite3.Connection, project: int, what: What, environment: str, day: int
) -> int:
    hours = (project, what, environment, day * 24, day * 24 + 23, LAYOUT)
    where = "project = ? AND what = ? AND environment = ? AND hour BETWEEN ? AND ? AND layout = ?"
    stored = connection.execute(
        f"SELECT entries FROM trend_hour WHERE {where} ORDER BY hour", hours
    ).fetchall()
    found = read(what, b"".join(row[0] for row in stored))
    for piece, some in _in_pieces(what, found):
        place = (project, what, environment, piece, day, LAYOUT)
        held = connection.execute(
            "SELECT entries FROM trend_day WHERE project = ? AND what = ? AND environment = ? AND "
            "piece = ? AND day = ? AND layout = ?",
            place,
        ).fetchone()
        whole = some if held is None else read(what, held[0] + some.tobytes())
        connection.execute(
            "INSERT OR REPLACE INTO trend_day (project, what, environment, piece, day, layout, "
            "entries) VALUES (?, ?, ?, ?, ?, ?, ?)",
            (*place, in_series(whole).tobytes() if what == "step" else whole.tobytes()),
        )
    connection.execute(f"DELETE FROM trend_hour WHERE {where}", hours)
    return len(stored)


def _in_pieces(what: What, found: Entries) -> Iterator[tuple[int, Entries]]:
    if what == "case":
        yield 0, found
        return
    ordered = in_series(found)
    for begin, end in groups(ordered["series"] // IN_PIECE):
        yield int(ordered["series"][begin]) // IN_PIECE, ordered[begin:end]


def environments(connection: sqlite3.Connection, project: int) -> list[str]:
    """Those that there are entries of, the one with the newest first."""
    rows = connection.execute(
        "SELECT environment FROM (SELECT environment, MAX(hour) AS hour, COUNT(*) AS many FROM "
        "trend_hour WHERE project = ?1 AND what = 'case' GROUP BY environment UNION ALL SELECT "
        "environment, MAX(day) * 24, COUNT(*) FROM trend_day WHERE project = ?1 AND what = 'case' "
        "GROUP BY environment) GROUP BY environment ORDER BY MAX(hour) DESC, SUM(many) DESC",
        (project,),
    )
    return [row[0] for row in rows]


def places(connection: sqlite3.Connection) -> list[tuple[int, str]]:
    """Every project, and environment, that there are entries of."""
    rows = connection.execute(
        "SELECT project, environment FROM trend_hour UNION SELECT project, environment FROM "
        "trend_day"
    )
    return [(row[0], row[1]) for row in rows]


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
    """What is older than a moment (seconds, UTC), some at a time; how many each time."""
    for table, unit, length in (("trend_hour", "hour", HOUR_S), ("trend_day", "day", DAY_S)):
        while True:
            with write(connection):
                gone = connection.execute(
                    f"DELETE FROM {table} WHERE rowid IN (SELECT rowid FROM {table} WHERE "
                    f"project = ? AND {unit} < ? LIMIT ?)",
                    (project, before // length, PIECE),
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
