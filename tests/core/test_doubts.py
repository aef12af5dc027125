"""Checks that can never hold, or never fail: told when they are made, and by `check`; and never of
one that can do both."""

import random
import sys
import unittest
from decimal import Decimal
from typing import Any

from saltpath.core.answers.answer import Answer
from saltpath.core.assist.inspect import Surroundings, inspect
from saltpath.core.cases.expectations import Check
from saltpath.core.checks.doubts import doubt
from saltpath.core.checks.judge import judge
from saltpath.core.checks.relations import TABLE
from saltpath.core.format.nodes import FormatError
from saltpath.core.format.reader import case_from_data
from saltpath.core.references.scopes import Scope, Scopes


def read(of: str, relation: str, expected: Any) -> Check:
    step = {"request": "a", "send": "GET http://h/", "expect": [{"of": of, relation: expected}]}
    return case_from_data({"salt-path": 1, "case": "x", "steps": [step]}).steps[0].expect[0]


STATIC = [
    ("status", "is", "200", "never-holds"),
    ("status", "is not", "200", "never-fails"),
    ("status", "is none of", ["200"], "never-fails"),
    ("status", "is one of", ["200", 201], None),
    ("status", "is", 200, None),
    ("status", "contains", "2", "never-holds"),
    ("status", "above", 99, "never-fails"),
    ("status", "is", 700, "never-holds"),
    ("status", "present", True, "never-fails"),
    ("status", "kind", "text", "never-holds"),
    ("status", "matches", "^2", "never-holds"),
    ("header X-A", "is", 5, None),
    ("header X-A", "is", True, "never-holds"),
    ("header X-A", "is not", None, "never-fails"),
    ("header X-A", "kind", "number", "never-holds"),
    ("header X-A", "absent", True, None),
    ("header X-A", "matches", "x", None),
    ("time", "below", "1 s", None),
    ("size", "above", "1 kB", None),
    ("time", "present", True, "never-fails"),
    ("$.id", "is", "5", None),
    ("value x", "is", "5", None),
]
SEEN = [
    ("is", "5", ["integer"], "seen-never-holds"),
    ("is not", "5", ["integer"], "seen-never-fails"),
    ("is", 5, ["integer"], None),
    ("is not", 5, ["integer", "null"], None),
    ("above", 5, ["text"], "seen-never-holds"),
    ("kind", "integer", ["integer"], None),
    ("absent", True, ["text"], "seen-never-holds"),
    ("present", True, ["text"], None),
    ("matches", "5", ["integer"], "seen-never-holds"),
    ("is", "[1]", ["list"], "seen-never-holds"),
    ("before", "2026-01-01", ["text"], None),
    ("close to", {"value": 5, "within": 1}, ["integer"], None),
]


class Doubts(unittest.TestCase):
    def test_by_what_a_subject_is_in_any_answer(self):
        for of, relation, expected, code in STATIC:
            with self.subTest(of=of, relation=relation, expected=expected):
                why = doubt(read(of, relation, expected))
                self.assertEqual(why and why.code, code)

    def test_by_what_it_has_been_in_each_answer(self):
        for relation, expected, kinds, code in SEEN:
            with self.subTest(relation=relation, expected=expected):
                why = doubt(read("$.x", relation, expected), kinds, True)
                self.assertEqual(why and why.code, code)

    def test_check_tells_them(self):
        checks = [
            {"of": "status", "is not": "200"},
            {"when": {"of": "status", "is": "404"}, "then": [{"of": "$.a", "is": 1}]},
        ]
        step = {"request": "a", "send": "GET [=at]/", "expect": checks}
        made = case_from_data(
            {"salt-path": 1, "case": "x", "values": {"at": "http://h"}, "steps": [step]}
        )
        told = [
            finding
            for finding in inspect(made, Surroundings())
            if finding.why.code.startswith("never")
        ]
        self.assertEqual(
            [(finding.weight, finding.sentence) for finding in told],
            [
                (
                    "warning",
                    "status is not “200” can never fail: status is always a number from 100 to 599",
                ),
                (
                    "warning",
                    "status is “404” can never hold: status is always a number from 100 to 599",
                ),
            ],
        )

    def test_none_that_can_hold_and_fail_is_told(self):
        """Relations and expected values at random, judged on answers at random: what is told is
        never contradicted."""
        chance = random.Random(1811)
        values = [
            0,
            1,
            5,
            99,
            100,
            200,
            204,
            404,
            599,
            600,
            Decimal("200.0"),
            "200",
            "",
            "a",
            "text/html",
            True,
            None,
            [],
            [200],
            {"a": 1},
            "1 s",
            "5 kB",
        ]
        told = 0
        for _ in range(6000):
            of = chance.choice(("status", "header X-A", "type", "size", "time", "cookie c"))
            name = chance.choice(sorted(TABLE))
            expected = chance.choice(
                (
                    chance.choice(values),
                    [chance.choice(values), chance.choice(values)],
                    TABLE[name].example[1],
                )
            )
            try:
                check = read(of, name, expected)
            except FormatError:
                continue
            why = doubt(check)
            if why is None:
                continue
            told += 1
            for _ in range(8):
                verdict = judge(check, self.answer(chance), Scopes(Scope())).verdict
                if why.code == "never-holds":
                    self.assertNotEqual(verdict, "passed", check.sentence)
                else:
                    self.assertNotEqual(verdict, "failed", check.sentence)
        self.assertGreater(told, 200)
        print(f"counted: {told} checks told to be idle, none of them wrongly", file=sys.__stdout__)

    def answer(self, chance: random.Random) -> Answer:
        text = chance.choice(("", "a", "5", "200", "200.0", "text/html", "true", "null"))
        head = (
            f"HTTP/1.1 200 OK\r\nContent-Type: {text or 'a/b'}\r\nX-A: {text}\r\nSet-Cookie: "
            f"c={text}\r\n\r\n"
        ).encode()
        status = chance.choice((100, 200, 201, 204, 404, 500, 599))
        return Answer(
            status,
            head,
            b"x" * chance.choice((0, 1, 5, 5000, 6000)),
            chance.choice((0, 999_999, 1_000_000, 5_000_000)),
        )


if __name__ == "__main__":
    unittest.main()
