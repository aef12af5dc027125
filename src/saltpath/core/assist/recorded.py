"""A recorded session: its exchanges as they were read, and which of them led to which.

Which values one answer hands to later requests: `handed_over`; which exchanges a test is about:
`recorded_story`.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any
from urllib.parse import urljoin

from msgspec import Struct, field

from saltpath.core.answers.exchange import REDIRECTS

_PAGES = ("text/html", "application/xhtml+xml")

Pairs = tuple[tuple[str, str], ...]


class Recorded(Struct, frozen=True):
    """One exchange of a recording, as it was read."""

    number: int
    step: Mapping[str, Any]
    """Its request, as a step's document."""
    method: str
    address: str
    status: int
    """0: never answered."""
    media_type: str = ""
    body: bytes = b""
    kind: str = ""
    """What the browser called it, in small letters."""
    location: str = ""
    """Where the answer led to."""
    headers: Mapping[str, str] = field(default_factory=dict)
    """The request's, names in small letters."""
    answered: Pairs = ()
    """The answer's headers, names in small letters."""
    cookies_sent: Pairs = ()
    cookies_set: Pairs = ()
    body_missing: str = ""
    """What kind of body was sent that the recording does not hold; empty if it holds it, or there
    was none."""

    @property
    def is_page(self) -> bool:
        return self.media_type in _PAGES

    @property
    def target(self) -> str:
        """Where a redirect led to; empty for any other answer."""
        if self.status not in REDIRECTS or not self.location:
            return ""
        return urljoin(self.address, self.location).partition("#")[0]


def heads_of(entries: Iterable[Recorded]) -> dict[int, int]:
    """By number of each exchange, the one that leads to it by itself, through one redirect or
    several: itself without any."""
    heads: dict[int, int] = {}
    led: tuple[int, str] | None = None
    for entry in entries:
        followed = led is not None and entry.method == "GET" and entry.address == led[1]
        heads[entry.number] = led[0] if followed and led else entry.number
        led = (heads[entry.number], entry.target) if entry.target else None
    return heads


def ends_with(entries: Sequence[Recorded]) -> dict[int, Recorded]:
    """By number of each exchange, the one that it ends with when its redirects are followed: itself
    without any."""
    ends = {entry.number: entry for entry in entries}
    led: list[tuple[int, str]] = []
    for entry in entries:
        led = [
            (number, entry.target)
            for number, target in led
            if entry.method == "GET" and entry.address == target
        ]
        for number, _ in led:
            ends[number] = entry
        led = [
            (number, target) for number, target in [*led, (entry.number, entry.target)] if target
        ]
    return ends
