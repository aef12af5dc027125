"""Secret values, encrypted with AES-GCM under a key in a file of mode 600; read back by runners
alone."""

from __future__ import annotations

import base64
import os
import sqlite3
from collections.abc import Callable, Sequence
from contextlib import closing
from itertools import product
from pathlib import Path
from typing import Any

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from msgspec import Struct
from msgspec.structs import replace

from saltpath.core.values import plain
from saltpath.store.database import NotFound, StoreError, connect, now_us, write

KEY_FILE = "secret.key"
NEXT_KEY_FILE = "secret.key.next"


def _key(folder: Path) -> bytes:
    """The installation's key, made on first use. Raises StoreError where it has gone, and
    something is sealed under it."""
    path = folder / KEY_FILE
    if not path.exists() and _is_needed(folder):
        raise StoreError(f"{path} is missing; put back the one under which secrets were sealed")
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


def _is_needed(folder: Path) -> bool:
    with closing(connect(folder)) as store:
        return something_is_sealed(store)


PROVIDER_SECRET = "provider secret"
"""The name of the setting in which the sealed secret of a provider stands (providers.py)."""
_SEALED = (
    "SELECT 1 FROM secret",
    "SELECT 1 FROM person WHERE second IS NOT NULL",
    f"SELECT 1 FROM installation WHERE name = '{PROVIDER_SECRET}' AND value <> ''",
)
"""Wherever something lies that is still used, and that the key alone opens; what runs that ended
were given, and what was put aside, keeps nobody from beginning anew."""


def something_is_sealed(connection: sqlite3.Connection) -> bool:
    """Whether anything that is used would be lost without the key."""
    query = " OR ".join(f"EXISTS ({one})" for one in _SEALED)
    return bool(connection.execute(f"SELECT {query}").fetchone()[0])


class Place(Struct, frozen=True):
    """Where a secret's value belongs: to a project, or to one of its suites; in one environment, or
    in all."""

    project: int
    name: str
    suite: str = ""
    """The suite's oid; empty of a value of the project."""
    environment: str = ""
    """The environment's name; empty everywhere."""

    @property
    def about(self) -> str:
        """What it is sealed for: it cannot be opened anywhere else."""
        suite = f"{self.suite}:" if self.suite else ""
        return f"{self.project}/{suite}{self.environment}/{self.name}"


def set_secret(
    connection: sqlite3.Connection, folder: Path, place: Place, actor: int, value: str
) -> None:
    """Store a secret's value there, in the place of one that stands; that one is put aside."""
    with write(connection):
        put_aside(connection, place)
        _store(connection, place, _seal(folder, place.about, value), actor, now_us())


def forget(connection: sqlite3.Connection, place: Place, everywhere: bool = False) -> None:
    """Take a secret's value away there; `everywhere`: in each environment. It is put aside."""
    with write(connection):
        put_aside(connection, place, everywhere)
        connection.execute(f"DELETE FROM secret WHERE {_HERE}", _here(place, everywhere))


def _store(
    connection: sqlite3.Connection, place: Place, sealed: bytes, actor: int, at: int
) -> None:
    connection.execute(
        "INSERT INTO secret (project, suite, environment, name, sealed, actor, at) VALUES (?, ?, "
        "?, ?, ?, ?, ?)"
        " ON CONFLICT DO UPDATE SET sealed = excluded.sealed, actor = excluded.actor, at = "
        "excluded.at",
        (place.project, place.suite, place.environment, place.name, sealed, actor, at),
    )


_HERE = "project = ? AND suite = ? AND name = ? AND (? OR environment = ?)"


def _here(place: Place, everywhere: bool) -> tuple[int, str, str, bool, str]:
    return place.project, place.suite, place.name, everywhere, place.environment


def put_aside(connection: sqlite3.Connection, place: Place, everywhere: bool = False) -> None:
    """Keep what is sealed there, as it is sealed, until `keeping` drops it."""
    connection.execute(
        "INSERT INTO secret_gone (project, suite, environment, name, sealed, actor, at, gone_at)"
        " SELECT project, suite, environment, name, sealed, actor, at, ? FROM secret WHERE "
        f"{_HERE}",
        (now_us(), *_here(place, everywhere)),
    )


def newest_aside(connection: sqlite3.Connection) -> int:
    """What has been put aside after this has a greater number."""
    return int(connection.execute("SELECT coalesce(max(id), 0) FROM secret_gone").fetchone()[0])


def aside_after(
    connection: sqlite3.Connection, number: int, project: int
) -> list[tuple[int, Place]]:
    rows = connection.execute(
        "SELECT id, name, suite, environment FROM secret_gone WHERE id > ? AND project = ? ORDER "
        "BY id",
        (number, project),
    )
    return [
        (row["id"], Place(project, row["name"], row["suite"], row["environment"])) for row in rows
    ]


