"""Causes of failures that are known: who looks after each, a note, and the last day on which it is
no news."""

from __future__ import annotations

import sqlite3

from msgspec import Struct

from saltpath.core.values import plain
from saltpath.store.database import Conflict, NotFound, now_us, write
from saltpath.store.events import add_event


class Said(Struct, frozen=True):
    """What is said of a known cause. `until`: a day, as 2026-12-24."""

    owner: str
    note: str
    until: str


class Known(Struct, frozen=True):
    """One known cause. `sentence`: what it said when it was marked; `cases`: the ids of the cases
    that it was met in then; `actor`: who marked it."""

    signature: str
    verdict: str
    sentence: str
    said: Said
    cases: frozenset[int]
    actor: str
    at: int


def known(connection: sqlite3.Connection, project: int) -> dict[str, Known]:
    """Those of a project, by signature, in the order in which they were marked."""
    rows = connection.execute(
        "SELECT k.*, p.name FROM known k JOIN person p ON p.id = k.actor WHERE k.project = ? "
        "ORDER BY k.id",
        (project,),
    )
    return {
        row["signature"]: Known(
            row["signature"],
            row["verdict"],
            row["sentence"],
            Said(row["owner"], row["note"], row["until"]),
            frozenset(plain.read_json(row["cases"])),
            row["name"],
            row["at"],
        )
        for row in rows
    }


def put(
    connection: sqlite3.Connection,
    project: int,
    actor: int,
    cause: Known,
    seen: Said | None,
) -> None:
    """From now on the cause is known as it says. Raises Conflict where something else is said of it
    than was `seen` (None: nothing)."""
    at = now_us()
    with write(connection):
        held = known(connection, project).get(cause.signature)
        if (held.said if held is not None else None) != seen:
            raise Conflict(
                "what is known of this cause was changed meanwhile; look at what it is now, and "
                "change that"
            )
        connection.execute(
            "INSERT OR REPLACE INTO known (project, signature, verdict, sentence, owner, note, "
            "until, cases, actor, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
            (
                project,
                cause.signature,
                cause.verdict,
                cause.sentence,
                cause.said.owner,
                cause.said.note,
                cause.said.until,
                plain.write_json(sorted(cause.cases)).decode(),
                actor,
                at,
            ),
        )
        add_event(connection, project, None, at, "known changed", {"signature": cause.signature})


def remove(connection: sqlite3.Connection, project: int, signature: str) -> None:
    """It is known no more. Raises NotFound."""
    with write(connection):
        gone = connection.execute(
            "DELETE FROM known WHERE project = ? AND signature = ?", (project, signature)
        ).rowcount
        if not gone:
            raise NotFound("this cause is not known")
        add_event(connection, project, None, now_us(), "known changed", {"signature": signature})
