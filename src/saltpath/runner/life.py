"""How a supervised process lives: it ends when it is told to, and when its supervisor is gone."""

from __future__ import annotations

import os
import signal
import socket
import time

_PARENT = os.getppid()


def parent_gone() -> bool:
    """Whether the process that started this one has ended."""
    return os.getppid() != _PARENT


class Told:
    """Whether this process was told to end, by SIGTERM or SIGINT. To be made in the main thread.

    It is no `threading.Event`: a handler runs in the thread that it interrupts, and an event that is set there, while the same thread
    begins or ends to wait for it, waits for its own lock for ever."""

    def __init__(self) -> None:
        self._told = False
        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, self._tell)

    def _tell(self, number: int, frame: object) -> None:
        self._told = True

    def is_set(self) -> bool:
        return self._told

    def wait(self, seconds: float) -> bool:
        """Sleep, and say whether it was told meanwhile."""
        if not self._told:
            time.sleep(seconds)
        return self._told


def woken_by_signals() -> socket.socket:
    """What becomes readable by any signal, for who waits for sockets."""
    ours, theirs = socket.socketpair()
    ours.setblocking(False)
    theirs.setblocking(False)
    signal.set_wakeup_fd(theirs.detach())
    return ours