def bring_back(connection: sqlite3.Connection, number: int, place: Place) -> None:
    """What was put aside at a place stands there again, as it was sealed. Raises NotFound where it
    is kept no more."""
    with write(connection):
        row = connection.execute(
            f"SELECT sealed, actor, at FROM secret_gone WHERE id = ? AND {_HERE}",
            (number, *_here(place, False)),
        ).fetchone()
        if row is None:
            raise NotFound(f"what {place.name} was before is kept no more")
        put_aside(connection, place)
        _store(connection, place, row["sealed"], row["actor"], row["at"])


def move(
    connection: sqlite3.Connection, folder: Path, project: int, before: str, after: str
) -> None:
    """The secrets of an environment under its new name, those of suites too."""
    with write(connection):
        for place, sealed, actor in _stored(connection, project, "environment = ?", before):
            _copy(connection, folder, place, replace(place, environment=after), sealed, actor)
            connection.execute(f"DELETE FROM secret WHERE {_HERE}", _here(place, False))


def rename(
    connection: sqlite3.Connection,
    folder: Path,
    project: int,
    suite: str,
    name: str,
    to: str,
    keep: bool,
) -> None:
    """What is sealed under a name, of the project or of one of its suites, under another one; with
    `keep` under both."""
    with write(connection):
        for place, sealed, actor in _stored(
            connection, project, "suite = ? AND name = ?", suite, name
        ):
            _copy(connection, folder, place, replace(place, name=to), sealed, actor)
            if not keep:
                connection.execute(f"DELETE FROM secret WHERE {_HERE}", _here(place, False))


def _copy(
    connection: sqlite3.Connection, folder: Path, place: Place, to: Place, sealed: bytes, actor: int
) -> None:
    """What is sealed for one place, sealed for another."""
    _store(
        connection, to, _seal(folder, to.about, _opened_at(folder, place, sealed)), actor, now_us()
    )


def places(connection: sqlite3.Connection, project: int) -> set[tuple[str, str, str]]:
    """Where secrets have a value: (suite's oid or empty, environment, name)."""
    return {
        (place.suite, place.environment, place.name)
        for place, _, _ in _stored(connection, project, "1")
    }


def secrets_for(
    connection: sqlite3.Connection, folder: Path, project: int, environment: str, suite: str = ""
) -> dict[str, str]:
    """The secrets of the project, or of one of its suites, by name as they read in the environment.
    Raises StoreError if the key does not fit."""
    wanted = "suite = ? AND environment IN ('', ?) ORDER BY environment"
    found = _stored(connection, project, wanted, suite, environment)
    return {place.name: _opened_at(folder, place, sealed) for place, sealed, _ in found}


def secret_at(connection: sqlite3.Connection, folder: Path, place: Place) -> str:
    """The value of one secret; empty if there is none. Raises StoreError if the key does not
    fit."""
    row = connection.execute(
        "SELECT sealed FROM secret WHERE project = ? AND suite = ? AND environment = ? AND name = "
        "?",
        (place.project, place.suite, place.environment, place.name),
    ).fetchone()
    return _opened_at(folder, place, row["sealed"]) if row is not None else ""


def _stored(
    connection: sqlite3.Connection, project: int, wanted: str, *values: str
) -> list[tuple[Place, bytes, int]]:
    rows = connection.execute(
        "SELECT name, suite, environment, sealed, actor FROM secret WHERE project = ? AND "
        f"{wanted}",
        (project, *values),
    )
    return [
        (Place(project, r["name"], r["suite"], r["environment"]), r["sealed"], r["actor"])
        for r in rows
    ]


def _opened_at(folder: Path, place: Place, sealed: bytes) -> str:
    """A suite's that was sealed before suites had places of their own was sealed for the
    project's."""
    known = (place.about, replace(place, suite="").about)
    return _opened(folder, known, sealed, f"the secret {place.name}")


def seal_given(folder: Path, project: int, values: dict[str, Any]) -> str:
    """The values that a run is given at its start, or that its rows begin with, as they may be
    stored: any of them can be a secret."""
    return base64.b64encode(
        _seal(folder, f"{project}/given", plain.write_json(values).decode())
    ).decode()


def given(folder: Path, project: int, sealed: str) -> dict[str, Any]:
    """What was sealed so; nothing of an empty text. Raises StoreError if the key does not fit."""
    if not sealed:
        return {}
    text = _opened(
        folder, (f"{project}/given",), base64.b64decode(sealed), "what the run was given"
    )
    values: dict[str, Any] = plain.read_json(text)
    return values


