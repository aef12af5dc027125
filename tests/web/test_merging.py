"""Two people's edits of one case, merged in the page: nothing of either is lost. Seeded."""

import re
import subprocess
import unittest
from pathlib import Path

HERE = Path(__file__).resolve().parent


class Merging(unittest.TestCase):
    def test_nothing_of_either_is_lost(self):
        done = subprocess.run(
            ["node", HERE / "merging.mjs", HERE.parents[1] / "web", "5000"],
            capture_output=True,
            text=True,
            timeout=60,
        )
        self.assertEqual(done.returncode, 0, done.stderr[:6000])
        found = re.search(r"5000 rounds, (\d+) with a clash", done.stdout)
        assert found is not None
        self.assertGreater(int(found[1]), 100)
