"""When a watch is due: every so often, or by cron in a zone, within hours of the week.

What is due every so often is due once in each interval, counted from an anchor, so that neither a
restart nor an edit of anything else moves it. Within its interval the moment is drawn (the same for
the same watch and interval), since a fixed one can lock to trouble that comes as often: three
seconds of it at the top of each minute would read as anything from none to all. Watches of one
length are spread by the golden ratio, so that few begin at once (Weyl's equidistribution of n times
an irrational number; Knuth, The Art of Computer Programming 3, 6.4). `exact` has the interval's
begin instead.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from hashlib import blake2b
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError, available_timezones

from cronsim import CronSim, CronSimError
from msgspec import Struct

from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.measures import duration
from saltpath.core.values.nearest import nearest
from saltpath.core.watching.hours import Hours, Span, merged

SHORTEST_US = 1_000_000
LONGEST_US = 366 * 86_400_000_000
FAR_US = 5 * 366 * 86_400_000_000
"""So far ahead a next time is looked for."""
_GOLDEN = 0x9E3779B97F4A7C15
_WHOLE = 1 << 64
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_US = timedelta(microseconds=1)


class Every(Struct, frozen=True):
    """Once in each interval of this length; UTC microseconds."""

    us: int
    anchor: int = 0
    """Where one of them begins."""


class Cron(Struct, frozen=True):
    """As cron says, by the clocks of a zone: what falls into an hour that is skipped is due when it
    has been, what falls into one that comes twice is due in the first, unless it is due each hour
    or minute anyhow."""

    text: str
    zone: str


class Schedule(Struct, frozen=True):
    """When one watch is due."""

    when: Every | Cron
    hours: tuple[Hours, ...] = ()
    """Only within these; none: always."""
    zone: str = "UTC"
    """By whose clocks the hours are."""
    exact: bool = False
    number: int = 0
    """Which of the watches it is: each has a moment of its own within intervals of one length."""

    def due_after(self, moment: int) -> int | None:
        """The first time after a moment; None where none comes within five years."""
        if not self.hours:
            return self._bare_after(moment)
        end = moment + FAR_US
        at = moment
        while at < end:
            step = min(at + 8 * 86_400_000_000, end)
            for begin, until in self._within(at, step):
                due = self._bare_after(max(begin - 1, moment))
                if due is None:
                    return None
                if due < until:
                    return due
            at = step
        return None

    def number_due(self, begin: int, end: int) -> int:
        """How often it is due from one moment to another, which is left out."""
        return sum(self._bare_since(*span)[0] for span in self._within(begin, end))

    def due_since(self, last: int, now: int) -> tuple[int, int | None]:
        """How often it has come due after one moment, up to another, and when the last time was."""
        count, newest = 0, None
        for begin, end in self._within(last + 1, now + 1):
            number, latest = self._bare_since(begin, end)
            count, newest = count + number, latest if number else newest
        return count, newest

    def due_between(self, begin: int, end: int) -> list[int]:
        """Each time from one moment to another, which is left out."""
        return [due for span in self._within(begin, end) for due in self._bare_between(*span)]

    def closings(self, begin: int, end: int) -> list[int]:
        """When its hours end between two moments."""
        if not self.hours:
            return []
        spans = self._within(begin - 1, end)
        return [until for _, until in spans if begin <= until < end]

    def _within(self, begin: int, end: int) -> list[Span]:
        """What of the time from one moment to another it is watched in."""
        if not self.hours:
            return [(begin, end)]
        return merged(span for hours in self.hours for span in hours.spans(self.zone, begin, end))

    # ---- whatever the hours

    def _bare_after(self, moment: int) -> int | None:
        if isinstance(self.when, Cron):
            return _cron_after(self.when, moment)
        index = (moment - self.when.anchor) // self.when.us
        while (due := self._due(index)) <= moment:
            index += 1
        return due

    def _bare_since(self, begin: int, end: int) -> tuple[int, int | None]:
        """How often between two moments, of which the second is left out, and the last time."""
        if isinstance(self.when, Every):
            first, after = self._first_from(begin), self._first_from(end)
            return after - first, self._due(after - 1) if after > first else None
        due = list(self._bare_between(begin, end))
        return len(due), due[-1] if due else None

    def _bare_between(self, begin: int, end: int) -> Iterator[int]:
        if isinstance(self.when, Every):
            yield from map(self._due, range(self._first_from(begin), self._first_from(end)))
            return
        due = _cron_after(self.when, begin - 1)
        while due is not None and due < end:
            yield due
            due = _cron_after(self.when, due)

    def _first_from(self, moment: int) -> int:
        """The index of the first interval that is due at a moment or later."""
        assert isinstance(self.when, Every)
        index = (moment - self.when.anchor) // self.when.us
        return index if self._due(index) >= moment else index + 1

    def _due(self, index: int) -> int:
        """The moment of one interval."""
        assert isinstance(self.when, Every)
        begin = self.when.anchor + index * self.when.us
        if self.exact:
            return begin
        drawn = blake2b(f"{self.when.us} {index}".encode(), digest_size=8).digest()
        place = (self.number * _GOLDEN + int.from_bytes(drawn, "big")) % _WHOLE
        return begin + (place * self.when.us >> 64)


LATE_US = 2_000_000
"""What is late by more was missed, and is caught up with: once, however often it was due."""


class Turn(Struct, frozen=True):
    """What is to be done at a moment; moments are UTC microseconds."""

    due: tuple[int, ...] = ()
    """The runs that are to begin, by when they are due."""
    caught_up: int | None = None
    """One that stands for all that were missed, by when the last of them was due."""
    missed: int = 0
    """How many others were missed."""
    missed_since: int = 0
    """When the first of them was due."""
    closed: tuple[int, ...] = ()
    """When it began that nobody watches, since its hours were over: the first and the last time."""


def turn(schedule: Schedule, last: int, now: int, until: int) -> Turn:
    """What is to be done now of what comes due up to `until`, where all up to `last` was looked
    after."""
    old, newest = schedule.due_since(last, now - LATE_US)
    fresh = schedule.due_between(max(last, now - LATE_US) + 1, until + 1)
    since = (schedule.due_after(last) or 0) if old > 1 else 0
    closings = schedule.closings(last + 1, until + 1)
    ends = (closings[0], closings[-1]) if len(closings) > 1 else tuple(closings)
    return Turn(tuple(fresh), newest, max(old - 1, 0), since, ends)


# ---- read


def read_every(text: str) -> int:
    """`30 s`, `5 min`, `2 days` as microseconds. Raises Unreadable with what is expected."""
    try:
        found = duration(text)
    except ValueError:
        raise Unreadable(
            f"expected how often, such as 30 s, 5 min, 1 h or 2 days; found {text!r}"
        ) from None
    if found % SHORTEST_US:
        raise Unreadable(f"a watch runs every so many whole seconds; found {text!r}")
    if not SHORTEST_US <= found <= LONGEST_US:
        raise Unreadable("a watch runs each second at most, and once a year at least")
    return found


def read_cron(text: str, zone: str) -> Cron:
    """Five fields: minute, hour, day of the month, month, day of the week. Raises Unreadable."""
    if len(text.split()) != 5:
        raise Unreadable(
            "cron has five fields: minute, hour, day of the month, month, day of the week, such as "
            f"30 2 * * 1-5; found {text!r}"
        )
    read_zone(zone)
    try:
        CronSim(text, datetime(2026, 1, 1, tzinfo=UTC))
    except CronSimError as problem:
        raise Unreadable(f"{text!r} is not read as cron: {problem}") from None
    cron = Cron(" ".join(text.split()), zone)
    if _cron_after(cron, 0) is None:
        raise Unreadable(f"{text!r} names no day that there is")
    return cron


def read_zone(text: str) -> ZoneInfo:
    """A zone by its IANA name. Raises Unreadable with the nearest."""
    try:
        return ZoneInfo(text)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        near = nearest(text, available_timezones())
        more = f"; did you mean {near}?" if near else ""
        raise Unreadable(f"there is no zone {text!r}{more}") from None


def cron_in_words(cron: Cron) -> str:
    """`at 02:30 on weekdays, Europe/Oslo`."""
    said = CronSim(cron.text, datetime(2026, 1, 1, tzinfo=UTC)).explain()
    said = said.replace("Monday through Friday", "weekdays")
    return f"{said[:1].lower()}{said[1:]}, {cron.zone}"


def _cron_after(cron: Cron, moment: int) -> int | None:
    zone = ZoneInfo(cron.zone)
    local = (_EPOCH + moment * _US).astimezone(zone)
    for found in CronSim(cron.text, local):
        due = round((found.astimezone(UTC) - _EPOCH) / _US)
        if due > moment:
            return due
    return None
