"""Collects a run's events into a tree: cases, their rows, their steps. Reports are written from
it."""

from __future__ import annotations

from collections import Counter

from msgspec import Struct, field

from saltpath.core.running.compiled import CompiledCase
from saltpath.core.running.events import (
    CaseFinished,
    Event,
    RowFinished,
    RunFinished,
    RunStarted,
    StepFinished,
)
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import Why


class CaseResult(Struct):
    """One case: its verdict, its finished steps and rows in the order in which they ended, and how
    many rows had which verdict."""

    planned: CompiledCase
    verdict: Verdict = "skipped"
    why: Why | None = None
    us: int = 0
    steps: list[StepFinished] = field(default_factory=list)
    rows: list[RowFinished] = field(default_factory=list)
    row_counts: Counter[str] = field(default_factory=Counter)


class Results(Struct):
    """A consumer of events: call `take` with each. `keep` False: only counts are kept, so that a
    million rows take no memory; no report can be written then but that of the terminal."""

    cases: list[CaseResult]
    seed: int = 0
    started: int = 0
    environment: str = ""
    verdict: Verdict = "skipped"
    us: int = 0
    stopped_by: str = ""
    label: str = ""
    keep: bool = True
    step_counts: Counter[str] = field(default_factory=Counter)
    check_counts: Counter[str] = field(default_factory=Counter)

    def take(self, event: Event) -> None:
        if isinstance(event, StepFinished):
            self._step(event)
        elif isinstance(event, RowFinished):
            self.cases[event.case].row_counts[event.verdict] += 1
            if self.keep:
                self.cases[event.case].rows.append(event)
        elif isinstance(event, CaseFinished):
            case = self.cases[event.case]
            case.verdict, case.why, case.us = event.verdict, event.why, event.us
        elif isinstance(event, RunStarted):
            self.seed, self.started, self.environment = event.seed, event.at, event.environment
        elif isinstance(event, RunFinished):
            self.verdict, self.us, self.stopped_by = event.verdict, event.us, event.stopped_by

    def _step(self, event: StepFinished) -> None:
        if self.keep:
            self.cases[event.case].steps.append(event)
        if event.counts and event.kind not in ("shared", "for each"):
            self.step_counts[event.verdict] += 1
        for outcome in event.outcomes:
            self.check_counts[outcome.verdict] += 1

    def counts(self) -> dict[str, dict[str, int]]:
        """How many cases, rows, steps and checks had which verdict. Steps that do not count are
        left out, and those that only hold others."""
        rows = sum((case.row_counts for case in self.cases), Counter[str]())
        return {
            "cases": dict(Counter(case.verdict for case in self.cases)),
            "rows": dict(rows),
            "steps": dict(self.step_counts),
            "checks": dict(self.check_counts),
        }
