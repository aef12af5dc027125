"""The runs of one case, as its history shows them."""

from __future__ import annotations

import sqlite3
from typing import Any

from msgspec import Struct

from saltpath.core.values import plain


class PastRun(Struct, frozen=True):
    """How a case ended in one run, and at which version it was run. Moments: UTC, microseconds."""

    run: int
    oid: str
    number: int
    build: str
    environment: str
    actor: str
    at: int
    position: int
    version: int
    verdict: str
    why: dict[str, Any] | None
    us: int | None


class Edit(Struct, frozen=True):
    """A kept version: who made it, and when."""

    version: int
    actor: str
    at: int
    document: dict[str, Any]


def past_runs(
    connection: sqlite3.Connection,
    project: int,
    case: int,
    environment: str | None,
    before: int | None,
    limit: int,
) -> list[PastRun]:
    """Those in which it ended, the newest first; trials are none. `before`: only runs with a
    smaller id."""
    rows = connection.execute(
        "SELECT r.id AS run, r.oid, r.number, "
        "COALESCE(NULLIF(r.label, ''), r.read_build) AS build, rc.environment, p.name AS actor, "
        "COALESCE(rc.started_at, r.asked_at) AS at, rc.position, rc.version, rc.verdict, rc.why, "
        "rc.us FROM run_case rc JOIN run r ON r.id = rc.run JOIN person p ON p.id = r.actor"
        " WHERE rc.project = ? AND rc.test_case = ? AND rc.kind = 'run' AND rc.verdict IS NOT NULL"
        " AND rc.run < ? AND (? IS NULL OR rc.environment = ?) ORDER BY rc.run DESC LIMIT ?",
        (project, case, before or 1 << 62, environment, environment, limit),
    )
    return [
        PastRun(**{**dict(row), "why": plain.read_json(row["why"]) if row["why"] else None})
        for row in rows
    ]


def edits_between(connection: sqlite3.Connection, case: int, after: int, until: int) -> list[Edit]:
    """The kept versions of a case behind one, up to another, the newest first; and that one, or
    what took its place, last."""
    rows = connection.execute(
        "SELECT r.version, r.document, p.name AS actor, r.at FROM case_revision r JOIN person p ON "
        "p.id = r.actor WHERE r.test_case = ? AND r.version BETWEEN ? AND ? "
        "ORDER BY r.version DESC",
        (case, after, until),
    )
    return [
        Edit(row["version"], row["actor"], row["at"], plain.read_json(row["document"]))
        for row in rows
    ]
