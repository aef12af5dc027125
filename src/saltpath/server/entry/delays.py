"""How often signing in may be tried. Who fails waits longer each time, counted by the name that was
given and the place that it came from, so that nobody can lock somebody else out: a browser in which
the person signed in before is a place of its own, whatever others try from the same network.

Held in memory: the web server is one process, and one that begins anew forgets.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from hashlib import sha256
from ipaddress import IPv6Address, ip_address

from msgspec import Struct

FREE = 5
"""So many failures cost nothing."""
LONGEST_S = 900.0
FORGOTTEN_S = 3_600.0
MOST_OF_NAME = 100
"""Failures of one name within an hour, from wherever; beyond, only browsers that it is known in and
places that it has signed in from may try."""
MOST_OF_PLACE = 200
"""Failures from one place within an hour, of whatever names."""
MOST_HELD = 50_000

Key = tuple[bytes, str]


class _Failures(Struct):
    number: float
    at: float


class Delays:
    """One per application, safe between threads. `clock` gives monotonic seconds."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._clock, self._lock = clock, threading.Lock()
        self._failures: dict[Key, _Failures] = {}
        self._welcome: dict[Key, float] = {}

    def begin(self, name: str, place: str, known: bool) -> float:
        """A try begins: how many seconds to wait first, 0 for none. It counts as failed until
        `succeeded` is told, so that many at once are no way round. `known`: the place is a browser
        in which they signed in before."""
        key, of_name, of_place = self._keys(name, place)
        with self._lock:
            now = self._clock()
            waits = [self._wait(key, now)]
            if not known:
                limits = [(of_place, MOST_OF_PLACE)]
                if key not in self._welcome:
                    limits.append((of_name, MOST_OF_NAME))
                waits += [self._until_below(which, most, now) for which, most in limits]
            if (longest := max(waits)) > 0:
                return longest
            counted = (key,) if known else (key, of_name, of_place)
            for which in counted:
                self._count(which, now)
            return 0.0

    def succeeded(self, name: str, place: str) -> None:
        key, of_name, of_place = self._keys(name, place)
        with self._lock:
            self._failures.pop(key, None)
            for which in (of_name, of_place):
                if which in self._failures:
                    self._failures[which].number = max(self._failures[which].number - 1, 0)
            self._welcome[key] = self._clock()
            self._forget(self._welcome)

    def _keys(self, name: str, place: str) -> tuple[Key, Key, Key]:
        hashed = sha256(name.encode("utf-8", "surrogatepass")).digest()
        return (hashed, place), (hashed, ""), (b"", place)

    def _wait(self, key: Key, now: float) -> float:
        """Seconds until the next try: 1 behind the last free one, twice as long each time."""
        held = self._failures.get(key)
        if held is None or now - held.at > FORGOTTEN_S or held.number < FREE:
            return 0.0
        wait: float = min(2.0 ** (held.number - FREE), LONGEST_S)
        return max(held.at + wait - now, 0.0)

    def _until_below(self, key: Key, most: int, now: float) -> float:
        held = self._failures.get(key)
        if held is None:
            return 0.0
        left = held.number - (now - held.at) * most / FORGOTTEN_S
        return max(left + 1 - most, 0.0) * FORGOTTEN_S / most

    def _count(self, key: Key, now: float) -> None:
        held = self._failures.setdefault(key, _Failures(0, now))
        if key[0] and key[1]:
            held.number = held.number + 1 if now - held.at <= FORGOTTEN_S else 1
        else:  # of a name or a place in all: what goes by the hour
            most = MOST_OF_PLACE if key[1] else MOST_OF_NAME
            held.number = max(held.number - (now - held.at) * most / FORGOTTEN_S, 0) + 1
        held.at = now
        self._forget(self._failures)

    def _forget(self, held: dict[Key, _Failures] | dict[Key, float]) -> None:
        while len(held) > MOST_HELD:
            held.pop(next(iter(held)))


def place_of(address: str) -> str:
    """The place that an address is: IPv6 networks of 64 bits are one (RFC 6177 gives each site at
    least that)."""
    try:
        found = ip_address(address)
    except ValueError:
        return address
    if isinstance(found, IPv6Address):
        if found.ipv4_mapped:
            return str(found.ipv4_mapped)
        return f"{IPv6Address(int(found) >> 64 << 64)}/64"
    return str(found)
