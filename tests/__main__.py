"""Runs every test; the last line is `N passed, N failed`."""

import sys
import time
import unittest
from pathlib import Path


def pick(suite: unittest.TestSuite, words: list[str]) -> unittest.TestSuite:
    if not words:
        return suite
    chosen = unittest.TestSuite()
    for item in suite:
        if isinstance(item, unittest.TestSuite):
            chosen.addTests(pick(item, words))
        elif any(word in item.id() for word in words):
            chosen.addTest(item)
    return chosen


def main() -> int:
    root = Path(__file__).resolve().parent
    found = unittest.TestLoader().discover(str(root), pattern="test_*.py", top_level_dir=str(root.parent))
    begun = time.monotonic()
    result = unittest.TextTestRunner(verbosity=1, buffer=True).run(pick(found, sys.argv[1:]))
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    passed = result.testsRun - failed - len(result.skipped)
    print(f"took {time.monotonic() - begun:.0f} s")
    if result.testsRun == 0:
        print("no test was run")
        failed = 1
    print(f"{max(passed, 0)} passed, {failed} failed", flush=True)
    return 1 if failed else 0


sys.exit(main())
