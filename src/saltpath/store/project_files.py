"""Files of a project that cases send or sign in with: by their path, relative to the project's root."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from dataclasses import dataclass

from saltpath.core.why import Blocked, why
from saltpath.store.database import NotFound, now_us, write


@dataclass(frozen=True, slots=True)
class StoredFile:
    """A file's path, its size in bytes, and when it came (UTC microseconds)."""

    path: str
    size: int
    at: int


def put_file(connection: sqlite3.Connection, project: int, actor: int, path: str, octets: bytes) -> StoredFile:
    """Keep a file, or a new version of it."""
    at = now_us()
    with write(connection):
        connection.execute(
            "INSERT INTO project_file (project, path, octets, actor, at) VALUES (?, ?, ?, ?, ?)"
            " ON CONFLICT (project, path) DO UPDATE SET octets = excluded.octets, actor = excluded.actor, at = excluded.at",
            (project, path, octets, actor, at),
        )
    return StoredFile(path, len(octets), at)


def listed(connection: sqlite3.Connection, project: int) -> list[StoredFile]:
    """The files of a project, in the order of their paths."""
    rows = connection.execute(
        "SELECT path, length(octets) AS size, at FROM project_file WHERE project = ? ORDER BY path", (project,)
    )
    return [StoredFile(row["path"], row["size"], row["at"]) for row in rows]


def remove_file(connection: sqlite3.Connection, project: int, path: str) -> None:
    """Raises NotFound."""
    with write(connection):
        done = connection.execute("DELETE FROM project_file WHERE project = ? AND path = ?", (project, path))
    if not done.rowcount:
        raise NotFound(f"the project has no file {path}")


def paths(connection: sqlite3.Connection, project: int) -> list[str]:
    """The paths of a project's files, in order."""
    rows = connection.execute("SELECT path FROM project_file WHERE project = ? ORDER BY path", (project,))
    return [row["path"] for row in rows]


def file_reader(connection: sqlite3.Connection, project: int) -> Callable[[str], bytes]:
    """Reads files of a project by their path; one that is not there blocks the step."""

    def read(path: str) -> bytes:
        row = connection.execute(
            "SELECT octets FROM project_file WHERE project = ? AND path = ?", (project, path.removeprefix("./"))
        ).fetchone()
        if row is None:
            raise Blocked(why("no-file", path=path, problem="the project has no such file"))
        octets: bytes = row["octets"]
        return octets

    return read
