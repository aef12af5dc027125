"""Databases of a project that look-ups ask: entries of its document."""

from __future__ import annotations

import sqlite3
from typing import Any

from msgspec import UNSET

from saltpath.core.cases.steps import steps_in
from saltpath.store import cases, documents, shared_steps
from saltpath.store.database import Conflict, NotFound, now_us, write
from saltpath.store.documents import Document
from saltpath.store.events import add_event


def databases(project: Document) -> dict[str, Any]:
    """Their documents by name."""
    found: dict[str, Any] = project.document.get("databases", {})
    return found


def put_database(
    connection: sqlite3.Connection,
    project: Document,
    actor: int,
    name: str,
    document: Any,
    seen: Any = UNSET,
) -> None:
    """Say where a database stands, also a new one. Raises Conflict where it is not what was
    `seen`."""

    def put(held: dict[str, Any]) -> dict[str, Any]:
        documents.check_seen(held.get(name), seen, f"the database {name}")
        return {**held, name: document}

    _change(connection, project, actor, put)


def remove_database(
    connection: sqlite3.Connection, project: Document, actor: int, name: str
) -> None:
    """Take one away. Raises NotFound, and Conflict while cases ask it."""

    def without(held: dict[str, Any]) -> dict[str, Any]:
        if name not in held:
            raise NotFound(f"there is no database {name}")
        users = asking(connection, project.id, name)
        if users:
            more = f" and {len(users) - 1} more" if len(users) > 1 else ""
            raise Conflict(f"{name} is asked by {users[0].name}{more}")
        return {key: value for key, value in held.items() if key != name}

    _change(connection, project, actor, without)


def asking(connection: sqlite3.Connection, project: int, name: str) -> list[cases.StoredCase]:
    """The cases and shared steps that ask a database."""
    every = [*cases.cases(connection, project), *shared_steps.shared_steps(connection, project)]
    return [
        case
        for case in every
        if any("look up" in step and step.get("in") == name for step in steps_in(case.document))
    ]


def _change(
    connection: sqlite3.Connection, project: Document, actor: int, edit: documents.Edit
) -> None:
    with write(connection):
        documents.change(
            connection, project, actor, lambda held: documents.with_entries(held, "databases", edit)
        )
        add_event(connection, project.id, None, now_us(), "databases changed", {})
