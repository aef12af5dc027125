"""The stretch of time that a watch's promise is about: the calendar month, or days up to now."""

from __future__ import annotations

from datetime import UTC, datetime
from zoneinfo import ZoneInfo

from saltpath.core.watching.hours import Span
from saltpath.core.watching.watch import Watch

DAY_S = 86_400


def month_of(zone: str, now: int) -> Span:
    """When the calendar month in a zone began and ends (seconds, UTC), of a moment."""
    here = ZoneInfo(zone)
    local = datetime.fromtimestamp(now, UTC).astimezone(here)
    first = local.replace(day=1, hour=0, minute=0, second=0, microsecond=0, fold=0)
    year, month = divmod(first.year * 12 + first.month, 12)
    after = first.replace(year=year, month=month + 1)
    return int(first.timestamp()), int(after.timestamp())


def period_of(watch: Watch, zone: str, now: int) -> Span:
    """Of a watch at a moment. `zone`: the project's."""
    if watch.limits.days:
        return now - watch.limits.days * DAY_S, now
    return month_of(watch.zone or zone, now)
