"""A run that is to stop."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from contextvars import ContextVar

cleaning: ContextVar[bool] = ContextVar("cleaning", default=False)
"""Whether what is done here cleans up: a stop gives up nothing of that, and ends none of its
pauses. It is set in each strand for itself (loop.py)."""


class Stop:
    """A request to stop a run: what is under way is given up, but for what cleans up, which still
    runs."""

    def __init__(self) -> None:
        self.by = ""
        self._event = asyncio.Event()
        self._aborts: list[Callable[[], None]] = []

    @property
    def requested(self) -> bool:
        return bool(self.by)

    def request(self, by: str) -> None:
        """Stop now; `by` names who asked."""
        if not self.by:
            self.by = by or "someone"
            self._event.set()
            for abort in self._aborts:
                abort()

    def aborts(self, abort: Callable[[], None]) -> None:
        """Call this, too, when the run is to stop."""
        self._aborts.append(abort)

    async def sleep(self, seconds: float) -> bool:
        """Pause; True if the pause was ended by a stop."""
        if cleaning.get():
            await asyncio.create_task(asyncio.sleep(seconds))
            return False
        return await asyncio.create_task(self._sleep(seconds))

    async def _sleep(self, seconds: float) -> bool:
        try:
            await asyncio.wait_for(self._event.wait(), seconds)
        except TimeoutError:
            return False
        return True
