"""What leaves the engine. Everything that looks at a run is a consumer of this stream: terminal,
reports, store.

Secrets are masked before an event is made. Times are UTC microseconds (`at`) or lengths in
microseconds (`us`). `case` is the case's index in the plan, `step` a step's index in its part,
`row` counts from 1 (a case without rows has one). `inner`: where a step stands inside that one,
empty for the step itself: `2` is the third of its shared steps, `7.0` the first step for the
seventh item, `2/7.0` that one inside the third shared step. A step inside ends before the one that
holds it.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import msgspec

from saltpath.core.answers.exchange import Exchange
from saltpath.core.cases.case import Part
from saltpath.core.checks.judge import Outcome
from saltpath.core.running.totals import Planned
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import MaskedWhy


class RunStarted(msgspec.Struct, frozen=True, gc=False):
    at: int
    seed: int
    environment: str
    cases: int


class CaseStarted(msgspec.Struct, frozen=True, gc=False):
    at: int
    case: int


class RowStarted(msgspec.Struct, frozen=True, gc=False):
    at: int
    case: int
    row: int


class StepStarted(msgspec.Struct, frozen=True, gc=False):
    at: int
    case: int
    row: int
    part: Part
    step: int
    inner: str = ""


class Wrote(msgspec.Struct, frozen=True, gc=False):
    """A row of an output table, by column."""

    table: str
    cells: Mapping[str, Any]


class StepFinished(msgspec.Struct, frozen=True, gc=False):
    """`exchanges` in the order in which they went (redirects first, the answer that was judged
    last). `used` holds what each reference resolved to. Steps that do not count (set, wait,
    cleaning up without checks) are left out of the row's verdict. Steps of `once` and `at the end`
    have row 0. `attempts`: how often a step that repeats was sent; `exchanges` then holds the first
    attempt's and the last one's. `wrote`: its row of an output table."""

    at: int
    case: int
    row: int
    part: str
    step: int
    key: str
    name: str
    kind: str
    verdict: Verdict
    why: MaskedWhy | None
    us: int
    status: int
    exchanges: tuple[Exchange, ...]
    outcomes: tuple[Outcome, ...]
    kept: Mapping[str, Any]
    used: Mapping[str, Any]
    secret_kept: tuple[str, ...] = ()
    counts: bool = True
    attempts: int = 1
    inner: str = ""
    wrote: Wrote | None = None
    judged: bool = False
    """Whether one of its own checks was judged, or of a step inside it."""
    build: str = ""
    """Which build of the service it says that it met."""


class RowFinished(msgspec.Struct, frozen=True, gc=False):
    """`data`: the row's values by column, of a case that has rows."""

    at: int
    case: int
    row: int
    verdict: Verdict
    why: MaskedWhy | None
    us: int
    data: Mapping[str, Any] | None = None


class CaseFinished(msgspec.Struct, frozen=True, gc=False):
    at: int
    case: int
    verdict: Verdict
    why: MaskedWhy | None
    us: int
    planned: Planned = Planned()
    """What the plan held of the case, against which its record is held."""


class RunFinished(msgspec.Struct, frozen=True, gc=False):
    """`stopped_by` names who stopped it, or is empty."""

    at: int
    verdict: Verdict
    us: int
    stopped_by: str = ""


Event = (
    RunStarted
    | CaseStarted
    | RowStarted
    | StepStarted
    | StepFinished
    | RowFinished
    | CaseFinished
    | RunFinished
)
