"""Checks typed as sentences: what is understood, what is said where it is not, and that writing and
reading agree."""

import random
import unittest
from decimal import Decimal
from typing import Any

from saltpath.core.answers.subjects import read_subject
from saltpath.core.assist.outline import outline
from saltpath.core.checks.relations import TABLE
from saltpath.core.checks.relations.equality import LIST
from saltpath.core.checks.relations.measures import MEASURE, PAIR
from saltpath.core.checks.relations.operand import TRUE
from saltpath.core.checks.relations.shapes import COUNT
from saltpath.core.checks.typed import read_sentence, suggestions, write_sentence
from saltpath.core.format.check_reader import expectations_of
from saltpath.core.format.reader import case_from_data
from saltpath.core.sheet.cells import read_cells
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.plain import same

KNOWN = {"id": "$.id", "total": "$.fee.total"}


TEXTS = (
    "a",
    "FHC",
    "two words",
    "one, two",
    "a and b",
    "x within y",
    "is 3",
    "15",
    "true",
    "null",
    "",
    "  pad ",
    'say "no"',
    "it's",
    "[=name]",
    "[=a | lower]",
    "x [=n] y",
    "a; b",
    "(a)",
    "$.x",
    "not",
    "no",
    "one",
    "at least 3",
    "any of",
    "2026-11-23",
    "500 ms",
    "é漢",
    "a\nb",
    "\\",
    "a then b",
    "otherwise",
    "1e3",
    "-",
    "#",
    "http://h/?a=b&c",
    "{}",
    "[]",
    "where",
    "each of",
    "when",
    "up",
    "date-time",
    "integer",
)
NUMBERS = (0, 1, -3, 15, Decimal("1.50"), Decimal("448.80"), 10**20)
SUBJECTS = (
    "status",
    "$.id",
    "$.a.b",
    "$['x y']",
    "$[0].a",
    "$.items[?@.a=='b and c'].x",
    "$.items[*].id",
    "header X-Id",
    "cookie a",
    "body",
    "time",
    "size",
    "type",
    "$.a | count",
    "$.t | text | lower",
    "value row.length",
    "$",
    "$..x",
    "time to first byte",
    "value row.'Gross tonnage'",
)


def check_at_random(chance: random.Random, level: int) -> dict[str, Any]:
    """A check or a group, as a document has it; some are none."""

    def several() -> list[dict[str, Any]]:
        return [check_at_random(chance, level + 1) for _ in range(chance.randrange(1, 3))]

    if level < 3 and chance.random() < 0.25:
        kind = chance.choice(("any of", "all of", "none of", "when", "for each"))
        if kind == "when":
            return {
                "when": several(),
                "then": several(),
                **({"otherwise": several()} if chance.random() < 0.5 else {}),
            }
        if kind == "for each":
            return {
                "for each": "$.lines[*]",
                "expect": several(),
                **({"may be empty": True} if chance.random() < 0.5 else {}),
            }
        return {kind: several()}
    relation = chance.choice(list(TABLE))
    values = (*TEXTS, *NUMBERS, True, False, None, [1, "a"], {"a": 1, "b": ["x"]})
    expected = {
        TRUE: [True],
        MEASURE: [*NUMBERS, "500 ms", "10 kB", "[=x]"],
        COUNT: [3, {"at least": 2}, {"below": 5}],
        PAIR: [[chance.choice(NUMBERS), chance.choice(NUMBERS)]],
        LIST: [[chance.choice(values) for _ in range(chance.randrange(1, 4))]],
    }.get(TABLE[relation].takes, values)
    value = chance.choice((True, False)) if relation == "empty" else chance.choice(expected)
    return {
        "of": chance.choice(SUBJECTS),
        relation: value,
        **({"any": True} if chance.random() < 0.2 else {}),
    }


class Bodies(unittest.TestCase):
    def test_a_pasted_body_is_what_the_answers_has_to_fit(self):
        for text, body in [
            (
                '{ "total": 1318.40,\n  "state?": "[?text]" }',
                {"total": Decimal("1318.40"), "state?": "[?text]"},
            ),
            ('[ { "id": 9007199254740993 } ]', [{"id": 9007199254740993}]),
            ("[]", []),
        ]:
            with self.subTest(text):
                self.assertEqual(read_sentence(text), {"of": "$", "fits": body})
                self.assertEqual(
                    read_sentence(write_sentence({"of": "$", "fits": body})),
                    {"of": "$", "fits": body},
                )
        with self.assertRaises(Unreadable) as caught:
            read_sentence('{ "total": }')
        self.assertIn("begins as a JSON body does, and is none", str(caught.exception))


