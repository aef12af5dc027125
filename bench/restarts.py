"""F1: how long until all is back after kill -9 of a process, against a bare start of the same
process.

`python -m bench.restarts [ROUNDS]`, by default 5 of each. Back: the web server answers; a run that
is asked for right after the kill has ended (a runner, the writer). Bare: the same program begun by
hand, until it answers, beats, or listens; with the run's own time, for the two that a run waits
for.
"""

from __future__ import annotations

import os
import statistics
import struct
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from pathlib import Path

from bench.sides import line
from saltpath.runner.wire import SOCKET
from saltpath.store.database import migrate
from tests.application import Application, free_port

LOOK_S = 0.005
STEPS = "  - set: { a: 1 }\n"


def waited(of: Callable[[], bool]) -> float:
    """Seconds until it is so."""
    began = time.monotonic()
    while not of():
        time.sleep(LOOK_S)
    return time.monotonic() - began


def answers(address: str) -> bool:
    try:
        with urllib.request.urlopen(f"{address}/api/v1/health", timeout=5) as answer:
            return bool(answer.status == 200)
    except (OSError, urllib.error.URLError):
        return False


def bare(kind: str) -> float:
    """Seconds from the start of a process to its first sign."""
    with tempfile.TemporaryDirectory() as name, tempfile.TemporaryFile() as beats:
        folder, port = Path(name) / "data", free_port()
        migrate(folder)
        more = {
            "web": ["127.0.0.1", str(port), ""],
            "writer": [],
            "runner": ["runner_bench", str(beats.fileno()), "0"],
        }[kind]
        signs: dict[str, Callable[[], bool]] = {
            "web": lambda: answers(f"http://127.0.0.1:{port}"),
            "writer": (folder / SOCKET).exists,
            "runner": lambda: os.pread(beats.fileno(), 8, 0) not in (b"", struct.pack("!d", 0.0)),
        }
        command = [sys.executable, "-m", "saltpath.processes", kind, str(folder), *more]
        environment = {**os.environ, "SALTPATH_SUPERVISOR": str(os.getpid())}
        process = subprocess.Popen(
            command, env=environment, pass_fds=(beats.fileno(),), stderr=subprocess.DEVNULL
        )
        try:
            return waited(signs[kind])
        finally:
            process.kill()
            process.wait()


def main(rounds: int) -> None:
    with Application() as app:
        suite = app.get(f"/suites?project={app.project}")["items"][0]["id"]
        text = f"salt-path: 1\ncase: Short\nsteps:\n{STEPS}"
        made = app.ask("POST", "/cases", {"project": app.project, "suite": suite, "text": text})[2][
            "id"
        ]

        def run_s() -> float:
            began = time.monotonic()
            _, _, run = app.ask("POST", "/runs", {"project": app.project, "cases": [made]})
            waited(lambda: app.get(f"/runs/{run['id']}")["state"] == "finished")
            return time.monotonic() - began

        alone = statistics.median(run_s() for _ in range(5))
        for kind in ("web", "runner", "writer"):
            back, begun = [], []
            for _ in range(rounds):
                begun.append(bare(kind) + (0 if kind == "web" else alone))
                app.kill(kind)
                back.append(waited(lambda: answers(app.address)) if kind == "web" else run_s())
                time.sleep(2)
            ratio, longest = statistics.median(back) / statistics.median(begun), max(back)
            said = (
                f"{kind}: back after {statistics.median(back):.2f} s, at most {longest:.2f} s; "
                f"bare {statistics.median(begun):.2f} s"
            )
            line("F1", f"{ratio:.2f}", "at most 2", ratio <= 2 and longest <= 5, said)


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 5)
