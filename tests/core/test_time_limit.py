"""Endless work is ended; work that only waits for a core is not, unless it waits for very long."""

import time
import unittest

from saltpath.core.paths.time_limit import PATIENCE, TimeUp, time_limit


class TimeLimit(unittest.TestCase):
    def test_endless_work_is_ended(self):
        with self.assertRaises(TimeUp), time_limit(0.02):
            while True:
                pass

    def test_what_has_no_core_is_not_slow(self):
        with time_limit(0.02):
            time.sleep(0.1)

    def test_nor_does_it_wait_for_ever(self):
        begun = time.monotonic()
        with self.assertRaises(TimeUp), time_limit(0.02):
            time.sleep(60)
        self.assertGreaterEqual(time.monotonic() - begun, PATIENCE * 0.02)

    def test_nothing_rings_afterwards(self):
        with time_limit(0.02):
            pass
        end = time.thread_time() + 0.05
        while time.thread_time() < end:
            pass


if __name__ == "__main__":
    unittest.main()
