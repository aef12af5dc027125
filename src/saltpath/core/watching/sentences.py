"""A watch in one sentence, both ways: `every 5 min against Live, 06:00 to 22:00 on weekdays, at
most 0.5 s, tell desk`. What has no place in a sentence stands in the watch's file alone."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from msgspec import Struct

from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.measures import DURATIONS
from saltpath.core.values.nearest import listed, nearest
from saltpath.core.watching.hours import DAYS, NAMED, read_hours, said_days
from saltpath.core.watching.limits import (
    read_limit,
    read_share,
    read_within,
    show_limit,
    show_share,
    show_within,
)
from saltpath.core.watching.schedule import Cron, cron_in_words, read_cron, read_every, read_zone
from saltpath.core.watching.watch import Watch

SENTENCE_KEYS = (
    "every",
    "cron",
    "exact",
    "environment",
    "hours",
    "zone",
    "limits",
    "bad after",
    "good after",
    "tell",
    "urgent",
)
"""The keys of a watch's document that its sentence says."""
EXAMPLE = "every 5 min against Live, 06:00 to 22:00 on weekdays, at most 0.5 s"
_WORDS = {"second": "1 s", "minute": "1 min", "hour": "1 h", "day": "1 day"}
_UNITS = {"seconds": "s", "minutes": "min", "hours": "h", "minute": "min", "hour": "h"}
_CLOCK = re.compile(r"at (\d{1,2}):(\d{2})(?: on (\S.*))?", re.ASCII)
_ZONE = re.compile(r"[A-Z][A-Za-z]+/[A-Za-z_/+-]+[0-9]*|UTC")


class Kind(Struct, frozen=True):
    """A part of the sentence."""

    shape: str
    """As completion offers it."""
    pattern: re.Pattern[str]
    read: Callable[[re.Match[str], dict[str, Any]], None]
    """Puts what it says into a document. Raises Unreadable."""


def _every(found: re.Match[str], document: dict[str, Any]) -> None:
    text = found[1].strip()
    number, _, unit = text.partition(" ")
    text = _WORDS.get(text, f"{number} {_UNITS[unit]}" if unit in _UNITS else text)
    read_every(text)
    document["every"] = text
    if found[2]:
        document["exact"] = True


def _at(found: re.Match[str], document: dict[str, Any]) -> None:
    hour, minute = int(found[1]), int(found[2])
    if hour > 23 or minute > 59:
        raise Unreadable(f"there is no time {found[1]}:{found[2]}")
    days = "*"
    if found[3] and found[3].strip() != "every day":
        days = _cron_days(read_hours(f"00:00 to 01:00 on {found[3]}").days)
    document["cron"] = f"{minute} {hour} * * {days}"


def _cron_days(days: frozenset[int]) -> str:
    """As cron has them, Sunday being 0."""
    text = ",".join(str((day + 1) % 7) for day in sorted(days))
    return "1-5" if text == "1,2,3,4,5" else text


def _clock(cron: Cron) -> str:
    """What is due at one time of some days: `at 02:30 on weekdays`; empty of others."""
    minute, hour, *rest, days = cron.text.split()
    if not (minute.isdigit() and hour.isdigit() and rest == ["*", "*"]):
        return ""
    at = f"at {int(hour):02}:{int(minute):02}"
    if days == "*":
        return at
    for chosen in range(1, 127):
        held = frozenset(day for day in range(7) if chosen >> day & 1)
        if _cron_days(held) == days:
            return f"{at} {said_days(held)}"
    return ""


def _cron(found: re.Match[str], document: dict[str, Any]) -> None:
    document["cron"] = read_cron(found[1], "UTC").text


def _against(found: re.Match[str], document: dict[str, Any]) -> None:
    document["environment"] = found[1].strip()


def _hours(found: re.Match[str], document: dict[str, Any]) -> None:
    read_hours(found[0])
    document.setdefault("hours", []).append(found[0].strip())


def _at_most(found: re.Match[str], document: dict[str, Any]) -> None:
    try:
        read_limit(found[1])
    except Unreadable as problem:
        raise Unreadable(f"{problem}; found {found[1]!r}") from None
    document.setdefault("limits", {})["time"] = found[1].strip()


def _within(found: re.Match[str], document: dict[str, Any]) -> None:
    text = f"{found[1]} % within {found[2].strip()}"
    read_within(text)
    document.setdefault("limits", {}).setdefault("answers", []).append(text)


def _available(found: re.Match[str], document: dict[str, Any]) -> None:
    share = f"{found[1]} %"
    read_share(share)
    document.setdefault("limits", {})["available"] = share


def _in_a_row(found: re.Match[str], document: dict[str, Any]) -> None:
    number = int(found[2])
    if not 1 <= number <= 1_000:
        raise Unreadable("it takes 1 to 1000 runs in a row")
    document[f"{found[1]} after"] = number


def _tell(found: re.Match[str], document: dict[str, Any]) -> None:
    names = [name.strip() for name in re.split(r"\s+and\s+", found[1])]
    document.setdefault("tell", []).extend(filter(None, names))


def _not_urgent(_: re.Match[str], document: dict[str, Any]) -> None:
    document["urgent"] = False


def _zone(found: re.Match[str], document: dict[str, Any]) -> None:
    read_zone(found[0])
    document["zone"] = found[0]


