"""Processes by fork(2) of one that has imported all they need. They begin within milliseconds,
where a new interpreter takes a second to import the same, and share the memory of it.

It is safe for as long as the process that forks has one thread, and no SQLite connection open
(sqlite.org, "How to corrupt", 2.6). What it has open is closed in the new one, which never returns
into what it was forked from: the objects that stand there are as good as gone.
"""

from __future__ import annotations

import ctypes
import errno
import math
import os
import signal
import subprocess
import sys
import threading
import time
import traceback
from collections.abc import Callable, Collection

from msgspec import Struct

from saltpath.runner import life

LOOK_S = 0.01
_SIGNALS = (signal.SIGTERM, signal.SIGINT)
_NAME = 15  # PR_SET_NAME of prctl(2)
_ALLOCATOR = {
    "MALLOC_ARENA_MAX": (-8, 2),
    "MALLOC_TRIM_THRESHOLD_": (-1, 50_000_000),
    "MALLOC_MMAP_THRESHOLD_": (-3, 131_072),
}
"""For glibc's allocator, which else keeps for each thread what the largest answer of that thread
took: of 48 threads up to 3 GB; and takes larger and larger pieces from its heap, which small ones
then keep from being given back. By the variable for the programs that are begun by a forked
process, by the number of mallopt(3) for itself."""


class Forked(Struct):
    """A process that this one has forked. `returncode` as subprocess has it: the exit status, or
    minus the signal."""

    pid: int
    returncode: int | None = None

    def poll(self) -> int | None:
        """How it ended; None while it runs."""
        if self.returncode is None:
            pid, status = os.waitpid(self.pid, os.WNOHANG)
            if pid:
                self.returncode = os.waitstatus_to_exitcode(status)
        return self.returncode

    def wait(self, seconds: float = math.inf) -> int:
        """How it ended. Raises subprocess.TimeoutExpired if it has not by then."""
        end = time.monotonic() + seconds
        while (ended := self.poll()) is None:
            if time.monotonic() > end:
                raise subprocess.TimeoutExpired(f"process {self.pid}", seconds)
            time.sleep(LOOK_S)
        return ended

    def send_signal(self, number: int) -> None:
        if self.poll() is None:
            os.kill(self.pid, number)

    def kill(self) -> None:
        self.send_signal(signal.SIGKILL)

    def end(self, seconds: float) -> None:
        """Have it end; it is killed if it has not within so long."""
        self.send_signal(signal.SIGTERM)
        try:
            self.wait(seconds)
        except subprocess.TimeoutExpired:
            self.kill()
            self.wait()


def open_standard_streams() -> None:
    """What of standard input, output and error was closed by whoever began this process leads to
    nothing from now on: else the next file that is opened takes its place. To be called before
    anything is opened."""
    for number, name in enumerate(("stdin", "stdout", "stderr")):
        try:
            os.fstat(number)
        except OSError:
            os.open(os.devnull, os.O_RDWR)  # by the lowest number that is free, which is this one
        if getattr(sys, name) is None:
            setattr(sys, name, open(number, "r" if number == 0 else "w", closefd=False))


def fork(main: Callable[[], None], name: str, kept: Collection[int] = ()) -> Forked:
    """Have `main` carried out by a new process, called so (up to 15 letters) by ps and top, with
    these descriptors and the standard ones."""
    assert threading.active_count() == 1, "a process of several threads is not forked"
    assert not any(file.endswith(".db") for file in opened().values()), (
        "nor one with a database open"
    )
    parent = os.getpid()
    sys.stdout.flush()
    sys.stderr.flush()
    # a signal that comes in between would be told to the handlers of this process
    before = signal.pthread_sigmask(signal.SIG_BLOCK, _SIGNALS)
    try:
        pid = os.fork()
        if pid == 0:
            _live(main, name, kept, parent)
    finally:
        signal.pthread_sigmask(signal.SIG_SETMASK, before)
    return Forked(pid)


def _live(main: Callable[[], None], name: str, kept: Collection[int], parent: int) -> None:
    """All of the new process's life; it never returns."""
    status = 1
    try:
        signal.signal(signal.SIGTERM, signal.SIG_DFL)
        signal.signal(signal.SIGINT, signal.default_int_handler)
        signal.pthread_sigmask(signal.SIG_UNBLOCK, _SIGNALS)
        life.forked_by(parent)
        _only_these_open(kept)
        _be_called(name)
        main()
        status = 0
    except SystemExit as ended:
        status = ended.code if isinstance(ended.code, int) else int(ended.code is not None)
    except KeyboardInterrupt:
        status = 130
    except BaseException:
        traceback.print_exc()
    finally:
        try:
            sys.stdout.flush()
            sys.stderr.flush()
        finally:
            os._exit(status)


def _only_these_open(kept: Collection[int]) -> None:
    nothing = os.open(os.devnull, os.O_RDONLY)
    os.dup2(nothing, 0)
    for number in opened():
        if number > 2 and number not in kept:
            os.close(number)


def opened() -> dict[int, str]:
    """The descriptors that are open, and of what file each is, where that can be told."""
    found = {}
    for name in os.listdir("/dev/fd"):
        try:
            os.fstat(int(name))
            found[int(name)] = os.readlink(f"/dev/fd/{name}")
        except OSError as problem:
            if problem.errno != errno.EBADF:  # that by which the folder was listed
                found[int(name)] = ""
    return found


def _be_called(name: str) -> None:
    libc = ctypes.CDLL(None)
    if sys.platform.startswith("linux"):
        libc.prctl(_NAME, name.encode()[:15], 0, 0, 0)
    if hasattr(libc, "mallopt"):
        for variable, (setting, value) in _ALLOCATOR.items():
            libc.mallopt(setting, value)
            os.environ[variable] = str(value)
