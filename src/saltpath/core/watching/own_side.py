"""Whether it is our own side that does not get through: most hosts that are watched, and they are
different ones, cannot be reached at once."""

from __future__ import annotations

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
        if host and not _is_here(host):
            self._last[host] = (at, reached)

    def cut(self, now: int) -> bool:
        """Whether most of the hosts that were asked lately could not be reached."""
        recent = [reached for at, reached in self._last.values() if now - at <= WITHIN_US]
        return len(recent) >= FEWEST_HOSTS and 2 * sum(recent) < len(recent)


def _is_here(host: str) -> bool:
    name = host.rpartition("@")[2]
    name = name[1:].partition("]")[0] if name.startswith("[") else name.partition(":")[0]
    return name == "localhost" or name.startswith("127.") or name == "::1"
