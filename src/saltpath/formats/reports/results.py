"""Collects a run's events, so that reports can be written of it once it has ended."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from msgspec import Struct, field

from saltpath.core.running.builds import with_build
from saltpath.core.running.cause_sentences import CauseCount, sentence, who
from saltpath.core.running.causes import FailureFinder
from saltpath.core.running.compiled import CompiledCase, Destination
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
from saltpath.formats.reports.report import (
    Counts,
    Report,
    ReportedCase,
    ReportedCause,
    ReportedRow,
)


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

    def ended_rows(self) -> Iterator[ReportedRow]:
        """The rows in their order, with their steps."""
        of_row: dict[int, list[StepFinished]] = {}
        for step in self.steps:
            of_row.setdefault(step.row, []).append(step)
        for row in sorted(self.rows, key=lambda row: row.row):
            steps = of_row.get(row.row, [])
            yield ReportedRow(row.row, row.verdict, row.why, row.us, row.data or {}, steps)


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
    destinations: tuple[Destination, ...] = ()
    """Where its cases go; of one nothing needs to be said."""
    read_build: str = ""
    """The builds that steps have met."""
    keep: bool = True
    tally: Counts = field(default_factory=Counts)
    causes: CauseCount = field(default_factory=CauseCount)
    _failures: FailureFinder | None = None

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
        if self.keep and isinstance(event, (StepFinished, RowFinished, CaseFinished)):
            self._cause(event)

    def _step(self, event: StepFinished) -> None:
        if self.keep:
            self.cases[event.case].steps.append(event)
        self.tally.step(event)
        if event.build:
            self.read_build = with_build(self.read_build, event.build)

    def _cause(self, event: StepFinished | RowFinished | CaseFinished) -> None:
        if self._failures is None:
            self._failures = FailureFinder([result.planned.case for result in self.cases])
        failure = self._failures.find(event)
        if failure is not None:
            self.causes.add(event.case, getattr(event, "row", 0), failure)

    def counts(self) -> dict[str, dict[str, int]]:
        """How many cases, rows, steps and checks had which verdict."""
        self.tally.cases = Counter(case.verdict for case in self.cases)
        self.tally.rows = sum((case.row_counts for case in self.cases), Counter[str]())
        return self.tally.plain()

    def report(self) -> Report:
        """What reports tell of it."""
        alone = self.cases[0] if len(self.cases) == 1 else None
        cases = [(result.planned.file, self._where(result)) for result in self.cases]
        return Report(
            self.verdict,
            self.seed,
            self.started,
            self.us,
            Counter(case.verdict for case in self.cases),
            self._reported,
            [
                ReportedCause(
                    who(
                        cause,
                        self.cases[cause.first].planned.case.name,
                        self.cases[cause.first].planned.case.rows is not None,
                        alone is not None,
                        [cases[at] for at in self.causes.positions(cause.signature)],
                        len({where for _, where in cases}),
                    ),
                    sentence(cause),
                    cause.failure.verdict,
                    cause.cases,
                )
                for cause in self.causes.causes()
            ],
            title=alone.planned.case.name if alone else f"{len(self.cases)} cases",
            environment=self.environment,
            build=self.label or self.read_build,
            stopped_by=self.stopped_by,
            rows=alone.row_counts if alone and alone.planned.case.rows is not None else None,
        )

    def _where(self, result: CaseResult) -> str:
        """Where a case went, of a run against several environments."""
        several = len(self.destinations) > 1
        return self.destinations[result.planned.goes].name if several else ""

    def _reported(self) -> Iterator[ReportedCase]:
        for position, result in enumerate(self.cases):
            planned = result.planned
            yield ReportedCase(
                position,
                planned.case.name,
                planned.case.key,
                planned.case.register,
                planned.file,
                planned.suite.name if planned.suite else "",
                result.verdict,
                result.why,
                result.us,
                planned.case.rows is not None,
                [step for step in result.steps if not step.row],
                result.ended_rows,
                self._where(result),
            )
