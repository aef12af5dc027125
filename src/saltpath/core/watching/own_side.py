"""Whether it is our own side that does not get through: most hosts that are watched, and they are
different ones, cannot be reached at once; or this machine's gateway does not answer."""

from __future__ import annotations

from collections.abc import Iterator
from ipaddress import IPv4Address

WITHIN_US = 120_000_000
"""What a host did last counts so long."""
FEWEST_HOSTS = 3
"""With fewer, nothing can be told from trouble of theirs."""


class OwnSide:
    """What each host did last. Hosts of this machine are of no account: to them there is no way
    that could be cut."""

    def __init__(self) -> None:
        self._last: dict[str, tuple[int, bool]] = {}

    def heard(self, host: str, at: int, reached: bool) -> None:
        """A run asked a host, at a moment (microseconds); `reached`: something was answered."""
        if is_elsewhere(host):
            self._last[host] = (at, reached)

    def cut(self, now: int) -> bool:
        """Whether most of the hosts that were asked lately could not be reached."""
        recent = [reached for at, reached in self._last.values() if now - at <= WITHIN_US]
        return len(recent) >= FEWEST_HOSTS and 2 * sum(recent) < len(recent)


def is_elsewhere(host: str) -> bool:
    """Whether a host is named that is not this machine."""
    name = host.rpartition("@")[2]
    name = name[1:].partition("]")[0] if name.startswith("[") else name.partition(":")[0]
    return bool(name) and not (name == "localhost" or name.startswith("127.") or name == "::1")


def gateway_is_silent(routes: str, neighbours: str) -> bool:
    """Whether no default gateway answers, by what Linux says in /proc/net/route and /proc/net/arp
    (proc(5)): it was asked for its hardware's address, and there is none. False where that cannot
    be told."""
    said = {fields[0]: int(fields[2], 16) for fields in _rows(neighbours, 3)}
    flags = [said[gateway] for gateway in _gateways(routes) if gateway in said]
    return bool(flags) and not any(flag & _COMPLETE for flag in flags)


_UP_TO_GATEWAY = 0x3
_COMPLETE = 0x2


def _gateways(routes: str) -> Iterator[str]:
    for _, destination, gateway, flags in _rows(routes, 4):
        if int(destination, 16) == 0 and int(flags, 16) & _UP_TO_GATEWAY == _UP_TO_GATEWAY:
            octets = bytes.fromhex(gateway)[::-1]  # in the machine's order, which is little endian
            yield str(IPv4Address(octets))


def _rows(table: str, columns: int) -> Iterator[list[str]]:
    """The first columns of each row below the table's head."""
    for line in table.splitlines()[1:]:
        fields = line.split()
        if len(fields) >= columns:
            yield fields[:columns]
