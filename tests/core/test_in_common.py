"""What bad rows have in common: found where there is a cause, and hardly ever where there is
none."""

import random
import time
import unittest
from decimal import Decimal

from saltpath.core.statistics.in_common import ALPHA, Feature, in_common

PORTS = ("Fernholm", "Kvist", "Aldersund", "Holm")


def rows(chance: random.Random, number: int) -> list[Feature]:
    """Rows of the harbour with nothing in them that depends on anything."""
    return [
        Feature("length", [Decimal(chance.randrange(80, 1500)) / 10 for _ in range(number)]),
        Feature("nights", [chance.randrange(1, 15) for _ in range(number)]),
        Feature("port", [chance.choice(PORTS) for _ in range(number)]),
        Feature(
            "vessel", ["x" * chance.randrange(4, 20) + str(chance.random()) for _ in range(number)]
        ),
        Feature("quay", [chance.choice(["east", "west", None]) for _ in range(number)]),
        Feature("tonnage", [str(chance.randrange(10, 9999)) for _ in range(number)]),
        Feature(
            "the time of Ask for a berth",
            [chance.lognormvariate(5, 0.5) for _ in range(number)],
            "ms",
        ),
        Feature("the status of Ask for a berth", [201] * number),
    ]


class InCommon(unittest.TestCase):
    def test_at_most_one_false_claim_in_twenty_on_noise(self):
        chance = random.Random(11)
        false = tried = 0
        for _ in range(100):
            number = chance.choice([20, 60, 200, 600])
            share = chance.choice([0.02, 0.1, 0.3, 0.6])
            bad = [chance.random() < share for _ in range(number)]
            claims = in_common(rows(chance, number), bad)
            tried += 1
            false += bool(claims)
        print(
            f"counted: what failed rows have in common on noise, {false} false claims in {tried} "
            "runs"
        )
        self.assertLessEqual(
            false,
            10,
            "with a true share of one in twenty more than 10 of 100 come once in a hundred",
        )

    def test_without_the_permutations_it_would_claim_at_random(self):
        chance = random.Random(12)
        false = 0
        for _ in range(20):
            features = rows(chance, 200)
            bad = [chance.random() < 0.1 for _ in range(200)]
            false += bool(in_common(features, bad, alpha=0.7))
        self.assertGreater(false, 8, "so the limit is what keeps claims from being false")

    def test_a_cause_is_found_and_said(self):
        chance = random.Random(13)
        for number in (40, 1_000, 6_000):
            features = rows(chance, number)
            length = features[0].values
            limit = sorted(length)[-max(5, number // 20)]
            bad = [value >= limit for value in length]
            [claim, *_] = in_common(features, bad)
            self.assertEqual((claim.feature, claim.good, claim.bad), ("length", 0, sum(bad)))
            self.assertRegex(
                claim.why.sentence,
                rf"^all {sum(bad)} rows that failed have length above [\d.]+; none of the "
                rf"{number - sum(bad)} that passed has$",
            )
            said = Decimal(claim.why.params["condition"].rpartition(" ")[2])
            self.assertTrue(max(v for v in length if v < limit) <= said < limit)

    def test_other_kinds_of_causes(self):
        chance = random.Random(14)
        for name, cause, words in (
            ("port", lambda value: value == "Kvist", "port Kvist"),
            ("quay", lambda value: value is None, "quay empty"),
            ("nights", lambda value: value <= 2, "nights at most 2"),
            ("vessel", lambda value: len(value) > 33, "vessel longer than"),
            (
                "the time of Ask for a berth",
                lambda value: value > 300,
                "the time of Ask for a berth above",
            ),
        ):
            with self.subTest(name):
                features = rows(chance, 400)
                values = next(feature.values for feature in features if feature.name == name)
                [claim, *_] = in_common(features, [cause(value) for value in values])
                self.assertIn(words, claim.why.sentence)

    def test_a_cause_among_other_failures(self):
        chance = random.Random(15)
        features = rows(chance, 800)
        bad = [
            (port == "Holm" and chance.random() < 0.6) or chance.random() < 0.03
            for port in features[2].values
        ]
        [claim, *_] = in_common(features, bad, "were blocked")
        self.assertRegex(
            claim.why.sentence,
            r"^\d+ of the \d+ rows that were blocked have port Holm; of the \d+ that passed \d+ "
            r"have$",
        )

    def test_too_few_rows_say_nothing(self):
        features = [Feature("length", [1, 2, 3, 4, 5, 6, 7, 141.9])]
        self.assertEqual(in_common(features, [False] * 7 + [True]), [])
        self.assertEqual(in_common([], [True] * 10 + [False] * 10), [])

    def test_what_is_not_known_of_every_row_is_left_out(self):
        bad = [number % 4 == 0 for number in range(100)]
        later = Feature("the status of Confirm", [... if one else 200 for one in bad])
        self.assertEqual(in_common([later], bad), [], "a step that was not reached is no cause")

    def test_the_same_rows_get_the_same_answer_at_once(self):
        chance = random.Random(16)
        features = rows(chance, 6_000)
        bad = [value > 900 for value in features[0].values] or [
            chance.random() < 0.1 for _ in range(6_000)
        ]
        bad = [chance.random() < 0.1 for _ in range(6_000)]
        begun = time.perf_counter()
        first = in_common(features, bad)
        self.assertLess(time.perf_counter() - begun, 10)
        self.assertEqual(first, in_common(features, bad))
        self.assertTrue(0 < ALPHA < 0.06)


if __name__ == "__main__":
    unittest.main()
