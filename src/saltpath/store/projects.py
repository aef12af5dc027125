"""Projects, their environments and suites: documents of the case format, each with a version (see
documents.py)."""

from __future__ import annotations

import sqlite3
from itertools import chain, count
from typing import Any

from saltpath.core.format.folder import folders_above
from saltpath.core.values import plain
from saltpath.store import watches
from saltpath.store.database import Conflict, NotFound, new_id, now_us, write
from saltpath.store.documents import Document, check, document_of
from saltpath.store.events import suites_changed


def add_project(connection: sqlite3.Connection, actor: int, document: dict[str, Any]) -> Document:
    check("project", document)
    oid, text = new_id("project"), plain.write_json(document).decode()
    with write(connection):
        connection.execute(
            "INSERT INTO project (oid, name, document, version, actor, made_at) VALUES (?, ?, ?, "
            "1, ?, ?)",
            (oid, document["project"], text, actor, now_us()),
        )
    return project(connection, oid)


def projects(connection: sqlite3.Connection) -> list[Document]:
    rows = connection.execute("SELECT *, id AS project FROM project ORDER BY name, id")
    return [document_of("project", row) for row in rows]


def project(connection: sqlite3.Connection, oid: str) -> Document:
    """Raises NotFound."""
    row = connection.execute(
        "SELECT *, id AS project FROM project WHERE oid = ?", (oid,)
    ).fetchone()
    if row is None:
        raise NotFound(f"there is no project {oid}")
    return document_of("project", row)


def project_by_id(connection: sqlite3.Connection, id: int) -> Document:
    row = connection.execute("SELECT *, id AS project FROM project WHERE id = ?", (id,)).fetchone()
    return document_of("project", row)


def add_environment(
    connection: sqlite3.Connection, project: int, actor: int, document: dict[str, Any]
) -> Document:
    """At the end of the project's environments. Raises Conflict where one has its name."""
    check("environment", document)
    oid, name = new_id("env"), document["environment"]
    with write(connection):
        if connection.execute(
            "SELECT 1 FROM environment WHERE project = ? AND name = ?", (project, name)
        ).fetchone():
            raise Conflict(f"there is an environment {name} already")
        connection.execute(
            "INSERT INTO environment (project, oid, name, document, version, position, actor, "
            "made_at)"
            " SELECT ?, ?, ?, ?, 1, COALESCE(MAX(position), -1) + 1, ?, ? FROM environment WHERE "
            "project = ?",
            (project, oid, name, plain.write_json(document).decode(), actor, now_us(), project),
        )
    return environment(connection, oid)


def environment(connection: sqlite3.Connection, oid: str) -> Document:
    """Raises NotFound."""
    row = connection.execute("SELECT * FROM environment WHERE oid = ?", (oid,)).fetchone()
    if row is None:
        raise NotFound(f"there is no environment {oid}")
    return document_of("environment", row)


def environments(connection: sqlite3.Connection, project: int) -> list[Document]:
    rows = connection.execute(
        "SELECT * FROM environment WHERE project = ? ORDER BY position", (project,)
    )
    return [document_of("environment", row) for row in rows]


def add_suite(
    connection: sqlite3.Connection, project: int, actor: int, folder: str, document: dict[str, Any]
) -> Document:
    """At the end of the project's suites, in a folder that no other one has."""
    check("suite", document)
    oid = new_id("suite")
    with write(connection):
        taken = {
            row["folder"]
            for row in connection.execute("SELECT folder FROM suite WHERE project = ?", (project,))
        }
        free = next(
            name
            for name in (folder, *(f"{folder}-{n}" for n in range(2, len(taken) + 3)))
            if name not in taken
        )
        connection.execute(
            "INSERT INTO suite (project, oid, name, folder, document, version, position, actor, "
            "made_at)"
            " SELECT ?, ?, ?, ?, ?, 1, COUNT(*), ?, ? FROM suite WHERE project = ?",
            (
                project,
                oid,
                document["suite"],
                free,
                plain.write_json(document).decode(),
                actor,
                now_us(),
                project,
            ),
        )
        suites_changed(connection, project)
    return suite(connection, oid)


def suites(connection: sqlite3.Connection, project: int) -> list[Document]:
    """In their order."""
    rows = connection.execute(
        "SELECT * FROM suite WHERE project = ? AND gone_at IS NULL AND NOT hidden ORDER BY "
        "position, id",
        (project,),
    )
    return [document_of("suite", row) for row in rows]


def suite(connection: sqlite3.Connection, oid: str) -> Document:
    """Raises NotFound."""
    row = connection.execute(
        "SELECT * FROM suite WHERE oid = ? AND gone_at IS NULL AND NOT hidden", (oid,)
    ).fetchone()
    if row is None:
        raise NotFound(f"there is no suite {oid}")
    return document_of("suite", row)


