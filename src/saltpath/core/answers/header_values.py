"""Values of an answer's headers, as far as they can be read. A header that cannot is as if it were
not there, and is said.

Numbers are ASCII digits and no more than matter: `²` is a digit to Python and none to HTTP, and
5,000 of them are no number.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from datetime import UTC, datetime
from urllib.parse import urljoin, urlsplit

from saltpath.core.values.charsets import codec_of
from saltpath.core.values.why import Why, why

MOST_SECONDS = 10**9
_AGE = re.compile(r"-?[0-9]{1,20}")
_SECONDS = re.compile(r"[0-9]{1,20}")
_CHARSET = re.compile(r";[ \t]*charset[ \t]*=[ \t]*[\"']?([^;\"']*)", re.IGNORECASE)
_LONGEST_DATE = 100
_LONGEST_SHOWN = 200


def max_age_of(text: str) -> int | None:
    """Seconds of a cookie's Max-Age (RFC 6265, 5.2.2), at most 10^9; None where it cannot be
    read."""
    return min(int(text), MOST_SECONDS) if _AGE.fullmatch(text) else None


def moment_of(text: str) -> datetime | None:
    """A cookie's Expires, with its zone; None where it cannot be read."""
    if len(text) > _LONGEST_DATE or not text.isascii():
        return None
    try:
        from email.utils import parsedate_to_datetime  # slow to load, and few cookies have a date

        moment = parsedate_to_datetime(text.replace("-", " "))
        moment = moment if moment.tzinfo else moment.replace(tzinfo=UTC)
        moment.timestamp()
    except (ValueError, TypeError, IndexError, OverflowError):
        return None
    return moment


def retry_after_of(text: str) -> float | None:
    """Seconds of a Retry-After (RFC 9110, 10.2.3); None where it cannot be read, or is a date."""
    return float(min(int(text), MOST_SECONDS)) if _SECONDS.fullmatch(text) else None


def location_of(base: str, text: str) -> str | None:
    """The whole address that a Location leads to from `base` (RFC 3986, 5), without its fragment;
    None where it cannot be read."""
    try:
        address = urljoin(base, text).partition("#")[0]
        parts = urlsplit(address)
        return address if parts.port or parts.hostname or parts.scheme else None
    except ValueError:
        return None


def attributes_of(cookie: str) -> dict[str, str]:
    """The attributes of a Set-Cookie by their names in lower case; the last of a name counts (RFC
    6265, 5.3)."""
    _, *attributes = cookie.split(";")
    return {
        key.strip().lower(): item.strip()
        for key, _, item in (part.partition("=") for part in attributes)
    }


def passed_over(address: str, headers: Iterable[tuple[str, str]]) -> list[Why]:
    """Of an answer from an address, what of its headers could not be read and was passed over."""
    found: list[Why] = []

    def note(name: str, value: str) -> None:
        found.append(why("header-unread", name=name, value=value[:_LONGEST_SHOWN]))

    for name, value in headers:
        kind = name.lower()
        if kind == "set-cookie":
            given = attributes_of(value)
            if given.get("max-age") and max_age_of(given["max-age"]) is None:
                note("Set-Cookie’s Max-Age", given["max-age"])
            elif given.get("expires") and moment_of(given["expires"]) is None:
                note("Set-Cookie’s Expires", given["expires"])
        elif kind == "location" and location_of(address, value) is None:
            note("Location", value)
        elif kind == "retry-after" and retry_after_of(value) is None and moment_of(value) is None:
            note("Retry-After", value)
        elif kind == "content-type":
            charset = _CHARSET.search(value)
            if charset and codec_of(charset[1].strip()) is None:
                note("Content-Type’s charset", charset[1])
    return found
