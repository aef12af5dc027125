"""How a supervised process lives: it ends when it is told to, and when its supervisor is gone."""

from __future__ import annotations

import os
import signal
import socket
import threading

_PARENT = os.getppid()


def parent_gone() -> bool:
    """Whether the process that started this one has ended."""
    return os.getppid() != _PARENT


def until_told() -> threading.Event:
    """An event that is set by SIGTERM or SIGINT."""
    told = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: told.set())
    return told


def woken_by_signals() -> socket.socket:
    """What becomes readable by any signal, for who waits for sockets."""
    ours, theirs = socket.socketpair()
    ours.setblocking(False)
    theirs.setblocking(False)
    signal.set_wakeup_fd(theirs.detach())
    return ours
