"""What pointing makes, without a browser: checks, hand-overs, expected bodies, edits. The tests stand in pointing.mjs."""

import os
import re
import subprocess
import unittest
from pathlib import Path

HERE = Path(__file__).resolve().parent
WANTED = 20


class Pointing(unittest.TestCase):
    def test_each(self):
        done = subprocess.run(
            ["node", "--harmony-json-parse-with-source", "--test", "--test-reporter=tap", HERE / "pointing.mjs"],
            capture_output=True, text=True, timeout=120, env={**os.environ, "WEB": str(HERE.parents[1] / "web")},
        )  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stdout[-6000:] + done.stderr[-2000:])
        found = re.search(r"^# pass (\d+)$", done.stdout, re.MULTILINE)
        assert found is not None
        self.assertGreaterEqual(int(found[1]), WANTED)
