"""Which case of a run may begin next: in a suite first the cases that set it up, then its others
and the suites that stand in it, then those that clean up."""

from __future__ import annotations

import sys
from bisect import insort
from collections import deque

from msgspec import Struct, field
from msgspec.structs import replace

from saltpath.core.cases.case import Suite
from saltpath.core.running.compiled import CompiledCase, CompiledPlan
from saltpath.core.running.inherited import levels
from saltpath.core.running.roles import not_set_up
from saltpath.core.running.supplies import NOTHING_KEPT, Kept, Supplies
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import MaskedWhy

_SET_UP, _OTHERS, _CLEAN_UP, _OVER = range(4)


class _Node(Struct, eq=False):
    """A suite whose cases wait for each other, or the whole run. It goes through its phases one
    after another; a phase is over when all that belongs to it has ended."""

    suite: Suite | None
    above: _Node | None
    """The nearest such suite around it; None for the whole run."""
    environment: str = ""
    """Where its cases go: a suite of a run against several is one in each."""
    waiting: tuple[deque[int | _Node], deque[int | _Node], deque[int | _Node]] = field(
        default_factory=lambda: (deque(), deque(), deque())
    )
    """By phase, cases by index, and suites inside it, that have not begun."""
    phase: int = _SET_UP
    under_way: int = 0
    """How many of the phase have begun and not ended."""
    begun: bool = False
    """Something of it was carried out, that is to be cleaned up after."""
    place: int = sys.maxsize
    """The first of its cases that neither sets up nor cleans up."""
    bad: MaskedWhy | None = None
    """Why its cases cannot be carried out."""
    bad_outside: bool = False
    """That is so since a folder around it could not be set up."""

    @property
    def in_order(self) -> bool:
        return self.suite is not None and self.suite.in_order

    @property
    def one_by_one(self) -> bool:
        """Whether what belongs to the phase waits for each other."""
        return self.phase != _OTHERS or self.in_order


class Schedule:
    """The cases of a plan (core/running/roles.py). `handed` is filled with what is handed down, by
    the suite's id()."""

    def __init__(self, plan: CompiledPlan, supplies: Supplies, handed: dict[int, Kept]) -> None:
        self._cases, self._handed, self._supplies = plan.cases, handed, supplies
        self._ready: deque[int] = deque()
        self._all = _Node(None, None)
        self._nodes: dict[int, _Node] = {}
        self._of: list[_Node] = []
        """By case, the innermost."""
        for index, planned in enumerate(plan.cases):
            node = self._node_of(planned.suite, plan.destination(planned).name)
            phase = {"set up": _SET_UP, "": _OTHERS, "clean up": _CLEAN_UP}[planned.role]
            node.waiting[phase].append(index)
            self._of.append(node)
            if phase == _OTHERS:
                node.place = min(node.place, index)
        for node in reversed(self._nodes.values()):
            above = node.above or self._all
            above.place = min(above.place, node.place)
            if node.in_order:
                in_place = sorted(node.waiting[_OTHERS], key=_place_of)
                node.waiting[_OTHERS].clear()
                node.waiting[_OTHERS].extend(in_place)
        self._go_on(self._all)

    def _node_of(self, suite: Suite | None, environment: str) -> _Node:
        node = self._all
        for level in levels(suite):
            if not (level.set_up or level.clean_up or level.in_order):
                continue
            inner = self._nodes.get(id(level))
            if inner is None:
                inner = self._nodes[id(level)] = _Node(level, node, environment)
                node.waiting[_OTHERS].append(inner)
            node = inner
        return node

    def next(self) -> int | None:
        """The index of a case that may begin; None if there is none now."""
        return self._ready.popleft() if self._ready else None

    def planned(self, index: int) -> CompiledCase:
        """A case as it is to be carried out, or blocked since its suite could not be set up."""
        planned, node = self._cases[index], self._of[index]
        if node.bad is None or (planned.role == "clean up" and not node.bad_outside):
            return planned
        return replace(planned, problem=planned.problem or node.bad)

    def in_any_case(self, index: int) -> bool:
        """Whether it is carried out though the run is to stop: it cleans up what was begun. Like
        steps that do, it has an end by its own limits."""
        return self._cases[index].role == "clean up" and self._of[index].begun

    def ended(self, index: int, verdict: Verdict, reason: MaskedWhy | None, kept: Kept) -> int:
        """A case has ended; of one that sets up `kept` is what it hands down. Gives how many more
        may begin now."""
        before = len(self._ready)
        planned, node = self._cases[index], self._of[index]
        if verdict != "skipped" and not node.bad_outside:
            _began(node)
        if planned.role == "set up" and node.suite is not None:
            node.bad = node.bad or not_set_up(planned.case.name, verdict, reason)
            held = self._handed.get(id(node.suite), NOTHING_KEPT)
            values = {**held.values, **kept.values}
            self._handed[id(node.suite)] = Kept(values, held.secret | kept.secret)
        node.under_way -= 1
        self._go_on(node)
        return len(self._ready) - before

    def _go_on(self, node: _Node) -> None:
        """Begin what may begin of a suite; when all of it has ended, what waited for it."""
        while node.phase < _OVER:
            if node.phase == _SET_UP and not node.waiting[_SET_UP] and not node.under_way:
                self._was_set_up(node)
            waiting = node.waiting[node.phase]
            while waiting and not (node.under_way and node.one_by_one):
                node.under_way += 1
                self._begin(waiting.popleft(), node)
            if node.under_way:
                return
            if not waiting:
                node.phase += 1
        if node.above is not None:
            node.above.under_way -= 1
            self._go_on(node.above)

    def _begin(self, item: int | _Node, of: _Node) -> None:
        if isinstance(item, int):
            # by its place among the others: whoever waits for a case before waits for one that runs
            if self._ready and item < self._ready[-1]:
                insort(self._ready, item)
            else:
                self._ready.append(item)
            return
        item.bad, item.bad_outside = of.bad, of.bad is not None
        self._go_on(item)

    def _was_set_up(self, node: _Node) -> None:
        """Another runner may have set it up."""
        suite = node.suite
        if suite is None or not suite.set_up or id(suite) in self._handed:
            return
        before = self._supplies.handed(suite.id, node.environment)
        if before is not None:
            self._handed[id(suite)], bad = before
            node.bad = node.bad or bad
            _began(node)


def _place_of(item: int | _Node) -> int:
    return item if isinstance(item, int) else item.place


def _began(node: _Node | None) -> None:
    while node is not None:
        node.begun = True
        node = node.above
