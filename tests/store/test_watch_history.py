"""The history of watches against a plain and separate reckoning over its raw runs: whatever part of
it is fresh, packed or summed up, and whatever the stretch."""

import math
import random
import sqlite3
import tempfile
import unittest
from contextlib import closing
from pathlib import Path

import numpy as np

from saltpath.core.watching import flags
from saltpath.core.watching.flags import ANSWERED, CAUGHT_UP, FATES, MAINTENANCE, OWN_SIDE, flag_of
from saltpath.core.watching.states import Rule
from saltpath.store.database import connect, migrate, write
from saltpath.store.history import blocks, ranges, runs, slabs
from saltpath.store.history.runs import Claim, Ended

BEGIN = 1_767_225_600 - 7_000
"""Seconds, UTC; in no particular place of an hour."""


def by_hand(history, watch, begin, end):
    """What is said of one watch, from its raw runs, one after another."""
    of_watch = sorted((due, n) for n, (who, due, *_) in enumerate(history) if who == watch)
    said = {"runs": 0, "bad": 0, "good_s": 0, "bad_s": 0, "left_s": 0, "missed": 0, "skipped": 0}
    times = []
    held = [(due, history[n][2]) for due, n in of_watch if FATES[history[n][2] & 7] != "skipped"]
    for at, (due, flag) in enumerate(held):
        until = held[at + 1][0] if at + 1 < len(held) else end
        length = max(0, min(until, end) - max(due, begin))
        bad = flags.is_bad(flag)
        name = "left_s" if bad is None or FATES[flag & 7] in ("unchecked",) else "bad_s"
        said["good_s" if bad is False else name] += length
    for due, n in of_watch:
        _, _, flag, us, _ = history[n]
        if not begin <= due < end:
            continue
        fate = FATES[flag & 7]
        said["runs"] += fate not in ("unwatched", "skipped")
        said["bad"] += flags.is_bad(flag) is True
        said["skipped"] += fate == "skipped"
        said["missed"] += us if fate == "unwatched" else 0
        if flag & ANSWERED:
            times.append(us)
    times.sort()
    for name, share in (("median", 0.5), ("p95", 0.95)):
        said[name] = times[max(math.ceil(round(share * len(times), 9)), 1) - 1] if times else 0
    said["low"], said["high"] = (times[0], times[-1]) if times else (0, 0)
    return said


def drawn(chance: random.Random, watches: list[int], length: int):
    """Runs (watch, due, flag, us, late) of watches with intervals of their own, with outages, gaps
    and all that becomes of a run."""
    found = []
    for watch in watches:
        every = chance.choice([5, 60, 61, 900, 7_300])
        usual, due, bad_for = chance.choice([300, 90_000, 2_000_000]), BEGIN, 0
        while due < BEGIN + length:
            fate, more, us = "passed", 0, round(usual * chance.lognormvariate(0, 0.5))
            if bad_for:
                bad_for, fate = bad_for - 1, chance.choice(["failed", "blocked", "slow"])
            elif chance.random() < 0.01:
                bad_for = chance.choice([0, 1, 40])
            if chance.random() < 0.02:
                fate = chance.choice(FATES)
            if fate == "unwatched":
                us, step = chance.randrange(200), chance.choice([1, 5_000, 40_000])
            else:
                step = every
                more = chance.choice([0] * 20 + [MAINTENANCE, OWN_SIDE, CAUGHT_UP])
                if fate in ("passed", "failed", "slow", "unchecked"):
                    more |= ANSWERED
            found.append((watch, due, flag_of(fate, more), us, chance.randrange(30)))
            due += step
    chance.shuffle(found)
    return found


