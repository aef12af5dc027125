"""Runs and their cases. A run is asked for together with its job, in one transaction; its verdict
is worked out from its cases when it ends, so that a run that several runners shared adds up all the
same."""

from __future__ import annotations

import sqlite3
from collections import Counter
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from saltpath.core.running.plan import RunRequest, read_request, write_request
from saltpath.core.running.totals import run_verdict
from saltpath.core.values import plain
from saltpath.core.values.why import MaskedWhy, Why, as_masked
from saltpath.store import last_verdicts
from saltpath.store.cases import StoredCase, shared_names
from saltpath.store.database import NotFound, VersionConflict, at_once, new_id, now_us, write
from saltpath.store.events import add_event

NOTHING_SAID = RunRequest()


class Run(Struct, frozen=True):
    """One run; state is waiting, running, stopping or finished."""

    id: int
    oid: str
    project: int
    number: int
    kind: str
    title: str
    environment: str
    seed: int
    label: str
    request: RunRequest
    state: str
    verdict: str | None
    stopped_by: str
    actor: str
    asked_at: int
    started_at: int | None
    finished_at: int | None
    counts: dict[str, Any]


class RunCase(Struct, frozen=True):
    """A case within a run: state waiting, running or finished. `begun`: the number of the last row
    that may have begun; `rows`: how many rows had which verdict, once it is finished, or None of a
    case without rows."""

    position: int
    case: str
    case_id: int
    version: int
    name: str
    suite: str
    state: str
    verdict: str | None
    why: dict[str, Any] | None
    started_at: int | None
    us: int | None
    begun: int = 0
    rows: dict[str, int] | None = None


_SELECT = """
SELECT r.id, r.oid, r.project, r.number, r.kind, r.title, r.environment, r.seed, r.label, r.request,
       CASE WHEN r.state = 'running' AND j.stop_by <> '' THEN 'stopping' ELSE r.state END,
       r.verdict, r.stopped_by, p.name,
       r.asked_at, r.started_at, r.finished_at, r.counts
FROM run r JOIN person p ON p.id = r.actor LEFT JOIN job j ON j.run = r.id
"""


def _run(row: sqlite3.Row) -> Run:
    values = list(row)
    values[9] = read_request(values[9])
    values[17] = plain.read_json(values[17])
    return Run(*values)


def ask(
    connection: sqlite3.Connection,
    project: int,
    actor: int,
    cases: list[tuple[int, int, str]],
    *,
    kind: str,
    title: str,
    environment: str,
    seed: int,
    label: str = "",
    request: RunRequest = NOTHING_SAID,
    idempotency: str | None = None,
) -> tuple[Run, bool]:
    """Ask for a run of the cases (id, version, name). With an idempotency key that was used before,
    that run is given back, and the flag is False. From now on these versions are kept. Raises
    VersionConflict, and nothing is asked for, where one of them was folded into a later one since
    it was read."""
    with write(connection):
        if idempotency is not None:
            old = connection.execute(
                "SELECT oid FROM run WHERE project = ? AND idempotency = ?", (project, idempotency)
            ).fetchone()
            if old is not None:
                return run(connection, old["oid"]), False
        for id, version, _ in cases:
            kept = connection.execute(
                "UPDATE case_revision SET used = 1 WHERE test_case = ? AND version = ?",
                (id, version),
            )
            if not kept.rowcount:
                raise VersionConflict(
                    connection.execute(
                        "SELECT version FROM test_case WHERE id = ?", (id,)
                    ).fetchone()[0]
                )
        oid, at = new_id("run"), now_us()
        number = connection.execute(
            "UPDATE project SET next_run = next_run + 1 WHERE id = ? RETURNING next_run - 1",
            (project,),
        ).fetchone()[0]
        cursor = connection.execute(
            "INSERT INTO run (project, oid, number, kind, title, environment, seed, label, "
            "request, idempotency, state,"
            " actor, asked_at, shared_names)"
            " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 'waiting', ?, ?, ?)",
            (
                project,
                oid,
                number,
                kind,
                title,
                environment,
                seed,
                label,
                write_request(request),
                idempotency,
                actor,
                at,
                plain.write_json(shared_names(connection, project)).decode(),
            ),
        )
        run_id = int(cursor.lastrowid or 0)
        connection.executemany(
            "INSERT INTO run_case (run, position, project, test_case, version, name, state, kind)"
            " VALUES (?, ?, ?, ?, ?, ?, 'waiting', ?)",
            [
                (run_id, position, project, id, version, name, kind)
                for position, (id, version, name) in enumerate(cases)
            ],
        )
        connection.execute(
            "INSERT INTO job (project, run, state) VALUES (?, ?, 'waiting')", (project, run_id)
        )
        add_event(
            connection,
            project,
            run_id,
            at,
            "run asked",
            {"run": oid, "number": number, "kind": kind},
        )
    return run(connection, oid), True


