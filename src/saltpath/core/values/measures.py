"""Durations and sizes with their units: `500 ms`, `2 s`, `10 kB`. Durations are integer
microseconds, sizes bytes."""

from __future__ import annotations

import re
from decimal import Decimal, InvalidOperation
from typing import Any

from saltpath.core.values import plain

DURATIONS = {
    "us": 1,
    "ms": 1_000,
    "s": 1_000_000,
    "min": 60_000_000,
    "h": 3_600_000_000,
    "day": 86_400_000_000,
    "days": 86_400_000_000,
}
SIZES = {"B": 1, "kB": 1_000, "MB": 1_000_000, "GB": 1_000_000_000}
_SHAPE = re.compile(r"^\s*(\d+(?:\.\d+)?)\s*([A-Za-z]+)\s*$", re.ASCII)


def duration(text: object) -> int:
    """`500 ms` as microseconds. Raises ValueError with what is expected."""
    return _measure(text, DURATIONS, "a duration with its unit, such as 500 ms, 2 s or 5 min")


def size(text: object) -> int:
    """`10 kB` as bytes (powers of 1000). Raises ValueError with what is expected."""
    return _measure(text, SIZES, "a size with its unit, such as 10 kB or 2 MB")


def _measure(text: object, units: dict[str, int], wanted: str) -> int:
    found = _SHAPE.match(text) if isinstance(text, str) else None
    if not found or found[2] not in units:
        raise ValueError(f"expected {wanted}")
    try:
        return int(Decimal(found[1]) * units[found[2]])
    except InvalidOperation:
        raise ValueError(f"expected {wanted}") from None


def show_duration(us: int) -> str:
    """Milliseconds below one second, seconds above."""
    if us < 1_000_000:
        ms = us / 1000
        return f"{ms:.0f} ms" if ms >= 10 or us % 1000 == 0 else f"{ms:.1f} ms"
    seconds = us / 1_000_000
    return f"{seconds:.0f} s" if us % 1_000_000 == 0 else f"{seconds:.2f} s"


def counted(count: int, one: str) -> str:
    """`1 case`, `3 cases`."""
    return f"{count} {one}" if count == 1 else f"{count} {one}s"


def show_size(count: int) -> str:
    for unit, factor in (("GB", 1_000_000_000), ("MB", 1_000_000), ("kB", 1_000)):
        if count >= factor:
            return f"{count / factor:.3g} {unit}"
    return f"{count} B"


_UNITS = {"duration": show_duration, "size": show_size}


def show_in(value: Any, unit: str, most: int = 120) -> str:
    """A value as readers see it: in a unit (`duration`, `size`) microseconds and bytes with their
    own, texts as they were written; else as it is."""
    if unit:
        if isinstance(value, int) and not isinstance(value, bool):
            return _UNITS[unit](value)
        if isinstance(value, str):
            return plain.cut(value, most)
        if isinstance(value, list):
            return plain.cut(", ".join(show_in(item, unit, most) for item in value), most)
    return plain.show(value, most)
