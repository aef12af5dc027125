"""Data sources of a project: entries of its document, each changed in one transaction with the cases that name it."""

from __future__ import annotations

import sqlite3
from typing import Any

from saltpath.store import cases, projects
from saltpath.store.database import NotFound, Taken, now_us, write
from saltpath.store.events import add_event
from saltpath.store.projects import Document


def sources(project: Document) -> dict[str, Any]:
    """The documents of its sources by name."""
    found: dict[str, Any] = project.document.get("sources", {})
    return found


def put_source(
    connection: sqlite3.Connection, project: Document, actor: int, name: str, document: Any, new: bool = False
) -> None:
    """Say what a source is; a `new` one comes last. Raises Taken for a new one whose name is there, NotFound for an old one that is not."""
    with write(connection):
        now = projects.project_by_id(connection, project.id)
        held = sources(now)
        if new and name in held:
            raise Taken(f"there is a source {name} already")
        if not new and name not in held:
            raise NotFound(f"there is no source {name}")
        _save(connection, now, actor, {**held, name: document})


def rename_source(connection: sqlite3.Connection, project: Document, actor: int, name: str, to: str) -> int:
    """Call a source otherwise, in its place and in every case that names it; how many these are. Raises NotFound or Taken."""
    with write(connection):
        now = projects.project_by_id(connection, project.id)
        held = sources(now)
        if name not in held:
            raise NotFound(f"there is no source {name}")
        if to in held:
            raise Taken(f"there is a source {to} already")
        _save(connection, now, actor, {to if key == name else key: value for key, value in held.items()})
    users = using(connection, project.id, name)
    for case in users:
        rows = case.document["rows"]
        called = to if isinstance(rows, str) else {**rows, "source": to}
        cases.save_case(connection, case.oid, actor, case.version, {**case.document, "rows": called}, case.comments)
    return len(users)


def remove_source(connection: sqlite3.Connection, project: Document, actor: int, name: str) -> Any:
    """Take a source away; its document. Raises NotFound, and Taken while cases use it."""
    with write(connection):
        now = projects.project_by_id(connection, project.id)
        held = dict(sources(now))
        if name not in held:
            raise NotFound(f"there is no source {name}")
        users = using(connection, project.id, name)
        if users:
            more = f" and {len(users) - 1} more" if len(users) > 1 else ""
            raise Taken(f"{name} is used by {users[0].name}{more}")
        gone = held.pop(name)
        _save(connection, now, actor, held)
    return gone


def using(connection: sqlite3.Connection, project: int, name: str) -> list[cases.StoredCase]:
    """The cases that run over the rows of a source."""
    return [case for case in cases.cases(connection, project) if source_named(case.document) == name]


def source_named(document: dict[str, Any]) -> str:
    """The source that a case's document names; empty if none."""
    rows = document.get("rows")
    if isinstance(rows, dict):
        rows = rows.get("source", "")
    return rows if isinstance(rows, str) else ""


def _save(connection: sqlite3.Connection, project: Document, actor: int, held: dict[str, Any]) -> None:
    document = {key: value for key, value in project.document.items() if key != "sources"}
    if held:
        document["sources"] = held
    projects.put_document(connection, "project", project.id, actor, document)
    add_event(connection, project.id, None, now_us(), "sources changed", {})