KINDS = (
    Kind("every 5 min", re.compile(r"every (.+?)( exactly)?"), _every),
    Kind("at 02:30 on weekdays", _CLOCK, _at),
    Kind("cron 30 2 * * 1-5", re.compile(r"cron (\S.*)"), _cron),
    Kind("against Live", re.compile(r"against (\S.*)"), _against),
    Kind("06:00 to 22:00 on weekdays", re.compile(r"\d{1,2}:\d{2} to .+"), _hours),
    Kind("at most 0.5 s", re.compile(r"at most (\d.*)"), _at_most),
    Kind("95 % within 0.4 s", re.compile(r"(\d+(?:\.\d+)?) ?% within (\d.*)"), _within),
    Kind("available 99.9 %", re.compile(r"available (\d+(?:\.\d+)?) ?%"), _available),
    Kind("bad after 3", re.compile(r"(bad) after (\d{1,4})(?: runs?)?"), _in_a_row),
    Kind("good after 1", re.compile(r"(good) after (\d{1,4})(?: runs?)?"), _in_a_row),
    Kind("tell desk", re.compile(r"tell (\S.*)"), _tell),
    Kind("not urgent", re.compile(r"not urgent"), _not_urgent),
    Kind("Europe/Oslo", _ZONE, _zone),
)


def read_sentence(text: str) -> dict[str, Any]:
    """What a sentence says, as keys of a watch's document. Raises Unreadable, with the part that is
    not understood."""
    document: dict[str, Any] = {}
    for part in _parts(text):
        for kind in KINDS:
            if found := kind.pattern.fullmatch(part):
                kind.read(found, document)
                break
        else:
            raise Unreadable(_not_understood(part))
    if "every" in document and "cron" in document:
        raise Unreadable("it is due every so often, or at a time of the day; say one of them")
    if "every" not in document and "cron" not in document:
        raise Unreadable(f"say how often, such as {EXAMPLE}")
    return document


def _parts(text: str) -> list[str]:
    """What stands between commas; `against` may stand without one, and days belong to the hours
    before them."""
    parts: list[str] = []
    for part in re.sub(r"(^|\s)against\s", ", against ", text).split(","):
        part = " ".join(part.split())
        days = part.removeprefix("and ").lower()
        if parts and parts[-1].startswith("cron ") and _OF_CRON.match(part):
            parts[-1] += f",{part}"
            continue
        if parts and re.split(r" and ", days)[0] in _DAY_WORDS:
            parts[-1] += f", {part}"
            continue
        parts.append(part)
    return [part for part in parts if part]


_OF_CRON = re.compile(r"[0-9*/-]+(\s(?!%)|$)", re.ASCII)
_DAY_WORDS = {word.lower() for day in DAYS for word in (day, day[:-1])} | set(NAMED)


def _not_understood(part: str) -> str:
    first = part.split()[0].lower()
    shapes = [kind.shape for kind in KINDS]
    near = nearest(first, [shape.split()[0] for shape in shapes])
    like = [shape for shape in shapes if near and shape.split()[0] == near]
    return f"{part!r} is not understood; expected {listed(like or shapes, 20)}"


def said_when(watch: Watch, zone: str = "") -> str:
    """How often, and when: `every 5 min, 06:00 to 22:00 on weekdays`. `zone`: the project's, which
    is said of hours and cron only where another one holds."""
    first, *rest = _when(watch, zone)
    if isinstance(watch.when, Cron) and first.startswith("cron "):
        first = cron_in_words(watch.when).rpartition(", ")[0]
    return ", ".join([first, *rest])


def _when(watch: Watch, zone: str) -> list[str]:
    """The parts of the sentence that say so, as they are read."""
    if isinstance(watch.when, Cron):
        first = _clock(watch.when) or f"cron {watch.when.text}"
    else:
        first = f"every {show_every(watch.when.us)}{' exactly' if watch.exact else ''}"
    elsewhere = [watch.zone] if watch.zone and watch.zone != zone else []
    return [first, *map(str, watch.hours), *elsewhere]


def sentence(watch: Watch, zone: str = "") -> str:
    """The watch in a sentence that `read_sentence` reads."""
    first, *parts = _when(watch, zone)
    if watch.environment:
        first += f" against {watch.environment}"
    if watch.limits.time_us is not None:
        parts.append(f"at most {show_limit(watch.limits.time_us)}")
    parts += map(show_within, watch.limits.answers)
    if watch.limits.available is not None:
        parts.append(f"available {show_share(watch.limits.available)}")
    if watch.rule.bad != 3:
        parts.append(f"bad after {watch.rule.bad}")
    if watch.rule.good != 1:
        parts.append(f"good after {watch.rule.good}")
    if watch.tell:
        parts.append(f"tell {' and '.join(watch.tell)}")
    if not watch.urgent:
        parts.append("not urgent")
    return ", ".join([first, *parts])


def show_every(us: int) -> str:
    """`minute`, `30 s`, `5 min`, `2 days`."""
    for word, text in _WORDS.items():
        if DURATIONS[text.split()[1]] == us:
            return word
    for unit in ("days", "h", "min", "s"):
        if us % DURATIONS[unit] == 0:
            return f"{us // DURATIONS[unit]} {unit}"
    return f"{us / 1_000_000:g} s"
