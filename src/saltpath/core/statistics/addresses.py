"""What a run asked, by address: how often, how much of it passed, how long it took."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

from msgspec import Struct, field


class Asked(Struct, frozen=True):
    """One address. Lengths in microseconds, connecting included."""

    address: str
    """The method and the address as the step writes it, references and all."""
    requests: int
    """Steps that sent it; one that repeats counts once."""
    passed: int
    failed: int
    blocked: int
    median_us: int
    slowest_us: int
    slowest: tuple[int, int]
    """The position of the case, and the row, in which it took longest."""


class _Counted(Struct):
    lengths: list[int] = field(default_factory=list)
    verdicts: dict[str, int] = field(default_factory=dict)
    slowest: tuple[int, int, int] = (-1, 0, 0)


def by_address(steps: Iterable[tuple[str, str, int, int, int]]) -> list[Asked]:
    """Of steps as (address, verdict, length, position, row), those first of which least passed,
    then the slowest."""
    counted: dict[str, _Counted] = {}
    for address, verdict, us, position, row in steps:
        one = counted.setdefault(address, _Counted())
        one.lengths.append(us)
        one.verdicts[verdict] = one.verdicts.get(verdict, 0) + 1
        one.slowest = max(one.slowest, (us, position, row))
    found = [
        Asked(
            address,
            len(one.lengths),
            one.verdicts.get("passed", 0),
            one.verdicts.get("failed", 0),
            one.verdicts.get("blocked", 0),
            quantile(one.lengths, 0.5),
            one.slowest[0],
            one.slowest[1:],
        )
        for address, one in counted.items()
    ]
    return sorted(
        found,
        key=lambda one: (-(one.failed + one.blocked) / one.requests, -one.slowest_us, one.address),
    )


def quantile(values: Sequence[int], q: float) -> int:
    """The value at rank ceil(q n) of the sorted values (nearest rank)."""
    return sorted(values)[max(math.ceil(q * len(values)), 1) - 1]
