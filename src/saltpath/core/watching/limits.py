"""What a watch's limits say, both ways: `at most 0.5 s`, `95 % within 0.4 s`, `available 99.9 %`,
`over 30 days`."""

from __future__ import annotations

import re

from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.measures import DURATIONS, duration, show_duration
from saltpath.core.watching.watch import Within

LONGEST_US = DURATIONS["days"]
"""The longest limit of time: nothing that a watch asks takes longer."""
MOST_DAYS = 366


def read_limit(text: object) -> int:
    """`0.5 s` in microseconds. Raises Unreadable."""
    try:
        us = duration(text)
    except ValueError as problem:
        raise Unreadable(str(problem)) from None
    if not 0 < us <= LONGEST_US:
        raise Unreadable("expected a limit of more than 0 s and at most 1 day")
    return us


def show_limit(us: int) -> str:
    """Exact."""
    text = show_duration(us)
    return text if duration(text) == us else f"{us / 1_000_000:.6f}".rstrip("0") + " s"


def read_share(text: str) -> float:
    """`99.9 %` as a share of 1, to 9 places of a percent. Raises Unreadable."""
    number = plain.number_in(text.strip().removesuffix("%").strip())
    percent = round(float(number), 9) if number is not None and 0 < number < 100 else 0.0
    if not text.strip().endswith("%") or not 0 < percent < 100:
        raise Unreadable(f"expected a share of the time, such as 99.9 %; found {text!r}")
    return percent / 100


def read_within(text: str) -> Within:
    """`95 % within 0.4 s`. Raises Unreadable."""
    share, word, time = text.partition(" within ")
    if not word:
        raise Unreadable(f"expected such as 95 % within 0.4 s; found {text!r}")
    return Within(read_share(share), read_limit(time.strip()))


def show_within(within: Within) -> str:
    return f"{show_share(within.share)} within {show_limit(within.us)}"


def show_share(share: float) -> str:
    return f"{share * 100:.9f}".rstrip("0").rstrip(".") + " %"


def read_over(text: str) -> int:
    """`month` (0) or `30 days`. Raises Unreadable."""
    words = text.split()
    if words == ["month"]:
        return 0
    number = int(words[0]) if words and re.fullmatch("[0-9]{1,3}", words[0]) else 0
    if words[1:] in (["day"], ["days"]) and 1 <= number <= MOST_DAYS:
        return number
    raise Unreadable(f"expected month, or days up to now such as 30 days; found {text!r}")
