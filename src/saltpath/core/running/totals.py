"""What a run adds up to: steps to a row, rows to a case, cases to a run. One way for what is
carried out and for what was recorded, so that a run that was interrupted and gone on with ends as
its record says.

Whatever the plan holds is accounted for: recorded, interrupted, or not carried out. What is missing
is blocked, so that nothing of which a part is missing has passed.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from typing import Protocol

import msgspec
from msgspec import Struct, field

from saltpath.core.values.verdicts import Verdict, worst
from saltpath.core.values.why import MaskedWhy, said

STOPPED = "stopped"
"""The code of the reason that a run was stopped before something was carried out."""
_BAD = {"failed": "failed", "blocked": "were blocked", "unchecked": "are unchecked"}


class Ended(Protocol):
    """How a step ended, as far as it matters for what it is a part of: an event, or what was
    recorded of one."""

    @property
    def name(self) -> str: ...
    @property
    def verdict(self) -> Verdict: ...
    @property
    def why(self) -> MaskedWhy | None: ...
    @property
    def counts(self) -> bool:
        """Whether it counts for the row's verdict; `set`, `wait` and cleaning up without checks do
        not."""

    @property
    def judged(self) -> bool:
        """Whether one of its own checks was judged."""

    @property
    def us(self) -> int: ...
    @property
    def inner(self) -> str:
        """Where it stands inside a step (see events.py)."""


class RecordedStep(msgspec.Struct, frozen=True, gc=False):
    """How a step ended, as it was recorded."""

    name: str
    verdict: Verdict
    why: MaskedWhy | None
    counts: bool
    judged: bool
    us: int = 0
    inner: str = ""


class StepsTotal(Struct):
    """What the steps of a row, or those around all rows, add up to."""

    counted: list[Verdict] = field(default_factory=list)
    judged: bool = False
    bad: Ended | None = None
    """The first that failed or was blocked."""
    skipped: Ended | None = None
    """The first that was skipped."""
    missing: Ended | None = None
    """The first that was not reached because the run was stopped."""
    us: int = 0
    number: int = 0

    def add(self, step: Ended) -> None:
        self.number += 1
        self.us += step.us
        if step.counts:
            self.counted.append(step.verdict)
        self.judged = self.judged or step.judged
        if self.bad is None and step.verdict in ("failed", "blocked"):
            self.bad = step
        if step.verdict == "skipped":
            self.skipped = self.skipped or step
            if self.missing is None and step.why is not None and step.why.code == STOPPED:
                self.missing = step

    def verdict(self) -> Verdict:
        """The worst of the parts; unchecked if no check was judged at all; blocked where a part was
        not reached."""
        verdict = worst(self.counted)
        if self.missing is not None and self.bad is None and self.judged:
            return "blocked"
        return (
            "unchecked"
            if not self.counted or (verdict == "passed" and not self.judged)
            else verdict
        )

    @property
    def why(self) -> MaskedWhy | None:
        """The reason of the verdict, where there is one."""
        step = self.bad or self.missing
        return step.why if step is not None else None


class RowsTotal(Struct):
    """What the rows of a case add up to: how many of each verdict, and the first of each with its
    reason."""

    counts: Counter[Verdict] = field(default_factory=Counter)
    first: dict[Verdict, tuple[int, MaskedWhy | None]] = field(default_factory=dict)

    def add(self, row: int, verdict: Verdict, reason: MaskedWhy | None) -> None:
        self.counts[verdict] += 1
        if verdict not in self.first or row < self.first[verdict][0]:
            self.first[verdict] = (row, reason)

    @property
    def number(self) -> int:
        return sum(self.counts.values())

    @property
    def verdict(self) -> Verdict:
        return worst(self.counts)

    @property
    def why(self) -> MaskedWhy | None:
        """Of the worst verdict how many rows, and the first of them."""
        verdict = self.verdict
        if verdict not in ("failed", "blocked"):
            return None
        row, reason = self.first[verdict]
        code = "rows-bad-one" if self.number == 1 else "rows-bad"
        problem = reason.sentence if reason else ""
        did = "was blocked" if self.number == 1 and verdict == "blocked" else _BAD[verdict]
        return said(
            code, bad=self.counts[verdict], rows=self.number, verdict=did, row=row, problem=problem
        )


class Planned(msgspec.Struct, frozen=True, gc=False):
    """What the plan held of a case, once it has ended."""

    begun: bool = True
    """False: the run was stopped before the case began."""
    has_rows: bool = False
    rows: int | None = 1
    """How many rows the source has; None where it was not read to its end."""
    steps: int = 0
    """How many steps a row has, those inside others left out; of a case without rows."""
    around: int = 0
    """How many steps stand around the rows."""
    problem: MaskedWhy | None = None
    """Why there are no rows, or why they end."""
    stopped_by: str = ""


def case_outcome(
    planned: Planned, around: StepsTotal, rows: RowsTotal, steps: int | None = None
) -> tuple[Verdict, MaskedWhy | None]:
    """A case's verdict and its reason. `around` are the steps around its rows, `rows` how its rows
    ended, `steps` how many steps its only row has, where that is counted from a record."""
    if not planned.begun:
        return "skipped", said(STOPPED, by=planned.stopped_by)
    counted: list[Verdict] = [*around.counted, *rows.counts]
    problem = planned.problem or _missing(planned, around, rows, steps)
    if problem is not None:
        counted.append("blocked")
    verdict = worst(counted)
    if around.bad is not None and verdict == around.bad.verdict:
        return verdict, around.bad.why
    if problem is not None and verdict == "blocked":
        return verdict, problem
    if planned.has_rows:
        return verdict, rows.why
    return verdict, rows.first.get(rows.verdict, (0, None))[1]


def _missing(
    planned: Planned, around: StepsTotal, rows: RowsTotal, steps: int | None
) -> MaskedWhy | None:
    """Why something that the plan holds was not carried out; None where all of it was, or where
    steps before the rows ended it."""
    if around.bad is None and (planned.rows is None or rows.number < planned.rows):
        if planned.stopped_by and planned.has_rows:
            return said("stopped-at-row", by=planned.stopped_by, rows=rows.number)
        if planned.stopped_by:
            return said(STOPPED, by=planned.stopped_by)
        return said(
            "not-recorded",
            recorded=rows.number,
            planned="all" if planned.rows is None else planned.rows,
            of="rows",
        )
    if steps is not None and steps < planned.steps and not planned.has_rows:
        return said("not-recorded", recorded=steps, planned=planned.steps, of="steps")
    if around.number < planned.around:
        return said(
            "not-recorded",
            recorded=around.number,
            planned=planned.around,
            of="steps around the rows",
        )
    return None


def run_verdict(cases: Iterable[tuple[Verdict | None, MaskedWhy | None]]) -> Verdict:
    """A run's verdict from those of its cases with their reasons. A case that was not recorded
    (None), or not begun because the run was stopped, is missing, and a run of which something is
    missing has not passed."""
    ended = list(cases)
    missing = any(
        verdict is None or (reason is not None and reason.code == STOPPED)
        for verdict, reason in ended
    )
    known = [verdict for verdict, _ in ended if verdict is not None]
    if missing and any(verdict != "skipped" for verdict in known):
        known.append("blocked")
    return worst(known)
