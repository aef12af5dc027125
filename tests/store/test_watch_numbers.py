"""Every number that pages show of watches, computed anew from the raw rows by plain functions: over
the demonstration's months, and over two hundred made ones."""

import math
import random
import struct
import tempfile
import unittest
from contextlib import closing
from pathlib import Path

import numpy as np

from saltpath.core.format.watch_reader import read_watch
from saltpath.core.statistics.histogram import number_within
from saltpath.demo.seed import Place, seed
from saltpath.demo.watching import fill
from saltpath.store import projects, watches
from saltpath.store.database import connect, migrate, write
from saltpath.store.history import blocks, ranges, slabs, troubles

NOW = 1_796_122_000
DAY = 86_400
RUN = struct.Struct("<HHBI")
PASSED, FAILED, BLOCKED, UNCHECKED, UNWATCHED, SLOW, SKIPPED = range(7)


def raw(history, watch):
    """(due, flag, microseconds) of each run, in their order, wherever they lie."""
    found = []
    for id, octets in history.execute("SELECT id, runs FROM watch_hour"):
        if id & 0xFFFFFF == watch:
            found += [
                ((id >> 24) * 3_600 + second, flag, us)
                for second, _, flag, us in RUN.iter_unpack(octets)
            ]
    fresh = history.execute("SELECT due, flag, us FROM watch_run WHERE watch = ?", (watch,))
    return sorted([*found, *map(tuple, fresh)], key=lambda run: run[0])


def is_bad(flag):
    return flag & 7 in (FAILED, BLOCKED, SLOW) and not flag & 48


def said(rows, begin, end):
    """Good, bad and other seconds, runs, bad runs, median, 95th percentile."""
    held = [run for run in rows if run[1] & 7 != SKIPPED]
    lengths = {"good": 0, "bad": 0, "other": 0}
    for (due, flag, _), (until, _, _) in zip(held, [*held[1:], (end, 0, 0)], strict=True):
        kind = "bad" if is_bad(flag) else "good" if flag & 55 == PASSED else "other"
        lengths[kind] += max(0, min(until, end) - max(due, begin))
    inside = [run for run in rows if begin <= run[0] < end]
    times = sorted(us for _, flag, us in inside if flag & 8)
    at = [times[max(math.ceil(len(times) * q / 100), 1) - 1] if times else 0 for q in (50, 95)]
    ran = sum(flag & 7 not in (UNWATCHED, SKIPPED) for _, flag, _ in inside)
    return (*lengths.values(), ran, sum(is_bad(flag) for _, flag, _ in inside), *at)


def outages_in(rows, bad_after, good_after):
    """(began, ended or 0, bad runs) of each, by a look over all rows at once."""
    marks = [(due, is_bad(flag)) for due, flag, _ in rows if is_bad(flag) or flag & 55 == PASSED]
    found, row, good, open_ = [], [], [], None
    for due, bad in marks:
        if bad:
            row, good = [*row, due], []
            if open_ is None and len(row) == bad_after:
                open_ = [row[0], 0, bad_after]
            elif open_ is not None:
                open_[2] += 1
        elif open_ is None:
            row = []
        else:
            row, good = [], [*good, due]
            if len(good) == good_after:
                found.append((open_[0], good[0], open_[2]))
                open_, row, good = None, [], []
    return found + ([tuple(open_)] if open_ else [])


