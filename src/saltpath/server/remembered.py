"""What was worked out of stored cases, remembered: a version of a case never changes, so nothing remembered of it grows old."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

V = TypeVar("V")


class ByVersion(Generic[V]):
    """By a case's id and version, this with whatever else it depends on; the `most` used last stay. For threads."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._lock = threading.Lock()
        self._known: OrderedDict[tuple[str, Hashable], V] = OrderedDict()

    def of(self, oid: str, version: Hashable, make: Callable[[], V]) -> V:
        """What is remembered, or else made now; two threads may make it at once."""
        with self._lock:
            if (oid, version) in self._known:
                self._known.move_to_end((oid, version))
                return self._known[oid, version]
        return self.put(oid, version, make())

    def put(self, oid: str, version: Hashable, value: V) -> V:
        with self._lock:
            self._known[oid, version] = value
            while len(self._known) > self._most:
                self._known.popitem(last=False)
        return value
