"""Trouble of watches: outages, allowances that are used up too fast, answers that became slower;
and what people note of it."""

from __future__ import annotations

import sqlite3
from typing import Any

from msgspec import Struct, json

from saltpath.core.watching.alerts import TroubleKind
from saltpath.store.database import Conflict, NotFound, new_id, write


class Trouble(Struct, frozen=True):
    """Moments are seconds, UTC."""

    id: int
    oid: str
    project: int
    watch: int
    kind: TroubleKind
    began: int
    """Of an outage: when its first bad run was due."""
    ended: int
    """Of an outage: when the first good run after it was; 0 while it lasts."""
    runs: int
    """Bad ones; of what is slower those that show it."""
    turn: int
    signature: str
    cause: str
    """As a sentence, of the run by which it was believed."""
    note: str
    noted_by: str
    host: str
    """That was asked when it first went wrong."""
    taken_by: str
    """Who looks after it; empty: nobody said so."""
    taken_at: int
    """UTC microseconds."""
    facts: dict[str, Any]
    """Of an allowance: `rate`, over how many seconds `over`. Of what is slower: microseconds
    `before` and `after`."""


class Begun(Struct, frozen=True):
    """What is known of trouble when it is first believed."""

    runs: int
    cause: str
    turn: int = 0
    signature: str = ""
    host: str = ""
    facts: dict[str, Any] = {}


def begin(
    connection: sqlite3.Connection,
    project: int,
    watch: int,
    kind: TroubleKind,
    since: int,
    said: Begun,
    at: int,
) -> None:
    """It has begun, once; people are to be told of it. Within the caller's transaction; `at`: UTC
    microseconds."""
    made = connection.execute(
        "INSERT OR IGNORE INTO trouble (oid, project, watch, kind, began, runs, turn, signature, "
        "cause, host, facts) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?) RETURNING id",
        (
            new_id("trouble"),
            project,
            watch,
            kind,
            since,
            said.runs,
            said.turn,
            said.signature,
            said.cause,
            said.host,
            json.encode(said.facts).decode(),
        ),
    ).fetchone()
    if made is not None:
        _alert(connection, project, watch, made["id"], kind, at)


def end(
    connection: sqlite3.Connection,
    watch: int,
    kind: TroubleKind,
    when: int,
    at: int,
    told: bool = True,
) -> None:
    """What lasts of it is over; people are to be told, unless not. Within the caller's
    transaction."""
    rows = connection.execute(
        "UPDATE trouble SET ended = ? WHERE watch = ? AND kind = ? AND ended = 0 RETURNING id, "
        "project",
        (when, watch, kind),
    ).fetchall()
    for row in rows if told else ():
        _alert(connection, row["project"], watch, row["id"], "recovery", at)


def _alert(
    connection: sqlite3.Connection, project: int, watch: int, trouble: int, kind: str, at: int
) -> None:
    connection.execute(
        "INSERT OR IGNORE INTO alert (project, watch, trouble, kind, at) VALUES (?, ?, ?, ?, ?)",
        (project, watch, trouble, kind, at),
    )


def lasting(connection: sqlite3.Connection, kind: TroubleKind) -> dict[int, Trouble]:
    """By watch, what of a kind is not over."""
    rows = connection.execute("SELECT * FROM trouble WHERE kind = ? AND ended = 0", (kind,))
    return {row["watch"]: _trouble(row) for row in rows}


def _trouble(row: sqlite3.Row) -> Trouble:
    return Trouble(**{**dict(row), "facts": json.decode(row["facts"])})


def troubles(
    connection: sqlite3.Connection,
    project: int,
    begin: int,
    end: int,
    watch: int | None = None,
    kind: TroubleKind | None = None,
    most: int = 1_000,
) -> list[Trouble]:
    """What reaches into a stretch of time, the newest first."""
    rows = connection.execute(
        "SELECT * FROM trouble WHERE project = ? AND began < ? AND (ended = 0 OR ended > ?) AND "
        "(? IS NULL OR watch = ?) AND (? IS NULL OR kind = ?) ORDER BY began DESC, id DESC LIMIT ?",
        (project, end, begin, watch, watch, kind, kind, most),
    )
    return [_trouble(row) for row in rows]


def trouble(connection: sqlite3.Connection, oid: str) -> Trouble:
    """Raises NotFound."""
    row = connection.execute("SELECT * FROM trouble WHERE oid = ?", (oid,)).fetchone()
    if row is None:
        raise NotFound(f"there is no such trouble: {oid}")
    return _trouble(row)


def troubles_by_id(connection: sqlite3.Connection, ids: list[int]) -> dict[int, Trouble]:
    rows = connection.execute(
        f"SELECT * FROM trouble WHERE id IN ({', '.join('?' * len(ids))})", ids
    )
    return {row["id"]: _trouble(row) for row in rows}


def take(connection: sqlite3.Connection, of: Trouble, by: str, at: int) -> None:
    """Somebody looks after it, or (empty) nobody does any more."""
    with write(connection):
        connection.execute(
            "UPDATE trouble SET taken_by = ?, taken_at = ? WHERE id = ?",
            (by, at if by else 0, of.id),
        )


def note(
    connection: sqlite3.Connection, of: Trouble, text: str, by: str, seen: str | None = None
) -> None:
    """Raises Conflict where something else is noted by now than was `seen`."""
    with write(connection):
        now = trouble(connection, of.oid)
        if seen is not None and now.note != seen:
            raise Conflict("somebody else has noted something of it meanwhile; look at that first")
        connection.execute(
            "UPDATE trouble SET note = ?, noted_by = ? WHERE id = ?", (text, by, of.id)
        )
