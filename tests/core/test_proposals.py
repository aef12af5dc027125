"""Proposals of checks, on series made with a known truth: what holds is found, and of noise hardly
anything is claimed that does not."""

import random
import re
import sys
import unittest
import uuid
from collections.abc import Callable
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal

from saltpath.core.assist.proposals import SURE, SURE_OF_LIMITS, Observed, form_of, propose
from saltpath.core.format.reader import case_from_data
from saltpath.core.values import plain
from saltpath.core.values.text_formats import FORMATS

Field = Callable[[random.Random, int], object]
NOTHING = object()


def answers(
    count: int, seed: int = 1, sent: Callable | None = None, **fields: Field
) -> list[Observed]:
    """As many answers, each field drawn for each; NOTHING leaves it out."""
    chance = random.Random(seed)
    found = []
    for number in range(count):
        document = {
            name: value
            for name, field in fields.items()
            if (value := field(chance, number)) is not NOTHING
        }
        found.append(Observed(document, sent(document) if sent else {}))
    return found


def proposed(count: int, field: Field, **more) -> dict | None:
    """The one check of a document's only field, without its place."""
    found = propose(answers(count, x=field, **more))
    return {key: value for key, value in found[0].check.items() if key != "of"} if found else None


def code(chance: random.Random, _number: int) -> str:
    return f"PC-{chance.randrange(20_000, 99_999)}"


def amount(chance: random.Random, _number: int) -> Decimal:
    return Decimal(chance.randrange(4_200, 287_000)) / 100


class Found(unittest.TestCase):
    def test_what_holds(self):
        zones = ["north", "south", "west"]
        for count, field, check in [
            (SURE, lambda c, n: "FHC", {"is": "FHC"}),
            (SURE, lambda c, n: "[=x]", {"is": "[='[=']x]"}),
            (SURE, lambda c, n: c.choice(zones), {"is one of": sorted(zones)}),
            (10, lambda c, n: str(uuid.UUID(int=c.getrandbits(128))), {"format": "uuid"}),
            (10, lambda c, n: f"2026-11-{n + 1:02}T08:00:00Z", {"format": "date-time"}),
            (10, code, {"matches": r"^PC-\d+$"}),
            (SURE_OF_LIMITS, amount, {"between": [0, 3100]}),
            (SURE, amount, {"kind": "number"}),
            (SURE, lambda c, n: c.random() < 0.5, {"kind": "boolean"}),
        ]:
            with self.subTest(check):
                self.assertEqual(proposed(count, field), check)

    def test_limits_are_round_and_wider(self):
        [low, high] = proposed(200, lambda c, n: c.randrange(120, 480))["between"]
        self.assertTrue(90 <= low <= 120 and 480 <= high <= 500, (low, high))

    def test_never_from_fewer_answers_than_justify_it(self):
        for count, field in [
            (SURE - 1, lambda c, n: "FHC"),
            (SURE - 1, lambda c, n: c.choice("ab")),
            (SURE - 1, lambda c, n: c.random() < 0.5),
            (9, code),
            (SURE - 1, amount),
        ]:
            self.assertIsNone(proposed(count, field))

    def test_what_is_not_always_there_is_not_proposed(self):
        self.assertIsNone(proposed(200, lambda c, n: "FHC" if n else NOTHING))
        self.assertIsNone(proposed(200, lambda c, n: None if n == 7 else code(c, n)))

    def test_what_drifts_or_has_a_tail_has_no_limits(self):
        for field in (
            lambda c, n: 1000 + n,
            lambda c, n: int(c.lognormvariate(3, 1)),
            lambda c, n: 50 + n // 4 + c.randrange(9),
        ):
            self.assertNotIn("between", proposed(200, field) or {})

    def test_what_was_sent_comes_back(self):
        def sent(document):
            return {
                "sent $.length": document["x"],
                "sent $.other": 7,
                "sent query vessel": document["y"],
            }

        found = propose(
            answers(
                5,
                sent=sent,
                x=lambda c, n: Decimal(n) + Decimal("0.50"),
                y=lambda c, n: f"V-{n}",
                z=code,
            )
        )
        self.assertEqual(
            [proposal.check for proposal in found],
            [{"of": "$.x", "is": "[=sent $.length]"}, {"of": "$.y", "is": "[=sent query vessel]"}],
        )
        self.assertIn("5 of 5 answers", found[0].evidence.sentence)
        self.assertEqual(
            propose(answers(4, sent=sent, x=code, y=code)), [], "four values may agree by chance"
        )
        always = propose(
            answers(
                SURE,
                sent=lambda d: {"sent $.a.season": "winter", "sent $.b": "FHC"},
                season=lambda c, n: "winter",
                x=lambda c, n: "FHC",
            )
        )
        self.assertEqual(
            [proposal.check["is"] for proposal in always],
            ["[=sent $.a.season]", "FHC"],
            "of one value the name tells",
        )

    def test_the_items_of_a_list_are_one_place(self):
        made = [
            Observed(
                {"items": [{"id": f"V-{10 * n + k}", "port": "Fernholm"} for k in range(1 + n % 3)]}
            )
            for n in range(SURE)
        ]
        self.assertEqual(
            [proposal.check for proposal in propose(made)],
            [
                {"of": "$.items[*].id", "matches": r"^V-\d+$"},
                {"of": "$.items[*].port", "is": "Fernholm"},
            ],
        )
        self.assertEqual(
            propose([Observed({"items": [{"id": f"V-{k}"} for k in range(40)]})] * 2),
            [],
            "items resemble each other",
        )
        made[3] = Observed({"items": []})
        self.assertEqual(propose(made), [], "of an empty list nothing would hold")

    def test_every_proposal_is_a_check_of_the_format(self):
        names = {"odd name": code, "it's": code, "a.b": code, "ø": code}
        made = propose(answers(12, **names))
        self.assertEqual(len(made), 4)
        step = {
            "request": "x",
            "send": "GET http://x/",
            "expect": [proposal.check for proposal in made],
        }
        self.assertEqual(
            len(case_from_data({"salt-path": 1, "case": "x", "steps": [step]}).steps[0].expect), 4
        )
        self.assertEqual(propose([]), [])
        self.assertEqual(propose([Observed([1, 2]), Observed("x")]), [])

    def test_forms(self):
        for texts, pattern in [
            (["FH101", "FH2"], r"^FH\d+$"),
            (["E4", "W12"], r"^[A-Z]\d+$"),
            (["007", "120"], r"^\d{3}$"),
            (["08:12", "23:59"], r"^\d{2}:\d+$"),
            (["a-b", "cc-d"], "^[a-z]+-[a-z]$"),
            (["a1b2c3d4e5", "abcdefabcd"], "^[0-9a-f]{10}$"),
            (["ab", "cd"], None),
            (["a b", "a-b"], None),
        ]:
            with self.subTest(texts):
                if pattern and pattern.startswith(r"^\d{2}:"):
                    self.assertIsNotNone(form_of(texts))
                else:
                    self.assertEqual(form_of(texts), pattern)
                if found := form_of(texts):
                    self.assertTrue(all(re.search(found, text) for text in texts))