class Cells(unittest.TestCase):
    """A sheet's row is a sentence in three cells."""

    def test_every_relation_goes_into_cells_and_back(self):
        checks = [
            {"of": "$.a", "any": True, "is not": "x y"},
            {"of": "$.a", "empty": False},
            {"of": "$.a", "present": True},
            {"of": "$.a", "count": {"at least": 3}},
            {"of": "$.a | length", "between": [1, 2]},
            {"of": "$.a", "is one of": ["a", "b, c"]},
            {"of": "$.a", "close to": {"value": Decimal("0.30"), "within": 2}},
            {"of": "$.a", "sorted": "up"},
            {"of": "$.a", "unique": True},
            {"of": "$.a", "fits": {"a": 1}},
            {"of": "time", "below": "5 s"},
            {"of": "header Location", "matches": "/x$"},
            {"of": "$.a", "is": "007"},
        ]
        step = {"request": "x", "send": "GET http://x/", "expect": checks}
        case = case_from_data({"salt-path": 1, "case": "x", "steps": [step]})
        for check, shown in zip(checks, outline(case)["steps"][0]["expect"], strict=True):
            with self.subTest(shown["typed"]):
                begin = f"{shown['of']} {shown['phrase']}"
                self.assertTrue(shown["typed"].startswith(begin))
                self.assertEqual(
                    read_cells(shown["of"], shown["phrase"], shown["typed"].removeprefix(begin)),
                    check,
                )

    def test_what_is_none(self):
        for cells, words in [
            (("$.a", "is at leest", "1"), "did you mean 'is at least'"),
            (("", "is", "1"), "of is empty"),
            (("$.a", "qqqq", ""), "no relation"),
        ]:
            with self.subTest(cells), self.assertRaises(Unreadable) as caught:
                read_cells(*cells)
            self.assertIn(words, str(caught.exception))
        self.assertEqual(read_cells("status 201", "", ""), {"of": "status", "is": 201})
        self.assertEqual(
            read_cells("status", " At  Least ", "200"), {"of": "status", "at least": 200}
        )


