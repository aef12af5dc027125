"""When people were here: since when something is news to them; and who did what since."""

from __future__ import annotations

import sqlite3
from typing import Literal

from msgspec import Struct

from saltpath.store.database import write

VISIT_US = 1_800_000_000
"""After so long without a look another visit begins."""


class Done(Struct, frozen=True):
    """What somebody did. `at`: UTC microseconds; `id`: of the run or the case."""

    at: int
    who: str
    did: Literal["ran", "edited"]
    name: str
    id: str
    where: str = ""
    """Against which environment it ran."""


def look(connection: sqlite3.Connection, person: int, project: int, now: int) -> None:
    """They look at it now (UTC microseconds)."""
    with write(connection):
        connection.execute(
            "INSERT INTO visit (person, project, at, before) VALUES (?1, ?2, ?3, 0) ON CONFLICT "
            "(person, project) DO UPDATE SET before = CASE WHEN ?3 - at > ?4 THEN at ELSE before "
            "END, at = MAX(at, ?3)",
            (person, project, now, VISIT_US),
        )


def last_here(connection: sqlite3.Connection, person: int, project: int, now: int) -> int | None:
    """When the visit before this one ended (UTC microseconds); None: there was none."""
    row = connection.execute(
        "SELECT at, before FROM visit WHERE person = ? AND project = ?", (person, project)
    ).fetchone()
    if row is None:
        return None
    last = row["at"] if now - row["at"] > VISIT_US else row["before"]
    return int(last) or None


def done(connection: sqlite3.Connection, project: int, since: int, most: int) -> list[Done]:
    """Runs that were asked for, and edits of cases, since a moment (UTC microseconds), the newest
    first; of one person's edits of a case only the last."""
    ran = connection.execute(
        "SELECT r.asked_at AS at, p.name AS who, r.title, r.oid, r.environment FROM run r JOIN "
        "person p ON p.id = r.actor WHERE r.project = ? AND r.kind = 'run' AND r.asked_at >= ? "
        "ORDER BY r.id DESC LIMIT ?",
        (project, since, most),
    )
    edited = connection.execute(
        "SELECT MAX(r.at) AS at, p.name AS who, c.name AS title, c.oid FROM case_revision r JOIN "
        "test_case c ON c.id = r.test_case JOIN suite s ON s.id = c.suite JOIN person p ON "
        "p.id = r.actor WHERE r.project = ? AND r.at >= ? AND r.version > 1 AND c.gone_at IS NULL "
        "AND s.hidden = 0 GROUP BY c.id, p.id ORDER BY at DESC LIMIT ?",
        (project, since, most),
    )
    found = [Done(row[0], row[1], "ran", row[2], row[3], row[4]) for row in ran]
    found += [Done(row[0], row[1], "edited", row[2], row[3]) for row in edited]
    return sorted(found, key=lambda one: -one.at)[:most]
