"""Outages of watches, and what people note of them."""

from __future__ import annotations

import sqlite3

from msgspec import Struct

from saltpath.store.database import Conflict, NotFound, write


class Outage(Struct, frozen=True):
    """Moments are seconds, UTC."""

    id: int
    oid: str
    project: int
    watch: int
    began: int
    """When its first bad run was due."""
    ended: int
    """When the first good run after it was; 0 while it lasts."""
    runs: int
    """Bad ones."""
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


def outages(
    connection: sqlite3.Connection,
    project: int,
    begin: int,
    end: int,
    watch: int | None = None,
    most: int = 1_000,
) -> list[Outage]:
    """Those that reach into a stretch of time, the newest first."""
    rows = connection.execute(
        "SELECT * FROM outage WHERE project = ? AND began < ? AND (ended = 0 OR ended > ?) AND "
        "(? IS NULL OR watch = ?) ORDER BY began DESC, id DESC LIMIT ?",
        (project, end, begin, watch, watch, most),
    )
    return [Outage(**row) for row in rows]


def outage(connection: sqlite3.Connection, oid: str) -> Outage:
    """Raises NotFound."""
    row = connection.execute("SELECT * FROM outage WHERE oid = ?", (oid,)).fetchone()
    if row is None:
        raise NotFound(f"there is no outage {oid}")
    return Outage(**row)


def outages_by_id(connection: sqlite3.Connection, ids: list[int]) -> dict[int, Outage]:
    rows = connection.execute(
        f"SELECT * FROM outage WHERE id IN ({', '.join('?' * len(ids))})", ids
    )
    return {row["id"]: Outage(**row) for row in rows}


def take(connection: sqlite3.Connection, of: Outage, by: str, at: int) -> None:
    """Somebody looks after it, or (empty) nobody does any more."""
    with write(connection):
        connection.execute(
            "UPDATE outage SET taken_by = ?, taken_at = ? WHERE id = ?",
            (by, at if by else 0, of.id),
        )


def note(
    connection: sqlite3.Connection, of: Outage, text: str, by: str, seen: str | None = None
) -> None:
    """Raises Conflict where something else is noted by now than was `seen`."""
    with write(connection):
        now = outage(connection, of.oid)
        if seen is not None and now.note != seen:
            raise Conflict("somebody else has noted something of it meanwhile; look at that first")
        connection.execute(
            "UPDATE outage SET note = ?, noted_by = ? WHERE id = ?", (text, by, of.id)
        )
