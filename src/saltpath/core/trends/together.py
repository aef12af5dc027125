"""What became slower or quicker at once, and of one cause, told once: of a case, its step, the
shared steps that it stands in, the operation that it asks and the host it is one that says most."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

from msgspec import Struct

from saltpath.core.trends.changes import Moved
from saltpath.core.trends.followed import Kind

NEAR = 6
"""Runs within which shifts of one cause are found."""
OF_HOST = 5
"""From so many steps on that changed together it is the host."""
OF_OPERATION = 2


class Shifted(Struct, frozen=True):
    """A shift, and of what it is: the number of the series, its kind, the number of the case or
    shared steps that it is or belongs to, the operation that it asks or is; `place`: that of the
    run among all runs, in their order."""

    series: int
    kind: Kind
    owner: int
    operation: str
    place: int
    moved: Moved


class Told(Struct, frozen=True):
    """One that is told, with the others that came of it."""

    lead: Shifted
    others: tuple[Shifted, ...]


def told_once(shifted: Sequence[Shifted], uses: Mapping[int, Collection[int]]) -> list[Told]:
    """The greatest change first. `uses`: the shared steps of each case, by their numbers."""
    found: list[Told] = []
    for group in _groups(shifted):
        led = {one.series: _leader(one, group, uses) for one in group}
        for one in group:
            if led[one.series] == one.series:
                others = [
                    other
                    for other in group
                    if _last(other.series, led) == one.series != other.series
                ]
                found.append(Told(one, tuple(others)))
    return sorted(found, key=lambda told: (-_size(told.lead.moved), told.lead.series))


def _size(moved: Moved) -> float:
    return max(moved.ratio, 1 / moved.ratio)


def _groups(shifted: Sequence[Shifted]) -> list[list[Shifted]]:
    """Those that went the same way at about the same run."""
    found: list[list[Shifted]] = []
    for slower in (True, False):
        last: list[Shifted] = []
        there = [one for one in shifted if (one.moved.ratio > 1) == slower]
        for one in sorted(there, key=lambda one: (one.place, one.series)):
            if last and one.place - last[-1].place <= NEAR:
                last.append(one)
            else:
                last = [one]
                found.append(last)
    return found


def _leader(one: Shifted, group: Sequence[Shifted], uses: Mapping[int, Collection[int]]) -> int:
    """The number of the series that says more than this one; its own where none does."""
    steps = [other for other in group if other.kind == "step"]
    shared = {other.owner: other.series for other in group if other.kind == "shared"}
    hosts = [other.series for other in group if other.kind == "host"]
    if hosts and len({step.series for step in steps}) >= OF_HOST and one.kind != "host":
        return hosts[0]
    if one.kind == "case":
        of_it = next((other.series for other in steps if other.owner == one.owner), None)
        there = next((shared[id] for id in uses.get(one.owner, ()) if id in shared), None)
        return of_it or there or one.series
    if one.kind == "host":
        own = len({step.series for step in steps}) >= OF_HOST or not steps
        return one.series if own else steps[0].series
    if one.kind == "operation":
        asked = [step for step in steps if step.operation == one.operation]
        return asked[0].series if 0 < len(asked) < OF_OPERATION else one.series
    if one.kind == "step":
        alike = [step.series for step in steps if step.operation == one.operation != ""]
        of_all = _asked_by_several(one, group) or shared.get(one.owner)
        return of_all or min(alike, default=one.series)
    inside = [step for step in steps if step.owner == one.owner]
    return next((led for step in inside if (led := _asked_by_several(step, group))), one.series)


def _asked_by_several(one: Shifted, group: Sequence[Shifted]) -> int | None:
    """The number of the operation that a step asks, where other steps that ask it changed, too."""
    alike = [other for other in group if other.operation == one.operation]
    steps = sum(other.kind == "step" for other in alike)
    asked = next((other.series for other in alike if other.kind == "operation"), None)
    return asked if steps >= OF_OPERATION else None


def _last(series: int, led: Mapping[int, int]) -> int:
    seen = set()
    while led[series] != series and series not in seen:
        seen.add(series)
        series = led[series]
    return series
