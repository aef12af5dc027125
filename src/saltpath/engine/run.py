"""Carries out a plan: cases side by side, each on its own walk; emits the stream of events."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable

from saltpath.core.events import (
    RunFinished,
    RunStarted,
)
from saltpath.core.plan import Plan
from saltpath.core.verdicts import Verdict, worst
from saltpath.engine.client import Client
from saltpath.engine.helper import Helper
from saltpath.engine.loop import CurlSelector, Strand
from saltpath.engine.stop import Stop
from saltpath.engine.tokens import Tokens
from saltpath.engine.walk import Emit, OfRun, Walk, since


def utc_us() -> int:
    """Now, UTC, in microseconds. The one clock that the engine is given unless a test hands in another."""
    return time.time_ns() // 1000


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

    of_run = OfRun(plan, client, Tokens(), Helper(), emit, stop, now_us)

    async def work() -> None:
        for index in waiting:
            verdicts.append(await Walk(of_run, plan.cases[index], index).run())

    try:
        await asyncio.gather(*[Strand(work()).done for _ in range(max(min(plan.jobs, len(plan.cases)), 1))])
    finally:
        client.close()
        of_run.helper.close()
    verdict = worst(verdicts)
    emit(RunFinished(now_us(), verdict, since(begun), stop.by))
    return verdict
