"""SQLite files that look-ups ask."""

from __future__ import annotations

import sqlite3
import time
from pathlib import Path
from typing import Any

from saltpath.core.cases.statement import Statement
from saltpath.core.values import plain
from saltpath.engine.connections import (
    CONNECT_S,
    LARGEST,
    Place,
    Rows,
    as_rows,
    could_not,
    ended,
    within_size,
)

PROGRESS_EVERY = 2_000
"""Of SQLite's virtual machine: instructions between two looks at the clock."""


class SQLite:
    """A SQLite file. Opened for reading alone, unless it may be changed; nothing else is ever
    attached to it."""

    def __init__(self, place: Place, forbidden: Path | None, root: Path | None) -> None:
        self.broken = False
        file = Path(place.at)
        if not file.is_absolute() and root is None:
            raise could_not(
                f"give the file's whole path, such as /srv/harbour/harbour.db; found {place.at!r}"
            )
        try:
            file = file.resolve(strict=True) if root is None else (root / file).resolve(strict=True)
        except (OSError, ValueError, RuntimeError):
            raise could_not(f"there is no file {place.at}") from None
        if forbidden is not None and file.is_relative_to(forbidden.resolve()):
            raise could_not("this file is one of Salt Path's own")
        self._may_change = place.may_change
        mode = "rw" if place.may_change else "ro"
        try:
            self._connection = sqlite3.connect(
                f"{file.as_uri()}?mode={mode}",
                uri=True,
                timeout=CONNECT_S,
                check_same_thread=False,
                isolation_level=None,
            )
            self._connection.execute("PRAGMA schema_version").fetchone()
        except sqlite3.Error as problem:
            raise could_not(str(problem)) from None
        # of one cell, also while it is worked out
        self._connection.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, LARGEST)
        self._connection.set_authorizer(self._allowed)
        self._ends = float("inf")
        self._connection.set_progress_handler(lambda: time.monotonic() > self._ends, PROGRESS_EVERY)

    def _allowed(self, action: int, *_: Any) -> int:
        reading = (
            sqlite3.SQLITE_SELECT,
            sqlite3.SQLITE_READ,
            sqlite3.SQLITE_FUNCTION,
            sqlite3.SQLITE_RECURSIVE,
        )
        denied = (sqlite3.SQLITE_ATTACH, sqlite3.SQLITE_DETACH, sqlite3.SQLITE_PRAGMA)
        fine = action not in denied if self._may_change else action in reading
        return sqlite3.SQLITE_OK if fine else sqlite3.SQLITE_DENY

    def ask(self, asked: Statement, most: int, limit_us: int) -> Rows:
        self._ends = time.monotonic() + limit_us / 1e6
        try:
            cursor = self._connection.execute(asked.text, [_bound(value) for value in asked.values])
            rows = within_size(cursor, most + 1)
            names = [column[0] for column in cursor.description or ()]
            cursor.close()
        except sqlite3.Error as problem:
            if "interrupt" in str(problem):
                raise ended(self._ends, limit_us) from None
            said = (
                "it is only read"
                if "authorized" in str(problem) or "prohibited" in str(problem)
                else str(problem)
            )
            raise could_not(said) from None
        except OverflowError:
            raise could_not("a whole number is larger than SQLite can hold") from None
        finally:
            self._ends = float("inf")
        return as_rows(names, rows, _value)

    def interrupt(self) -> None:
        self._connection.interrupt()

    def close(self) -> None:
        self._connection.close()


def _bound(value: Any) -> Any:
    """A value as SQLite takes it: numbers that are no whole ones as floating point, lists and
    objects as JSON."""
    if value is None or isinstance(value, (str, int)):
        return value
    return float(value) if plain.is_number(value) else plain.as_text(value)


def _value(value: Any) -> Any:
    """A value of SQLite as a plain one: octets as hexadecimal digits."""
    if isinstance(value, float):
        return (
            plain.number_in(repr(value)) if value == value and abs(value) != float("inf") else None
        )
    return value.hex() if isinstance(value, bytes) else value
