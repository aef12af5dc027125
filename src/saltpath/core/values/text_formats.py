"""Known forms of text, for `format:`, `[?date]` and JSON Schema's `format`. A table, each with an
example that holds."""

from __future__ import annotations

import ipaddress
import re
from collections.abc import Callable
from datetime import date
from typing import NamedTuple
from urllib.parse import urlsplit


class Format(NamedTuple):
    """`holds(text)`; `source` is the standard that says how it is written."""

    name: str
    source: str
    example: str
    holds: Callable[[str], bool]


_DATE = re.compile(r"\d{4}-\d{2}-\d{2}", re.ASCII)
_TIME = re.compile(r"(\d{2}):(\d{2}):(\d{2})(?:\.\d+)?(?:[Zz]|([+-])(\d{2}):(\d{2}))", re.ASCII)
_DAY = 24 * 60
_DURATION = re.compile(
    r"P(?!$)(\d+W|(\d+Y)?(\d+M)?(\d+D)?(T(?!$)(\d+H)?(\d+M)?(\d+(\.\d+)?S)?)?)", re.ASCII
)
_UUID = re.compile(r"[0-9a-fA-F]{8}-([0-9a-fA-F]{4}-){3}[0-9a-fA-F]{12}")
_LOCAL = re.compile(r"[^\s@\"(),:;<>\[\\\]\x00-\x1f.]+(\.[^\s@\"(),:;<>\[\\\]\x00-\x1f.]+)*")
_LOCAL_ANY = re.compile(_LOCAL.pattern.replace("\\x00-\\x1f", "\\x00-\\x1f\\x7f-\\x9f"))
_QUOTED = re.compile(r'"(?:[\x20\x21\x23-\x5b\x5d-\x7e]|\\[\x20-\x7e])*"')
"""A local part in quotation marks (RFC 5321, 4.1.2)."""
_OTHER_POINTS = re.compile("[\u3002\uff0e\uff61]")
"""What divides labels in other scripts, beside the full stop (RFC 3490, 3.1)."""
_LABEL = re.compile(r"(?!-)[A-Za-z0-9-]{1,63}(?<!-)")
_SCHEME = "[A-Za-z][A-Za-z0-9+.-]*:"
_IN_URI = r"[!#-;=?-\[\]_a-z~]*"
"""Visible ASCII but what RFC 3986 leaves out: quotation mark, angle and curly brackets, backslash,
circumflex, grave, bar."""
_IN_IRI = r"[^\s<>\"{}|\\^`\x00-\x20\x7f-\x9f]*"
_URI = re.compile(_SCHEME + _IN_URI)
_REFERENCE = re.compile(_IN_URI)
_IRI = re.compile(_SCHEME + _IN_IRI)
_IRI_REFERENCE = re.compile(_IN_IRI)
_TEMPLATE = re.compile(
    r"(?:[^\x00-\x20\"'<>\\^`{|}%]|%[0-9A-Fa-f]{2}"
    r"|\{[+#./;?&=,!@|]?(?:[\w.]|%[0-9A-Fa-f]{2})+(?:\*|:[1-9]\d{0,3})?"
    r"(?:,(?:[\w.]|%[0-9A-Fa-f]{2})+(?:\*|:[1-9]\d{0,3})?)*\})*",
    re.ASCII,
)
_RELATIVE = re.compile(r"(?:0|[1-9][0-9]*)(?:[+-](?:0|[1-9][0-9]*))?(?:#|(?:/(?:[^~/]|~[01])*)*)")
_POINTER = re.compile(r"(/([^~/]|~[01])*)*")
_BASE64 = re.compile(r"([A-Za-z0-9+/]{4})*([A-Za-z0-9+/]{2}==|[A-Za-z0-9+/]{3}=)?")


def _date(text: str) -> bool:
    try:
        return _DATE.fullmatch(text) is not None and date.fromisoformat(text) is not None
    except ValueError:
        return False


def _time(text: str) -> bool:
    """RFC 3339, 5.6; a second of 60 only where a leap second can be, just before midnight in UTC
    (5.7)."""
    found = _TIME.fullmatch(text)
    if found is None:
        return False
    hour, minute, second, sign, hours_off, minutes_off = found.groups(default="0")
    off = 60 * int(hours_off) + int(minutes_off)
    if (
        int(hour) > 23
        or int(minute) > 59
        or int(second) > 60
        or int(hours_off) > 23
        or int(minutes_off) > 59
    ):
        return False
    in_utc = 60 * int(hour) + int(minute) + (off if sign == "-" else -off)
    return int(second) < 60 or in_utc % _DAY == _DAY - 1


