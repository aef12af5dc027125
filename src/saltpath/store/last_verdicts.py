"""How each case ended lately: one row a case, kept as its runs end, so that no page looks through
all history."""

from __future__ import annotations

import sqlite3
from itertools import takewhile

from msgspec import Struct

from saltpath.core.values import plain
from saltpath.core.values.verdicts import worst

MOST = 10
"""Runs of a case that are remembered here."""


class LastVerdicts(Struct, frozen=True):
    """The newest run of a case, and the verdicts before it."""

    verdict: str
    at: int
    """When it began, UTC microseconds."""
    us: int
    since: int
    """When the first run began that ended like this one, with none between that did not."""
    verdicts: list[str]
    """Newest first, at most ten."""
    run: int = 0
    """The number of the newest run."""


def record(connection: sqlite3.Connection, run: int, position: int) -> None:
    """A case of a run has ended; a trial does not count. Within the writer's transaction."""
    ended = connection.execute(
        "SELECT rc.test_case, rc.project, rc.verdict, COALESCE(rc.started_at, r.asked_at) AS at,"
        " COALESCE(rc.us, 0) AS us FROM run_case own JOIN run_case rc ON rc.run = own.run AND "
        "rc.test_case = own.test_case JOIN run r ON r.id = rc.run"
        " WHERE own.run = ? AND own.position = ? AND own.kind = 'run' AND rc.state = 'finished'",
        (run, position),
    ).fetchall()
    if not ended:
        return
    # of several environments the worst
    all_of_them = worst(one["verdict"] for one in ended)
    row = next(one for one in ended if one["verdict"] == all_of_them)
    held = connection.execute(
        "SELECT since, runs FROM last_verdict WHERE test_case = ?", (row["test_case"],)
    ).fetchone()
    before = plain.read_json(held["runs"]) if held else []
    one = [run, row["verdict"], row["at"], row["us"]]
    runs = sorted([one, *(other for other in before if other[0] != run)], reverse=True)
    alike = list(takewhile(lambda other: other[1] == runs[0][1], runs))
    since = min(other[2] for other in alike)
    if held and len(alike) == len(runs):  # and perhaps longer than is remembered
        since = min(since, held["since"])
    connection.execute(
        "INSERT OR REPLACE INTO last_verdict (test_case, project, since, runs) VALUES (?, ?, ?, ?)",
        (row["test_case"], row["project"], since, plain.write_json(runs[:MOST]).decode()),
    )


def of_project(connection: sqlite3.Connection, project: int) -> dict[int, LastVerdicts]:
    """By case id."""
    rows = connection.execute(
        "SELECT test_case, since, runs FROM last_verdict WHERE project = ?", (project,)
    )
    found = {}
    for case, since, text in rows:
        runs = plain.read_json(text)
        run, verdict, at, us = runs[0]
        found[case] = LastVerdicts(verdict, at, us, since, [one[1] for one in runs], run)
    return found
