"""Databases that look-ups ask: each question in a thread, on a connection that is kept for the
next; read-only unless it is said otherwise."""

from __future__ import annotations

import asyncio
import sqlite3
import threading
import time
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from itertools import islice
from pathlib import Path
from typing import Any, Protocol

from msgspec import Struct

from saltpath.core import plain
from saltpath.core.lookups.statement import Statement
from saltpath.core.measures import show_duration, show_size
from saltpath.core.why import Blocked, why

MOST_AT_ONCE = 32
LARGEST = 20_000_000
CONNECT_S = 10
PROGRESS_EVERY = 2_000

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


class Databases:
    """The connections of a run. `forbidden`: a folder in which no SQLite file is opened (the
    application's own); `root`: where files are looked for that have no whole path. `first_rows`:
    where there are more rows than are wanted, the first are given."""

    def __init__(
        self, forbidden: Path | None = None, root: Path | None = None, first_rows: bool = False
    ) -> None:
        self._forbidden, self._root, self._first_rows = forbidden, root, first_rows
        self._idle: dict[Place, list[Connection]] = {}
        self._busy: set[Connection] = set()
        self._lock = threading.Lock()
        self._pool: ThreadPoolExecutor | None = None

    async def ask(
        self, name: str, place: Place, asked: Statement, most: int, limit_us: int
    ) -> Rows:
        """The rows. Raises Blocked: with the reason, whatever the database did."""
        if self._pool is None:
            self._pool = ThreadPoolExecutor(MOST_AT_ONCE, thread_name_prefix="look-up")
        loop = asyncio.get_running_loop()
        return await loop.run_in_executor(self._pool, self._ask, name, place, asked, most, limit_us)

    def ask_now(self, name: str, place: Place, asked: Statement, most: int, limit_us: int) -> Rows:
        """The same in the thread that asks, which waits."""
        return self._ask(name, place, asked, most, limit_us)

    def _ask(self, name: str, place: Place, asked: Statement, most: int, limit_us: int) -> Rows:
        while True:
            with self._lock:
                idle = self._idle.setdefault(place, [])
                connection = idle.pop() if idle else None
            fresh = connection is None
            if connection is None:
                connection = self._connect(name, place)
            with self._lock:
                self._busy.add(connection)
            try:
                return self._fit(connection.ask(asked, most, limit_us), most)
            except Blocked as problem:
                if fresh or not connection.broken or place.may_change:
                    raise _named(problem, name) from None
            finally:
                with self._lock:
                    self._busy.discard(connection)
                    if not connection.broken:
                        self._idle.setdefault(place, []).append(connection)
                if connection.broken:
                    connection.close()
            # a connection that was kept may have been closed meanwhile by the other side: once more
            # on a new one

    def _fit(self, rows: Rows, most: int) -> Rows:
        if len(rows) > most and not self._first_rows:
            raise Blocked(why("too-many-rows", database="", most=most))
        return rows[:most]

    def _connect(self, name: str, place: Place) -> Connection:
        try:
            if place.kind == "sqlite":
                return SQLite(place, self._forbidden, self._root)
            from saltpath.engine.postgres import Postgres

            return Postgres(place)
        except Blocked as problem:
            raise _named(problem, name) from None

    def interrupt(self) -> None:
        """End every question that is under way; whoever asked is blocked."""
        with self._lock:
            for connection in self._busy:
                connection.interrupt()

    def close(self) -> None:
        self.interrupt()
        if self._pool is not None:
            self._pool.shutdown(wait=True, cancel_futures=True)
        for several in self._idle.values():
            for connection in several:
                connection.close()
        self._idle.clear()


def _named(problem: Blocked, name: str) -> Blocked:
    return Blocked(why(problem.reason.code, **{**problem.reason.params, "database": name}))


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
