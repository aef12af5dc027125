"""What rows of a run that went wrong have in common: of very many rows a part is looked at, evenly
taken, of those that went wrong first."""

from __future__ import annotations

from collections import defaultdict
from typing import Any

from saltpath.core.statistics.in_common import ALPHA, Claim, Feature, in_common
from saltpath.server.context import database
from saltpath.store import evidence, run_rows
from saltpath.store.evidence import StepHead

MOST_OF_A_KIND = 3_000
AT_ONCE = 500
_DID = {"failed": "failed", "blocked": "were blocked"}


def common(
    run: int, position: int, names: dict[tuple[str, int], str]
) -> tuple[list[Claim], int, bool]:
    """Claims, how many rows were looked at, and whether these are all. `names`: of the steps, by
    part and index."""
    passed = run_rows.numbers(database("evidence"), run, position, ("passed",))
    good = _evenly(passed)
    claims: list[Claim] = []
    looked, whole = set(good), len(good) == len(passed)
    for verdict, did in _DID.items():
        numbers = run_rows.numbers(database("evidence"), run, position, (verdict,))
        bad = _evenly(numbers)
        whole = whole and len(bad) == len(numbers)
        if bad and good:
            chosen = sorted([*bad, *good])
            wrong = set(bad)
            features = _features(run, position, chosen, names)
            claims += in_common(features, [row in wrong for row in chosen], did, ALPHA / len(_DID))
            looked |= wrong
    return claims, len(looked), whole


def _evenly(numbers: list[int]) -> list[int]:
    if len(numbers) <= MOST_OF_A_KIND:
        return numbers
    step = len(numbers) / MOST_OF_A_KIND
    return [numbers[int(at * step)] for at in range(MOST_OF_A_KIND)]


def _features(
    run: int, position: int, rows: list[int], names: dict[tuple[str, int], str]
) -> list[Feature]:
    """The columns of the rows, and of each step that all of them reached its time, status and
    size."""
    data: dict[int, dict[str, Any]] = {}
    steps: dict[tuple[str, int], dict[int, StepHead]] = defaultdict(dict)
    for begin in range(0, len(rows), AT_ONCE):
        some = rows[begin : begin + AT_ONCE]
        data |= run_rows.data_of_rows(database("evidence"), run, position, some)
        for head in evidence.heads_of_rows(database("evidence"), run, position, some):
            if head.verdict != "skipped":
                steps[head.part, head.step][head.row] = head
    columns = dict.fromkeys(name for values in data.values() for name in values)
    found = [Feature(name, [data.get(row, {}).get(name) for row in rows]) for name in columns]
    for (part, index), heads in steps.items():
        if part != "steps":
            continue
        step = names.get((part, index), f"step {index + 1}")
        of = [heads.get(row) for row in rows]
        found.append(
            Feature(f"the time of {step}", [head.us / 1000 if head else ... for head in of], "ms")
        )
        found.append(
            Feature(f"the status of {step}", [str(head.status) if head else ... for head in of])
        )
        found.append(
            Feature(
                f"the size of {step}’s answer",
                [float(head.size) if head else ... for head in of],
                "bytes",
            )
        )
    return found
