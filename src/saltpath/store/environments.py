"""Environments that are renamed or taken away: with them goes whatever names them."""

from __future__ import annotations

import sqlite3
from pathlib import Path
from typing import Any

from saltpath.store import projects, secrets
from saltpath.store.database import Taken, write
from saltpath.store.projects import Document


def change_environment(
    connection: sqlite3.Connection,
    folder: Path,
    project: Document,
    before: Document,
    actor: int,
    document: dict[str, Any],
) -> None:
    """Replace an environment's document; under a new name, wherever the old one is named: the project's usual environment, suites'
    values in it, its secrets. Raises Taken if another one has the name."""
    name = document["environment"]
    with write(connection):
        taken = connection.execute(
            "SELECT 1 FROM environment WHERE project = ? AND name = ? AND id <> ?", (project.id, name, before.id)
        ).fetchone()
        if taken:
            raise Taken(f"there is an environment {name} already")
        projects.put_document(connection, "environment", before.id, actor, document)
        if name == before.name:
            return
        secrets.move(connection, folder, project.id, before.name, name)
        current = projects.project_by_id(connection, project.id)
        if current.document.get("environment") == before.name:
            projects.put_document(connection, "project", project.id, actor, {**current.document, "environment": name})
        for suite in projects.suites(connection, project.id):
            inside = suite.document.get("values in", {})
            if before.name in inside:
                renamed = {name if key == before.name else key: held for key, held in inside.items()}
                projects.put_document(connection, "suite", suite.id, actor, {**suite.document, "values in": renamed})


def remove_environment(connection: sqlite3.Connection, project: Document, gone: Document, actor: int) -> None:
    """Take an environment away, with what suites say of it and its secrets. Runs against it stay as they are."""
    with write(connection):
        connection.execute("DELETE FROM environment WHERE id = ?", (gone.id,))
        connection.execute("DELETE FROM secret WHERE project = ? AND environment = ?", (project.id, gone.name))
        for suite in projects.suites(connection, project.id):
            inside = {key: held for key, held in suite.document.get("values in", {}).items() if key != gone.name}
            if inside != suite.document.get("values in", {}):
                rest = {key: held for key, held in suite.document.items() if key != "values in"}
                projects.put_document(
                    connection, "suite", suite.id, actor, {**rest, "values in": inside} if inside else rest
                )
        current = projects.project_by_id(connection, project.id)
        if current.document.get("environment") == gone.name:
            rest = {key: held for key, held in current.document.items() if key != "environment"}
            projects.put_document(connection, "project", project.id, actor, rest)
