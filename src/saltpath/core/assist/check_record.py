"""How often each check of a case failed in its runs: one that never did may check nothing."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from msgspec import Struct

from saltpath.core.checks.outcome import Outcome

Key = tuple[str, str]
"""A step's key, and the check as it is written."""


class Judged(Struct, frozen=True):
    """What a step came to in a run: its key, what it is called, its checks."""

    key: str
    name: str
    outcomes: Sequence[Outcome]


class CheckRecord(Struct, frozen=True):
    """A check: in how many runs it was judged (one that was blocked was not), and in how many of
    these it failed at least once."""

    key: str
    step: str
    check: str
    runs: int
    failed: int


def records(runs: Iterable[Iterable[Judged]]) -> list[CheckRecord]:
    """Of every check that was judged in some of these runs, the newest first, in the order in which
    they stand; without advice, which never counts."""
    names: dict[Key, str] = {}
    judged: dict[Key, int] = {}
    failed: dict[Key, int] = {}
    for steps in runs:
        held: dict[Key, bool] = {}
        for step in steps:
            for outcome in step.outcomes:
                if outcome.advice or outcome.verdict not in ("passed", "failed"):
                    continue
                key = (step.key, outcome.check)
                names.setdefault(key, step.name)
                held[key] = held.get(key, True) and outcome.verdict == "passed"
        for key, good in held.items():
            judged[key] = judged.get(key, 0) + 1
            failed[key] = failed.get(key, 0) + (not good)
    return [
        CheckRecord(key, names[key, check], check, judged[key, check], failed[key, check])
        for key, check in names
    ]
