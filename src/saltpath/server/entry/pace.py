"""What costs much is done for each person, key or address a few times at once, so that nobody takes
all threads of the server."""

from __future__ import annotations

import threading
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager

from saltpath.server.problems import Refused

MOST_AT_ONCE = 6
AGAIN_S = 2


class Pace:
    """One per application, safe between threads."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._busy = Counter[str]()

    @contextmanager
    def turn(self, who: str) -> Iterator[None]:
        """Do something dear. Raises Refused where they do so many such things already."""
        with self._lock:
            if self._busy[who] >= MOST_AT_ONCE:
                told = "So much of yours is being worked on that this has to wait. Try again soon."
                raise Refused(429, "busy", told, retryAfter=AGAIN_S)
            self._busy[who] += 1
        try:
            yield
        finally:
            with self._lock:
                self._busy[who] -= 1
                if not self._busy[who]:
                    del self._busy[who]
