"""Second factors: the secret of somebody's app of codes (RFC 6238), sealed, and codes for the day
on which the phone is lost, of which the hashes are stored."""

from __future__ import annotations

import sqlite3
from pathlib import Path

from saltpath.store.database import write
from saltpath.store.people import Person, set_setting, setting
from saltpath.store.reaching import is_shared
from saltpath.store.secrets import open_text, seal_text
from saltpath.store.tokens import hash_of

NEEDED = "second-factor"


def is_needed(connection: sqlite3.Connection) -> bool:
    """Whether administrators need one to decide about the installation."""
    said = said_needed(connection)
    return is_shared(connection) if said is None else said


def said_needed(connection: sqlite3.Connection) -> bool | None:
    """What was said of it; None: where others than this machine come here."""
    return {"yes": True, "no": False}.get(setting(connection, NEEDED))


def say_needed(connection: sqlite3.Connection, needed: bool | None) -> None:
    set_setting(connection, NEEDED, {True: "yes", False: "no", None: ""}[needed])


def _about(person: Person) -> str:
    return f"person/{person.oid}/second"


def set_second(
    connection: sqlite3.Connection, folder: Path, person: Person, secret: str, codes: list[str]
) -> None:
    """From now on signing in asks for it; earlier codes count no more."""
    sealed = seal_text(folder, _about(person), secret)
    with write(connection):
        connection.execute(
            "UPDATE person SET second = ?, second_step = 0 WHERE id = ?", (sealed, person.id)
        )
        _set_codes(connection, person, codes)


def _set_codes(connection: sqlite3.Connection, person: Person, codes: list[str]) -> None:
    connection.execute("DELETE FROM recovery_code WHERE person = ?", (person.id,))
    connection.executemany(
        "INSERT INTO recovery_code (person, hash) VALUES (?, ?)",
        [(person.id, hash_of(code)) for code in codes],
    )


def drop_second(connection: sqlite3.Connection, person: Person) -> None:
    """A second factor is asked no more."""
    with write(connection):
        connection.execute("UPDATE person SET second = NULL WHERE id = ?", (person.id,))
        _set_codes(connection, person, [])


def second_of(connection: sqlite3.Connection, folder: Path, person: Person) -> str:
    """The secret that codes are made of; empty: none is asked. Raises StoreError if the key does
    not fit."""
    row = connection.execute("SELECT second FROM person WHERE id = ?", (person.id,)).fetchone()
    if row is None or row["second"] is None:
        return ""
    return open_text(folder, _about(person), row["second"], "a second factor")


def use_step(connection: sqlite3.Connection, person: Person, step: int) -> bool:
    """A code counts once: False where the one of this or a later step of time was used before."""
    with write(connection):
        return (
            connection.execute(
                "UPDATE person SET second_step = ? WHERE id = ? AND second_step < ?",
                (step, person.id, step),
            ).rowcount
            == 1
        )


def use_code(connection: sqlite3.Connection, person: Person, code: str) -> bool:
    """A code for the day on which the phone is lost; each counts once."""
    with write(connection):
        return (
            connection.execute(
                "DELETE FROM recovery_code WHERE person = ? AND hash = ?",
                (person.id, hash_of(code)),
            ).rowcount
            == 1
        )


def codes_left(connection: sqlite3.Connection, person: Person) -> int:
    row = connection.execute(
        "SELECT count(*) FROM recovery_code WHERE person = ?", (person.id,)
    ).fetchone()
    return int(row[0])


def reseal(connection: sqlite3.Connection, folder: Path, key: bytes) -> int:
    """Seal each under another key, within a transaction of the caller's; how many these were."""
    rows = connection.execute("SELECT id, oid, second FROM person WHERE second IS NOT NULL")
    for row in (found := rows.fetchall()):
        about = f"person/{row['oid']}/second"
        secret = open_text(folder, about, row["second"], "a second factor")
        connection.execute(
            "UPDATE person SET second = ? WHERE id = ?",
            (seal_text(folder, about, secret, key), row["id"]),
        )
    return len(found)
