"""Memory of the application's processes while it is sent hostile answers and shows them, again and
again.

`python -m bench.hostile [MINUTES]`, by default 60. Each round sends a run of one case with a step
for every answer of tests/engine/hostile.py, and reads the run and all its evidence as a page would.
Told every twelfth of the time: the resident memory of each process. Flat: at the end at most a
tenth and 10 MB more than after the first third, when every cache has been filled.
"""

from __future__ import annotations

import sys
import time
from pathlib import Path
from typing import Any

from bench.application import Application
from bench.sides import line
from tests.engine.hostile import ANSWERS
from tests.engine.raw import raw_server
from tests.engine.test_hostile_answers import answer

KINDS = ("web", "runner", "writer", "keeper")
TOLD = 12
CHECKS = [
    {"of": "status", "is": 200},
    {"of": "body", "contains": "a"},
    {"of": "$.x", "is": 1},
    {"of": "//x", "present": True},
]


def steps(address: str) -> list[dict[str, Any]]:
    return [
        {
            "request": f"Answer {number}",
            "send": f"GET {address}/{number}",
            "expect": CHECKS,
            "keep": {f"x{number}": "$.x"},
        }
        for number in range(len(ANSWERS))
    ]


def resident(application: Application) -> dict[str, int]:
    """In kB, by the kind of process."""
    return {kind: sum(map(_resident, application.pids(kind))) for kind in KINDS}


def _resident(process: int) -> int:
    status = Path(f"/proc/{process}/status").read_text()
    return int(status.partition("VmRSS:")[2].split()[0])


def one_round(application: Application) -> int:
    """Sends, and reads all of it; how many steps were read."""
    run = application.ask("/runs", {"project": application.project, "cases": application.cases})[
        "id"
    ]
    while application.ask(f"/runs/{run}")["state"] != "finished":
        time.sleep(0.1)
    return len(application.ask(f"/runs/{run}/cases/0")["items"])


def main(minutes: float) -> None:
    with raw_server(answer) as (address, _):
        case = {"salt-path": 1, "case": "Hostile", "on failure": "go on", "steps": steps(address)}
        application = Application(address, 1, [case])
        try:
            begun, told, rounds, seen = time.monotonic(), list[dict[str, int]](), 0, 0
            processes = {kind: application.pids(kind) for kind in KINDS}
            while (passed := time.monotonic() - begun) < minutes * 60:
                seen += one_round(application)
                rounds += 1
                if passed > len(told) * minutes * 60 / TOLD:
                    told.append(resident(application))
                    said = ", ".join(f"{kind} {kb // 1000} MB" for kind, kb in told[-1].items())
                    print(
                        f"     after {passed / 60:.0f} min and {seen:,} answers: {said}", flush=True
                    )
            assert seen == rounds * len(ANSWERS), "a step is missing"
            assert processes == {kind: application.pids(kind) for kind in KINDS}, (
                "a process has ended"
            )
            early, last = told[len(told) // 3], resident(application)
            for kind in KINDS:
                flat = last[kind] <= early[kind] * 1.1 + 10_000
                line(
                    "F5",
                    f"{last[kind] / early[kind]:.2f}",
                    "flat",
                    flat,
                    f"{kind}: {early[kind] // 1000} MB, then {last[kind] // 1000} MB",
                )
        finally:
            application.close()


if __name__ == "__main__":
    main(float(sys.argv[1]) if len(sys.argv) > 1 else 60)
