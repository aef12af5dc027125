"""Where a step stands in a case."""

from __future__ import annotations

from typing import Any

import msgspec

from saltpath.core.cases.case import ForEach, Part, Step


class Position(msgspec.Struct, frozen=True, gc=False):
    """Where a step stands: its part and index, or where inside such a step (`inner`, see
    events.py), below the steps with these keys and item numbers (`path`). `items`: those that it is
    carried out for, by name. `wanted`: the names of kept values that steps after it use."""

    part: Part
    index: int
    wanted: frozenset[str]
    inner: str = ""
    path: tuple[str | int, ...] = ()
    items: tuple[tuple[str, Any], ...] = ()

    @property
    def cleans(self) -> bool:
        """Whether it is carried out whatever happened before it."""
        return self.part == "afterwards" or self.part == "at the end"

    def below(self, step: Step, place: str, wanted: frozenset[str]) -> Position:
        """A place inside the shared steps that stand here."""
        inner = f"{self.inner}/{place}" if self.inner else place
        return Position(self.part, self.index, wanted, inner, (*self.path, step.key or step.name))

    def for_item(self, step: ForEach, number: int, item: Any, place: int) -> Position:
        """A place inside the step that stands here, for one of its items."""
        below = self.below(step, f"{number}.{place}", self.wanted)
        return msgspec.structs.replace(
            below, path=(*below.path, number), items=(*self.items, (step.item, item))
        )
