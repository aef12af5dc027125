"""A process that is told to end does, at whatever moment it is told."""

import errno
import io
import os
import signal
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
import unittest
import unittest.mock
import urllib.request
from contextlib import closing, redirect_stderr
from pathlib import Path

from saltpath.runner.forking import Forked, fork, opened
from saltpath.runner.life import PARENT, ShutdownSignal, parent_gone
from saltpath.runner.supervisor import _Child, _start
from tests.application import PATIENCE_S, Application, free_port, two_free_ports

LOOP = """
from saltpath.runner.life import ShutdownSignal
shutdown = ShutdownSignal()
print("ready", flush=True)
for _ in range(30_000):
    shutdown._received = False
    shutdown.wait(0)
print("done", flush=True)
"""
SIGNALS = 2_000
PINNED = """
from pathlib import Path
from saltpath.store.memory import give_memory_back
def held():
    return int(Path("/proc/self/statm").read_text().split()[1]) * 4096
many = [bytearray(2_000) for _ in range(40_000)]
last = bytearray(2_000)
del many
before = held()
give_memory_back()
print(before - held())
"""
"""Eighty megabytes in small pieces, of which the last stays."""


def answers(port: int) -> bool:
    try:
        with urllib.request.urlopen(f"http://127.0.0.1:{port}/api/v1/health", timeout=5) as answer:
            return answer.status == 200
    except OSError:
        return False


class Forks(unittest.TestCase):
    def setUp(self) -> None:
        if threading.active_count() > 1:
            self.skipTest("threads that other tests have left keep this process from forking")

    def fork(self, main, *kept: int) -> Forked:
        process = fork(main, "saltpath-test", kept)
        self.addCleanup(process.kill)
        return process

    def test_how_it_ended(self):
        def fails() -> None:
            sys.stderr = open(os.devnull, "w")
            raise ValueError("so that it ends badly")

        cases = {
            0: lambda: None,
            3: lambda: sys.exit(3),
            1: fails,
            -9: lambda: os.kill(os.getpid(), 9),
        }
        for status, main in cases.items():
            with self.subTest(status=status):
                process = self.fork(main)
                self.assertEqual((process.wait(20), process.poll()), (status, status))
                process.kill()  # of one that has ended nothing is ended

    def test_it_has_the_descriptors_that_it_was_given_and_its_own_name(self):
        theirs, ours = os.pipe()

        def main() -> None:
            name = Path("/proc/self/comm").read_text().strip()
            os.write(ours, f"{name} {sorted(set(opened()) - {ours})} {parent_gone()}".encode())

        with tempfile.TemporaryFile(), open(theirs, "rb") as said:
            process = self.fork(main, ours)
            os.close(ours)
            self.assertEqual(said.read().decode(), "saltpath-test [0, 1, 2] False")
            process.wait(20)

    def test_it_ends_when_it_is_told_at_once(self):
        """What is told before its own handlers stand is neither lost nor told to those that it was
        forked with."""
        before = [signal.getsignal(number) for number in (signal.SIGTERM, signal.SIGINT)]
        try:
            shutdown = ShutdownSignal()
            for _ in range(100):
                process = self.fork(lambda: time.sleep(60))
                process.send_signal(signal.SIGTERM)
                self.assertEqual(process.wait(20), -signal.SIGTERM)
            self.assertFalse(shutdown.is_set())
        finally:
            signal.signal(signal.SIGTERM, before[0])
            signal.signal(signal.SIGINT, before[1])

    def test_what_would_not_be_safe_is_not_done(self):
        with (
            tempfile.TemporaryDirectory() as folder,
            closing(sqlite3.connect(Path(folder) / "a.db")) as store,
        ):
            store.execute("PRAGMA user_version")
            with self.assertRaisesRegex(AssertionError, "database"):
                fork(lambda: None, "saltpath-test")
        ended = threading.Event()
        threading.Thread(target=ended.wait).start()
        try:
            with self.assertRaisesRegex(AssertionError, "threads"):
                fork(lambda: None, "saltpath-test")
        finally:
            ended.set()

    def test_a_process_that_cannot_be_forked_is_tried_again(self):
        child = _Child("keeper", lambda arguments: time.sleep(60), ["keeper"])
        full = OSError(errno.EAGAIN, "Resource temporarily unavailable")
        with (
            unittest.mock.patch("os.fork", side_effect=full),
            redirect_stderr(io.StringIO()) as said,
        ):
            _start(child, 0)
        self.assertIn(
            "keeper cannot be started (Resource temporarily unavailable)", said.getvalue()
        )
        self.assertTrue(child.process is None and child.not_before > time.monotonic())
        _start(child, 0)
        self.addCleanup(child.process.kill)
        self.assertIsNone(child.process.poll())

    def test_it_starts_without_standard_streams(self):
        """As some that begin services leave it: what was opened first took the place of standard
        input or output."""
        with tempfile.TemporaryDirectory() as folder:
            port = free_port()
            words = [
                sys.executable,
                "-m",
                "saltpath.cli",
                "demo",
                "--data",
                folder,
                "--port",
                str(port),
            ]
            closed = [
                "sh",
                "-c",
                'exec "$@" <&- >&- 2>&-',
                "sh",
                *words,
                "--harbour-port",
                str(two_free_ports()),
            ]
            with subprocess.Popen(closed) as process:
                try:
                    end = time.monotonic() + PATIENCE_S
                    while process.poll() is None and not answers(port) and time.monotonic() < end:
                        time.sleep(0.05)
                    self.assertIsNone(process.poll(), "it ended")
                    self.assertTrue(answers(port))
                finally:
                    process.terminate()

    def test_what_it_begins_has_the_same_allocator(self):
        theirs, ours = os.pipe()
        words = [sys.executable, "-c", "import os; print(os.environ['MALLOC_ARENA_MAX'])"]
        process = self.fork(lambda: os.write(ours, subprocess.check_output(words)) and None, ours)
        os.close(ours)
        with open(theirs, "rb") as said:
            self.assertEqual(said.read(), b"2\n")
        process.wait(20)

    def test_the_supervisor_has_one_thread(self):
        """Numbers are computed by libraries that start some as they are imported."""
        with Application() as app:
            self.assertEqual(len(os.listdir(f"/proc/{app.process.pid}/task")), 1)
            kinds = {kind: len(found) for kind, found in app.children().items()}
            once = dict.fromkeys(("web", "writer", "keeper", "watcher", "courier"), 1)
            self.assertEqual(kinds, {**once, "runner": 2})


