"""A folder brought onto a project that is there: what would change is said before it does, only a
part of it may be taken, and the last one can be undone. What the folder does not hold stays as it
is."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Sequence

from saltpath.core.format.folder import Folder, watch_path
from saltpath.core.format.syncing import Change, Id, Item, Items, Plan, digest, items_of, plan
from saltpath.core.values import plain
from saltpath.store import folders, syncing
from saltpath.store.database import Conflict, NotFound, now_us, write
from saltpath.store.documents import Document


def planned(now: Items, folder: Folder, only: Sequence[str] = ()) -> Plan:
    """What bringing the folder, or what stands below some paths of it, would change. Raises
    NotFound where nothing stands there."""
    found = items_of(folder)
    if only:
        chosen = {id: item for id, item in found.items() if _below(item, only)}
        if not chosen:
            raise NotFound(f"the folder has nothing at {', '.join(only)}")
        for item in list(chosen.values()):  # a case stands in a suite
            suite: Id = ("suite", item.path.rpartition("/")[0])
            if item.kind == "case" and suite not in now:
                chosen[suite] = found[suite]
        found = chosen
    wanted = {**now, **{id: item for id, item in found.items() if item.kind != "order"}}
    for id, item in found.items():
        if id[0] == "order":
            wanted[id] = _with_others(item, now.get(id))
    return plan(now, wanted, now)


def _below(item: Item, only: Sequence[str]) -> bool:
    place = {
        "project": "project.yaml",
        "environment": f"environments/{item.id}",
        "suite": item.id,
        "order": item.id,
        "shared": f"shared/{item.id}",
        "case": item.path,
        "watch": watch_path(item.id),
        "file": item.id,
    }[item.kind]
    wanted = [path.removeprefix("./").rstrip("/") for path in only]
    return any(path in ("", ".") or f"{place}/".startswith(f"{path}/") for path in wanted)


def _with_others(order: Item, now: Item | None) -> Item:
    """The folder's order, with the cases of the project that it does not know behind it."""
    if now is None:
        return order
    others = [id for id in now.document if id not in order.document]
    return Item(order.kind, order.id, order.name, "", [*order.document, *others])


def bring(
    connection: sqlite3.Connection,
    project: Document,
    actor: int,
    folder: Folder,
    only: Sequence[str],
    archive: bytes,
) -> list[Change]:
    """Bring it, and keep `archive`, what the project was before. Gives what was changed."""
    with write(connection):
        now = items_of(folders.folder_of(connection, project))
        made = planned(now, folder, only)
        read = folder.files.__getitem__
        syncing.change_project(connection, project, actor, made, now, read)
        if made.changes:
            connection.execute(
                "INSERT OR REPLACE INTO import_undo (project, archive, after, actor, at) VALUES "
                "(?, ?, ?, ?, ?)",
                (project.id, archive, _digest(connection, project), actor, now_us()),
            )
    return made.changes


def undo(
    connection: sqlite3.Connection,
    project: Document,
    actor: int,
    read: Callable[[bytes], Folder],
) -> list[Change]:
    """The project is what it was before something was last brought onto it; `read` reads the
    archive. Raises NotFound if there was nothing, and Conflict if the project was changed since."""
    with write(connection):
        row = connection.execute(
            "SELECT archive, after FROM import_undo WHERE project = ?", (project.id,)
        ).fetchone()
        if row is None:
            raise NotFound("nothing was brought onto this project that could be undone")
        if row["after"] != _digest(connection, project):
            raise Conflict(
                "the project was changed since, so that what was brought in cannot be undone as a "
                "whole; cases have their earlier versions"
            )
        before = read(row["archive"])
        now = items_of(folders.folder_of(connection, project))
        made = plan(now, items_of(before), now)
        syncing.change_project(connection, project, actor, made, now, before.files.__getitem__)
        connection.execute("DELETE FROM import_undo WHERE project = ?", (project.id,))
    return made.changes


def _digest(connection: sqlite3.Connection, project: Document) -> str:
    """What tells whether a project is still as it was."""
    items = items_of(folders.folder_of(connection, project))
    told = [
        [item.kind, item.id, item.path, item.document, item.comments] for item in items.values()
    ]
    return digest(plain.write_json(sorted(told, key=lambda one: (one[0], one[1]))))
