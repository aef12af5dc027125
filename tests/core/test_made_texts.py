"""Texts made to match a pattern: each is one that the pattern matches as a whole; what cannot be
made is refused with why."""

import random
import re
import unittest

from saltpath.core.references.matching_texts import read_shape
from saltpath.core.values.draw import Draw
from saltpath.core.values.grammar import Unreadable

PATTERNS = [
    r"[A-Z]{3}\d{4}",
    r"PC-\d{5}",
    r"(north|south|east|west) [1-9]",
    r"\w+@\w+\.example",
    r"a{2,5}b*c+d?",
    r"[^a-z]{4}",
    r"(\d\d)-\1",
    r"(?P<one>[ab]+)x(?P=one)",
    r"^anchored$",
    r"(?:no group)+",
    r".{1,3}",
    r"\s\S\d\D\w\W",
    r"[\d\-_.]+",
    r"(a|b(c|d(e|f)))",
    r"[\x41-\x43ß-ü]",
    r"x{0}",
    r"",
    r"(?i)[a-c]",
    r"\.\*\[\]",
    r"[^\W\d]",
    r"(?:(?:a|b){2}c){3}",
    r"\u00e4{2}",
    r"\A\d\Z",
    r"(?>ab|a)c",
    r"a{3,}",
    r"a*?b+?",
]


class MadeTexts(unittest.TestCase):
    def test_each_matches_its_pattern(self):
        for pattern in PATTERNS:
            shape = read_shape(pattern)
            texts = [shape.text(Draw("seed", pattern, str(n))) for n in range(60)]
            for text in texts:
                with self.subTest(pattern=pattern, text=text):
                    self.assertIsNotNone(re.fullmatch(pattern, text))

    def test_patterns_put_together_at_random(self):
        chance = random.Random(41)
        leaves = [r"\d", "[a-f]", "x", r"\w", "[^xyz]", ".", r"\.", "(?:ab|cd|e)"]

        def pattern(levels: int) -> str:
            if levels == 0:
                return chance.choice(leaves)
            inner = pattern(levels - 1)
            return chance.choice(
                [
                    f"({inner})",
                    f"(?:{inner}){{{chance.randint(0, 2)},{chance.randint(2, 4)}}}",
                    f"(?:{inner})+",
                    f"(?:{inner}|{pattern(levels - 1)})",
                    inner + pattern(levels - 1),
                    f"(?:{inner})?",
                ]
            )

        for number in range(400):
            made = pattern(chance.randint(1, 4))
            text = read_shape(made).text(Draw("seed", str(number)))
            self.assertIsNotNone(re.fullmatch(made, text), (made, text))

    def test_they_differ_and_repeat(self):
        shape = read_shape(r"[A-Z]{3}\d{4}")
        texts = [shape.text(Draw("seed", str(n))) for n in range(200)]
        self.assertGreater(len(set(texts)), 195)
        self.assertEqual(texts, [shape.text(Draw("seed", str(n))) for n in range(200)])

    def test_what_cannot_be_made(self):
        for pattern, words in [
            (r"(?=a)b", "looks around"),
            (r"(?<!a)b", "looks around"),
            (r"\bword\b", "looks around"),
            ("[", "cannot be read"),
            ("(a", "cannot be read"),
            ("a{4,2}", "cannot be read"),
            ("*", "cannot be read"),
            (r"(?P<n>a)(?P<n>b)", "cannot be read"),
            (r"[^\x20-\x7e]", "no character"),
            (r"(?:(?:a{100}){100}){100}", "more than 10000"),
        ]:
            with self.subTest(pattern), self.assertRaisesRegex(Unreadable, words):
                read_shape(pattern)

    def test_without_end_is_not_for_ever(self):
        self.assertLess(len(read_shape(r"(?:a*b*)*").text(Draw("seed", "x"))), 200)
        self.assertLessEqual(len(read_shape(r"a{2,1000000}").text(Draw("seed", "x"))), 10)
