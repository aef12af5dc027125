"""What the pages work out without a browser: what pointing makes (pointing.mjs), how an answer is read (reading.mjs), what is typed
about rows (rows.mjs)."""

import os
import re
import subprocess
import unittest
from pathlib import Path

HERE = Path(__file__).resolve().parent


class Pure(unittest.TestCase):
    def test_what_pointing_makes(self):
        self.each("pointing.mjs", 20)

    def test_how_an_answer_is_read(self):
        self.each("reading.mjs", 11)

    def test_rows(self):
        self.each("rows.mjs", 13)

    def each(self, name: str, wanted: int) -> None:
        done = subprocess.run(
            ["node", "--harmony-json-parse-with-source", "--test", "--test-reporter=tap", HERE / name],
            capture_output=True, text=True, timeout=120, env={**os.environ, "WEB": str(HERE.parents[1] / "web")},
        )  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stdout[-6000:] + done.stderr[-2000:])
        found = re.search(r"^# pass (\d+)$", done.stdout, re.MULTILINE)
        assert found is not None
        self.assertGreaterEqual(int(found[1]), wanted)
