"""S4: how late a thousand watches a minute begin beside a runner that makes 500 exchanges a
second, against a bare sleep at the same time; S11: what a run costs on disk whose answer did not
change; F6: watches every second, whose watcher's memory and handles stay flat (`python -m
bench.watching [s4|f6] [SECONDS]`)."""

from __future__ import annotations

import os
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import closing, contextmanager
from pathlib import Path
from typing import Any

from bench.application import Application
from bench.nginx import harbour
from saltpath.store import people, projects, watches
from saltpath.store.database import connect

WATCHES = 1_000
PER_SECOND = 500
LOOKS = 10
PLANNED_S = 65
"""By then each watch has run once, and its plan is made."""
CHECKS = [
    {"of": "status", "is": 200},
    {"of": "$.id", "present": True},
    {"of": "$.state", "is": "quoted"},
    {"of": "$.berth.metres", "above": 3},
    {"of": "$.fee.lines", "count": 3},
]
CASE = {
    "salt-path": 1,
    "case": "A port call",
    "key": "p0rtc4ll00",
    "steps": [{"request": "Read it", "send": "GET [=harbour]", "expect": CHECKS}],
}
LOAD = {
    **CASE,
    "case": "A crowd",
    "key": "cr0wd00000",
    "options": {"per second": PER_SECOND},
    "rows": {"make": 1_000_000, "columns": {"name": "[=any name]"}},
}


def s4_s11(seconds: int = 70) -> None:
    """Each watch once at least."""
    with harbour() as address, _application(address) as (app, data):
        _watch(data, WATCHES, "1 min")
        sleeps: list[float] = []
        over = threading.Event()
        control = threading.Thread(target=_sleep, args=(sleeps, over), daemon=True)
        app.ask("/runs", {"project": app.project, "cases": [app.cases[1]], "jobs": 8})
        time.sleep(PLANNED_S)
        control.start()
        before = _begun(data)
        begun = time.time()
        time.sleep(seconds)
        over.set()
        rate = (_begun(data) - before) / seconds
        with closing(connect(data, "history")) as history:
            found = history.execute(
                "SELECT late, flag FROM watch_run WHERE due > ?", (begun,)
            ).fetchall()
        late = sorted(row["late"] for row in found)
        missed = sum(row["flag"] & 7 in (4, 6, 7) for row in found)
        bare = sorted(1000 * one for one in sleeps)
        print(
            f"S4  {len(late)} runs beside {rate:.0f} exchanges/s: late by "
            f"{_at(late, 0.5)} ms at the median, {_at(late, 0.99)} at the 99th percentile (at most "
            f"25), a bare sleep {_at(bare, 0.5):.1f} and {_at(bare, 0.99):.1f}; {missed} missed"
        )


def f6_s11(seconds: int = 120) -> None:
    """A hundred watches every second."""
    with harbour() as address, _application(address) as (app, data):
        _watch(data, 100, "1 s")
        time.sleep(20)
        found = []
        for _ in range(LOOKS):
            time.sleep(seconds / LOOKS)
            found.append(_resources(app))
        print(
            f"F6  100 watches every second, in {LOOKS} parts of {seconds} s: "
            f"{', '.join(f'{size:.0f}' for size, _ in found)} MB; "
            f"{', '.join(str(handles) for _, handles in found)} handles"
        )
        with closing(connect(data, "history")) as history:
            runs, octets = history.execute(
                "SELECT COUNT(*), SUM(length(packed)) FROM watch_evidence WHERE keep = 0"
            ).fetchone()
            print(f"S11 {octets / runs + 12:.0f} B a run that saw the same (at most 60), of {runs}")


@contextmanager
def _application(address: str) -> Iterator[tuple[Application, Path]]:
    app = Application(address, 1, [CASE, LOAD])
    try:
        yield app, Path(app._folder.name)
    finally:
        app.close()


def _watch(data: Path, number: int, every: str) -> None:
    with closing(connect(data)) as main:
        [project] = projects.projects(main)
        owner = people.local_owner(main).id
        for n in range(number):
            document = {"salt-path": 1, "watch": f"W{n}", "case": CASE["key"], "every": every}
            watches.add(main, project.id, owner, document)


def _sleep(found: list[float], over: threading.Event) -> None:
    """How late somebody comes by who only sleeps."""
    while not over.is_set():
        begun = time.monotonic()
        time.sleep(0.05)
        found.append(time.monotonic() - begun - 0.05)


def _begun(data: Path) -> int:
    """How many rows of the run have begun."""
    with closing(connect(data)) as main:
        return int(main.execute("SELECT COALESCE(SUM(begun), 0) FROM run_case").fetchone()[0])


def _at(ordered: list[Any], share: float) -> Any:
    return ordered[min(int(share * len(ordered)), len(ordered) - 1)] if ordered else 0


def _resources(app: Application) -> tuple[float, int]:
    """MB and open handles of the watcher."""
    children = Path(f"/proc/{app._process.pid}/task/{app._process.pid}/children").read_text()
    for pid in children.split():
        if Path(f"/proc/{pid}/comm").read_text().strip() == "saltpath-watche":
            status = Path(f"/proc/{pid}/status").read_text()
            kb = next(line for line in status.splitlines() if line.startswith("RssAnon"))
            return int(kb.split()[1]) / 1000, len(os.listdir(f"/proc/{pid}/fd"))
    raise RuntimeError("there is no watcher")


if __name__ == "__main__":
    wanted, length = sys.argv[1:2], int(sys.argv[2]) if sys.argv[2:] else 70
    if wanted in ([], ["s4"]):
        s4_s11(length)
    if wanted in ([], ["f6"]):
        f6_s11(length)
