"""Who has a case open right now. Held in memory: it is worth nothing after a restart, and tabs say
it anew every few seconds."""

from __future__ import annotations

import threading
import time

from msgspec import Struct

FORGOTTEN_S = 15.0
MOST_TABS = 2_000


class Tab(Struct, frozen=True):
    """A browser's tab: whose it is, and the key of the step in focus."""

    person: str
    name: str
    step: str
    at: float


class Presence:
    """Tabs by case. Safe between threads."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._tabs: dict[tuple[str, str], Tab] = {}

    def enter(self, case: str, tab: str, person: str, name: str, step: str) -> list[Tab]:
        """Note a tab, and give the others that have the case open."""
        now = time.monotonic()
        with self._lock:
            self._tabs = {
                place: seen for place, seen in self._tabs.items() if now - seen.at < FORGOTTEN_S
            }
            if len(self._tabs) < MOST_TABS or (case, tab) in self._tabs:
                self._tabs[case, tab] = Tab(person, name, step, now)
            return [
                seen for (other, key), seen in self._tabs.items() if other == case and key != tab
            ]

    def leave(self, case: str, tab: str) -> None:
        with self._lock:
            self._tabs.pop((case, tab), None)
