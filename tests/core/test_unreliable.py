"""Cases whose verdict turns by chance are found, sound ones, hiccups, outages and episodes are not.
`python -m tests.core.test_unreliable 1000` prints the shares of so many made cases of each kind."""

import sys
import unittest

import numpy as np

from saltpath.core.statistics.unreliable import all_good, interval, reliability

RUNS = 200


def outage(bad, chance, mean=20):
    begin = chance.integers(0, len(bad))
    bad[begin : begin + max(3, int(chance.exponential(mean)))] = True


def made(kind, number, chance):
    """Verdicts of a case (bad: True); a number at its end is a share in per cent."""
    word, _, share = kind.partition(" ")
    bad = np.zeros(number, bool)
    if word in ("hiccups", "flaky"):
        bad = chance.random(number) < float(share) / 100
    elif word == "outages":
        for _ in range(int(share)):
            outage(bad, chance)
    elif word == "broken":
        bad[chance.integers(number // 2, number) :] = True
    elif word == "brown-out":
        begin = number - 40 if share == "now" else chance.integers(0, number - 40)
        bad[begin : begin + 40] = chance.random(40) < 0.4
    return bad


SOUND = ("sound", "hiccups 0.2", "hiccups 0.5", "outages 1", "outages 3", "broken for good")
EPISODES = ("brown-out", "brown-out now")
FLAKY = ("flaky 5", "flaky 10", "flaky 20", "flaky 50")


def judged(kind, cases, number=RUNS):
    found = []
    for seed in range(cases):
        chance = np.random.default_rng([seed, number, len(kind)])
        found.append(reliability(made(kind, number, chance)))
    return found


def share(found, judgement):
    return sum(one.judgement == judgement for one in found) / len(found)


class Unreliable(unittest.TestCase):
    def test_hardly_any_is_claimed_that_is_not(self):
        for kind in SOUND:
            self.assertLessEqual(share(judged(kind, 150), "unreliable"), 0.05, kind)

    def test_a_brown_out_is_an_episode(self):
        for kind in EPISODES:
            found = judged(kind, 150)
            self.assertLessEqual(share(found, "unreliable"), 0.05, kind)
            self.assertGreaterEqual(share(found, "episode"), 0.9, kind)

    def test_what_turns_by_chance_is_found_and_the_interval_holds_how_often(self):
        for kind in FLAKY:
            found, rate = judged(kind, 300), float(kind.split()[1]) / 100
            self.assertGreaterEqual(share(found, "unreliable"), 0.9, kind)
            covered = sum(one.low <= rate <= one.high for one in found) / len(found)
            self.assertTrue(0.92 <= covered <= 0.985, (kind, covered))

    def test_changes_outages_and_the_ends_are_no_chance(self):
        bad = np.zeros(200, bool)
        places = [20, 60, 100, 140, 180]
        bad[places] = True
        self.assertEqual(reliability(bad).judgement, "unreliable")
        touched = reliability(bad, [20, 61, 100, 141, 180])
        self.assertEqual((touched.judgement, touched.bad), ("reliable", 0))
        self.assertEqual(reliability(bad, [30, 62, 99]).spells, 5)
        self.assertEqual(reliability(bad[:1]).judgement, "too few")
        self.assertEqual(reliability(np.ones(50, bool)).judgement, "too few")
        self.assertEqual(reliability(np.zeros(0, bool)).judgement, "too few")
        for runs in (0, 10, 60, 200):
            self.assertEqual(all_good(runs), reliability(np.zeros(runs, bool)))

    def test_spells_close_together_count_once(self):
        bad = np.zeros(100, bool)
        bad[[10, 13, 16]] = True
        found = reliability(bad)
        self.assertEqual((found.spells, found.bad), (1, 3))

    def test_it_is_judged_from_where_it_began(self):
        chance = np.random.default_rng(4)
        bad = np.zeros(400, bool)
        bad[300:] = chance.random(100) < 0.2
        bad[300], bad[399] = True, False
        found = reliability(bad)
        self.assertEqual((found.judgement, found.since), ("unreliable", 300))
        self.assertTrue(found.low <= 0.2 <= found.high)

    def test_intervals_by_the_beta_distribution(self):
        # Brown, Cai and DasGupta's table of Jeffreys' intervals, and the ends
        low, high = interval(0, 20)
        self.assertEqual(low, 0)
        self.assertAlmostEqual(high, 0.117, delta=0.002)
        self.assertEqual(interval(20, 20)[1], 1)
        self.assertEqual(interval(0, 0), (0.0, 1.0))
        low, high = interval(3, 40)
        self.assertTrue(0.02 < low < 3 / 40 < high < 0.19)


def main(cases):
    print(f"of {cases} made cases of {RUNS} runs each: unreliable, episode, too few, reliable")
    for kind in (*SOUND, *EPISODES, "flaky 2", *FLAKY):
        found = judged(kind, cases)
        shares = [share(found, one) for one in ("unreliable", "episode", "too few", "reliable")]
        line = f"{kind:16}" + "".join(f"{100 * one:7.1f} %" for one in shares)
        if kind.startswith("flaky"):
            rate = float(kind.split()[1]) / 100
            covered = sum(one.low <= rate <= one.high for one in found) / len(found)
            line += f"   interval holds it in {100 * covered:.1f} of 100"
        print(line)


if __name__ == "__main__":
    if sys.argv[1:] and sys.argv[1].isdigit():
        main(int(sys.argv[1]))
    else:
        unittest.main()
