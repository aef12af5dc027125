"""Entries of runs are written once, and read the same before and after their days are packed."""

import random
import tempfile
import unittest
from contextlib import closing
from pathlib import Path

import numpy as np

from saltpath.core.trends.entries import CASE, STEP
from saltpath.store.database import connect, migrate
from saltpath.store.trends import entries, series
from saltpath.store.trends.entries import DAY_S, SummedRun
from saltpath.store.trends.series import Series

NOW = 1_796_000_000
BEGIN = NOW - 5 * DAY_S


class TrendEntries(unittest.TestCase):
    def setUp(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        migrate(folder)
        self.history = self.enterContext(closing(connect(folder, "history")))

    def add(self, run, at, chance, project=1):
        steps = np.zeros(chance.randrange(1, 30), STEP)
        steps["series"] = sorted(chance.sample(range(1, 60), len(steps)))
        steps["run"], steps["at"], steps["timed"] = run, at, 1
        steps["median"] = [chance.randrange(1_000) for _ in steps]
        cases = np.zeros(chance.randrange(1, 5), CASE)
        cases["case"], cases["run"], cases["at"] = range(1, len(cases) + 1), run, at
        place = chance.choice(("Rehearsal", "Live", "it's"))
        made = {("case", place): cases, ("step", place): steps}
        summed = SummedRun(run, project, run, f"run_{run}", "", "", at * 10**6, at * 10**6)
        self.assertTrue(entries.add(self.history, summed, made))
        self.assertFalse(entries.add(self.history, summed, made))
        return place, cases, steps

    def read(self, what, place, begin, end, some=None):
        found = entries.entries(self.history, 1, what, place, begin, end, some)
        return sorted(tuple(one) for one in found.tolist())

    def test_entries_are_read_as_they_lie(self):
        """Sorted, whole days went through memory four times: it took four times as long."""
        asked = []
        self.history.set_trace_callback(asked.append)
        for what, some in (("case", None), ("step", None), ("step", [3, 17])):
            entries.entries(self.history, 1, what, "Live", BEGIN, NOW, some)
        self.history.set_trace_callback(None)
        self.assertEqual(len(asked), 6)
        for sql in asked:
            plan = [row[3] for row in self.history.execute(f"EXPLAIN QUERY PLAN {sql}")]
            self.assertNotIn("TEMP B-TREE", " ".join(plan))

    def test_any_stretch_reads_the_same_before_and_after_packing(self):
        chance = random.Random(5)
        runs = [
            (*self.add(run, BEGIN + chance.randrange(5 * DAY_S), chance),) for run in range(1, 80)
        ]
        self.add(500, BEGIN + 77, chance, project=2)
        stretches = [
            sorted(BEGIN + chance.randrange(-DAY_S, 6 * DAY_S) for _ in range(2)) for _ in range(25)
        ]
        some = [3, 17, 18, 58]

        def assert_all():
            for begin, end in stretches:
                for place in ("Rehearsal", "Live", "it's"):
                    for what, at in (("case", 1), ("step", 2)):
                        wanted = sorted(
                            tuple(one)
                            for run in runs
                            if run[0] == place
                            for one in run[at].tolist()
                            if begin <= one[2] < end
                        )
                        self.assertEqual(self.read(what, place, begin, end), wanted)
                        if what == "step":
                            chosen = [one for one in wanted if one[0] in some]
                            got = self.read(what, place, begin, end, some)
                            self.assertEqual([one for one in got if one[0] in some], chosen)

        assert_all()
        packed = sum(entries.pack(self.history, NOW - 2 * DAY_S))
        self.assertGreater(packed, 10)
        assert_all()
        # one that ended late comes to a day that is packed
        runs.append(self.add(200, BEGIN + 100, chance))
        assert_all()
        self.assertGreater(sum(entries.pack(self.history, NOW)), 10)
        assert_all()
        self.assertEqual(sum(entries.pack(self.history, NOW)), 0)
        self.assertEqual(
            set(entries.places(self.history)) - {(1, one) for one in ("Rehearsal", "Live", "it's")},
            {(2, place) for project, place in entries.places(self.history) if project == 2},
        )

    def test_what_is_old_goes(self):
        chance = random.Random(6)
        for run in range(1, 40):
            self.add(run, BEGIN + chance.randrange(5 * DAY_S), chance)
        list(entries.pack(self.history, NOW - DAY_S))
        taken = sum(entries.take_away(self.history, 1, BEGIN + 2 * DAY_S))
        self.assertGreater(taken, 3)
        day = (BEGIN + 2 * DAY_S) // DAY_S * DAY_S
        for place in entries.environments(self.history, 1):
            self.assertEqual(self.read("step", place, 0, day), [])
        kept = entries.runs_between(self.history, 1, 0, NOW)
        self.assertTrue(kept)
        self.assertGreaterEqual(min(run.at for run in kept.values()), (BEGIN + 2 * DAY_S) * 10**6)

    def test_series_have_one_number_each_and_are_called_as_they_were_last(self):
        wanted = [Series("step", "1/a", "Ask", 1, "GET /a"), Series("host", "h:80", "h:80")]
        first = series.numbers(self.history, 1, wanted)
        renamed = [Series("step", "1/a", "Ask again", 1, "GET /b")]
        again = series.numbers(self.history, 1, renamed)
        self.assertEqual(again["step", "1/a"], first["step", "1/a"])
        other = series.numbers(self.history, 2, wanted)
        self.assertNotIn(other["step", "1/a"], first.values())
        found = series.of_project(self.history, 1)
        one = found[first["step", "1/a"]]
        self.assertEqual((one.name, one.operation), ("Ask again", "GET /b"))
        self.assertEqual(series.one(self.history, one.oid)[:2], (first["step", "1/a"], 1))


if __name__ == "__main__":
    unittest.main()
