"""The rows of one case: read ahead in a thread, said to be about to begin before they do, handed
out one by one."""

from __future__ import annotations

import asyncio
import logging
import time
from collections import deque
from collections.abc import Awaitable, Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from itertools import islice
from typing import TYPE_CHECKING

from saltpath.core.cases.row_sources import Row, Source
from saltpath.core.references.scopes import Scopes
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.why import Blocked, fault, why

if TYPE_CHECKING:
    from saltpath.core.format.picking import Picks
    from saltpath.core.format.row_kinds import Given

log = logging.getLogger("saltpath.engine")
MOST_AHEAD = 256
Begin = Callable[[int], Awaitable[None]]


class Feed:
    """`next` gives a row, or None when there is none left. `begin(number)` is awaited before a row
    up to that number is handed out, so that whoever records knows which rows may have begun. What
    went wrong while reading stands in `problem`."""

    def __init__(self, rows: Iterator[Row], jobs: int, begin: Begin) -> None:
        self._rows = rows
        self._ready: deque[Row] = deque()
        self._jobs = self._ahead = max(min(jobs, MOST_AHEAD), 1)
        self._begin = begin
        self._filling: asyncio.Task[None] | None = None
        self._over = False
        self._pool = ThreadPoolExecutor(1, thread_name_prefix="rows")
        self._pace = 0.0  # rows a second that are taken while there are any
        self._filled: float | None = (
            None  # when rows came last; since then `_given` were taken, until one was `_missed`
        )
        self._given = 0
        self._missed: float | None = None
        self.problem: Blocked | None = None

    async def next(self) -> Row | None:
        while not self._ready:
            if self._over:
                return None
            if self._missed is None:
                self._missed = time.monotonic()
            if self._filling is None or self._filling.done():
                self._filling = asyncio.create_task(self._fill())
            await self._filling
        row = self._ready.popleft()
        self._given += 1
        if (
            len(self._ready) * 2 < self._ahead
            and not self._over
            and (self._filling is None or self._filling.done())
        ):
            self._filling = asyncio.create_task(self._fill())
        return row

    async def _fill(self) -> None:
        """Read as many rows as will be taken twice over while so many are read and said."""
        wanted, begun = self._ahead, time.monotonic()
        rows = await asyncio.get_running_loop().run_in_executor(self._pool, self._read, wanted)
        if rows:
            await self._begin(rows[-1].number)
        self._ready.extend(rows)
        self._over = self._over or len(rows) < wanted
        now = time.monotonic()
        if self._filled is not None and self._given:
            self._pace = self._given / max((self._missed or now) - self._filled, 0.0001)
        self._filled, self._given, self._missed = now, 0, None
        self._ahead = min(max(self._jobs, int(self._pace * (now - begun) * 2)), MOST_AHEAD)

    def _read(self, wanted: int) -> list[Row]:
        rows: list[Row] = []
        try:
            rows.extend(islice(self._rows, wanted))
        except Blocked as problem:
            self.problem = problem
        except Exception as problem:
            log.exception("a fault of Salt Path's own while rows are read")
            self.problem = Blocked(fault(problem))
        return rows

    def close(self) -> None:
        """No row any more."""
        self._over = True
        self._ready.clear()
        self._pool.shutdown(wait=False)


def rows_of(source: Source, pick: str, given: Given) -> Iterator[Row]:
    """The rows of a source that are meant, by its own picks and by the run's. Raises Blocked while
    they are read: with the reason, also where there is none at all."""
    # for cases with rows
    from saltpath.core.format.picking import read_picks
    from saltpath.core.format.row_kinds import BY_KIND

    own, wanted = read_picks(source.pick), read_picks(pick)
    seen = read = False

    def counted() -> Iterator[Row]:
        nonlocal read
        for row in BY_KIND[source.kind].rows(source, given):
            read = True
            yield row

    try:
        for row in _picked(wanted, lambda: _picked(own, counted, given.scopes), given.scopes):
            seen = True
            yield row
    except Unreadable as problem:
        raise Blocked(
            why("source-unreadable", source=source.title(), problem=str(problem))
        ) from None
    if not seen:
        said = " and ".join(filter(None, (source.pick, pick)))
        code = (
            why("none-picked", source=source.title(), pick=said)
            if read or said
            else why("source-empty", source=source.title())
        )
        raise Blocked(code)


def _picked(picks: Picks, read: Callable[[], Iterator[Row]], scopes: Scopes) -> Iterator[Row]:
    return read() if picks.all else picks.rows(read, scopes)