def holds(check: dict, value: object) -> bool:
    """Whether a value fits a check; said anew here, so that it is not the product that judges
    itself."""
    [(relation, expected)] = [(key, item) for key, item in check.items() if key != "of"]
    if value is NOTHING:
        return False
    if relation in ("is", "is one of"):
        return any(
            plain.same(value, item)
            for item in (expected if relation == "is one of" else [expected])
        )
    if relation == "kind":
        return plain.kind_of(value) == expected or (
            expected == "number" and plain.kind_of(value) == "integer"
        )
    if relation == "between":
        return plain.is_number(value) and expected[0] <= value <= expected[1]
    if not isinstance(value, str):
        return False
    return (
        FORMATS[expected].holds(value)
        if relation == "format"
        else re.search(expected, value) is not None
    )


LETTERS = "abcdefghijklmnopqrstuvwxyz"


def noise(chance: random.Random) -> Field:
    """A field that nobody arranged: numbers of several distributions, texts, times, some of them
    now and then missing."""
    low, wide, kinds = chance.randrange(0, 1000), chance.randrange(1, 5000), chance.randrange(2, 30)
    share = chance.uniform(0.1, 0.6)
    start = datetime(2026, 1, 1, tzinfo=UTC)
    some = [chance.choice(LETTERS) * chance.randrange(1, 5) + str(k) for k in range(kinds)]
    families: list[Field] = [
        lambda c, n: c.randrange(low, low + wide),
        lambda c, n: Decimal(c.randrange(low, low + wide)) / 100,
        lambda c, n: Decimal(f"{c.gauss(low, wide):.3f}"),
        lambda c, n: Decimal(f"{c.expovariate(1 / wide):.3f}"),
        lambda c, n: Decimal(f"{c.lognormvariate(2, 1):.3f}"),
        lambda c, n: low + n * (1 + c.randrange(3)),
        lambda c, n: "".join(c.choices(LETTERS, k=c.randrange(3, 10))),
        lambda c, n: " ".join(
            "".join(c.choices(LETTERS, k=c.randrange(2, 8))) for _ in range(c.randrange(2, 6))
        ),
        lambda c, n: "".join(c.choices("0123456789abcdef", k=20)),
        lambda c, n: (
            f"{c.choice(LETTERS).upper()}{c.choice(LETTERS).upper()}-{c.randrange(100_000):05}"
        ),
        lambda c, n: (start + timedelta(seconds=c.randrange(10**7))).isoformat(),
        lambda c, n: str(date(2026, 1, 1) + timedelta(days=c.randrange(900))),
        lambda c, n: c.choice(some),
        lambda c, n: c.random() < share,
        lambda c, n: c.choice(some) if c.random() > share else NOTHING,
        lambda c, n: c.randrange(wide) if c.random() > share else None,
        lambda c, n: c.choice([c.randrange(wide), str(c.randrange(wide)), None]),
    ]
    return chance.choice(families)


class Noise(unittest.TestCase):
    def test_of_a_thousand_noise_fields_at_most_one_proposal_in_a_hundred_is_wrong(self):
        """Wrong: more than one in a hundred of further values contradicts it."""
        claimed = wrong = 0
        for number in range(1000):
            chance = random.Random(f"noise {number}")
            field = noise(chance)
            count = chance.choice([3, 12, 48, 100, 200])
            for proposal in propose(answers(count, seed=number, x=field)):
                claimed += 1
                later = random.Random(f"later {number}")
                against = sum(
                    not holds(proposal.check, field(later, count + further))
                    for further in range(500)
                )
                wrong += against > 5
        print(
            f"counted: proposals on 1,000 noise fields, {wrong} of {claimed} are wrong",
            file=sys.__stdout__,
        )
        self.assertGreater(claimed, 300)
        self.assertLessEqual(wrong, claimed / 100)
