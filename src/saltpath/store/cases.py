"""Cases as revisions of a document. Saving needs the version that was read; autosaves of one person
fold into one."""

from __future__ import annotations

import sqlite3
from typing import Any

from msgspec import Struct

from saltpath.core.cases.case import Case
from saltpath.core.cases.summary import summary_of, write_summary
from saltpath.core.format.folder import SHARED_ENDING
from saltpath.core.format.readable import readable_case, stub_of_case
from saltpath.core.format.reader import case_from_data
from saltpath.core.values import plain
from saltpath.store.database import (
    Deleted,
    NotFound,
    VersionConflict,
    at_once,
    new_id,
    new_key,
    now_us,
    write,
)
from saltpath.store.events import add_event
from saltpath.store.identity import with_keys

FOLD_US = 600_000_000

SHARED = 2
"""The hidden place of shared steps (see shared_steps.py)."""


class Revision(Struct, frozen=True):
    """One kept version of a case, who saved it last and when, and the numbers of the runs that used
    it."""

    version: int
    document: dict[str, Any]
    comments: dict[str, list[str]]
    actor: str
    at: int
    runs: tuple[int, ...]


class StoredCase(Struct, frozen=True):
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
    gone_at: int | None = None
    unread: Any = None
    """What an older fault has stored in the place of a case, if that cannot be read: `document` is
    then one without steps."""


_SELECT = """
SELECT c.id, c.oid, c.project, c.suite, c.key, c.name, c.file, r.version, r.document, r.comments,
r.at, c.gone_at, r.checked
FROM test_case c JOIN case_revision r ON r.test_case = c.id
"""


def _case(row: sqlite3.Row) -> StoredCase:
    values = dict(row)
    document = values["document"] = plain.read_json(values["document"])
    if not values.pop("checked") and readable_case(document, row["name"], row["key"])[1]:
        values["unread"] = document
        values["document"] = stub_of_case(document, row["name"], row["key"])
    values["name"] = name_of(values["document"])  # as it was called at this version
    values["comments"] = plain.read_json(values["comments"])
    return StoredCase(**values)


def name_of(document: dict[str, Any]) -> str:
    """What a case, or shared steps, are called."""
    return str(document["shared" if "shared" in document else "case"])


def add_case(
    connection: sqlite3.Connection,
    project: int,
    suite: int,
    actor: int,
    document: dict[str, Any],
    comments: dict[str, list[str]] | None = None,
    file: str = "",
) -> StoredCase:
    """Store a new case; keys are written where they are missing. Raises FormatError for what would
    not be read again."""
    document = with_keys(document)
    read = case_from_data(document)
    oid, at = new_id("case"), now_us()
    with write(connection):
        taken = connection.execute(
            "SELECT 1 FROM test_case WHERE project = ? AND key = ?", (project, document["key"])
        ).fetchone()
        if taken:
            document["key"] = new_key(10)
        cursor = connection.execute(
            "INSERT INTO test_case (project, suite, oid, key, name, file, tags, position, "
            "version, made_at)"
            " SELECT ?, ?, ?, ?, ?, ?, ?, COUNT(*), 1, ? FROM test_case WHERE project = ? AND "
            "suite = ?",
            (
                project,
                suite,
                oid,
                document["key"],
                name_of(document),
                file,
                _tags(document),
                at,
                project,
                suite,
            ),
        )
        _revision(
            connection,
            int(cursor.lastrowid or 0),
            1,
            project,
            document,
            comments or {},
            actor,
            at,
            read,
        )
        about = {"case": oid, "version": 1}
        add_event(connection, project, None, at, "case changed", about)
    return case(connection, oid)


def _tags(document: dict[str, Any]) -> str:
    return plain.write_json(document.get("tags", [])).decode()


def _revision(
    connection: sqlite3.Connection,
    id: int,
    version: int,
    project: int,
    document: dict[str, Any],
    comments: dict[str, list[str]],
    actor: int,
    at: int,
    read: Case,
) -> None:
    connection.execute(
        "INSERT INTO case_revision (test_case, version, project, document, comments, actor, at, "
        "checked, summary)"
        " VALUES (?, ?, ?, ?, ?, ?, ?, 1, ?)",
        (
            id,
            version,
            project,
            plain.write_json(document).decode(),
            plain.write_json(comments).decode(),
            actor,
            at,
            write_summary(summary_of(read)),
        ),
    )


