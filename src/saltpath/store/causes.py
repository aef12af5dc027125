"""What the failures of a run are cases of, kept as they end, so that a report says in a few
sentences what went wrong, however many cases and rows it went wrong in."""

from __future__ import annotations

import sqlite3

import msgspec
from msgspec import Struct

from saltpath.core.running.cause_sentences import MOST_SAID, Cause, worst_first
from saltpath.core.running.causes import Failure
from saltpath.store.runs import RunCase


class Place(Struct, frozen=True):
    """Where a failure was; `step` is -1 of a row, or (row 0) a case, that never came to a step."""

    position: int
    row: int
    part: str = ""
    step: int = -1
    inner: str = ""


class PlacedFailure(Struct, frozen=True):
    """One failure of a cause."""

    place: Place
    said: str


def insert(
    connection: sqlite3.Connection, project: int, run: int, place: Place, failure: Failure
) -> None:
    """Within the caller's transaction; one that is there already is left alone."""
    facts = msgspec.json.encode(failure).decode()
    connection.execute(
        "INSERT OR IGNORE INTO cause (project, run, signature, facts) VALUES (?, ?, ?, ?)",
        (project, run, failure.signature, facts),
    )
    connection.execute(
        "INSERT OR IGNORE INTO failure (run, position, row, part, step, inner, project, cause, "
        "said) SELECT ?, ?, ?, ?, ?, ?, ?, id, ? FROM cause WHERE run = ? AND signature = ?",
        (
            run,
            place.position,
            place.row,
            place.part,
            place.step,
            place.inner,
            project,
            failure.said,
            run,
            failure.signature,
        ),
    )


def causes(connection: sqlite3.Connection, run: int) -> list[Cause]:
    """Those of a run, failures before what was blocked, those of most cases first."""
    counted = connection.execute(
        "SELECT c.id, c.signature, c.facts, COUNT(DISTINCT f.position) AS cases,"
        " COUNT(DISTINCT f.position || '.' || f.row) AS row_count, COUNT(*) AS failures,"
        " MIN(f.position) AS first, MIN(f.position * 10000000000 + f.row) % 10000000000 AS row,"
        " COUNT(DISTINCT f.said) AS said"
        " FROM cause c JOIN failure f ON f.run = c.run AND f.cause = c.id WHERE c.run = ? GROUP BY "
        "c.id",
        (run,),
    ).fetchall()
    found = [
        Cause(
            row["signature"],
            _failure(row["facts"]),
            row["cases"],
            row["row_count"],
            row["failures"],
            row["first"],
            row["row"],
            _said(connection, run, row["id"]),
            row["said"],
        )
        for row in counted
    ]
    return worst_first(found)


def _said(connection: sqlite3.Connection, run: int, cause: int) -> tuple[str, ...]:
    rows = connection.execute(
        "SELECT said FROM failure WHERE run = ? AND cause = ? GROUP BY said"
        " ORDER BY COUNT(*) DESC, MIN(position), MIN(row) LIMIT ?",
        (run, cause, MOST_SAID),
    )
    return tuple(row["said"] for row in rows)


def failures(
    connection: sqlite3.Connection, run: int, signature: str, offset: int, limit: int
) -> list[PlacedFailure]:
    """Those with a signature, in the order of cases and rows."""
    rows = connection.execute(
        "SELECT f.position, f.row, f.part, f.step, f.inner, f.said FROM cause c JOIN failure f ON "
        "f.run = c.run AND f.cause = c.id"
        " WHERE c.run = ? AND c.signature = ? ORDER BY f.position, f.row, f.part, f.step, f.inner"
        " LIMIT ? OFFSET ?",
        (run, signature, limit, offset),
    )
    return [PlacedFailure(Place(*row[:5]), row["said"]) for row in rows]


def signatures(connection: sqlite3.Connection, run: int) -> set[str]:
    """Of all causes that a run has met."""
    rows = connection.execute("SELECT signature FROM cause WHERE run = ?", (run,))
    return {row["signature"] for row in rows}


def of_cases(connection: sqlite3.Connection, run: int) -> dict[int, set[str]]:
    """The signatures that each case of a run has met, by its position."""
    rows = connection.execute(
        "SELECT DISTINCT f.position, c.signature FROM cause c JOIN failure f ON f.run = c.run AND "
        "f.cause = c.id WHERE c.run = ?",
        (run,),
    )
    found: dict[int, set[str]] = {}
    for row in rows:
        found.setdefault(row["position"], set()).add(row["signature"])
    return found


def failures_of_cases(connection: sqlite3.Connection, run: int) -> dict[int, list[Failure]]:
    """What each case of a run was a case of, by its position, in the order of the rows in which it
    was first met."""
    rows = connection.execute(
        "SELECT f.position, c.facts FROM failure f JOIN cause c ON c.id = f.cause WHERE f.run = ? "
        "GROUP BY f.position, c.id ORDER BY f.position, MIN(f.row), c.id",
        (run,),
    )
    found: dict[int, list[Failure]] = {}
    for row in rows.fetchall():
        found.setdefault(row["position"], []).append(_failure(row["facts"]))
    return found


def positions(connection: sqlite3.Connection, run: int, signature: str) -> list[int]:
    """Those of the cases in which a cause was met."""
    rows = connection.execute(
        "SELECT DISTINCT f.position FROM cause c JOIN failure f ON f.run = c.run AND f.cause = "
        "c.id WHERE c.run = ? AND c.signature = ?",
        (run, signature),
    )
    return [row["position"] for row in rows]


def met_in(
    connection: sqlite3.Connection, run: int, signature: str, entries: dict[int, RunCase]
) -> tuple[list[tuple[int, str]], int]:
    """The cases, each with where it went, that a cause was met in, and to how many environments the
    run went; of one that went to a single one nothing is looked for."""
    every = {entry.environment for entry in entries.values()}
    if len(every) < 2:
        return [], len(every)
    found = (entries[position] for position in positions(connection, run, signature))
    return [(entry.case_id, entry.environment) for entry in found], len(every)


def _failure(facts: str) -> Failure:
    return msgspec.json.decode(facts, type=Failure)
