"""The rows of a run's case: how each ended, with its values; sorted, filtered and paged for the
matrix."""

from __future__ import annotations

import sqlite3
from collections import Counter
from collections.abc import Sequence
from typing import Any, Literal

import msgspec
from msgspec import Struct

from saltpath.core.running.events import RowFinished
from saltpath.core.running.totals import RowsTotal
from saltpath.core.values import plain
from saltpath.core.values.why import MaskedWhy, Why, as_masked


class RowRow(msgspec.Struct, array_like=True):
    """One finished row on its way to the store; `why` and `data` are JSON."""

    position: int
    row: int
    verdict: str
    us: int
    at: int
    why: str | None
    data: str


class RunRow(Struct, frozen=True):
    """A row as it ended; lengths in microseconds."""

    row: int
    verdict: str
    us: int
    why: MaskedWhy | None
    data: dict[str, Any]


class Order(Struct, frozen=True):
    """By what rows are sorted: their `number`, `verdict`, `time` in all, a `column` by its name, or
    of a step (part and index) its `time`, `status` or `size`."""

    by: Literal["number", "verdict", "time", "column", "step"] = "number"
    name: str = ""
    part: str = "steps"
    step: int = 0
    down: bool = False


def row_of(event: RowFinished, position: int) -> RowRow:
    reason = plain.write_json(event.why.to_json()).decode() if event.why else None
    return RowRow(
        position,
        event.row,
        event.verdict,
        event.us,
        event.at,
        reason,
        plain.write_json(dict(event.data or {})).decode(),
    )


def insert(connection: sqlite3.Connection, project: int, run: int, rows: list[RowRow]) -> None:
    """Insert rows within a transaction of the caller's; those that are there already are left
    alone."""
    connection.executemany(
        "INSERT OR IGNORE INTO run_row (run, position, row, project, verdict, us, at, why, data) "
        "VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
        [(run, r.position, r.row, project, r.verdict, r.us, r.at, r.why, r.data) for r in rows],
    )


def counts(connection: sqlite3.Connection, run: int, position: int) -> dict[str, int]:
    """How many rows had which verdict."""
    rows = connection.execute(
        "SELECT verdict, COUNT(*) FROM run_row WHERE run = ? AND position = ? GROUP BY verdict",
        (run, position),
    )
    return {row[0]: row[1] for row in rows}


def total(connection: sqlite3.Connection, run: int, position: int) -> RowsTotal:
    """What the recorded rows of a case add up to; the reasons are those of the first that failed,
    was blocked, or is unchecked."""
    found = RowsTotal(Counter(counts(connection, run, position)))  # type: ignore[arg-type]
    for row in firsts(connection, run, position):
        found.first[row.verdict] = (row.row, row.why)  # type: ignore[index]
    return found


def finished(connection: sqlite3.Connection, run: int, position: int, row: int) -> RunRow | None:
    """How one row ended; None if it did not."""
    found = connection.execute(
        "SELECT row, verdict, us, why, data FROM run_row WHERE run = ? AND position = ? AND row = "
        "?",
        (run, position, row),
    ).fetchone()
    return _row(found) if found else None


def after(
    connection: sqlite3.Connection, run: int, position: int, row: int, most: int
) -> list[RunRow]:
    """The first rows behind one, in the order of their numbers."""
    found = connection.execute(
        "SELECT row, verdict, us, why, data FROM run_row WHERE run = ? AND position = ? AND row > ?"
        " ORDER BY row LIMIT ?",
        (run, position, row, most),
    )
    return [_row(one) for one in found]


def first(connection: sqlite3.Connection, run: int, position: int) -> int | None:
    """The row to look at first: the first that failed, was blocked, or is unchecked, else the first
    of all; None without rows."""
    for verdict in ("failed", "blocked", "unchecked", "passed", "skipped"):
        found = connection.execute(
            "SELECT MIN(row) FROM run_row WHERE run = ? AND position = ? AND verdict = ?",
            (run, position, verdict),
        ).fetchone()
        if found[0] is not None:
            return int(found[0])
    return None


