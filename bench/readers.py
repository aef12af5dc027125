"""S9: pages of the API under 50 readers and 10 writers, against one reader alone; S10: a run of 500
cases, read again and again.

`python -m bench.readers [SECONDS]`, by default 15 for each side. A reader opens a page of the API
every second (what a person at a page does, and more often than our own page asks), a writer saves a
case every second; without such a pause 50 readers would only measure their own queue. Latencies are
told by page; the bar is of the page that holds it worst.
"""

from __future__ import annotations

import http.client
import json
import random
import statistics
import sys
import threading
import time
from collections import defaultdict
from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

from bench.application import Application
from bench.sides import line

CASES, STEPS, READERS, WRITERS, PAUSE_S = 500, 8, 50, 10, 1.0
FEWEST = 5
"""Of this many answers at least a percentile is told."""
Latencies = dict[str, list[float]]
"""Seconds, by page."""


def case(number: int) -> dict[str, Any]:
    steps = [
        {
            "request": f"Read port call {step}",
            "send": "GET [=harbour]/port-calls/[=harbour]",
            "expect": [
                {"of": "status", "is": 200},
                {"of": "$.id", "present": True},
                {"of": "$.fee", "above": 3},
            ],
            "keep": {f"call{step}": "$.id"},
        }
        for step in range(STEPS)
    ]
    return {"salt-path": 1, "case": f"Port call {number}", "steps": steps}


class Client:
    """One connection to the application, kept open."""

    def __init__(self, port: int, headers: dict[str, str]) -> None:
        self._connection = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
        self._headers = headers

    def ask(self, method: str, path: str, body: Any = None, **headers: str) -> tuple[int, bytes]:
        data = None if body is None else json.dumps(body)
        self._connection.request(
            method,
            "/api/v1" + path,
            data,
            {"Content-Type": "application/json", **self._headers, **headers},
        )
        answer = self._connection.getresponse()
        return answer.status, answer.read()


def read(
    application: Application, pages: dict[str, str], until: float, seed: int, found: Latencies
) -> None:
    """One page after the other, each second one, by somebody who is signed in."""
    who = application.headers(application.readers[seed])
    client, source = Client(application.port, who), random.Random(seed)
    time.sleep(source.random() * PAUSE_S)
    while time.monotonic() < until:
        name = source.choice(list(pages))
        began = time.monotonic()
        status, _ = client.ask("GET", pages[name])
        found[name].append(time.monotonic() - began)
        if status != 200:
            raise SystemExit(f"{name}: {status}")
        time.sleep(PAUSE_S)


def save(application: Application, oid: str, until: float, saved: list[int]) -> None:
    """A case again and again, each second once."""
    client, number = Client(application.port, application.headers(application.cookie)), 0
    _, body = client.ask("GET", f"/cases/{oid}")
    seen = json.loads(body)
    while time.monotonic() < until:
        number += 1
        document = {**seen["document"], "about": f"saved {number} times"}
        status, body = client.ask(
            "PUT", f"/cases/{oid}", {"document": document}, **{"If-Match": f'"{seen["version"]}"'}
        )
        if status != 200:
            raise SystemExit(f"saving {oid}: {status} {body.decode()[:200]}")
        seen = json.loads(body)
        saved.append(number)
        time.sleep(PAUSE_S)


def together(work: Sequence[Callable[[], None]]) -> None:
    failed: list[BaseException] = []

    def one(of: Callable[[], None]) -> None:
        try:
            of()
        except BaseException as problem:
            failed.append(problem)

    threads = [threading.Thread(target=one, args=(of,)) for of in work]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    if failed:
        raise failed[0]


def tail(latencies: list[float]) -> float:
    """The 95th percentile, in milliseconds."""
    return statistics.quantiles(latencies, n=20)[-1] * 1000


def s9_s10(seconds: float) -> None:
    documents = [case(number) for number in range(CASES)]
    application = Application("http://127.0.0.1:9/", 1, documents, readers=READERS)
    try:
        run = application.ask(
            "/runs", {"project": application.project, "cases": application.cases}
        )["id"]
        while application.ask(f"/runs/{run}")["state"] != "finished":
            time.sleep(0.2)
        of = f"?project={application.project}"
        pages = {
            "the outline": f"/suites{of}",
            "a case": f"/cases/{application.cases[7]}",
            "values": f"/values{of}",
            "sources": f"/sources{of}",
            "runs": f"/runs{of}",
            "shared steps": f"/shared-steps{of}",
            "a run of 500 cases": f"/runs/{run}",
        }
        client = Client(application.port, application.headers(application.cookie))
        for path in pages.values():
            client.ask("GET", path)
        alone: Latencies = defaultdict(list)
        for name, path in list(pages.items()) * max(int(seconds * 3), FEWEST * 2):
            began = time.monotonic()
            client.ask("GET", path)
            alone[name].append(time.monotonic() - began)
        many: Latencies = defaultdict(list)
        saved: list[int] = []
        until = time.monotonic() + seconds
        together(
            [partial(read, application, pages, until, seed, many) for seed in range(READERS)]
            + [
                partial(save, application, oid, until, saved)
                for oid in application.cases[-WRITERS:]
            ]
        )
        for name in pages:
            print(
                f"     {name}: alone {statistics.median(alone[name]) * 1000:.1f} ms, 95th "
                f"{tail(alone[name]):.1f} ms; under"
                f" {READERS} readers and {WRITERS} writers "
                f"{statistics.median(many[name]) * 1000:.1f} ms, 95th {tail(many[name]):.1f} ms"
            )
        every = (
            tail([one for name in pages for one in many[name]]),
            tail([one for name in pages for one in alone[name]]),
        )
        count = sum(map(len, many.values()))
        ratio = every[0] / every[1]
        line(
            "S9",
            f"{ratio:.1f}",
            "at most 10",
            ratio <= 10,
            f"95th percentile {every[0]:.0f} ms of {count} reads beside {len(saved)} saves; one "
            f"reader {every[1]:.0f} ms",
        )
        middle = statistics.median(alone["a run of 500 cases"]) * 1000
        line(
            "S10", f"{middle:.0f} ms", "50 ms", middle <= 50, "a run of 500 cases, again and again"
        )
    finally:
        application.close()


if __name__ == "__main__":
    s9_s10(float(sys.argv[1]) if len(sys.argv) > 1 else 15)
