"""Generated values: `[=any digits 6]`, `[=now +2 days]`, `[=count from 1000]`. A table, one entry a
kind, each with an example.

What is drawn comes from a `Draw`, and so from the run's seed and the place where it stands. `now`
and `today` come from the run's start (in checks, from the moment the answer ended), a `count` from
the row's number.
"""

from __future__ import annotations

import re
import uuid
from collections.abc import Callable
from datetime import date, datetime, timedelta, tzinfo
from decimal import Decimal
from typing import Any, NamedTuple

from msgspec import Struct

from saltpath.core.references.matching_texts import Shape, read_shape
from saltpath.core.references.vocabulary import FIRST_NAMES, LAST_NAMES, WORDS
from saltpath.core.values import moments, plain
from saltpath.core.values.draw import Draw
from saltpath.core.values.grammar import Unreadable, split_list, unquote
from saltpath.core.values.nearest import listed, nearest

LONGEST = 10_000


class Making(NamedTuple):
    """What a generated value is made from. `clock` gives the time of sending, which no seed
    repeats."""

    draw: Draw
    now: datetime
    zone: tzinfo
    row: int
    clock: Callable[[], datetime]


class Generator(Struct, frozen=True):
    """One kind. `example` is how it is written."""

    name: str
    shape: str
    about: str
    example: str
    read: Callable[[str], tuple[Any, ...]]
    make: Callable[..., Any]


class Generated(Struct, frozen=True):
    """A generator as written in a reference. `inner`: its arguments hold references and are read
    when it is made."""

    kind: str
    args: tuple[Any, ...]
    inner: Any = None

    def make(self, making: Making, read: Callable[[Any], str]) -> Any:
        """The value. Raises Unreadable if the arguments, once their references are filled in,
        cannot be read."""
        generator = KINDS[self.kind]
        args = self.args if self.inner is None else generator.read(read(self.inner))
        return generator.make(making, *args)


KINDS: dict[str, Generator] = {}
FIRST_WORDS = frozenset(["any", "now", "today", "clock", "count"])


def _generator(
    name: str,
    about: str,
    example: str,
    shape: str = "",
    read: Callable[[str], tuple[Any, ...]] | None = None,
) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    def register(make: Callable[..., Any]) -> Callable[..., Any]:
        KINDS[name] = Generator(name, shape or name, about, example, read or _nothing(name), make)
        return make

    return register


def _nothing(name: str) -> Callable[[str], tuple[Any, ...]]:
    def read(rest: str) -> tuple[Any, ...]:
        if rest:
            raise Unreadable(f"{name} takes nothing after it, found {rest!r}")
        return ()

    return read


def read_generator(source: str, read_inner: Callable[[str], Any]) -> Generated:
    """`any digits 6` without its brackets. Raises Unreadable with the nearest known one."""
    name = next(
        (
            n
            for n in sorted(KINDS, key=len, reverse=True)
            if source == n or source.startswith(n + " ")
        ),
        None,
    )
    if name is None:
        first, _, rest = source.partition(" ")
        if first != "any":
            known = next((kind for key, kind in KINDS.items() if key.startswith(first)), None)
            raise Unreadable(
                f"{source!r} cannot be read; it is written {known.shape if known else first}"
            )
        words = [key.removeprefix("any ") for key in KINDS if key.startswith("any ")]
        near = nearest(rest.partition(" ")[0], words)
        raise Unreadable(
            f"there is no {source!r}; "
            + (f"did you mean any {near}?" if near else f"there is any {listed(words, 20)}")
        )
    rest = source[len(name) :].strip()
    if "[=" in rest:
        return Generated(name, (), read_inner(rest))
    return Generated(name, KINDS[name].read(rest))