def save_case(
    connection: sqlite3.Connection,
    oid: str,
    actor: int,
    version: int,
    document: dict[str, Any],
    comments: dict[str, list[str]],
) -> StoredCase:
    """Save on top of `version`. Raises VersionConflict if another one stands, NotFound if the case
    is gone, FormatError for what would not be read again.

    A revision of the same person within ten minutes that no run used is replaced rather than
    followed; its version number still moves on, so that nobody else's If-Match holds by
    accident."""
    at = now_us()
    read = case_from_data(document)
    with write(connection):
        current = case(connection, oid)
        if current.version != version:
            raise VersionConflict(current.version)
        document = with_keys({**document, "key": current.key})
        last = connection.execute(
            "SELECT actor, at, used FROM case_revision WHERE test_case = ? AND version = ?",
            (current.id, version),
        ).fetchone()
        _revision(
            connection,
            current.id,
            version + 1,
            current.project,
            document,
            comments,
            actor,
            at,
            read,
        )
        if (
            last["actor"] == actor
            and not last["used"]
            and at - last["at"] < FOLD_US
            and version > 1
        ):
            connection.execute(
                "DELETE FROM case_revision WHERE test_case = ? AND version = ?",
                (current.id, version),
            )
        connection.execute(
            "UPDATE test_case SET version = ?, name = ?, tags = ? WHERE id = ?",
            (version + 1, name_of(document), _tags(document), current.id),
        )
        _changed(connection, current, at, version + 1)
    return case(connection, oid)


def _changed(
    connection: sqlite3.Connection, case: StoredCase, at: int, version: int | None
) -> None:
    add_event(
        connection, case.project, None, at, "case changed", {"case": case.oid, "version": version}
    )


def move_case(
    connection: sqlite3.Connection, oid: str, suite: int, before: str | None
) -> StoredCase:
    """Into a suite of its project, right before another case of it; to the end without one."""
    with write(connection):
        moved = case(connection, oid)
        rows = connection.execute(
            "SELECT id, oid FROM test_case WHERE suite = ? AND id <> ? ORDER BY gone_at IS NOT "
            "NULL, position",
            (suite, moved.id),
        ).fetchall()
        order = [row["id"] for row in rows]
        place = next((index for index, row in enumerate(rows) if row["oid"] == before), None)
        if place is None and before is not None:
            raise NotFound(f"there is no case {before} in this suite")
        order.insert(len(order) if place is None else place, moved.id)
        connection.execute("UPDATE test_case SET suite = ? WHERE id = ?", (suite, moved.id))
        connection.executemany(
            "UPDATE test_case SET position = ? WHERE id = ?",
            [(at, id) for at, id in enumerate(order)],
        )
        _changed(connection, moved, now_us(), moved.version)
    return case(connection, oid)


def remove_case(connection: sqlite3.Connection, oid: str) -> None:
    """Out of its suite; its history stays, and `bring_back` undoes it."""
    _mark_gone(connection, oid, now_us())


def bring_back(connection: sqlite3.Connection, oid: str) -> None:
    _mark_gone(connection, oid, None)


def _mark_gone(connection: sqlite3.Connection, oid: str, at: int | None) -> None:
    with write(connection):
        found = case(connection, oid, gone=True)
        connection.execute("UPDATE test_case SET gone_at = ? WHERE id = ?", (at, found.id))
        if at is None:
            connection.execute("UPDATE suite SET gone_at = NULL WHERE id = ?", (found.suite,))
        _changed(connection, found, now_us(), None)


def case(connection: sqlite3.Connection, oid: str, gone: bool = False) -> StoredCase:
    """The case at its newest version. Raises NotFound, and Deleted for one that was removed unless
    `gone`."""
    row = connection.execute(
        _SELECT + "AND r.version = c.version WHERE c.oid = ?", (oid,)
    ).fetchone()
    if row is None:
        raise NotFound(f"there is no case {oid}")
    found = _case(row)
    if found.gone_at is not None and not gone:
        raise Deleted(f"the case “{found.name}” was deleted")
    return found


def case_at(connection: sqlite3.Connection, id: int, version: int) -> StoredCase:
    """A case at the version that a run used. Where an older Salt Path had folded that one away, the
    one that took its place."""
    row = connection.execute(
        _SELECT + "WHERE c.id = ? AND r.version >= ? ORDER BY r.version LIMIT 1", (id, version)
    ).fetchone()
    if row is None:
        raise NotFound(f"version {version} of this case is not kept")
    return _case(row)


def cases(connection: sqlite3.Connection, project: int) -> list[StoredCase]:
    """All cases of a project, suite by suite in their order."""
    rows = connection.execute(
        _SELECT
        + "AND r.version = c.version JOIN suite s ON s.id = c.suite WHERE c.project = ? AND "
        "c.gone_at IS NULL"
        " AND NOT s.hidden ORDER BY s.position, c.position, c.id",
        (project,),
    )
    return [_case(row) for row in rows]


class CaseHead(Struct, frozen=True):
    """A case as lists know it, without its document."""

    id: int
    oid: str
    suite: int
    key: str
    name: str
    version: int
    file: str


