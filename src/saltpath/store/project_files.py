"""Files of a project, by their path relative to its root, in versions: what cases send or sign in
with, and the rows of data sources.

A small file stands in the database; a larger one lies in the application's folder, named by what it
holds (SHA-256), so that it can be streamed.
"""

from __future__ import annotations

import hashlib
import io
import os
import sqlite3
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

from msgspec import Struct

from saltpath.core.values.why import Blocked, why
from saltpath.store.database import NotFound, now_us, write

FOLDER = "files"
LARGEST_INSIDE = 100_000
LARGEST_SENT = 200_000_000
MOST_VERSIONS = 20
_CHUNK = 1 << 20
_SELECT = (
    "SELECT v.id AS version, v.path, v.size, v.at, p.name AS actor FROM file_version v JOIN "
    "person p ON p.id = v.actor"
)


class StoredFile(Struct, frozen=True):
    """A version of a file: its path, its size in bytes, when it came (UTC microseconds) and from
    whom."""

    version: int
    path: str
    size: int
    at: int
    actor: str


def put_file(
    connection: sqlite3.Connection, project: int, actor: int, path: str, octets: bytes
) -> StoredFile:
    """Keep a file, or a new version of it."""
    return put_stream(connection, project, actor, path, io.BytesIO(octets))


def put_stream(
    connection: sqlite3.Connection, project: int, actor: int, path: str, stream: BinaryIO
) -> StoredFile:
    """The same, however long it is. What is the same as the version before makes no new one."""
    begin = stream.read(LARGEST_INSIDE + 1)
    if len(begin) <= LARGEST_INSIDE:
        return _put(
            connection, project, actor, path, len(begin), hashlib.sha256(begin).hexdigest(), begin
        )
    folder = _folder(connection)
    folder.mkdir(exist_ok=True)
    hasher, size = hashlib.sha256(), 0
    with tempfile.NamedTemporaryFile(dir=folder, prefix="part-", delete=False) as part:
        try:
            chunk = begin
            while chunk:
                hasher.update(chunk)
                part.write(chunk)
                size += len(chunk)
                chunk = stream.read(_CHUNK)
            part.flush()
            os.fsync(part.fileno())
        except BaseException:
            Path(part.name).unlink()
            raise
    name = hasher.hexdigest()
    os.replace(part.name, folder / name)
    return _put(connection, project, actor, path, size, name, None)


def _put(
    connection: sqlite3.Connection,
    project: int,
    actor: int,
    path: str,
    size: int,
    hash: str,
    octets: bytes | None,
) -> StoredFile:
    with write(connection):
        now = connection.execute(
            "SELECT v.id, v.hash FROM project_file f JOIN file_version v ON v.id = f.version "
            "WHERE f.project = ? AND f.path = ?",
            (project, path),
        ).fetchone()
        if now is not None and now["hash"] == hash:
            return version(connection, now["id"])
        cursor = connection.execute(
            "INSERT INTO file_version (project, path, size, hash, octets, actor, at) VALUES (?, "
            "?, ?, ?, ?, ?, ?)",
            (project, path, size, hash, octets, actor, now_us()),
        )
        new = int(cursor.lastrowid or 0)
        connection.execute(
            "INSERT INTO project_file (project, path, version) VALUES (?, ?, ?)"
            " ON CONFLICT (project, path) DO UPDATE SET version = excluded.version",
            (project, path, new),
        )
        gone = _forget(connection, project, path)
    for name in gone:
        (_folder(connection) / name).unlink(missing_ok=True)
    return version(connection, new)


def _forget(connection: sqlite3.Connection, project: int, path: str) -> list[str]:
    """Drop the versions that are too many; the names of files that nothing needs any more."""
    old = connection.execute(
        "SELECT id, hash, octets IS NULL AS apart FROM file_version WHERE project = ? AND path = "
        "? ORDER BY id DESC LIMIT -1 OFFSET ?",
        (project, path, MOST_VERSIONS),
    ).fetchall()
    connection.executemany("DELETE FROM file_version WHERE id = ?", [(row["id"],) for row in old])
    held = "SELECT 1 FROM file_version WHERE hash = ?"
    return [
        row["hash"]
        for row in old
        if row["apart"] and not connection.execute(held, (row["hash"],)).fetchone()
    ]


