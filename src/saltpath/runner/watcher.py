"""Looks after the watches: one process of an installation, which holds the schedule's lease.

The lease is a lock on a file, which the system gives back when this process ends, however it does;
each taking has a higher epoch, and what comes with an older one is refused (store/history/runs.py).
One heap says what is due next. What is due within the next tenth of a second is claimed in one
transaction, then begins at its moment. Runs have a cap of how many are under way at once, begin
with connections of their own, and are written down in batches. How late each begins is kept; where
this process itself could not keep up while a run was slow or unanswered, that was our own side.
"""

from __future__ import annotations

import asyncio
import fcntl
import logging
import os
import sqlite3
import time
from collections import deque
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from msgspec import Struct

from saltpath.core.format.nodes import FormatError
from saltpath.core.paths.offloading import deferred
from saltpath.core.running.causes import Failure, FailureFinder
from saltpath.core.running.events import (
    CaseFinished,
    Event,
    RowFinished,
    StepFinished,
)
from saltpath.core.values.verdicts import Verdict
from saltpath.core.watching.flags import (
    ANSWERED,
    BAD,
    EVIDENCE,
    OWN_SIDE,
    Fate,
    fate_of_verdict,
    flag_of,
)
from saltpath.core.watching.limits import show_limit
from saltpath.core.watching.own_side import OwnSide, gateway_is_silent, is_elsewhere
from saltpath.engine.by_sockets import SocketTransfers
from saltpath.engine.run import run_plan, utc_us
from saltpath.engine.stop import Stop
from saltpath.runner.agenda import AHEAD_US, Agenda, Watched
from saltpath.runner.life import Heartbeat, ShutdownSignal, holding, limit_memory, parent_gone
from saltpath.runner.watch_ledger import Active, Result, WatchLedger
from saltpath.runner.watch_planning import Planned, WatchPlanner, at_moment, seed_of
from saltpath.store.database import NotFound, StoreError, connect
from saltpath.store.history import seen
from saltpath.store.history.runs import Claim, Ended, Refused
from saltpath.store.step_rows import StepRow, row_of

LOCK = "watching.lock"
LONGEST_SLEEP_S = 0.25
PLAN_S = 1.0
SOON_US = 60_000_000
LOOK_S = 0.5
"""So often it is looked whether watches were changed."""
SET_BACK_US = 500_000
"""A clock that goes back by less is put right by the system, and left alone."""
MOST_AT_ONCE = 100
GATHER_S = 0.01
"""So long an ended run waits for others to be written down with."""
LONGEST_RUN_S = 600.0
LAG_LOOK_S = 0.05
LAG_US = 250_000
"""This process could not keep up when it came by so much later than it had meant to."""
RETRY_S = 0.5
DAY_S = 86_400
SLOW = "slower-than-its-limit"
log = logging.getLogger("saltpath.watcher")


class _Attempt(Struct):
    """What came of one attempt."""

    steps: list[StepRow]
    failure: Failure | None = None
    host: str = ""
    us: int = 0
    answered: bool = False
    reached: bool = True
    """Whoever was asked last has answered something."""


