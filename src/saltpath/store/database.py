"""Opening, migrating, identities. One connection a thread; every write in a short `BEGIN IMMEDIATE`
transaction."""

from __future__ import annotations

import secrets
import sqlite3
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from importlib.resources import files
from pathlib import Path
from typing import Any, Literal

import msgspec

from saltpath.core.values.errors import SaltPathError

Which = Literal["main", "evidence", "history"]
FILES: dict[Which, str] = {
    "main": "saltpath.db",
    "evidence": "evidence.db",
    "history": "history.db",
}
_LETTERS = "0123456789abcdefghjkmnpqrstvwxyz"


class StoreError(SaltPathError):
    """Something about the store that a person must mend; the sentence says what."""

    code = "store"


class NotFound(SaltPathError, LookupError):
    """There is no such thing; the sentence says which."""

    code = "not-found"


class Deleted(NotFound):
    """It was deleted, and can be brought back."""

    code = "gone"
    remedy = "It can be brought back."


class Conflict(SaltPathError):
    """Something stands in the way: a name that is taken, something that is still used; the sentence
    says what."""

    code = "taken"


class VersionConflict(SaltPathError):
    """The document was changed by someone else meanwhile. `version` is the one that stands."""

    code = "changed-meanwhile"
    remedy = "Read it again, and change what stands now."

    def __init__(self, version: int) -> None:
        super().__init__(f"it was changed meanwhile; version {version} stands")
        self.version = version


def now_us() -> int:
    """UTC, microseconds."""
    return time.time_ns() // 1000


def new_id(prefix: str) -> str:
    """An identity for the outside, `case_` and 12 base32 characters; never reused."""
    return prefix + "_" + "".join(secrets.choice(_LETTERS) for _ in range(12))


def new_key(length: int) -> str:
    """A key of the case format: 10 characters for a case, 6 for a step."""
    return "".join(secrets.choice(_LETTERS) for _ in range(length))


def connect(folder: Path, which: Which = "main", patience_s: float = 10) -> sqlite3.Connection:
    """A connection for the calling thread. Waits so long for another writer."""
    connection = sqlite3.connect(folder / FILES[which], timeout=patience_s, isolation_level=None)
    connection.row_factory = sqlite3.Row
    connection.execute("PRAGMA journal_mode = WAL")
    connection.execute("PRAGMA synchronous = FULL")
    connection.execute("PRAGMA foreign_keys = ON")
    return connection


def at_once(
    connection: sqlite3.Connection, columns: Sequence[str], query: str, values: Sequence[Any] = ()
) -> list[list[Any]]:
    """The rows of a query that gives these columns (texts, whole numbers and NULL), fetched in one
    step of SQLite. Each step gives up the interpreter's lock and may wait 5 ms to have it back
    where other threads are busy, so that 500 rows one by one can take seconds."""
    named = ", ".join(f'"{name}"' for name in columns)
    row = connection.execute(
        f"SELECT json_group_array(json_array({named})) FROM ({query})", values
    ).fetchone()
    return _rows.decode(row[0])


_rows = msgspec.json.Decoder(list[list[Any]])


@contextmanager
def write(connection: sqlite3.Connection) -> Iterator[sqlite3.Connection]:
    """A short write transaction: committed at the end of the block, rolled back on any exception.
    Within another one it is part of that, and what it did is taken back alone where an exception
    leaves it and is caught further out."""
    begin, keep, drop = ("BEGIN IMMEDIATE", "COMMIT", "ROLLBACK")
    if connection.in_transaction:
        begin, keep, drop = ("SAVEPOINT part", "RELEASE part", "ROLLBACK TO part; RELEASE part")
    connection.execute(begin)
    try:
        yield connection
        connection.execute(keep)
    except BaseException:
        for statement in drop.split("; "):
            if connection.in_transaction:  # a full disk has ended it already
                connection.execute(statement)
        raise


def migrate(folder: Path) -> None:
    """Bring all files to this version: forward only, each step a transaction, a copy made first.

    Raises StoreError if a file was written by a newer Salt Path."""
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    folder.chmod(0o700)
    for which in FILES:
        connection = connect(folder, which)
        for file in folder.glob(f"{FILES[which]}*"):  # its log and its shared memory, too
            file.chmod(0o600)
        try:
            _migrate(connection, folder, which)
        finally:
            connection.close()


def newest_version(which: Which) -> int:
    """The version of a file that this Salt Path writes."""
    return int(_steps(which)[-1][:3])


def _steps(which: Which) -> list[str]:
    folder = files("saltpath.store") / "migrations" / which
    return sorted(step.name for step in folder.iterdir() if step.name.endswith(".sql"))


def _migrate(connection: sqlite3.Connection, folder: Path, which: Which) -> None:
    steps = _steps(which)
    have = connection.execute("PRAGMA user_version").fetchone()[0]
    newest = newest_version(which)
    if have > newest:
        raise StoreError(
            f"{FILES[which]} was written by a newer Salt Path (version {have}; this one knows "
            f"{newest})"
        )
    if 0 < have < newest:
        copy = sqlite3.connect(folder / f"{FILES[which]}.before-{newest:03d}")
        connection.backup(copy)
        copy.close()
    for step in steps:
        number = int(step[:3])
        if number <= have:
            continue
        script = (files("saltpath.store") / "migrations" / which / step).read_text(encoding="utf-8")
        with write(connection):
            if connection.execute("PRAGMA user_version").fetchone()[0] >= number:
                continue
            for statement in script.split(";\n"):
                if statement.strip():
                    connection.execute(statement)
            connection.execute(f"PRAGMA user_version = {number:d}")
