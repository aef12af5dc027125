"""Generated values: every example, the same seed the same data, and places that do not disturb each
other."""

import re
import unittest
from datetime import UTC, datetime
from decimal import Decimal
from zoneinfo import ZoneInfo

from saltpath.core.references.generators import KINDS
from saltpath.core.references.scopes import Scope, Scopes
from saltpath.core.references.templates import compile_tree, read_template
from saltpath.core.values import plain, text_formats
from saltpath.core.values.draw import Draw
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.why import Blocked
from tests.harbour import case, run_text

NOW = datetime(2026, 11, 23, 23, 30, tzinfo=UTC)


def scopes(seed: int = 7, row: int = 1, zone: str = "UTC", **values) -> Scopes:
    made = Scopes(Scope({}), case=Scope(values))
    made.seeded, made.built_in = (seed, "casekey001", row), {"row.number": row}
    made.now_us, made.zone = int(NOW.timestamp() * 1e6), ZoneInfo(zone)
    made.begin_step("step01")
    return made


def make(text: str, **given):
    return scopes(**given).fill(compile_tree(f"[={text}]"))


class Examples(unittest.TestCase):
    def test_every_example(self):
        shapes = {
            "any integer": r"\d{1,3}",
            "any number": r"\d\.\d",
            "any digits": r"\d{6}",
            "any letters": r"[a-z]{8}",
            "any word": r"[a-z-]+",
            "any sentence": r"[A-Z][a-z -]+\.",
            "any name": r"[A-Z][a-z]+ [A-Z][a-z]+",
            "any email": r"[a-z.]+\.\d{4}@example\.org",
            "any uuid": r"[0-9a-f-]{36}",
            "any date": r"2026-\d\d-\d\d",
            "any of": r"north|south",
            "any text matching": r"[A-Z]{3}\d{4}",
            "now": r"2026-11-25T23:30:00\.000Z",
            "today": r"2026-10-23",
            "clock": r"\d{4}-.*Z",
            "count": r"1000",
        }
        self.assertEqual(set(shapes), set(KINDS))
        for name, kind in KINDS.items():
            for seed in range(40):
                with self.subTest(name, seed=seed):
                    self.assertRegex(
                        plain.as_text(make(kind.example, seed=seed)), f"^(?:{shapes[name]})$"
                    )
        self.assertTrue(text_formats.FORMATS["uuid"].holds(make("any uuid")))

    def test_kinds_and_ends(self):
        self.assertEqual({make("any integer 1 to 3", seed=seed) for seed in range(60)}, {1, 2, 3})
        numbers = {make("any number 0.25 to 0.5", seed=seed) for seed in range(200)}
        self.assertTrue(
            all(isinstance(n, Decimal) and Decimal("0.25") <= n <= Decimal("0.5") for n in numbers)
        )
        self.assertEqual(
            {type(make("any of 1, two, 'x, y', null, true", seed=seed)) for seed in range(90)},
            {int, str, type(None), bool},
        )
        self.assertEqual(
            {make("any date 2026-02-28 to 2026-03-01", seed=seed) for seed in range(60)},
            {"2026-02-28", "2026-03-01"},
        )
        self.assertEqual(
            [make("count from 1000", row=row) for row in (1, 2, 9)], [1000, 1001, 1008]
        )

    def test_dates_and_zones(self):
        self.assertEqual(make("today", zone="Europe/Oslo"), "2026-11-24")
        self.assertEqual(make("now -90 min"), "2026-11-23T22:00:00.000Z")
        self.assertEqual(make('now +3 months | as "d. MMMM y"'), "23. February 2027")
        self.assertEqual(make('today +1 day | as "EEEE"', zone="Europe/Oslo"), "Wednesday")
        self.assertEqual(make('"2026-01-31" | add 1 month'), "2026-02-28")
        self.assertEqual(
            make('"2026-03-28T12:00:00+01:00" | add 36 h'), "2026-03-30T00:00:00+01:00"
        )

    def test_patterns(self):
        for pattern in (
            r"[A-Z]{3}\d{4}",
            r"(north|south)-[^a-z0-9]{2}",
            r"/x{2,4}y?\.(?:a|b)+/",
            r"[\w-]{5}",
            r"(ab)\1",
            r"^v\d+$",
        ):
            for seed in range(20):
                with self.subTest(pattern, seed=seed):
                    bare = pattern.strip("/")
                    self.assertTrue(
                        re.fullmatch(bare, make(f"any text matching {pattern}", seed=seed))
                    )

    def test_arguments_hold_references(self):
        self.assertIn(make("any integer 1 to [=most]", most=2), (1, 2))
        self.assertEqual(
            make("any of [=only]", only="a, b"), "a, b", "what is inserted is one item"
        )
        with self.assertRaises(Blocked) as caught:
            make("any digits [=many]", many="many")
        self.assertEqual(caught.exception.reason.code, "cannot-make")

    def test_what_is_wrong_is_said(self):
        for text, words in [
            ("[=any]", "there is any"),
            ("[=any digit 6]", "did you mean any digits?"),
            ("[=any integer 5 to 1]", "smaller to the larger"),
            ("[=any digits many]", "is written"),
            ("[=any text matching (?=a)b]", "looks around"),
            ("[=any text matching (]", "cannot be read"),
            ("[=now + days]", "is written"),
            ("[=today +2 daze]", "is written"),
            ("[=count to 3]", "count from 1000"),
            ("[=any of]", "any of north"),
        ]:
            with self.subTest(text), self.assertRaises(Unreadable) as caught:
                read_template(text)
            self.assertIn(words, str(caught.exception))


