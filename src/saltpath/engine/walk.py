"""One case's way through its steps: one after another, also those inside others; afterwards
always."""

from __future__ import annotations

import logging
import time
from collections.abc import Awaitable, Callable
from typing import Any

import msgspec
from msgspec import Struct, field
from msgspec.structs import replace

from saltpath.core.answers.answer import Answer
from saltpath.core.answers.subjects import find
from saltpath.core.cases.case import (
    CLEANING,
    ForEach,
    LookUp,
    Part,
    Request,
    SetValues,
    Step,
    UseShared,
    Wait,
)
from saltpath.core.cases.expectations import checks_in
from saltpath.core.cases.options import Options
from saltpath.core.checks.judge import Outcome, judge_all
from saltpath.core.paths.offloading import Slow
from saltpath.core.running.builds import build_said
from saltpath.core.running.compiled import CompiledCase, CompiledPlan
from saltpath.core.running.events import Event, StepFinished, StepStarted
from saltpath.core.running.step_references import handed_over
from saltpath.core.running.supplies import Kept, Resume, Supplies
from saltpath.core.running.totals import Ended, StepsTotal
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import Blocked, MaskedWhy, said, why
from saltpath.engine.client import Aborted, Client
from saltpath.engine.databases import Databases
from saltpath.engine.helper import Helper
from saltpath.engine.judging import Done, masked_fault, wrote
from saltpath.engine.looking_up import look_up
from saltpath.engine.nested import inputs_of, items_of
from saltpath.engine.order import Order
from saltpath.engine.position import Position
from saltpath.engine.session import Session
from saltpath.engine.step import carry_out
from saltpath.engine.stop import Stop, cleaning
from saltpath.engine.tokens import Tokens

Emit = Callable[[Event], None]
log = logging.getLogger("saltpath.engine")


def since(begun_ns: int) -> int:
    return (time.monotonic_ns() - begun_ns) // 1000


class OfRun(Struct):
    """What all cases of a run have in common."""

    plan: CompiledPlan
    supplies: Supplies
    client: Client
    tokens: Tokens
    helper: Helper
    databases: Databases
    order: Order
    emit: Emit
    stop: Stop
    now_us: Callable[[], int]
    handed: dict[int, Kept] = field(default_factory=dict)
    """What the cases that set a suite up have handed down, by the suite's id()."""


