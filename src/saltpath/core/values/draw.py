"""Chance that repeats: numbers drawn from a seed and a place, never from the clock or the order of
execution.

The stream is BLAKE2b (RFC 7693) in counter mode over the parts that it is made from. The same parts
give the same numbers on every machine and in every version; a change of this module would change
every tester's data.
"""

from __future__ import annotations

from collections.abc import Sequence
from hashlib import blake2b
from typing import TypeVar

T = TypeVar("T")


class Draw:
    """A stream of numbers made from parts: seed, case key, row, step, place, attempt."""

    __slots__ = ("_counter", "_key", "_pool")

    def __init__(self, *parts: str | int) -> None:
        hasher = blake2b(digest_size=32)
        for part in parts:
            octets = str(part).encode()
            hasher.update(len(octets).to_bytes(4, "big") + octets)
        self._key = hasher.digest()
        self._counter = 0
        self._pool = b""

    def octets(self, count: int) -> bytes:
        """So many random octets."""
        while len(self._pool) < count:
            self._pool += blake2b(
                self._counter.to_bytes(8, "big"), key=self._key, digest_size=64
            ).digest()
            self._counter += 1
        taken, self._pool = self._pool[:count], self._pool[count:]
        return taken

    def below(self, limit: int) -> int:
        """A whole number from 0 up to, and without, `limit`; all are equally likely."""
        size = (limit.bit_length() + 7) // 8
        most = (1 << (8 * size)) // limit * limit
        while True:
            number = int.from_bytes(self.octets(size), "big")
            if number < most:
                return number % limit

    def between(self, low: int, high: int) -> int:
        """A whole number from `low` to `high`, both included."""
        return low + self.below(high - low + 1)

    def of(self, items: Sequence[T]) -> T:
        return items[self.below(len(items))]
