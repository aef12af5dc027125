"""Projects, their environments and suites: documents of the case format, each with a version."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass
from typing import Any

from saltpath.core import plain
from saltpath.store.database import NotFound, new_id, now_us, write


@dataclass(frozen=True, slots=True)
class Document:
    """A stored document. `id` inside, `oid` outside; `project` inside."""

    id: int
    oid: str
    project: int
    name: str
    document: dict[str, Any]
    version: int
    folder: str = ""


def _document(row: sqlite3.Row) -> Document:
    folder = row["folder"] if "folder" in row.keys() else ""  # noqa: SIM118 - a Row iterates over values
    data = plain.read_json(row["document"])
    return Document(row["id"], row["oid"], row["project"], row["name"], data, row["version"], folder)


def add_project(connection: sqlite3.Connection, actor: int, document: dict[str, Any]) -> Document:
    oid, text = new_id("project"), plain.write_json(document).decode()
    with write(connection):
        connection.execute(
            "INSERT INTO project (oid, name, document, version, actor, made_at) VALUES (?, ?, ?, 1, ?, ?)",
            (oid, document["project"], text, actor, now_us()),
        )
    return project(connection, oid)


def projects(connection: sqlite3.Connection) -> list[Document]:
    return [_document(row) for row in connection.execute("SELECT *, id AS project FROM project ORDER BY name, id")]


def project(connection: sqlite3.Connection, oid: str) -> Document:
    """Raises NotFound."""
    row = connection.execute("SELECT *, id AS project FROM project WHERE oid = ?", (oid,)).fetchone()
    if row is None:
        raise NotFound(f"there is no project {oid}")
    return _document(row)


def project_by_id(connection: sqlite3.Connection, id: int) -> Document:
    row = connection.execute("SELECT *, id AS project FROM project WHERE id = ?", (id,)).fetchone()
    return _document(row)


def add_environment(connection: sqlite3.Connection, project: int, actor: int, document: dict[str, Any]) -> None:
    with write(connection):
        connection.execute(
            "INSERT INTO environment (project, oid, name, document, version, position, actor, made_at)"
            " SELECT ?, ?, ?, ?, 1, COUNT(*), ?, ? FROM environment WHERE project = ?",
            (
                project,
                new_id("env"),
                document["environment"],
                plain.write_json(document).decode(),
                actor,
                now_us(),
                project,
            ),
        )


def set_environment(connection: sqlite3.Connection, id: int, actor: int, document: dict[str, Any]) -> None:
    """Replace an environment's document."""
    with write(connection):
        connection.execute(
            "UPDATE environment SET document = ?, version = version + 1, actor = ? WHERE id = ?",
            (plain.write_json(document).decode(), actor, id),
        )


def environments(connection: sqlite3.Connection, project: int) -> list[Document]:
    rows = connection.execute("SELECT * FROM environment WHERE project = ? ORDER BY position", (project,))
    return [_document(row) for row in rows]


def add_suite(
    connection: sqlite3.Connection, project: int, actor: int, folder: str, document: dict[str, Any]
) -> Document:
    oid = new_id("suite")
    with write(connection):
        connection.execute(
            "INSERT INTO suite (project, oid, name, folder, document, version, position, actor, made_at)"
            " SELECT ?, ?, ?, ?, ?, 1, COUNT(*), ?, ? FROM suite WHERE project = ?",
            (project, oid, document["suite"], folder, plain.write_json(document).decode(), actor, now_us(), project),
        )
    return next(suite for suite in suites(connection, project) if suite.oid == oid)


def suites(connection: sqlite3.Connection, project: int) -> list[Document]:
    """In their order."""
    rows = connection.execute("SELECT * FROM suite WHERE project = ? ORDER BY position", (project,))
    return [_document(row) for row in rows]
