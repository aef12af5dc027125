"""The table of relations, and what their functions share.

A relation's function takes the actual value, the expected one and a `Setting`; it returns None if
the relation holds, else the reason. A reason whose parameter `at` is a list of places within the
value says exactly where.
"""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime, tzinfo
from functools import cache
from typing import Any, NamedTuple

from msgspec import Struct

from saltpath.core.checks.relations.operand import FIRST_WORDS, VALUE, Operand
from saltpath.core.values import measures, plain
from saltpath.core.values.why import Blocked, Why, why

NOW_UNKNOWN = datetime(1970, 1, 1, tzinfo=UTC)


class Setting(NamedTuple):
    """Where the actual value comes from: `json`, `text`, `duration` or `size` (see subjects.Found);
    the project's zone; and the moment the answer ended."""

    source: str
    zone: tzinfo = UTC
    now: datetime = NOW_UNKNOWN


Judge = Callable[[Any, Any, Setting], Why | None]
Test = Callable[[Any], bool]


def _never(expected: Any) -> Test | None:
    return None


class Relation(Struct, frozen=True):
    """`phrase` is the sentence's middle, `everyday` other words that mean the same when they are
    typed; `takes` is what it compares with; `example` is (actual, expected) for which it holds.
    `of_list`: it judges the nodes together rather than each node.

    `quick` makes, from an expected value, a test for values from JSON that is sure when it says
    True, and otherwise leaves the question to `judge`; None where it cannot."""

    name: str
    phrase: str
    about: str
    takes: Operand
    judge: Judge
    example: tuple[Any, Any]
    of_list: bool = False
    quick: Callable[[Any], Test | None] = _never
    of_document: bool = False
    """It speaks of structure: `of: body` means the body's document, not its text."""
    everyday: tuple[str, ...] = ()
    opposite: tuple[str, ...] = ()
    """Phrases that say that it does not hold, where its expected value says whether it should."""

    @property
    def phrases(self) -> tuple[str, ...]:
        """Every phrase that it is read from; the first is the one that it is written with."""
        return (self.phrase, *self.everyday)

    def said(self, expected: Any) -> str:
        """The phrase that says it of this expected value."""
        return self.opposite[0] if self.opposite and expected is False else self.phrase


TABLE: dict[str, Relation] = {}


@cache
def phrases() -> tuple[tuple[str, str], ...]:
    """Every phrase with its relation's name, the longest first."""
    found = [(words, entry.name) for entry in TABLE.values() for words in entry.phrases]
    return tuple(sorted(found, key=lambda pair: -len(pair[0])))


@cache
def opposites() -> dict[str, str]:
    """The relation that each of the phrases speaks of which say that it does not hold."""
    return {words: entry.name for entry in TABLE.values() for words in entry.opposite}


def relation(
    name: str,
    about: str,
    example: tuple[Any, Any],
    phrase: str = "",
    takes: Operand = VALUE,
    of_list: bool = False,
    quick: Callable[[Any], Test | None] = _never,
    of_document: bool = False,
    everyday: tuple[str, ...] = (),
    opposite: tuple[str, ...] = (),
) -> Callable[[Judge], Judge]:
    """Enter a function into the table under its name."""

    def register(judge: Judge) -> Judge:
        made = TABLE[name] = Relation(
            name,
            phrase or name,
            about,
            takes,
            judge,
            example,
            of_list,
            quick,
            of_document,
            everyday,
            opposite,
        )
        FIRST_WORDS.update(words.split()[0] for words in made.phrases)
        phrases.cache_clear()
        opposites.cache_clear()
        return judge

    return register


def fit(value: Any) -> Any:
    """The number, if it is short enough to be compared. Raises Blocked."""
    if plain.too_long(value):
        raise Blocked(why("number-too-long"))
    return value


def measured(expected: Any, setting: Setting) -> int:
    """An expected duration or size, in microseconds or bytes. Raises Blocked."""
    read = measures.duration if setting.source == "duration" else measures.size
    try:
        return read(expected)
    except ValueError as problem:
        raise unfit("the comparison", expected, str(problem)) from None


def unfit(name: str, expected: Any, problem: str) -> Blocked:
    """That a relation cannot work with an expected value."""
    return Blocked(
        why("expected-unfit", relation=name, expected=plain.show(expected), problem=problem)
    )


def shown(value: Any, setting: Setting) -> str:
    """A value as the sentence shows it, in its unit."""
    return measures.show_in(value, setting.source if setting.source in ("duration", "size") else "")


def alike(actual: Any, expected: Any, setting: Setting) -> bool:
    """Equal; from text sources a number as expected compares as a number if the whole text is
    one."""
    if setting.source in ("duration", "size"):
        return bool(actual == measured(expected, setting))
    if setting.source == "text" and isinstance(actual, str) and plain.is_number(expected):
        number = plain.number_in(actual)
        return number is not None and number == fit(expected)
    if plain.is_number(actual) and plain.is_number(expected):
        return bool(fit(actual) == fit(expected))
    return plain.same(actual, expected)