def _two(name: str, read: Callable[[str], Any], example: str) -> Callable[[str], tuple[Any, ...]]:
    def reader(rest: str) -> tuple[Any, ...]:
        low, joint, high = rest.partition(" to ")
        found = (read(low.strip()), read(high.strip())) if joint else (None, None)
        if found[0] is None or found[1] is None:
            raise Unreadable(f"{name} is written: {example}; found {rest!r}")
        if found[0] > found[1]:
            raise Unreadable(f"{name} goes from the smaller to the larger; found {rest!r}")
        return found

    return reader


def _integer_in(text: str) -> int | None:
    found = plain.number_in(text)
    return found if isinstance(found, int) and not plain.too_long(found) else None


def _decimal_in(text: str) -> Decimal | None:
    found = plain.number_in(text)
    return Decimal(found) if found is not None and not plain.too_long(found) else None


def _date_in(text: str) -> date | None:
    try:
        return date.fromisoformat(text) if moments.is_date(text) else None
    except ValueError:
        return None


def _length(name: str, example: str) -> Callable[[str], tuple[Any, ...]]:
    def read(rest: str) -> tuple[Any, ...]:
        if not rest.isdigit() or not 1 <= int(rest) <= LONGEST:
            raise Unreadable(f"{name} is written: {example}, up to {LONGEST}; found {rest!r}")
        return (int(rest),)

    return read


@_generator(
    "any integer",
    "a whole number, both ends included",
    "any integer 1 to 100",
    "any integer A to B",
    _two("any integer", _integer_in, "any integer 1 to 100"),
)
def _integer(making: Making, low: int, high: int) -> int:
    return making.draw.between(low, high)


@_generator(
    "any number",
    "a number with as many decimals as its ends have, at least one",
    "any number 0.5 to 9.5",
    "any number A to B",
    _two("any number", _decimal_in, "any number 0.5 to 9.5"),
)
def _number(making: Making, low: Decimal, high: Decimal) -> Decimal:
    places = max(1, -int(low.as_tuple().exponent), -int(high.as_tuple().exponent))
    scaled = [int(end.scaleb(places)) for end in (low, high)]
    return Decimal(making.draw.between(*scaled)).scaleb(-places)


@_generator(
    "any digits",
    "a text of digits",
    "any digits 6",
    "any digits N",
    _length("any digits", "any digits 6"),
)
def _digits(making: Making, count: int) -> str:
    return "".join(making.draw.of("0123456789") for _ in range(count))


@_generator(
    "any letters",
    "a text of small letters a to z",
    "any letters 8",
    "any letters N",
    _length("any letters", "any letters 8"),
)
def _letters(making: Making, count: int) -> str:
    return "".join(making.draw.of("abcdefghijklmnopqrstuvwxyz") for _ in range(count))


@_generator("any word", "a word of the harbour", "any word")
def _word(making: Making) -> str:
    return making.draw.of(WORDS)


@_generator("any sentence", "five to nine words, a capital letter and a full stop", "any sentence")
def _sentence(making: Making) -> str:
    words = [making.draw.of(WORDS) for _ in range(making.draw.between(5, 9))]
    return " ".join(words).capitalize() + "."


@_generator("any name", "a person's name", "any name")
def _name(making: Making) -> str:
    return f"{making.draw.of(FIRST_NAMES)} {making.draw.of(LAST_NAMES)}"


@_generator(
    "any email", "an address at example.org, which belongs to nobody (RFC 2606)", "any email"
)
def _email(making: Making) -> str:
    names = f"{making.draw.of(FIRST_NAMES)}.{making.draw.of(LAST_NAMES)}".lower()
    return f"{names}.{_digits(making, 4)}@example.org"


@_generator("any uuid", "a random identity (RFC 9562, version 4)", "any uuid")
def _uuid(making: Making) -> str:
    return str(uuid.UUID(bytes=making.draw.octets(16), version=4))


