"""Seals hours of watches: their runs and what these saw, so that nobody can alter them later
without that it shows (core/proof/verify.py says how). Before good runs' evidence goes, its hashes
stay."""

from __future__ import annotations

import base64
import sqlite3
from collections.abc import Iterator
from typing import Any

import numpy as np
from msgspec import Struct

from saltpath.core.proof.verify import NOTHING, canonical, head_of, leaf_hash, root_of, runs_hash
from saltpath.store.database import write
from saltpath.store.evidence import StepEvidence
from saltpath.store.history import seen
from saltpath.store.history.blocks import runs_of

HOUR_S = 3_600
SECOND_US = 1_000_000
SETTLED_S = 600
"""So long after an hour's end it is sealed, if all that was due in it has ended by then."""
BACK_S = 48 * HOUR_S
"""The first hour of a watch that is sealed is at most so old."""


class Head(Struct, frozen=True):
    """A sealed hour."""

    watch: int
    hour: int
    number: int
    root: bytes
    runs: bytes
    head: bytes
    leaves: bytes
    """Of 32 octets each; empty where nothing of the hour is kept for long."""


class Record(Struct, frozen=True):
    """What a run saw, in its one form; `place`: among those of its hour."""

    place: int
    due: int
    data: bytes


def seal(connection: sqlite3.Connection, now: int, since: int | None = None) -> Iterator[int]:
    """Seal what can be by a moment (seconds, UTC), a watch at a time; how many hours each time.
    `since`: no hour before this moment; a while ago unless it is said."""
    begin = (now - BACK_S if since is None else since) // HOUR_S
    last_hour = (now - SETTLED_S) // HOUR_S - 1
    rows = connection.execute(
        "SELECT s.watch, s.looked_at, s.off, (SELECT MAX(hour) FROM watch_head h WHERE h.watch = "
        "s.watch) AS sealed FROM watch_state s ORDER BY s.watch"
    ).fetchall()
    for row in rows:
        first = begin if row["sealed"] is None else row["sealed"] + 1
        # nothing more comes of hours that were looked after to their end, and have no open claim
        until = last_hour
        if not row["off"]:
            until = min(until, row["looked_at"] // SECOND_US // HOUR_S - 1)
        claim = connection.execute(
            "SELECT MIN(due) FROM watch_claim WHERE watch = ?", (row["watch"],)
        ).fetchone()[0]
        if claim is not None:
            until = min(until, claim // HOUR_S - 1)
        if until >= first:
            sealed = _seal(connection, row["watch"], first, until)
            if sealed:
                yield sealed


def _seal(connection: sqlite3.Connection, watch: int, first: int, last: int) -> int:
    runs = runs_in(connection, watch, first * HOUR_S, (last + 1) * HOUR_S)
    by_hour: dict[int, list[tuple[int, int, int, int]]] = {}
    for run in runs:
        by_hour.setdefault(run[0] // HOUR_S, []).append(run)
    before = last_head(connection, watch)
    made: list[Head] = []
    for hour, mine in sorted(by_hour.items()):
        records = records_of(connection, watch, hour)
        leaves = [leaf_hash(one.data) for one in records]
        root, digest = root_of(leaves), runs_hash(mine)
        before = head_of(before, hour, len(leaves), root, digest)
        stays = b"".join(leaves) if _kept_long(connection, watch, hour) else b""
        made.append(Head(watch, hour, len(leaves), root, digest, before, stays))
    with write(connection):
        connection.executemany(
            "INSERT INTO watch_head (watch, hour, number, root, runs, head, leaves) VALUES "
            "(?, ?, ?, ?, ?, ?, ?)",
            [
                (one.watch, one.hour, one.number, one.root, one.runs, one.head, one.leaves)
                for one in made
            ],
        )
    return len(made)


def runs_in(
    connection: sqlite3.Connection, watch: int, begin: int, end: int
) -> list[tuple[int, int, int, int]]:
    """The runs of a watch as they are sealed: due, flag, milliseconds late, microseconds."""
    found = runs_of(connection, np.array([watch], np.int64), begin, end)
    return list(
        zip(
            found.due.tolist(),
            found.flag.tolist(),
            found.late.tolist(),
            found.us.tolist(),
            strict=True,
        )
    )


def records_of(connection: sqlite3.Connection, watch: int, hour: int) -> list[Record]:
    """What the runs of an hour saw, as far as it is kept, in the order in which they were due."""
    rows = connection.execute(
        "SELECT DISTINCT due, turn FROM watch_evidence WHERE watch = ? AND due >= ? AND due < ? "
        "ORDER BY due, turn",
        (watch, hour * HOUR_S, (hour + 1) * HOUR_S),
    ).fetchall()
    found: list[Record] = []
    for due, turn in rows:
        for attempt, saw in enumerate(seen.attempts(connection, watch, due, turn), 1):
            data = canonical(
                {
                    "due": due,
                    "turn": turn,
                    "attempt": attempt,
                    "cases": [name for _, name in saw.cases],
                    "steps": [_step(step) for step in saw.steps],
                }
            )
            found.append(Record(len(found), due, data))
    return found


def records_at(
    connection: sqlite3.Connection, watch: int, due: int, sealed: Head
) -> list[tuple[int, bytes]]:
    """What a run saw, each with its place among the records that were sealed with its hour."""
    leaves = [sealed.leaves[at : at + 32] for at in range(0, len(sealed.leaves), 32)]
    place = {leaf: number for number, leaf in enumerate(leaves)}
    return [
        (place[leaf], one.data)
        for one in records_of(connection, watch, sealed.hour)
        if one.due == due and (leaf := leaf_hash(one.data)) in place
    ]


def _step(step: StepEvidence) -> dict[str, Any]:
    """What stands in a record of a step; what is secret was masked before it was ever kept."""
    return {
        "name": step.name,
        "key": step.key,
        "verdict": step.head.verdict,
        "status": step.head.status,
        "us": step.head.us,
        "at": step.head.at,
        "why": step.why.sentence if step.why is not None else "",
        "exchanges": [
            {
                "method": one.method,
                "address": one.address,
                "sent": _octets(one.sent_head + one.sent_body),
                "received": _octets(one.received_head + one.raw_body),
                "status": one.status,
                "begun": one.begun_us,
                "times": [int(part) for part in _times(one.times)],
                "why": one.why.sentence if one.why is not None else "",
            }
            for one in step.exchanges
        ],
    }


def _times(times: Any) -> list[int]:
    names = ("lookup", "connect", "tls", "waiting", "receiving", "total")
    return [getattr(times, name) for name in names]


def _octets(data: bytes) -> str:
    return base64.b64encode(data).decode()


def _kept_long(connection: sqlite3.Connection, watch: int, hour: int) -> bool:
    found = connection.execute(
        "SELECT 1 FROM watch_evidence WHERE watch = ? AND due >= ? AND due < ? AND keep > ? "
        "LIMIT 1",
        (watch, hour * HOUR_S, (hour + 1) * HOUR_S, seen.GOOD),
    )
    return found.fetchone() is not None


def last_head(connection: sqlite3.Connection, watch: int, before: int | None = None) -> bytes:
    """The head of the last hour that is sealed (before one); of none the first is made of."""
    row = connection.execute(
        "SELECT head FROM watch_head WHERE watch = ? AND (? IS NULL OR hour < ?) ORDER BY hour "
        "DESC LIMIT 1",
        (watch, before, before),
    ).fetchone()
    return bytes(row["head"]) if row else NOTHING


def newest(connection: sqlite3.Connection, watch: int) -> Head | None:
    """The last sealed hour; None: there is none."""
    row = connection.execute(
        "SELECT watch, hour, number, root, runs, head, leaves FROM watch_head WHERE watch = ? "
        "ORDER BY hour DESC LIMIT 1",
        (watch,),
    ).fetchone()
    return Head(*row) if row else None


def heads(connection: sqlite3.Connection, watch: int, begin: int, end: int) -> list[Head]:
    """The sealed hours that lie within a stretch (seconds, UTC)."""
    rows = connection.execute(
        "SELECT watch, hour, number, root, runs, head, leaves FROM watch_head WHERE watch = ? AND "
        "hour >= ? AND hour < ? ORDER BY hour",
        (watch, -(-begin // HOUR_S), end // HOUR_S),
    )
    return [Head(*row) for row in rows]