class Walk(Struct):
    """One way through steps: those of a row, or (row 0) those around all rows. `before`: the bad
    step of `once`, after which no row begins."""

    of_run: OfRun
    planned: CompiledCase
    index: int
    row: int
    session: Session
    options: Options
    before: Ended | None = None
    resume: Resume | None = None
    total: StepsTotal = field(default_factory=StepsTotal)
    interrupted: dict[str, str] = field(default_factory=dict)
    """The step that was found to be interrupted, by its part."""

    async def part(self, part: Part) -> None:
        """Carry out the steps of a part; of one that was begun before an interruption those that
        cannot have been sent."""
        planned, total, stop, resume = self.planned, self.total, self.of_run.stop, self.resume
        before = cleaning.set(part in CLEANING or planned.role == "clean up")
        try:
            for index, step in enumerate(planned.case.part(part)):
                if planned.only is not None and (part != "steps" or index not in planned.only):
                    continue
                position = Position(part, index, planned.hands_over)
                if resume is not None and self._as_recorded(position, step, resume):
                    continue
                ended = (
                    total.bad is not None or self.before is not None or bool(stop.by)
                ) and self._ended(part)
                if ended or step.off:
                    self._left_behind(position, step, total, ended)
                else:
                    await self._step(position, step, total, self.session, self.options)
        finally:
            cleaning.reset(before)

    def _as_recorded(self, position: Position, step: Step, resume: Resume) -> bool:
        """Whether a step needs nothing more after an interruption: it had ended, or its part was
        begun. Of such a part the first step that had not ended is blocked; those behind it may have
        been sent as well, since what a runner says is on its way for a moment."""
        recorded = resume.finished.get((position.part, position.index))
        if recorded is not None:
            self.total.add(recorded)
            return True
        if position.part not in resume.begun:
            return False
        if position.part in self.interrupted:
            self._finish(
                position,
                step,
                Done("skipped", said("not-known", step=self.interrupted[position.part]), 0, 0),
                self.total,
            )
        else:
            self.interrupted[position.part] = step.name
            self._finish(position, step, Done("blocked", said("interrupted"), 0, 0), self.total)
        return True

    def _ended(self, part: Part) -> bool:
        """Whether a step of this part is not reached any more. Cleaning up always is."""
        bad, stopped = self.total.bad is not None, self.before is not None or self.of_run.stop.by
        if not (bad or stopped) or part in CLEANING:
            return False
        return bool(stopped) or part == "once" or self.planned.case.stop_on_failure

    def _left_behind(self, position: Position, step: Step, total: StepsTotal, ended: bool) -> bool:
        """Whether a step, wherever it stands, is switched off or not reached; that is told then."""
        if step.off:
            self._finish(position, step, Done("skipped", said("switched-off"), 0, 0), total)
        elif ended:
            self._skip(position, step, total)
        return ended or step.off

    def _skip(self, position: Position, step: Step, total: StepsTotal) -> None:
        bad = self.before or total.bad
        if bad is not None:
            reason = said("not-reached", step=bad.name, verdict=bad.verdict)
        else:
            reason = said("stopped", by=self.of_run.stop.by)
        self._finish(position, step, Done("skipped", reason, 0, 0), total)

    async def _step(
        self, position: Position, step: Step, total: StepsTotal, session: Session, options: Options
    ) -> None:
        of_run, scopes = self.of_run, session.scopes
        emit, now_us = of_run.emit, of_run.now_us
        emit(
            StepStarted(
                now_us(), self.index, self.row, position.part, position.index, position.inner
            )
        )
        scopes.begin_step(step.key or step.name, position.path)
        scopes.now_us = of_run.plan.started_us
        scopes.built_in["step.name"] = step.name
        if self.planned.measures is not None:
            scopes.measures = self.planned.measures.get(step.key, {})
        used = scopes.used
        try:
            free = of_run.plan.destinations[self.planned.goes].changes is None
            plain = free and not step.only_if  # most are
            left_out = None if plain else await self._left_out(step, session)
            if left_out is not None:
                done = left_out
            elif isinstance(step, Request):  # most are
                done = await carry_out(step, options, session, position.part, position.wanted)
            else:
                done = await CARRY_OUT[step.kind](self, position, step, session, options)
            if step.write is not None and done.verdict != "skipped":
                done = msgspec.structs.replace(done, wrote=await wrote(step.write, done, session))
        except Aborted:
            done = Done("blocked", said("stopped", by=of_run.stop.by), 0, 0)
        except Blocked as problem:
            done = Done("blocked", self.session.masker.why(problem.reason), 0, 0)
        except Exception as problem:  # whatever it is, it costs this step alone
            log.exception("a fault of Salt Path's own in the step %s", step.name)
            done = Done("blocked", masked_fault(problem, self.session.masker), 0, 0)
        for name, item in position.items:
            used[f"[={name}]"] = {"from": "item", "value": item}
        self._finish(position, step, done, total, used)

    # ---- steps inside steps

    async def _use(
        self, position: Position, step: UseShared, session: Session, options: Options
    ) -> Done:
        """Shared steps: they see their inputs, and what they give is kept here."""
        shared = step.shared
        if shared is None:
            raise Blocked(step.problem or why("no-shared", name=step.of, near=""))
        scopes = session.scopes
        inner = scopes.inside(*inputs_of(step, shared, scopes))
        session = replace(session, scopes=inner)
        total, wanted = StepsTotal(), handed_over(shared)
        for place, one in enumerate(shared.steps):
            below = position.below(step, str(place), wanted)
            if not self._left_behind(below, one, total, self._ends(below, total)):
                await self._step(below, one, total, session, options)
        kept, outputs = {}, dict(shared.outputs)
        for output, here in step.gives:
            try:
                kept[here] = value = inner.fill(outputs[output])
            except Blocked:
                if total.bad is not None:
                    continue  # what failed is told; the others are given, as a request's are
                if total.skipped is None or total.skipped.why is None:
                    raise
                problem = total.skipped.why.sentence
                raise Blocked(
                    why("not-given", output=output, step=total.skipped.name, problem=problem)
                ) from None
            scopes.keep(here, value, inner.is_secret(outputs[output]))
        secret = tuple(name for name in kept if name in scopes.kept.secret)
        if total.bad is None:
            return self._held(total, total.why, kept, secret)
        problem = total.bad.why.sentence if total.bad.why else ""
        return self._held(total, said("inside", step=total.bad.name, problem=problem), kept, secret)

    async def _for_each(
        self, position: Position, step: ForEach, session: Session, options: Options
    ) -> Done:
        """The steps once for each item. A bad one ends it where it ends the row."""
        items = items_of(step, session.scopes)
        total = StepsTotal()
        for number, item in enumerate(items, 1):
            back = session.scopes.name_item(step.item, item)
            try:
                for place, one in enumerate(step.steps):
                    below = position.for_item(step, number, item, place)
                    if not self._left_behind(below, one, total, self._ends(below, total)):
                        await self._step(below, one, total, session, options)
            finally:
                back()
            if self._ends(position, total):
                break
        if not items:
            return Done("skipped", said("empty-list", of=step.name.partition(" of ")[2]), 0, 0)
        if total.bad is None:
            return self._held(total, total.why)
        item = total.bad.inner.rpartition("/")[2].partition(".")[0]
        problem = total.bad.why.sentence if total.bad.why else ""
        return self._held(
            total, said("inside-item", item=item, step=total.bad.name, problem=problem)
        )

    def _ends(self, position: Position, total: StepsTotal) -> bool:
        """Whether steps beside this one inside another are not reached any more."""
        if position.cleans:
            return False
        bad = total.bad is not None and (
            position.part == "once" or self.planned.case.stop_on_failure
        )
        return bad or bool(self.of_run.stop.by)

    def _held(
        self,
        total: StepsTotal,
        reason: MaskedWhy | None,
        kept: dict[str, Any] | None = None,
        secret: tuple[str, ...] = (),
    ) -> Done:
        """A step that holds others is as bad as the worst of them."""
        verdict: Verdict = total.verdict() if total.counted else "passed"
        return Done(
            verdict,
            reason,
            total.us,
            0,
            kept=self.session.masker.value(kept or {}),
            secret_kept=secret,
            counts=bool(total.counted),
            judged=total.judged,
        )

    async def _left_out(self, step: Step, session: Session) -> Done | None:
        """What becomes of the step if nothing may be changed, or if its condition says no or cannot
        be judged; None if it is to be carried out."""
        to = self.of_run.plan.destination(self.planned)
        if to.changes is not None and step.may_change() and step.key not in to.changes:
            return Done("skipped", said("guarded", environment=to.name), 0, 0)
        if not step.only_if:
            return None
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
            return Done("blocked", self.session.masker.why(missing.reason), 0, 0)
        bad = next((o for o in outcomes if o.verdict in ("failed", "blocked") and o.counts), None)
        if bad is None:
            return None
        reason = self.session.masker.why(bad.why)
        if bad.verdict == "blocked":
            return Done("blocked", reason, 0, 0)
        problem = f"{bad.check}: {reason.sentence}" if reason else bad.check
        return Done(
            "skipped", self.session.masker.reason(why("step-condition", problem=problem)), 0, 0
        )

    async def _look_up(
        self, position: Position, step: LookUp, session: Session, options: Options
    ) -> Done:
        project, databases = self.of_run.plan.project, self.of_run.databases
        of = (step, options, session, position.part, position.wanted)
        return await look_up(*of, project, databases)

    async def _set(
        self, position: Position, step: SetValues, session: Session, options: Options
    ) -> Done:
        scopes = session.scopes
        kept: dict[str, Any] = {}
        try:
            for name, tree in step.values:
                kept[name] = value = scopes.fill(tree)
                scopes.keep(name, value)
        except Blocked as problem:
            return Done(
                "blocked",
                self.session.masker.why(problem.reason),
                0,
                0,
                kept=self.session.masker.value(kept),
            )
        return Done("passed", None, 0, 0, kept=self.session.masker.value(kept), counts=False)

    async def _wait(
        self, position: Position, step: Wait, session: Session, options: Options
    ) -> Done:
        if await self.of_run.stop.sleep(step.us / 1e6):
            raise Aborted
        return Done("passed", None, step.us, 0, counts=False)

    def _finish(
        self,
        position: Position,
        step: Step,
        done: Done,
        total: StepsTotal,
        used: dict[str, Any] | None = None,
    ) -> None:
        judged = done.judged
        if not judged:
            for outcome in done.outcomes:
                if outcome.counts and outcome.verdict in ("passed", "failed"):
                    judged = True
                    break
        masker = self.session.masker
        event = StepFinished(
            self.of_run.now_us(),
            self.index,
            self.row,
            position.part,
            position.index,
            step.key,
            step.name,
            step.kind,
            done.verdict,
            done.why,
            done.us,
            done.status,
            done.exchanges,
            done.outcomes,
            done.kept,
            {},
            done.secret_kept,
            done.counts,
            done.attempts,
            position.inner,
            done.wrote,
            judged,
            build_said(step, done.kept),
        )
        try:
            if used:
                event = msgspec.structs.replace(
                    event, used=masker.uses(used) if masker.any else used
                )
            self.of_run.emit(event)
        except Exception as problem:
            log.exception("what the step %s saw cannot be kept", step.name)
            event = self._without_evidence(event, problem)
            self.of_run.emit(event)
        total.add(event)

    def _without_evidence(self, event: StepFinished, problem: Exception) -> StepFinished:
        """How a step ended of which what it saw cannot be recorded: what could not be kept cannot
        be vouched for."""
        reason = masked_fault(problem, self.session.masker)
        return msgspec.structs.replace(
            event,
            verdict="blocked",
            why=said("not-kept", problem=reason.params["problem"]),
            exchanges=(),
            outcomes=(),
            kept={},
            used={},
            secret_kept=(),
            counts=True,
            wrote=None,
        )


CARRY_OUT: dict[str, Callable[[Walk, Position, Any, Session, Options], Awaitable[Done]]] = {
    "look up": Walk._look_up,
    "set": Walk._set,
    "wait": Walk._wait,
    "shared": Walk._use,
    "for each": Walk._for_each,
}
"""How kinds of steps are carried out, within whoever walks. A request, which most are, has its own
way."""
