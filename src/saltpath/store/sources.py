"""Data sources of a project: entries of its document, each changed in one transaction with the
cases that name it."""

from __future__ import annotations

import sqlite3
from typing import Any

from msgspec import UNSET

from saltpath.store import cases, documents
from saltpath.store.database import Conflict, NotFound, now_us, write
from saltpath.store.documents import Document
from saltpath.store.events import add_event


def sources(project: Document) -> dict[str, Any]:
    """The documents of its sources by name."""
    found: dict[str, Any] = project.document.get("sources", {})
    return found


def put_source(
    connection: sqlite3.Connection,
    project: Document,
    actor: int,
    name: str,
    document: Any,
    new: bool = False,
    seen: Any = UNSET,
) -> None:
    """Say what a source is; a `new` one comes last. Raises Conflict for a new one whose name is
    there and for one that is not what was `seen`, NotFound for an old one that is not there."""

    def put(held: dict[str, Any]) -> dict[str, Any]:
        if new and name in held:
            raise Conflict(f"there is a source {name} already")
        if not new and name not in held:
            raise NotFound(f"there is no source {name}")
        documents.check_seen(held.get(name), seen, f"the source {name}")
        return {**held, name: document}

    _change(connection, project, actor, put)


def rename_source(
    connection: sqlite3.Connection, project: Document, actor: int, name: str, to: str
) -> int:
    """Call a source otherwise, in its place and in every case that names it, all in one
    transaction; how many these are. Raises NotFound or Conflict."""

    def called(held: dict[str, Any]) -> dict[str, Any]:
        if name not in held:
            raise NotFound(f"there is no source {name}")
        if to in held:
            raise Conflict(f"there is a source {to} already")
        return {to if key == name else key: value for key, value in held.items()}

    def follow(document: dict[str, Any]) -> dict[str, Any]:
        rows = document["rows"]
        return {**document, "rows": to if isinstance(rows, str) else {**rows, "source": to}}

    with write(connection):
        _change(connection, project, actor, called)
        users = using(connection, project.id, name)
        for case in users:
            document = follow(case.document)
            cases.save_case(connection, case.oid, actor, case.version, document, case.comments)
    return len(users)


def remove_source(connection: sqlite3.Connection, project: Document, actor: int, name: str) -> None:
    """Take a source away. Raises NotFound, and Conflict while cases use it."""

    def without(held: dict[str, Any]) -> dict[str, Any]:
        if name not in held:
            raise NotFound(f"there is no source {name}")
        users = using(connection, project.id, name)
        if users:
            more = f" and {len(users) - 1} more" if len(users) > 1 else ""
            raise Conflict(f"{name} is used by {users[0].name}{more}")
        return {key: value for key, value in held.items() if key != name}

    _change(connection, project, actor, without)


def users(connection: sqlite3.Connection, project: int) -> dict[str, list[cases.StoredCase]]:
    """By source, the cases that run over its rows."""
    found: dict[str, list[cases.StoredCase]] = {}
    for case in cases.with_field(connection, project, "rows"):
        found.setdefault(source_named(case.document), []).append(case)
    return found


def using(connection: sqlite3.Connection, project: int, name: str) -> list[cases.StoredCase]:
    """The cases that run over the rows of a source."""
    return users(connection, project).get(name, [])


def source_named(document: dict[str, Any]) -> str:
    """The source that a case's document names; empty if none."""
    rows = document.get("rows")
    if isinstance(rows, dict):
        rows = rows.get("source", "")
    return rows if isinstance(rows, str) else ""


def _change(
    connection: sqlite3.Connection, project: Document, actor: int, edit: documents.Edit
) -> None:
    with write(connection):
        documents.change(
            connection, project, actor, lambda held: documents.with_entries(held, "sources", edit)
        )
        add_event(connection, project.id, None, now_us(), "sources changed", {})
