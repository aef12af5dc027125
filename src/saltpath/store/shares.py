"""Links to one run's report, for whoever has them: read-only, that report alone, with an end. The
hash of each is stored."""

from __future__ import annotations

import sqlite3

from msgspec import Struct

from saltpath.store.database import NotFound, new_id, now_us, write
from saltpath.store.tokens import hash_of, new_token

DAY_US = 86_400_000_000
MOST_DAYS = 365


class Share(Struct, frozen=True):
    id: int
    oid: str
    run: int
    project: int
    person: int
    made_at: int
    ends_at: int
    used_at: int | None
    used: int
    """How often it was opened."""


_COLUMNS = "id, oid, run, project, person, made_at, ends_at, used_at, used"


def add_share(
    connection: sqlite3.Connection, project: int, run: int, person: int, days: int
) -> tuple[Share, str]:
    """A new link to the report, and its token, which is told this once."""
    oid, token, now = new_id("share"), new_token(), now_us()
    with write(connection):
        connection.execute(
            "INSERT INTO share (oid, hash, run, project, person, made_at, ends_at) VALUES (?, ?, ?,"
            " ?, ?, ?, ?)",
            (oid, hash_of(token), run, project, person, now, now + days * DAY_US),
        )
    return share(connection, oid), token


def share(connection: sqlite3.Connection, oid: str) -> Share:
    """Raises NotFound."""
    row = connection.execute(f"SELECT {_COLUMNS} FROM share WHERE oid = ?", (oid,)).fetchone()
    if row is None:
        raise NotFound("there is no such link")
    return Share(*row)


def of_token(connection: sqlite3.Connection, token: str) -> Share:
    """The link that has not ended. Raises NotFound for any other text."""
    row = connection.execute(
        f"SELECT {_COLUMNS} FROM share WHERE hash = ? AND ends_at > ?", (hash_of(token), now_us())
    ).fetchone()
    if row is None:
        raise NotFound("this link has ended, or was never one; ask for another")
    return Share(*row)


def shares(connection: sqlite3.Connection, run: int) -> list[Share]:
    """The links to a run's report that have not ended, the newest first."""
    rows = connection.execute(
        f"SELECT {_COLUMNS} FROM share WHERE run = ? AND ends_at > ? ORDER BY id DESC",
        (run, now_us()),
    )
    return [Share(*row) for row in rows]


def opened(connection: sqlite3.Connection, share: Share) -> None:
    """Somebody has opened the report by it."""
    with write(connection):
        connection.execute(
            "UPDATE share SET used = used + 1, used_at = ? WHERE id = ?", (now_us(), share.id)
        )


def end_share(connection: sqlite3.Connection, share: Share) -> None:
    """It leads nowhere any more."""
    with write(connection):
        connection.execute("DELETE FROM share WHERE id = ?", (share.id,))
