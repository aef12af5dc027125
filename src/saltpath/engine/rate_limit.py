"""How many requests one host gets at once, and how many in a second, where options say so."""

from __future__ import annotations

import asyncio
from collections import deque

from msgspec import Struct, field

from saltpath.engine.stop import cleaning


class _Host(Struct):
    under_way: int = 0
    next_at: float = 0.0
    waiting: deque[asyncio.Future[None]] = field(default_factory=deque)


class RateLimiter:
    """Of one run. `begin` waits for a request's turn, `end` makes room for the next; `abort` ends
    all waiting with the error given, but for what cleans up."""

    def __init__(self) -> None:
        self._loop = asyncio.get_running_loop()
        self._hosts: dict[str, _Host] = {}
        self._sleeping: set[asyncio.Future[None]] = set()
        self._spared: set[asyncio.Future[None]] = set()

    async def begin(self, host: str, at_once: int | None, per_second: float | None) -> None:
        """Wait until this host may get one more request."""
        state = self._hosts.setdefault(host, _Host())
        if at_once is not None:
            while state.under_way >= at_once:
                turn = self._awaited()
                state.waiting.append(turn)
                try:
                    await turn
                finally:
                    self._spared.discard(turn)
        state.under_way += 1
        if per_second is not None:
            now = self._loop.time()
            at = max(now, state.next_at)
            state.next_at = at + 1 / per_second
            if at > now:
                try:
                    await self._sleep(at - now)
                except BaseException:
                    self.end(host)
                    raise

    async def _sleep(self, seconds: float) -> None:
        over = self._awaited()
        self._sleeping.add(over)
        timer = self._loop.call_later(seconds, _settle, over)
        try:
            await over
        finally:
            timer.cancel()
            self._sleeping.discard(over)
            self._spared.discard(over)

    def _awaited(self) -> asyncio.Future[None]:
        future: asyncio.Future[None] = self._loop.create_future()
        if cleaning.get():
            self._spared.add(future)
        return future

    def end(self, host: str) -> None:
        """A request has ended."""
        state = self._hosts[host]
        state.under_way -= 1
        while state.waiting:
            turn = state.waiting.popleft()
            if not turn.done():
                turn.set_result(None)
                return

    def abort(self, error: BaseException, every: bool) -> None:
        """Nobody waits any more, but for what cleans up, or `every` one."""
        spared = set[asyncio.Future[None]]() if every else self._spared
        waiting = [turn for state in self._hosts.values() for turn in state.waiting]
        for turn in {*waiting, *self._sleeping} - spared:
            if not turn.done():
                turn.set_exception(error)
        for state in self._hosts.values():
            state.waiting = deque(turn for turn in state.waiting if turn in spared)


def _settle(over: asyncio.Future[None]) -> None:
    if not over.done():
        over.set_result(None)
