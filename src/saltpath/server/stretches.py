"""The stretch of time that somebody asks about: `?from=` and `?to=`."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from flask import request

from saltpath.core.values.moments import NoMoment, read_moment
from saltpath.server.declared import parameter
from saltpath.server.problems import Refused
from saltpath.store.database import now_us

DAY_S = 86_400
LONGEST_S = 3_660 * DAY_S
EARLIEST_S = 946_684_800
TO = parameter("to", "where it ends; now unless it is said")


def from_parameter(usual: str) -> dict[str, Any]:
    """Of what begins so long ago unless it is said."""
    return parameter("from", f"where the stretch begins (RFC 3339); {usual} ago unless it is said")


def stretch(usual_s: int = DAY_S, begin: str = "from", end: str = "to") -> tuple[int, int]:
    """From when to when, seconds since 1970, but no further than now. `begin`, `end`: what the
    parameters are called. Raises Refused."""
    now = now_us() // 1_000_000
    last = _moment(end, now)
    first = _moment(begin, last - usual_s)
    if not EARLIEST_S <= first < last or last - first > LONGEST_S or last > now + LONGEST_S:
        raise Refused(422, "stretch", f"{begin} lies before {end}, and both within ten years.")
    return first, max(min(last, now), first + 1)


def _moment(name: str, usual: int) -> int:
    return moment_asked(name) if request.args.get(name, "") else usual


def moment_asked(name: str) -> int:
    """The moment that a parameter says, seconds since 1970. Raises Refused."""
    text = request.args.get(name, "")
    try:
        found: datetime = read_moment(text, UTC)
        return int(found.timestamp())
    except (NoMoment, ValueError, OverflowError):
        raise Refused(422, name, f"{name} is a moment such as 2026-11-23T08:00:00Z.") from None
