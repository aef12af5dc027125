"""A process that answers slow questions (core/paths/offloading.py) and is ended when one takes too
long, while exchanges go on. What counts is the time that it had a core, as in paths/time_limit.py.

The engine's loop asks through a thread; questions and answers are pickled over a pipe, between this
program and itself. Run as `python -m saltpath.engine.helper` it is that process.
"""

from __future__ import annotations

import asyncio
import contextlib
import importlib
import os
import pickle
import resource
import select
import subprocess
import sys
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from saltpath.core.paths import offloading
from saltpath.core.paths.time_limit import PATIENCE, TICK_S, cpu_s
from saltpath.core.values.why import Blocked, Why

BEGINNING_S = 20.0
MOST_MEMORY = 2_000_000_000
_HEAD = 8


class Helper:
    """Answers one question at a time; its process begins with the first one."""

    def __init__(self, limit_s: float = offloading.LIMIT_S) -> None:
        self._limit_s = limit_s
        self._process: subprocess.Popen[bytes] | None = None
        self._pool: ThreadPoolExecutor | None = None
        self._lock = threading.Lock()

    async def answer(self, question: offloading.Question) -> Any:
        """The answer, or the exception that stands for it; offloading.TooSlow if it took longer
        than the limit."""
        if self._pool is None:
            self._pool = ThreadPoolExecutor(1, thread_name_prefix="helper")
        return await asyncio.get_running_loop().run_in_executor(self._pool, self.ask, question)

    def ask(self, question: offloading.Question) -> Any:
        """The same for a thread that may wait."""
        with self._lock:
            try:
                process = self._begun()
                assert process.stdin is not None
                octets = pickle.dumps(question)
                process.stdin.write(len(octets).to_bytes(_HEAD, "big") + octets)
                process.stdin.flush()
                # the first question of a kind has its modules read first
                self._reply(process, BEGINNING_S)
                self._wait_for_work(process)
                kind, payload = self._reply(process, 0)
            except (OSError, EOFError, TimeoutError):
                self._end()
                return offloading.TooSlow()
        return payload if kind == "answer" else _exception(kind, payload)

    def close(self) -> None:
        with self._lock:
            self._end()
        if self._pool is not None:
            self._pool.shutdown(wait=False)

    def _begun(self) -> subprocess.Popen[bytes]:
        if self._process is None or self._process.poll() is not None:
            self._end()
            self._process = subprocess.Popen(
                [sys.executable, "-m", "saltpath.engine.helper"],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
            )
            self._reply(self._process, BEGINNING_S)
        return self._process

    def _reply(self, process: subprocess.Popen[bytes], limit_s: float) -> tuple[str, Any]:
        assert process.stdout is not None
        pipe = process.stdout.fileno()
        if not select.select([pipe], [], [], limit_s)[0]:
            raise TimeoutError
        size = int.from_bytes(_exactly(pipe, _HEAD), "big")
        return pickle.loads(_exactly(pipe, size))  # type: ignore[no-any-return]

    def _wait_for_work(self, process: subprocess.Popen[bytes]) -> None:
        """Until it answers. Raises TimeoutError when it has worked for the limit."""
        assert process.stdout is not None
        limit_s, pipe, worked = self._limit_s, process.stdout.fileno(), cpu_s(process.pid)
        ends, left = time.monotonic() + PATIENCE * limit_s, limit_s
        while not select.select([pipe], [], [], left)[0]:
            left = limit_s - (cpu_s(process.pid) - worked)
            if left <= TICK_S or time.monotonic() >= ends:
                raise TimeoutError

    def _end(self) -> None:
        process, self._process = self._process, None
        if process is None:
            return
        process.kill()
        process.wait()
        for pipe in (process.stdin, process.stdout):
            if pipe is not None:
                with contextlib.suppress(OSError):
                    pipe.close()


def _exactly(pipe: int, count: int) -> bytes:
    """So many bytes, and none that belong to the next message. Raises EOFError."""
    found = bytearray()
    while len(found) < count:
        piece = os.read(pipe, count - len(found))
        if not piece:
            raise EOFError
        found += piece
    return bytes(found)


def _exception(kind: str, payload: Any) -> BaseException:
    if kind == "blocked":
        return Blocked(Why(*payload))
    if kind == "slow":
        return offloading.TooSlow()
    module, name, text = payload
    made: BaseException = getattr(importlib.import_module(module), name)(text)
    return made


# ---- the process itself


def serve() -> None:
    """Answer questions from standard input until it ends."""
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    out = sys.stdout.buffer
    _say(out, ("answer", None))
    while True:
        head = sys.stdin.buffer.read(_HEAD)
        if len(head) < _HEAD:
            return
        question = pickle.loads(sys.stdin.buffer.read(int.from_bytes(head, "big")))
        _say(out, ("begun", None))
        _say(out, _answered(question))


def _answered(question: offloading.Question) -> tuple[str, Any]:
    try:
        return "answer", question.answer()
    except Blocked as problem:
        return "blocked", (problem.reason.code, dict(problem.reason.params))
    except (offloading.TooSlow, MemoryError):
        return "slow", None
    except Exception as problem:
        return "error", (type(problem).__module__, type(problem).__name__, str(problem))


def _say(out: Any, message: tuple[str, Any]) -> None:
    octets = pickle.dumps(message)
    out.write(len(octets).to_bytes(_HEAD, "big") + octets)
    out.flush()


if __name__ == "__main__":
    serve()
