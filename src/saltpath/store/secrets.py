"""Secret values, encrypted with AES-GCM under a key in a file of mode 600; read back by runners alone."""

from __future__ import annotations

import os
import sqlite3
from pathlib import Path

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM

from saltpath.store.database import StoreError, now_us, write

KEY_FILE = "secret.key"


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
    nonce = os.urandom(12)
    about = f"{project}/{environment}/{name}".encode()
    sealed = nonce + AESGCM(_key(folder)).encrypt(nonce, value.encode(), about)
    with write(connection):
        connection.execute(
            "INSERT INTO secret (project, environment, name, sealed, actor, at) VALUES (?, ?, ?, ?, ?, ?)"
            " ON CONFLICT DO UPDATE SET sealed = excluded.sealed, actor = excluded.actor, at = excluded.at",
            (project, environment, name, sealed, actor, now_us()),
        )


def secrets_for(connection: sqlite3.Connection, folder: Path, project: int, environment: str) -> dict[str, str]:
    """Every secret by name as it reads in the environment. Raises StoreError if the key does not fit."""
    rows = connection.execute(
        "SELECT environment, name, sealed FROM secret WHERE project = ? AND environment IN ('', ?) ORDER BY environment",
        (project, environment),
    ).fetchall()
    values: dict[str, str] = {}
    for row in rows:
        about = f"{project}/{row['environment']}/{row['name']}".encode()
        try:
            values[row["name"]] = AESGCM(_key(folder)).decrypt(row["sealed"][:12], row["sealed"][12:], about).decode()
        except InvalidTag:
            raise StoreError(
                f"the secret {row['name']} cannot be read with {KEY_FILE}; the right key is missing"
            ) from None
    return values