def beginning(
    connection: sqlite3.Connection, run: Run, at: int, files: dict[str, int]
) -> tuple[int, dict[str, int]]:
    """The moment that a run's data are drawn for, its `now`, and the versions of the files that its
    rows come from, by path: `at` and `files` when it is first asked for, and the same ever after,
    whoever goes on with it or draws the same data again."""
    with write(connection):
        row = connection.execute("SELECT request FROM run WHERE id = ?", (run.id,)).fetchone()
        before = read_request(row["request"])
        request = replace(before, started=before.started or at, files={**files, **before.files})
        if request != before:
            connection.execute(
                "UPDATE run SET request = ? WHERE id = ?", (write_request(request), run.id)
            )
    return request.started or at, request.files


def run(connection: sqlite3.Connection, oid: str) -> Run:
    """Raises NotFound."""
    row = connection.execute(_SELECT + "WHERE r.oid = ?", (oid,)).fetchone()
    if row is None:
        raise NotFound(f"there is no run {oid}")
    return _run(row)


def run_by_id(connection: sqlite3.Connection, id: int) -> Run:
    return _run(connection.execute(_SELECT + "WHERE r.id = ?", (id,)).fetchone())


def runs(
    connection: sqlite3.Connection,
    project: int,
    *,
    before: int | None,
    limit: int,
    kind: str = "run",
    case: int | None = None,
) -> list[Run]:
    """Newest first. `before` is the id after which the page goes on; `case` only runs that hold
    this case."""
    holds = (
        "AND r.id IN (SELECT run FROM run_case WHERE project = ? AND test_case = ? AND kind = ?)"
        if case
        else ""
    )
    values: list[Any] = [project, kind, before if before is not None else 1 << 62]
    values += [project, case, kind] if case else []
    rows = connection.execute(
        _SELECT
        + f"WHERE r.project = ? AND r.kind = ? AND r.id < ? {holds} ORDER BY r.id DESC LIMIT ?",
        (*values, limit),
    )
    return [_run(row) for row in rows]


def run_cases(connection: sqlite3.Connection, run: int) -> list[RunCase]:
    """In their order."""
    columns = (
        "position",
        "case",
        "case_id",
        "version",
        "name",
        "suite",
        "state",
        "verdict",
        "why",
        "started_at",
        "us",
        "begun",
        "rows",
    )
    found = at_once(
        connection,
        columns,
        'SELECT rc.position, c.oid AS "case", c.id AS case_id, rc.version, rc.name, s.name AS '
        "suite, rc.state, rc.verdict,"
        " rc.why, rc.started_at, rc.us, rc.begun, rc.rows"
        " FROM run_case rc JOIN test_case c ON c.id = rc.test_case JOIN suite s ON s.id = c.suite"
        " WHERE rc.run = ? ORDER BY rc.position",
        (run,),
    )
    return [
        RunCase(
            **{
                **values,
                **{
                    name: plain.read_json(values[name]) if values[name] else None
                    for name in ("why", "rows")
                },
            }
        )
        for values in (dict(zip(columns, row, strict=True)) for row in found)
    ]


