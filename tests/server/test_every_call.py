"""Random and mutated calls of every operation of our API: none is answered with 5xx, none takes
more than two seconds of CPU.

Some hundred here; `python -m tests.server.test_every_call CALLS [SEED]` makes as many as you like
(30,000 take some minutes)."""

import json
import random
import sys
import tempfile
import time
import unittest
from collections import Counter
from contextlib import closing
from pathlib import Path

from saltpath.store.database import connect
from tests.calls import Calls, begun, known_in

MOST_CPU_S = 2.0


class EveryCall(unittest.TestCase):
    calls = 1500
    seed = 1

    def setUp(self) -> None:
        folder, self.app = begun(self.enterContext(tempfile.TemporaryDirectory()))
        self.known = known_in(self.app)
        self.spoil(folder, random.Random(self.seed))

    def spoil(self, folder: Path, chance: random.Random) -> None:
        """Some stored documents are none any more, as an older fault might have left them."""
        calls = Calls(chance, self.app, self.known)
        with closing(connect(folder)) as main, main:
            for table, of in (
                ("case_revision", "test_case"),
                ("suite", "id"),
                ("environment", "id"),
                ("project", "id"),
            ):
                rows = main.execute(f"SELECT {of}, document FROM {table} ORDER BY 1").fetchall()
                for id, text in rows[-3:] if table == "case_revision" else rows[-1:]:
                    document = calls.mutated(json.loads(text), 0.08)
                    if isinstance(document, dict):
                        held = json.dumps(document).encode("utf-8", "replace").decode()
                        more = ", checked = 0" if table == "case_revision" else ""
                        main.execute(
                            f"UPDATE {table} SET document = ?{more} WHERE {of} = ?", (held, id)
                        )

    def test_no_call_is_answered_with_a_fault(self) -> None:
        calls, statuses, slowest = (
            Calls(random.Random(self.seed), self.app, self.known),
            Counter[int](),
            0.0,
        )
        for number in range(self.calls):
            begun = time.process_time()
            method, asked, status, said = calls.call()
            took = time.process_time() - begun
            slowest = max(slowest, took)
            statuses[status // 100] += 1
            with self.subTest(number=number):
                self.assertTrue(
                    status < 500 or (status == 503 and "busy" in str(said)),
                    f"{method} {asked} {status} {said}",
                )
                self.assertLess(took, MOST_CPU_S, f"{method} {asked}")
        said_in_all = ", ".join(
            f"{number} of {kind}xx" for kind, number in sorted(statuses.items())
        )
        print(
            f"counted: {self.calls} calls: {said_in_all}; the slowest took {slowest:.2f} s of CPU",
            file=sys.__stdout__,
        )


if __name__ == "__main__":
    if len(sys.argv) > 2:
        EveryCall.seed = int(sys.argv.pop())
    EveryCall.calls = int(sys.argv.pop()) if sys.argv[1:] else 30_000
    unittest.main()