def version(connection: sqlite3.Connection, id: int) -> StoredFile:
    """A version by its number. Raises NotFound."""
    row = connection.execute(f"{_SELECT} WHERE v.id = ?", (id,)).fetchone()
    if row is None:
        raise NotFound(f"there is no version {id} of a file")
    return StoredFile(**dict(row))


def current(connection: sqlite3.Connection, project: int, path: str) -> StoredFile | None:
    """The newest version of a file; None if the project has no such file."""
    row = connection.execute(
        f"{_SELECT} JOIN project_file f ON f.version = v.id WHERE f.project = ? AND f.path = ?",
        (project, _plain(path)),
    ).fetchone()
    return StoredFile(**dict(row)) if row else None


def versions(connection: sqlite3.Connection, project: int, path: str) -> list[StoredFile]:
    """Its versions, newest first; at most 20 are kept."""
    rows = connection.execute(
        f"{_SELECT} WHERE v.project = ? AND v.path = ? ORDER BY v.id DESC", (project, path)
    )
    return [StoredFile(**dict(row)) for row in rows]


def listed(connection: sqlite3.Connection, project: int) -> list[StoredFile]:
    """The files of a project, in the order of their paths."""
    rows = connection.execute(
        f"{_SELECT} JOIN project_file f ON f.version = v.id WHERE f.project = ? ORDER BY v.path",
        (project,),
    )
    return [StoredFile(**dict(row)) for row in rows]


def remove_file(connection: sqlite3.Connection, project: int, path: str) -> None:
    """Take a file away; its versions stay for the runs that have begun with them. Raises
    NotFound."""
    with write(connection):
        done = connection.execute(
            "DELETE FROM project_file WHERE project = ? AND path = ?", (project, path)
        )
    if not done.rowcount:
        raise NotFound(f"the project has no file {path}")


def paths(connection: sqlite3.Connection, project: int) -> list[str]:
    """The paths of a project's files, in order."""
    rows = connection.execute(
        "SELECT path FROM project_file WHERE project = ? ORDER BY path", (project,)
    )
    return [row["path"] for row in rows]


def opener(
    connection: sqlite3.Connection, project: int, pinned: dict[str, int] | None = None
) -> Callable[[str], BinaryIO]:
    """Opens files of a project by their path, in the newest version or in the one that is `pinned`;
    one that is not there blocks whoever asks. May be called in any thread, since each asks by a
    connection of its own."""
    database = _database(connection)

    def opened(path: str) -> BinaryIO:
        own = sqlite3.connect(f"file:{database}?mode=ro", uri=True, timeout=10)
        try:
            wanted = "SELECT v.hash, v.octets FROM file_version v"
            if pinned and _plain(path) in pinned:
                row = own.execute(f"{wanted} WHERE v.id = ?", (pinned[_plain(path)],)).fetchone()
            else:
                join = "JOIN project_file f ON f.version = v.id WHERE f.project = ? AND f.path = ?"
                row = own.execute(f"{wanted} {join}", (project, _plain(path))).fetchone()
        finally:
            own.close()
        if row is None:
            raise Blocked(why("no-file", path=path, problem="the project has no such file"))
        if row[1] is not None:
            return io.BytesIO(bytes(row[1]))
        try:
            return (database.parent / FOLDER / str(row[0])).open("rb")
        except OSError as problem:
            raise Blocked(
                why("no-file", path=path, problem=problem.strerror or str(problem))
            ) from None

    return opened


def file_reader(connection: sqlite3.Connection, project: int) -> Callable[[str], bytes]:
    """Reads files of a project by their path, of at most 200 MB."""
    opened = opener(connection, project)

    def read(path: str) -> bytes:
        with opened(path) as file:
            octets = file.read(LARGEST_SENT + 1)
        if len(octets) > LARGEST_SENT:
            raise Blocked(why("no-file", path=path, problem="it is larger than 200 MB"))
        return octets

    return read


def _plain(path: str) -> str:
    return path.removeprefix("./")


def _database(connection: sqlite3.Connection) -> Path:
    return Path(connection.execute("PRAGMA database_list").fetchone()[2])


def _folder(connection: sqlite3.Connection) -> Path:
    return _database(connection).parent / FOLDER
