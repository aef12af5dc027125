"""How a supervised process lives: it ends when it is told to, and when its supervisor is gone; it
says that it is not stuck."""

from __future__ import annotations

import ctypes
import fcntl
import os
import resource
import signal
import socket
import struct
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

PROCESSES_LOCK = "processes.lock"
"""The file in the data folder that the writer and every runner hold a shared lock on while they
live."""

PARENT = "SALTPATH_SUPERVISOR"
"""The environment's variable that tells a process its supervisor's id: it may end before the
process has begun to look."""

_parent = int(os.environ.get(PARENT) or os.getppid())


def parent_gone() -> bool:
    """Whether the process that started this one has ended."""
    return os.getppid() != _parent


def forked_by(process: int) -> None:
    """This process was forked by that one."""
    global _parent
    _parent = process


_DEATH_SIGNAL = 1  # PR_SET_PDEATHSIG of prctl(2)


def die_with_parent() -> None:
    """Have this process killed the moment its supervisor ends, however that ends. On Linux;
    elsewhere `parent_gone` is asked."""
    if sys.platform.startswith("linux"):
        ctypes.CDLL(None, use_errno=True).prctl(_DEATH_SIGNAL, signal.SIGKILL, 0, 0, 0)
        if parent_gone():  # it went before this was said
            os.kill(os.getpid(), signal.SIGKILL)


LEAST_MEMORY, MOST_MEMORY = 1_500_000_000, 4_000_000_000
"""Of address space, which is more than what is used."""


def limit_memory() -> None:
    """What asks for more gets a MemoryError, which costs its step alone, where the machine would
    have ended this process or another."""
    machine = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    most = max(LEAST_MEMORY, min(MOST_MEMORY, machine * 3 // 4))
    resource.setrlimit(resource.RLIMIT_AS, (most, most))


@contextmanager
def holding(folder: Path) -> Iterator[None]:
    """Hold the lock of the processes: a supervisor that starts waits for those of another one that
    was killed."""
    with (folder / PROCESSES_LOCK).open("a") as lock:
        fcntl.flock(lock, fcntl.LOCK_SH)
        yield


class Heartbeat:
    """When a process last came by, written where its supervisor reads it: seconds of the monotonic
    clock, which all processes share. It is written by the loop that does the work, so that a loop
    that hangs is found."""

    def __init__(self, descriptor: int) -> None:
        self._descriptor = descriptor

    def beat(self) -> None:
        os.pwrite(self._descriptor, struct.pack("!d", time.monotonic()), 0)

    def last(self) -> float:
        data = os.pread(self._descriptor, 8, 0)
        return float(struct.unpack("!d", data)[0]) if len(data) == 8 else 0.0


class ShutdownSignal:
    """Whether this process was told to end, by SIGTERM or SIGINT. To be made in the main thread.

    It is no `threading.Event`: a handler runs in the thread that it interrupts, and an event that
    is set there, while the same thread begins or ends to wait for it, waits for its own lock for
    ever."""

    def __init__(self) -> None:
        self._received = False
        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, self._tell)

    def _tell(self, number: int, frame: object) -> None:
        self._received = True

    def is_set(self) -> bool:
        return self._received

    def wait(self, seconds: float) -> bool:
        """Sleep, and say whether it was told meanwhile."""
        if not self._received:
            time.sleep(seconds)
        return self._received


def woken_by_signals() -> socket.socket:
    """What becomes readable by any signal, for who waits for sockets."""
    ours, theirs = socket.socketpair()
    ours.setblocking(False)
    theirs.setblocking(False)
    signal.set_wakeup_fd(theirs.detach())
    return ours
