"""Verdicts and how they add up: failed > blocked > unchecked > passed; skipped parts do not count,
unless all are."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

Verdict = Literal["passed", "failed", "blocked", "skipped", "unchecked"]
WORST_FIRST: tuple[Verdict, ...] = ("failed", "blocked", "unchecked", "passed")


def worst(verdicts: Iterable[Verdict]) -> Verdict:
    """The worst of the parts; skipped if there are none, or all are skipped."""
    seen = set(verdicts)
    for verdict in WORST_FIRST:
        if verdict in seen:
            return verdict
    return "skipped"
