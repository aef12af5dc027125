"""Runs and their cases. A run is asked for together with its job, in one transaction; its verdict
is worked out from its cases when it ends, so that a run that several runners shared adds up all the
same."""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence
from itertools import product
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from saltpath.core.running.plan import RunRequest, read_request, write_request
from saltpath.core.values import plain
from saltpath.core.values.nearest import listed
from saltpath.core.values.verdicts import Verdict
from saltpath.store.cases import StoredCase, shared_names
from saltpath.store.database import (
    Conflict,
    NotFound,
    VersionConflict,
    at_once,
    new_id,
    now_us,
    write,
)
from saltpath.store.events import add_event
from saltpath.store.projects import STANDS_IN

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
    build: str
    """What was tested, or a word about it."""
    note: str
    request: RunRequest
    state: str
    verdict: str | None
    stopped_by: str
    actor: str
    asked_at: int
    started_at: int | None
    finished_at: int | None
    counts: dict[str, Any]

    @property
    def environments(self) -> tuple[str, ...]:
        """Where it went, by name."""
        return self.request.environments or ((self.environment,) if self.environment else ())


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
    suite_id: int = 0
    environment: str = ""
    """Where it went."""


_SELECT = """
SELECT r.id, r.oid, r.project, r.number, r.kind, r.title, r.environment, r.seed,
       COALESCE(NULLIF(r.label, ''), r.read_build), r.note,
       r.request,
       CASE WHEN r.state = 'running' AND j.stop_by <> '' THEN 'stopping' ELSE r.state END,
       r.verdict, r.stopped_by, p.name,
       r.asked_at, r.started_at, r.finished_at, r.counts
FROM run r JOIN person p ON p.id = r.actor LEFT JOIN job j ON j.run = r.id
"""


def _run(row: sqlite3.Row) -> Run:
    values = list(row)
    values[10] = read_request(values[10])
    values[18] = plain.read_json(values[18])
    return Run(*values)


