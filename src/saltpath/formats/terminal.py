"""What a terminal shows while a run goes on: failures as they happen, progress, and the outcome in
one sentence."""

from __future__ import annotations

import re
import sys
import time
from collections.abc import Callable
from typing import Any, TextIO

from saltpath.core.running.compiled import CompiledPlan
from saltpath.core.running.events import (
    CaseFinished,
    CaseStarted,
    Event,
    RowFinished,
    RowStarted,
    StepFinished,
    StepStarted,
)
from saltpath.core.values.measures import counted, show_duration, show_in
from saltpath.formats.results import Results

MARKS = {"passed": "✓", "failed": "✗", "blocked": "▲", "unchecked": "○", "skipped": "-"}
PERIOD_S = 0.05
MOST_TOLD = 100
_COLOURS = {"passed": "32", "failed": "31", "blocked": "33", "unchecked": "90", "skipped": "90"}


_CONTROL = re.compile(r"[\x00-\x08\x0b-\x1f\x7f-\x9f\u202a-\u202e\u2066-\u2069]")


def printable(text: str) -> str:
    """Text that changes nothing but what is written: an answer, or somebody's file, could hold
    codes that move the cursor, colour the terminal or turn the writing round."""
    return _CONTROL.sub("\ufffd", text)


class Terminal:
    """A consumer of events. On a terminal one line at the bottom shows what is under way; elsewhere
    plain lines."""

    def __init__(self, plan: CompiledPlan, out: TextIO = sys.stdout, quiet: bool = False) -> None:
        self._plan = plan
        self._out = out
        self._quiet = quiet
        self._live = out.isatty() and not quiet
        self._done = 0
        self._rows = self._told = 0
        self._not_begun: set[tuple[int, int]] = set()
        self._shown = 0.0
        self._colour = self._live

    def take(self, event: Event) -> None:
        if isinstance(event, StepFinished):
            self._step(event)
        elif isinstance(event, RowFinished):
            self._rows += 1
            self._row(event)
        elif isinstance(event, RowStarted):
            self._not_begun.add((event.case, event.row))
        elif isinstance(event, CaseFinished):
            self._done += 1
            self._rows = self._told = 0
            self._case(event)
        elif isinstance(event, (CaseStarted, StepStarted)):
            if isinstance(event, StepStarted):
                self._not_begun.discard((event.case, event.row))
            if self._live and time.monotonic() - self._shown > PERIOD_S:
                self._shown = time.monotonic()
                self._progress(event)

    def _progress(self, event: Any) -> None:
        case = self._plan.cases[event.case].case
        doing = ""
        if isinstance(event, StepStarted) and not event.inner:
            doing = f": {case.part(event.part)[event.step].name}"
        rows = f" · {counted(self._rows, 'row')}" if case.rows is not None else ""
        line = f"{self._done} of {len(self._plan.cases)} cases · {case.name}{rows}{doing}"
        self._out.write("\r\x1b[2K" + printable(line[:100]).replace("\n", " "))
        self._out.flush()

    def _line(self, text: str, verdict: str = "", indent: int = 0) -> None:
        """A line; with a verdict, behind its mark."""
        mark = f"{self._mark(verdict)} " if verdict else ""
        self._out.write(
            ("\r\x1b[2K" if self._live else "") + " " * indent + mark + printable(text) + "\n"
        )
        self._out.flush()

    def _mark(self, verdict: str) -> str:
        mark = MARKS[verdict]
        return f"\x1b[{_COLOURS[verdict]}m{mark}\x1b[0m" if self._colour else mark

    def _case(self, event: CaseFinished) -> None:
        if self._quiet and event.verdict == "passed":
            return
        name = self._plan.cases[event.case].case.name
        self._line(f"{event.verdict:9} {name} ({show_duration(event.us)})", event.verdict)
        if self._plan.cases[event.case].case.rows is not None and event.why is not None:
            self._line(event.why.sentence, indent=12)

    def _step(self, event: StepFinished) -> None:
        if event.verdict not in ("failed", "blocked") and not (
            event.verdict == "unchecked" and event.counts
        ):
            return
        if event.why and event.why.code.startswith("inside"):
            return  # the step inside has said it
        self._told += 1
        if self._told > MOST_TOLD:
            if self._told == MOST_TOLD + 1:
                self._line("more of this case did not pass; the reports say what", indent=2)
            return
        case = self._plan.cases[event.case].case
        reason = event.why.sentence if event.why else "nothing was checked"
        row = f" · row {event.row}" if case.rows is not None and event.row else ""
        self._line(f"{case.name}{row} · {event.name}: {reason}", event.verdict, 2)
        for outcome in event.outcomes:
            if outcome.verdict not in ("failed", "blocked") or outcome.advice:
                continue
            where = f"  at {', '.join(outcome.where)}" if outcome.where else ""
            self._line(f"      {outcome.check}{where}")
            self._line(
                f"      expected {show_in(outcome.expected, outcome.unit)}, was "
                f"{show_in(outcome.actual, outcome.unit)}"
            )
            if event.why and outcome.why and event.why.code != outcome.why.code:
                self._line(f"      {outcome.why.sentence}")
        for exchange in event.exchanges[-1:]:
            status = f"answered {exchange.status}" if exchange.status else "no answer"
            if event.kind == "look up":
                status = exchange.sent_body.decode().partition("\n\n")[0]
            self._line(
                f"      {exchange.method} {exchange.address} · {status} · {show_duration(event.us)}"
            )

    def _row(self, event: RowFinished) -> None:
        """A row that was not carried out at all says why; of others a step has said it."""
        if (
            (event.case, event.row) in self._not_begun
            and event.why is not None
            and self._told < MOST_TOLD
        ):
            self._told += 1
            case = self._plan.cases[event.case].case
            self._line(f"{case.name} · row {event.row}: {event.why.sentence}", event.verdict, 2)
        self._not_begun.discard((event.case, event.row))

    def finish(self, results: Results) -> None:
        """The outcome in one sentence."""
        counts = results.counts()
        cases = ", ".join(
            f"{number} {verdict}" for verdict, number in sorted(counts["cases"].items())
        )
        checks = sum(counts["checks"].values())
        stopped = f" Stopped by {results.stopped_by}." if results.stopped_by else ""
        self._line(
            f"{results.verdict}: {cases} of {counted(len(results.cases), 'case')}, "
            f"{counted(checks, 'check')}, "
            f"{show_duration(results.us)}, seed {results.seed}.{stopped}",
            results.verdict,
        )


def both(*consumers: Callable[[Event], None]) -> Callable[[Event], None]:
    """One consumer that hands each event to several."""

    def take(event: Event) -> None:
        for consumer in consumers:
            consumer(event)

    return take
