"""The table of keywords, and what their makers are given."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from typing import TYPE_CHECKING, Any

from msgspec import Struct

from saltpath.core.schemas.dialects import Dialect
from saltpath.core.schemas.nodes import Test
from saltpath.core.values import plain

if TYPE_CHECKING:
    from saltpath.core.schemas.compiling import Context

Make = Callable[[Any, "Context"], Test | None]
"""From what a keyword says, and where, its test; None if it asks nothing. TypeError or ValueError:
it cannot say that."""


class Keyword(Struct, frozen=True):
    name: str
    since: int
    until: int
    """The first draft that has it no more."""
    vocabulary: str
    make: Make

    def stands_in(self, dialect: Dialect) -> bool:
        return self.since <= dialect.draft < self.until and self.vocabulary not in dialect.without


KEYWORDS: dict[str, Keyword] = {}


def keyword(
    name: str, *, since: int = 4, until: int = 9999, vocabulary: str = "validation"
) -> Callable[[Make], Make]:
    def register(make: Make) -> Make:
        KEYWORDS[name] = Keyword(name, since, until, vocabulary, make)
        return make

    return register


def whole(wanted: Any) -> int:
    """A number of things: 3, also written 3.0."""
    if not plain.is_number(wanted) or wanted < 0 or plain.too_long(wanted) or wanted != int(wanted):
        raise ValueError
    return int(wanted)


def number(wanted: Any) -> int | Decimal:
    if not plain.is_number(wanted):
        raise TypeError
    assert isinstance(wanted, (int, Decimal))
    return wanted


def names(wanted: Any) -> list[str]:
    if not isinstance(wanted, list) or not all(isinstance(name, str) for name in wanted):
        raise TypeError
    return wanted


def shown(value: Any) -> str:
    """As a sentence has it."""
    return plain.show(value, 60)
