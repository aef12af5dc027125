"""`saltpath serve`: starts the web server, the runners, the watcher, the writer and the courier,
and starts again what ends unasked.

Each is a process of its own, so that a crash of one never takes another down. The supervisor itself
does no work. It imports what they need once, and forks them (forking.py): so it has one thread, and
opens the store for each look.
"""

from __future__ import annotations

import fcntl
import gc
import os
import signal
import socket
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from contextlib import closing
from functools import partial
from pathlib import Path
from typing import IO, Protocol

from msgspec import Struct, field

from saltpath.runner.forking import Forked, fork
from saltpath.runner.life import PROCESSES_LOCK, Heartbeat, ShutdownSignal
from saltpath.runner.wire import release
from saltpath.store import backup, jobs, links, reaching, summaries
from saltpath.store.database import StoreError, connect, migrate, new_id

LOOK_S = 0.05
LONGEST_PAUSE_S = 2.0
ENDING_S = 8.0
ASK_S = 0.5
RELEASE_S = 0.3
ORPHANS_S = 5.0
STOOD_STILL_S = 1.0
HUNG_S = 20.0
"""A runner whose loop has not come by for so long is ended. Reading an answer of 50 MB takes 3
s."""
HUNG_WHEN_STOPPED_S = 5.0
"""The same for one whose run somebody wants stopped."""


class Settings(Struct, frozen=True):
    """Where the data lies, where the web server listens, how many runners there are."""

    folder: Path
    host: str = "127.0.0.1"
    port: int = 8420
    runners: int = 2
    names: tuple[str, ...] = ()
    """Names of hosts that the web server answers to besides its own."""

    trusted_proxy: str = ""
    """The address of the proxy before it, whose word on who asks counts; empty: there is none."""
    certificate: Path | None = None
    """By which the web server speaks TLS itself; None: it does not."""
    certificate_key: Path | None = None
    """Its key; None: it is in the same file."""
    backups: Path | None = None
    """Where a backup is made each day; by default within the data folder."""
    backups_kept: int = backup.KEPT
    """How many of them; 0: none is made."""

    @property
    def shared(self) -> bool:
        """Whether others than this machine come to it."""
        return self.host not in ("127.0.0.1", "localhost", "::1") or bool(
            self.trusted_proxy or self.names
        )

    @property
    def address(self) -> str:
        """Where a browser finds it, without a path."""
        everywhere = self.host in ("0.0.0.0", "::")
        host = self.names[0] if self.names else "127.0.0.1" if everywhere else self.host
        if self.trusted_proxy and self.names:
            return f"https://{host}"
        scheme = "https" if self.certificate else "http"
        at = "" if self.port == {"http": 80, "https": 443}[scheme] else f":{self.port}"
        return f"{scheme}://{f'[{host}]' if ':' in host else host}{at}"


class Programs(Protocol):
    """What the processes run (saltpath.processes)."""

    def preload(self) -> None:
        """Import all that they need."""

    def main(self, arguments: list[str]) -> None:
        """One process, from its begin to its end: the kind, and what that kind takes."""


class _Child(Struct):
    """A supervised process: its program with its arguments, and how often it ended soon after its
    start."""

    name: str
    main: Callable[[list[str]], None]
    arguments: list[str]
    process: Forked | None = None
    started: float = 0.0
    quick_ends: int = 0
    not_before: float = 0.0
    runner: str = ""
    """Of a runner, and of the watcher: the name that its jobs are held under, its own with what is
    another for each process."""
    beats: IO[bytes] | None = None
    """Of a runner, and of the watcher: where its heartbeats are written."""

    @property
    def heartbeat(self) -> Heartbeat:
        assert self.beats is not None
        return Heartbeat(self.beats.fileno())


