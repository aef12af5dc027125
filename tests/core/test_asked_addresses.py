"""What a run asked, by address."""

import random
import unittest

from saltpath.core.statistics.addresses import by_address, quantile


class Addresses(unittest.TestCase):
    def test_those_of_which_least_passed_come_first(self) -> None:
        steps = [
            ("GET /a", "passed", 10, 0, 1),
            ("GET /a", "passed", 30, 1, 1),
            ("GET /b", "failed", 5, 2, 1),
            ("GET /b", "passed", 7, 3, 4),
            ("GET /c", "passed", 90, 4, 1),
        ]
        found = by_address(steps)
        self.assertEqual([one.address for one in found], ["GET /b", "GET /c", "GET /a"])
        self.assertEqual(
            [(one.requests, one.passed, one.median_us, one.slowest) for one in found],
            [(2, 1, 5, (3, 4)), (1, 1, 90, (4, 1)), (2, 2, 10, (1, 1))],
        )
        self.assertEqual(by_address([]), [])

    def test_a_quantile_is_a_value_that_was_there(self) -> None:
        chance = random.Random(3)
        for _ in range(500):
            values = [chance.randrange(100) for _ in range(chance.randrange(1, 40))]
            q = chance.choice([0.5, 0.95, 0.99, 0.01, 1.0])
            found = quantile(values, q)
            self.assertIn(found, values)
            below = sum(value <= found for value in values)
            self.assertGreaterEqual(below, q * len(values))
            self.assertLess(sum(value < found for value in values), q * len(values))
