"""Whatever stands in a document is written so that it is read again: every text that means
something in YAML, numbers as they were, keys in their order. Seeded."""

from __future__ import annotations

import random
import unittest
from decimal import Decimal
from typing import Any

from saltpath.core.format.source import read_source
from saltpath.core.format.writer import write_document

SEED = 90417
MANY = 1_500
TEXTS = (
    "no",
    "yes",
    "on",
    "off",
    "null",
    "~",
    "true",
    "True",
    "NO",
    "1",
    "1.0",
    "1.50",
    "0x10",
    "0o17",
    "1e3",
    "1_000",
    ".5",
    "5.",
    "+1",
    "-0",
    ".inf",
    ".nan",
    "2026-11-23",
    "2026-11-23T08:00:00Z",
    "12:30:45",
    "=",
    "<<",
    "!x",
    "&a",
    "*a",
    "@a",
    "`a",
    "%a",
    "- a",
    "-",
    "?",
    "? a",
    "is it free?",
    "#",
    "# a",
    "a #b",
    "a: b",
    "a:",
    "a :b",
    ":",
    ": ",
    ",",
    "[",
    "]",
    "{",
    "}",
    "[=x]",
    "'",
    '"',
    "''",
    '""',
    "a'b",
    "\\",
    "\\n",
    "\n",
    "a\nb",
    "a\n",
    "\na",
    "a\n\nb\n\n",
    " a",
    "a ",
    "\ta",
    "a\tb",
    "a\r\nb",
    "a\rb",
    "\x00",
    "\x07",
    "\x1b",
    "\x7f",
    "\x85",
    "\u2028",
    "\ufeff",
    "é漢",
    "😀",
    "---",
    "...",
    "--- a",
    "|",
    "|-",
    ">",
    "x" * 300,
    "word " * 60,
    "a  b",
    "",
    " ",
    "\n\n",
    "  a\n b",
    "#a\nb",
    "- a\n- b",
    "key: |\n  x",
    "\u00a0",
    "a\u00a0b",
    "of",
    "key",
    "request",
    "steps",
)
OTHERS = (0, 1, -5, 10**25, Decimal("1.50"), Decimal("1E+3"), Decimal("-0.0"), True, False, None)


def anything(chance: random.Random, level: int = 0) -> Any:
    kind = chance.random()
    if level > 3 or kind < 0.6:
        text = chance.choice(TEXTS)
        return chance.choice((text, text, text + chance.choice(TEXTS), chance.choice(OTHERS)))
    if kind < 0.8:
        return [anything(chance, level + 1) for _ in range(chance.randrange(4))]
    return {key: anything(chance, level + 1) for key in chance.sample(TEXTS, chance.randrange(4))}


def exactly(left: Any, right: Any) -> bool:
    """Kinds, the digits of numbers and the order of keys too."""
    if type(left) is not type(right):
        return False
    if isinstance(left, dict):
        return list(left) == list(right) and all(exactly(left[key], right[key]) for key in left)
    if isinstance(left, list):
        return len(left) == len(right) and all(map(exactly, left, right))
    return str(left) == str(right)


class Written(unittest.TestCase):
    def test_anything_is_read_as_it_was(self):
        chance = random.Random(SEED)
        for number in range(MANY):
            document = {
                "salt-path": 1,
                "case": chance.choice(TEXTS),
                "rows": [{"a": anything(chance, 2), "off": anything(chance, 2), "key": 1}],
                "values": {"x": anything(chance), "y": anything(chance)},
                "steps": [
                    {
                        "request": chance.choice(TEXTS),
                        "send": "GET http://h/a?b=c",
                        "json": anything(chance),
                        "expect": [
                            {"of": "$.a", "is": anything(chance, 2), "note": chance.choice(TEXTS)}
                        ],
                    },
                    {
                        "for each": [anything(chance, 1), {"type": 1, "key": 2, "of": 3}],
                        "as": "it",
                        "steps": [],
                    },
                ],
            }
            with self.subTest(number=number):
                text = write_document(document)
                again = read_source(text).root.data()
                for part in ("case", "values", "rows"):
                    self.assertTrue(exactly(again[part], document[part]), (document[part], text))
                for before, after in zip(document["steps"], again["steps"], strict=True):
                    self.assertEqual(before.keys(), after.keys())
                    self.assertTrue(
                        all(exactly(after[key], before[key]) for key in before), (before, text)
                    )
                self.assertEqual(write_document(again), text, "it is written the same again")

    def test_a_question_mark_within_a_text_is_one(self):
        read = read_source("salt-path: 1\ncase: x\nvalues: { note: is it free? }\n").root.data()
        self.assertEqual(read["values"], {"note": "is it free?"})
