"""Known forms of text, for `format:`, `[?date]` and JSON Schema's `format`. A table, each with an example that holds."""

from __future__ import annotations

import ipaddress
import re
from collections.abc import Callable
from datetime import date, datetime, time
from typing import NamedTuple
from urllib.parse import urlsplit


class Format(NamedTuple):
    """`holds(text)`; `source` is the standard that says how it is written."""

    name: str
    source: str
    example: str
    holds: Callable[[str], bool]


_DATE = re.compile(r"\d{4}-\d{2}-\d{2}", re.ASCII)
_TIME = re.compile(r"\d{2}:\d{2}:\d{2}(\.\d+)?([Zz]|[+-]\d{2}:\d{2})", re.ASCII)
_DURATION = re.compile(r"P(?!$)(\d+W|(\d+Y)?(\d+M)?(\d+D)?(T(?!$)(\d+H)?(\d+M)?(\d+(\.\d+)?S)?)?)", re.ASCII)
_UUID = re.compile(r"[0-9a-fA-F]{8}-([0-9a-fA-F]{4}-){3}[0-9a-fA-F]{12}")
_LOCAL = re.compile(r"[^\s@\"(),:;<>\[\\\]\x00-\x1f.]+(\.[^\s@\"(),:;<>\[\\\]\x00-\x1f.]+)*")
_LABEL = re.compile(r"(?!-)[A-Za-z0-9-]{1,63}(?<!-)")
_URI = re.compile(r"[A-Za-z][A-Za-z0-9+.-]*:[^\s<>\"{}|\\^`\x00-\x20\x7f-\uffff]*")
_REFERENCE = re.compile(r"[^\s<>\"{}|\\^`\x00-\x20\x7f-\uffff]*")
_POINTER = re.compile(r"(/([^~/]|~[01])*)*")
_BASE64 = re.compile(r"([A-Za-z0-9+/]{4})*([A-Za-z0-9+/]{2}==|[A-Za-z0-9+/]{3}=)?")


def _date(text: str) -> bool:
    try:
        return _DATE.fullmatch(text) is not None and date.fromisoformat(text) is not None
    except ValueError:
        return False


def _time(text: str) -> bool:
    if not _TIME.fullmatch(text):
        return False
    try:
        time.fromisoformat(text[:8].replace(":60", ":59"))
        datetime.fromisoformat(f"2026-01-01T00:00:00{re.sub(r'^[^Zz+-]*', '', text).upper().replace('Z', '+00:00')}")
    except ValueError:
        return False
    return True


def _date_time(text: str) -> bool:
    return len(text) > 10 and text[10] in "Tt" and _date(text[:10]) and _time(text[11:])


def _email(text: str) -> bool:
    local, at, host = text.rpartition("@")
    return bool(at) and len(local) <= 64 and _LOCAL.fullmatch(local) is not None and _hostname(host)


def _hostname(text: str) -> bool:
    return 0 < len(text) <= 253 and all(_LABEL.fullmatch(label) for label in text.split("."))


def _uri(text: str) -> bool:
    if not _URI.fullmatch(text):
        return False
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
        ("hostname", "RFC 1123", "fernholm.example", _hostname),
        ("uri", "RFC 3986", "http://fernholm.example/berths", _uri),
        ("uri-reference", "RFC 3986", "/berths/E4", _matching(_REFERENCE)),
        ("ipv4", "RFC 2673", "127.0.0.1", _ip(4)),
        ("ipv6", "RFC 4291", "::1", _ip(6)),
        ("json-pointer", "RFC 6901", "/fee/total", _matching(_POINTER)),
        ("regex", "Python's syntax", "^PC-[0-9]+$", _pattern),
        ("base64", "RFC 4648", "c2FsdA==", _matching(_BASE64)),
    )
}
