"""The one way to change the document of a project, an environment, a suite or a watch: read,
changed and written within one `BEGIN IMMEDIATE`, on top of the version that was read. Nothing else
writes a document, and nothing is written that the format's reader refuses;
`tests/store/test_documents.py` holds that no other statement does.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from typing import Any, Literal

from msgspec import UNSET, Struct
from msgspec.structs import replace

from saltpath.core.format.nodes import FormatError
from saltpath.core.format.project import read_environment, read_project, read_suite
from saltpath.core.format.readable import shaped
from saltpath.core.format.watch_reader import read_watch
from saltpath.core.values import plain
from saltpath.store.database import Conflict, NotFound, VersionConflict, write
from saltpath.store.events import suites_changed

Kind = Literal["project", "environment", "suite", "watch"]
Edit = Callable[[dict[str, Any]], dict[str, Any]]
"""Gives a document as it should be from the one that stands. It may be called again, and must not
change what it is given."""

_READERS: dict[Kind, Callable[[Any], object]] = {
    "project": read_project,
    "environment": read_environment,
    "suite": read_suite,
    "watch": read_watch,
}
_COLUMNS: dict[Kind, str] = {
    "project": "*, id AS project",
    "environment": "*",
    "suite": "*",
    "watch": "*",
}


class Document(Struct, frozen=True):
    """A stored document at one version."""

    kind: Kind
    id: int
    """Inside."""
    oid: str
    """Outside."""
    project: int
    name: str
    document: dict[str, Any]
    version: int
    folder: str = ""
    """Of a suite: where its files stand; of a watch: its file's name."""
    hidden: int = 0
    """Of a place that is no suite to anybody else: 1 holds the project's single requests
    (single.py), 2 its shared steps (shared_steps.py), 3 its looks into databases (probes.py), 4
    the cases of its removals (resources.py)."""


def document_of(kind: Kind, row: sqlite3.Row) -> Document:
    """A row of the kind's table; a project's with its id as `project`, too. What an older fault has
    left in it that has another shape than it should is not there."""
    data = shaped(plain.read_json(row["document"]), kind, row["name"])
    found = Document(kind, row["id"], row["oid"], row["project"], row["name"], data, row["version"])
    if kind == "watch":
        return replace(found, folder=row["stem"])
    return replace(found, folder=row["folder"], hidden=row["hidden"]) if kind == "suite" else found


def check(kind: Kind, document: dict[str, Any]) -> None:
    """Raises FormatError for what is no such document."""
    _READERS[kind](document)


def _no_worse(kind: Kind, before: dict[str, Any], after: dict[str, Any]) -> None:
    """Raises FormatError for what is no such document; one that was none before may be mended bit
    by bit."""
    try:
        check(kind, after)
    except FormatError as problem:
        try:
            check(kind, before)
        except FormatError as held:
            if {one.sentence for one in problem.problems} <= {
                one.sentence for one in held.problems
            }:
                return
        raise


def current(connection: sqlite3.Connection, kind: Kind, id: int) -> Document:
    """The document as it stands. Raises NotFound where it is gone."""
    row = connection.execute(f"SELECT {_COLUMNS[kind]} FROM {kind} WHERE id = ?", (id,)).fetchone()
    if row is None:
        raise NotFound(f"this {kind} is there no more")
    return document_of(kind, row)


def change(
    connection: sqlite3.Connection, of: Document, actor: int, edit: Edit, version: int | None = None
) -> Document:
    """Change a document; `of` says which, and may be out of date. With `version` only on top of
    that one. Within a transaction of the caller's it is part of that one. Gives the document that
    stands then.

    Raises VersionConflict if another version stands, NotFound if it is gone, FormatError for what
    would not be read again."""
    with write(connection):
        now = current(connection, of.kind, of.id)
        if version is not None and now.version != version:
            raise VersionConflict(now.version)
        document = edit(now.document)
        if plain.same(document, now.document) and list(document) == list(now.document):
            return now
        _no_worse(of.kind, now.document, document)
        connection.execute(
            f"UPDATE {of.kind} SET document = ?, name = ?, version = version + 1, actor = ? WHERE "
            "id = ? AND version = ?",
            (plain.write_json(document).decode(), document[of.kind], actor, now.id, now.version),
        )
        if of.kind == "suite":
            suites_changed(connection, now.project)
        return replace(now, document=document, name=document[of.kind], version=now.version + 1)


def put(
    connection: sqlite3.Connection, of: Document, actor: int, document: dict[str, Any]
) -> Document:
    """Another document in the place of `of`, on top of just that version. Raises as `change`
    does."""
    return change(connection, of, actor, lambda _: document, of.version)


def check_seen(held: Any, seen: Any, what: str) -> None:
    """Raises Conflict if an entry (None: there is none) is not what was seen when it was changed;
    UNSET: that is not said."""
    if seen is not UNSET and not plain.same(held, seen):
        raise Conflict(f"{what} was changed meanwhile; look at what it is now, and change that")


def with_entries(document: dict[str, Any], key: str, edit: Edit) -> dict[str, Any]:
    """The document with what `edit` makes of the entries below a key, which is not there where
    there are none."""
    entries = edit(document.get(key, {}))
    if entries:
        return {**document, key: entries}
    return {name: value for name, value in document.items() if name != key}
