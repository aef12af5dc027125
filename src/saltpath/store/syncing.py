"""What a sync changes in a project (core/format/syncing.py): all of it or nothing, and only if the
project still is as it was looked at."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from pathlib import Path
from typing import Any

from saltpath.core.format.folder import SHARED_ENDING, Entry
from saltpath.core.format.syncing import Change, Item, Items, Kind, Plan, items_of
from saltpath.core.values import plain
from saltpath.store import (
    cases,
    documents,
    environments,
    folders,
    project_files,
    projects,
    shared_steps,
    watches,
)
from saltpath.store.database import Conflict, write
from saltpath.store.documents import Document

_LAST: tuple[Kind, ...] = ("suite", "environment")
"""What is taken away only when all else is done: it may hold other things."""


def change_project(
    connection: sqlite3.Connection,
    project: Document,
    actor: int,
    plan: Plan,
    seen: Items,
    read: Callable[[str], bytes],
) -> None:
    """Do in the project what the plan wants there. `seen`: what the project held when it was made;
    `read` gives the octets of a file of the folder. Raises Conflict where it holds something else
    by now."""
    with write(connection):
        now = items_of(folders.folder_of(connection, project))
        if set(now) != set(seen) or any(not item.same(seen[id]) for id, item in now.items()):
            raise Conflict("the project was changed meanwhile; look again")
        wanted = [change for change in plan.changes if change.to_project]
        _moved_suites(connection, project, wanted)
        gone_last = [change for change in wanted if change.wanted is None and change.id[0] in _LAST]
        for change in wanted:
            if change not in gone_last:
                _DO[change.id[0]](connection, project, actor, change, read)
        for change in gone_last:
            _take_away(connection, project, actor, change)


def _moved_suites(connection: sqlite3.Connection, project: Document, wanted: list[Change]) -> None:
    """A suite whose folder stands elsewhere now, under the same name, stays who it is: its secrets
    are sealed for it, and results are sent by it."""
    suites = [change for change in wanted if change.id[0] == "suite"]
    new = {
        change.id[1]: change.wanted.document.get("suite")
        for change in suites
        if change.wanted is not None and _at(connection, project, change.id[1]) is None
    }
    for change in suites:
        held = None if change.wanted is not None else _at(connection, project, change.id[1])
        if held is None:
            continue
        called = _last(held.folder), held.name
        to = next((path for path, name in new.items() if called == (_last(path), name)), None)
        if to is None:
            continue
        taken = "SELECT 1 FROM suite WHERE project = ? AND folder = ?"
        if connection.execute(taken, (project.id, to)).fetchone() is None:
            connection.execute("UPDATE suite SET folder = ? WHERE id = ?", (to, held.id))
            del new[to]


def _last(path: str) -> str:
    return path.rpartition("/")[2]


def _project(
    connection: sqlite3.Connection, project: Document, actor: int, change: Change, _: Any
) -> None:
    assert change.wanted is not None
    document = change.wanted.document
    documents.change(connection, project, actor, lambda held: document)
    _comment(connection, "project", project.id, change.wanted)


def _environment(
    connection: sqlite3.Connection, project: Document, actor: int, change: Change, _: Any
) -> None:
    assert change.wanted is not None
    document = change.wanted.document
    held = _named(projects.environments(connection, project.id), change.id[1])
    if held is None:
        held = projects.add_environment(connection, project.id, actor, document)
    else:
        documents.change(connection, held, actor, lambda _: document)
    _comment(connection, "environment", held.id, change.wanted)


def _suite(
    connection: sqlite3.Connection, project: Document, actor: int, change: Change, _: Any
) -> None:
    assert change.wanted is not None
    document = change.wanted.document
    connection.execute(  # one that was taken away has its folder still
        "UPDATE suite SET gone_at = NULL WHERE project = ? AND folder = ? AND NOT hidden",
        (project.id, change.id[1]),
    )
    held = _at(connection, project, change.id[1])
    if held is None:
        held = projects.add_suite(connection, project.id, actor, change.id[1], document)
    else:
        documents.change(connection, held, actor, lambda _: document)
    _comment(connection, "suite", held.id, change.wanted)


def _shared(
    connection: sqlite3.Connection, project: Document, actor: int, change: Change, _: Any
) -> None:
    known = {cases.called(one): one for one in shared_steps.shared_steps(connection, project.id)}
    held, wanted = known.get(change.id[1]), change.wanted
    if wanted is None:
        if held is not None:
            cases.remove_case(connection, held.oid)
        return
    comments = wanted.comments or {}
    if held is None:
        held = _back(connection, project, wanted)
        path = f"shared/{change.id[1]}{SHARED_ENDING}"
        if held is not None:
            connection.execute("UPDATE test_case SET file = ? WHERE id = ?", (path, held.id))
    if held is None:
        shared_steps.add(connection, project.id, actor, wanted.document, comments, change.id[1])
    else:
        cases.save_case(connection, held.oid, actor, held.version, wanted.document, comments)


def _back(
    connection: sqlite3.Connection, project: Document, wanted: Item
) -> cases.StoredCase | None:
    """A case, or shared steps, of this key that were deleted here: there again."""
    gone = connection.execute(
        "SELECT oid FROM test_case WHERE project = ? AND key = ? AND gone_at IS NOT NULL",
        (project.id, str(wanted.document.get("key", ""))),
    ).fetchone()
    if gone is None:
        return None
    cases.bring_back(connection, gone["oid"])
    return cases.case(connection, gone["oid"])


def _case(
    connection: sqlite3.Connection, project: Document, actor: int, change: Change, _: Any
) -> None:
    known = {one.key: one for one in cases.cases(connection, project.id)}
    held, wanted = known.get(change.id[1]), change.wanted
    if wanted is None:
        if held is not None:
            cases.remove_case(connection, held.oid)
        return
    suite = _at(connection, project, wanted.path.rpartition("/")[0])
    assert suite is not None  # the folder has one for each of its cases
    if held is None:
        _add_case(connection, project, suite, actor, wanted)
        return
    if not plain.same(held.document, wanted.document) or held.comments != (wanted.comments or {}):
        cases.save_case(
            connection, held.oid, actor, held.version, wanted.document, wanted.comments or {}
        )
    if held.suite != suite.id:
        cases.move_case(connection, held.oid, suite.id, None)
    connection.execute("UPDATE test_case SET file = ? WHERE id = ?", (wanted.path, held.id))


def _add_case(
    connection: sqlite3.Connection, project: Document, suite: Document, actor: int, wanted: Item
) -> None:
    """A new one; one that was deleted here is back as it is wanted."""
    comments = wanted.comments or {}
    own_key = wanted.id != wanted.path  # else its key, if it has one, is another's
    held = _back(connection, project, wanted) if own_key else None
    if held is None:
        document = wanted.document
        if not own_key:
            document = {name: value for name, value in document.items() if name != "key"}
        cases.add_case(connection, project.id, suite.id, actor, document, comments, wanted.path)
        return
    cases.save_case(connection, held.oid, actor, held.version, wanted.document, comments)
    cases.move_case(connection, held.oid, suite.id, None)
    connection.execute("UPDATE test_case SET file = ? WHERE id = ?", (wanted.path, held.id))


def _watch(
    connection: sqlite3.Connection, project: Document, actor: int, change: Change, _: Any
) -> None:
    stem, wanted = change.id[1], change.wanted
    if wanted is not None:
        entry = Entry(wanted.document, wanted.comments or {})
        folders.put_watch(connection, actor, project.id, stem, entry)
        return
    for held in watches.watches(connection, project.id):
        if held.folder == stem:
            watches.remove(connection, held)


def _order(
    connection: sqlite3.Connection, project: Document, actor: int, change: Change, _: Any
) -> None:
    suite = _at(connection, project, change.id[1])
    if suite is None or change.wanted is None:
        return
    paths = folders.paths_of(connection, project.id)
    known: dict[str, int] = {}
    for one in cases.cases(connection, project.id):
        if one.suite == suite.id:
            known[paths[one.id]] = known[one.key] = one.id
    order = [known[id] for id in change.wanted.document if id in known]
    connection.executemany(
        "UPDATE test_case SET position = ? WHERE id = ?",
        [(position, id) for position, id in enumerate(order)],
    )


def _file(
    connection: sqlite3.Connection,
    project: Document,
    actor: int,
    change: Change,
    read: Callable[[str], bytes],
) -> None:
    if change.wanted is None:
        project_files.remove_file(connection, project.id, change.id[1])
    else:
        project_files.put_file(connection, project.id, actor, change.id[1], read(change.id[1]))


_DO: dict[Kind, Any] = {
    "project": _project,
    "environment": _environment,
    "suite": _suite,
    "shared": _shared,
    "case": _case,
    "watch": _watch,
    "order": _order,
    "file": _file,
}


def _take_away(
    connection: sqlite3.Connection, project: Document, actor: int, change: Change
) -> None:
    kind, id = change.id
    if kind == "suite":
        suite = _at(connection, project, id)
        if suite is not None:
            projects.remove_suite(connection, suite.id)
        return
    environment = _named(projects.environments(connection, project.id), id)
    if environment is not None:
        environments.remove_environment(connection, project, environment, actor)


def _at(connection: sqlite3.Connection, project: Document, folder: str) -> Document | None:
    return next(
        (one for one in projects.suites(connection, project.id) if one.folder == folder), None
    )


def _named(found: list[Document], name: str) -> Document | None:
    return next((one for one in found if one.name == name), None)


def _comment(connection: sqlite3.Connection, table: str, id: int, wanted: Item) -> None:
    folders.set_comments(connection, table, id, Entry({}, wanted.comments or {}).comments)


def file_of(folder: Path, path: str) -> bytes:
    """The octets of a file of a folder on a disk."""
    return (folder / path).read_bytes()
