"""Environments that are added, changed or taken away: with them goes whatever names them."""

from __future__ import annotations

import sqlite3
from pathlib import Path
from typing import Any

from saltpath.store import documents, projects, secrets, watches
from saltpath.store.database import Conflict, write
from saltpath.store.documents import Document, Edit


def add_environment(
    connection: sqlite3.Connection, project: Document, actor: int, name: str, like: str
) -> Document:
    """A new one; `like` is the oid of one whose values it begins with, or empty. A project's first
    one becomes its usual one. Raises Conflict where one has its name."""
    document: dict[str, Any] = {"salt-path": 1, "environment": name}
    with write(connection):
        every = projects.environments(connection, project.id)
        values = next((e.document.get("values") for e in every if e.oid == like), None)
        made = projects.add_environment(
            connection, project.id, actor, {**document, "values": values} if values else document
        )
        if not every:
            make_usual(connection, project, actor, made)
    return made


def make_usual(
    connection: sqlite3.Connection, project: Document, actor: int, environment: Document
) -> None:
    """The environment that the project's runs go against unless they say otherwise."""
    with write(connection):
        name = documents.current(connection, "environment", environment.id).name
        documents.change(connection, project, actor, lambda held: {**held, "environment": name})


def change_environment(
    connection: sqlite3.Connection,
    folder: Path,
    project: Document,
    of: Document,
    actor: int,
    edit: Edit,
) -> None:
    """Change an environment's document; under a new name, wherever the old one is named: the
    project's usual environment, suites' values in it, its secrets. Raises Conflict if another one
    has the name."""
    with write(connection):
        before = documents.current(connection, "environment", of.id).name
        name = edit(documents.current(connection, "environment", of.id).document)["environment"]
        taken = connection.execute(
            "SELECT 1 FROM environment WHERE project = ? AND name = ? AND id <> ?",
            (project.id, name, of.id),
        ).fetchone()
        if taken:
            raise Conflict(f"there is an environment {name} already")
        documents.change(connection, of, actor, edit)
        if name == before:
            return
        secrets.move(connection, folder, project.id, before, name)

        def usual(held: dict[str, Any]) -> dict[str, Any]:
            return {**held, "environment": name} if held.get("environment") == before else held

        def inside(held: dict[str, Any]) -> dict[str, Any]:
            values = held.get("values in", {})
            renamed = {name if key == before else key: value for key, value in values.items()}
            return {**held, "values in": renamed} if before in values else held

        documents.change(connection, project, actor, usual)
        for suite in projects.suites(connection, project.id):
            documents.change(connection, suite, actor, inside)
        watches.follow(
            connection, project.id, "environment", lambda held: name if held == before else held
        )


def remove_environment(
    connection: sqlite3.Connection, project: Document, gone: Document, actor: int
) -> None:
    """Take an environment away, with what suites say of it and its secrets. Runs against it stay as
    they are."""
    with write(connection):
        name = documents.current(connection, "environment", gone.id).name
        connection.execute("DELETE FROM environment WHERE id = ?", (gone.id,))
        connection.execute(
            "DELETE FROM secret WHERE project = ? AND environment = ?", (project.id, name)
        )

        def without(held: dict[str, Any]) -> dict[str, Any]:
            inside = {
                key: values for key, values in held.get("values in", {}).items() if key != name
            }
            rest = {key: value for key, value in held.items() if key != "values in"}
            return {**rest, "values in": inside} if inside else rest

        def no_longer_usual(held: dict[str, Any]) -> dict[str, Any]:
            return {
                key: value for key, value in held.items() if key != "environment" or value != name
            }

        for suite in projects.suites(connection, project.id):
            documents.change(connection, suite, actor, without)
        documents.change(connection, project, actor, no_longer_usual)
