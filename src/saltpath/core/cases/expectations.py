"""What must hold of an answer, and what is kept of it, as types; and where in a document something
stands."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any, Literal

from msgspec import Struct

from saltpath.core.answers.subjects import Subject


class Place(Struct, frozen=True):
    """Where something stands: a document path such as `steps[0].expect[1]`, and the line (1-based;
    0 unknown)."""

    path: str = ""
    line: int = 0


NOWHERE = Place()


class Placed(Struct, frozen=True, eq=False):
    """What stands somewhere in a document. Two of a kind are equal if all that is written in them
    is: neither where they stand (`place`) nor the quick way made of them (`quick`) counts."""

    def __eq__(self, other: object) -> bool:
        return type(self) is type(other) and self._written() == other._written()

    def __hash__(self) -> int:
        return hash(self._written())

    def _written(self) -> tuple[object, ...]:
        names = self.__struct_fields__
        return tuple(getattr(self, name) for name in names if name not in ("place", "quick"))


def unsure(status: int, document: Any) -> None:
    """The quick way of what has none."""


class Check(Placed, frozen=True):
    """One thing that must hold: of a subject, a relation, an expected value (a compiled tree;
    `fixed`: no reference in it, so it is the value itself).

    `quick`, from the status and the body's document (MISSING if it is not JSON), gives the outcome
    of a check that passes, or None where it is not sure (see `judge.quickly`). Most checks pass
    most of the time, and this is their way."""

    of: Subject
    relation: str
    expected: Any
    any: bool = False
    advice: bool = False
    off: bool = False
    note: str = ""
    sentence: str = ""
    fixed: bool = False
    quick: Callable[[int, Any], Any] = unsure
    place: Place = NOWHERE


class Group(Placed, frozen=True):
    """Several checks as one. `when`: if those hold, `parts` must, else `otherwise`; `for each`:
    `parts` must hold of every item of the subject `of`; `any of`, `all of`, `none of` of
    `parts`."""

    kind: Literal["when", "any of", "all of", "none of", "for each"]
    parts: tuple[Expectation, ...]
    when: tuple[Expectation, ...] = ()
    otherwise: tuple[Expectation, ...] = ()
    of: Subject | None = None
    may_be_empty: bool = False
    advice: bool = False
    off: bool = False
    note: str = ""
    sentence: str = ""
    quick: Callable[[int, Any], Any] = unsure
    place: Place = NOWHERE


Expectation = Check | Group


def checks_in(items: Iterable[Expectation]) -> Iterator[Check]:
    """Every check, those inside groups too."""
    for item in items:
        if isinstance(item, Check):
            yield item
        else:
            yield from checks_in((*item.when, *item.parts, *item.otherwise))


def subjects_in(items: Iterable[Expectation]) -> Iterator[Subject]:
    """Every subject, in the order of the document."""
    for item in items:
        if isinstance(item, Check):
            yield item.of
        else:
            if item.of is not None:
                yield item.of
            yield from subjects_in((*item.when, *item.parts, *item.otherwise))


class Keep(Placed, frozen=True):
    """A value taken from an answer under a name."""

    name: str
    of: Subject
    secret: bool = False
    place: Place = NOWHERE
    build: bool = False
    """It says which build of the service answers, for the run that has none said."""


class Repeat(Struct, frozen=True):
    """Send again until the checks hold, or so long at most. Lengths in microseconds."""

    until: tuple[Expectation, ...]
    every_us: int
    at_most_us: int
