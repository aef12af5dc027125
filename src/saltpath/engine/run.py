"""Carries out a plan: cases and rows side by side, as many at once as it has jobs; emits the stream
of events."""

from __future__ import annotations

import asyncio
import logging
import time
from collections.abc import Callable

from msgspec.structs import replace

from saltpath.core.running.compiled import CompiledPlan
from saltpath.core.running.events import RunFinished, RunStarted
from saltpath.core.running.run_sentences import limit_of
from saltpath.core.running.supplies import Supplies
from saltpath.core.running.totals import run_verdict
from saltpath.core.values.nearest import listed
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import MaskedWhy
from saltpath.engine.case_walk import CaseWalk
from saltpath.engine.client import Client
from saltpath.engine.databases import Databases
from saltpath.engine.helper import Helper
from saltpath.engine.loop import Strand, Transfers
from saltpath.engine.order import Order
from saltpath.engine.schedule import Schedule
from saltpath.engine.stop import Stop
from saltpath.engine.tokens import Tokens
from saltpath.engine.up import until_up
from saltpath.engine.walk import Emit, OfRun, since

log = logging.getLogger("saltpath.engine")


def utc_us() -> int:
    """Now, UTC, in microseconds. The one clock that the engine is given unless a test hands in
    another."""
    return time.time_ns() // 1000


async def run_plan(
    plan: CompiledPlan,
    selector: Transfers,
    emit: Emit,
    stop: Stop | None = None,
    now_us: Callable[[], int] = utc_us,
    supplies: Supplies | None = None,
) -> Verdict:
    """Carry out the plan; every event goes to `emit` in the loop's thread. Returns the run's
    verdict."""
    stop, supplies = stop or Stop(), supplies or Supplies()
    client = Client(selector, now_us, connections=max(plan.jobs * 2, 16), reach=supplies.reach)
    stop.aborts(client.abort)
    begun = time.monotonic_ns()
    where = listed([to.name for to in plan.destinations])
    emit(RunStarted(now_us(), plan.seed, where, len(plan.cases)))
    databases = Databases(supplies.own_folder, supplies.root, plan.first_rows, supplies.reach)
    stop.aborts(databases.interrupt)
    order = Order(plan.cases)
    of_run = OfRun(plan, supplies, client, Tokens(), Helper(), databases, order, emit, stop, now_us)
    try:
        if plan.wait_us:
            of_run.plan = blocked_by(plan, await until_up(plan, client, stop))
        crew = _Crew(of_run)
        await crew.carry_out()
    finally:
        client.close()
        of_run.helper.close()
        databases.close()
    verdict = run_verdict(crew.ended)
    emit(RunFinished(now_us(), verdict, since(begun), stop.by))
    return verdict


class _Crew:
    """Strands that take the next row of a case that was begun, or else begin the next case. Where a
    case opens its rows, as many more come as the run has jobs left; who finds nothing to do leaves.
    The last at a case's rows ends it."""

    def __init__(self, of_run: OfRun) -> None:
        self._of_run = of_run
        self._schedule = Schedule(of_run.plan, of_run.supplies, of_run.handed)
        self._open: list[CaseWalk] = []
        self._at_work = self._bad = 0
        self._over: asyncio.Future[None] = asyncio.get_running_loop().create_future()
        self.ended: list[tuple[Verdict, MaskedWhy | None]] = []

    async def carry_out(self) -> None:
        self._come(len(self._of_run.plan.cases) or 1)
        await self._over

    def _come(self, wanted: int) -> None:
        for _ in range(min(wanted, self._of_run.plan.jobs - self._at_work)):
            self._at_work += 1
            Strand(self._work()).done.add_done_callback(self._left)

    def _left(self, done: asyncio.Future[None]) -> None:
        self._at_work -= 1
        problem = done.exception()
        if self._over.done():
            return
        if problem is not None:
            self._over.set_exception(problem)
        elif not self._at_work:
            self._over.set_result(None)

    async def _work(self) -> None:
        while True:
            if self._open:
                await self._rows(self._open[0])
                continue
            index = self._schedule.next()
            if index is None:
                return
            of_run = self._of_run
            if self._schedule.in_any_case(index):
                of_run = replace(of_run, stop=Stop())
            case = CaseWalk(of_run, self._schedule.planned(index), index)
            try:
                await case.begin()
            except Exception as problem:
                self._give_up(case, problem)
                continue
            if case.feed is None:
                self._ended(case)
            else:
                self._open.append(case)
                self._come(self._of_run.plan.jobs)

    async def _rows(self, case: CaseWalk) -> None:
        """Rows of a case until none is left to begin."""
        case.under_way += 1
        problem: Exception | None = None
        try:
            while await case.one_row():
                pass
        except Exception as fault:
            problem = fault
        case.under_way -= 1
        if case in self._open:
            self._open.remove(case)
        if problem is not None:
            case.fault = problem
        if case.under_way:
            return
        try:
            await case.end()
            self._ended(case)
        except Exception as fault:
            self._give_up(case, fault)

    def _give_up(self, case: CaseWalk, problem: Exception) -> None:
        """End a case that Salt Path itself made a mistake in; the others go on."""
        log.exception("a fault of Salt Path's own in a case")
        case.give_up(problem)
        self._ended(case)

    def _ended(self, case: CaseWalk) -> None:
        self.ended.append((case.verdict, case.reason))
        self._come(self._schedule.ended(case.index, case.verdict, case.reason, case.handed()))
        self._bad += case.verdict in ("failed", "blocked")
        most = self._of_run.plan.stop_after
        if most and self._bad >= most:
            self._of_run.stop.request(limit_of(most))


def blocked_by(plan: CompiledPlan, reasons: list[MaskedWhy | None]) -> CompiledPlan:
    """The plan with the cases blocked that go where there is a reason to be."""
    if not any(reasons):
        return plan
    cases = (
        replace(case, problem=reason) if (reason := reasons[case.goes]) else case
        for case in plan.cases
    )
    return replace(plan, cases=tuple(cases))