class Life(unittest.TestCase):
    def test_signals_at_any_moment(self):
        """With a threading.Event in the place of `ShutdownSignal` it hangs at the first that comes
        at the wrong moment."""
        with subprocess.Popen(
            [sys.executable, "-c", LOOP], stdout=subprocess.PIPE, text=True
        ) as process:
            assert process.stdout is not None
            self.assertEqual(process.stdout.readline(), "ready\n")
            for _ in range(SIGNALS):
                if process.poll() is not None:
                    break
                process.send_signal(signal.SIGTERM)
                time.sleep(0.0002)
            try:
                self.assertEqual(process.communicate(timeout=20)[0], "done\n")
            except subprocess.TimeoutExpired:
                process.kill()
                self.fail("it waits for itself")

    def test_memory_that_a_small_piece_keeps_is_given_back(self):
        done = subprocess.run(
            [sys.executable, "-c", PINNED], capture_output=True, text=True, timeout=60, check=True
        )
        self.assertGreater(int(done.stdout), 60_000_000)

    def test_a_process_whose_supervisor_went_before_it_could_look_ends(self):
        """It took the one that adopted it for its supervisor, lived on, and took jobs that others
        were given as well."""
        for kind, more in (
            ("runner", ["runner_x", "1", "0"]),
            ("web", ["127.0.0.1", "1", "", "", ""]),
        ):
            with self.subTest(kind=kind), tempfile.TemporaryDirectory() as folder:
                words = [sys.executable, "-m", "saltpath.processes", kind, folder, *more]
                done = subprocess.run(
                    words, env={**os.environ, PARENT: "999999999"}, timeout=20, check=False
                )
                self.assertEqual(done.returncode, -signal.SIGKILL)