class Reading(unittest.TestCase):
    def test_what_is_understood(self):
        for text, check in {
            "status 201": {"of": "status", "is": 201},
            "status is 201": {"of": "status", "is": 201},
            "status = 201": {"of": "status", "is": 201},
            "$.fee.total below 1200": {"of": "$.fee.total", "below": 1200},
            "$.fee.total is below 1318.40": {"of": "$.fee.total", "below": Decimal("1318.40")},
            "time under 500 ms": {"of": "time", "below": "500 ms"},
            "id present": {"of": "$.id", "present": True},
            "id": {"of": "$.id", "present": True},
            "total more than 3": {"of": "$.fee.total", "above": 3},
            "$.state is quoted": {"of": "$.state", "is": "quoted"},
            "$.state is “quoted”": {"of": "$.state", "is": "quoted"},
            '$.text15 is "15"': {"of": "$.text15", "is": "15"},
            "$.name East 4": {"of": "$.name", "is": "East 4"},
            "$.remark is null": {"of": "$.remark", "is": None},
            "$.state is one of quoted, requested": {
                "of": "$.state",
                "is one of": ["quoted", "requested"],
            },
            "size between 1 kB and 2 kB": {"of": "size", "between": ["1 kB", "2 kB"]},
            "$.lines counts at least 2": {"of": "$.lines", "count": {"at least": 2}},
            "$.lines counts 3": {"of": "$.lines", "count": 3},
            "$.lines is not empty": {"of": "$.lines", "empty": False},
            "header Location starts with /port-calls/": {
                "of": "header Location",
                "starts with": "/port-calls/",
            },
            "any of $.lines[*].code is QUAY": {"of": "$.lines[*].code", "any": True, "is": "QUAY"},
            "$.lines[?@.code == 'A is B'].amount at most 3": {
                "of": "$.lines[?@.code == 'A is B'].amount",
                "at most": 3,
            },
            "$.vessel | trim | upper is [=vessel]": {
                "of": "$.vessel | trim | upper",
                "is": "[=vessel]",
            },
            "$.id is of kind text": {"of": "$.id", "kind": "text"},
            "$.id is any integer": {"of": "$.id", "kind": "integer"},
            "$.id is missing": {"of": "$.id", "absent": True},
        }.items():
            with self.subTest(text):
                self.assertEqual(read_sentence(text, KNOWN), check)

    def test_what_is_not_is_said(self):
        for text, said in {
            "": "Say what must hold",
            "stauts is 3": "did you mean status",
            "$.a[ is 3": "cannot be read",
            "status is one of": "Say what it",
            "size between 3": "between what and what",
            "$.id of kind thing": "The kinds are",
        }.items():
            with self.subTest(text), self.assertRaises(Unreadable) as caught:
                read_sentence(text, KNOWN)
            self.assertIn(said, str(caught.exception))

    def test_a_stray_bracket_does_not_end_a_subject(self):
        with self.assertRaisesRegex(Unreadable, "a bracket is closed"):
            read_subject("$.a] | trim")
        with self.assertRaisesRegex(Unreadable, "is not the name of a header"):
            read_subject("header a(b")

    def test_writing_and_reading_agree(self):
        values = [
            "quoted",
            "East 4",
            "15",
            "true",
            "null",
            "a, b",
            "a and b",
            "at least 3",
            "above",
            "",
            " x",
            "“q”",
            "it's",
            '"',
            "[=name]",
            "[=a | trim]",
            "[1]",
            "{",
            "x\ny",
            15,
            Decimal("1318.40"),
            True,
            None,
            [1, "a"],
            {"a": 1},
        ]
        fits = [
            "[?uuid]",
            {"id": "[?matches ^(a|b); then]", "lines": ["[?every]", {"a?": 1}]},
            [1, "[?more]"],
        ]
        of = {
            "is one of": [values],
            "is none of": [values],
            "between": [[1, "[=b]"]],
            "kind": ["text"],
            "format": ["date-time"],
            "count": [3, {"is one of": [1, 2]}],
            "length": [3, {"at least": 2}],
            "empty": [True, False],
            "sorted": ["up", "down"],
            "close to": [{"value": 1, "within": Decimal("0.1")}],
            "near": [
                {"time": "now", "within": "5 min"},
                {"time": "[=now +2 days]", "within": "1 s"},
            ],
            "before": ["now", "2026-11-23"],
            "fits": fits,
            "fits exactly": fits,
            "schema": [{"required": ["id"]}, True],
        }
        said = [words for entry in TABLE.values() for words in (*entry.phrases, *entry.opposite)]
        self.assertEqual(len(set(said)), len(said), "each phrase means one relation")
        for relation, entry in TABLE.items():
            for value in [True] if entry.takes is TRUE else of.get(relation, values):
                for subject in (
                    "status",
                    "$.a['x is 3']",
                    "$.lines[*].code | trim",
                    "header X-One",
                ):
                    check = {"of": subject, relation: value}
                    with self.subTest(check):
                        again = read_sentence(write_sentence(check))
                        self.assertTrue(same(again, check), (write_sentence(check), again))

    def test_at_random(self):
        """Whatever the format takes as a check or a group of them, its sentence is read as the same
        one."""
        chance, read = random.Random(4711), 0
        for _ in range(12_000):
            check = check_at_random(chance, 0)
            try:
                expectations_of([check])
            except Unreadable:
                continue
            read += 1
            sentence = write_sentence(check)
            with self.subTest(check=check, sentence=sentence):
                self.assertTrue(same(read_sentence(sentence), check))
        self.assertGreater(read, 5_000)

    def test_groups(self):
        one, two = {"of": "status", "is": 200}, {"of": "$.state", "is": "now; then a"}
        three = {"of": "$.amount", "above": 0}
        for group, text in [
            (
                {"when": [one], "then": [two, three]},
                'when status is 200 then $.state is "now; then a"; $.amount is above 0',
            ),
            ({"when": [one], "then": [one], "otherwise": [three]}, None),
            ({"any of": [one, {"all of": [two, three]}]}, None),
            ({"none of": [one]}, "none of: status is 200"),
            (
                {"for each": "$.lines[*]", "expect": [three]},
                "each of $.lines[*]: $.amount is above 0",
            ),
            (
                {"for each": "$.a['b: c']", "expect": [{"none of": [three]}], "may be empty": True},
                None,
            ),
            ({"when": [{"any of": [one, two]}], "then": [{"when": [one], "then": [two]}]}, None),
        ]:
            with self.subTest(group):
                written = write_sentence(group)
                self.assertEqual(written, text or written)
                self.assertTrue(same(read_sentence(written), group), written)
        for text, said in {
            "when status is 200": "Say what must hold then",
            "all of: ": "Say what must hold here",
            "each of $.lines[*]": "behind a colon",
        }.items():
            with self.subTest(text), self.assertRaises(Unreadable) as caught:
                read_sentence(text)
            self.assertIn(said, str(caught.exception))

    def test_what_is_written_is_what_the_reader_takes(self):
        step = {
            "request": "a",
            "send": "GET http://h/",
            "expect": [read_sentence("$.a.b at least 3"), read_sentence("type x/y")],
        }
        case = case_from_data({"salt-path": 1, "case": "x", "steps": [step]})
        self.assertEqual(
            [check.sentence for check in case.steps[0].expect],
            ["$.a.b is at least 3", "type is x/y"],
        )

    def test_how_it_goes_on(self):
        paths = ["$.id", "$.fee.total", "$.fee.currency"]
        self.assertEqual(suggestions("st", paths)[0], "status")
        self.assertEqual(suggestions("tot", paths), ["$.fee.total"])
        self.assertEqual(suggestions("$.fee", paths), ["$.fee.total", "$.fee.currency"])
        self.assertIn("$.fee.total is at least", suggestions("$.fee.total is at", paths))
