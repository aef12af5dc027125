"""One request and its answer as they went over the wire, with times."""

from __future__ import annotations

from collections.abc import Sequence
from urllib.parse import urlsplit

import msgspec

from saltpath.core.answers.answer import headers_of
from saltpath.core.values.why import Why

REDIRECTS = frozenset([301, 302, 303, 307, 308])
"""The statuses that lead on, where the answer says where to (RFC 9110, 15.4)."""

_USUAL_PORTS = {"http": 80, "https": 443}
MASK = "●●●"
"""What stands in the place of a secret value wherever an exchange is kept or shown."""


class Times(msgspec.Struct, frozen=True, gc=False, array_like=True):
    """Microseconds of each phase, as libcurl measured them; `total` is their sum and what lies
    between."""

    lookup: int = 0
    connect: int = 0
    tls: int = 0
    waiting: int = 0
    receiving: int = 0
    total: int = 0


class Exchange(msgspec.Struct, frozen=True, gc=False):
    """`sent_head` and `received_head` are the exact bytes, status line and headers included (a
    folded line of the answer's is one). `raw_body` is as received, `body` decoded. `why` says why
    it could not be carried out (None: an answer of some status came). `begun_us`: UTC,
    microseconds."""

    method: str
    address: str
    sent_head: bytes
    sent_body: bytes
    status: int
    received_head: bytes
    raw_body: bytes
    body: bytes
    times: Times
    begun_us: int
    reused: bool = False
    resent: bool = False
    why: Why | None = None

    @property
    def headers(self) -> list[tuple[str, str]]:
        """The answer's header lines in order, names as they came."""
        return headers_of(self.received_head)


def origin_of(address: str) -> tuple[str, str, int | None]:
    """Scheme, host and port (RFC 6454, 4). Raises ValueError."""
    parts = urlsplit(address)
    return parts.scheme, parts.hostname or "", parts.port or _USUAL_PORTS.get(parts.scheme)


def led_here(exchanges: Sequence[Exchange]) -> tuple[bytes, ...]:
    """The heads of the redirects right before the last of a step's exchanges, the latest first."""
    found: list[bytes] = []
    if exchanges[-1].status in REDIRECTS:  # not followed
        return ()
    for exchange in reversed(exchanges[:-1]):
        if exchange.status not in REDIRECTS:
            break
        found.append(exchange.received_head)
    return tuple(found)
