"""A compiled schema: what each of its keywords asks of a value, and how what is wrong with it is
said."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from decimal import Decimal
from typing import Any

from msgspec import Struct, field

from saltpath.core.schemas.faults import Fault

TYPES: tuple[type, ...] = (type(None), bool, int, Decimal, str, list, dict)
"""Of plain values (core/values/plain.py)."""


class Test(Struct, frozen=True):
    """What one keyword asks."""

    types: tuple[type, ...]
    """Of the values that it speaks of; all others it lets pass."""
    holds: Callable[[Any], bool]
    faults: Callable[[Any], Iterator[Fault]]
    """Why it does not hold; asked only then."""
    covers: Callable[[Any], Iterable[Any]] | None = None
    """The names or indexes that it has judged, of a value of which it holds; for
    `unevaluated...`."""


class Node(Struct, eq=False):
    """A schema. Its tests are put in after it was made, since schemas refer to themselves."""

    tests: tuple[Test, ...] = ()
    _by_type: dict[type, tuple[Callable[[Any], bool], ...]] = field(default_factory=dict)

    def become(self, tests: Iterable[Test]) -> None:
        self.tests = tuple(tests)
        self._by_type = {
            kind: tuple(test.holds for test in self.tests if kind in test.types) for kind in TYPES
        }

    def holds(self, value: Any) -> bool:
        return all(holds(value) for holds in self._by_type.get(type(value), ()))

    def faults(self, value: Any) -> Iterator[Fault]:
        for test in self.tests:
            if type(value) in test.types and not test.holds(value):
                yield from test.faults(value)

    def covered(self, value: Any) -> set[Any]:
        """The names or indexes of a list or object that are judged here, or by what applies to the
        same value."""
        return self.covered_but(None, value)

    def covered_but(self, left_out: Test | None, value: Any) -> set[Any]:
        found: set[Any] = set()
        for test in self.tests:
            if (
                test is not left_out
                and test.covers is not None
                and type(value) in test.types
                and test.holds(value)
            ):
                found.update(test.covers(value))
        return found


def leaf(
    types: tuple[type, ...], keyword: str, holds: Callable[[Any], bool], said: Callable[[Any], str]
) -> Test:
    """The test of a keyword that looks at the value alone; `said` is what is wrong with one of
    which it does not hold."""
    return Test(types, holds, lambda value: iter((Fault((), keyword, said(value)),)))


ANY, NOTHING = Node(), Node()
ANY.become(())
NOTHING.become((leaf(TYPES, "", lambda value: False, lambda value: "nothing is allowed here"),))