def opens_everything(connection: sqlite3.Connection, folder: Path) -> bool:
    """Whether the key that lies there opens the secrets of every project."""
    try:
        for (project,) in connection.execute("SELECT DISTINCT project FROM secret").fetchall():
            for place, sealed, _ in _stored(connection, project, "1"):
                _opened_at(folder, place, sealed)
    except StoreError:
        return False
    return True


Reseal = Callable[[sqlite3.Connection, Path, bytes], int]
"""Seals under another key what a module of the store keeps sealed, within a transaction; how many
values these were."""


def change_key(connection: sqlite3.Connection, folder: Path, also: Sequence[Reseal] = ()) -> int:
    """Seal everything anew under a key that is made now; how many values that were. `also`: those
    of other modules. Whatever
    happens meanwhile, each can be read with the old key or with the one that waits beside it, and a
    change that was broken off is made good by the next one. Raises StoreError where a value cannot
    be read; then nothing has changed."""
    key = AESGCM.generate_key(256)
    number = 0
    # what was sealed under the old key leaves no trace
    connection.execute("PRAGMA secure_delete = ON")
    with write(connection):
        for (project,) in connection.execute("SELECT DISTINCT project FROM secret").fetchall():
            for place, sealed, _ in _stored(connection, project, "1"):
                value = _opened_at(folder, place, sealed)
                connection.execute(
                    "UPDATE secret SET sealed = ? WHERE project = ? AND suite = ? AND environment "
                    "= ? AND name = ?",
                    (
                        _sealed(key, place.about, value),
                        project,
                        place.suite,
                        place.environment,
                        place.name,
                    ),
                )
                number += 1
        for row in connection.execute("SELECT * FROM secret_gone").fetchall():
            place = Place(row["project"], row["name"], row["suite"], row["environment"])
            value = _opened_at(folder, place, row["sealed"])
            connection.execute(
                "UPDATE secret_gone SET sealed = ? WHERE id = ?",
                (_sealed(key, place.about, value), row["id"]),
            )
            number += 1
        for row in connection.execute("SELECT id, project, number, request FROM run").fetchall():
            request = plain.read_json(row["request"])
            if "sealed" not in request:
                continue
            about = f"{row['project']}/given"
            value = _opened(
                folder,
                (about,),
                base64.b64decode(request["sealed"]),
                f"what run {row['number']} was given",
            )
            request["sealed"] = base64.b64encode(_sealed(key, about, value)).decode()
            connection.execute(
                "UPDATE run SET request = ? WHERE id = ?",
                (plain.write_json(request).decode(), row["id"]),
            )
            number += 1
        sessions = "SELECT project, run, position, session FROM run_case WHERE session IS NOT NULL"
        for row in connection.execute(sessions).fetchall():
            about = f"{row['project']}/given"
            value = _opened(
                folder,
                (about,),
                base64.b64decode(row["session"]),
                "what a run keeps before its rows",
            )
            text = base64.b64encode(_sealed(key, about, value)).decode()
            connection.execute(
                "UPDATE run_case SET session = ? WHERE run = ? AND position = ?",
                (text, row["run"], row["position"]),
            )
            number += 1
        number += sum(reseal(connection, folder, key) for reseal in also)
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


def seal_text(folder: Path, about: str, text: str, key: bytes | None = None) -> bytes:
    """A text as it may be stored, which can be opened for the same purpose alone; under the
    installation's key, or under another one."""
    return _sealed(key or _key(folder), about, text)


def open_text(folder: Path, about: str, sealed: bytes, what: str) -> str:
    """What was sealed for a purpose. Raises StoreError, which names `what`, if the key does not
    fit."""
    return _opened(folder, (about,), sealed, what)


def _seal(folder: Path, about: str, value: str) -> bytes:
    return _sealed(_key(folder), about, value)


def _sealed(key: bytes, about: str, value: str) -> bytes:
    nonce = os.urandom(12)
    return nonce + AESGCM(key).encrypt(
        nonce, value.encode("utf-8", "surrogatepass"), about.encode()
    )


def _opened(folder: Path, about: tuple[str, ...], sealed: bytes, what: str) -> str:
    """What was sealed for one of these."""
    waiting = folder / NEXT_KEY_FILE
    keys = [_key(folder), *([waiting.read_bytes()] if waiting.exists() else [])]
    for key, one in product(keys, about):
        try:
            return (
                AESGCM(key)
                .decrypt(sealed[:12], sealed[12:], one.encode())
                .decode("utf-8", "surrogatepass")
            )
        except (InvalidTag, ValueError):
            continue
    raise StoreError(f"{what} cannot be read with {KEY_FILE}; the right key is missing")
