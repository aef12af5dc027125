"""Runs every test, three processes side by side, of which two drive a browser while there are
others: most of them wait most of the time. What failed is run once more at the end, alone, and both
are told: a browser that stood still for seconds because its neighbours were busy is no fault, what
fails twice is. With words, only the tests whose name holds one, in this process. The last line is
`N passed, N failed`."""

import os
import re
import subprocess
import sys
import tempfile
import time
import unittest
from collections import deque
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from tests.application import begin

ROOT = Path(__file__).resolve().parent
LONGEST_S = 600
MOST_AGAIN = 3  # more modules than this do not fail because the machine was busy
# packages whose tests start processes, and may stand in each other's way
STARTING = (
    "browser",
    "server",
    "engine",
)
COUNTED = (
    "counted: "  # a line that a test writes to the real output is shown also where all went well
)


def pick(suite: unittest.TestSuite, words: list[str]) -> unittest.TestSuite:
    chosen = unittest.TestSuite()
    for item in suite:
        if isinstance(item, unittest.TestSuite):
            chosen.addTests(pick(item, words))
        elif any(word in item.id() for word in words):
            chosen.addTest(item)
    return chosen


def run(words: list[str]) -> tuple[int, int]:
    """(passed, failed) of the tests whose name holds a word; `tests.core.test_xml.` with its last
    point is that module alone, and no others are loaded."""
    loader = unittest.TestLoader()
    if all(word.endswith(".") for word in words):
        chosen = loader.loadTestsFromNames([word.removesuffix(".") for word in words])
    else:
        chosen = pick(
            loader.discover(str(ROOT), pattern="test_*.py", top_level_dir=str(ROOT.parent)), words
        )
    result = unittest.TextTestRunner(verbosity=1, buffer=True).run(chosen)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    if result.testsRun == 0:
        print("no test was run")
        failed = 1
    return max(result.testsRun - failed - len(result.skipped), 0), failed


Unit = tuple[str, ...]
"""Modules that are run by one process: each of those that start processes themselves, and all small
ones of a package together."""


def run_unit(unit: Unit) -> tuple[int, int]:
    """The same for modules in a process of their own; what they said is shown where something
    failed."""
    command = [sys.executable, "-m", "tests", *(f"{name}." for name in unit)]
    begun = time.monotonic()
    try:
        done = subprocess.run(
            command, cwd=ROOT.parent, capture_output=True, text=True, timeout=LONGEST_S
        )
        said = done.stdout + done.stderr
    except subprocess.TimeoutExpired as late:
        said = f"not finished within {LONGEST_S} s\n{(late.stdout or b'').decode()}"
    counts = re.search(r"^(\d+) passed, (\d+) failed$", said, re.MULTILINE)
    passed, failed = (int(counts[1]), int(counts[2])) if counts else (0, 1)
    print(
        f"{called(unit)}: {passed} passed, {failed} failed, {time.monotonic() - begun:.0f} s",
        flush=True,
    )
    counted = [line for line in said.splitlines() if line.startswith(COUNTED)]
    print(said if failed else "\n".join(counted), end="\n" if failed or counted else "", flush=True)
    return passed, failed


def called(unit: Unit) -> str:
    return unit[0] if len(unit) == 1 else f"{unit[0].rpartition('.')[0]}, {len(unit)} modules"


Counts = dict[Unit, tuple[int, int]]


def take(following: Callable[[], Unit]) -> Counts:
    """Units one after another, for as long as there is a following one: (passed, failed) of
    each."""
    counts: Counts = {}
    while True:
        try:
            unit = following()
        except IndexError:
            return counts
        counts[unit] = run_unit(unit)


def again(counts: Counts) -> None:
    """Run once more, alone, what failed; its counts are those of the second time."""
    bad = [unit for unit, (_, failed) in counts.items() if failed]
    for unit in bad if len(bad) <= MOST_AGAIN else ():
        before = counts[unit][1]
        print(f"{called(unit)} failed ({before}), and is run again, alone", flush=True)
        counts[unit] = run_unit(unit)
        if not counts[unit][1]:
            print(
                f"unsteady: {called(unit)} failed ({before}) at first, and passed alone", flush=True
            )


def units() -> deque[Unit]:
    """The browser's first, the longest before the others."""
    files = sorted(
        ROOT.rglob("test_*.py"),
        key=lambda file: ("browser" not in file.parts, -file.stat().st_size),
    )
    alone, together = list[Unit](), dict[str, list[str]]()
    for file in files:
        name = ".".join(file.relative_to(ROOT.parent).with_suffix("").parts)
        if file.parent.name in STARTING:
            alone.append((name,))
        else:
            together.setdefault(file.parent.name, []).append(name)
    return deque([*alone, *map(tuple, together.values())])


def every() -> tuple[int, int]:
    waiting = units()
    with tempfile.TemporaryDirectory() as folder:
        os.environ["SALTPATH_TESTS_BEGUN"] = str(Path(folder) / "begun")
        begin(Path(folder) / "begun")
        # two take the browser's from the front, the third the rest from the end
        with ThreadPoolExecutor(3) as pool:
            parts = pool.map(take, (waiting.popleft, waiting.popleft, waiting.pop))
            counts = {unit: count for part in parts for unit, count in part.items()}
        again(counts)
    return sum(passed for passed, _ in counts.values()), sum(
        failed for _, failed in counts.values()
    )


def main() -> int:
    begun = time.monotonic()
    passed, failed = run(sys.argv[1:]) if sys.argv[1:] else every()
    print(f"took {time.monotonic() - begun:.0f} s")
    print(f"{passed} passed, {failed} failed", flush=True)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
