"""Keys for pipelines and scripts: each acts for whoever made it, with less. It begins with a fixed
text, so that a leaked one is found by searching, and with its own identity, by which it is named;
what follows is stored as a hash."""

from __future__ import annotations

import re
import sqlite3
from collections.abc import Iterable
from typing import Literal

import msgspec
from msgspec import Struct

from saltpath.store.database import NotFound, new_id, now_us, write
from saltpath.store.people import Person, person_by_id
from saltpath.store.tokens import hash_of, new_token

Scope = Literal["read", "run", "write"]
PREFIX = "saltpath_key_"
PATTERN = r"saltpath_key_[0-9a-z]{12}_[0-9A-Za-z_-]{43}"
"""What a key looks like, for whoever searches for leaked ones."""
_KEY = re.compile(PATTERN)
MOST_DAYS = 400
DAY_US = 86_400_000_000
USED_EVERY_US = 60_000_000
"""That it was used is written down not more often, from the same address."""


class AccessKey(Struct, frozen=True):
    id: int
    oid: str
    begins: str
    """What it begins with, which is no secret."""
    name: str
    person: int
    project: int | None
    """The only project that it is for; None: each that its maker has a part in."""
    scopes: tuple[Scope, ...]
    made_at: int
    ends_at: int
    used_at: int | None
    used_from: str
    ended_at: int | None


_COLUMNS = (
    "id, oid, begins, name, person, project, scopes, made_at, ends_at, used_at, used_from, ended_at"
)


def _key(row: sqlite3.Row) -> AccessKey:
    held = [*row]
    held[6] = tuple(msgspec.json.decode(held[6]))
    return AccessKey(*held)


def add_key(
    connection: sqlite3.Connection,
    person: Person,
    name: str,
    scopes: Iterable[Scope],
    days: int,
    project: int | None,
) -> tuple[AccessKey, str]:
    """A new key and its text, which is told this once."""
    oid, now = new_id("key"), now_us()
    begins = PREFIX + oid.removeprefix("key_")
    text = new_token(f"{begins}_")
    with write(connection):
        connection.execute(
            "INSERT INTO access_key (oid, hash, begins, name, person, project, scopes, made_at, "
            "ends_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
            (
                oid,
                hash_of(text),
                begins,
                name,
                person.id,
                project,
                msgspec.json.encode(sorted(set(scopes))).decode(),
                now,
                now + days * DAY_US,
            ),
        )
    return key(connection, oid), text


def key(connection: sqlite3.Connection, oid: str) -> AccessKey:
    """Raises NotFound."""
    row = connection.execute(f"SELECT {_COLUMNS} FROM access_key WHERE oid = ?", (oid,)).fetchone()
    if row is None:
        raise NotFound("there is no such key")
    return _key(row)


def of_text(connection: sqlite3.Connection, text: str) -> tuple[AccessKey, Person] | None:
    """The key that has not ended, and for whom it acts."""
    if not _KEY.fullmatch(text):
        return None
    row = connection.execute(
        f"SELECT {_COLUMNS} FROM access_key WHERE hash = ? AND ends_at > ? AND ended_at IS NULL",
        (hash_of(text), now_us()),
    ).fetchone()
    if row is None:
        return None
    found = _key(row)
    person = person_by_id(connection, found.person)
    return None if person.ended else (found, person)


def stands(connection: sqlite3.Connection, id: int) -> bool:
    """Whether a key has not ended yet."""
    row = connection.execute(
        "SELECT 1 FROM access_key k JOIN person p ON p.id = k.person WHERE k.id = ? AND k.ends_at "
        "> ? AND k.ended_at IS NULL AND p.ended_at IS NULL",
        (id, now_us()),
    ).fetchone()
    return row is not None


def used(connection: sqlite3.Connection, key: AccessKey, place: str) -> None:
    """Something was asked with it, from an address."""
    now = now_us()
    if now - (key.used_at or 0) > USED_EVERY_US or key.used_from != place:
        with write(connection):
            connection.execute(
                "UPDATE access_key SET used_at = ?, used_from = ? WHERE id = ?",
                (now, place, key.id),
            )


def keys(connection: sqlite3.Connection, person: Person) -> list[AccessKey]:
    """Somebody's, the newest first, also those that have ended in the last 30 days."""
    return _keys(connection, "person = ?1", person.id)


def keys_into(connection: sqlite3.Connection, project: int) -> list[AccessKey]:
    """Those that somebody made for a project, or for all that they have a part in."""
    return _keys(
        connection,
        "(project = ?1 OR project IS NULL AND person IN (SELECT person FROM membership WHERE "
        "project = ?1 UNION SELECT id FROM person WHERE administrator))",
        project,
    )


def _keys(connection: sqlite3.Connection, which: str, value: int) -> list[AccessKey]:
    rows = connection.execute(
        f"SELECT {_COLUMNS} FROM access_key WHERE {which} AND coalesce(ended_at, ends_at) > ?2 "
        "ORDER BY id DESC",
        (value, now_us() - 30 * DAY_US),
    )
    return [_key(row) for row in rows]


def end_key(connection: sqlite3.Connection, key: AccessKey) -> None:
    """It lets nobody in any more, at once."""
    with write(connection):
        connection.execute(
            "UPDATE access_key SET ended_at = ? WHERE id = ? AND ended_at IS NULL",
            (now_us(), key.id),
        )
