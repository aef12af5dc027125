"""Work on files that strangers made, for the web server: done by processes of their own with a
limit of time and of memory, so that a hostile file costs its request alone. A process that is not
done in time is killed, and so is one whose client has gone.

A task is a function of `server/tasks.py`, by its name; arguments, results and Unreadable are
pickled between this program and itself. `python -m saltpath.processes confined FOLDER` is such a
process.
"""

from __future__ import annotations

import contextlib
import os
import pickle
import resource
import select
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from saltpath.core.paths.time_limit import cpu_s
from saltpath.core.values.grammar import Unreadable
from saltpath.server.limits import MOST_MEMORY

AT_ONCE = 2
"""Processes, each with one task; further tasks wait for their turn."""
LIMIT_S = 20.0
"""Of a task's own CPU time, so that a busy machine refuses nobody's file."""
WAITING = 4.0
"""Times its limit a task may last by the clock: these processes are nice, and wait while others
work."""
WAIT_S = 30.0
TASKS_EACH = 200
"""After so many tasks a process is replaced, so that what a library keeps does not grow."""
_LOOK_S = 0.2
_HEAD = 8
BUSY = "the server is busy with other files; try again in a moment"


class TooMuch(Unreadable):
    """It took longer, or more memory, than it may."""


class NotNow(Unreadable):
    """It was not done, and that says nothing of the file: nobody waited any more, or the machine is
    busy. Never to be remembered."""


class Confined:
    """The processes of one web server."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._free: list[subprocess.Popen[bytes]] = []
        self._tasks: dict[int, int] = {}
        self._turns = threading.BoundedSemaphore(AT_ONCE)
        self._lock = threading.Lock()

    def do(
        self,
        task: str,
        *arguments: Any,
        limit_s: float = LIMIT_S,
        gone: Callable[[], bool] = lambda: False,
    ) -> Any:
        """The task's result. `gone`: whether nobody waits for it any more. Raises Unreadable:
        TooMuch where the task was ended for what it took, NotNow where it was not done for other
        reasons."""
        if not self._turns.acquire(timeout=WAIT_S):
            raise NotNow(BUSY)
        try:
            return self._done(task, arguments, limit_s, gone)
        finally:
            self._turns.release()

    def _done(
        self, task: str, arguments: tuple[Any, ...], limit_s: float, gone: Callable[[], bool]
    ) -> Any:
        process = self._begun()
        try:
            _write(process.stdin, (task, arguments))
            kind, result = _read(process, limit_s, gone)
        except (OSError, EOFError, TimeoutError, pickle.UnpicklingError) as problem:
            _end(process)
            took = (
                f"longer than {limit_s:g} s"
                if isinstance(problem, TimeoutError)
                else "more memory than it may"
            )
            raise TooMuch(f"reading this takes {took}") from None
        except BaseException:
            _end(process)
            raise
        with self._lock:
            done = self._tasks[process.pid] = self._tasks.get(process.pid, 0) + 1
            if done < TASKS_EACH:
                self._free.append(process)
        if done >= TASKS_EACH:
            _end(process)
        if kind == "unreadable":
            raise Unreadable(result)
        if kind == "memory":
            raise TooMuch("reading this takes more memory than it may")
        if kind == "fault":
            raise RuntimeError(f"in the task {task}: {result}")
        return result

    def _begun(self) -> subprocess.Popen[bytes]:
        with self._lock:
            while self._free:
                process = self._free.pop()
                if process.poll() is None:
                    return process
        words = [sys.executable, "-m", "saltpath.processes", "confined", str(self._folder)]
        process = subprocess.Popen(words, stdin=subprocess.PIPE, stdout=subprocess.PIPE)
        _read(process, WAIT_S, lambda: False)
        return process


def _write(pipe: Any, message: Any) -> None:
    octets = pickle.dumps(message)
    pipe.write(len(octets).to_bytes(_HEAD, "big") + octets)
    pipe.flush()


def _read(
    process: subprocess.Popen[bytes], limit_s: float, gone: Callable[[], bool]
) -> tuple[str, Any]:
    assert process.stdout is not None
    end, most = time.monotonic() + limit_s * WAITING, cpu_s(process.pid) + limit_s
    while not select.select([process.stdout], [], [], _LOOK_S)[0]:
        if gone():
            raise NotNow("nobody waited for this any more")
        if cpu_s(process.pid) > most:
            raise TimeoutError
        if time.monotonic() > end:
            raise NotNow(BUSY)
    head = process.stdout.read(_HEAD)
    if len(head) < _HEAD:
        raise EOFError
    found: tuple[str, Any] = pickle.loads(process.stdout.read(int.from_bytes(head, "big")))
    return found


def _end(process: subprocess.Popen[bytes]) -> None:
    process.kill()
    process.wait()
    for pipe in (process.stdin, process.stdout):
        if pipe is not None:
            with contextlib.suppress(OSError):
                pipe.close()


# ---- the process itself


def main(folder: Path) -> None:
    """Do tasks from standard input until it ends."""
    from saltpath.server import tasks

    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    os.nice(5)
    out = os.fdopen(os.dup(sys.stdout.fileno()), "wb")
    os.dup2(sys.stderr.fileno(), sys.stdout.fileno())  # nothing else may stand between the answers
    _write(out, ("answer", None))
    while len(head := sys.stdin.buffer.read(_HEAD)) == _HEAD:
        task, arguments = pickle.loads(sys.stdin.buffer.read(int.from_bytes(head, "big")))
        _write(out, _result(getattr(tasks, task), folder, arguments))


def _result(task: Callable[..., Any], folder: Path, arguments: tuple[Any, ...]) -> tuple[str, Any]:
    try:
        return "answer", task(folder, *arguments)
    except MemoryError:
        return "memory", None
    except Unreadable as problem:
        return "unreadable", str(problem)
    except Exception as problem:
        return "fault", f"{type(problem).__name__}: {problem}"