def _date_time(text: str) -> bool:
    return len(text) > 10 and text[10] in "Tt" and _date(text[:10]) and _time(text[11:])


def _email(text: str) -> bool:
    return _mail_address(text, _LOCAL, _hostname)


def _idn_email(text: str) -> bool:
    """RFC 6531: as `email`, with letters of any script."""
    return _mail_address(text, _LOCAL_ANY, _idn_hostname)


def _mail_address(text: str, local: re.Pattern[str], host: Callable[[str], bool]) -> bool:
    before, at, after = text.rpartition("@")
    if not at or len(before.encode("utf-8", "surrogatepass")) > 64:
        return False
    if not local.fullmatch(before) and not _QUOTED.fullmatch(before):
        return False
    return (
        _ip_literal(after[1:-1]) if after.startswith("[") and after.endswith("]") else host(after)
    )


def _ip_literal(text: str) -> bool:
    """RFC 5321, 4.1.3."""
    tag, is_6, address = text.partition(":")
    return _ip(6)(address) if is_6 and tag.lower() == "ipv6" else _ip(4)(text)


def _hostname(text: str) -> bool:
    return 0 < len(text) <= 253 and all(_LABEL.fullmatch(label) for label in text.split("."))


def _idn_hostname(text: str) -> bool:
    """RFC 5890: each label as IDNA 2008 allows it."""
    import idna

    try:
        return bool(idna.encode(_OTHER_POINTS.sub(".", text), strict=True))
    except (idna.IDNAError, UnicodeError):
        return False


def _iri(text: str) -> bool:
    """RFC 3987: a URI with letters of any script."""
    return _IRI.fullmatch(text) is not None and _is_address(text)


def _uri(text: str) -> bool:
    return _URI.fullmatch(text) is not None and _is_address(text)


def _is_address(text: str) -> bool:
    try:
        parts = urlsplit(text)
        return parts.scheme not in ("http", "https") or bool(parts.hostname and parts.port != 0)
    except ValueError:
        return False


def _ip(version: int) -> Callable[[str], bool]:
    def holds(text: str) -> bool:
        try:
            return ipaddress.ip_address(text).version == version and "%" not in text
        except ValueError:
            return False

    return holds


def _pattern(text: str) -> bool:
    try:
        re.compile(text)
    except re.error:
        return False
    return True


def _matching(pattern: re.Pattern[str]) -> Callable[[str], bool]:
    return lambda text: pattern.fullmatch(text) is not None


FORMATS: dict[str, Format] = {
    name: Format(name, source, example, holds)
    for name, source, example, holds in (
        ("date", "RFC 3339", "2026-11-23", _date),
        ("time", "RFC 3339", "08:12:04Z", _time),
        ("date-time", "RFC 3339", "2026-11-23T08:12:04+01:00", _date_time),
        ("duration", "ISO 8601", "P3DT4H", _matching(_DURATION)),
        ("uuid", "RFC 9562", "5f0c1b7e-6a2d-4c8e-9b1f-3d7a2e4c6b80", _matching(_UUID)),
        ("email", "RFC 5321", "desk@fernholm.example", _email),
        ("idn-email", "RFC 6531", "büro@fernholm.example", _idn_email),
        ("hostname", "RFC 1123", "fernholm.example", _hostname),
        ("idn-hostname", "RFC 5890", "häfen.example", _idn_hostname),
        ("uri", "RFC 3986", "http://fernholm.example/berths", _uri),
        ("uri-reference", "RFC 3986", "/berths/E4", _matching(_REFERENCE)),
        ("iri", "RFC 3987", "http://fernholm.example/liegeplätze", _iri),
        ("iri-reference", "RFC 3987", "/liegeplätze", _matching(_IRI_REFERENCE)),
        ("uri-template", "RFC 6570", "/berths/{name}", _matching(_TEMPLATE)),
        ("ipv4", "RFC 2673", "127.0.0.1", _ip(4)),
        ("ipv6", "RFC 4291", "::1", _ip(6)),
        ("json-pointer", "RFC 6901", "/fee/total", _matching(_POINTER)),
        ("relative-json-pointer", "Relative JSON Pointers", "1/total", _matching(_RELATIVE)),
        ("regex", "Python's syntax", "^PC-[0-9]+$", _pattern),
        ("base64", "RFC 4648", "c2FsdA==", _matching(_BASE64)),
    )
}


def is_web_address(text: str) -> bool:
    """Whether something could be sent there over HTTP."""
    try:
        parts = urlsplit(text)
        return (
            parts.scheme in ("http", "https")
            and bool(parts.hostname)
            and (parts.port is None or parts.port > 0)
            and text.isascii()
            and text.isprintable()
            and " " not in text
        )
    except ValueError:
        return False
