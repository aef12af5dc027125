"""Watches of projects: documents, known by key whatever their files are called. What became of them
stands in another database (history/)."""

from __future__ import annotations

import hashlib
import sqlite3
from collections.abc import Callable
from typing import Any

from saltpath.core.format.folder import slug
from saltpath.core.values import plain
from saltpath.store import documents
from saltpath.store.database import Conflict, Deleted, NotFound, new_id, new_key, now_us, write
from saltpath.store.documents import Document, document_of
from saltpath.store.history.runs import MOST_WATCHES

MOST = 10_000
"""Of a project."""
_STAMP = """
SELECT p.version, p.name,
  (SELECT COUNT(*) || ' ' || COALESCE(SUM(version), 0) FROM environment WHERE project = p.id),
  (SELECT COUNT(gone_at) || ' ' || COUNT(*) || ' ' || COALESCE(SUM(version), 0) FROM suite
    WHERE project = p.id),
  (SELECT group_concat(folder) FROM suite WHERE project = p.id),
  (SELECT COUNT(gone_at) || ' ' || COUNT(*) || ' ' || COALESCE(SUM(version), 0) || ' '
    || COALESCE(SUM(suite * position), 0) FROM test_case WHERE project = p.id),
  (SELECT COUNT(*) || ' ' || COALESCE(MAX(at), 0) FROM secret WHERE project = p.id),
  (SELECT COUNT(*) || ' ' || COALESCE(MAX(version), 0) FROM project_file WHERE project = p.id),
  (SELECT group_concat(environment || run_role || change_role) FROM environment_guard
    WHERE environment IN (SELECT id FROM environment WHERE project = p.id)),
  (SELECT group_concat(name || value) FROM installation)
FROM project p WHERE p.id = ?
"""


def watches(
    connection: sqlite3.Connection, project: int | None = None, gone: bool = False
) -> list[Document]:
    """Those of a project, or of all, by their names; `gone`: those that were taken away, too."""
    rows = connection.execute(
        "SELECT * FROM watch WHERE (gone_at IS NULL OR ?) AND (? IS NULL OR project = ?)",
        (gone, project, project),
    )
    found = [document_of("watch", row) for row in rows]
    return sorted(found, key=lambda watch: (watch.name.lower(), watch.id))


def stamp(connection: sqlite3.Connection) -> tuple[int, ...]:
    """Of which watches there are, and whose zone they go by; another one where that has changed."""
    row = connection.execute(
        "SELECT COUNT(*), COUNT(gone_at), COALESCE(SUM(version), 0), COALESCE(MAX(gone_at), 0), "
        "(SELECT COALESCE(SUM(version), 0) FROM project) FROM watch"
    ).fetchone()
    return tuple(row)


def plan_stamp(connection: sqlite3.Connection, project: int) -> bytes:
    """Of all that plans of a project are made of; another one where something of it changed."""
    row = connection.execute(_STAMP, (project,)).fetchone()
    return hashlib.blake2b(repr(tuple(row or ())).encode(), digest_size=16).digest()


def watch(connection: sqlite3.Connection, oid: str, gone: bool = False) -> Document:
    """Raises NotFound; `gone`: one that was taken away, too."""
    row = connection.execute("SELECT * FROM watch WHERE oid = ?", (oid,)).fetchone()
    if row is None:
        raise NotFound(f"there is no watch {oid}")
    if row["gone_at"] is not None and not gone:
        raise Deleted(f"the watch {row['name']} was deleted")
    return document_of("watch", row)


def watch_by_id(connection: sqlite3.Connection, id: int) -> Document:
    """Also one that was taken away. Raises NotFound."""
    return documents.current(connection, "watch", id)


def add(
    connection: sqlite3.Connection,
    project: int,
    actor: int,
    document: dict[str, Any],
    stem: str = "",
) -> Document:
    """A new one, with a key that no other has, in a file of its own. One of this key that was
    taken away is there again, with its history. Raises Conflict, FormatError."""
    documents.check("watch", document)
    with write(connection):
        live = watches(connection, project)
        if len(live) >= MOST:
            raise Conflict(f"a project has at most {MOST} watches")
        key = str(document.get("key", ""))
        if not key or any(held.document.get("key") == key for held in live):
            key = new_key(10)
        document = {**document, "key": key}
        wanted = stem or slug(document["watch"], "watch")
        taken = {held.folder for held in live}
        names = (wanted, *(f"{wanted}-{n}" for n in range(2, len(taken) + 3)))
        stem = next(name for name in names if name not in taken)
        text = plain.write_json(document).decode()
        gone = connection.execute(
            "SELECT id FROM watch WHERE project = ? AND key = ? AND gone_at IS NOT NULL",
            (project, key),
        ).fetchone()
        if gone is not None:
            connection.execute(
                "UPDATE watch SET gone_at = NULL, stem = ?, name = ?, document = ?, actor = ?, "
                "version = version + 1 WHERE id = ?",
                (stem, document["watch"], text, actor, gone["id"]),
            )
            return documents.current(connection, "watch", gone["id"])
        cursor = connection.execute(
            "INSERT INTO watch (oid, project, key, stem, name, document, actor, made_at) "
            "VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
            (new_id("watch"), project, key, stem, document["watch"], text, actor, now_us()),
        )
        id = int(cursor.lastrowid or 0)
        if id > MOST_WATCHES:
            raise Conflict("this installation has had as many watches as it can number")
        return documents.current(connection, "watch", id)


def rename_file(connection: sqlite3.Connection, of: Document, stem: str) -> None:
    with write(connection):
        connection.execute("UPDATE watch SET stem = ? WHERE id = ?", (stem, of.id))


def rename_route(
    connection: sqlite3.Connection, project: int, actor: int, before: str, now: str
) -> None:
    """Watches that tell a route go on to, under its new name."""

    def renamed(held: dict[str, Any]) -> dict[str, Any]:
        told = held.get("tell")
        if not isinstance(told, list) or before not in told:
            return held
        return {**held, "tell": [now if name == before else name for name in told]}

    with write(connection):
        for one in watches(connection, project):
            documents.change(connection, one, actor, renamed)


def follow(
    connection: sqlite3.Connection, project: int, key: str, renamed: Callable[[str], str]
) -> None:
    """What watches name under a key is called otherwise now: they go on to name it."""

    def edit(held: dict[str, Any]) -> dict[str, Any]:
        return {**held, key: renamed(held[key])} if isinstance(held.get(key), str) else held

    with write(connection):
        for one in watches(connection, project):
            row = connection.execute("SELECT actor FROM watch WHERE id = ?", (one.id,)).fetchone()
            documents.change(connection, one, row["actor"], edit)


def remove(connection: sqlite3.Connection, of: Document) -> None:
    """Its history stays, and is its again when it is brought back."""
    with write(connection):
        connection.execute(
            "UPDATE watch SET gone_at = ? WHERE id = ? AND gone_at IS NULL", (now_us(), of.id)
        )


def bring_back(connection: sqlite3.Connection, of: Document) -> Document:
    """Raises Conflict where there is one of its key."""
    with write(connection):
        live = watches(connection, of.project)
        if any(held.document.get("key") == of.document.get("key") for held in live):
            raise Conflict(f"the watch {of.name} is there")
        connection.execute("UPDATE watch SET gone_at = NULL WHERE id = ?", (of.id,))
        if of.folder in {held.folder for held in live}:
            rename_file(connection, of, f"{of.folder}-{of.id}")
        return documents.current(connection, "watch", of.id)
