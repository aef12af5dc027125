"""Cases as revisions of a document. Saving needs the version that was read; autosaves of one person fold into one."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass
from typing import Any

from saltpath.core import plain
from saltpath.store.database import Conflict, NotFound, new_id, new_key, now_us, write

FOLD_US = 600_000_000


@dataclass(frozen=True, slots=True)
class StoredCase:
    """A case at one version. `comments`: comment lines by document path (see format/source.py)."""

    id: int
    oid: str
    project: int
    suite: int
    key: str
    name: str
    file: str
    version: int
    document: dict[str, Any]
    comments: dict[str, list[str]]
    at: int


_SELECT = """
SELECT c.id, c.oid, c.project, c.suite, c.key, c.name, c.file, r.version, r.document, r.comments, r.at
FROM test_case c JOIN case_revision r ON r.test_case = c.id
"""


def _case(row: sqlite3.Row) -> StoredCase:
    values = dict(row)
    values["document"] = plain.read_json(values["document"])
    values["name"] = values["document"]["case"]  # as it was called at this version
    values["comments"] = plain.read_json(values["comments"])
    return StoredCase(**values)


def with_keys(document: dict[str, Any]) -> dict[str, Any]:
    """The document with a key for the case and for every step that has none, or shares one."""
    document = dict(document)
    if not document.get("key"):
        document["key"] = new_key(10)
    seen: set[str] = set()
    for part in ("steps", "afterwards"):
        if not isinstance(document.get(part), list):
            continue
        steps = []
        for step in document[part]:
            key = step.get("key") if isinstance(step, dict) else None
            if isinstance(step, dict) and (not isinstance(key, str) or key in seen):
                kind = next(iter(step))
                step = {
                    kind: step[kind],
                    "key": new_key(6),
                    **{k: v for k, v in step.items() if k not in (kind, "key")},
                }
            if isinstance(step, dict):
                seen.add(step["key"])
            steps.append(step)
        document[part] = steps
    return document


def add_case(
    connection: sqlite3.Connection,
    project: int,
    suite: int,
    actor: int,
    document: dict[str, Any],
    comments: dict[str, list[str]] | None = None,
    file: str = "",
) -> StoredCase:
    """Store a new case; keys are written where they are missing."""
    document = with_keys(document)
    oid, at = new_id("case"), now_us()
    with write(connection):
        taken = connection.execute(
            "SELECT 1 FROM test_case WHERE project = ? AND key = ?", (project, document["key"])
        ).fetchone()
        if taken:
            document["key"] = new_key(10)
        cursor = connection.execute(
            "INSERT INTO test_case (project, suite, oid, key, name, file, tags, position, version, made_at)"
            " SELECT ?, ?, ?, ?, ?, ?, ?, COUNT(*), 1, ? FROM test_case WHERE project = ? AND suite = ?",
            (project, suite, oid, document["key"], document["case"], file, _tags(document), at, project, suite),
        )
        _revision(connection, int(cursor.lastrowid or 0), 1, project, document, comments or {}, actor, at)
    return case(connection, oid)


def _tags(document: dict[str, Any]) -> str:
    return plain.write_json(document.get("tags", [])).decode()


def _revision(
    connection: sqlite3.Connection, id: int, version: int, project: int, document: dict[str, Any],
    comments: dict[str, list[str]], actor: int, at: int,
) -> None:  # fmt: skip
    connection.execute(
        "INSERT INTO case_revision (test_case, version, project, document, comments, actor, at) VALUES (?, ?, ?, ?, ?, ?, ?)",
        (id, version, project, plain.write_json(document).decode(), plain.write_json(comments).decode(), actor, at),
    )


def save_case(
    connection: sqlite3.Connection,
    oid: str,
    actor: int,
    version: int,
    document: dict[str, Any],
    comments: dict[str, list[str]],
) -> StoredCase:
    """Save on top of `version`. Raises Conflict if another one stands, NotFound if the case is gone.

    A revision of the same person within ten minutes that no run used is replaced rather than followed; its version
    number still moves on, so that nobody else's If-Match holds by accident."""
    at = now_us()
    with write(connection):
        current = case(connection, oid)
        if current.version != version:
            raise Conflict(current.version)
        document = with_keys({**document, "key": current.key})
        last = connection.execute(
            "SELECT actor, at, used FROM case_revision WHERE test_case = ? AND version = ?", (current.id, version)
        ).fetchone()
        _revision(connection, current.id, version + 1, current.project, document, comments, actor, at)
        if last["actor"] == actor and not last["used"] and at - last["at"] < FOLD_US and version > 1:
            connection.execute("DELETE FROM case_revision WHERE test_case = ? AND version = ?", (current.id, version))
        connection.execute(
            "UPDATE test_case SET version = ?, name = ?, tags = ? WHERE id = ?",
            (version + 1, document["case"], _tags(document), current.id),
        )
    return case(connection, oid)


def case(connection: sqlite3.Connection, oid: str) -> StoredCase:
    """The case at its newest version. Raises NotFound."""
    row = connection.execute(_SELECT + "AND r.version = c.version WHERE c.oid = ?", (oid,)).fetchone()
    if row is None:
        raise NotFound(f"there is no case {oid}")
    return _case(row)


def case_at(connection: sqlite3.Connection, id: int, version: int) -> StoredCase:
    """A case at the version that a run used."""
    row = connection.execute(_SELECT + "WHERE c.id = ? AND r.version = ?", (id, version)).fetchone()
    if row is None:
        raise NotFound(f"version {version} of this case is not kept")
    return _case(row)


def cases(connection: sqlite3.Connection, project: int) -> list[StoredCase]:
    """All cases of a project, suite by suite in their order."""
    rows = connection.execute(
        _SELECT
        + "AND r.version = c.version JOIN suite s ON s.id = c.suite WHERE c.project = ? ORDER BY s.position, c.position",
        (project,),
    )
    return [_case(row) for row in rows]
