"""What is recorded of a run as it goes on, within the transactions of the writer; its verdict is
worked out from its cases when it ends."""

from __future__ import annotations

import sqlite3
from collections import Counter
from typing import Any

from saltpath.core.running.builds import with_build
from saltpath.core.running.totals import run_verdict
from saltpath.core.values import plain
from saltpath.core.values.why import MaskedWhy, Why, as_masked
from saltpath.store import deliveries, last_verdicts
from saltpath.store.database import now_us, write
from saltpath.store.events import add_event
from saltpath.store.runs import Run, run_cases


def record_started(connection: sqlite3.Connection, run: int, at: int) -> None:
    connection.execute(
        "UPDATE run SET state = 'running', started_at = COALESCE(started_at, ?) WHERE id = ? AND "
        "state <> 'finished'",
        (at, run),
    )


def record_build(connection: sqlite3.Connection, run: int, build: str) -> None:
    """A step has met this build of the service."""
    held = connection.execute("SELECT read_build FROM run WHERE id = ?", (run,)).fetchone()[0]
    connection.execute("UPDATE run SET read_build = ? WHERE id = ?", (with_build(held, build), run))


def record_case_started(connection: sqlite3.Connection, run: int, position: int, at: int) -> None:
    connection.execute(
        "UPDATE run_case SET state = 'running', started_at = COALESCE(started_at, ?)"
        " WHERE run = ? AND position = ? AND state <> 'finished'",
        (at, run, position),
    )


def record_rows_begun(connection: sqlite3.Connection, run: int, position: int, row: int) -> None:
    """Rows up to this one may have begun."""
    connection.execute(
        "UPDATE run_case SET begun = MAX(begun, ?) WHERE run = ? AND position = ?",
        (row, run, position),
    )


def record_rows(
    connection: sqlite3.Connection, run: int, position: int, counts: dict[str, int]
) -> None:
    """How many rows of a case had which verdict."""
    connection.execute(
        "UPDATE run_case SET rows = ? WHERE run = ? AND position = ?",
        (plain.write_json(counts).decode(), run, position),
    )


def record_session(connection: sqlite3.Connection, run: int, position: int, sealed: str) -> None:
    """What a case's `once` left, for whoever goes on with its rows."""
    connection.execute(
        "UPDATE run_case SET session = ? WHERE run = ? AND position = ?", (sealed, run, position)
    )


def session(connection: sqlite3.Connection, run: int, position: int) -> str | None:
    """What was recorded so, sealed; None if nothing was."""
    row = connection.execute(
        "SELECT session FROM run_case WHERE run = ? AND position = ?", (run, position)
    ).fetchone()
    return row["session"] if row else None


def record_steps(connection: sqlite3.Connection, run: int, position: int, number: int) -> None:
    """So many more steps of a case were recorded."""
    connection.execute(
        "UPDATE run_case SET steps = steps + ? WHERE run = ? AND position = ?",
        (number, run, position),
    )


def record_case_finished(
    connection: sqlite3.Connection,
    run: int,
    position: int,
    verdict: str,
    why: dict[str, Any] | None,
    us: int,
) -> None:
    connection.execute(
        "UPDATE run_case SET state = 'finished', verdict = ?, why = ?, us = ?"
        " WHERE run = ? AND position = ? AND state <> 'finished'",
        (verdict, plain.write_json(why).decode() if why else None, us, run, position),
    )
    last_verdicts.record(connection, run, position)


def record_finished(connection: sqlite3.Connection, run: int, at: int, stopped_by: str) -> None:
    """End the run: its verdict and counts come from what was recorded of its cases."""
    rows = connection.execute("SELECT verdict, why FROM run_case WHERE run = ?", (run,)).fetchall()
    ended = [(row["verdict"], _read_why(row["why"])) for row in rows]
    counts = Counter(verdict for verdict, _ in ended if verdict)
    connection.execute(
        "UPDATE run SET state = 'finished', verdict = ?, finished_at = ?, stopped_by = ?, counts "
        "= ?"
        " WHERE id = ? AND state <> 'finished'",
        (run_verdict(ended), at, stopped_by, plain.write_json(dict(counts)).decode(), run),
    )
    connection.execute(  # nobody goes on with it
        "UPDATE run_case SET session = NULL WHERE run = ? AND session IS NOT NULL", (run,)
    )
    deliveries.make_due(connection, run, at)


def _read_why(text: str | None) -> MaskedWhy | None:
    reason = plain.read_json(text) if text else None
    return as_masked(Why(reason["code"], reason["params"])) if reason else None


def refuse(connection: sqlite3.Connection, run: Run, why: dict[str, Any]) -> None:
    """End a run that cannot begin: what was not finished is blocked with the reason."""
    at = now_us()
    with write(connection):
        record_started(connection, run.id, at)
        for entry in run_cases(connection, run.id):
            if entry.state != "finished":
                record_case_finished(connection, run.id, entry.position, "blocked", why, 0)
        record_finished(connection, run.id, at, "")
        add_event(
            connection,
            run.project,
            run.id,
            at,
            "run finished",
            {"run": run.oid, "verdict": "blocked"},
        )
