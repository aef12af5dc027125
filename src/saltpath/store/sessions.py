"""Sessions: a browser in which somebody has signed in. It is found by its token, of which the hash
is stored; a row that is gone is a session that has ended, in every process at once."""

from __future__ import annotations

import sqlite3

from msgspec import Struct

from saltpath.store.database import NotFound, new_id, now_us, write
from saltpath.store.people import Person, person_by_id
from saltpath.store.tokens import hash_of, new_token

HOUR_US = 3_600_000_000
LASTS_US = 12 * HOUR_US
"""From signing in on, whatever is done meanwhile."""
SEEN_EVERY_US = 60_000_000
"""That it was seen is written down not more often."""
MOST = 50
"""Of one person; the oldest end first."""


class Session(Struct, frozen=True):
    id: int
    oid: str
    person: int
    made_at: int
    seen_at: int
    ends_at: int
    place: str
    """The address that it was begun from."""
    agent: str
    """What the browser said of itself."""
    way: str
    """How it was begun: password, link, provider."""
    confirmed_at: int = 0
    """When whoever it is of last showed that it is they: as it was begun, or since."""


_COLUMNS = "id, oid, person, made_at, seen_at, ends_at, place, agent, way, confirmed_at"


def begin(
    connection: sqlite3.Connection, person: Person, place: str, agent: str, way: str
) -> tuple[Session, str]:
    """A new session and its token, which is told this once."""
    token, oid, now = new_token(), new_id("session"), now_us()
    with write(connection):
        connection.execute("DELETE FROM session WHERE ends_at <= ?", (now,))
        connection.execute(
            "DELETE FROM session WHERE person = ? AND id NOT IN (SELECT id FROM session WHERE "
            "person = ? ORDER BY id DESC LIMIT ?)",
            (person.id, person.id, MOST - 1),
        )
        connection.execute(
            "INSERT INTO session (oid, hash, person, made_at, seen_at, ends_at, place, agent, way, "
            "confirmed_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
            (
                oid,
                hash_of(token),
                person.id,
                now,
                now,
                now + LASTS_US,
                place,
                agent[:300],
                way,
                now,
            ),
        )
    return session(connection, oid), token


def session(connection: sqlite3.Connection, oid: str) -> Session:
    """Raises NotFound."""
    row = connection.execute(f"SELECT {_COLUMNS} FROM session WHERE oid = ?", (oid,)).fetchone()
    if row is None:
        raise NotFound("there is no such session; it may have ended")
    return Session(*row)


def of_token(connection: sqlite3.Connection, token: str) -> tuple[Session, Person] | None:
    """The session that has not ended, and whose it is."""
    row = connection.execute(
        f"SELECT {_COLUMNS} FROM session WHERE hash = ? AND ends_at > ?",
        (hash_of(token), now_us()),
    ).fetchone()
    if row is None:
        return None
    found = Session(*row)
    person = person_by_id(connection, found.person)
    return None if person.ended else (found, person)


def stands(connection: sqlite3.Connection, id: int) -> bool:
    """Whether a session has not ended yet."""
    row = connection.execute(
        "SELECT 1 FROM session WHERE id = ? AND ends_at > ?", (id, now_us())
    ).fetchone()
    return row is not None


def seen(connection: sqlite3.Connection, session: Session) -> None:
    """Something was asked in it."""
    now = now_us()
    if now - session.seen_at > SEEN_EVERY_US:
        with write(connection):
            connection.execute("UPDATE session SET seen_at = ? WHERE id = ?", (now, session.id))


def confirm(connection: sqlite3.Connection, session: Session) -> None:
    """Whoever it is of has just shown that it is they."""
    with write(connection):
        connection.execute(
            "UPDATE session SET confirmed_at = ? WHERE id = ?", (now_us(), session.id)
        )


def sessions(connection: sqlite3.Connection, person: Person) -> list[Session]:
    """Somebody's, the newest first."""
    rows = connection.execute(
        f"SELECT {_COLUMNS} FROM session WHERE person = ? AND ends_at > ? ORDER BY id DESC",
        (person.id, now_us()),
    )
    return [Session(*row) for row in rows]


def end(connection: sqlite3.Connection, id: int) -> None:
    with write(connection):
        connection.execute("DELETE FROM session WHERE id = ?", (id,))


def end_all(connection: sqlite3.Connection, person: Person, but: int = 0) -> int:
    """End somebody's sessions, all but one; how many these were."""
    with write(connection):
        return connection.execute(
            "DELETE FROM session WHERE person = ? AND id <> ?", (person.id, but)
        ).rowcount
