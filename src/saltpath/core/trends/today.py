"""What is worth a look today: one line for each cause, worst first, and what they add up to as a
sentence."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import UTC, datetime, timedelta, tzinfo
from typing import Literal, get_args

from msgspec import Struct
from msgspec.structs import replace

from saltpath.core.values.verdicts import Verdict

Kind = Literal[
    "broke",
    "outage",
    "too fast",
    "still broken",
    "outage lasts",
    "known over",
    "not delivered",
    "not told",
    "slower",
    "unreliable",
    "unchecked",
    "recovered",
    "outage over",
    "hiccup",
    "known",
]
KINDS: tuple[Kind, ...] = get_args(Kind)
"""Worst first."""
What = Literal["case", "watch", "series", "delivery", "message"]
NEWS: tuple[Kind, ...] = ("broke", "outage", "too fast")
"""What the heading counts as broken."""
DAY_ENDS = 17
"""The hour at which a working day ends, by the project's clocks."""


class Item(Struct, frozen=True):
    """One line."""

    kind: Kind
    what: What
    id: str
    """Its identity."""
    name: str
    sentence: str
    """Why, without moments."""
    at: int
    """Since when it is so, or when it was; UTC microseconds."""
    verdict: Verdict
    signature: str = ""
    """What it has in common with others; empty: nothing is known of that."""
    run: str = ""
    """The run to look at; empty of what is no case."""
    line: tuple[str, ...] = ()
    """The verdicts of its last runs, the newest last."""
    others: tuple[Item, ...] = ()
    """What has the same cause."""
    taken_by: str = ""
    trouble: str = ""
    """The identity of a watch's trouble."""
    number: int = 0
    """How often, of what comes again."""


def worst_first(items: Iterable[Item]) -> list[Item]:
    """In the order of KINDS, the newest of a kind first; of what is of one kind, and has one
    signature, the first stands for all, and cases before watches."""
    ordered = sorted(
        items, key=lambda one: (KINDS.index(one.kind), one.what != "case", -one.at, one.name)
    )
    found: dict[tuple[object, ...], list[Item]] = {}
    for one in ordered:
        # a case and a watch break of one cause though the one is no outage
        kind = "broke" if one.kind == "outage" else one.kind
        kind = "still broken" if kind == "outage lasts" else kind
        key = (kind, one.signature) if one.signature else (one.kind, one.what, one.id)
        found.setdefault(key, []).append(one)
    told = [replace(first, others=tuple(others)) for first, *others in found.values()]
    return sorted(told, key=lambda one: (KINDS.index(one.kind), -_many(one), -one.at))


def _many(one: Item) -> int:
    return 1 + len(one.others)


def broken(items: Sequence[Item]) -> int:
    """How many things broke."""
    return sum(one.kind in NEWS for one in items)


WORDS = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten")


def heading(items: Sequence[Item], since: str) -> str:
    """`Two things broke since Friday 17:00.` `since`: the moment as it is said."""
    number = broken(items)
    if number:
        things = "thing" if number == 1 else "things"
        return f"{_word(number).capitalize()} {things} broke since {since}."
    lasting = sum(one.kind in ("still broken", "outage lasts", "known over") for one in items)
    if lasting:
        what = "thing is" if lasting == 1 else "things are"
        return f"Nothing broke since {since}; {_word(lasting)} {what} broken as before."
    return f"Nothing broke since {since}."


def _word(number: int) -> str:
    return WORDS[number] if number < len(WORDS) else str(number)


def last_working_day(now: int, zone: tzinfo) -> int:
    """When the last working day before today ended (UTC microseconds): on a Monday, and over the
    weekend, Friday's."""
    here = datetime.fromtimestamp(now / 1e6, UTC).astimezone(zone)
    day = here.date() - timedelta(days=1)
    while day.weekday() >= 5:
        day -= timedelta(days=1)
    end = datetime(day.year, day.month, day.day, DAY_ENDS, tzinfo=zone)
    return round(end.timestamp()) * 1_000_000


def after_bad(verdicts: Sequence[str]) -> int:
    """Of verdicts, the newest first, of which the first is good: how many bad ones came right
    before the good ones; 0: none, or it is not known where they began."""
    place = 0
    while place < len(verdicts) and verdicts[place] not in ("failed", "blocked"):
        place += 1
    begin = place
    while place < len(verdicts) and verdicts[place] in ("failed", "blocked"):
        place += 1
    return place - begin
