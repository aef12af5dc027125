"""Which case of a run may begin next: cases of a suite that need each other one after the other;
those that set a suite up before its others, those that clean up behind them."""

from __future__ import annotations

from bisect import insort
from collections import deque

from msgspec import Struct, field
from msgspec.structs import replace

from saltpath.core.cases.case import Suite
from saltpath.core.running.compiled import CompiledCase, CompiledPlan
from saltpath.core.running.roles import not_set_up
from saltpath.core.running.supplies import NOTHING_KEPT, Kept, Supplies
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import MaskedWhy

Unit = list[int]
"""Cases by their indexes, each of which begins when the one before it has ended."""


class _Around(Struct):
    """A suite with cases around its others."""

    set_up: Unit = field(default_factory=list)
    others: list[Unit] = field(default_factory=list)
    """Held back until it is set up."""
    clean_up: Unit = field(default_factory=list)
    """Held back until the others have ended."""
    left: int = 0
    """How many of the others have not ended."""
    begun: bool = False
    """Something of it was carried out, that is to be cleaned up after."""
    kept: Kept = NOTHING_KEPT
    bad: MaskedWhy | None = None
    """Why its cases cannot be carried out."""


class Schedule:
    """The cases of a plan, in which those that set up stand before all others, and those that clean
    up behind them (core/running/roles.py). `handed` is filled with what is handed down, by the
    suite's id()."""

    def __init__(self, plan: CompiledPlan, supplies: Supplies, handed: dict[int, Kept]) -> None:
        self._cases, self._handed = plan.cases, handed
        self._waiting: deque[Unit] = deque()
        self._behind: dict[int, Unit] = {}
        self._around: dict[int, _Around] = {}
        for unit in _units(plan.cases):
            suite = plan.cases[unit[0]].suite
            around = self._of(suite) if suite is not None and _has_around(suite) else None
            role = plan.cases[unit[0]].role
            if around is None:
                self._waiting.append(unit)
            elif role == "set up":
                around.set_up += unit
            elif role == "clean up":
                around.clean_up += unit
            else:
                around.others.append(unit)
                around.left += len(unit)
        for suite_key, around in self._around.items():
            self._begin(suite_key, around, supplies)

    def _of(self, suite: Suite) -> _Around:
        return self._around.setdefault(id(suite), _Around())

    def _begin(self, suite: int, around: _Around, supplies: Supplies) -> None:
        """What may begin at once."""
        if around.set_up:
            insort(self._waiting, around.set_up)
            return
        of = next(
            case for case in self._cases if case.suite is not None and id(case.suite) == suite
        )
        before = supplies.handed(of.suite_id)
        if before is not None:
            around.kept, around.bad = before
            around.begun = True
        self._is_set_up(suite, around)

    def next(self) -> int | None:
        """The index of a case that may begin; None if there is none now."""
        if not self._waiting:
            return None
        index, *self._behind[index] = self._waiting.popleft()
        return index

    def planned(self, index: int) -> CompiledCase:
        """A case as it is to be carried out, or blocked since its suite could not be set up."""
        planned = self._cases[index]
        around = self._around.get(id(planned.suite))
        if around is None or around.bad is None or planned.role == "clean up":
            return planned
        return replace(planned, problem=planned.problem or around.bad)

    def in_any_case(self, index: int) -> bool:
        """Whether it is carried out though the run is to stop: it cleans up what was begun. Like
        steps that do, it has an end by its own limits."""
        planned = self._cases[index]
        around = self._around.get(id(planned.suite))
        return planned.role == "clean up" and around is not None and around.begun

    def ended(self, index: int, verdict: Verdict, reason: MaskedWhy | None, kept: Kept) -> int:
        """A case has ended; of one that sets up `kept` is what it hands down. Gives how many more
        may begin now."""
        before = len(self._waiting)
        behind = self._behind.pop(index, [])
        planned = self._cases[index]
        around = self._around.get(id(planned.suite))
        if around is not None and verdict != "skipped":
            around.begun = True
        if around is not None and planned.role == "set up":
            around.bad = around.bad or not_set_up(planned.case.name, verdict, reason)
            values = {**around.kept.values, **kept.values}
            around.kept = Kept(values, around.kept.secret | kept.secret)
            self._handed[id(planned.suite)] = around.kept
            if not behind:
                self._is_set_up(id(planned.suite), around)
        if behind:
            # by its place among the others: whoever waits for a case before waits for one that runs
            insort(self._waiting, behind)
        if around is not None and not planned.role:
            around.left -= 1
            if not around.left and around.clean_up:
                insort(self._waiting, around.clean_up)
        return len(self._waiting) - before

    def _is_set_up(self, suite: int, around: _Around) -> None:
        """The others may begin; where there are none, what cleans up."""
        self._handed[suite] = around.kept
        for unit in around.others:
            insort(self._waiting, unit)
        if not around.left and around.clean_up:
            insort(self._waiting, around.clean_up)


def _has_around(suite: Suite) -> bool:
    return bool(suite.set_up or suite.clean_up)


def _units(cases: tuple[CompiledCase, ...]) -> list[Unit]:
    """Those that need each other in one, where the first of them stands."""
    units: list[Unit] = []
    together: dict[tuple[int, str], Unit] = {}
    for index, planned in enumerate(cases):
        suite = planned.suite
        if suite is not None and (suite.in_order or planned.role):
            unit = together.setdefault((id(suite), planned.role), [])
            if not unit:
                units.append(unit)
            unit.append(index)
        else:
            units.append([index])
    return units
