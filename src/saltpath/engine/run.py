"""Walks a plan: cases side by side, a case's steps one after another, afterwards always; emits the stream of events."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

from saltpath.core.answer import Answer
from saltpath.core.case import CLEANING, Options, Part, Request, SetValues, Step, Wait, checks_in
from saltpath.core.checks.judge import Outcome, judge_all
from saltpath.core.events import (
    CaseFinished,
    CaseStarted,
    Event,
    RowFinished,
    RowStarted,
    RunFinished,
    RunStarted,
    StepFinished,
    StepStarted,
)
from saltpath.core.moments import zone_of
from saltpath.core.plan import Plan, PlannedCase, Resume, options_of, scope_of, scope_of_suite
from saltpath.core.scopes import Scope, Scopes
from saltpath.core.slow import Slow
from saltpath.core.subjects import find
from saltpath.core.verdicts import Verdict, worst
from saltpath.core.why import Blocked, Why, why
from saltpath.engine.client import Aborted, Client
from saltpath.engine.cookies import Jar
from saltpath.engine.helper import Helper
from saltpath.engine.loop import CurlSelector, Strand
from saltpath.engine.masking import Masker
from saltpath.engine.session import Session
from saltpath.engine.step import Done, carry_out
from saltpath.engine.tokens import Tokens

Emit = Callable[[Event], None]


def utc_us() -> int:
    """Now, UTC, in microseconds. The one clock that the engine is given unless a test hands in another."""
    return time.time_ns() // 1000


class Stop:
    """A request to stop a run: what is under way is given up, afterwards still runs."""

    def __init__(self) -> None:
        self.by = ""
        self._event = asyncio.Event()
        self._abort: Callable[[], None] = lambda: None

    @property
    def requested(self) -> bool:
        return bool(self.by)

    def request(self, by: str) -> None:
        """Stop now; `by` names who asked."""
        if not self.by:
            self.by = by or "someone"
            self._event.set()
            self._abort()

    def aborts(self, abort: Callable[[], None]) -> None:
        self._abort = abort

    async def sleep(self, seconds: float) -> bool:
        """Pause; True if the pause was ended by a stop."""
        return await asyncio.create_task(self._sleep(seconds))

    async def _sleep(self, seconds: float) -> bool:
        try:
            await asyncio.wait_for(self._event.wait(), seconds)
        except TimeoutError:
            return False
        return True


async def run_plan(
    plan: Plan, selector: CurlSelector, emit: Emit, stop: Stop | None = None, now_us: Callable[[], int] = utc_us
) -> Verdict:
    """Carry out the plan; every event goes to `emit` in the loop's thread. Returns the run's verdict."""
    stop = stop or Stop()
    client = Client(selector, now_us, connections=max(plan.jobs * 2, 16))
    stop.aborts(client.abort)
    begun = time.monotonic_ns()
    environment = plan.environment.name if plan.environment else ""
    emit(RunStarted(now_us(), plan.seed, environment, len(plan.cases)))
    verdicts: list[Verdict] = []
    waiting = iter(range(len(plan.cases)))

    shared = _Shared(plan, client, Tokens(), Helper(), emit, stop, now_us)

    async def work() -> None:
        for index in waiting:
            verdicts.append(await _Walk(shared, plan.cases[index], index).run())

    try:
        await asyncio.gather(*[Strand(work()).done for _ in range(max(min(plan.jobs, len(plan.cases)), 1))])
    finally:
        client.close()
        shared.helper.close()
    verdict = worst(verdicts)
    emit(RunFinished(now_us(), verdict, _since(begun), stop.by))
    return verdict


def _since(begun_ns: int) -> int:
    return (time.monotonic_ns() - begun_ns) // 1000


@dataclass(slots=True)
class _Shared:
    """What all cases of a run share."""

    plan: Plan
    client: Client
    tokens: Tokens
    helper: Helper
    emit: Emit
    stop: Stop
    now_us: Callable[[], int]


@dataclass(slots=True)
class _Sum:
    """What the steps of a row, or those around all rows, add up to."""

    counted: list[Verdict] = field(default_factory=list)
    judged: bool = False
    bad: StepFinished | None = None

    def verdict(self) -> Verdict:
        """The worst of the parts; unchecked if no check was judged at all."""
        verdict = worst(self.counted)
        return "unchecked" if not self.counted or (verdict == "passed" and not self.judged) else verdict


@dataclass(slots=True)
class _Walk:
    """One case's way through its steps."""

    shared: _Shared
    planned: PlannedCase
    index: int
    masker: Masker = field(default_factory=Masker)
    row: _Sum = field(default_factory=_Sum)
    around: _Sum = field(default_factory=_Sum)

    async def run(self) -> Verdict:
        """The case's verdict. A case not begun when the run is stopped is skipped without a trace of steps."""
        begun = time.monotonic_ns()
        emit, now_us, case = self.shared.emit, self.shared.now_us, self.planned.case
        emit(CaseStarted(now_us(), self.index))
        if self.shared.stop.requested and self.planned.resume is None:
            emit(CaseFinished(now_us(), self.index, "skipped", why("stopped", by=self.shared.stop.by), 0))
            return "skipped"
        session = self._session()
        options = options_of(self.shared.plan, self.planned)
        if case.once and self.planned.only is None:
            await self._part("once", session, options)
        row, reason = await self._row(session, options, begun)
        if case.at_the_end and self.planned.only is None:
            await self._part("at the end", session, options)
        counted = [*self.around.counted, row] if self.around.counted else [row]
        verdict = worst(counted)
        if self.around.bad is not None and verdict == self.around.bad.verdict:
            reason = self.around.bad.why
        emit(CaseFinished(now_us(), self.index, verdict, reason, _since(begun)))
        return verdict

    async def _row(self, session: Session, options: Options, begun: int) -> tuple[Verdict, Why | None]:
        """The one row that a case without rows has. A bad `once` skips it, its cleaning up too."""
        emit, now_us = self.shared.emit, self.shared.now_us
        emit(RowStarted(now_us(), self.index, 1))
        if self.planned.resume is not None:
            self._after_interruption(self.planned.resume)
        else:
            await self._part("steps", session, options)
        if self.around.bad is None:
            await self._part("afterwards", session, options)
        bad = self.row.bad
        verdict: Verdict = "skipped" if self.around.bad is not None else self.row.verdict()
        emit(RowFinished(now_us(), self.index, 1, verdict, bad.why if bad else None, _since(begun)))
        return verdict, bad.why if bad else None

    def _session(self) -> Session:
        shared = self.shared

        async def pause(seconds: float) -> bool:
            return await shared.stop.sleep(seconds)

        return Session(
            shared.client, self._scopes(), self.masker, Jar(), shared.tokens, shared.helper, shared.now_us, pause
        )

    def _scopes(self) -> Scopes:
        plan, case, suite = self.shared.plan, self.planned.case, self.planned.suite
        over = plan.environment.values if plan.environment else None
        project = scope_of(plan.project.values, over, plan.secrets)
        suite_scope = (
            scope_of_suite(suite, plan.environment.name if plan.environment else "", plan.secrets) if suite else Scope()
        )
        case_scope = scope_of(case.values, None, plan.secrets)
        secret_names = project.secret | suite_scope.secret | case_scope.secret
        run = Scope(dict(plan.values), {name for name in plan.values if name in secret_names})
        scopes = Scopes(project, suite_scope, case_scope, run=run, on_secret=self.masker.add)
        for scope in (project, suite_scope, case_scope, run):
            for name in scope.secret:
                self.masker.add(scope.values.get(name))
        kept = self.planned.resume.kept if self.planned.resume else self.planned.given
        for name, value in kept.items():
            scopes.keep(name, value)
        start = datetime.fromtimestamp(plan.started_us / 1e6, UTC).isoformat(timespec="milliseconds")
        scopes.built_in = {
            "row.number": 1,
            "run.number": plan.number,
            "run.seed": plan.seed,
            "run.start": start.replace("+00:00", "Z"),
            "run.environment": plan.environment.name if plan.environment else "",
            "case.name": case.name,
        }
        scopes.zone = zone_of(plan.project.zone)
        scopes.clock_us = self.shared.now_us
        scopes.seeded = (plan.seed, case.key or f"{self.planned.file} {case.name}", 1)
        scopes.read_file = plan.read_file
        return scopes

    def _after_interruption(self, resume: Resume) -> None:
        """The first step that was not finished is blocked, what follows is skipped."""
        for index, step in enumerate(self.planned.case.steps):
            if ("steps", index) in resume.finished:
                continue
            if self.row.bad is None:
                self._finish("steps", index, step, Done("blocked", why("interrupted"), 0, 0))
            else:
                self._skip("steps", index, step)

    async def _part(self, part: Part, session: Session, options: Options) -> None:
        planned, emit, now_us = self.planned, self.shared.emit, self.shared.now_us
        row = 1 if part in _OF_ROW else 0
        for index, step in enumerate(planned.case.part(part)):
            if planned.only is not None and (part != "steps" or index not in planned.only):
                continue
            if planned.resume is not None and (part == "once" or (part, index) in planned.resume.finished):
                continue
            if step.off:
                self._finish(part, index, step, Done("skipped", why("switched-off"), 0, 0))
            elif self._ended(part):
                self._skip(part, index, step)
            else:
                emit(StepStarted(now_us(), self.index, row, part, index))
                done, used = await self._step(part, step, session, options)
                self._finish(part, index, step, done, used)

    def _ended(self, part: Part) -> bool:
        """Whether a step of this part is not reached any more. Cleaning up always is."""
        if part == "afterwards" or part == "at the end":
            return False
        if self.around.bad is not None or self.shared.stop.by:
            return True
        return part == "steps" and self.row.bad is not None and self.planned.case.stop_on_failure

    def _skip(self, part: Part, index: int, step: Step) -> None:
        bad = self.around.bad or self.row.bad
        if bad is not None:
            reason = why("not-reached", step=bad.name, verdict=bad.verdict)
        else:
            reason = why("stopped", by=self.shared.stop.by)
        self._finish(part, index, step, Done("skipped", reason, 0, 0))

    async def _step(self, part: Part, step: Step, session: Session, options: Options) -> tuple[Done, dict[str, Any]]:
        scopes = session.scopes
        scopes.begin_step(step.key or step.name)
        scopes.now_us = self.shared.plan.started_us
        scopes.built_in["step.name"] = step.name
        if self.planned.measures is not None:
            scopes.measures = self.planned.measures.get(step.key, {})
        try:
            left_out = await self._left_out(step, session) if step.only_if else None
            if left_out is not None:
                done = left_out
            elif isinstance(step, Request):
                done = await carry_out(step, options, session, part, self.planned.hands_over)
            elif isinstance(step, SetValues):
                done = self._set(step, scopes)
            else:
                done = await self._wait(step, part)
        except Aborted:
            done = Done("blocked", why("stopped", by=self.shared.stop.by), 0, 0)
        except (RecursionError, ArithmeticError, LookupError, TypeError, ValueError, AttributeError) as problem:
            done = Done("blocked", why("fault", problem=f"{type(problem).__name__}: {problem}"), 0, 0)
        used = scopes.used
        if self.masker.any:
            used = {text: {**use, "value": self.masker.value(use["value"])} for text, use in used.items()}
        return done, used

    async def _left_out(self, step: Step, session: Session) -> Done | None:
        """What becomes of the step if its condition says no, or cannot be judged; None if it is to be carried out."""
        answer = Answer(0, b"", b"", 0)

        def judged() -> tuple[Outcome, ...]:
            for check in checks_in(step.only_if):
                if check.relation not in ("present", "absent"):
                    found = find(check.of, answer, session.scopes)
                    if found.nothing is not None:
                        raise Blocked(found.nothing)
            return judge_all(step.only_if, answer, session.scopes)[0]

        try:
            outcomes = judged()
        except Slow as asked:
            outcomes = await session.patiently(judged, asked)
        except Blocked as missing:
            return Done("blocked", self.masker.why(missing.reason), 0, 0)
        bad = next((o for o in outcomes if o.verdict in ("failed", "blocked") and o.counts), None)
        if bad is None:
            return None
        reason = self.masker.why(bad.why)
        if bad.verdict == "blocked":
            return Done("blocked", reason, 0, 0)
        problem = f"{bad.check}: {reason.sentence}" if reason else bad.check
        return Done("skipped", why("step-condition", problem=problem), 0, 0)

    def _set(self, step: SetValues, scopes: Scopes) -> Done:
        kept: dict[str, Any] = {}
        try:
            for name, tree in step.values:
                kept[name] = value = scopes.fill(tree)
                scopes.keep(name, value)
        except Blocked as problem:
            return Done("blocked", self.masker.why(problem.reason), 0, 0, kept=self.masker.value(kept))
        return Done("passed", None, 0, 0, kept=self.masker.value(kept), counts=False)

    async def _wait(self, step: Wait, part: Part) -> Done:
        if part in CLEANING:
            await asyncio.create_task(asyncio.sleep(step.us / 1e6))
        elif await self.shared.stop.sleep(step.us / 1e6):
            raise Aborted
        return Done("passed", None, step.us, 0, counts=False)

    def _finish(self, part: Part, index: int, step: Step, done: Done, used: dict[str, Any] | None = None) -> None:
        verdict = done.verdict
        of_row = part in _OF_ROW
        total = self.row if of_row else self.around
        event = StepFinished(
            self.shared.now_us(), self.index, 1 if of_row else 0, part, index, step.key, step.name, step.kind, verdict,
            done.why, done.us, done.status, done.exchanges, done.outcomes, done.kept, used or {}, done.secret_kept,
            done.counts, done.attempts,
        )  # fmt: skip
        if done.counts:
            total.counted.append(verdict)
        if not total.judged:
            total.judged = any(o.verdict in ("passed", "failed") and o.counts for o in done.outcomes)
        if total.bad is None and verdict in ("failed", "blocked"):
            total.bad = event
        self.shared.emit(event)


_OF_ROW: tuple[Part, ...] = ("steps", "afterwards")
