"""What an answer says besides its body, as subjects with their values: status, times, size, type,
headers, cookies.

They are pointed at and handed over like places of the body.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from saltpath.core.answers.answer import Answer
from saltpath.core.answers.subjects import UNITS, is_read

USUAL = frozenset(
    "accept-ranges access-control-allow-origin age alt-svc cache-control connection "
    "content-encoding content-length"
    " content-security-policy content-type date expires keep-alive last-modified "
    "permissions-policy referrer-policy"
    " server set-cookie strict-transport-security transfer-encoding vary via".split()
)
"""Headers, in small letters, that say nothing of the thing that was asked for."""


def facts_of(answer: Answer) -> Iterator[tuple[str, Any, str]]:
    """Subject, value and its unit (`duration` in microseconds, `size` in bytes, or empty), in the
    order in which they are told; of headers those that speak of the thing that was asked for, each
    with its first value. What has a name that no subject can hold is left out."""
    yield "status", answer.status, ""
    headers = answer.headers
    told = set(USUAL)
    for name, value in headers:
        if name.lower() not in told and is_read(f"header {name}"):
            told.add(name.lower())
            yield f"header {name}", value, ""
    for name, value in headers:
        if name.lower() == "set-cookie":
            cookie, _, rest = value.partition("=")
            if is_read(f"cookie {cookie.strip()}"):
                yield f"cookie {cookie.strip()}", rest.partition(";")[0].strip(), ""
    if answer.media_type:
        yield "type", answer.media_type, ""
    yield "time", answer.time_us, UNITS["time"]
    yield "size", len(answer.body), UNITS["size"]
