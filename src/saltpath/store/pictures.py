"""Addresses of the picture of how a project or a suite stands, for pages elsewhere: whoever has one
sees it, without signing in, until it is ended. The hash of each is stored."""

from __future__ import annotations

import sqlite3

from msgspec import Struct

from saltpath.store.database import NotFound, new_id, now_us, write
from saltpath.store.tokens import hash_of, new_token


class Picture(Struct, frozen=True):
    id: int
    oid: str
    project: int
    suite: int | None
    """None: of the whole project."""
    environment: str
    """Of runs against this one alone; empty: whichever."""
    person: int
    made_at: int


_COLUMNS = "id, oid, project, suite, environment, person, made_at"


def add_picture(
    connection: sqlite3.Connection, project: int, suite: int | None, environment: str, person: int
) -> tuple[Picture, str]:
    """A new address, and its token, which is told this once."""
    oid, token = new_id("picture"), new_token()
    with write(connection):
        connection.execute(
            "INSERT INTO picture (oid, hash, project, suite, environment, person, made_at) VALUES "
            "(?, ?, ?, ?, ?, ?, ?)",
            (oid, hash_of(token), project, suite, environment, person, now_us()),
        )
    return picture(connection, oid), token


def picture(connection: sqlite3.Connection, oid: str) -> Picture:
    """Raises NotFound."""
    return _found(connection, "oid = ?", oid)


def of_token(connection: sqlite3.Connection, token: str) -> Picture:
    """Raises NotFound for any other text."""
    return _found(connection, "hash = ?", hash_of(token))


def _found(connection: sqlite3.Connection, where: str, value: str | bytes) -> Picture:
    row = connection.execute(f"SELECT {_COLUMNS} FROM picture WHERE {where}", (value,)).fetchone()
    if row is None:
        raise NotFound("there is no such picture, or it was ended")
    return Picture(*row)


def pictures(connection: sqlite3.Connection, project: int) -> list[Picture]:
    """Those of a project, the newest first."""
    rows = connection.execute(
        f"SELECT {_COLUMNS} FROM picture WHERE project = ? ORDER BY id DESC", (project,)
    )
    return [Picture(*row) for row in rows]


def end_picture(connection: sqlite3.Connection, picture: Picture) -> None:
    """Its address shows nothing any more."""
    with write(connection):
        connection.execute("DELETE FROM picture WHERE id = ?", (picture.id,))
