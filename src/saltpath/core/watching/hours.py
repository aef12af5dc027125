"""Hours of the week: `06:00 to 22:00 on weekdays`, `22:00 to 04:00 on Fridays and Saturdays`, in a
zone. Hours that end before they begin reach into the next day, and belong to the day on which they
begin."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

from msgspec import Struct

from saltpath.core.values.grammar import Unreadable

DAYS = ("Mondays", "Tuesdays", "Wednesdays", "Thursdays", "Fridays", "Saturdays", "Sundays")
EVERY_DAY = frozenset(range(7))
NAMED = {
    "every day": EVERY_DAY,
    "weekdays": frozenset(range(5)),
    "weekends": frozenset({5, 6}),
}
"""Days of the week (Monday is 0) by what they are called together."""
DAY_MIN = 1_440
_SHAPE = re.compile(
    r"(\d{1,2}):(\d{2})\s+to\s+(\d{1,2}):(\d{2})(?:\s+(?:on\s+)?(\S.*?))?", re.ASCII
)
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)

Span = tuple[int, int]
"""From a moment to another, which is left out; UTC microseconds."""


class Hours(Struct, frozen=True):
    """So many minutes after midnight, from and to, on days of the week."""

    begin: int
    end: int
    days: frozenset[int] = EVERY_DAY

    def __str__(self) -> str:
        """As it is read."""
        return f"{_clock(self.begin)} to {_clock(self.end)} {said_days(self.days)}".rstrip()

    def spans(self, zone: str, begin: int, end: int) -> Iterator[Span]:
        """When it is these hours between two moments, as the clocks of the zone show it. A time
        that is skipped when clocks go forward is the moment at which they do; of one that comes
        twice it is the first."""
        day = (_EPOCH + timedelta(microseconds=begin)).astimezone(ZoneInfo(zone)).date()
        day -= timedelta(days=2)
        longer = self.end + (DAY_MIN if self.end <= self.begin else 0)
        while True:
            first = _moment(day, self.begin, zone)
            if first >= end:
                return
            last = _moment(day, longer, zone)
            if day.weekday() in self.days and last > max(first, begin):
                yield max(first, begin), min(last, end)
            day += timedelta(days=1)


def read_hours(text: str) -> Hours:
    """Raises Unreadable with what is expected."""
    found = _SHAPE.fullmatch(text.strip())
    if found is None:
        raise Unreadable(
            f"expected hours such as 06:00 to 22:00 on weekdays; found {text.strip()!r}"
        )
    begin, end = _minutes(found[1], found[2]), _minutes(found[3], found[4])
    if begin in (DAY_MIN, end):
        raise Unreadable("hours begin at 23:59 at the latest, and end at another time")
    return Hours(begin, end, _days(found[5] or "every day"))


def _minutes(hour: str, minute: str) -> int:
    total = 60 * int(hour) + int(minute)
    if int(minute) > 59 or total > DAY_MIN:
        raise Unreadable(f"there is no time {hour}:{minute}; the last of a day is 24:00")
    return total


def _days(text: str) -> frozenset[int]:
    found: set[int] = set()
    for word in re.split(r"\s*,\s*(?:and\s+)?|\s+and\s+", text.strip().lower()):
        named = NAMED.get(word)
        called = (n for n, day in enumerate(DAYS) if word in (day.lower(), day.lower()[:-1]))
        known = next(called, -1)
        if named is None and known < 0:
            raise Unreadable(
                f"{word!r} is no day; name Mondays to Sundays, weekdays, weekends or every day"
            )
        found |= named if named is not None else {known}
    return frozenset(found)


def _clock(minutes: int) -> str:
    return f"{minutes // 60:02}:{minutes % 60:02}"


def said_days(days: frozenset[int]) -> str:
    """`on weekdays`; nothing of every day."""
    if days == EVERY_DAY:
        return ""
    named = next((name for name, held in NAMED.items() if held == days), "")
    names = [DAYS[day] for day in sorted(days)]
    return f"on {named or ' and '.join(filter(None, [', '.join(names[:-1]), names[-1]]))}"


def _moment(day: date, minutes: int, zone: str) -> int:
    """A time of a day by the clocks of a zone, UTC microseconds."""
    day += timedelta(days=minutes // DAY_MIN)
    hour, minute = divmod(minutes % DAY_MIN, 60)
    here = ZoneInfo(zone)
    local = datetime(day.year, day.month, day.day, hour, minute, tzinfo=here)
    found = local.astimezone(UTC)
    if found.astimezone(here).replace(tzinfo=None) != local.replace(tzinfo=None):
        found = _after_gap(found, here)  # clocks never showed it
    return round((found - _EPOCH) / timedelta(microseconds=1))


def _after_gap(near: datetime, here: ZoneInfo) -> datetime:
    """The moment at which clocks went forward, within a day before or after."""
    low, high = near - timedelta(days=1), near + timedelta(days=1)
    before = low.astimezone(here).utcoffset()
    while high - low > timedelta(seconds=1):
        middle = low + (high - low) / 2
        if middle.astimezone(here).utcoffset() == before:
            low = middle
        else:
            high = middle
    return high.replace(microsecond=0)


def merged(spans: Iterable[Span]) -> list[Span]:
    """Spans in their order, those that touch as one."""
    found: list[Span] = []
    for begin, end in sorted(spans):
        if found and begin <= found[-1][1]:
            found[-1] = (found[-1][0], max(found[-1][1], end))
        else:
            found.append((begin, end))
    return found
