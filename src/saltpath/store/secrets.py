"""Secret values, encrypted with AES-GCM under a key in a file of mode 600; read back by runners alone."""

from __future__ import annotations

import base64
import os
import sqlite3
from pathlib import Path

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM

from saltpath.core import plain
from saltpath.store.database import StoreError, now_us, write

KEY_FILE = "secret.key"
NEXT_KEY_FILE = "secret.key.next"


def _key(folder: Path) -> bytes:
    """The installation's key, made on first use."""
    path = folder / KEY_FILE
    try:
        descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        key = path.read_bytes()
        if len(key) != 32:
            raise StoreError(f"{path} is not a key; put the right one back") from None
        return key
    with os.fdopen(descriptor, "wb") as file:
        file.write(key := AESGCM.generate_key(256))
    return key


def set_secret(connection: sqlite3.Connection, folder: Path, project: int, actor: int, name: str, value: str,
               environment: str = "") -> None:  # fmt: skip
    """Store a secret for one environment, or for all (`environment` empty)."""
    with write(connection):
        seal(connection, folder, project, actor, name, value, environment)


def seal(connection: sqlite3.Connection, folder: Path, project: int, actor: int, name: str, value: str,
         environment: str = "") -> None:  # fmt: skip
    """The same within the caller's transaction."""
    sealed = _seal(folder, f"{project}/{environment}/{name}", value)
    connection.execute(
        "INSERT INTO secret (project, environment, name, sealed, actor, at) VALUES (?, ?, ?, ?, ?, ?)"
        " ON CONFLICT DO UPDATE SET sealed = excluded.sealed, actor = excluded.actor, at = excluded.at",
        (project, environment, name, sealed, actor, now_us()),
    )


def forget(connection: sqlite3.Connection, project: int, name: str, environment: str | None = None) -> None:
    """Take a secret away, in one environment or (None) wherever it has a value, within the caller's transaction."""
    connection.execute(
        "DELETE FROM secret WHERE project = ? AND name = ? AND (? IS NULL OR environment = ?)",
        (project, name, environment, environment),
    )


def move(connection: sqlite3.Connection, folder: Path, project: int, before: str, after: str) -> None:
    """The secrets of an environment under its new name, within the caller's transaction. Each is sealed for the place where it stands."""
    rows = connection.execute(
        "SELECT name, sealed, actor FROM secret WHERE project = ? AND environment = ?", (project, before)
    ).fetchall()
    for row in rows:
        value = _opened(folder, f"{project}/{before}/{row['name']}", row["sealed"], f"the secret {row['name']}")
        seal(connection, folder, project, row["actor"], row["name"], value, after)
        forget(connection, project, row["name"], before)


def rename(connection: sqlite3.Connection, folder: Path, project: int, name: str, to: str, keep: bool) -> None:
    """What is sealed under a name under another one, within the caller's transaction; with `keep` under both."""
    rows = connection.execute(
        "SELECT environment, sealed, actor FROM secret WHERE project = ? AND name = ?", (project, name)
    ).fetchall()
    for row in rows:
        value = _opened(folder, f"{project}/{row['environment']}/{name}", row["sealed"], f"the secret {name}")
        seal(connection, folder, project, row["actor"], to, value, row["environment"])
    if not keep:
        forget(connection, project, name)


def places(connection: sqlite3.Connection, project: int) -> set[tuple[str, str]]:
    """Where secrets have a value: (environment, name)."""
    rows = connection.execute("SELECT environment, name FROM secret WHERE project = ?", (project,))
    return {(row["environment"], row["name"]) for row in rows}


def secrets_for(connection: sqlite3.Connection, folder: Path, project: int, environment: str) -> dict[str, str]:
    """Every secret by name as it reads in the environment. Raises StoreError if the key does not fit."""
    rows = connection.execute(
        "SELECT environment, name, sealed FROM secret WHERE project = ? AND environment IN ('', ?) ORDER BY environment",
        (project, environment),
    ).fetchall()
    values: dict[str, str] = {}
    for row in rows:
        about = f"{project}/{row['environment']}/{row['name']}"
        values[row["name"]] = _opened(folder, about, row["sealed"], f"the secret {row['name']}")
    return values


def seal_given(folder: Path, project: int, values: dict[str, str]) -> str:
    """The values that a run is given at its start, as they may be stored: any of them can be a secret."""
    return base64.b64encode(_seal(folder, f"{project}/given", plain.write_json(values).decode())).decode()


def given(folder: Path, project: int, sealed: str) -> dict[str, str]:
    """Raises StoreError if the key does not fit."""
    text = _opened(folder, f"{project}/given", base64.b64decode(sealed), "what the run was given")
    values: dict[str, str] = plain.read_json(text)
    return values


def change_key(connection: sqlite3.Connection, folder: Path) -> int:
    """Seal everything anew under a key that is made now; how many values that were. Whatever happens meanwhile, each can be read with the
    old key or with the one that waits beside it, and a change that was broken off is made good by the next one. Raises StoreError where a
    value cannot be read; then nothing has changed."""
    key = AESGCM.generate_key(256)
    number = 0
    connection.execute("PRAGMA secure_delete = ON")  # what was sealed under the old key leaves no trace
    with write(connection):
        for row in connection.execute("SELECT project, environment, name, sealed FROM secret").fetchall():
            about = f"{row['project']}/{row['environment']}/{row['name']}"
            value = _opened(folder, about, row["sealed"], f"the secret {row['name']}")
            connection.execute(
                "UPDATE secret SET sealed = ? WHERE project = ? AND environment = ? AND name = ?",
                (_sealed(key, about, value), row["project"], row["environment"], row["name"]),
            )
            number += 1
        for row in connection.execute("SELECT id, project, number, request FROM run").fetchall():
            request = plain.read_json(row["request"])
            if "sealed" not in request:
                continue
            about = f"{row['project']}/given"
            value = _opened(folder, about, base64.b64decode(request["sealed"]), f"what run {row['number']} was given")
            request["sealed"] = base64.b64encode(_sealed(key, about, value)).decode()
            connection.execute(
                "UPDATE run SET request = ? WHERE id = ?", (plain.write_json(request).decode(), row["id"])
            )
            number += 1
        _write_next(folder, key)
    os.replace(folder / NEXT_KEY_FILE, folder / KEY_FILE)
    connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    return number


def _write_next(folder: Path, key: bytes) -> None:
    """The key to come, on the disk before anything sealed under it is."""
    descriptor = os.open(folder / NEXT_KEY_FILE, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(descriptor, "wb") as file:
        file.write(key)
        file.flush()
        os.fsync(file.fileno())


def _seal(folder: Path, about: str, value: str) -> bytes:
    return _sealed(_key(folder), about, value)


def _sealed(key: bytes, about: str, value: str) -> bytes:
    nonce = os.urandom(12)
    return nonce + AESGCM(key).encrypt(nonce, value.encode("utf-8", "surrogatepass"), about.encode())


def _opened(folder: Path, about: str, sealed: bytes, what: str) -> str:
    waiting = folder / NEXT_KEY_FILE
    keys = [_key(folder), *([waiting.read_bytes()] if waiting.exists() else [])]
    for key in keys:
        try:
            return AESGCM(key).decrypt(sealed[:12], sealed[12:], about.encode()).decode("utf-8", "surrogatepass")
        except (InvalidTag, ValueError):
            continue
    raise StoreError(f"{what} cannot be read with {KEY_FILE}; the right key is missing")