def heads(connection: sqlite3.Connection, project: int, kind: int = 0) -> list[CaseHead]:
    """All cases of a project in the order of `cases`, their documents left where they are; with a
    kind what stands in that hidden place."""
    rows = at_once(
        connection,
        ("id", "oid", "suite", "key", "name", "version", "file"),
        "SELECT c.id, c.oid, c.suite, c.key, c.name, c.version, c.file FROM test_case c JOIN suite"
        " s ON s.id = c.suite"
        " WHERE c.project = ? AND c.gone_at IS NULL AND s.hidden = ? ORDER BY s.position, "
        "c.position, c.id",
        (project, kind),
    )
    return [CaseHead(*row) for row in rows]


def called(stored: StoredCase | CaseHead) -> str:
    """The name by which cases use shared steps: that of their file."""
    return stored.file.rpartition("/")[2].removesuffix(SHARED_ENDING)


def shared_names(connection: sqlite3.Connection, project: int) -> dict[str, str]:
    """What the shared steps of a project are called, by the names by which cases use them."""
    return {called(head): head.name for head in heads(connection, project, SHARED)}


def with_field(connection: sqlite3.Connection, project: int, field: str) -> list[StoredCase]:
    """The cases of a project whose document has this field, in the order of `cases`."""
    rows = connection.execute(
        _SELECT
        + "AND r.version = c.version JOIN suite s ON s.id = c.suite WHERE c.project = ? AND "
        "c.gone_at IS NULL"
        " AND NOT s.hidden AND json_type(r.document, ?) IS NOT NULL ORDER BY s.position, "
        "c.position, c.id",
        (project, f'$."{field}"'),
    )
    return [_case(row) for row in rows]


def single_requests(connection: sqlite3.Connection, project: int, most: int) -> list[StoredCase]:
    """The requests of a project that belong to no case yet, each as a case of one step; those made
    last come first."""
    rows = connection.execute(
        _SELECT
        + "AND r.version = c.version JOIN suite s ON s.id = c.suite WHERE c.project = ? AND "
        "c.gone_at IS NULL"
        " AND s.hidden = 1 ORDER BY c.id DESC LIMIT ?",
        (project, most),
    )
    return [_case(row) for row in rows]


class GoneCase(Struct, frozen=True):
    """A case, or shared steps, that was deleted and can be brought back."""

    oid: str
    name: str
    suite: str
    """The name of the suite that it stood in; empty of shared steps."""
    gone_at: int


def gone_cases(
    connection: sqlite3.Connection, project: int, since: int, most: int
) -> list[GoneCase]:
    """Those that were deleted since a moment, the last ones first."""
    rows = connection.execute(
        "SELECT c.oid, c.name, iif(s.hidden, '', s.name) AS suite, c.gone_at FROM test_case c "
        "JOIN suite s ON s.id = c.suite"
        " WHERE c.project = ? AND c.gone_at >= ? AND s.hidden IN (0, 2) ORDER BY c.gone_at DESC, "
        "c.id DESC LIMIT ?",
        (project, since, most),
    )
    return [GoneCase(**dict(row)) for row in rows]


def hidden_cases(
    connection: sqlite3.Connection, project: int, kind: int, name: str | None = None
) -> list[StoredCase]:
    """What stands in the project's hidden place of this kind (see projects.py), also only under
    this name."""
    rows = connection.execute(
        _SELECT
        + "AND r.version = c.version JOIN suite s ON s.id = c.suite WHERE c.project = ? AND "
        "c.gone_at IS NULL"
        " AND s.hidden = ? AND (? IS NULL OR c.name = ?)",
        (project, kind, name, name),
    )
    return [_case(row) for row in rows]


MOST_REVISIONS = 100


def revisions(connection: sqlite3.Connection, id: int) -> list[Revision]:
    """The kept versions of a case, newest first; at most 100."""
    rows = connection.execute(
        "SELECT r.version, r.document, r.comments, p.name AS actor, r.at FROM case_revision r "
        "JOIN person p ON p.id = r.actor"
        " WHERE r.test_case = ? ORDER BY r.version DESC LIMIT ?",
        (id, MOST_REVISIONS),
    ).fetchall()
    used: dict[int, list[int]] = {}
    for row in connection.execute(
        "SELECT rc.version, run.number FROM run_case rc JOIN run ON run.id = rc.run"
        " WHERE rc.test_case = ? AND run.kind = 'run' ORDER BY run.number DESC LIMIT 2000",
        (id,),
    ):
        used.setdefault(row["version"], []).append(row["number"])
    return [
        Revision(
            row["version"],
            plain.read_json(row["document"]),
            plain.read_json(row["comments"]),
            row["actor"],
            row["at"],
            tuple(used.get(row["version"], ())),
        )
        for row in rows
    ]
