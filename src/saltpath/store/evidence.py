"""Evidence: each finished step with its exchanges, outcomes and values, packed small.

A step's record is compressed with zstd against what the same step saw before, which it resembles
(packing.py); bodies above 8 kB lie apart, identical ones once. Rows carry (run, position, row,
part, step, inner, attempt) and are inserted once.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from functools import partial
from typing import Any

import msgspec
import zstandard
from msgspec import Struct

from saltpath.core.answers.exchange import Exchange, Times
from saltpath.core.checks.judge import Outcome
from saltpath.core.running.totals import RecordedStep
from saltpath.core.values import plain
from saltpath.core.values.why import MaskedWhy
from saltpath.core.values.why import said as reason_of
from saltpath.store import run_rows
from saltpath.store.bases import unpacked
from saltpath.store.database import at_once
from saltpath.store.step_rows import read_outcome, read_why


class StepHead(Struct, frozen=True):
    """A step as lists show it, without its evidence. `inner`: where it stands inside the step (see
    core/running/events.py)."""

    position: int
    row: int
    part: str
    step: int
    verdict: str
    status: int
    us: int
    at: int
    inner: str = ""
    size: int = 0


class StepEvidence(Struct, frozen=True):
    """A step with everything that was kept of it."""

    head: StepHead
    name: str
    kind: str
    why: MaskedWhy | None
    exchanges: tuple[Exchange, ...]
    outcomes: tuple[Outcome, ...]
    kept: dict[str, Any]
    used: dict[str, Any]
    secret_kept: tuple[str, ...]
    counts: bool
    key: str = ""
    attempts: int = 1


def record_parts_begun(
    connection: sqlite3.Connection, run: int, begun: Iterable[tuple[int, int, str]]
) -> None:
    """Steps of these parts (position, row, part) may be sent from now on, within the caller's
    transaction."""
    connection.executemany(
        "INSERT OR IGNORE INTO part_begun (run, position, row, part) VALUES (?, ?, ?, ?)",
        [(run, *place) for place in begun],
    )


def parts_begun(
    connection: sqlite3.Connection, run: int, position: int, row: int
) -> frozenset[str]:
    """The parts of a row, or (0) around the rows, of which a step may have been sent."""
    rows = connection.execute(
        "SELECT part FROM part_begun WHERE run = ? AND position = ? AND row = ?",
        (run, position, row),
    )
    return frozenset(found["part"] for found in rows)


def recorded_steps(
    connection: sqlite3.Connection, run: int, position: int, row: int
) -> dict[tuple[str, int], RecordedStep]:
    """How the steps of a row, or (0) those around the rows, ended, by part and index in the order
    in which they did; without those inside others. The names and reasons of those that passed, or
    that nothing was checked of, are left out."""
    rows = connection.execute(
        "SELECT * FROM step WHERE run = ? AND position = ? AND row = ? AND inner = '' ORDER BY id",
        (run, position, row),
    ).fetchall()
    found: dict[tuple[str, int], RecordedStep] = {}
    for one in rows:
        name, why = "", None  # type: str, MaskedWhy | None
        if one["verdict"] in ("failed", "blocked", "skipped"):
            evidence = _evidence(connection, one)
            name, why = evidence.name, evidence.why
        counts, judged = bool(one["flags"] & 1), bool(one["flags"] & 2)
        found[one["part"], one["step"]] = RecordedStep(
            name, one["verdict"], why, counts, judged, one["us"]
        )
    return found


def steps_of_row(
    connection: sqlite3.Connection, run: int, position: int, row: int
) -> list[StepEvidence]:
    """The steps of a row, or (0) those around the rows, with their evidence."""
    rows = connection.execute(
        "SELECT * FROM step WHERE run = ? AND position = ? AND row = ? ORDER BY id",
        (run, position, row),
    ).fetchall()
    return [_evidence(connection, found) for found in rows]


def steps_of_rows(
    connection: sqlite3.Connection, run: int, position: int, first: int, last: int
) -> list[StepEvidence]:
    """The same of several rows, from one to another."""
    rows = connection.execute(
        "SELECT * FROM step WHERE run = ? AND position = ? AND row BETWEEN ? AND ? "
        "ORDER BY row, id",
        (run, position, first, last),
    ).fetchall()
    return [_evidence(connection, found) for found in rows]


def lengths(connection: sqlite3.Connection, run: int) -> Iterator[tuple[int, int, str, str, int]]:
    """Of each step of a run that was carried out, those inside others too: (position, row, key,
    verdict, length in microseconds)."""
    rows = connection.execute(
        "SELECT position, row, key, verdict, us FROM step WHERE run = ? AND verdict <> 'skipped'",
        (run,),
    )
    return (tuple(row) for row in rows.fetchall())


class Taken(Struct, frozen=True):
    """How long a step took that was carried out, and by which number its evidence is found."""

    id: int
    position: int
    key: str
    verdict: str
    status: int
    us: int
    size: int


def taken(connection: sqlite3.Connection, run: int) -> list[Taken]:
    """Of all steps of a run, those inside others too."""
    rows = connection.execute(
        "SELECT id, position, key, verdict, status, us, size FROM step WHERE run = ? AND "
        "verdict <> 'skipped'",
        (run,),
    )
    return [Taken(*row) for row in rows.fetchall()]


def step_by_id(connection: sqlite3.Connection, id: int) -> StepEvidence | None:
    found = connection.execute("SELECT * FROM step WHERE id = ?", (id,)).fetchone()
    return _evidence(connection, found) if found else None


def hidden(inner: str) -> bool:
    """Whether what was kept there stayed inside: within shared steps."""
    return any("." not in place for place in inner.split("/") if place)


_HEAD = "position, row, part, step, verdict, status, us, at, inner, size"


def heads(
    connection: sqlite3.Connection, run: int, with_rows: Collection[int] = ()
) -> dict[int, str]:
    """The steps of a run by the position of their case, written out (`read_heads` reads them), in
    the order in which they ended; without those inside others, and of the cases at the positions
    `with_rows` only those around the rows."""
    marks = ", ".join("?" for _ in with_rows)
    rows = at_once(
        connection,
        ("position", "heads"),
        f"SELECT position, json_group_array(json_array({_HEAD})) AS heads FROM (SELECT {_HEAD} "
        "FROM step WHERE run = ? AND inner = ''"
        f" AND (row = 0 OR position NOT IN ({marks})) ORDER BY position, part = 'at the end', "
        "row, id) GROUP BY position",
        (run, *with_rows),
    )
    return dict(rows)


def read_heads(text: str) -> list[StepHead]:
    """The steps as `heads` gives those of a case."""
    return [StepHead(*row) for row in plain.read_json(text)]


def heads_of_rows(
    connection: sqlite3.Connection, run: int, position: int, rows: Sequence[int]
) -> list[StepHead]:
    """The steps of these rows of one case, without those inside others."""
    marks = ", ".join("?" for _ in rows)
    found = connection.execute(
        f"SELECT {_HEAD} FROM step WHERE run = ? AND position = ? AND row IN ({marks}) AND inner "
        "= '' ORDER BY row, id",
        (run, position, *rows),
    )
    return [StepHead(*row) for row in found]


def steps(
    connection: sqlite3.Connection, run: int, position: int, row: int | None = None
) -> Iterator[StepEvidence]:
    """The steps of one case of a run, with their evidence, each unpacked when it is come to: of a
    case with rows those of one row (by default that to look at first), and those around them."""
    chosen = run_rows.first(connection, run, position) if row is None else row
    where, values = ("", ()) if chosen is None else ("AND row IN (0, ?)", (chosen,))
    rows = connection.execute(
        f"SELECT * FROM step WHERE run = ? AND position = ? {where} ORDER BY id",
        (run, position, *values),
    ).fetchall()
    return (_evidence(connection, row) for row in rows)


def steps_judged(
    connection: sqlite3.Connection, run: int, position: int, most: int
) -> list[StepEvidence]:
    """What the steps of a case were judged by in a run, each the last time that it was tried: of a
    case with rows those of the row to look at first, and those that went wrong in others."""
    chosen = run_rows.first(connection, run, position)
    where, values = (
        ("", ()) if chosen is None else ("AND (row IN (0, ?) OR verdict <> 'passed')", (chosen,))
    )
    rows = connection.execute(
        f"SELECT * FROM step WHERE run = ? AND position = ? {where} ORDER BY id LIMIT ?",
        (run, position, *values, most),
    )
    last = {(row["row"], row["part"], row["step"], row["inner"]): row for row in rows}
    return [_evidence(connection, row) for row in last.values()]


def steps_with_key(
    connection: sqlite3.Connection, run: int, position: int, key: str, most: int = 200
) -> list[StepEvidence]:
    """What one step of a case saw in a run, by the step's key: once a row and attempt, the last of
    them where there are many."""
    rows = connection.execute(
        "SELECT * FROM step WHERE run = ? AND position = ? AND key = ? ORDER BY id DESC LIMIT ?",
        (run, position, key, most),
    ).fetchall()
    return [_evidence(connection, row) for row in reversed(rows)]


def steps_inside(
    connection: sqlite3.Connection, run: int, head: StepHead, most: int
) -> list[StepEvidence]:
    """What the steps inside one saw, in the order in which they ended; at most so many."""
    begin = f"{head.inner}/" if head.inner else ""
    rows = connection.execute(
        "SELECT * FROM step WHERE run = ? AND position = ? AND row = ? AND part = ? AND step = ? "
        "AND inner <> '' AND inner <> ?"
        " AND substr(inner, 1, ?) = ? ORDER BY id LIMIT ?",
        (run, head.position, head.row, head.part, head.step, head.inner, len(begin), begin, most),
    ).fetchall()
    return [_evidence(connection, row) for row in rows]


def step(
    connection: sqlite3.Connection,
    run: int,
    position: int,
    row: int,
    part: str,
    index: int,
    inner: str = "",
) -> StepEvidence | None:
    found = connection.execute(
        "SELECT * FROM step WHERE run = ? AND position = ? AND row = ? AND part = ? AND step = ? "
        "AND inner = ? ORDER BY attempt DESC LIMIT 1",
        (run, position, row, part, index, inner),
    ).fetchone()
    return _evidence(connection, found) if found else None


def copy_step(
    connection: sqlite3.Connection, run: int, position: int, to: int, index: int, key: str
) -> None:
    """What the only step of one case of a run saw, once more as that of step `index` with `key` of
    the case at position `to`."""
    connection.execute(
        "INSERT OR IGNORE INTO step (project, run, position, row, part, step, attempt, key, "
        "verdict, status, us, at, base, against, packed, size, flags)"
        " SELECT project, run, ?, row, part, ?, attempt, ?, verdict, status, us, at, base, "
        "against, packed, size, flags FROM step"
        " WHERE run = ? AND position = ?",
        (to, index, key, run, position),
    )


def _evidence(connection: sqlite3.Connection, row: sqlite3.Row) -> StepEvidence:
    """A step as it was kept. One whose record cannot be read any more says so, with its verdict."""
    try:
        if not row["packed"]:
            raise LookupError(
                "it was kept for as long as the rules say, or there was no room for it"
            )
        return _unpacked(connection, row)
    except (
        zstandard.ZstdError,
        msgspec.MsgspecError,
        plain.NotPlain,
        LookupError,
        TypeError,
        ValueError,
    ) as problem:
        reason = reason_of("evidence-gone", problem=str(problem))
        head = StepHead(*(row[name] for name in _HEAD.split(", ")))
        return StepEvidence(
            head, "", "request", reason, (), (), {}, {}, (), bool(row["flags"] & 1), row["key"]
        )


def _unpacked(connection: sqlite3.Connection, row: sqlite3.Row) -> StepEvidence:
    head = StepHead(*(row[name] for name in _HEAD.split(", ")))
    return read_record(_record(connection, row), head, row["key"], partial(_body, connection))


def read_record(
    record: bytes, head: StepHead, key: str, body: Callable[[Any], bytes]
) -> StepEvidence:
    """A step by what was packed of it (step_rows.py). `body`: of a body that stands in the record,
    or apart, by its hash. Raises ValueError, MsgspecError or NotPlain for what is none."""
    exchanges, facts = msgspec.msgpack.decode(record)
    data = plain.read_json(facts)
    return StepEvidence(
        head,
        data["name"],
        data["kind"],
        read_why(data["why"]),
        tuple(_exchange(item, body) for item in exchanges),
        tuple(map(read_outcome, data["outcomes"])),
        data["kept"],
        data["used"],
        tuple(data["secret"]),
        data["counts"],
        key,
        data.get("attempts", 1),
    )


def _record(connection: sqlite3.Connection, row: sqlite3.Row) -> bytes:
    if row["against"] is not None:
        found = ("SELECT packed FROM base WHERE id = ?", (row["against"],))
    elif row["base"] is not None:  # what an older version packed: another step of the run
        found = ("SELECT packed FROM step WHERE id = ?", (row["base"],))
    else:
        return zstandard.ZstdDecompressor().decompress(row["packed"])
    base = connection.execute(*found).fetchone()
    return unpacked(row["packed"], zstandard.ZstdDecompressor().decompress(base["packed"]))


def _exchange(item: list[Any], stored: Callable[[Any], bytes]) -> Exchange:
    (
        method,
        address,
        sent_head,
        sent_body,
        status,
        head,
        raw,
        body,
        times,
        begun,
        reused,
        resent,
        why,
    ) = item
    raw = stored(raw)
    return Exchange(
        method,
        address,
        sent_head,
        stored(sent_body),
        status,
        head,
        raw,
        raw if body is None else stored(body),
        Times(*times),
        begun,
        reused,
        resent,
        read_why(why),
    )


def _body(connection: sqlite3.Connection, stored: Any) -> bytes:
    if isinstance(stored, bytes):
        return stored
    row = connection.execute("SELECT packed FROM body WHERE hash = ?", (stored[0],)).fetchone()
    return zstandard.ZstdDecompressor().decompress(row["packed"]) if row else b""
