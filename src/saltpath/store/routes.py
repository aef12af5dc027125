"""Routes: where people are told of watches. A route's name is what watches say; its password, or
the key that signs, is a secret of the project under a name that no value has."""

from __future__ import annotations

import sqlite3
from typing import Any, Literal

import msgspec
from msgspec import Struct
from msgspec.structs import replace

from saltpath.core.format.watch_reader import named_in
from saltpath.store.database import Conflict, NotFound, VersionConflict, new_id, now_us, write

Kind = Literal["mail", "webhook"]
Security = Literal["starttls", "tls", "none"]


class Route(Struct, frozen=True, omit_defaults=True):
    """One route."""

    name: str
    kind: Kind = "mail"
    to: tuple[str, ...] = ()
    """Mail: the addresses that get it."""
    server: str = ""
    """Mail: the server that takes it, with its port."""
    security: Security = "starttls"
    user: str = ""
    """Mail: who signs in there; empty: nobody."""
    sender: str = ""
    """Mail: from whom it comes."""
    address: str = ""
    """Webhook: where it goes."""
    template: str = ""
    """Webhook: JSON with places in braces; empty: all that is known."""
    hours: tuple[str, ...] = ()
    """When it may be used; none: always."""
    tags: tuple[str, ...] = ()
    """It also tells of watches with one of these tags, whatever routes they name."""
    only_urgent: bool = False
    """It tells of outages and of allowances that are used up too fast, of watches that are urgent,
    and of nothing else."""
    then: str = ""
    """Another route, by name, that is used when nobody has taken it after a while."""
    then_after_s: int = 900
    daily: str = ""
    """At which time of the project's clocks it sends what Today says, on working days, such as
    07:30; empty: never."""
    heads: bool = False
    """Each day it sends the heads of the sealed record of watches."""


class StoredRoute(Struct, frozen=True):
    id: int
    oid: str
    project: int
    route: Route
    version: int


def routes(connection: sqlite3.Connection, project: int) -> list[StoredRoute]:
    """Those of a project, by name."""
    rows = connection.execute(
        "SELECT id, oid, project, document, version FROM route WHERE project = ? AND NOT gone "
        "ORDER BY name COLLATE NOCASE, id",
        (project,),
    )
    return [_route(row) for row in rows]


def route(connection: sqlite3.Connection, oid: str, gone: bool = False) -> StoredRoute:
    """Raises NotFound."""
    return _found(connection, "oid = ? AND gone = ?", oid, gone)


def route_by_id(connection: sqlite3.Connection, id: int) -> StoredRoute:
    """Also one that was taken away. Raises NotFound."""
    return _found(connection, "id = ?", id)


def _found(connection: sqlite3.Connection, which: str, *values: object) -> StoredRoute:
    row = connection.execute(
        f"SELECT id, oid, project, document, version FROM route WHERE {which}", values
    ).fetchone()
    if row is None:
        raise NotFound("there is no such route")
    return _route(row)


def _route(row: sqlite3.Row) -> StoredRoute:
    document = msgspec.json.decode(row["document"], type=Route)
    return StoredRoute(row["id"], row["oid"], row["project"], document, row["version"])


def add(connection: sqlite3.Connection, project: int, actor: int, made: Route) -> StoredRoute:
    """Raises Conflict where there is one of its name."""
    oid = new_id("route")
    with write(connection):
        _free(connection, project, made.name, None)
        connection.execute(
            "INSERT INTO route (oid, project, name, document, actor, at) VALUES (?, ?, ?, ?, ?, ?)",
            (oid, project, made.name, _document(made), actor, now_us()),
        )
    return route(connection, oid)


def change(
    connection: sqlite3.Connection, of: StoredRoute, actor: int, seen: int, made: Route
) -> StoredRoute:
    """Raises VersionConflict where it is another than the version that was seen; Conflict. Other
    routes that name it go on to."""
    with write(connection):
        _free(connection, of.project, made.name, of.id)
        changed = connection.execute(
            "UPDATE route SET document = ?, name = ?, version = version + 1, actor = ?, at = ? "
            "WHERE id = ? AND version = ? AND NOT gone",
            (_document(made), made.name, actor, now_us(), of.id, seen),
        )
        if not changed.rowcount:
            raise VersionConflict(route_by_id(connection, of.id).version)
        for other in routes(connection, of.project):
            if other.route.then == of.route.name != made.name:
                renamed = replace(other.route, then=made.name)
                connection.execute(
                    "UPDATE route SET document = ? WHERE id = ?", (_document(renamed), other.id)
                )
    return route(connection, of.oid)


def turn(connection: sqlite3.Connection, of: StoredRoute, gone: bool) -> None:
    """It is taken away, or is back. Raises Conflict where there is another of its name by now."""
    with write(connection):
        if not gone:
            _free(connection, of.project, of.route.name, of.id)
        connection.execute("UPDATE route SET gone = ? WHERE id = ?", (gone, of.id))


def _free(connection: sqlite3.Connection, project: int, name: str, but: int | None) -> None:
    taken = connection.execute(
        "SELECT 1 FROM route WHERE project = ? AND name = ? COLLATE NOCASE AND NOT gone AND id IS "
        "NOT ?",
        (project, name, but),
    ).fetchone()
    if taken:
        raise Conflict(f"there is a route {name} already")


def _document(made: Route) -> str:
    return msgspec.json.encode(made).decode()


def secret_name(of: StoredRoute) -> str:
    """The name under which its password, or the key that signs, is kept."""
    return f"route {of.oid}"


def tells_of(route: Route, document: dict[str, Any]) -> bool:
    """Whether a route tells of the watch of a document: it is named there, or has one of its
    tags."""
    tags = document.get("tags")
    tagged = isinstance(tags, list) and not set(route.tags).isdisjoint(map(str, tags))
    return tagged or route.name in named_in(document)
