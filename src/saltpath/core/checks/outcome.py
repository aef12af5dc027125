"""What became of a check or a group of checks."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import msgspec

from saltpath.core.answers.subjects import UNITS
from saltpath.core.values import measures
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import Why

MOST_PLACES = 20
LONGEST_SHOWN = 2000
"""Characters of an actual value that a reader sees."""


class Outcome(msgspec.Struct, frozen=True, gc=False):
    """`where` holds the exact location of each offending node (the first 20). A group has `parts`;
    a part that is a condition has the role `when`. `origin` says where a check comes from that the
    step does not have itself: `project`, `suite` or `case` (checks on every answer), or `until`."""

    verdict: Verdict
    check: str
    expected: Any = None
    actual: Any = None
    where: tuple[str, ...] = ()
    why: Why | None = None
    advice: bool = False
    note: str = ""
    parts: tuple[Outcome, ...] = ()
    role: str = ""
    origin: str = ""
    whole: bool = False
    """Whether later runs compare with its actual value, so that all of it is kept."""
    of: str = ""
    """The subject as the check writes it; of a group `for each` the list that it goes over."""
    relation: str = ""
    """The check's relation, or the group's kind."""

    @property
    def unit(self) -> str:
        """What its actual value is measured in (`duration`, `size`), as `measures.show_in` takes
        it; empty for all others."""
        # records of before have no `of`
        kind = self.of.partition(" | ")[0] if self.of else self.check.partition(" ")[0]
        return UNITS.get(kind, "")

    @property
    def was(self) -> str:
        """Its actual value as a reader sees it; nothing of what was skipped, which saw nothing."""
        if self.verdict == "skipped":
            return ""
        return measures.show_in(self.actual, self.unit, LONGEST_SHOWN)

    @property
    def counts(self) -> bool:
        """Whether it counts for the step's verdict: advice is shown, and never counts."""
        return not self.advice and self.verdict != "skipped"


def verdict_of(outcomes: Iterable[Outcome]) -> Verdict:
    """A step's verdict from its checks: failed > blocked > passed; without any judged one of its
    own, unchecked."""
    verdict: Verdict = "unchecked"
    for outcome in outcomes:
        one = outcome.verdict
        if one == "passed":
            if verdict == "unchecked" and not outcome.advice and not outcome.origin:
                verdict = "passed"
        elif outcome.advice or one == "skipped":
            continue
        elif one == "failed":
            return "failed"
        else:
            verdict = "blocked"
    return verdict