@_generator(
    "any date",
    "a day, both ends included",
    "any date 2026-01-01 to 2026-12-31",
    "any date A to B",
    _two("any date", _date_in, "any date 2026-01-01 to 2026-12-31"),
)
def _date(making: Making, low: date, high: date) -> str:
    return (low + timedelta(days=making.draw.below((high - low).days + 1))).isoformat()


def _read_of(rest: str) -> tuple[Any, ...]:
    items = [_item(text) for text in split_list(rest)] if rest else []
    if not items:
        raise Unreadable("any of is written: any of north, south")
    return tuple(items)


def _item(text: str) -> Any:
    """A bare number, true, false or null is what it looks like; all else is text, in quotes or
    bare."""
    if text[:1] in ("'", '"'):
        return unquote(text)
    if not text:
        raise Unreadable('an item of any of is missing; an empty text is written ""')
    try:
        return plain.read_json(text)
    except plain.NotPlain:
        return text


@_generator("any of", "one of several", "any of north, south", "any of A, B, ...", _read_of)
def _of(making: Making, *items: Any) -> Any:
    return making.draw.of(items)


def _read_matching(rest: str) -> tuple[Any, ...]:
    if len(rest) > 1 and rest[0] == rest[-1] == "/":
        rest = rest[1:-1].replace("\\/", "/")
    elif rest[:1] in ("'", '"'):
        rest = unquote(rest)
    if not rest:
        raise Unreadable(
            "any text matching needs a pattern, such as any text matching [A-Z]{3}\\d{4}"
        )
    return (read_shape(rest),)


@_generator(
    "any text matching",
    "a text that a pattern matches as a whole",
    r"any text matching [A-Z]{3}\d{4}",
    "any text matching PATTERN",
    _read_matching,
)
def _matching(making: Making, shape: Shape) -> str:
    return shape.text(making.draw)


_SHIFTED = re.compile(r"[+-]\s*\d+(?:\.\d+)?\s*[A-Za-z]+")


def _read_shift(name: str) -> Callable[[str], tuple[Any, ...]]:
    def read(rest: str) -> tuple[Any, ...]:
        if not rest:
            return (moments.Shift(),)
        try:
            if not _SHIFTED.fullmatch(rest):
                raise moments.NoMoment(f"found {rest!r}")
            return (moments.read_shift(rest),)
        except moments.NoMoment as problem:
            raise Unreadable(
                f"{name} is written: {name}, {name} +2 days or {name} -1 month; {problem}"
            ) from None

    return read


@_generator(
    "now",
    "the run's start (in checks: when the answer ended), RFC 3339 in UTC",
    "now +2 days",
    "now +2 days",
    _read_shift("now"),
)
def _now(making: Making, shift: moments.Shift) -> str:
    return moments.rfc3339(_later(making.now, making.zone, shift))


@_generator(
    "today",
    "its day in the project's zone",
    "today -1 month",
    "today -1 month",
    _read_shift("today"),
)
def _today(making: Making, shift: moments.Shift) -> str:
    return _later(making.now, making.zone, shift).date().isoformat()


@_generator(
    "clock", "the moment of sending, which no seed repeats", "clock", "clock", _read_shift("clock")
)
def _clock(making: Making, shift: moments.Shift) -> str:
    return moments.rfc3339(_later(making.clock(), making.zone, shift))


def _later(moment: datetime, zone: tzinfo, shift: moments.Shift) -> datetime:
    try:
        return moments.shifted(moment.astimezone(zone), shift)
    except moments.NoMoment as problem:
        raise Unreadable(str(problem)) from None


def _read_count(rest: str) -> tuple[Any, ...]:
    found = re.fullmatch(r"from (-?\d{1,18})", rest) if rest else None
    if rest and not found:
        raise Unreadable(f"count is written: count, or count from 1000; found {rest!r}")
    return (int(found[1]) if found else 1,)


@_generator("count", "one more with each row", "count from 1000", "count from N", _read_count)
def _count(making: Making, begin: int) -> int:
    return begin + making.row - 1
