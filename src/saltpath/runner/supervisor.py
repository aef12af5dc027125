"""`saltpath serve`: starts the web server, the runners and the writer, and starts again what ends unasked.

Each is a process of its own, so that a crash of one never takes another down. The supervisor itself does no work.
"""

from __future__ import annotations

import fcntl
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO

from saltpath.runner.life import Told
from saltpath.store.database import StoreError, migrate

LOOK_S = 0.05
LONGEST_PAUSE_S = 2.0
ENDING_S = 8.0


@dataclass(frozen=True, slots=True)
class Settings:
    """Where the data lies, where the web server listens, how many runners there are."""

    folder: Path
    host: str = "127.0.0.1"
    port: int = 8420
    runners: int = 2


@dataclass(slots=True)
class _Child:
    """A supervised process: its command, and how often it ended soon after its start."""

    name: str
    command: list[str]
    process: subprocess.Popen[bytes] | None = None
    started: float = 0.0
    quick_ends: int = 0
    not_before: float = 0.0


@dataclass(slots=True)
class Supervisor:
    """All processes of one installation."""

    settings: Settings
    children: list[_Child] = field(default_factory=list)
    told: Told = field(default_factory=Told)
    lock: IO[str] | None = None

    def prepare(self) -> None:
        """Take the folder, migrate the store and lay out the processes. Raises StoreError or OSError."""
        folder = str(self.settings.folder.resolve())
        self._take_folder()
        _check_port(self.settings.host, self.settings.port)
        migrate(self.settings.folder)
        process = [sys.executable, "-m", "saltpath.processes"]
        web = [*process, "web", folder, self.settings.host, str(self.settings.port)]
        self.children = [_Child("writer", [*process, "writer", folder]), _Child("web", web)]
        self.children += [_Child(f"runner {n + 1}", [*process, "runner", folder]) for n in range(self.settings.runners)]

    def _take_folder(self) -> None:
        """Two installations in one folder would take each other's runs; the lock goes with this process."""
        self.settings.folder.mkdir(parents=True, exist_ok=True)
        self.lock = (self.settings.folder / "lock").open("w")
        try:
            fcntl.flock(self.lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            raise StoreError(f"another Salt Path works in {self.settings.folder}") from None

    def watch(self, ready: Callable[[], None] = lambda: None) -> None:
        """Keep everything running until told to end; `ready` is called once all were started."""
        for child in self.children:
            _start(child)
        ready()
        while not self.told.wait(LOOK_S):
            for child in self.children:
                self._look_after(child)
        self._end()

    def _look_after(self, child: _Child) -> None:
        now = time.monotonic()
        if child.process is None:
            if now >= child.not_before:
                _start(child)
        elif child.process.poll() is not None:
            child.quick_ends = child.quick_ends + 1 if now - child.started < 2 else 0
            pause = min(0.05 * 2**child.quick_ends, LONGEST_PAUSE_S) if child.quick_ends else 0.0
            print(f"{child.name} ended ({child.process.returncode}); it is started again", file=sys.stderr, flush=True)
            child.process, child.not_before = None, now + pause

    def _end(self) -> None:
        """Runners first, so that the writer still records what they report."""
        for group in (("runner", "web"), ("writer",)):
            chosen = [c.process for c in self.children if c.process and c.name.startswith(group)]
            for process in chosen:
                process.send_signal(signal.SIGTERM)
            end = time.monotonic() + ENDING_S
            for process in chosen:
                try:
                    process.wait(max(end - time.monotonic(), 0.1))
                except subprocess.TimeoutExpired:
                    process.kill()
                    process.wait()


def _check_port(host: str, port: int) -> None:
    """Raises StoreError if the web server could not listen there."""
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    with socket.socket(family, socket.SOCK_STREAM) as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError as problem:
            raise StoreError(f"port {port} of {host} cannot be listened on: {problem.strerror}") from None


def _start(child: _Child) -> None:
    environment = {**os.environ, "PYTHONUNBUFFERED": "1"}
    child.process = subprocess.Popen(child.command, env=environment, stdin=subprocess.DEVNULL)
    child.started = time.monotonic()


def supervise(settings: Settings, ready: Callable[[], None] | None = None) -> int:
    """Run the application in this process's name until it is told to end. Returns the exit status."""
    supervisor = Supervisor(settings)
    try:
        supervisor.prepare()
    except (StoreError, OSError) as problem:
        print(f"Salt Path cannot start: {problem}", file=sys.stderr)
        return 2

    def announce() -> None:
        print(f"Salt Path answers at http://{settings.host}:{settings.port}/  (Ctrl C ends it)", flush=True)

    supervisor.watch(ready or announce)
    return 0
