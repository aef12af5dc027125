"""Rows of output tables, as steps of runs have written them; in the order of cases, rows and steps,
whenever each ended."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from typing import Any

import msgspec
from msgspec import Struct

from saltpath.core.running.events import StepFinished
from saltpath.core.running.outputs import place_in_table
from saltpath.core.values import plain

AT_ONCE = 1_000
MOST_RUNS = 50
MOST_LOOKED_AT = 500


class OutputRow(msgspec.Struct, array_like=True):
    """A row on its way to the store; `cells` is JSON."""

    table: str
    place: str
    cells: str


class OutputTable(Struct, frozen=True):
    """A table of a project: the newest runs that wrote there, newest first."""

    name: str
    runs: list[int]


def row_of(event: StepFinished) -> OutputRow | None:
    """What a step wrote, if it did."""
    if event.wrote is None:
        return None
    place = place_in_table(event.part, event.row, event.step, event.inner)
    return OutputRow(event.wrote.table, place, plain.write_json(dict(event.wrote.cells)).decode())


def insert(
    connection: sqlite3.Connection, project: int, run: int, position: int, row: OutputRow
) -> None:
    """Within the caller's transaction; a row that is there already is left alone."""
    connection.execute(
        "INSERT OR IGNORE INTO output_row (run, tab, position, place, project, cells) VALUES (?, "
        "?, ?, ?, ?, ?)",
        (run, row.table, position, row.place, project, row.cells),
    )


def tables(connection: sqlite3.Connection, project: int) -> list[OutputTable]:
    """The project's tables by name."""
    found: dict[str, list[int]] = {}
    rows = connection.execute(
        "SELECT DISTINCT tab, run FROM output_row WHERE project = ? ORDER BY tab, run DESC",
        (project,),
    )
    for row in rows:
        found.setdefault(row["tab"], []).append(row["run"])
    return [OutputTable(name, runs[:MOST_RUNS]) for name, runs in found.items()]


def newest_run(
    main: sqlite3.Connection, evidence: sqlite3.Connection, project: int, table: str
) -> int | None:
    """The newest run, trials left out, that has written there and ended; None if none has."""
    rows = evidence.execute(
        "SELECT DISTINCT run FROM output_row WHERE project = ? AND tab = ? ORDER BY run DESC "
        "LIMIT ?",
        (project, table, MOST_LOOKED_AT),
    )
    for row in rows.fetchall():
        ended = "SELECT 1 FROM run WHERE id = ? AND kind = 'run' AND state = 'finished'"
        if main.execute(ended, (row["run"],)).fetchone():
            return int(row["run"])
    return None


def count(connection: sqlite3.Connection, run: int, table: str) -> int:
    """How many rows a run wrote."""
    row = connection.execute(
        "SELECT count(*) FROM output_row WHERE run = ? AND tab = ?", (run, table)
    ).fetchone()
    return int(row[0])


def page(
    connection: sqlite3.Connection, run: int, table: str, offset: int, limit: int
) -> list[dict[str, Any]]:
    """Some of the rows that a run wrote, in order."""
    rows = connection.execute(
        "SELECT cells FROM output_row WHERE run = ? AND tab = ? ORDER BY position, place LIMIT ? "
        "OFFSET ?",
        (run, table, limit, offset),
    ).fetchall()
    return [plain.read_json(row["cells"]) for row in rows]


def rows(
    connection: sqlite3.Connection, run: int, table: str
) -> Iterator[tuple[int, dict[str, Any]]]:
    """All of them, each with the position of its case; a thousand at a time, so that no read stays
    open."""
    position, place = -1, ""
    while True:
        found = connection.execute(
            "SELECT position, place, cells FROM output_row WHERE run = ? AND tab = ? AND "
            "(position, place) > (?, ?)"
            " ORDER BY position, place LIMIT ?",
            (run, table, position, place, AT_ONCE),
        ).fetchall()
        yield from ((row["position"], plain.read_json(row["cells"])) for row in found)
        if len(found) < AT_ONCE:
            return
        position, place = found[-1]["position"], found[-1]["place"]
