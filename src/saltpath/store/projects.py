"""Projects, their environments and suites: documents of the case format, each with a version."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass, replace
from typing import Any

from saltpath.core import plain
from saltpath.store.database import Conflict, NotFound, new_id, now_us, write


@dataclass(frozen=True, slots=True)
class Document:
    """A stored document. `id` inside, `oid` outside; `project` inside. `hidden`: of a place that is no suite to anybody else;
    1 holds the project's single requests (see single.py), 2 its shared steps (shared_steps.py)."""

    id: int
    oid: str
    project: int
    name: str
    document: dict[str, Any]
    version: int
    folder: str = ""
    hidden: int = 0


def _document(row: sqlite3.Row) -> Document:
    data = plain.read_json(row["document"])
    found = Document(row["id"], row["oid"], row["project"], row["name"], data, row["version"])
    if "folder" in row.keys():  # noqa: SIM118 - a Row iterates over values
        found = replace(found, folder=row["folder"], hidden=row["hidden"])
    return found


def add_project(connection: sqlite3.Connection, actor: int, document: dict[str, Any]) -> Document:
    oid, text = new_id("project"), plain.write_json(document).decode()
    with write(connection):
        connection.execute(
            "INSERT INTO project (oid, name, document, version, actor, made_at) VALUES (?, ?, ?, 1, ?, ?)",
            (oid, document["project"], text, actor, now_us()),
        )
    return project(connection, oid)


def set_project(
    connection: sqlite3.Connection, id: int, actor: int, document: dict[str, Any], version: int | None = None
) -> None:
    """Replace a project's document; with `version`, on top of that one. Raises Conflict if another one stands."""
    with write(connection):
        _on_top(connection.execute("SELECT version FROM project WHERE id = ?", (id,)).fetchone(), version)
        connection.execute(
            "UPDATE project SET document = ?, name = ?, version = version + 1, actor = ? WHERE id = ?",
            (plain.write_json(document).decode(), document["project"], actor, id),
        )


def _on_top(row: sqlite3.Row, version: int | None) -> None:
    if version is not None and row["version"] != version:
        raise Conflict(row["version"])


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


_TABLES = {"project": "project", "environment": "environment", "suite": "suite"}


def put_document(connection: sqlite3.Connection, kind: str, id: int, actor: int, document: dict[str, Any]) -> None:
    """Replace the document of a project, an environment or a suite, within the caller's transaction."""
    connection.execute(
        f"UPDATE {_TABLES[kind]} SET document = ?, name = ?, version = version + 1, actor = ? WHERE id = ?",
        (plain.write_json(document).decode(), document[kind], actor, id),
    )


def environment(connection: sqlite3.Connection, oid: str) -> Document:
    """Raises NotFound."""
    row = connection.execute("SELECT * FROM environment WHERE oid = ?", (oid,)).fetchone()
    if row is None:
        raise NotFound(f"there is no environment {oid}")
    return _document(row)


def environments(connection: sqlite3.Connection, project: int) -> list[Document]:
    rows = connection.execute("SELECT * FROM environment WHERE project = ? ORDER BY position", (project,))
    return [_document(row) for row in rows]


def add_suite(
    connection: sqlite3.Connection, project: int, actor: int, folder: str, document: dict[str, Any]
) -> Document:
    """At the end of the project's suites, in a folder that no other one has."""
    oid = new_id("suite")
    with write(connection):
        taken = {row["folder"] for row in connection.execute("SELECT folder FROM suite WHERE project = ?", (project,))}
        free = next(
            name for name in (folder, *(f"{folder}-{n}" for n in range(2, len(taken) + 3))) if name not in taken
        )
        connection.execute(
            "INSERT INTO suite (project, oid, name, folder, document, version, position, actor, made_at)"
            " SELECT ?, ?, ?, ?, ?, 1, COUNT(*), ?, ? FROM suite WHERE project = ?",
            (project, oid, document["suite"], free, plain.write_json(document).decode(), actor, now_us(), project),
        )
    return suite(connection, oid)


def suites(connection: sqlite3.Connection, project: int) -> list[Document]:
    """In their order."""
    rows = connection.execute(
        "SELECT * FROM suite WHERE project = ? AND gone_at IS NULL AND NOT hidden ORDER BY position, id", (project,)
    )
    return [_document(row) for row in rows]


def suite(connection: sqlite3.Connection, oid: str) -> Document:
    """Raises NotFound."""
    row = connection.execute("SELECT * FROM suite WHERE oid = ? AND gone_at IS NULL AND NOT hidden", (oid,)).fetchone()
    if row is None:
        raise NotFound(f"there is no suite {oid}")
    return _document(row)


def suite_by_id(connection: sqlite3.Connection, id: int) -> Document:
    """Also one that is gone, for cases that were in it."""
    return _document(connection.execute("SELECT * FROM suite WHERE id = ?", (id,)).fetchone())


def set_suite(
    connection: sqlite3.Connection, id: int, actor: int, document: dict[str, Any], version: int | None = None
) -> None:
    """Replace a suite's document; with `version`, on top of that one. Raises Conflict if another one stands."""
    with write(connection):
        _on_top(connection.execute("SELECT version FROM suite WHERE id = ?", (id,)).fetchone(), version)
        connection.execute(
            "UPDATE suite SET document = ?, name = ?, version = version + 1, actor = ? WHERE id = ?",
            (plain.write_json(document).decode(), document["suite"], actor, id),
        )


def move_suite(connection: sqlite3.Connection, moved: Document, before: str | None) -> None:
    """Right before another suite of the project; to the end without one. Raises NotFound."""
    with write(connection):
        order = [(row.id, row.oid) for row in suites(connection, moved.project) if row.id != moved.id]
        place = next((index for index, (_, oid) in enumerate(order) if oid == before), None)
        if place is None and before is not None:
            raise NotFound(f"there is no suite {before} in this project")
        ids = [id for id, _ in order]
        ids.insert(len(ids) if place is None else place, moved.id)
        connection.executemany("UPDATE suite SET position = ? WHERE id = ?", list(enumerate(ids)))


def remove_suite(connection: sqlite3.Connection, id: int) -> bool:
    """Take away a suite that holds no case; False if it holds one."""
    with write(connection):
        held = connection.execute("SELECT 1 FROM test_case WHERE suite = ? AND gone_at IS NULL", (id,)).fetchone()
        if held:
            return False
        connection.execute("UPDATE suite SET gone_at = ? WHERE id = ?", (now_us(), id))
    return True
