"""Dates and moments as text: read, shifted by calendar units, written in a pattern.

A date is `2026-11-23`; a moment is RFC 3339 (`2026-11-23T08:12:04.120Z`), the same without a zone
(then it stands in the project's), or an HTTP date (RFC 9110, 5.6.7), as headers carry them.
"""

from __future__ import annotations

import calendar
import re
from datetime import UTC, date, datetime, timedelta, tzinfo
from functools import lru_cache
from typing import Any

from msgspec import Struct

from saltpath.core.values.errors import SaltPathError

_DATE = re.compile(r"\d{4}-\d{2}-\d{2}")
_MOMENT = re.compile(
    r"(\d{4}-\d{2}-\d{2})[Tt "
    r"](\d{2}:\d{2}(?::\d{2})?)(?:[.,](\d{1,9}))?\s?([Zz]|[+-]\d{2}:?\d{2})?",
    re.ASCII,
)
_HTTP = re.compile(r"[A-Z][a-z]+, \d{2}[ -][A-Z][a-z]{2}[ -]\d{2,4} \d{2}:\d{2}:\d{2} GMT")
_SHIFT = re.compile(r"([+-])?\s*(\d+(?:\.\d+)?)\s*([A-Za-z]+)", re.ASCII)
_CLOCK_UNITS = {"ms": 1_000, "s": 1_000_000, "min": 60_000_000, "h": 3_600_000_000}
_DAY_UNITS = {"day": 1, "days": 1, "week": 7, "weeks": 7}
_MONTH_UNITS = {"month": 1, "months": 1, "year": 12, "years": 12}
UNITS = (*_CLOCK_UNITS, *_DAY_UNITS, *_MONTH_UNITS)


class NoMoment(SaltPathError, ValueError):
    """The text is no date or moment, or a shift leads out of the calendar; says which."""

    code = "no-moment"


class Shift(Struct, frozen=True):
    """So much later (or, negative, earlier): calendar months and days, and microseconds of the
    clock."""

    months: int = 0
    days: int = 0
    us: int = 0


def read_shift(text: str) -> Shift:
    """`2 days`, `-1 month`, `+90 min`. Raises NoMoment with what is expected."""
    found = _SHIFT.fullmatch(text.strip())
    unit = found[3] if found else ""
    if not found or unit not in UNITS:
        raise NoMoment(
            f"expected a length of time such as 2 days, -1 month or 90 min; found {text!r}"
        )
    sign = -1 if found[1] == "-" else 1
    whole = "." not in found[2]
    if unit in _CLOCK_UNITS:
        return Shift(us=sign * round(float(found[2]) * _CLOCK_UNITS[unit]))
    if not whole:
        raise NoMoment(f"{unit} are counted in whole numbers; found {text!r}")
    if unit in _DAY_UNITS:
        return Shift(days=sign * int(found[2]) * _DAY_UNITS[unit])
    return Shift(months=sign * int(found[2]) * _MONTH_UNITS[unit])


def shifted(moment: datetime, shift: Shift) -> datetime:
    """The moment so much later. A month more ends at the month's last day at most; days keep the
    clock's hour."""
    try:
        if shift.months:
            count = moment.year * 12 + moment.month - 1 + shift.months
            year, month = divmod(count, 12)
            day = min(moment.day, calendar.monthrange(year, month + 1)[1])
            moment = moment.replace(year=year, month=month + 1, day=day)
        if shift.days:
            moment += timedelta(days=shift.days)
        return (
            (moment.astimezone(UTC) + timedelta(microseconds=shift.us)).astimezone(moment.tzinfo)
            if shift.us
            else moment
        )
    except (ValueError, OverflowError, calendar.IllegalMonthError):
        raise NoMoment("that leads out of the calendar (years 1 to 9999)") from None


def read_moment(text: str, zone: tzinfo) -> datetime:
    """A date (its midnight) or a moment; without a zone of its own it stands in `zone`. Raises
    NoMoment."""
    stripped = text.strip()
    try:
        if _DATE.fullmatch(stripped):
            return datetime.combine(date.fromisoformat(stripped), datetime.min.time(), zone)
        found = _MOMENT.fullmatch(stripped)
        if found:
            fraction = (found[3] or "0")[:6].ljust(6, "0")
            offset = (found[4] or "").upper().replace("Z", "+00:00")
            moment = datetime.fromisoformat(
                f"{found[1]}T{found[2]}{':00' if len(found[2]) == 5 else ''}.{fraction}{offset}"
            )
            return moment if moment.tzinfo else moment.replace(tzinfo=zone)
        if _HTTP.fullmatch(stripped):
            from email.utils import parsedate_to_datetime  # slow to load, and most are of ISO 8601

            return parsedate_to_datetime(stripped)
    except (ValueError, OverflowError):
        pass
    raise NoMoment(
        "it is not a date or a time that can be read, such as 2026-11-23 or 2026-11-23T08:12:04Z"
    )


def is_date(text: str) -> bool:
    """Whether the text is a day without a time."""
    return _DATE.fullmatch(text.strip()) is not None


def shift_text(text: str, shift: Shift, zone: tzinfo) -> str:
    """A date or moment so much later, in the form in which it came. Raises NoMoment."""
    moment = read_moment(text, zone)
    if is_date(text):
        if shift.us:
            raise NoMoment("a day without a time has no hours to add to")
        return shifted(moment, shift).date().isoformat()
    later = shifted(moment, shift)
    found = _MOMENT.fullmatch(text.strip())
    if found is None:
        return rfc3339(later)
    fraction = f".{later.microsecond:06d}".ljust(10, "0")[: len(found[3]) + 1] if found[3] else ""
    seconds = (
        f"{later:%Y-%m-%dT%H:%M:%S}"
        if len(found[2]) == 8 or later.second
        else f"{later:%Y-%m-%dT%H:%M}"
    )
    return seconds + fraction + (found[4] or "")


def rfc3339(moment: datetime) -> str:
    """The moment in UTC with milliseconds, as `[=now]` reads."""
    return moment.astimezone(UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


def written(moment: datetime, pattern: str, zone: tzinfo) -> str:
    """The moment in the zone, in a date pattern of Unicode's LDML (`yyyy-MM-dd`, `d MMMM y,
    HH:mm`), with English names. Raises NoMoment."""
    try:
        return str(_pattern(pattern).apply(moment.astimezone(zone), "en"))
    except (KeyError, AttributeError, ValueError, NotImplementedError) as problem:
        raise NoMoment(f"the date pattern cannot be used: {problem}") from None


@lru_cache(maxsize=256)
def _pattern(pattern: str) -> Any:
    from babel.dates import parse_pattern  # a tenth of a second to import, and seldom needed

    return parse_pattern(pattern)


@lru_cache(maxsize=64)
def zone_of(name: str) -> tzinfo:
    """The IANA zone of that name; UTC for an empty one. Raises NoMoment."""
    if name in ("", "UTC"):
        return UTC
    from zoneinfo import ZoneInfo  # what it imports is a hundredth of a short run

    try:
        return ZoneInfo(name)
    except (ValueError, OSError, KeyError):
        raise NoMoment(f"there is no time zone {name!r}; zones are named as Europe/Oslo") from None
