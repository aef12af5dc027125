"""People. From the first day every write carries its actor; for now there is one local owner."""

from __future__ import annotations

import sqlite3

from msgspec import Struct

from saltpath.store.database import new_id, now_us, write


class Person(Struct, frozen=True):
    id: int
    oid: str
    name: str
    role: str


def local_owner(connection: sqlite3.Connection, name: str = "Ines Wathne") -> Person:
    """The one local owner, made on the first call."""
    row = connection.execute(
        "SELECT id, oid, name, role FROM person ORDER BY id LIMIT 1"
    ).fetchone()
    if row is None:
        with write(connection):
            connection.execute(
                "INSERT INTO person (oid, name, role, made_at) SELECT ?, ?, 'owner', ? WHERE NOT "
                "EXISTS (SELECT 1 FROM person)",
                (new_id("person"), name, now_us()),
            )
        row = connection.execute(
            "SELECT id, oid, name, role FROM person ORDER BY id LIMIT 1"
        ).fetchone()
    return Person(*row)


def role_in(connection: sqlite3.Connection, person: Person, project: int) -> str | None:
    """What a person is in a project: owner, editor, runner or viewer; None: nothing. The local
    owner is one everywhere."""
    return person.role


def administers(connection: sqlite3.Connection, person: Person) -> bool:
    """Whether a person may change the installation itself."""
    return person.role == "owner"
