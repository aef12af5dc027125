"""The sides that are compared: a bare libcurl loop, a hand-written requests script, one with
aiohttp, and Salt Path."""

from __future__ import annotations

import asyncio
import statistics
import threading
import time
from collections.abc import Callable
from decimal import Decimal
from typing import Any

import pycurl

from saltpath.core.cases.case import NamedValues, Project
from saltpath.core.format.reader import read_case
from saltpath.core.running.compiled import CompiledPlan, compiled
from saltpath.core.running.events import Event
from saltpath.engine.loop import run_in_loop
from saltpath.engine.run import run_plan

STEPS = 50
STEP = """
  - request: Read the port call {number}
    key: {key}
    send: GET [=harbour]
    expect:
      - {{ of: status, is: 200 }}
      - {{ of: $.id, is: PC-20931 }}
      - {{ of: $.berth.metres, at least: 23.4 }}
      - {{ of: $.fee.total, is: 448.80 }}
      - {{ of: $.fee.currency, is: FHC }}
    keep: {{ portCallId: $.id }}
"""
CASE = "salt-path: 1\ncase: Read port calls\nkey: benchbench\nsteps:\n" + "".join(
    STEP.format(number=number, key=f"st{number:04d}") for number in range(STEPS)
)


def plan(address: str, exchanges: int, jobs: int) -> CompiledPlan:
    """A plan of so many exchanges, in cases of 50 steps."""
    one = compiled(read_case(CASE), file="bench.case.yaml")
    project = Project("Bench", values=NamedValues({"harbour": address}))
    return CompiledPlan((one,) * max(exchanges // STEPS, 1), project, seed=1, jobs=jobs)


def engine(address: str, exchanges: int, jobs: int, emit: Callable[[Event], None]) -> float:
    """Seconds that the engine takes."""
    work = plan(address, exchanges, jobs)
    begun = time.perf_counter()
    verdict = run_in_loop(lambda selector: run_plan(work, selector, emit))
    assert verdict == "passed", verdict
    return time.perf_counter() - begun


def bare(address: str, exchanges: int, jobs: int) -> float:
    """Seconds that a bare libcurl multi loop takes that only reads bodies."""
    multi = pycurl.CurlMulti()
    sink: list[bytes] = []
    handles = []
    for _ in range(jobs):
        handle = pycurl.Curl()
        handle.setopt(pycurl.URL, address)
        handle.setopt(pycurl.WRITEFUNCTION, sink.append)
        multi.add_handle(handle)
        handles.append(handle)
    begun = time.perf_counter()
    left, running = exchanges - jobs, jobs
    while running:
        multi.perform()
        queued = 1
        any_done = False
        while queued:
            queued, done, failed = multi.info_read()
            assert not failed
            for handle in done:
                any_done = True
                multi.remove_handle(handle)
                sink.clear()
                if left > 0:
                    left -= 1
                    multi.add_handle(handle)
                else:
                    running -= 1
        if not any_done:
            multi.select(0.01)
    seconds = time.perf_counter() - begun
    for handle in handles:
        handle.close()
    multi.close()
    return seconds


def check(status: int, body: Any) -> None:
    assert status == 200
    assert body["id"] == "PC-20931"
    assert body["berth"]["metres"] >= 23.4
    assert body["fee"]["total"] == Decimal("448.80") or body["fee"]["total"] == 448.80
    assert body["fee"]["currency"] == "FHC"


def with_requests(address: str, exchanges: int, jobs: int) -> float:
    """Seconds that a hand-written requests script takes, in threads, with the same five checks and
    no record."""
    import requests

    def work(count: int) -> None:
        session = requests.Session()
        for _ in range(count):
            answer = session.get(address, timeout=10)
            check(answer.status_code, answer.json())

    begun = time.perf_counter()
    threads = [threading.Thread(target=work, args=(exchanges // jobs,)) for _ in range(jobs)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return time.perf_counter() - begun


def with_aiohttp(address: str, exchanges: int, jobs: int) -> float:
    """Seconds that a hand-written aiohttp script takes with the same five checks and no record."""
    import aiohttp

    async def work(session: aiohttp.ClientSession, count: int) -> None:
        for _ in range(count):
            async with session.get(address) as answer:
                check(answer.status, await answer.json())

    async def run() -> None:
        async with aiohttp.ClientSession() as session:
            await asyncio.gather(*(work(session, exchanges // jobs) for _ in range(jobs)))

    begun = time.perf_counter()
    asyncio.run(run())
    return time.perf_counter() - begun


def in_turn(rounds: int, *sides: Callable[[], float]) -> list[list[float]]:
    """Each side's seconds, both taken in turn."""
    seconds: list[list[float]] = [[] for _ in sides]
    for _ in range(rounds):
        for index, side in enumerate(sides):
            seconds[index].append(side())
    return seconds


def median_ratio(upper: list[float], lower: list[float]) -> float:
    return statistics.median(a / b for a, b in zip(upper, lower, strict=True))


def line(name: str, ratio: str, bar: str, holds: bool, detail: str) -> None:
    print(
        f"{name:3} {ratio:>9}  bar {bar:12} {'holds' if holds else 'MISSED'}   {detail}", flush=True
    )
