"""Jobs: who carries out which run.

A job is held by one runner until that runner's process has ended; its supervisor, which reaps it,
then releases the job. No clock is asked: a runner that is stopped, starved or busy for seconds
stays the only one, and one that hangs is killed before another goes on. Each taking gives a higher
*epoch* (`taken`), which all that a runner reports carries; the writer and the store refuse what
comes with an older one, whenever it arrives (fencing).
"""

from __future__ import annotations

import sqlite3

from msgspec import Struct

from saltpath.store.database import write


class Job(Struct, frozen=True):
    """A job that is held."""

    id: int
    run: int
    project: int
    epoch: int
    """How often it was taken; above 1 another runner had begun it."""
    stuck: int
    """How often in a row a runner ended without that anything had been recorded since it took the
    job."""


_OPEN = "state <> 'finished'"
"""Said where another state is asked for, so that the index of open jobs is used."""
_PROGRESS = """
SELECT COUNT(*) || '/' || COALESCE(SUM(state = 'finished'), 0) || '/' || COALESCE(SUM(begun),
0) || '/' || COALESCE(SUM(steps), 0)
FROM run_case WHERE run = job.run
"""


def take(connection: sqlite3.Connection, runner: str) -> Job | None:
    """Take the oldest job that waits. None if there is none."""
    wanted = f"SELECT id FROM job WHERE state = 'waiting' AND {_OPEN} ORDER BY id LIMIT 1"
    if connection.execute(wanted).fetchone() is None:
        return None
    with write(connection):
        row = connection.execute(
            "UPDATE job SET state = 'running', runner = ?, taken = taken + 1,"
            f" stuck = CASE WHEN taken > 0 AND progress = ({_PROGRESS}) THEN stuck + 1 ELSE 0 "
            f"END, progress = ({_PROGRESS})"
            f" WHERE id = ({wanted}) RETURNING id, run, project, taken, stuck",
            (runner,),
        ).fetchone()
    return Job(*row) if row else None


def stop_asked(connection: sqlite3.Connection, job: Job) -> str | None:
    """Who wants the run stopped (empty: nobody), or None if the job is no longer held under this
    epoch."""
    row = connection.execute(
        "SELECT stop_by FROM job WHERE id = ? AND taken = ? AND state = 'running'",
        (job.id, job.epoch),
    ).fetchone()
    return str(row["stop_by"]) if row else None


def finish(connection: sqlite3.Connection, job: Job) -> bool:
    """End the job; False, and nothing happens, if it is no longer held under this epoch."""
    with write(connection):
        ended = connection.execute(
            "UPDATE job SET state = 'finished' WHERE id = ? AND taken = ? AND state = 'running'",
            (job.id, job.epoch),
        )
    return bool(ended.rowcount)


def release(connection: sqlite3.Connection, runner: str | None = None) -> int:
    """Let others take what a runner held (None: what any did), whose process must have ended. How
    many jobs these are."""
    with write(connection):
        freed = connection.execute(
            f"UPDATE job SET state = 'waiting' WHERE state = 'running' AND {_OPEN} AND (? IS NULL "
            "OR runner = ?)",
            (runner, runner),
        )
    return freed.rowcount


def held(connection: sqlite3.Connection, run: int, epoch: int) -> bool:
    """Whether nobody has taken the run's job since this epoch, and it is not over: what is reported
    otherwise is refused."""
    row = connection.execute(
        f"SELECT 1 FROM job WHERE run = ? AND taken = ? AND {_OPEN}", (run, epoch)
    )
    return row.fetchone() is not None


def asked_to_stop(connection: sqlite3.Connection) -> set[str]:
    """The runners that hold a job which somebody wants stopped."""
    rows = connection.execute(
        f"SELECT runner FROM job WHERE state = 'running' AND {_OPEN} AND stop_by <> ''"
    )
    return {row["runner"] for row in rows}


def ask_to_stop(connection: sqlite3.Connection, run: int, by: str) -> bool:
    """Ask for a run to be stopped; False if it is over already."""
    with write(connection):
        row = connection.execute(
            "UPDATE job SET stop_by = ? WHERE run = ? AND state <> 'finished' RETURNING id",
            (by, run),
        ).fetchone()
    return row is not None
