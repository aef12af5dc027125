"""A process that is told to end does, at whatever moment it is told."""

import os
import signal
import subprocess
import sys
import tempfile
import time
import unittest

from saltpath.runner.life import PARENT

LOOP = """
from saltpath.runner.life import Told
told = Told()
print("ready", flush=True)
for _ in range(30_000):
    told._told = False
    told.wait(0)
print("done", flush=True)
"""
SIGNALS = 2_000


class Life(unittest.TestCase):
    def test_signals_at_any_moment(self):
        """With a threading.Event in the place of `Told` it hangs at the first that comes at the wrong moment."""
        with subprocess.Popen([sys.executable, "-c", LOOP], stdout=subprocess.PIPE, text=True) as process:
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

    def test_a_process_whose_supervisor_went_before_it_could_look_ends(self):
        """It took the one that adopted it for its supervisor, lived on, and took jobs that others were given as well."""
        for kind, more in (("runner", ["runner_x", "1", "0"]), ("web", ["127.0.0.1", "1"])):
            with self.subTest(kind=kind), tempfile.TemporaryDirectory() as folder:
                words = [sys.executable, "-m", "saltpath.processes", kind, folder, *more]
                done = subprocess.run(words, env={**os.environ, PARENT: "999999999"}, timeout=20, check=False)
                self.assertEqual(done.returncode, -signal.SIGKILL)
