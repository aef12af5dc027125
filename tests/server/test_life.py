"""A process that is told to end does, at whatever moment it is told."""

import signal
import subprocess
import sys
import time
import unittest

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
