"""Small parts that every sentence leans on: names that are near, lengths of time and sizes, what is
listed, values as text."""

import random
import time
import unittest
from decimal import Decimal

from msgspec import structs

from saltpath.core.checks.outcome import Outcome
from saltpath.core.values import measures
from saltpath.core.values.draw import Draw
from saltpath.core.values.nearest import listed, nearest
from saltpath.core.values.why import TEMPLATES, Why, why


class Was(unittest.TestCase):
    def test_what_was_seen_is_shown_in_its_unit_and_nothing_of_what_was_skipped(self):
        slow = Outcome("failed", "time is below 1 s", actual=2_002_223, of="time")
        self.assertEqual(slow.was, "2.00 s")
        self.assertEqual(structs.replace(slow, of="").was, "2.00 s", "of a record of before")
        self.assertEqual(Outcome("failed", "size is 1 kB", actual=518, of="size").was, "518 B")
        self.assertEqual(Outcome("failed", "$.a is 1", actual=None, of="$.a").was, "null")
        self.assertEqual(Outcome("skipped", "status is 200", of="status").was, "")


class Near(unittest.TestCase):
    def test_what_was_meant(self):
        names = ["id", "vessel", "lengthMetres", "callSign", "fee", "port_call", "Gross tonnage"]
        for typed, wanted in [
            ("vesel", "vessel"),
            ("Vessel", "vessel"),
            ("length_metres", "lengthMetres"),
            ("lengthmeters", "lengthMetres"),
            ("callsign", "callSign"),
            ("fees", "fee"),
            ("portCall", "port_call"),
            ("grossTonnage", "Gross tonnage"),
            ("berth", None),
            ("", None),
            ("x", None),
        ]:
            with self.subTest(typed):
                self.assertEqual(nearest(typed, names), wanted)
        self.assertIsNone(nearest("x", []))

    def test_of_very_many_names_it_does_not_take_long(self):
        names = [f"field{number}" for number in range(300_000)]
        begun = time.process_time()
        self.assertEqual(nearest("feild77", names), "field77")
        nearest("nothing like it", names)
        nearest("x" * 100_000, names)
        self.assertLess(time.process_time() - begun, 1.0)

    def test_lists_of_names(self):
        self.assertEqual(listed([]), "nothing")
        self.assertEqual(listed(["a"]), "a")
        self.assertEqual(listed(["a", "b", "c"]), "a, b and c")
        self.assertEqual(listed(map(str, range(9)), 3), "0, 1, 2 and 6 more")


class Measures(unittest.TestCase):
    def test_durations(self):
        for text, us in [
            ("500 ms", 500_000),
            ("2 s", 2_000_000),
            ("1.5 min", 90_000_000),
            ("1 h", 3_600_000_000),
            ("2 days", 172_800_000_000),
            ("0 s", 0),
            (" 7us ", 7),
            ("0.0000001 s", 0),
        ]:
            with self.subTest(text):
                self.assertEqual(measures.duration(text), us)
        for text in (
            "500",
            "",
            "ms",
            "-1 s",
            "1e3 s",
            "1 fortnight",
            "1 S",
            500,
            None,
            True,
            "١ s",
            "1,5 s",
            "1 s 2 s",
        ):
            with self.subTest(text), self.assertRaisesRegex(ValueError, "a duration with its unit"):
                measures.duration(text)

    def test_sizes(self):
        self.assertEqual(
            [measures.size(text) for text in ("10 kB", "2 MB", "1.5 GB", "7 B")],
            [10_000, 2_000_000, 1_500_000_000, 7],
        )
        for text in ("10", "10 KB", "10 kb", "10 KiB", -1):
            with self.subTest(text), self.assertRaisesRegex(ValueError, "a size with its unit"):
                measures.size(text)

    def test_shown(self):
        self.assertEqual(
            [
                measures.show_duration(us)
                for us in (
                    0,
                    700,
                    1_000,
                    41_300,
                    500_000,
                    999_600,
                    1_000_000,
                    1_234_567,
                    90_000_000,
                )
            ],
            ["0 ms", "0.7 ms", "1 ms", "41 ms", "500 ms", "1000 ms", "1 s", "1.23 s", "90 s"],
        )
        self.assertEqual(
            [measures.show_size(n) for n in (0, 999, 1_000, 1_234, 10_000_000, 2_500_000_000)],
            ["0 B", "999 B", "1 kB", "1.23 kB", "10 MB", "2.5 GB"],
        )

    def test_what_is_shown_is_read_again(self):
        for us in (0, 1_000, 500_000, 2_000_000, 90_000_000):
            self.assertEqual(measures.duration(measures.show_duration(us)), us)
        for count in (0, 999, 1_000, 10_000_000):
            self.assertEqual(measures.size(measures.show_size(count)), count)


class Drawing(unittest.TestCase):
    def test_every_number_is_as_likely(self):
        for limit in (2, 3, 7, 10, 1000):
            draws = [Draw("seed", str(limit), str(n)).below(limit) for n in range(20_000)]
            self.assertLess(max(draws), limit)
            counts = [draws.count(number) for number in range(min(limit, 10))]
            expected = 20_000 / limit
            for number, count in enumerate(counts):
                # five standard deviations of a binomial count: a fair draw is outside once in two
                # million
                self.assertLess(
                    abs(count - expected),
                    5 * (expected * (1 - 1 / limit)) ** 0.5 + 1,
                    (limit, number),
                )

    def test_between_and_of(self):
        draw = Draw("seed", "between")
        numbers = [draw.between(-3, 3) for _ in range(500)]
        self.assertEqual(set(numbers), set(range(-3, 4)))
        self.assertEqual(draw.between(5, 5), 5)
        self.assertEqual({draw.of("ab") for _ in range(100)}, {"a", "b"})
        huge = [draw.below(10**40) for _ in range(50)]
        self.assertGreater(max(huge), 10**38)

    def test_parts_never_run_together(self):
        self.assertNotEqual(Draw("ab", "c").below(10**18), Draw("a", "bc").below(10**18))
        self.assertEqual(Draw("ab", "c").below(10**18), Draw("ab", "c").below(10**18))


class Reasons(unittest.TestCase):
    def test_every_template_is_a_whole_sentence(self):
        chance = random.Random(3)
        for code, template in TEMPLATES.items():
            fields = [
                part.split("}")[0].split(":")[0].split("!")[0] for part in template.split("{")[1:]
            ]
            filled = Why(code, {name: chance.choice(["x", 7, Decimal("1.50")]) for name in fields})
            with self.subTest(code):
                self.assertNotIn("{", filled.sentence)
                self.assertNotIn("  ", filled.sentence)
                self.assertFalse(filled.sentence.endswith("!"))
                self.assertEqual(Why(**filled.to_json()).sentence, filled.sentence)

    def test_one_is_kept_as_code_and_parameters(self):
        reason = why("no-file", path="data/x", problem="gone")
        self.assertEqual((reason.code, reason.params["path"]), ("no-file", "data/x"))
        self.assertIn("data/x", reason.sentence)