class Supervisor(Struct):
    """All processes of one installation, and the jobs of runners that have ended."""

    settings: Settings
    programs: Programs
    children: list[_Child] = field(default_factory=list)
    shutdown: ShutdownSignal = field(default_factory=ShutdownSignal)
    lock: IO[str] | None = None
    ended: list[str] = field(default_factory=list)
    """Runners whose jobs are still to be released."""
    stopping: dict[str, float] = field(default_factory=dict)
    """Runners whose run somebody wants stopped, and since when."""
    looked: float = 0.0
    asked: float = 0.0
    paused: float = 0.0
    """Until when nothing is called hung, since this process itself stood still."""

    def prepare(self) -> None:
        """Take the folder, migrate the store and lay out the processes. Raises StoreError or
        OSError."""
        folder = str(self.settings.folder.resolve())
        os.umask(0o077)  # what is kept is nobody else's on this machine
        self._take_folder()
        _check_port(self.settings.host, self.settings.port)
        migrate(self.settings.folder)
        with closing(connect(self.settings.folder)) as store:
            summaries.check_stored(store)
            reaching.say_shared(store, self.settings.shared)
            self._wait_for_orphans()
            jobs.release(store)
        self.programs.preload()
        gc.collect()
        gc.freeze()  # so that no collection writes to the memory that all share
        main = self.programs.main
        at = [self.settings.host, str(self.settings.port), self.settings.trusted_proxy]
        files = (self.settings.certificate, self.settings.certificate_key)
        tls = [str(file.resolve()) if file else "" for file in files]
        web = ["web", folder, *at, *tls, *self.settings.names]
        backups = self.settings.backups or self.settings.folder / backup.BACKUPS
        keeper = ["keeper", folder, str(backups.resolve()), str(self.settings.backups_kept)]
        self.children = [
            _Child("writer", main, ["writer", folder]),
            _Child("keeper", main, keeper),
        ]
        courier = ["courier", folder, str(self.settings.port), self.settings.address]
        self.children += [_Child("web", main, web), _Child("courier", main, courier)]
        self.children.append(
            _Child("watcher", main, ["watcher", folder], beats=tempfile.TemporaryFile())
        )
        self.children += [
            _Child(f"runner {n + 1}", main, ["runner", folder], beats=tempfile.TemporaryFile())
            for n in range(self.settings.runners)
        ]

    def _take_folder(self) -> None:
        """Two installations in one folder would take each other's runs; the lock goes with this
        process."""
        self.settings.folder.mkdir(parents=True, exist_ok=True)
        self.lock = (self.settings.folder / "lock").open("w")
        try:
            fcntl.flock(self.lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            raise StoreError(f"another Salt Path works in {self.settings.folder}") from None

    def _wait_for_orphans(self) -> None:
        """Runners of a supervisor that was killed end with it, and its writer once all they had
        sent is recorded; where they do not at once, what they report later is refused."""
        end = time.monotonic() + ORPHANS_S
        with (self.settings.folder / PROCESSES_LOCK).open("a") as lock:
            while time.monotonic() < end:
                try:
                    fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
                    return
                except OSError:
                    time.sleep(LOOK_S)

    def watch(self, ready: Callable[[], None] = lambda: None) -> None:
        """Keep everything running until told to end; `ready` is called once all were started."""
        for child in self.children:
            _start(child, self.settings.port)
        ready()
        self.looked = time.monotonic()
        while not self.shutdown.wait(LOOK_S):
            now = time.monotonic()
            if now - self.looked > STOOD_STILL_S:
                self.paused = now + HUNG_S
            self.looked = now
            for child in self.children:
                self._look_after(child)
            self._look_after_jobs(now)
        self._end()

    def _look_after(self, child: _Child) -> None:
        now = time.monotonic()
        if child.process is None:
            if now >= child.not_before:
                _start(child, self.settings.port)
        elif child.process.poll() is not None:
            child.quick_ends = child.quick_ends + 1 if now - child.started < 2 else 0
            pause = min(0.05 * 2**child.quick_ends, LONGEST_PAUSE_S) if child.quick_ends else 0.0
            print(
                f"{child.name} ended ({child.process.returncode}); it is started again",
                file=sys.stderr,
                flush=True,
            )
            child.process, child.not_before = None, now + pause
            if child.runner:
                self.ended.append(child.runner)
        elif child.runner and now > self.paused:
            self._end_hung(child, now)

    def _end_hung(self, child: _Child, now: float) -> None:
        """Kill a runner whose loop does not come by: the step that it hangs in is interrupted then,
        and the others go on."""
        asked = self.stopping.get(child.runner)
        silent = now - child.heartbeat.last()
        if silent > HUNG_S or (
            asked is not None and min(silent, now - asked) > HUNG_WHEN_STOPPED_S
        ):
            assert child.process is not None
            print(
                f"{child.name} has not come by for {silent:.0f} s; it is ended",
                file=sys.stderr,
                flush=True,
            )
            child.process.kill()
            child.process.wait()

    def _look_after_jobs(self, now: float) -> None:
        """Release the jobs of runners that have ended; find out which are to stop. While the
        database is in use it is tried again."""
        if not self.ended and now - self.asked < ASK_S:
            return
        self.asked = now
        try:
            while self.ended and release(self.settings.folder, self.ended[0], RELEASE_S):
                self.ended.pop(0)
            with closing(connect(self.settings.folder, patience_s=0.2)) as store:
                asked = jobs.asked_to_stop(store)
        except sqlite3.Error:
            return
        self.stopping = {runner: self.stopping.get(runner, now) for runner in asked}

    def _end(self) -> None:
        """Runners first, so that the writer still records what they report."""
        for group in (("runner", "watcher", "web", "keeper", "courier"), ("writer",)):
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
            raise StoreError(
                f"port {port} of {host} cannot be listened on: {problem.strerror}"
            ) from None


def _start(child: _Child, own_port: int) -> None:
    arguments, kept = child.arguments, tuple[int, ...]()
    if child.beats is not None:
        child.runner = new_id(child.name)
        child.heartbeat.beat()
        arguments = [*arguments, child.runner, str(child.beats.fileno()), str(own_port)]
        kept = (child.beats.fileno(),)
    child.started = time.monotonic()
    try:
        child.process = fork(partial(child.main, arguments), f"saltpath-{arguments[0]}", kept)
    except OSError as problem:  # too many processes, or no memory: others may go
        print(
            f"{child.name} cannot be started ({problem.strerror}); it is tried again",
            file=sys.stderr,
            flush=True,
        )
        child.not_before = child.started + LONGEST_PAUSE_S


def supervise(
    settings: Settings, programs: Programs, ready: Callable[[], None] | None = None
) -> int:
    """Run the application in this process's name until it is told to end. Returns the exit
    status."""
    supervisor = Supervisor(settings, programs)
    try:
        supervisor.prepare()
    except (StoreError, OSError) as problem:
        print(f"Salt Path cannot start: {problem}", file=sys.stderr)
        return 2

    def announce() -> None:
        print(f"Salt Path answers at {settings.address}/  (Ctrl C ends it)", flush=True)
        with closing(connect(settings.folder)) as store:
            token = links.link_of_owner(store)
        if token:
            print(f"It has no owner yet. Open {settings.address}/enter#{token}", flush=True)

    supervisor.watch(ready or announce)
    return 0
