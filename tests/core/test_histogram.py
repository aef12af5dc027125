"""Percentiles of histograms against those of the times themselves."""

import random
import unittest

import numpy as np

from saltpath.core.statistics.histogram import (
    BUCKETS,
    EDGES,
    HIGHEST_US,
    LOWEST_US,
    counts_of,
    exact_percentile,
    merged,
    packed,
    percentile,
    rank,
)

SHARES = (0.01, 0.25, 0.5, 0.9, 0.95, 0.99, 0.999, 1.0)


def drawn_times(chance: random.Random) -> list[int]:
    """Of very different kinds: one hump, two, a heavy tail, few values, next to nothing."""
    number = chance.choice([1, 2, 15, 300, 3_000])
    kind = chance.randrange(5)
    if kind == 0:
        found = [chance.lognormvariate(11, 0.6) for _ in range(number)]
    elif kind == 1:
        found = [chance.gauss(chance.choice([2_000, 900_000]), 300) for _ in range(number)]
    elif kind == 2:
        found = [20_000 * chance.paretovariate(1.1) for _ in range(number)]
    elif kind == 3:
        found = [chance.choice([150, 151, 152, 7_000_000]) for _ in range(number)]
    else:
        found = [chance.uniform(0, 200) for _ in range(number)]
    return [max(0, round(time)) for time in found]


class Histograms(unittest.TestCase):
    def test_percentiles_are_within_two_in_a_hundred(self) -> None:
        chance = random.Random(4)
        for _ in range(200):
            times = drawn_times(chance)
            counts = counts_of(times)
            self.assertEqual(int(counts.sum()), len(times))
            for share in SHARES:
                told, meant = percentile(counts, share), exact_percentile(times, share)
                meant = min(max(meant, LOWEST_US), HIGHEST_US)
                self.assertLessEqual(abs(told - meant), 0.02 * meant + 1, (share, meant, told))

    def test_parts_are_added_whatever_their_order(self) -> None:
        chance = random.Random(5)
        for _ in range(50):
            parts = [drawn_times(chance) for _ in range(chance.randint(0, 6))]
            stored = [packed(counts_of(part)) for part in parts]
            chance.shuffle(stored)
            whole = counts_of([time for part in parts for time in part])
            np.testing.assert_array_equal(merged(stored), whole)

    def test_large_counts_have_several_entries(self) -> None:
        for number in (1, 65_534, 65_535, 65_536, 200_000, 131_070):
            counts = np.zeros(BUCKETS, np.int64)
            counts[7], counts[9] = number, 1
            np.testing.assert_array_equal(merged([packed(counts)]), counts)

    def test_the_layout_stays_as_it_is_stored(self) -> None:
        """What is stored is read for ever: a change here wants another layout."""
        self.assertEqual(BUCKETS, 446)
        self.assertEqual([int(edge) for edge in EDGES[:4]], [100, 104, 109, 113])
        self.assertEqual([int(edge) for edge in EDGES[-2:]], [3_513_737_466, HIGHEST_US])
        self.assertEqual(
            packed(counts_of([99, 100, 100, 4_000_000_000])).hex(), "0000010001000200bd010100"
        )
        for time, bucket in ((0, 0), (99, 0), (100, 1), (103, 1), (104, 2), (HIGHEST_US, 445)):
            self.assertEqual(int(np.nonzero(counts_of([time]))[0][0]), bucket, time)

    def test_what_is_no_histogram_is_refused(self) -> None:
        for octets in (b"x", b"\xff\xff\x01\x00"):
            with self.assertRaises(ValueError):
                merged([octets])
        self.assertIsNone(percentile(merged([]), 0.5))
        self.assertIsNone(exact_percentile([], 0.5))

    def test_ranks(self) -> None:
        for share, number, wanted in ((0.5, 4, 2), (0.5, 5, 3), (0.95, 20, 19), (0.1, 10, 1)):
            self.assertEqual(rank(share, number), wanted)
        self.assertEqual([rank(0, 3), rank(1, 3), rank(0.95, 100)], [1, 3, 95])


if __name__ == "__main__":
    unittest.main()