class Watcher:
    """`now_us`: UTC, microseconds."""

    def __init__(
        self,
        folder: Path,
        name: str,
        beat: Callable[[], None],
        own_port: int = 0,
        now_us: Callable[[], int] = utc_us,
    ) -> None:
        self._folder, self._name, self._beat, self._own_port = folder, name, beat, own_port
        self._now_us = now_us
        self._agenda = Agenda()
        self._ended: list[Result] = []
        self._at_once = asyncio.Semaphore(MOST_AT_ONCE)
        self._own_side = OwnSide()
        self._lags: deque[tuple[int, int]] = deque(maxlen=4_000)
        self._tasks: set[asyncio.Task[None]] = set()
        self._ledger_thread = ThreadPoolExecutor(1, "ledger")
        self._plan_thread = ThreadPoolExecutor(1, "plans")

    async def serve(self, over: Callable[[], bool]) -> None:
        """Until `over`. Raises Refused where another holds the schedule."""
        self._ledger: WatchLedger = await self._in_ledger(WatchLedger, self._folder, self._name)
        self._planner: WatchPlanner = await self._in_plans(self._make_planner)
        interrupted = await self._in_ledger(self._ledger.begin, self._now_us())
        if interrupted:
            log.info("%s runs were interrupted", interrupted)
        self._later(self._look_for_lag())
        self._later(self._plan_ahead())
        self._later(self._keep_writing())
        looked, offset = float("-inf"), self._offset()
        while not over():
            self._beat()
            now_offset = self._offset()
            if now_offset < offset - SET_BACK_US:
                await self._in_ledger(self._ledger.turn_back, self._now_us())
                await self._look(anyhow=True)
            offset = now_offset
            if time.monotonic() - looked > LOOK_S:
                await self._look()
                looked = time.monotonic()
            await self._claim()
            moment = self._agenda.next_moment()
            wait_s = LONGEST_SLEEP_S
            if moment is not None:
                wait_s = min((moment - AHEAD_US // 2 - self._now_us()) / 1e6, LONGEST_SLEEP_S)
            await asyncio.sleep(max(wait_s, 0.005))
        await self._end()

    def _make_planner(self) -> WatchPlanner:
        return WatchPlanner(connect(self._folder), self._folder, self._own_port)

    def _offset(self) -> int:
        """How far the clock is before the one that never jumps, microseconds."""
        return self._now_us() - time.monotonic_ns() // 1000

    async def _in_ledger(self, do: Callable[..., Any], *given: Any) -> Any:
        """What is done in the ledger's thread; tried again while the database is in use."""
        while True:
            try:
                loop = asyncio.get_running_loop()
                return await loop.run_in_executor(self._ledger_thread, do, *given)
            except sqlite3.OperationalError as problem:
                log.error("the history cannot be written: %s; trying again", problem)
                self._beat()
                await asyncio.sleep(RETRY_S)

    async def _in_plans(self, do: Callable[..., Any], *given: Any) -> Any:
        return await asyncio.get_running_loop().run_in_executor(self._plan_thread, do, *given)

    def _later(self, coroutine: Any) -> None:
        task = asyncio.get_running_loop().create_task(coroutine)
        self._tasks.add(task)
        task.add_done_callback(self._done)

    def _done(self, task: asyncio.Task[None]) -> None:
        self._tasks.discard(task)
        problem = None if task.cancelled() else task.exception()
        if problem is not None:
            log.critical("this process ends, another takes the watches over", exc_info=problem)
            os._exit(1)  # its claims are found by who comes after

    # ---- what there is to do

    async def _look(self, anyhow: bool = False) -> None:
        """Take in which watches there are now."""
        now = self._now_us()
        found: list[Active] | None = await self._in_ledger(self._ledger.active, now, anyhow)
        if found is not None:
            self._agenda.set(found)
            self._planner.forget(set(self._agenda.watched))
        for id in await self._in_ledger(self._ledger.asked):
            self._agenda.ask(id)

    async def _plan_ahead(self) -> None:
        """Make plans of what is due soon, one after the other, so that whoever is due comes in
        between."""
        while True:
            await asyncio.sleep(PLAN_S)
            soon = {one.stored.id: one for one in self._agenda.soon(self._now_us() + SOON_US)}
            asked = [one.stored for one in soon.values()]
            for id in await self._in_plans(self._planner.stale, asked):
                await self._try_plan(soon[id])

    async def _try_plan(self, active: Active) -> None:
        try:
            await self._in_plans(self._planner.plan, active.stored, active.watch)
        except (NotFound, StoreError, FormatError, sqlite3.Error):
            pass  # its run will say so

    async def _claim(self) -> None:
        """Claim what is due by now or very soon, and have it begin."""
        now = self._now_us()
        found = self._agenda.due(now)
        if not found.looked:
            return
        claims = [claim for claim, _ in found.claims]
        await self._in_ledger(self._ledger.claim, claims, found.looked, found.fell_out, now)
        loop = asyncio.get_running_loop()
        for claim, due in found.claims:
            wait_s = (due - self._now_us()) / 1e6
            watched = self._agenda.watched[claim.watch]
            loop.call_later(max(wait_s, 0), self._begin, watched, claim, due)

    # ---- runs

    def _begin(self, watched: Watched, claim: Claim, due: int) -> None:
        self._later(self._run(watched, claim, due))

    async def _run(self, watched: Watched, claim: Claim, due: int) -> None:
        async with self._at_once:
            begun = self._now_us()
            late_ms = max(begun - due, 0) // 1000
            try:
                result = await self._carried_out(watched, claim, begun, late_ms)
            except Exception as problem:
                log.exception("a fault of Salt Path's own in a run of a watch")
                why = f"A fault of Salt Path's own: {problem!r}"
                ended = self._ended_as(watched, claim, "interrupted", OWN_SIDE, late_ms, why=why)
                result = Result(ended, (), seen.GOOD)
            watched.under_way = False
        self._ended.append(result)

    async def _carried_out(
        self, watched: Watched, claim: Claim, begun: int, late_ms: int
    ) -> Result:
        active = watched.active
        try:
            planned: Planned = await self._in_plans(self._planner.plan, active.stored, active.watch)
        except (NotFound, StoreError, FormatError, sqlite3.Error) as problem:
            ended = self._ended_as(watched, claim, "blocked", OWN_SIDE, late_ms, why=str(problem))
            return Result(ended, (), seen.GOOD)
        attempts: list[_Attempt] = []
        limit = active.watch.limits.time_us
        fate: Fate = "blocked"
        for _ in range(2 if active.watch.again else 1):
            verdict, attempt = await self._attempt(planned, claim, begun)
            fate = fate_of_verdict(verdict, attempt.us, limit)
            attempts.append(attempt)
            if fate not in BAD:
                break
        believed = attempts[-1]
        bits = EVIDENCE | claim.flag
        if believed.answered and fate != "blocked":
            bits |= ANSWERED
        if fate in ("slow", "blocked") and self._lagged_since(begun):
            bits |= OWN_SIDE
        ours = self._why_ours(believed) if fate == "blocked" and not believed.reached else ""
        if ours:
            bits |= OWN_SIDE
        failure = believed.failure
        signature, why = (failure.signature, _said(failure)) if failure else ("", "")
        why = ours or why
        if fate == "slow" and limit is not None:
            signature = SLOW
            why = f"Answers took {show_limit(believed.us)}, the limit is {show_limit(limit)}"
        ended = self._ended_as(
            watched,
            claim,
            fate,
            bits,
            late_ms,
            believed.us,
            signature=signature,
            why=why,
            host=believed.host,
        )
        return Result(
            ended,
            tuple(tuple(attempt.steps) for attempt in attempts),
            self._kept_as(watched, fate, claim.due, len(attempts) > 1),
            planned.named,
        )

    def _why_ours(self, attempt: _Attempt) -> str:
        """Why it is our own side that nobody could be reached; empty: nothing says so."""
        if self._own_side.cut(self._now_us()):
            return "Most hosts cannot be reached from here at once"
        if is_elsewhere(attempt.host) and _gateway_is_silent():
            return "The gateway of this machine does not answer"
        return ""

    def _ended_as(
        self,
        watched: Watched,
        claim: Claim,
        fate: Fate,
        bits: int,
        late_ms: int,
        us: int = 0,
        signature: str = "",
        why: str = "",
        host: str = "",
    ) -> Ended:
        return Ended(
            watched.active.stored.project,
            claim.watch,
            claim.due,
            claim.turn,
            flag_of(fate, bits | claim.flag),
            us,
            late_ms,
            self._now_us(),
            signature,
            host,
            why,
        )

    def _kept_as(self, watched: Watched, fate: Fate, due: int, tried_again: bool) -> int:
        """How long what a run saw is kept."""
        first = fate in BAD and not watched.bad
        watched.bad = fate in BAD
        if first:
            return seen.WHOLE
        if fate in BAD or tried_again:
            return seen.BAD
        day = due // DAY_S
        if fate == "passed" and day != watched.whole_day:
            watched.whole_day = day
            return seen.WHOLE
        return seen.GOOD

    async def _attempt(
        self, planned: Planned, claim: Claim, begun: int
    ) -> tuple[Verdict, _Attempt]:
        """Carry the plan out once."""
        found = _Attempt([])
        failures = FailureFinder(planned.cases)

        def take(event: Event) -> None:
            if isinstance(event, StepFinished):
                found.steps.append(row_of(event, event.case))
                if event.part in ("once", "steps") and event.exchanges:
                    found.us += sum(exchange.times.total for exchange in event.exchanges)
                    found.answered = True
                for exchange in event.exchanges:
                    found.reached = exchange.status > 0
                    host = urlsplit(exchange.address).netloc
                    self._own_side.heard(host, self._now_us(), found.reached)
                if event.verdict in ("failed", "blocked") and event.exchanges and not found.host:
                    found.host = urlsplit(event.exchanges[-1].address).netloc
            if isinstance(event, StepFinished | RowFinished | CaseFinished):
                failure = failures.find(event)
                found.failure = found.failure or failure

        plan = at_moment(planned, seed_of(claim.watch, claim.due, claim.turn), begun)
        transfers, stop = SocketTransfers(), Stop()
        loop = asyncio.get_running_loop()
        over = loop.call_later(LONGEST_RUN_S, stop.request, "a run that takes too long")
        try:
            verdict = await run_plan(plan, transfers, take, stop, self._now_us, planned.supplies)
        finally:
            over.cancel()
            transfers.close()
        return verdict, found

    # ---- how well this process keeps up

    async def _look_for_lag(self) -> None:
        while True:
            before = time.monotonic_ns()
            await asyncio.sleep(LAG_LOOK_S)
            lag = (time.monotonic_ns() - before) // 1000 - round(LAG_LOOK_S * 1e6)
            if lag > LAG_US:
                self._lags.append((self._now_us(), lag))

    def _lagged_since(self, moment: int) -> bool:
        return bool(self._lags) and self._lags[-1][0] >= moment

    # ---- written down

    async def _keep_writing(self) -> None:
        while True:
            await asyncio.sleep(GATHER_S)
            await self._write()

    async def _write(self) -> None:
        results, self._ended = self._ended, []
        if results:
            await self._in_ledger(self._ledger.end, results)

    async def _end(self) -> None:
        """Wait a moment for what is under way."""
        end = time.monotonic() + 5
        while time.monotonic() < end and any(
            one.under_way for one in self._agenda.watched.values()
        ):
            self._beat()
            await asyncio.sleep(0.05)
        await self._write()


def _gateway_is_silent() -> bool:
    try:
        return gateway_is_silent(
            Path("/proc/net/route").read_text("ascii"), Path("/proc/net/arp").read_text("ascii")
        )
    except (OSError, ValueError):  # another system, or what is not known of this one
        return False


def _said(failure: Failure) -> str:
    if failure.step and failure.said:
        return f"{failure.step}: {failure.said}"
    return failure.said or failure.step


def main(folder: Path, name: str, descriptor: int, own_port: int) -> None:
    limit_memory()
    heartbeat = Heartbeat(descriptor)
    shutdown = ShutdownSignal()

    def over() -> bool:
        return shutdown.is_set() or parent_gone()

    with holding(folder), (folder / LOCK).open("a") as lock:
        while not over():
            heartbeat.beat()
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
                break
            except OSError:
                time.sleep(LOOK_S)
        if over():
            return

        async def serve() -> None:
            await Watcher(folder, name, heartbeat.beat, own_port).serve(over)

        try:
            with deferred({}):
                asyncio.run(serve())
        except Refused as problem:
            log.error("%s; this one ends", problem)
        os._exit(0)  # whatever a thread still waits for
