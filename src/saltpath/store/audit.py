"""Who did what, when and from where. Rows are only added: the database itself refuses to change
one, or to take away one that is younger than a year."""

from __future__ import annotations

import sqlite3
from typing import Literal

from msgspec import Struct

from saltpath.store.database import now_us, write

Way = Literal["session", "key", "alone", "link", "nobody", "command"]
"""How they came in: signed in, by a key, as the only one on this machine, by a link, not at all, or
by a command on the machine itself."""
FOLDED_US = 600_000_000
"""The same act of the same person on the same thing is one line within this time."""
MOST_ABOUT = 300


class Act(Struct, frozen=True):
    """One line, to be written."""

    operation: str
    """The operation's name in our OpenAPI document, or the command's."""
    about: str
    """What was done, behind the name: “changed the case A berth …”."""
    way: Way
    place: str = ""
    """The address that they asked from."""
    person: int | None = None
    project: int | None = None
    thing: str = ""
    """The identity of what it was done to."""


class Line(Struct, frozen=True):
    """One line, as it stands."""

    id: int
    at: int
    person: str
    """Their identity; empty: nobody known."""
    name: str
    way: Way
    place: str
    project: int | None
    operation: str
    thing: str
    about: str


def write_down(connection: sqlite3.Connection, act: Act, fold: bool = False) -> None:
    """Add a line; with `fold` not where the newest line of the same person, way and thing says the
    same already."""
    now, about = now_us(), act.about[:MOST_ABOUT]
    held = (act.person, act.way, act.place, act.project, act.operation, act.thing, about)
    with write(connection):
        if fold:
            newest = connection.execute(
                "SELECT at, person, way, place, project, operation, thing, about FROM audit WHERE "
                "person IS ? ORDER BY id DESC LIMIT 1",
                (act.person,),
            ).fetchone()
            if newest and tuple(newest)[1:] == held and now - newest["at"] < FOLDED_US:
                return
        connection.execute(
            "INSERT INTO audit (at, person, way, place, project, operation, thing, about) VALUES "
            "(?, ?, ?, ?, ?, ?, ?, ?)",
            (now, *held),
        )


class Wanted(Struct, frozen=True):
    """Which lines; what is not said does not matter."""

    project: int | None = None
    """Of one project; None: of all, and of the installation."""
    person: str = ""
    text: str = ""
    """What is said, or the thing's identity, holds this."""
    since: int = 0
    until: int = 1 << 62
    """Moments, UTC, microseconds; the end is left out."""


def lines(
    connection: sqlite3.Connection, wanted: Wanted, before: int | None, limit: int
) -> list[Line]:
    """The newest first, those before an id."""
    like = wanted.text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
    rows = connection.execute(
        "SELECT a.id, a.at, coalesce(p.oid, ''), coalesce(p.name, ''), a.way, a.place, a.project, "
        "a.operation, a.thing, a.about FROM audit a LEFT JOIN person p ON p.id = a.person WHERE "
        "(?1 IS NULL OR a.project = ?1) AND (?2 = '' OR p.oid = ?2) AND a.at >= ?3 AND a.at < ?4 "
        "AND (?5 = '' OR a.about LIKE ?6 ESCAPE '\\' OR a.thing = ?5 OR p.name LIKE ?6 ESCAPE "
        "'\\') AND a.id < ?7 ORDER BY a.id DESC LIMIT ?8",
        (
            wanted.project,
            wanted.person,
            wanted.since,
            wanted.until,
            wanted.text,
            f"%{like}%",
            before if before is not None else 1 << 62,
            limit,
        ),
    )
    return [Line(*row) for row in rows]