class Numbers(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        migrate(self.folder)
        self.history = self.enterContext(closing(connect(self.folder, "history")))
        self.history.execute("PRAGMA synchronous = OFF")

    def assert_equal(self, project, rows, begin, end) -> None:
        """What is asked for of all watches (their raw rows) is what the plain functions say."""
        found = ranges.over(self.history, project, np.array(sorted(rows)), begin, end)
        for row, watch in enumerate(sorted(rows)):
            good, bad, other, ran, wrong, median, p95 = said(rows[watch], begin, end)
            counts = {name: int(held[row]) for name, held in found.counts.items()}
            self.assertEqual(
                (counts["good_s"], counts["bad_s"], counts["left_s"]), (good, bad, other), watch
            )
            self.assertEqual((counts["runs"], counts["bad"]), (ran, wrong))
            if good + bad:
                self.assertAlmostEqual(float(found.availability[row]), good / (good + bad), 12)
            for got, wanted in ((found.median[row], median), (found.p95[row], p95)):
                self.assertLessEqual(abs(int(got) - wanted), 0.02 * wanted + 1)
            inside = [us for due, flag, us in rows[watch] if flag & 8 and begin <= due < end]
            for limit in (90_000, p95 + 7_777):
                within = round(number_within(found.histogram[row], limit))
                least, most = (sum(us <= limit * off for us in inside) for off in (0.96, 1.04))
                self.assertTrue(least <= within <= most, (least, within, most))

    def test_the_demonstration_s_months(self) -> None:
        nowhere = Place("http://127.0.0.1:1", "none")
        seed(self.folder, {"Rehearsal": nowhere, "Live": nowhere})
        fill(self.folder, NOW * 1_000_000)
        main = self.enterContext(closing(connect(self.folder)))
        project = next(p.id for p in projects.projects(main) if p.name == "Fernholm Harbour")
        every = watches.watches(main, project)
        rows = {one.id: raw(self.history, one.id) for one in every}
        self.assertGreater(min(map(len, rows.values())), 200)
        for begin, end in (
            (NOW - 30 * DAY + 777, NOW),
            (NOW - 7 * DAY, NOW - 3 * DAY - 5_000),
            (NOW - DAY, NOW),
            (NOW - 200 * DAY, NOW - 20 * DAY),
            (NOW - 40 * 60, NOW - 60),
        ):
            self.assert_equal(project, rows, begin, end)
        for one in every:
            rule = read_watch(one.document).rule
            found = troubles.troubles(self.history, project, 0, NOW, one.id, "outage")
            kept = sorted((outage.began, outage.ended, outage.runs) for outage in found)
            self.assertEqual(kept, outages_in(rows[one.id], rule.bad, rule.good), one.name)
        of_all = troubles.troubles(self.history, project, 0, NOW)
        self.assertGreater(len(of_all), 3)
        self.assertTrue(all(outage.cause for outage in of_all), "each says why")

    def test_two_hundred_made_months(self) -> None:
        chance = random.Random(30)
        begin = NOW - 30 * DAY
        made = []
        for watch in range(1, 201):
            every, usual = chance.choice([1_200, 1_800, 3_600]), chance.choice([900, 80_000, 9e5])
            due, bad_for = begin + chance.randrange(every), 0
            while due < NOW:
                fate = PASSED
                if bad_for or chance.random() < 0.004:
                    bad_for = bad_for - 1 if bad_for else chance.choice([0, 0, 3, 30])
                    fate = chance.choice([FAILED, BLOCKED, SLOW])
                elif chance.random() < 0.01:
                    fate = chance.choice([UNCHECKED, UNWATCHED, SKIPPED, 7])
                answered = 8 if fate in (PASSED, FAILED, SLOW, UNCHECKED) else 0
                flag = fate | answered | chance.choice([0] * 30 + [16, 32, 64])
                us = 0 if fate == UNWATCHED else round(usual * chance.lognormvariate(0, 0.6))
                made.append((watch, due, flag, us))
                due += every
        with write(self.history):
            self.history.executemany(
                "INSERT INTO watch_state (watch, project, looked_at) VALUES (?, 1, 0)",
                [(watch,) for watch in range(1, 201)],
            )
            self.history.executemany(
                "INSERT INTO watch_run (watch, due, flag, us, late, turn) "
                "VALUES (?, ?, ?, ?, 0, 0)",
                made,
            )
        list(blocks.pack(self.history, NOW - 300))
        list(slabs.roll_up(self.history, NOW))
        rows: dict[int, list] = {watch: [] for watch in range(1, 201)}
        for watch, due, flag, us in made:
            rows[watch].append((due, flag, us))
        self.assert_equal(1, rows, begin, NOW)
        self.assert_equal(1, rows, begin + 5 * DAY + 4_321, NOW - 2 * DAY - 99)


if __name__ == "__main__":
    unittest.main()
