"""The team's own workbooks, one a suite, as they were brought in; and what a team's headings
mean."""

from __future__ import annotations

import sqlite3
from collections.abc import Mapping

from msgspec import Struct

from saltpath.core.values import plain
from saltpath.store.database import now_us, write


class Workbook(Struct, frozen=True):
    """A file that was brought into a suite: which sheet, the row of its headings (from 0), what
    each column is, and the case of rows that name none."""

    name: str
    sheet: str
    headings: int
    columns: list[str]
    otherwise: str
    octets: bytes
    at: int


def keep(
    connection: sqlite3.Connection, project: int, suite: int, actor: int, book: Workbook
) -> None:
    """In the place of the one that was brought into the suite before."""
    with write(connection):
        connection.execute(
            "INSERT OR REPLACE INTO workbook (suite, project, name, sheet, headings, columns, "
            "otherwise, octets, actor, at)"
            " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
            (
                suite,
                project,
                book.name,
                book.sheet,
                book.headings,
                plain.write_json(book.columns).decode(),
                book.otherwise,
                book.octets,
                actor,
                now_us(),
            ),
        )


def kept(connection: sqlite3.Connection, suite: int) -> Workbook | None:
    row = connection.execute(
        "SELECT name, sheet, headings, columns, otherwise, octets, at FROM workbook WHERE suite = "
        "?",
        (suite,),
    ).fetchone()
    return (
        None
        if row is None
        else Workbook(**{**dict(row), "columns": plain.read_json(row["columns"])})
    )


def remember(connection: sqlite3.Connection, project: int, means: Mapping[str, str]) -> None:
    """What the team's headings mean in this project."""
    with write(connection):
        connection.executemany(
            "INSERT OR REPLACE INTO heading (project, heading, means) VALUES (?, ?, ?)",
            [(project, heading, column) for heading, column in means.items()],
        )


def remembered(connection: sqlite3.Connection, project: int) -> dict[str, str]:
    rows = connection.execute("SELECT heading, means FROM heading WHERE project = ?", (project,))
    return {row["heading"]: row["means"] for row in rows}
