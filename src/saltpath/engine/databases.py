"""Databases that look-ups ask: each question in a thread, on a connection that is kept for the
next; read-only unless it is said otherwise."""

from __future__ import annotations

import asyncio
import threading
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from saltpath.core.cases.statement import Statement
from saltpath.core.running.reach import Reach
from saltpath.core.values.why import Blocked, why
from saltpath.engine.connections import Connection, Place, Rows
from saltpath.engine.stop import cleaning

MOST_AT_ONCE = 32


class Databases:
    """The connections of a run. `forbidden`: a folder in which no SQLite file is opened (the
    application's own); `root`: where files are looked for that have no whole path. `first_rows`:
    where there are more rows than are wanted, the first are given; `reach`: where servers may
    be."""

    def __init__(
        self,
        forbidden: Path | None = None,
        root: Path | None = None,
        first_rows: bool = False,
        reach: Reach | None = None,
    ) -> None:
        self._forbidden, self._root, self._first_rows = forbidden, root, first_rows
        self._reach = reach
        self._idle: dict[Place, list[Connection]] = {}
        self._busy: dict[Connection, bool] = {}  # and whether that cleans up
        self._lock = threading.Lock()
        self._pool: ThreadPoolExecutor | None = None

    async def ask(
        self, name: str, place: Place, asked: Statement, most: int, limit_us: int
    ) -> Rows:
        """The rows. Raises Blocked: with the reason, whatever the database did."""
        if self._pool is None:
            self._pool = ThreadPoolExecutor(MOST_AT_ONCE, thread_name_prefix="look-up")
        loop = asyncio.get_running_loop()
        cleans = cleaning.get()
        return await loop.run_in_executor(
            self._pool, self._ask, name, place, asked, most, limit_us, cleans
        )

    def ask_now(self, name: str, place: Place, asked: Statement, most: int, limit_us: int) -> Rows:
        """The same in the thread that asks, which waits."""
        return self._ask(name, place, asked, most, limit_us)

    def _ask(
        self,
        name: str,
        place: Place,
        asked: Statement,
        most: int,
        limit_us: int,
        cleans: bool = False,
    ) -> Rows:
        while True:
            with self._lock:
                idle = self._idle.setdefault(place, [])
                connection = idle.pop() if idle else None
            fresh = connection is None
            if connection is None:
                connection = self._connect(name, place)
            with self._lock:
                self._busy[connection] = cleans
            try:
                return self._fit(connection.ask(asked, most, limit_us), most)
            except Blocked as problem:
                if fresh or not connection.broken or place.may_change:
                    raise _named(problem, name) from None
            finally:
                with self._lock:
                    self._busy.pop(connection, None)
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
                from saltpath.engine.sqlite import SQLite

                return SQLite(place, self._forbidden, self._root)
            from saltpath.engine.postgres import Postgres

            return Postgres(place, self._reach)
        except Blocked as problem:
            raise _named(problem, name) from None

    def interrupt(self, every: bool = False) -> None:
        """End the questions that are under way, but for those that clean up, or `every` one;
        whoever asked is blocked."""
        with self._lock:
            for connection, cleans in self._busy.items():
                if every or not cleans:
                    connection.interrupt()

    def close(self) -> None:
        self.interrupt(every=True)
        if self._pool is not None:
            self._pool.shutdown(wait=True, cancel_futures=True)
        for several in self._idle.values():
            for connection in several:
                connection.close()
        self._idle.clear()


def _named(problem: Blocked, name: str) -> Blocked:
    return Blocked(why(problem.reason.code, **{**problem.reason.params, "database": name}))