STANDS_IN = (
    "(s.id = f.id OR (f.folder <> '' AND substr(s.folder, 1, length(f.folder) + 1) = "
    "f.folder || '/'))"
)
"""That the suite `s` stands in the folder `f`, at any depth, or is it."""


def standing(connection: sqlite3.Connection, suite: Document) -> list[Document]:
    """The folders that a suite stands in, the outermost first, and itself."""
    wanted = folders_above(suite.folder)
    if not wanted:
        return [suite]
    rows = connection.execute(
        "SELECT * FROM suite WHERE project = ? AND gone_at IS NULL AND NOT hidden AND folder IN "
        f"({', '.join('?' * len(wanted))}) ORDER BY length(folder)",
        (suite.project, *wanted),
    )
    return [*(document_of("suite", row) for row in rows), suite]


def standing_of_each(suites: list[Document]) -> dict[int, list[Document]]:
    """By id the folders that each suite of a project stands in, the outermost first, and itself."""
    at = {suite.folder: suite for suite in suites}
    return {
        suite.id: [*(at[path] for path in folders_above(suite.folder) if path in at), suite]
        for suite in suites
    }


def inside(folder: Document, suites: list[Document]) -> list[Document]:
    """Of a project's suites those that stand in a folder, at any depth, and the folder itself."""
    below = f"{folder.folder}/" if folder.folder else None
    return [
        suite
        for suite in suites
        if suite.id == folder.id or (below is not None and suite.folder.startswith(below))
    ]


def suite_by_id(connection: sqlite3.Connection, id: int) -> Document:
    """Also one that is gone, for cases that were in it."""
    return document_of(
        "suite", connection.execute("SELECT * FROM suite WHERE id = ?", (id,)).fetchone()
    )


def move_suite(connection: sqlite3.Connection, moved: Document, before: str | None) -> None:
    """Right before another suite of the project; to the end without one. Raises NotFound."""
    with write(connection):
        order = [
            (row.id, row.oid) for row in suites(connection, moved.project) if row.id != moved.id
        ]
        place = next((index for index, (_, oid) in enumerate(order) if oid == before), None)
        if place is None and before is not None:
            raise NotFound(f"there is no suite {before} in this project")
        ids = [id for id, _ in order]
        ids.insert(len(ids) if place is None else place, moved.id)
        connection.executemany("UPDATE suite SET position = ? WHERE id = ?", list(enumerate(ids)))
        suites_changed(connection, moved.project)


def put_into(connection: sqlite3.Connection, moved: Document, into: Document | None) -> None:
    """Into a folder, or (None) into none, at the end of what stands there, with the suites that
    stand in it. Raises Conflict where the folder stands in it itself, or can hold none."""
    with write(connection):
        moved = suite(connection, moved.oid)  # where both stand by now
        into = None if into is None else suite(connection, into.oid)
        around = into.folder if into else "suites"
        if into is not None and (into.id == moved.id or into.folder.startswith(f"{moved.folder}/")):
            raise Conflict(f"{moved.name} cannot stand in itself")
        if not around or not moved.folder:
            raise Conflict("what stands in the project's own folder is in no other, and holds none")
        held = standing(connection, moved)[:-1]
        if (held[-1].id if held else None) == (into.id if into else None):
            return
        of_project = connection.execute(
            "SELECT id, folder FROM suite WHERE project = ?", (moved.project,)
        ).fetchall()
        name, taken = moved.folder.rpartition("/")[2], [row["folder"] for row in of_project]
        free = next(
            path
            for path in chain([f"{around}/{name}"], (f"{around}/{name}-{n}" for n in count(2)))
            if not any(at == path or at.startswith(f"{path}/") for at in taken)
        )
        for row in inside(moved, suites(connection, moved.project)):
            path = free + row.folder.removeprefix(moved.folder)
            connection.execute("UPDATE suite SET folder = ? WHERE id = ?", (path, row.id))
            connection.execute(
                "UPDATE test_case SET file = ? || substr(file, ?) WHERE suite = ? AND "
                "substr(file, 1, ?) = ?",
                (path, len(row.folder) + 1, row.id, len(row.folder) + 1, f"{row.folder}/"),
            )
        before = moved.folder

        def now(path: str) -> str:
            inside_it = path == before or path.startswith(f"{before}/")
            return free + path.removeprefix(before) if inside_it else path

        watches.follow(connection, moved.project, "suite", now)
        move_suite(connection, moved, None)


def remove_suite(connection: sqlite3.Connection, id: int) -> bool:
    """Take away a suite that holds no case; False if it holds one."""
    with write(connection):
        held = connection.execute(
            "SELECT 1 FROM test_case WHERE suite = ? AND gone_at IS NULL", (id,)
        ).fetchone()
        if held:
            return False
        connection.execute("UPDATE suite SET gone_at = ? WHERE id = ?", (now_us(), id))
        suites_changed(connection, suite_by_id(connection, id).project)
    return True
