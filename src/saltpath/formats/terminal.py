"""What a terminal shows while a run goes on: failures as they happen, progress, and the outcome in
one sentence."""

from __future__ import annotations

import re
import sys
import time
from collections.abc import Callable, Mapping
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
from saltpath.formats.reports.results import Results

MARKS = {"passed": "✓", "failed": "✗", "blocked": "▲", "unchecked": "○", "skipped": "-"}
PERIOD_S = 0.05
MOST_TOLD = 100
LONGEST_LINE = 100
_COLOURS = {"passed": "32", "failed": "31", "blocked": "33", "unchecked": "90", "skipped": "90"}


_CONTROL = re.compile(r"[\x00-\x08\x0b-\x1f\x7f-\x9f\u202a-\u202e\u2066-\u2069]")


def printable(text: str) -> str:
    """Text that changes nothing but what is written: an answer, or somebody's file, could hold
    codes that move the cursor, colour the terminal or turn the writing round."""
    return _CONTROL.sub("\ufffd", text)


class Screen:
    """Lines of text; on a terminal in colours, and with one more at the bottom that says what is
    under way."""

    def __init__(self, out: TextIO = sys.stdout, quiet: bool = False) -> None:
        self._out = out
        self.quiet = quiet
        self.live = out.isatty() and not quiet

    def line(self, text: str, verdict: str = "", indent: int = 0) -> None:
        """A line; with a verdict, behind its mark."""
        mark = f"{self._mark(verdict)} " if verdict else ""
        self._out.write(
            ("\r\x1b[2K" if self.live else "") + " " * indent + mark + printable(text) + "\n"
        )
        self._out.flush()

    def _mark(self, verdict: str) -> str:
        mark = MARKS[verdict]
        return f"\x1b[{_COLOURS[verdict]}m{mark}\x1b[0m" if self.live else mark

    def under_way(self, text: str) -> None:
        """What the line at the bottom says."""
        if self.live:
            self._out.write("\r\x1b[2K" + printable(text[:LONGEST_LINE]).replace("\n", " "))
            self._out.flush()


def outcome_line(
    verdict: str, counts: Mapping[str, int], checks: int | None, us: int, seed: int, stopped_by: str
) -> str:
    """A run in one sentence. `counts`: how many cases had which verdict; `checks`: how many were
    judged, where that is known."""
    judged = f"{counted(checks, 'check')}, " if checks is not None else ""
    cases = ", ".join(f"{number} {verdict}" for verdict, number in sorted(counts.items()))
    stopped = f" Stopped by {stopped_by}." if stopped_by else ""
    return (
        f"{verdict}: {cases} of {counted(sum(counts.values()), 'case')}, "
        f"{judged}{show_duration(us)}, seed {seed}.{stopped}"
    )


class Terminal:
    """A consumer of events. On a terminal one line at the bottom shows what is under way; elsewhere
    plain lines."""

    def __init__(self, plan: CompiledPlan, out: TextIO = sys.stdout, quiet: bool = False) -> None:
        self._plan = plan
        self._screen = Screen(out, quiet)
        self._line = self._screen.line
        self._done = 0
        self._rows = self._told = 0
        self._by_steps = set[int]()
        self._last = ""
        self._not_begun: set[tuple[int, int]] = set()
        self._shown = 0.0

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
            if self._screen.live and time.monotonic() - self._shown > PERIOD_S:
                self._shown = time.monotonic()
                self._progress(event)

    def _progress(self, event: Any) -> None:
        case = self._plan.cases[event.case].case
        doing = ""
        if isinstance(event, StepStarted) and not event.inner:
            doing = f": {case.part(event.part)[event.step].name}"
        rows = f" · {counted(self._rows, 'row')}" if case.rows is not None else ""
        line = f"{self._done} of {len(self._plan.cases)} cases · {case.name}{rows}{doing}"
        self._screen.under_way(line)

    def _case(self, event: CaseFinished) -> None:
        if self._screen.quiet and event.verdict == "passed":
            return
        name = self._plan.cases[event.case].case.name
        self._line(f"{event.verdict:9} {name} ({show_duration(event.us)})", event.verdict)
        sentence = event.why.sentence if event.why else ""
        with_rows = self._plan.cases[event.case].case.rows is not None
        untold = event.case not in self._by_steps and sentence != self._last
        if sentence and (with_rows or untold):
            self._line(sentence, indent=12)
            self._last = sentence
        self._by_steps.discard(event.case)

    def _step(self, event: StepFinished) -> None:
        if event.verdict not in ("failed", "blocked") and not (
            event.verdict == "unchecked" and event.counts
        ):
            return
        if event.why and event.why.code.startswith("inside"):
            return  # the step inside has said it
        self._told += 1
        self._by_steps.add(event.case)
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
        checks = sum(counts["checks"].values())
        said = outcome_line(
            results.verdict,
            counts["cases"],
            checks,
            results.us,
            results.seed,
            results.stopped_by,
        )
        self._line(said, results.verdict)


def both(*consumers: Callable[[Event], None]) -> Callable[[Event], None]:
    """One consumer that hands each event to several."""

    def take(event: Event) -> None:
        for consumer in consumers:
            consumer(event)

    return take
