"""Collects a run's events into a tree: cases, their rows, their steps. Reports are written from it."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field

from saltpath.core.events import CaseFinished, Event, RowFinished, RunFinished, RunStarted, StepFinished
from saltpath.core.plan import PlannedCase
from saltpath.core.verdicts import Verdict
from saltpath.core.why import Why


@dataclass(slots=True)
class CaseResult:
    """One case: its verdict and its finished steps in order."""

    planned: PlannedCase
    verdict: Verdict = "skipped"
    why: Why | None = None
    us: int = 0
    steps: list[StepFinished] = field(default_factory=list)
    row: RowFinished | None = None


@dataclass(slots=True)
class Results:
    """A consumer of events: call `take` with each."""

    cases: list[CaseResult]
    seed: int = 0
    started: int = 0
    environment: str = ""
    verdict: Verdict = "skipped"
    us: int = 0
    stopped_by: str = ""
    label: str = ""

    def take(self, event: Event) -> None:
        if isinstance(event, StepFinished):
            self.cases[event.case].steps.append(event)
        elif isinstance(event, RowFinished):
            self.cases[event.case].row = event
        elif isinstance(event, CaseFinished):
            case = self.cases[event.case]
            case.verdict, case.why, case.us = event.verdict, event.why, event.us
        elif isinstance(event, RunStarted):
            self.seed, self.started, self.environment = event.seed, event.at, event.environment
        elif isinstance(event, RunFinished):
            self.verdict, self.us, self.stopped_by = event.verdict, event.us, event.stopped_by

    def counts(self) -> dict[str, dict[str, int]]:
        """How many cases, rows, steps and checks had which verdict. Steps that do not count are left out, and those that
        only hold others."""
        steps = [step for case in self.cases for step in case.steps]
        counted = [step for step in steps if step.counts and step.kind not in ("shared", "for each")]
        return {
            "cases": dict(Counter(case.verdict for case in self.cases)),
            "rows": dict(Counter(case.row.verdict for case in self.cases if case.row)),
            "steps": dict(Counter(step.verdict for step in counted)),
            "checks": dict(Counter(outcome.verdict for step in steps for outcome in step.outcomes)),
        }
