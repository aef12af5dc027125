"""Databases of a project that look-ups ask: entries of its document."""

from __future__ import annotations

import sqlite3
from typing import Any

from saltpath.core.steps import steps_in
from saltpath.store import cases, projects, shared_steps
from saltpath.store.database import NotFound, Taken, now_us, write
from saltpath.store.events import add_event
from saltpath.store.projects import Document


def databases(project: Document) -> dict[str, Any]:
    """Their documents by name."""
    found: dict[str, Any] = project.document.get("databases", {})
    return found


def put_database(connection: sqlite3.Connection, project: Document, actor: int, name: str, document: Any) -> None:
    """Say where a database stands, also a new one."""
    with write(connection):
        now = projects.project_by_id(connection, project.id)
        _save(connection, now, actor, {**databases(now), name: document})


def remove_database(connection: sqlite3.Connection, project: Document, actor: int, name: str) -> None:
    """Take one away. Raises NotFound, and Taken while cases ask it."""
    with write(connection):
        now = projects.project_by_id(connection, project.id)
        held = dict(databases(now))
        if name not in held:
            raise NotFound(f"there is no database {name}")
        users = asking(connection, project.id, name)
        if users:
            more = f" and {len(users) - 1} more" if len(users) > 1 else ""
            raise Taken(f"{name} is asked by {users[0].name}{more}")
        del held[name]
        _save(connection, now, actor, held)


def asking(connection: sqlite3.Connection, project: int, name: str) -> list[cases.StoredCase]:
    """The cases and shared steps that ask a database."""
    every = [*cases.cases(connection, project), *shared_steps.shared_steps(connection, project)]
    return [
        case for case in every if any("look up" in step and step.get("in") == name for step in steps_in(case.document))
    ]


def _save(connection: sqlite3.Connection, project: Document, actor: int, held: dict[str, Any]) -> None:
    document = {key: value for key, value in project.document.items() if key != "databases"}
    if held:
        document["databases"] = held
    projects.put_document(connection, "project", project.id, actor, document)
    add_event(connection, project.id, None, now_us(), "databases changed", {})
