"""Runs every test, three processes side by side, of which two drive a browser while there are
modules that do: most of them wait most of the time. A process takes one module after another and
keeps what is dear to begin (the interpreter, the browser). What failed is run once more at the end,
alone in a process of its own, and both are told: a browser that stood still for seconds because its
neighbours were busy is no fault, what fails twice is. With words, only the tests whose name holds
one, in this process. The last line is `N passed, N failed`."""

import os
import re
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from collections import deque
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from tests.application import begin

ROOT = Path(__file__).resolve().parent
LONGEST_S = 600
MOST_AGAIN = 3  # more modules than this do not fail because the machine was busy
ALONE = ("tests.server.test_life",)  # it forks, which no process with threads may
BROWSER = "browser"  # the package whose modules drive one, and take longest
COUNTED = (
    "counted: "  # a line that a test writes to the real output is shown also where all went well
)
ENDED = re.compile(r"^module ended: (\d+) passed, (\d+) failed$")


def pick(suite: unittest.TestSuite, words: list[str]) -> list[unittest.TestCase]:
    chosen = list[unittest.TestCase]()
    for item in suite:
        if isinstance(item, unittest.TestSuite):
            chosen += pick(item, words)
        elif any(word in item.id() for word in words):
            chosen.append(item)
    return chosen


def run(words: list[str]) -> tuple[int, int]:
    """(passed, failed) of the tests whose name holds a word; `tests.core.test_xml.` with its last
    point is that module alone, and no others are loaded."""
    loader = unittest.TestLoader()
    if all(word.endswith(".") for word in words):
        chosen = loader.loadTestsFromNames([word.removesuffix(".") for word in words])
    else:
        found = loader.discover(str(ROOT), pattern="test_*.py", top_level_dir=str(ROOT.parent))
        # a browser that was begun keeps an event loop, beside which the engine's cannot run
        picked = sorted(pick(found, words), key=lambda test: f".{BROWSER}." in test.id())
        chosen = unittest.TestSuite(picked)
    result = unittest.TextTestRunner(verbosity=1, buffer=True).run(chosen)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    for test, reason in result.skipped:
        print(f"counted: {test.id()} was skipped: {reason}")
    if result.testsRun == 0:
        print("no test was run")
        failed = 1
    return max(result.testsRun - failed - len(result.skipped), 0), failed


class Worker:
    """A process that runs modules, one after another."""

    def __init__(self) -> None:
        self._process: subprocess.Popen[str] | None = None

    def run(self, module: str) -> tuple[int, int]:
        """(passed, failed) of a module; what it said is shown where something failed. One that ends
        the process, or does not end, has failed, and the next begins another."""
        if self._process is None:
            self._process = subprocess.Popen(
                [sys.executable, "-m", "tests", "--worker"],
                cwd=ROOT.parent,
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.STDOUT,
                text=True,
            )
        process, said, counts = self._process, list[str](), None
        assert process.stdin is not None and process.stdout is not None
        late = threading.Timer(LONGEST_S, process.kill)
        late.start()
        begun = time.monotonic()
        process.stdin.write(module + "\n")
        process.stdin.flush()
        for line in process.stdout:
            counts = ENDED.match(line)
            if counts:
                break
            said.append(line)
        late.cancel()
        passed, failed = (int(counts[1]), int(counts[2])) if counts else (0, 1)
        if not counts:
            said.append(f"its process ended with {process.wait()}\n")
            self._process = None
        took = time.monotonic() - begun
        shown = said if failed else [line for line in said if line.startswith(COUNTED)]
        print(
            f"{module}: {passed} passed, {failed} failed, {took:.0f} s\n{''.join(shown)}",
            end="",
            flush=True,
        )
        return passed, failed

    def end(self) -> None:
        if self._process is not None:
            self._process.communicate()
            self._process = None


def work() -> None:
    """What such a process does: a line with the name of a module, its tests, a line with counts."""
    for line in sys.stdin:
        passed, failed = run([line.strip() + "."])
        print(f"\nmodule ended: {passed} passed, {failed} failed", flush=True)


Counts = dict[str, tuple[int, int]]


def take(*queues: deque[str]) -> Counts:
    """The modules of each queue, one after another, for as long as there is a following one: the
    counts of each."""
    counts: Counts = {}
    for queue in queues:
        worker = Worker()
        while queue:
            try:
                module = queue.popleft()
            except IndexError:  # another took the last
                break
            if module in ALONE:
                worker.end()
            counts[module] = worker.run(module)
        worker.end()
    return counts


def again(counts: Counts) -> None:
    """Run once more, alone, what failed; its counts are those of the second time."""
    bad = [module for module, (_, failed) in counts.items() if failed]
    for module in bad if len(bad) <= MOST_AGAIN else ():
        before = counts[module][1]
        print(f"{module} failed ({before}), and is run again, alone", flush=True)
        worker = Worker()
        counts[module] = worker.run(module)
        worker.end()
        if not counts[module][1]:
            print(f"unsteady: {module} failed ({before}) at first, and passed alone", flush=True)


def modules() -> tuple[deque[str], deque[str]]:
    """Those that drive a browser and the others, the longest first."""
    files = sorted(ROOT.rglob("test_*.py"), key=lambda file: -file.stat().st_size)
    queues = deque[str](), deque[str]()
    for file in files:
        name = ".".join(file.relative_to(ROOT.parent).with_suffix("").parts)
        queues[file.parent.name != BROWSER].append(name)
    return queues


def every() -> tuple[int, int]:
    browser, others = modules()
    with tempfile.TemporaryDirectory() as folder:
        os.environ["SALTPATH_TESTS_BEGUN"] = str(Path(folder) / "begun")
        begin(Path(folder) / "begun")
        with ThreadPoolExecutor(3) as pool:
            orders = (browser, others), (browser, others), (others, browser)
            parts = [pool.submit(take, *order) for order in orders]
            counts = {module: count for part in parts for module, count in part.result().items()}
        again(counts)
    return sum(passed for passed, _ in counts.values()), sum(
        failed for _, failed in counts.values()
    )


def main() -> int:
    if sys.argv[1:] == ["--worker"]:
        work()
        return 0
    begun = time.monotonic()
    passed, failed = run(sys.argv[1:]) if sys.argv[1:] else every()
    print(f"took {time.monotonic() - begun:.0f} s")
    print(f"{passed} passed, {failed} failed", flush=True)
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