def ask(
    connection: sqlite3.Connection,
    project: int,
    actor: int,
    cases: list[tuple[int, int, str]],
    *,
    kind: str,
    title: str,
    environments: Sequence[str],
    each_in: Sequence[str] = (),
    seed: int,
    build: str = "",
    note: str = "",
    request: RunRequest = NOTHING_SAID,
    idempotency: str | None = None,
    digest: str = "",
    at: int | None = None,
) -> tuple[Run, bool]:
    """Ask for a run of the cases (id, version, name), in each of the environments: a case's
    positions stand next to each other; with `each_in` each case in its own alone. With an
    idempotency key that was used before, that run is given back, and the flag is False; `digest` is
    that of what was asked, and Conflict is raised where the key came with something else; `at`:
    when it is asked for (UTC microseconds), by default now. From now on these versions are kept.
    Raises VersionConflict, and nothing is asked for, where one of them was folded into a later one
    since it was read."""
    with write(connection):
        if idempotency is not None:
            old = connection.execute(
                "SELECT oid, asked_digest FROM run WHERE project = ? AND idempotency = ?",
                (project, idempotency),
            ).fetchone()
            if old is not None:
                if digest and old["asked_digest"] not in ("", digest):
                    raise Conflict("another run was asked for with this Idempotency-Key")
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
        oid, at = new_id("run"), now_us() if at is None else at
        number = connection.execute(
            "UPDATE project SET next_run = next_run + 1 WHERE id = ? RETURNING next_run - 1",
            (project,),
        ).fetchone()[0]
        cursor = connection.execute(
            "INSERT INTO run (project, oid, number, kind, title, environment, seed, label, "
            "note, request, idempotency, state,"
            " actor, asked_at, shared_names, asked_digest)"
            " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 'waiting', ?, ?, ?, ?)",
            (
                project,
                oid,
                number,
                kind,
                title,
                listed(environments),
                seed,
                build,
                note,
                write_request(request),
                idempotency,
                actor,
                at,
                plain.write_json(shared_names(connection, project)).decode(),
                digest,
            ),
        )
        run_id = int(cursor.lastrowid or 0)
        connection.executemany(
            "INSERT INTO run_case (run, position, project, test_case, version, name, state, kind, "
            "environment) VALUES (?, ?, ?, ?, ?, ?, 'waiting', ?, ?)",
            [
                (run_id, position, project, id, version, name, kind, environment)
                for position, ((id, version, name), environment) in enumerate(
                    zip(cases, each_in, strict=True) if each_in else product(cases, environments)
                )
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


def describe(connection: sqlite3.Connection, run: Run, title: str, build: str, note: str) -> None:
    """Say something else of a run."""
    with write(connection):
        connection.execute(
            "UPDATE run SET title = ?, label = ?, note = ? WHERE id = ?",
            (title, build, note, run.id),
        )
        add_event(connection, run.project, run.id, now_us(), "run described", {"run": run.oid})


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


def last_counts(
    connection: sqlite3.Connection, project: int, environment: str | None, suite: int | None
) -> dict[Verdict, int]:
    """How many cases had which verdict in the newest run of a project that has ended, against an
    environment if one is said; of a suite, those of its cases, and of the suites in it, in the
    newest run that held some. Empty if there was none."""
    of_suite = (
        "rc.test_case IN (SELECT c.id FROM test_case c JOIN suite s ON s.id = c.suite JOIN suite f "
        f"ON f.id = ? AND {STANDS_IN})"
    )
    there = "(? IS NULL OR rc.environment = ?)"
    held = f"{there} AND {'1' if suite is None else of_suite}"
    values = (environment, environment, *([suite] if suite is not None else []))
    found = connection.execute(
        "SELECT r.id FROM run r WHERE r.project = ? AND r.kind = 'run' AND r.state = 'finished'"
        f" AND EXISTS (SELECT 1 FROM run_case rc WHERE rc.run = r.id AND {held})"
        " ORDER BY r.id DESC LIMIT 1",
        (project, *values),
    ).fetchone()
    if found is None:
        return {}
    rows = connection.execute(
        "SELECT rc.verdict, COUNT(*) FROM run_case rc WHERE rc.run = ? AND "
        f"{held} AND rc.verdict IS NOT NULL GROUP BY rc.verdict",
        (found["id"], *values),
    )
    return {row[0]: row[1] for row in rows}


class GoingOn(Struct, frozen=True):
    """A run that has not ended: so many of its cases have."""

    oid: str
    number: int
    title: str
    done: int
    of: int


def going_on(connection: sqlite3.Connection, project: int, most: int) -> list[GoingOn]:
    """The runs of a project that have not ended, the newest first; no trials."""
    rows = connection.execute(
        "SELECT r.oid, r.number, r.title, COALESCE(SUM(c.state = 'finished'), 0), "
        "COUNT(c.position)"
        " FROM job j JOIN run r ON r.id = j.run LEFT JOIN run_case c ON c.run = r.id"
        " WHERE j.state <> 'finished' AND r.project = ? AND r.kind = 'run'"
        " AND r.state <> 'finished'"
        " GROUP BY r.id ORDER BY r.id DESC LIMIT ?",
        (project, most),
    )
    return [GoingOn(*row) for row in rows]


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
        "suite_id",
        "environment",
    )
    found = at_once(
        connection,
        columns,
        'SELECT rc.position, c.oid AS "case", c.id AS case_id, rc.version, rc.name, s.name AS '
        "suite, rc.state, rc.verdict,"
        " rc.why, rc.started_at, rc.us, rc.begun, rc.rows, c.suite AS suite_id, rc.environment"
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


def ended_badly(
    connection: sqlite3.Connection, run: int, cases: Sequence[int]
) -> list[tuple[int, int, dict[str, Any] | None]]:
    """Of these cases those that failed or were blocked in a run: (case, position, why), in the
    order of their positions."""
    marks = ", ".join("?" * len(cases))
    rows = connection.execute(
        f"SELECT test_case, position, why FROM run_case WHERE run = ? AND test_case IN ({marks}) "
        "AND verdict IN ('failed', 'blocked') ORDER BY position",
        (run, *cases),
    )
    return [(row[0], row[1], plain.read_json(row[2]) if row[2] else None) for row in rows]


def any_ended(connection: sqlite3.Connection) -> bool:
    """Whether any run but trials has."""
    rows = connection.execute(
        "SELECT 1 FROM run WHERE kind = 'run' AND finished_at IS NOT NULL LIMIT 1"
    )
    return rows.fetchone() is not None


def runner_of(connection: sqlite3.Connection, run: int) -> str:
    """Who carried it out, or its end, such as `runner 1`; empty where nobody knows."""
    row = connection.execute("SELECT runner FROM job WHERE run = ?", (run,)).fetchone()
    if row is None or not row["runner"]:
        return ""
    name = str(row["runner"]).rpartition("_")[0]  # what follows is its process
    return "" if name == "runner" else name  # older versions wrote no more


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
        "SELECT run, position, kind FROM run_case WHERE project = ? AND test_case = ?"
        " AND kind IN ('run', 'trial') AND state <> 'waiting' AND (? IS NULL OR environment = ?) "
        "ORDER BY run DESC, position LIMIT ?",
        (project, case, environment, environment, MOST_TRIALS),
    ).fetchall()
    ends = next((index for index, row in enumerate(rows) if row["kind"] == "run"), len(rows))
    return [(row["run"], row["position"]) for row in rows[: ends + 1]]


def last_runs_of_case(
    connection: sqlite3.Connection,
    project: int,
    case: int,
    most: int,
    before: int = 1 << 62,
    environment: str | None = None,
) -> list[tuple[int, int]]:
    """(run, position) of the newest runs and trials of a case in which something was carried out,
    newest first; `before`: of those with a smaller id; `environment`: of what went there."""
    rows = connection.execute(
        "SELECT run, position FROM run_case WHERE project = ? AND test_case = ? AND kind IN "
        "('run', 'trial')"
        " AND state <> 'waiting' AND run < ? AND (? IS NULL OR environment = ?) "
        "ORDER BY run DESC, position LIMIT ?",
        (project, case, before, environment, environment, most),
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
        " steps, kind, environment) SELECT run, ?, project, ?, ?, ?, state, verdict, why, "
        "started_at, us, steps, kind, environment FROM run_case"
        " WHERE run = ? AND position = ? AND state = 'finished'",
        (to, case.id, case.version, case.name, run, position),
    )


def verdict_of_case(connection: sqlite3.Connection, run: int, position: int) -> str | None:
    """A case's verdict within a run; None while it is not finished."""
    row = connection.execute(
        "SELECT verdict FROM run_case WHERE run = ? AND position = ?", (run, position)
    ).fetchone()
    return str(row["verdict"]) if row and row["verdict"] else None
