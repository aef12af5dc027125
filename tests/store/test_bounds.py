"""What became of watches takes no more room than an administrator allows: the oldest goes first,
what matters most last, and it is written down what went."""

import os
import tempfile
import unittest
from contextlib import closing
from pathlib import Path

from saltpath.store.database import connect, migrate, write
from saltpath.store.history import bounds, retention, seen
from saltpath.store.history.runs import WATCH_BITS
from saltpath.store.keeping import Rules
from saltpath.store.step_rows import StepRow

NOW = 1_796_119_200
HOUR = 3_600


class Bounds(unittest.TestCase):
    def setUp(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        migrate(folder)
        self.main = self.enterContext(closing(connect(folder)))
        self.history = self.enterContext(closing(connect(folder, "history")))
        self.history.execute("PRAGMA synchronous = OFF")

    def fill(self, watches: int, hours: int, octets: int) -> None:
        kinds = (seen.GOOD, seen.GOOD, seen.GOOD, seen.BAD, seen.WHOLE)
        with write(self.history):
            for watch in range(1, watches + 1):
                self.history.execute(
                    "INSERT INTO watch_state (watch, project, looked_at) VALUES (?, 1, 0)", (watch,)
                )
                for hour in range(hours):
                    at = NOW - (hours - hour) * HOUR
                    for number, keep in enumerate(kinds):
                        self.history.execute(
                            "INSERT INTO watch_evidence VALUES (?, ?, 0, 0, ?, 1, ?)",
                            (watch, at + number * 60, keep, os.urandom(octets)),
                        )
                    self.history.execute(
                        "INSERT INTO watch_hour VALUES (?, ?)",
                        (at // HOUR << WATCH_BITS | watch, os.urandom(540)),
                    )

    def left(self) -> dict[int, int]:
        rows = self.history.execute("SELECT keep, COUNT(*) FROM watch_evidence GROUP BY keep")
        return {row[0]: row[1] for row in rows}

    def bound(self, share: float) -> list[bounds.Dropped]:
        limit = round(bounds.used(self.history) * share)
        pieces = list(bounds.bound(self.history, limit, NOW * 1_000_000))
        self.assertTrue(all(rows <= 200 for rows in pieces))
        self.assertLessEqual(bounds.used(self.history), limit)
        return bounds.dropped(self.history)

    def test_what_good_runs_saw_goes_first_the_oldest_of_all_watches(self) -> None:
        self.fill(4, 72, 900)
        self.assertEqual(list(bounds.bound(self.history, 1 << 40, NOW * 1_000_000)), [])
        [gone] = self.bound(0.75)
        self.assertEqual(gone.what, "good")
        self.assertEqual(gone.rows, 4 * 72 * 3 - self.left()[seen.GOOD])
        oldest = [
            self.history.execute(
                "SELECT MIN(due) FROM watch_evidence WHERE watch = ? AND keep = 0", (watch,)
            ).fetchone()[0]
            for watch in (1, 2, 3, 4)
        ]
        self.assertLessEqual(max(oldest) - min(oldest), 7 * HOUR)
        self.assertLess(min(oldest) - HOUR * 7, gone.before)
        self.assertEqual(self.left()[seen.BAD], 4 * 72)

    def test_then_the_others_then_runs_and_the_newest_stay(self) -> None:
        self.fill(3, 48, 900)
        gone = [one.what for one in self.bound(0.4)]
        self.assertEqual(gone, list(bounds.WHATS[: len(gone)]), "in their order")
        self.assertGreater(len(gone), 1)
        self.assertNotIn("runs", gone)
        limit = 1
        list(bounds.bound(self.history, limit, NOW * 1_000_000))
        self.assertEqual([one.what for one in bounds.dropped(self.history)], list(bounds.WHATS))
        self.assertEqual(self.history.execute("SELECT COUNT(*) FROM watch_hour").fetchone()[0], 3)
        self.assertEqual(self.left()[seen.BAD], 3, "what is of the last hour")

    def test_large_bodies_go_with_what_saw_them_and_no_more_than_that(self) -> None:
        self.fill(2, 72, 40)
        with write(self.history):
            self.history.executemany(
                "INSERT INTO watch_body (hash, packed, last_due, keep) VALUES (?, ?, ?, ?)",
                [
                    (os.urandom(16), os.urandom(9_000), NOW - hour * HOUR + 200, keep)
                    for hour in range(1, 73)
                    for keep in (seen.GOOD, seen.GOOD, seen.BAD)
                ],
            )
        self.assertEqual([one.what for one in self.bound(0.6)], ["good"])
        kept = self.history.execute("SELECT COUNT(*) FROM watch_body WHERE keep = 1").fetchone()
        self.assertEqual(kept[0], 72, "what bad runs saw")

    def test_bodies_of_good_runs_do_not_stay_as_long_as_those_of_others(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        migrate(folder)
        history = self.enterContext(closing(connect(folder, "history")))
        packer = seen.WatchPacker()
        with write(history):
            history.execute("INSERT INTO watch_state (watch, project, looked_at) VALUES (1, 1, 0)")
            for day in range(20):
                due = NOW - day * 86_400
                for number, keep in enumerate((seen.WHOLE, seen.GOOD, seen.GOOD)):
                    body = {f"{day} {number}".encode(): os.urandom(2_000)}
                    row = StepRow(0, 0, "steps", 0, 1, "k", "passed", 200, 7, 0, b"r", body)
                    packer.put(history, (1, due + number, 0), 0, keep, [], [row])
        rules = Rules(watch_evidence_days=3, evidence_days=3, watch_days=10)
        for _ in retention.take_away(history, 1, rules, NOW):
            pass
        for _ in retention.unused(history):
            pass
        left = dict(history.execute("SELECT keep, COUNT(*) FROM watch_body GROUP BY keep"))
        self.assertEqual(left, {seen.GOOD: 2 * 4, seen.WHOLE: 11})

    def test_the_limit_is_kept_and_can_be_taken_away(self) -> None:
        self.assertIsNone(bounds.most(self.main))
        bounds.say_most(self.main, 80_000_000)
        self.assertEqual(bounds.most(self.main), 80_000_000)
        bounds.say_most(self.main, None)
        self.assertIsNone(bounds.most(self.main))


if __name__ == "__main__":
    unittest.main()
