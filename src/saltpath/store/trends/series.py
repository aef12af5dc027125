"""What entries are of: steps, shared steps, operations and hosts, each by a number; and what was
wrong, likewise."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable

import msgspec
from msgspec import Struct

from saltpath.core.running.causes import Failure
from saltpath.core.trends.followed import Kind
from saltpath.store.database import NotFound, new_id, write


class Series(Struct, frozen=True):
    """Something that is followed. `of`: by what it is known among its kind; `owner`: the number of
    the case, or of the shared steps, that it is or belongs to, else 0; `operation`: what a step
    asks."""

    kind: Kind
    of: str
    name: str
    owner: int = 0
    operation: str = ""
    oid: str = ""


def numbers(
    connection: sqlite3.Connection, project: int, wanted: Iterable[Series]
) -> dict[tuple[Kind, str], int]:
    """The number of each, by kind and what it is known by; new ones are given one, and what they
    are called now is noted."""
    found: dict[tuple[Kind, str], int] = {}
    with write(connection):
        for one in wanted:
            row = connection.execute(
                "SELECT id, name, operation FROM trend_series WHERE project = ? AND kind = ? AND "
                "of = ?",
                (project, one.kind, one.of),
            ).fetchone()
            if row is None:
                number = connection.execute(
                    "INSERT INTO trend_series (oid, project, kind, of, name, owner, operation) "
                    "VALUES (?, ?, ?, ?, ?, ?, ?)",
                    (
                        new_id("series"),
                        project,
                        one.kind,
                        one.of,
                        one.name,
                        one.owner,
                        one.operation,
                    ),
                ).lastrowid
                found[one.kind, one.of] = int(number or 0)
                continue
            found[one.kind, one.of] = row["id"]
            if (row["name"], row["operation"]) != (one.name, one.operation):
                connection.execute(
                    "UPDATE trend_series SET name = ?, operation = ? WHERE id = ?",
                    (one.name, one.operation, row["id"]),
                )
    return found


def of_project(connection: sqlite3.Connection, project: int) -> dict[int, Series]:
    """All of a project, by their numbers."""
    rows = connection.execute(
        "SELECT id, kind, of, name, owner, operation, oid FROM trend_series WHERE project = ?",
        (project,),
    )
    return {row[0]: Series(*row[1:]) for row in rows}


def one(connection: sqlite3.Connection, oid: str) -> tuple[int, int, Series]:
    """Its number, the project's, and what it is. Raises NotFound."""
    row = connection.execute(
        "SELECT id, project, kind, of, name, owner, operation, oid FROM trend_series WHERE oid = ?",
        (oid,),
    ).fetchone()
    if row is None:
        raise NotFound(f"there is no series {oid}")
    return row[0], row[1], Series(*row[2:])


def cause_number(connection: sqlite3.Connection, project: int, failure: Failure) -> int:
    """The number of what was wrong; a new one is given one."""
    row = connection.execute(
        "SELECT id FROM trend_cause WHERE project = ? AND signature = ?",
        (project, failure.signature),
    ).fetchone()
    if row is not None:
        return int(row["id"])
    facts = msgspec.json.encode(failure).decode()
    made = connection.execute(
        "INSERT INTO trend_cause (project, signature, facts) VALUES (?, ?, ?)",
        (project, failure.signature, facts),
    )
    return int(made.lastrowid or 0)


def causes(
    connection: sqlite3.Connection, project: int, wanted: Iterable[int]
) -> dict[int, Failure]:
    """Of these numbers, as each was when it was first met."""
    found = {}
    for number in set(wanted) - {0}:
        row = connection.execute(
            "SELECT facts FROM trend_cause WHERE project = ? AND id = ?", (project, number)
        ).fetchone()
        if row is not None:
            found[number] = msgspec.json.decode(row["facts"], type=Failure)
    return found
