"""A time limit on pure Python work: the block is ended by the interval timer's signal when its time
is up. What counts is the time that it had a core: on a machine that is busy with others, quick work
takes long by the clock, and is not to be called slow.

Signals reach the main thread alone, and that is where the engine judges. In another thread the
block runs without a limit, so nothing that users' paths can slow down is called from there.
"""

from __future__ import annotations

import os
import signal
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from types import FrameType


class TimeUp(BaseException):
    """The block's time is up. Not an Exception, so that no library swallows it."""


PATIENCE = 10
"""So many times as long it may take by the clock."""
_LEAST_S = 0.001
TICK_S = 1 / os.sysconf("SC_CLK_TCK")


def cpu_s(process: int) -> float:
    """Seconds that a process, by its number, has had a core (proc_pid_stat(5): utime and stime, in
    clock ticks); 0 where it cannot be told."""
    try:
        words = Path(f"/proc/{process}/stat").read_bytes().rpartition(b") ")[2].split()
    except OSError:
        return 0.0
    return (int(words[11]) + int(words[12])) * TICK_S


@contextmanager
def time_limit(seconds: float) -> Iterator[None]:
    """End the block with TimeUp after so many seconds of a core, or PATIENCE times as many by the
    clock."""
    if threading.current_thread() is not threading.main_thread():
        yield
        return
    worked, ends = time.thread_time() + seconds, time.monotonic() + PATIENCE * seconds

    def ring(_number: int, _frame: FrameType | None) -> None:
        left = worked - time.thread_time()
        if left < _LEAST_S or time.monotonic() >= ends:
            raise TimeUp
        signal.setitimer(signal.ITIMER_REAL, left)

    before = signal.signal(signal.SIGALRM, ring)
    signal.setitimer(signal.ITIMER_REAL, seconds)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)
