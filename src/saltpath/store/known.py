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
    that it was met in then, against this environment; `actor`: who marked it."""

    signature: str
    verdict: str
    sentence: str
    said: Said
    cases: frozenset[int]
    environment: str
    actor: str
    at: int


def known(connection: sqlite3.Connection, project: int) -> dict[str, Known]:
    """Those of a project, by signature, in the order in which they were marked."""
    rows = connection.execute(
        "SELECT k.*, p.name FROM known k JOIN person p ON p.id = k.actor WHERE k.project = ? "
        "AND NOT k.gone ORDER BY k.id",
        (project,),
    )
    return {
        row["signature"]: Known(
            row["signature"],
            row["verdict"],
            row["sentence"],
            Said(row["owner"], row["note"], row["until"]),
            frozenset(plain.read_json(row["cases"])),
            row["environment"],
            row["name"],
            row["at"],
        )
        for row in rows
    }


def put(
    connection: sqlite3.Connection, project: int, actor: int, cause: Known, seen: Said | None
) -> None:
    """From now on the cause is known as it says. Raises Conflict where something else is said of it
    than was `seen` (None: nothing)."""
    with write(connection):
        held = known(connection, project).get(cause.signature)
        if (held.said if held is not None else None) != seen:
            raise Conflict(
                "what is known of this cause was changed meanwhile; look at what it is now, and "
                "change that"
            )
        connection.execute(
            "INSERT INTO known (project, signature, verdict, sentence, owner, note, until, cases, "
            "environment, actor, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)"
            " ON CONFLICT (project, signature) DO UPDATE SET verdict = excluded.verdict,"
            " sentence = excluded.sentence, owner = excluded.owner, note = excluded.note,"
            " until = excluded.until, cases = excluded.cases, environment = excluded.environment,"
            " actor = excluded.actor, at = excluded.at, gone = 0",
            (
                project,
                cause.signature,
                cause.verdict,
                cause.sentence,
                cause.said.owner,
                cause.said.note,
                cause.said.until,
                plain.write_json(sorted(cause.cases)).decode(),
                cause.environment,
                actor,
                cause.at,
            ),
        )
        _tell(connection, project, cause.signature)


def turn(connection: sqlite3.Connection, project: int, signature: str, gone: bool) -> None:
    """It is known no more (`gone`), or that is undone and it is as it was. Raises NotFound for what
    is not known, or was not."""
    with write(connection):
        turned = connection.execute(
            "UPDATE known SET gone = ? WHERE project = ? AND signature = ? AND gone <> ?",
            (gone, project, signature, gone),
        ).rowcount
        if not turned:
            raise NotFound("this cause is not known" if gone else "this cause is known already")
        _tell(connection, project, signature)


def _tell(connection: sqlite3.Connection, project: int, signature: str) -> None:
    add_event(connection, project, None, now_us(), "known changed", {"signature": signature})