def names_of_shared(connection: sqlite3.Connection, run: Run) -> dict[str, str]:
    """What the shared steps were called when the run was asked for, by the names by which cases use
    them; of a run of an older version of Salt Path what they are called now."""
    (kept,) = connection.execute("SELECT shared_names FROM run WHERE id = ?", (run.id,)).fetchone()
    return dict(plain.read_json(kept)) if kept else shared_names(connection, run.project)


def last_run_of_case(
    connection: sqlite3.Connection, project: int, case: int, kinds: tuple[str, ...]
) -> tuple[int, int] | None:
    """(run, position) of the newest run of a case in which anything was carried out."""
    marks = ", ".join("?" for _ in kinds)
    row = connection.execute(
        "SELECT run, position FROM run_case WHERE project = ? AND test_case = ? AND kind IN "
        f"({marks})"
        " AND state <> 'waiting' ORDER BY run DESC LIMIT 1",
        (project, case, *kinds),
    ).fetchone()
    return (row["run"], row["position"]) if row else None


MOST_TRIALS = 50


def since_last_run(
    connection: sqlite3.Connection, project: int, case: int, environment: str | None = None
) -> list[tuple[int, int]]:
    """(run, position) of the newest run of a case and of the trials since then (at most 50), newest
    first: what its steps saw last stands in these. With `environment` of what went there."""
    rows = connection.execute(
        "SELECT c.run, c.position, c.kind FROM run_case c JOIN run r ON r.id = c.run WHERE "
        "c.project = ? AND c.test_case = ?"
        " AND c.kind IN ('run', 'trial') AND c.state <> 'waiting' AND (? IS NULL OR r.environment "
        "= ?) ORDER BY c.run DESC LIMIT ?",
        (project, case, environment, environment, MOST_TRIALS),
    ).fetchall()
    ends = next((index for index, row in enumerate(rows) if row["kind"] == "run"), len(rows))
    return [(row["run"], row["position"]) for row in rows[: ends + 1]]


def last_runs_of_case(
    connection: sqlite3.Connection, project: int, case: int, most: int
) -> list[tuple[int, int]]:
    """(run, position) of the newest runs and trials of a case in which something was carried out,
    newest first."""
    rows = connection.execute(
        "SELECT run, position FROM run_case WHERE project = ? AND test_case = ? AND kind IN "
        "('run', 'trial')"
        " AND state <> 'waiting' ORDER BY run DESC LIMIT ?",
        (project, case, most),
    )
    return [(row["run"], row["position"]) for row in rows]


def copy_case(
    connection: sqlite3.Connection, run: int, position: int, case: StoredCase, to: int
) -> None:
    """How one case of a finished trial ended, once more as that of another case at position `to` of
    it."""
    connection.execute(
        "INSERT OR IGNORE INTO run_case (run, position, project, test_case, version, name, state, "
        "verdict, why, started_at, us,"
        " steps, kind) SELECT run, ?, project, ?, ?, ?, state, verdict, why, started_at, us, "
        "steps, kind FROM run_case"
        " WHERE run = ? AND position = ? AND state = 'finished'",
        (to, case.id, case.version, case.name, run, position),
    )


def verdict_of_case(connection: sqlite3.Connection, run: int, position: int) -> str | None:
    """A case's verdict within a run; None while it is not finished."""
    row = connection.execute(
        "SELECT verdict FROM run_case WHERE run = ? AND position = ?", (run, position)
    ).fetchone()
    return str(row["verdict"]) if row and row["verdict"] else None


# ---- what the writer records, within its transactions


def record_started(connection: sqlite3.Connection, run: int, at: int) -> None:
    connection.execute(
        "UPDATE run SET state = 'running', started_at = COALESCE(started_at, ?) WHERE id = ? AND "
        "state <> 'finished'",
        (at, run),
    )


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
        "UPDATE run_case SET state = 'finished', verdict = ?, why = ?, us = ?, session = NULL"
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
