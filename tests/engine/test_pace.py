"""How many requests a host gets at once, and in a second; and that a stop ends the waiting."""

import threading
import time
import unittest

from saltpath.core.format.nodes import FormatError
from saltpath.core.format.reader import read_case
from tests.engine.answering import Handler, serving
from tests.engine.test_rows import Run


class Counting(Handler):
    lock = threading.Lock()
    now = most = 0
    times: list[float] = []

    def do_GET(self):
        kind = type(self)
        with kind.lock:
            kind.now += 1
            kind.most = max(kind.most, kind.now)
            kind.times.append(time.monotonic())
        time.sleep(0.02)
        with kind.lock:
            kind.now -= 1
        self.send_response(200)
        self.send_header("Content-Length", "0")
        self.end_headers()


def case(address: str, options: str, rows: int = 24) -> str:
    return (
        f"rows: {{ make: {rows}, columns: {{ a: x }} }}\noptions: {options}\nsteps:\n"
        f"  - {{ request: A, send: GET {address}/a, expect: [ {{ of: status, is: 200 }} ] }}\n"
    )


class Paced(unittest.TestCase):
    def setUp(self) -> None:
        Counting.now = Counting.most = 0
        Counting.times = []
        self.address = self.enterContext(serving(Counting))

    def test_at_once(self):
        run = Run(case(self.address, "{ at once per host: 3 }"), jobs=16)
        self.assertEqual((run.case.verdict, Counting.most), ("passed", 3))
        Counting.most = 0
        Run(case(self.address, "{ timeout: 9 s }"), jobs=16)
        self.assertGreater(Counting.most, 3, "without the option there is no limit")

    def test_per_second(self):
        run = Run(case(self.address, "{ per second: 40 }"), jobs=16)
        self.assertEqual(run.case.verdict, "passed")
        self.assertGreater(
            Counting.times[-1] - Counting.times[0], 0.5, "24 of 40 a second take 0.575 s"
        )

    def test_a_stop_ends_the_waiting(self):
        begun = time.monotonic()
        run = Run(
            case(self.address, "{ per second: 2, at once per host: 2 }"), jobs=16, stop_after=1
        )
        self.assertLess(time.monotonic() - begun, 3)
        self.assertLess(len(run.rows), 24)

    def test_what_is_no_limit_is_refused(self):
        for options, said in (
            ("{ at once per host: 0 }", "from 1 to"),
            ("{ per second: fast }", "per second is a number"),
        ):
            with self.subTest(options), self.assertRaises(FormatError) as caught:
                read_case("salt-path: 1\ncase: A\n" + case("http://h", options))
            self.assertIn(said, str(caught.exception))


if __name__ == "__main__":
    unittest.main()
