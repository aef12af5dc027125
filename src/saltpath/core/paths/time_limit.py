"""A time limit on pure Python work: the block is ended by the interval timer's signal when its time
is up.

Signals reach the main thread alone, and that is where the engine judges. In another thread the
block runs without a limit, so nothing that users' paths can slow down is called from there.
"""

from __future__ import annotations

import signal
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from types import FrameType


class TimeUp(BaseException):
    """The block's time is up. Not an Exception, so that no library swallows it."""


def _ring(_number: int, _frame: FrameType | None) -> None:
    raise TimeUp


@contextmanager
def time_limit(seconds: float) -> Iterator[None]:
    """End the block with TimeUp after so many seconds of wall time."""
    if threading.current_thread() is not threading.main_thread():
        yield
        return
    before = signal.signal(signal.SIGALRM, _ring)
    signal.setitimer(signal.ITIMER_REAL, seconds)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)