def firsts(connection: sqlite3.Connection, run: int, position: int) -> list[RunRow]:
    """The first row that failed, the first that was blocked, and the first that is unchecked, as
    far as there are such."""
    found = []
    for verdict in ("failed", "blocked", "unchecked"):
        row = connection.execute(
            "SELECT MIN(row) FROM run_row WHERE run = ? AND position = ? AND verdict = ?",
            (run, position, verdict),
        ).fetchone()[0]
        ended = finished(connection, run, position, row) if row is not None else None
        if ended is not None:
            found.append(ended)
    return found


def numbers(
    connection: sqlite3.Connection, run: int, position: int, verdicts: tuple[str, ...]
) -> list[int]:
    """The numbers of the rows that ended so, in order."""
    marks = ", ".join("?" for _ in verdicts)
    rows = connection.execute(
        f"SELECT row FROM run_row WHERE run = ? AND position = ? AND verdict IN ({marks}) ORDER "
        "BY row",
        (run, position, *verdicts),
    )
    return [row[0] for row in rows]


def page(
    connection: sqlite3.Connection,
    run: int,
    position: int,
    verdicts: tuple[str, ...],
    order: Order,
    offset: int,
    limit: int,
) -> list[RunRow]:
    """Rows that ended so (none named: all), sorted; from the `offset`th, at most so many."""
    marks = f"AND r.verdict IN ({', '.join('?' for _ in verdicts)})" if verdicts else ""
    sorting = _sorting(order)
    direction = "DESC" if order.down else "ASC"
    by = ", ".join(f"{one} {direction}" for one in sorting.by)
    rows = connection.execute(
        f"SELECT r.row, r.verdict, r.us, r.why, r.data FROM run_row r {sorting.joined} WHERE "
        f"r.run = ? AND r.position = ? {marks}"
        f" ORDER BY {by}, r.row LIMIT ? OFFSET ?",
        (*sorting.of_join, run, position, *verdicts, *sorting.of_order, limit, offset),
    )
    return [_row(row) for row in rows]


_RANK = (
    "CASE {of} WHEN 'failed' THEN 0 WHEN 'blocked' THEN 1 WHEN 'unchecked' THEN 2 WHEN "
    "'passed' THEN 3 ELSE 4 END"
)
_STEP = (
    "LEFT JOIN step s ON s.run = r.run AND s.position = r.position AND s.row = r.row AND s.part = "
    "? AND s.step = ?"
    " AND s.inner = '' AND s.attempt = 1"
)


class _Sorting(Struct, frozen=True):
    """What is joined, by what is sorted, and the parameters of both."""

    by: tuple[str, ...]
    joined: str = ""
    of_join: tuple[Any, ...] = ()
    of_order: tuple[Any, ...] = ()


def _sorting(order: Order) -> _Sorting:
    """Of a column numbers come first, by value, also where a text is one; then texts."""
    if order.by == "column":
        path = '$."' + order.name.replace('"', '\\"') + '"'
        number = (
            "CASE WHEN json_extract(r.data, ?) GLOB '[0-9+.-]*' THEN "
            "CAST(json_extract(r.data, ?) AS REAL) END"
        )
        return _Sorting(
            (f"{number} IS NULL", number, "json_extract(r.data, ?)"), of_order=(path,) * 5
        )
    if order.by == "step":
        of = {"status": "s.status", "size": "s.size", "verdict": _RANK.format(of="s.verdict")}.get(
            order.name, "s.us"
        )
        return _Sorting((of,), _STEP, (order.part, order.step))
    return _Sorting(
        ({"verdict": _RANK.format(of="r.verdict"), "time": "r.us"}.get(order.by, "r.row"),)
    )


def data_of_rows(
    connection: sqlite3.Connection, run: int, position: int, rows: Sequence[int]
) -> dict[int, dict[str, Any]]:
    """The values of these rows by their numbers."""
    marks = ", ".join("?" for _ in rows)
    found = connection.execute(
        f"SELECT row, data FROM run_row WHERE run = ? AND position = ? AND row IN ({marks})",
        (run, position, *rows),
    )
    return {row["row"]: plain.read_json(row["data"]) for row in found}


def _row(row: sqlite3.Row) -> RunRow:
    reason = plain.read_json(row["why"]) if row["why"] else None
    return RunRow(
        row["row"],
        row["verdict"],
        row["us"],
        as_masked(Why(reason["code"], reason["params"])) if reason else None,
        plain.read_json(row["data"]),
    )