class OfHistory(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        migrate(self.folder)
        self.history = self.enterContext(closing(connect(self.folder, "history")))

    def put(self, rows):
        with write(self.history):
            self.history.executemany(
                "INSERT INTO watch_run (watch, due, flag, us, late, turn) "
                "VALUES (?, ?, ?, ?, ?, 0)",
                rows,
            )

    def known(self, watches, project=1):
        with write(self.history):
            self.history.executemany(
                "INSERT INTO watch_state (watch, project, looked_at) VALUES (?, ?, 0)",
                [(watch, project) for watch in watches],
            )


class TestRanges(OfHistory):
    def test_any_stretch_is_what_the_runs_say(self):
        for seed in range(6):
            with self.subTest(seed=seed):
                self.doCleanups()
                self.setUp()
                self._held(random.Random(seed))

    def _held(self, chance):
        mine, others = [3, 4, 9, 300, 301], [5, 302]
        length = chance.choice([20_000, 4 * 86_400])
        history = drawn(chance, mine, length)
        self.known(mine)
        self.known(others, project=2)
        self.put(drawn(chance, others, length))
        late = [history.pop() for _ in range(4)]
        until, todo = BEGIN + length, sorted(history, key=lambda run: run[1])
        while todo:
            here = chance.randrange(1, len(todo) + 1)
            self.put(todo[:here])
            todo = todo[here:]
            now = todo[0][1] if todo else until
            list(blocks.pack(self.history, now - chance.choice([0, 400])))
            list(slabs.roll_up(self.history, now))
        self._ask(chance, history, mine, until)
        self.put(late)
        self._ask(chance, [*history, *late], mine, until)
        list(blocks.pack(self.history, until + 10_000))
        list(slabs.roll_up(self.history, until + 100_000))
        self._ask(chance, [*history, *late], mine, until)

    def _ask(self, chance, history, mine, until):
        for _ in range(6):
            begin, end = sorted(chance.randrange(BEGIN - 5_000, until + 9_000) for _ in range(2))
            if chance.random() < 0.3:
                begin, end = begin // 86_400 * 86_400, (end // 10_800 + 1) * 10_800
            chosen = sorted(chance.sample(mine, chance.choice([1, 3, 5])))
            found = ranges.over(self.history, 1, np.array(chosen), begin, end + 1)
            for row, watch in enumerate(chosen):
                said = by_hand(history, watch, begin, end + 1)
                for name in ("runs", "bad", "good_s", "bad_s", "left_s", "missed", "skipped"):
                    self.assertEqual(int(found.counts[name][row]), said[name], (name, watch))
                self.assertEqual((found.low[row], found.high[row]), (said["low"], said["high"]))
                for name in ("median", "p95"):
                    got = int(getattr(found, name)[row])
                    self.assertLessEqual(abs(got - said[name]), 0.02 * said[name] + 1, name)
                self.assertEqual(int(found.line["runs"][row].sum()), said["runs"])
                self.assertEqual(int(found.line["bad"][row].sum()), said["bad"])

    def test_points_lie_where_their_runs_were(self):
        self.known([7])
        rows = [
            (7, BEGIN + 60 * n, flag_of("passed", ANSWERED), 1_000 + n, 0) for n in range(2_880)
        ]
        self.put(rows)
        list(blocks.pack(self.history, BEGIN + 200_000))
        list(slabs.roll_up(self.history, BEGIN + 200_000))
        for begin, length in ((BEGIN, 86_400), (BEGIN + 77, 600), (BEGIN - 900, 172_800)):
            found = ranges.over(self.history, 1, np.array([7]), begin, begin + length)
            for part in range(found.line.shape[1]):
                since = found.first + part * found.step
                inside = sorted(
                    us
                    for _, due, _, us, _ in rows
                    if max(since, begin) <= due < min(since + found.step, begin + length)
                )
                self.assertEqual(int(found.line["runs"][0, part]), len(inside))
                if inside:
                    middle = inside[math.ceil(len(inside) / 2) - 1]
                    self.assertLessEqual(abs(int(found.line["median"][0, part]) - middle), 1)

    def test_a_project_whose_first_watch_comes_after_those_of_others(self):
        self.known([7])
        self.known([8], project=2)
        passed = flag_of("passed", ANSWERED)
        self.put([(7, BEGIN + 60 * n, passed, 5_000, 0) for n in range(2_880)])
        list(blocks.pack(self.history, BEGIN + 200_000))
        list(slabs.roll_up(self.history, BEGIN + 180_000))
        late = [(8, BEGIN + 180_000 + n, passed, 9_000, 0) for n in range(90)]
        self.put(late)
        for begin in (BEGIN, BEGIN + 90_000, BEGIN + 179_000):
            found = ranges.over(self.history, 2, np.array([8]), begin, BEGIN + 180_090)
            self.assertEqual(int(found.counts["runs"][0]), 90)
            self.assertEqual(int(found.counts["good_s"][0]), 90)


class TestRuns(OfHistory):
    def setUp(self):
        super().setUp()
        self.epoch = runs.take_lease(self.history, "one")
        runs.look_after(self.history, self.epoch, [(1, 1, ""), (2, 1, "")], 0)

    def end(self, ended, epoch=None):
        with write(self.history):
            return runs.end(self.history, epoch or self.epoch, ended, {1: Rule(2, 1)})

    def kept(self):
        return [
            tuple(row) for row in self.history.execute("SELECT watch, due, flag FROM watch_run")
        ]

    def test_a_run_is_written_down_once(self):
        runs.claim(self.history, self.epoch, [Claim(1, 60, 0)], [(1, 60_000_001)], [], 0)
        run = Ended(1, 1, 60, 0, flag_of("passed", ANSWERED), 5)
        self.end([run])
        self.end([run])
        self.assertEqual(self.kept(), [(1, 60, flag_of("passed", ANSWERED))])
        with self.assertRaises(sqlite3.IntegrityError):  # nor claimed again while it is under way
            runs.claim(self.history, self.epoch, [Claim(2, 9, 0), Claim(2, 9, 0)], [], [], 0)

    def test_who_held_the_schedule_before_is_refused(self):
        runs.claim(self.history, self.epoch, [Claim(1, 60, 0), Claim(2, 900, 0)], [], [], 0)
        newer = runs.take_lease(self.history, "two")
        with self.assertRaises(runs.Refused):
            runs.claim(self.history, self.epoch, [Claim(1, 120, 0)], [], [], 0)
        with self.assertRaises(runs.Refused):
            self.end([Ended(1, 1, 60, 0, 0)])
        self.assertEqual(runs.interrupted(self.history, newer, 100_000_000), 1)
        self.assertEqual(self.kept(), [(1, 60, flag_of("interrupted", OWN_SIDE))])
        self.assertEqual(self.end([Ended(1, 1, 60, 0, 0)], newer), [])
        self.assertEqual(len(self.kept()), 1)
        runs.claim(self.history, newer, [Claim(2, 900, 0)], [], [], 0)  # it had not been due

    def test_outages_begin_with_the_first_bad_run_and_end_with_the_first_good_one(self):
        told = []
        for due, fate in enumerate(["passed", "failed", "slow", "blocked", "passed", "failed"], 1):
            runs.claim(self.history, self.epoch, [Claim(1, due, 0)], [], [], 0)
            run = Ended(1, 1, due, 0, flag_of(fate), signature="s", why=f"{fate} at {due}")
            told += [(one.change.kind, one.change.at) for one in self.end([run])]
        self.assertEqual(told, [("outage", 2), ("recovery", 5)])
        row = self.history.execute("SELECT began, ended, runs, cause FROM trouble").fetchone()
        self.assertEqual(tuple(row), (2, 5, 3, "slow at 3"))


if __name__ == "__main__":
    unittest.main()
