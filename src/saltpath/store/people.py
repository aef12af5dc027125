"""People: who they are, what they are in each project, and how they sign in. Every write carries
its actor. The first one owns the installation; commands act in their name."""

from __future__ import annotations

import secrets
import sqlite3
from typing import Literal, cast, get_args

from msgspec import Struct

from saltpath.store.database import Conflict, NotFound, new_id, now_us, write

Role = Literal["owner", "editor", "runner", "viewer"]
ROLES: tuple[Role, ...] = get_args(Role)
BROWSERS = "browsers key"
ALONE = "alone"
"""The setting that whoever opens the pages on this machine is its owner."""


class Person(Struct, frozen=True):
    id: int
    oid: str
    name: str
    sign_in: str
    """The name to sign in by, in small letters; empty: there is none yet."""
    administrator: bool
    ended: bool
    """They come in no more; what they did stays theirs."""
    has_password: bool
    has_second: bool
    """A second factor is asked."""


class Member(Struct, frozen=True):
    """What somebody is in a project."""

    person: Person
    role: Role
    at: int


_COLUMNS = (
    "p.id, p.oid, p.name, coalesce(p.sign_in, '') AS sign_in, p.administrator, p.ended_at, "
    "p.password IS NOT NULL AS has_password, p.second IS NOT NULL AS has_second"
)


def _person(row: sqlite3.Row) -> Person:
    return Person(
        row["id"],
        row["oid"],
        row["name"],
        row["sign_in"],
        bool(row["administrator"]),
        row["ended_at"] is not None,
        bool(row["has_password"]),
        bool(row["has_second"]),
    )


def local_owner(connection: sqlite3.Connection, name: str = "Ines Wathne") -> Person:
    """The first person, who owns the installation; made on the first call."""
    first = f"SELECT {_COLUMNS} FROM person p ORDER BY p.id LIMIT 1"
    row = connection.execute(first).fetchone()
    if row is None:
        with write(connection):
            connection.execute(
                "INSERT INTO person (oid, name, administrator, made_at) SELECT ?, ?, 1, ? WHERE NOT"
                " EXISTS (SELECT 1 FROM person)",
                (new_id("person"), name, now_us()),
            )
        row = connection.execute(first).fetchone()
    return _person(row)


def people(connection: sqlite3.Connection) -> list[Person]:
    """All of them, by name."""
    rows = connection.execute(f"SELECT {_COLUMNS} FROM person p ORDER BY p.name, p.id")
    return [_person(row) for row in rows]


def person(connection: sqlite3.Connection, oid: str) -> Person:
    """Raises NotFound."""
    return _found(connection, "p.oid = ?", oid)


def person_by_id(connection: sqlite3.Connection, id: int) -> Person:
    return _found(connection, "p.id = ?", id)


def _found(connection: sqlite3.Connection, which: str, value: object) -> Person:
    row = connection.execute(f"SELECT {_COLUMNS} FROM person p WHERE {which}", (value,)).fetchone()
    if row is None:
        raise NotFound("there is nobody of this identity")
    return _person(row)


def by_sign_in(connection: sqlite3.Connection, name: str) -> Person | None:
    """Who signs in by this name, however it is spelled in small and capital letters."""
    row = connection.execute(
        f"SELECT {_COLUMNS} FROM person p WHERE p.sign_in = ?", (as_sign_in(name),)
    ).fetchone()
    return _person(row) if row else None


def by_subject(connection: sqlite3.Connection, subject: str) -> Person | None:
    """Whom a provider calls so: its address and its name of them."""
    row = connection.execute(
        f"SELECT {_COLUMNS} FROM person p WHERE p.subject = ?", (subject,)
    ).fetchone()
    return _person(row) if row else None


def set_subject(connection: sqlite3.Connection, person: Person, subject: str) -> None:
    with write(connection):
        connection.execute("UPDATE person SET subject = ? WHERE id = ?", (subject, person.id))


def as_sign_in(name: str) -> str:
    """The one spelling of a name to sign in by."""
    return name.strip().casefold()


def password_of(connection: sqlite3.Connection, person: Person) -> str:
    """Its hash as argon2 writes it; empty: there is none."""
    row = connection.execute("SELECT password FROM person WHERE id = ?", (person.id,)).fetchone()
    return row["password"] or "" if row else ""


def add_person(
    connection: sqlite3.Connection, name: str, sign_in: str, administrator: bool = False
) -> Person:
    """Raises Conflict where somebody signs in by that name."""
    oid = new_id("person")
    with write(connection):
        _check_free(connection, sign_in, 0)
        connection.execute(
            "INSERT INTO person (oid, name, sign_in, administrator, made_at) VALUES (?, ?, ?, ?, "
            "?)",
            (oid, name, as_sign_in(sign_in) or None, administrator, now_us()),
        )
    return person(connection, oid)


def _check_free(connection: sqlite3.Connection, sign_in: str, but: int) -> None:
    other = by_sign_in(connection, sign_in) if sign_in.strip() else None
    if other is not None and other.id != but:
        raise Conflict("somebody signs in by this name already")


