"""What was worked out of stored cases, remembered: a version of a case never changes, so nothing
remembered of it grows old."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

V = TypeVar("V")


class VersionCache(Generic[V]):
    """By the id of a case or document and its version, this with whatever else it depends on; the
    `most` used last stay. For threads."""

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


class LruCache(Generic[V]):
    """By a name the newest of what was made under it, as long as that is of the same version; the
    last `most` bytes asked for stay. For threads."""

    def __init__(self, most: int, size: Callable[[V], int]) -> None:
        self._most, self._size = most, size
        self._lock = threading.Lock()
        self._known: OrderedDict[str, tuple[Hashable, V]] = OrderedDict()
        self._held = 0

    def of(self, name: str, version: Hashable, make: Callable[[], V]) -> V:
        """What is remembered, or else made now; two threads may make it at once."""
        with self._lock:
            known = self._known.get(name)
            if known is not None and known[0] == version:
                self._known.move_to_end(name)
                return known[1]
        value = make()
        with self._lock:
            before = self._known.pop(name, None)
            self._held += self._size(value) - (self._size(before[1]) if before else 0)
            self._known[name] = (version, value)
            while self._held > self._most and len(self._known) > 1:
                self._held -= self._size(self._known.popitem(last=False)[1][1])
        return value
