"""Walks a plan: cases side by side, a case's steps one after another, afterwards always; emits the stream of events."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from typing import Any

from saltpath.core.case import Options, Part, Request, SetValues, Step, Wait
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
from saltpath.core.plan import Plan, PlannedCase, Resume, options_of, scope_of
from saltpath.core.scopes import Scope, Scopes
from saltpath.core.verdicts import Verdict, worst
from saltpath.core.why import Blocked, Why, why
from saltpath.engine.client import Aborted, Client
from saltpath.engine.loop import CurlSelector, Strand
from saltpath.engine.masking import Masker
from saltpath.engine.step import Done, carry_out

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

    async def work() -> None:
        for index in waiting:
            walk = _Walk(plan, plan.cases[index], index, client, emit, stop, now_us)
            verdicts.append(await walk.run())

    try:
        await asyncio.gather(*[Strand(work()).done for _ in range(max(min(plan.jobs, len(plan.cases)), 1))])
    finally:
        client.close()
    verdict = worst(verdicts)
    emit(RunFinished(now_us(), verdict, _since(begun), stop.by))
    return verdict


def _since(begun_ns: int) -> int:
    return (time.monotonic_ns() - begun_ns) // 1000


@dataclass(slots=True)
class _Walk:
    """One case's way through its steps."""

    plan: Plan
    planned: PlannedCase
    index: int
    client: Client
    emit: Emit
    stop: Stop
    now_us: Callable[[], int]
    masker: Masker = field(default_factory=Masker)
    counted: list[Verdict] = field(default_factory=list)
    judged: bool = False
    bad: StepFinished | None = None

    async def run(self) -> Verdict:
        """The case's verdict. A case not begun when the run is stopped is skipped without a trace of steps."""
        begun = time.monotonic_ns()
        if self.stop.requested and self.planned.resume is None:
            self.emit(CaseStarted(self.now_us(), self.index))
            self.emit(CaseFinished(self.now_us(), self.index, "skipped", why("stopped", by=self.stop.by), 0))
            return "skipped"
        self.emit(CaseStarted(self.now_us(), self.index))
        self.emit(RowStarted(self.now_us(), self.index, 1))
        scopes = self._scopes()
        options = options_of(self.plan, self.planned)
        if self.planned.resume is not None:
            self._after_interruption(self.planned.resume)
        else:
            await self._part("steps", self.planned.case.steps, scopes, options)
        await self._part("afterwards", self.planned.case.afterwards, scopes, options)
        verdict, reason = self._verdict()
        us = _since(begun)
        self.emit(RowFinished(self.now_us(), self.index, 1, verdict, reason, us))
        self.emit(CaseFinished(self.now_us(), self.index, verdict, reason, us))
        return verdict

    def _scopes(self) -> Scopes:
        plan, case, suite = self.plan, self.planned.case, self.planned.suite
        over = plan.environment.values if plan.environment else None
        project = scope_of(plan.project.values, over, plan.secrets)
        suite_scope = scope_of(suite.values, None, plan.secrets) if suite else Scope()
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
        return scopes

    def _after_interruption(self, resume: Resume) -> None:
        """The first step that was not finished is blocked, what follows is skipped."""
        for index, step in enumerate(self.planned.case.steps):
            if ("steps", index) in resume.finished:
                continue
            if self.bad is None:
                self._finish("steps", index, step, Done("blocked", why("interrupted"), 0, 0))
            else:
                self._skip("steps", index, step)

    async def _part(self, part: Part, steps: tuple[Step, ...], scopes: Scopes, options: Options) -> None:
        for index, step in enumerate(steps):
            if self.planned.only is not None and (part != "steps" or index not in self.planned.only):
                continue
            if self.planned.resume is not None and (part, index) in self.planned.resume.finished:
                continue
            if step.off:
                self._finish(part, index, step, Done("skipped", why("switched-off"), 0, 0))
            elif part == "steps" and self._ended():
                self._skip(part, index, step)
            else:
                self.emit(StepStarted(self.now_us(), self.index, 1, part, index))
                done, used = await self._step(part, step, scopes, options)
                self._finish(part, index, step, done, used)

    def _ended(self) -> bool:
        return self.stop.requested or (self.bad is not None and self.planned.case.stop_on_failure)

    def _skip(self, part: Part, index: int, step: Step) -> None:
        if self.bad is not None:
            reason = why("not-reached", step=self.bad.name, verdict=self.bad.verdict)
        else:
            reason = why("stopped", by=self.stop.by)
        self._finish(part, index, step, Done("skipped", reason, 0, 0))

    async def _step(self, part: Part, step: Step, scopes: Scopes, options: Options) -> tuple[Done, dict[str, Any]]:
        scopes.begin_step()
        scopes.built_in["step.name"] = step.name
        try:
            if isinstance(step, Request):
                done = await carry_out(step, scopes, options, self.client, self.masker, part, self.planned.hands_over)
            elif isinstance(step, SetValues):
                done = self._set(step, scopes)
            else:
                done = await self._wait(step, part)
        except Aborted:
            done = Done("blocked", why("stopped", by=self.stop.by), 0, 0)
        except (RecursionError, ArithmeticError, LookupError, TypeError, ValueError, AttributeError) as problem:
            done = Done("blocked", why("fault", problem=f"{type(problem).__name__}: {problem}"), 0, 0)
        used = scopes.used
        if self.masker.any:
            used = {text: {**use, "value": self.masker.value(use["value"])} for text, use in used.items()}
        return done, used

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
        if part == "afterwards":
            await asyncio.sleep(step.us / 1e6)
        elif await self.stop.sleep(step.us / 1e6):
            raise Aborted
        return Done("passed", None, step.us, 0, counts=False)

    def _finish(self, part: Part, index: int, step: Step, done: Done, used: dict[str, Any] | None = None) -> None:
        verdict = done.verdict
        event = StepFinished(
            self.now_us(), self.index, 1, part, index, step.key, step.name, step.kind, verdict, done.why, done.us, done.status,
            done.exchanges, done.outcomes, done.kept, used or {}, done.secret_kept, done.counts,
        )  # fmt: skip
        if done.counts:
            self.counted.append(verdict)
        if not self.judged:
            self.judged = any(o.verdict in ("passed", "failed") and o.counts for o in done.outcomes)
        if self.bad is None and verdict in ("failed", "blocked"):
            self.bad = event
        self.emit(event)

    def _verdict(self) -> tuple[Verdict, Why | None]:
        """The row's verdict: the worst of its parts; unchecked if no check was judged at all."""
        verdict = worst(self.counted)
        if verdict == "passed" and not self.judged:
            verdict = "unchecked"
        if not self.counted:
            verdict = "unchecked"
        return verdict, self.bad.why if self.bad is not None else None
