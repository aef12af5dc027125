"""Requests that wait for something to happen: so many at once, each holding one of the server's
threads."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager

from saltpath.server.live import Watcher

MOST = 32


class Waiting:
    """One per application."""

    def __init__(self, watcher: Watcher) -> None:
        self._watcher = watcher
        self._lock = threading.Lock()
        self._taken = 0

    @contextmanager
    def place(self) -> Iterator[bool]:
        """A place among those that wait; False if all are taken, and then nobody may wait."""
        with self._lock:
            placed = self._taken < MOST
            self._taken += placed
        try:
            yield placed
        finally:
            with self._lock:
                self._taken -= placed

    def changed(self, seen: int, seconds: float) -> int:
        """Wait until the database is another than the one that was `seen`, at most so long; the
        one that it is now."""
        self._watcher.begin()
        return self._watcher.wait(seen, seconds)