class Seeds(unittest.TestCase):
    STEPS = """\
  - set: { once: "[=any uuid]", again: "[=once]" }
  - request: Ask
    key: asking
    send: PUT [=harbour]/papers/[=any digits 6]
    headers: { X-One: "[=any word]", X-Two: "[=fixed]" }
    json: { a: "[=any integer 1 to 1000000]", b: "[=any integer 1 to 1000000]", c: "[=fixed]",
      at: "[=now]" }
    expect: [ { of: status, is: 200 } ]
"""
    VALUES = 'key: seedseed01\nvalues: { fixed: "[=any uuid]" }\n'

    def sent(self, seed: int, steps: str = "", jobs: int = 1) -> tuple:
        results = run_text(*[case(steps or self.STEPS, self.VALUES)] * jobs, seed=seed, jobs=jobs)
        step = next(step for step in results.cases[-1].steps if step.key == "asking")
        one = step.exchanges[0]
        return (
            one.address.rpartition("/")[2],
            one.sent_body,
            re.findall(rb"X-[A-Z]\w+: [^\r]+", one.sent_head),
        )

    def test_the_same_seed_gives_the_same_data(self):
        self.assertEqual(self.sent(7), self.sent(7, jobs=3))
        self.assertNotEqual(self.sent(7), self.sent(8))

    def test_a_step_more_or_less_changes_nothing_else(self):
        more = '  - set: { another: "[=any uuid] [=any integer 1 to 1000000]" }\n'
        self.assertEqual(self.sent(7), self.sent(7, more + self.STEPS))

    def test_places_differ_and_values_are_drawn_once(self):
        body = plain.read_json(self.sent(7)[1])
        self.assertNotEqual(body["a"], body["b"])
        self.assertIn(body["c"].encode(), self.sent(7)[2][1])
        self.assertEqual(body["at"], "2026-11-23T08:00:00.000Z")

    def test_the_stream_is_known(self):
        """These numbers are testers' data: they may never change."""
        draw = Draw(7, "casekey001", 1)
        self.assertEqual([draw.below(1000) for _ in range(6)], KNOWN)
        counts = [0] * 10
        draw = Draw("fair")
        for _ in range(10_000):
            counts[draw.below(10)] += 1
        self.assertTrue(all(850 < count < 1150 for count in counts), counts)


KNOWN = [631, 692, 588, 819, 444, 372]
