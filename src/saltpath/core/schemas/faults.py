"""Where a value does not follow a schema, and why."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct
from msgspec.structs import replace

Place = tuple[str | int, ...]
"""Names and indexes from the value that was looked at to the one that is meant."""


class Fault(Struct, frozen=True):
    """What is wrong at one place."""

    place: Place
    keyword: str
    """The one that is not kept; empty where the schema is `false`."""
    sentence: str


def below(key: str | int, faults: Iterator[Fault]) -> Iterator[Fault]:
    """The faults of a part, seen from the whole."""
    for fault in faults:
        yield Fault((key, *fault.place), fault.keyword, fault.sentence)


def since(reason: str, faults: Iterator[Fault]) -> Iterator[Fault]:
    """The faults with the reason why it is asked here."""
    for fault in faults:
        yield replace(fault, sentence=f"{fault.sentence} ({reason})")
