"""A step sent by itself: which kept values it would need that are not there, and which earlier
steps would keep them."""

from __future__ import annotations

from collections.abc import Collection

from msgspec import Struct

from saltpath.core.cases.case import Case
from saltpath.core.running.step_references import used_names


class Needs(Struct, frozen=True):
    """What some steps need beside themselves, by the steps' indexes in the case's `steps`."""

    sent: tuple[int, ...]
    """Earlier steps that would have to be sent, in order."""
    set: tuple[int, ...]
    """Those that only set values: they send nothing, and so they go along."""
    names: tuple[str, ...]
    """The values that are missing, and that these steps keep."""
    once: tuple[str, ...]
    """Missing values that only what runs once before the rows keeps."""


def needs(case: Case, wanted: Collection[int], known: Collection[str]) -> Needs:
    """`known`: the names of kept values that are there."""
    found, waiting, there = set(wanted), list(wanted), set(known)
    missing: dict[str, None] = {}
    once: dict[str, None] = {}
    kept_once = {name for step in case.once for name in step.keeps()}
    while waiting:
        at = waiting.pop()
        for name in sorted(used_names(case.steps[at]) - there):
            keeper = next(
                (
                    i
                    for i in range(at - 1, -1, -1)
                    if not case.steps[i].off and name in case.steps[i].keeps()
                ),
                None,
            )
            if keeper is None:
                if name in kept_once:
                    once[name] = None
                continue
            if not case.steps[keeper].only_sets:
                missing[name] = None
            if keeper not in found:
                found.add(keeper)
                waiting.append(keeper)
    more = sorted(found - set(wanted))
    silent = tuple(index for index in more if case.steps[index].only_sets)
    return Needs(
        tuple(index for index in more if index not in silent), silent, tuple(missing), tuple(once)
    )