def rename(connection: sqlite3.Connection, person: Person, name: str, sign_in: str) -> None:
    """Raises Conflict where somebody else signs in by that name."""
    with write(connection):
        _check_free(connection, sign_in, person.id)
        connection.execute(
            "UPDATE person SET name = ?, sign_in = ? WHERE id = ?",
            (name, as_sign_in(sign_in) or None, person.id),
        )


def set_password(connection: sqlite3.Connection, person: Person, hashed: str) -> None:
    with write(connection):
        connection.execute("UPDATE person SET password = ? WHERE id = ?", (hashed, person.id))


def set_administrator(connection: sqlite3.Connection, person: Person, wanted: bool) -> None:
    """Raises Conflict where nobody would be one any more."""
    with write(connection):
        if not wanted:
            _check_not_last(connection, person)
        connection.execute("UPDATE person SET administrator = ? WHERE id = ?", (wanted, person.id))


def end_person(connection: sqlite3.Connection, person: Person, ended: bool = True) -> None:
    """They come in no more, by whatever way, from now on; or may again. Raises Conflict where no
    administrator would be left."""
    with write(connection):
        if ended:
            _check_not_last(connection, person)
            connection.execute("DELETE FROM session WHERE person = ?", (person.id,))
        connection.execute(
            "UPDATE person SET ended_at = ? WHERE id = ?", (now_us() if ended else None, person.id)
        )


def _check_not_last(connection: sqlite3.Connection, person: Person) -> None:
    other = connection.execute(
        "SELECT 1 FROM person WHERE administrator AND ended_at IS NULL AND id <> ?", (person.id,)
    ).fetchone()
    if person.administrator and other is None:
        raise Conflict("nobody would be administrator of this installation any more")


def role_in(connection: sqlite3.Connection, person: Person, project: int) -> Role | None:
    """What a person is in a project; None: nothing. An administrator owns each."""
    if person.administrator:
        return "owner"
    row = connection.execute(
        "SELECT role FROM membership WHERE project = ? AND person = ?", (project, person.id)
    ).fetchone()
    return cast(Role, row["role"]) if row else None


def members(connection: sqlite3.Connection, project: int) -> list[Member]:
    """Who has a part in a project, by name; administrators only where they were given one."""
    rows = connection.execute(
        f"SELECT {_COLUMNS}, m.role, m.at FROM membership m JOIN person p ON p.id = m.person WHERE "
        "m.project = ? AND p.ended_at IS NULL ORDER BY p.name, p.id",
        (project,),
    )
    return [Member(_person(row), row["role"], row["at"]) for row in rows]


def roles_of(connection: sqlite3.Connection, person: Person) -> dict[int, Role]:
    """What somebody was made in each project."""
    rows = connection.execute("SELECT project, role FROM membership WHERE person = ?", (person.id,))
    return {row["project"]: row["role"] for row in rows}


def set_role(
    connection: sqlite3.Connection, project: int, person: Person, role: Role | None, actor: int
) -> None:
    """What somebody is in a project from now on; None: nothing any more."""
    with write(connection):
        if role is None:
            connection.execute(
                "DELETE FROM membership WHERE project = ? AND person = ?", (project, person.id)
            )
        else:
            connection.execute(
                "INSERT INTO membership (project, person, role, actor, at) VALUES (?, ?, ?, ?, ?) "
                "ON CONFLICT DO UPDATE SET role = excluded.role, actor = excluded.actor, at = "
                "excluded.at",
                (project, person.id, role, actor, now_us()),
            )


def is_alone(connection: sqlite3.Connection) -> bool:
    """Whether the owner said that pages on this machine are opened by nobody else."""
    return setting(connection, ALONE) == "yes"


def set_alone(connection: sqlite3.Connection, alone: bool) -> None:
    set_setting(connection, ALONE, "yes" if alone else "")


def browsers_key(connection: sqlite3.Connection) -> bytes:
    """What vouches for the browsers in which people have signed in before, made on first use; who
    knows it may try passwords oftener, and no more."""
    held = setting(connection, BROWSERS)
    if not held:
        with write(connection):
            connection.execute(
                "INSERT INTO installation (name, value) VALUES (?, ?) ON CONFLICT DO NOTHING",
                (BROWSERS, secrets.token_hex(32)),
            )
        held = setting(connection, BROWSERS)
    return bytes.fromhex(held)


def setting(connection: sqlite3.Connection, name: str) -> str:
    """Something that was said of the installation; empty: nothing."""
    row = connection.execute("SELECT value FROM installation WHERE name = ?", (name,)).fetchone()
    return str(row["value"]) if row else ""


def set_setting(connection: sqlite3.Connection, name: str, value: str) -> None:
    with write(connection):
        connection.execute(
            "INSERT INTO installation (name, value) VALUES (?, ?) ON CONFLICT DO UPDATE SET value ="
            " excluded.value",
            (name, value),
        )
