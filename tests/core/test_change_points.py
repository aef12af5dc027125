"""Changes are found where they are, and hardly any where there are none, whatever the noise is
like; a day's cycle is none. `python -m tests.core.test_change_points 400` prints what comes of so
many series of each kind, and what it costs."""

import sys
import time
import unittest

import numpy as np

from saltpath.core.statistics.change_points import WATCHED, Rule, changes
from saltpath.core.statistics.daily_profile import added_by, daily_profile, medians_of
from saltpath.core.statistics.shifts import shifts_in


def noise(chance, number, variation, kind="log-normal"):
    """`variation`: the coefficient of variation of the log-normal ones."""
    if kind == "heavy tails":
        return np.exp(np.log1p(variation) * chance.standard_t(3, number))
    if kind == "two levels":
        return np.where(chance.random(number) < 0.5, 1, 1.4) * chance.normal(1, 0.02, number)
    if kind == "ties":
        return np.round(chance.lognormal(0, variation, number), 1) + 0.1
    logs = chance.normal(0, np.sqrt(np.log1p(variation**2)), number)
    if kind == "dependent":
        for n in range(1, number):
            logs[n] = 0.5 * logs[n - 1] + logs[n] * 0.87
    return np.exp(logs)


class ChangePoints(unittest.TestCase):
    def test_hardly_any_is_found_where_there_is_none(self):
        chance = np.random.default_rng(23)
        for kind in ("log-normal", "heavy tails", "two levels", "ties", "dependent"):
            found = sum(bool(changes(100 * noise(chance, 1_000, 0.2, kind))) for _ in range(100))
            self.assertLessEqual(found, 4, kind)

    def test_a_fifth_more_in_200_runs_is_found_within_10(self):
        chance = np.random.default_rng(24)
        for variation, by, least in ((0.1, 1.2, 95), (0.2, 1.2, 85), (0.5, 1.5, 85)):
            right = 0
            for _ in range(100):
                times = 100 * noise(chance, 200, variation)
                at = int(chance.integers(60, 141))
                times[at:] *= by
                found = changes(times)
                right += len(found) == 1 and abs(found[0].at - at) <= 10
            self.assertGreaterEqual(right, least, variation)

    def test_levels_stand_beside_it_and_a_stretch_has_two_ends(self):
        chance = np.random.default_rng(25)
        times = 190_000 * noise(chance, 600, 0.1)
        times[200:400] *= 1.5
        found = changes(times, WATCHED)
        self.assertEqual([round(one.at, -1) for one in found], [200, 400])
        self.assertAlmostEqual(found[0].ratio, 1.5, delta=0.06)
        self.assertAlmostEqual(found[1].ratio, 1 / 1.5, delta=0.06)
        self.assertAlmostEqual(found[0].before, 190_000, delta=6_000)

    def test_a_slope_an_outlier_and_what_is_too_small_are_none(self):
        chance = np.random.default_rng(26)
        slope = 100 * noise(chance, 400, 0.05) * np.linspace(1, 1.25, 400)
        self.assertEqual(changes(slope, WATCHED), [])
        few = 100 * noise(chance, 400, 0.05)
        few[100:105] *= 30
        self.assertEqual(changes(few), [])
        small = 100 * noise(chance, 400, 0.01)
        small[200:] *= 1.05
        self.assertEqual(changes(small), [])
        self.assertEqual(len(changes(small, Rule(effect=0.02))), 1)

    def test_nothing_and_the_same_and_a_few_are_no_trouble(self):
        for times in ([], [5], [7] * 300, [1, 2] * 12, [0] * 20 + [3] * 20):
            changes(np.array(times, np.int64))

    def test_a_day_s_cycle_is_none_once_it_is_known(self):
        chance = np.random.default_rng(27)
        seconds = np.arange(0, 7 * 86_400, 60)
        cycle = 0.25 * np.sin(2 * np.pi * seconds / 86_400)
        called = found = 0
        for _ in range(20):
            times = 100_000 * noise(chance, len(seconds), 0.15) * np.exp(cycle)
            profile = daily_profile(seconds, np.log(times), 96)
            last = slice(-1_000, None)
            daily = added_by(profile, seconds[last])
            called += bool(changes(times[last], WATCHED, daily))
            times[-300:] *= 1.3
            profile = daily_profile(seconds, np.log(times), 96)
            daily = added_by(profile, seconds[last])
            said = changes(times[last], WATCHED, daily)
            found += any(abs(one.at - 700) <= 15 and one.ratio > 1.15 for one in said)
        self.assertLessEqual(called, 1)
        self.assertGreaterEqual(found, 18)
        self.assertFalse(daily_profile(seconds[:2_880], np.log(times[:2_880]), 96).any())

    def test_parts_have_the_median_of_what_is_in_them(self):
        when, middle = medians_of(np.array([0, 10, 59, 60, 200]), np.array([5, 1, 9, 4, 8]), 60)
        self.assertEqual((when.tolist(), middle.tolist()), ([0, 60, 180], [5, 4, 8]))


