"""Links that let somebody in once: the owner's first one, invitations, new passwords. Each is found
by its token, of which the hash is stored, ends by itself, and is used up by what it is for."""

from __future__ import annotations

import sqlite3
from typing import Literal, cast

from msgspec import Struct

from saltpath.store.database import Conflict, NotFound, new_id, now_us, write
from saltpath.store.people import Person, Role, is_alone, local_owner, people
from saltpath.store.tokens import hash_of, new_token

Kind = Literal["own", "enter", "join", "password"]
"""`own`: the installation's owner says who they are; `enter`: somebody known comes in; `join`: a
new person, or one who is known, gets a part; `password`: somebody gives a new one."""
DAY_US = 86_400_000_000
LASTS_US: dict[Kind, int] = {
    "own": DAY_US,
    "enter": DAY_US,
    "join": 7 * DAY_US,
    "password": DAY_US,
}
USED = "this link was used already, has ended, or was never one; ask for another"


class Link(Struct, frozen=True):
    id: int
    oid: str
    kind: Kind
    person: int | None
    """Whom it lets in; of `join`, nobody yet."""
    project: int | None
    """Of `join`: the project in which it gives a part, if in one."""
    role: str
    name: str
    """Of `join`: whom it was made for, in words."""
    administrator: bool
    actor: int | None
    made_at: int
    ends_at: int


_COLUMNS = "id, oid, kind, person, project, role, name, administrator, actor, made_at, ends_at"


def _link(row: sqlite3.Row) -> Link:
    held = [*row]
    held[7] = bool(held[7])
    return Link(*held)


def add_link(
    connection: sqlite3.Connection,
    kind: Kind,
    actor: int | None,
    *,
    person: Person | None = None,
    project: int | None = None,
    role: Role | None = None,
    name: str = "",
    administrator: bool = False,
) -> tuple[Link, str]:
    """A new link and its token, which is told this once. One for a password takes the place of
    those that were made for it before."""
    token, oid, now = new_token(), new_id("link"), now_us()
    with write(connection):
        connection.execute("DELETE FROM link WHERE ends_at < ?", (now - 30 * DAY_US,))
        if kind in ("own", "password"):
            connection.execute(
                "UPDATE link SET ends_at = ? WHERE kind = ? AND person IS ? AND ends_at > ?",
                (now, kind, person.id if person else None, now),
            )
        connection.execute(
            "INSERT INTO link (oid, hash, kind, person, project, role, name, administrator, actor,"
            " made_at, ends_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
            (
                oid,
                hash_of(token),
                kind,
                person.id if person else None,
                project,
                role or "",
                name,
                administrator,
                actor,
                now,
                now + LASTS_US[kind],
            ),
        )
    return link(connection, oid), token


def link(connection: sqlite3.Connection, oid: str) -> Link:
    """One that can be used. Raises NotFound."""
    return _found(connection, "oid = ?", oid)


def of_token(connection: sqlite3.Connection, token: str) -> Link:
    """The link that can be used. Raises NotFound for any other text."""
    return _found(connection, "hash = ?", hash_of(token))


def _found(connection: sqlite3.Connection, which: str, value: object) -> Link:
    row = connection.execute(
        f"SELECT {_COLUMNS} FROM link WHERE {which} AND used_at IS NULL AND ends_at > ?",
        (value, now_us()),
    ).fetchone()
    if row is None:
        raise NotFound(USED)
    return _link(row)


def use(connection: sqlite3.Connection, link: Link, person: Person) -> None:
    """It is used up, by this person; within a transaction of the caller's. Raises Conflict where
    another was quicker."""
    used = connection.execute(
        "UPDATE link SET used_at = ?, used_by = ? WHERE id = ? AND used_at IS NULL AND ends_at > ?",
        (now := now_us(), person.id, link.id, now),
    ).rowcount
    if not used:
        raise Conflict(USED)


def open_links(connection: sqlite3.Connection, project: int | None) -> list[Link]:
    """Invitations into a project that nobody has taken yet, or into none; the newest first."""
    rows = connection.execute(
        f"SELECT {_COLUMNS} FROM link WHERE kind = 'join' AND project IS ? AND used_at IS NULL AND "
        "ends_at > ? ORDER BY id DESC",
        (project, now_us()),
    )
    return [_link(row) for row in rows]


def link_of_owner(connection: sqlite3.Connection) -> str:
    """The token of a new link for the installation's owner, where nobody who administers it can
    sign in yet and sign-in is asked; else empty."""
    owned = any(
        one.has_password and one.administrator and not one.ended for one in people(connection)
    )
    if owned or is_alone(connection):
        return ""
    return add_link(connection, "own", None, person=local_owner(connection))[1]


def end_link(connection: sqlite3.Connection, link: Link) -> None:
    """It lets nobody in any more."""
    with write(connection):
        connection.execute("UPDATE link SET ends_at = ? WHERE id = ?", (now_us(), link.id))


def role_of(link: Link) -> Role | None:
    """What it makes of somebody in its project."""
    return cast(Role, link.role) if link.role else None
