"""Jobs: rows with a lease and a heartbeat. A runner that dies leaves a job that another takes over."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass

from saltpath.store.database import now_us, write

LEASE_US = 2_000_000


@dataclass(frozen=True, slots=True)
class Job:
    """A job that is held. `taken` counts how often it was; above 1 another runner had begun it."""

    id: int
    run: int
    project: int
    taken: int


def take(connection: sqlite3.Connection, runner: str) -> Job | None:
    """Take the oldest job that waits, or whose lease ran out. None if there is none."""
    now = now_us()
    wanted = "SELECT id FROM job WHERE state = 'waiting' OR (state = 'running' AND lease_until < ?) ORDER BY id LIMIT 1"
    if connection.execute(wanted, (now,)).fetchone() is None:
        return None
    with write(connection):
        row = connection.execute(
            f"UPDATE job SET state = 'running', runner = ?, lease_until = ?, taken = taken + 1 WHERE id = ({wanted})"
            " RETURNING id, run, project, taken",
            (runner, now + LEASE_US, now),
        ).fetchone()
    return Job(*row) if row else None


def beat(connection: sqlite3.Connection, job: int, runner: str) -> str | None:
    """Prolong the lease. Returns who wants the run stopped (empty: nobody), or None if the job is no longer ours."""
    with write(connection):
        row = connection.execute(
            "UPDATE job SET lease_until = ? WHERE id = ? AND runner = ? AND state = 'running' RETURNING stop_by",
            (now_us() + LEASE_US, job, runner),
        ).fetchone()
    return row["stop_by"] if row else None


def finish(connection: sqlite3.Connection, job: int, runner: str) -> None:
    with write(connection):
        connection.execute("UPDATE job SET state = 'finished' WHERE id = ? AND runner = ?", (job, runner))


def ask_to_stop(connection: sqlite3.Connection, run: int, by: str) -> bool:
    """Ask for a run to be stopped; False if it is over already."""
    with write(connection):
        row = connection.execute(
            "UPDATE job SET stop_by = ? WHERE run = ? AND state <> 'finished' RETURNING id", (by, run)
        ).fetchone()
    return row is not None