def hourly_days(chance, days, shift=1.0):
    """Times taken each hour over so many days with a daily cycle, slower at the end by a share."""
    seconds = np.arange(0, days * 86_400, 3_600)
    cycle = 0.25 * np.sin(2 * np.pi * seconds / 86_400)
    times = 100_000 * noise(chance, len(seconds), 0.15) * np.exp(cycle)
    times[-len(seconds) // 4 :] *= shift
    return seconds, times.astype(np.int64)


def likeliest(times):
    """Where one change is likeliest, by who knows that there is just one, and of which kind the
    noise is: no method does better."""
    logs = np.log(times)
    place = np.arange(12, len(logs) - 11)
    added = np.cumsum(logs - logs.mean())[place - 1]
    return int(place[np.argmax(added**2 / (place * (len(logs) - place)))])


def main(number):
    chance = np.random.default_rng(23)
    print(f"of {number} series of 1,000 values of noise each, called changed:")
    for kind in ("log-normal", "dependent", "heavy tails", "two levels", "ties"):
        found = sum(bool(changes(100 * noise(chance, 1_000, 0.2, kind))) for _ in range(number))
        print(f"  {kind:12} {100 * found / number:.1f} %")
    for days in (14, 28, 42):
        every = [hourly_days(chance, days) for _ in range(number)]
        found = sum(bool(shifts_in(*one, 3_600, Rule())) for one in every)
        print(f"  a cycle of the day, {days} days of hours {100 * found / number:.1f} %")
    print("found within 10 runs of where it was, in 200 runs, of 100 each; as the only one; and by")
    print("who knows that there is one:")
    for variation, by in ((0.1, 1.2), (0.15, 1.2), (0.2, 1.2), (0.3, 1.2), (0.5, 1.5)):
        right = np.zeros(3)
        for _ in range(number):
            times = 100 * noise(chance, 200, variation)
            at = int(chance.integers(60, 141))
            times[at:] *= by
            found = changes(times)
            near = any(abs(one.at - at) <= 10 for one in found)
            right += (near, near and len(found) == 1, abs(likeliest(times) - at) <= 10)
        shares = "  ".join(f"{share:5.1f}" for share in 100 * right / number)
        print(f"  +{100 * (by - 1):.0f} % at a variation of {variation:<4}  {shares}")
    quiet = 100 * noise(chance, 1_000, 0.2)
    two = quiet.copy()
    two[300:] *= 1.4
    two[700:] *= 1.4
    for name, times in (("noise", quiet), ("two changes", two)):
        began = time.process_time()
        for _ in range(50):
            changes(times)
        print(f"1,000 values, {name}: {(time.process_time() - began) * 20:.1f} ms of a core")


if __name__ == "__main__":
    if sys.argv[1:] and sys.argv[1].isdigit():
        main(int(sys.argv[1]))
    else:
        unittest.main()
