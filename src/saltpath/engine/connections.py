"""What any connection to a database is, and what the kinds of them share."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Sequence
from itertools import islice
from typing import Any, Protocol

from msgspec import Struct

from saltpath.core.cases.statement import Statement
from saltpath.core.values.measures import show_duration, show_size
from saltpath.core.values.why import Blocked, why

LARGEST = 20_000_000
"""Bytes of all rows that one question may give."""
CONNECT_S = 10

Rows = list[dict[str, Any]]


class Place(Struct, frozen=True):
    """A database with nothing left to work out: its kind, where it stands, and how one signs in."""

    kind: str
    at: str
    user: str = ""
    password: str = ""
    tls: str = ""
    may_change: bool = False


class Connection(Protocol):
    """One connection. `ask` gives one row more than `most` where there are more, and raises
    Blocked; afterwards it is good for another question, or `broken`."""

    broken: bool

    def ask(self, asked: Statement, most: int, limit_us: int) -> Rows: ...

    def interrupt(self) -> None: ...

    def close(self) -> None: ...


def could_not(problem: str) -> Blocked:
    """The database could not be asked."""
    return Blocked(why("database", database="", problem=problem))


def ended(ends: float, limit_us: int) -> Blocked:
    """A question that was ended: since its time was up (`ends`, of the monotonic clock), or since
    the run was stopped."""
    if time.monotonic() < ends:
        return could_not("the question was given up")
    return Blocked(why("database-slow", database="", limit=show_duration(limit_us)))


def as_rows(
    names: Sequence[str], rows: Sequence[Sequence[Any]], value_of: Callable[[Any], Any]
) -> Rows:
    """Rows by column; a name that stands twice gets a number."""
    unique: dict[str, None] = {}
    for name in names:
        given, number = name, 1
        while given in unique:
            number += 1
            given = f"{name} ({number})"
        unique[given] = None
    return [dict(zip(unique, map(value_of, row), strict=True)) for row in rows]


def within_size(cursor: Iterable[Sequence[Any]], most: int) -> list[Sequence[Any]]:
    """So many rows, as long as they are not larger than may be kept; they come one by one. Raises
    Blocked."""
    rows: list[Sequence[Any]] = []
    size = 0
    for row in islice(cursor, most):
        size += sum(len(cell) if isinstance(cell, (str, bytes)) else 8 for cell in row)
        if size > LARGEST:
            raise could_not(f"the rows are larger than {show_size(LARGEST)}")
        rows.append(row)
    return rows
