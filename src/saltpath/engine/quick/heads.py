"""What libcurl will send as the head of a request, known from what it sent before.

To be told each head as it goes out, libcurl must be asked for all that it has to say, which costs a
tenth of an exchange. So the head of a request without a body, over plain HTTP, is learned the first
time, and then put together: nothing in it depends on anything but its method, its target, its host
and its header lines. How many bytes went out (CURLINFO_REQUEST_SIZE) tells whether, and how often,
it was sent.
"""

from __future__ import annotations

import re

from saltpath.core.cases.options import Options
from saltpath.core.running.prepare import Prepared

_MOST = 512
_PLAIN = re.compile(r"(http://[A-Za-z0-9._:\[\]-]+)(/[A-Za-z0-9._~:/?@!$&'()*+,;=-]*)")
_Key = tuple[str, str, tuple[tuple[str, str], ...]]


class Heads:
    """The heads of one client's requests: what follows the target, by method, host and header
    lines."""

    def __init__(self) -> None:
        self._after: dict[_Key, bytes] = {}

    def expected(self, prepared: Prepared, options: Options) -> bytes | None:
        """The head as it will be sent; None if that is not known."""
        parts = _parts(prepared, options)
        after = self._after.get(parts[0]) if parts else None
        return parts[1] + after if parts and after is not None else None

    def learn(self, prepared: Prepared, options: Options, head: bytes) -> bool:
        """Take a head that was sent once, as a whole. False if later ones cannot be told from
        it."""
        parts = _parts(prepared, options)
        if parts is None or not head.startswith(parts[1] + b" HTTP/1.1\r\n"):
            return False
        if len(self._after) >= _MOST:
            self._after.clear()
        self._after[parts[0]] = head[len(parts[1]) :]
        return True


def _parts(prepared: Prepared, options: Options) -> tuple[_Key, bytes] | None:
    """What the rest of the head depends on, and its beginning up to the target; None for what is
    not foretold."""
    if prepared.body is not None or (options.proxy is not None and options.proxy.text):
        return None
    plain = _PLAIN.fullmatch(prepared.address)
    if plain is None:
        return None
    return (prepared.method, plain[1], prepared.headers), f"{prepared.method} {plain[2]}".encode()


def sent_of(expected: bytes, size: int) -> list[bytes]:
    """The heads that so many bytes are: one, several where it was sent again, none, or the
    beginning of one."""
    whole, rest = divmod(size, len(expected))
    return [expected] * whole + ([expected[:rest]] if rest else [])
