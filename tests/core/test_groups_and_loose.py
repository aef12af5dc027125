"""Groups of checks, and expected bodies with loose values: what holds, what is said where it does
not, and where."""

import unittest
from decimal import Decimal

from saltpath.core.answers.answer import Answer
from saltpath.core.checks.judge import judge, judge_all
from saltpath.core.checks.loose import KINDS, filled, misfits, read_pattern, written
from saltpath.core.format.nodes import FormatError
from saltpath.core.format.reader import case_from_data
from saltpath.core.references.scopes import Scope, Scopes
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.plain import read_json, write_json

BODY = {
    "id": "PC-20931",
    "state": "quoted",
    "lengthMetres": Decimal("141.9"),
    "pilots": [{"name": "Oda"}, {"name": "Tor"}],
    "lines": [
        {"code": "QUAY", "amount": 15},
        {"code": "TON", "amount": 0},
        {"code": "PIL", "amount": -3},
    ],
    "none": [],
    "remark": None,
}


def outcome(item: dict, **values):
    step = {"request": "a", "send": "GET http://h/", "expect": [item]}
    read = case_from_data({"salt-path": 1, "case": "x", "steps": [step]}).steps[0].expect[0]
    return judge(
        read, Answer(200, b"", write_json(BODY), 41_300), Scopes(Scope(), case=Scope(values))
    )


LONG, SHORT = {"of": "$.lengthMetres", "above": 90}, {"of": "$.lengthMetres", "below": 90}
TWO, ONE = {"of": "$.pilots", "count": 2}, {"of": "$.pilots", "count": 1}
BROKEN = {"of": "$.lengthMetres", "matches": "[=gone]"}


class Groups(unittest.TestCase):
    def test_verdicts(self):
        for item, verdict in [
            ({"when": LONG, "then": [TWO]}, "passed"),
            ({"when": LONG, "then": ONE}, "failed"),
            ({"when": SHORT, "then": ONE}, "skipped"),
            ({"when": SHORT, "then": ONE, "otherwise": [TWO, LONG]}, "passed"),
            ({"when": [LONG, SHORT], "then": ONE}, "skipped"),
            ({"when": {"of": "$.gone", "is": 1}, "then": ONE}, "skipped"),
            ({"when": BROKEN, "then": TWO}, "blocked"),
            ({"any of": [ONE, TWO]}, "passed"),
            ({"any of": [ONE, SHORT]}, "failed"),
            ({"any of": [ONE, BROKEN]}, "blocked"),
            ({"any of": [BROKEN, TWO]}, "passed"),
            ({"all of": [LONG, TWO]}, "passed"),
            ({"all of": [LONG, BROKEN]}, "blocked"),
            ({"all of": [LONG, ONE, BROKEN]}, "failed"),
            ({"all of": [{**ONE, "advice": True}, TWO]}, "passed"),
            ({"all of": [{**ONE, "off": True}]}, "skipped"),
            ({"none of": [ONE, SHORT]}, "passed"),
            ({"none of": [ONE, TWO]}, "failed"),
            ({"none of": [{"of": "$.lines[*].code", "is": "TON"}]}, "failed"),
            ({"none of": [{"of": "$.lines[*].code", "is": "ROPE"}]}, "passed"),
            ({"for each": "$.pilots[*]", "expect": [{"of": "$.name", "kind": "text"}]}, "passed"),
            ({"for each": "$.pilots", "expect": {"of": "$.name", "length": 3}}, "passed"),
            ({"for each": "$.lines[*]", "expect": [{"of": "$.amount", "above": 0}]}, "failed"),
            ({"for each": "$.none[*]", "expect": [{"of": "$.amount", "above": 0}]}, "failed"),
            ({"for each": "$.none[*]", "expect": [ONE], "may be empty": True}, "skipped"),
            ({"when": LONG, "then": {"any of": [{"none of": [TWO]}, {"all of": [TWO]}]}}, "passed"),
            ({"any of": [TWO], "off": True}, "skipped"),
        ]:
            with self.subTest(item):
                self.assertEqual(outcome(item).verdict, verdict)

    def test_a_group_is_one_outcome_with_its_parts(self):
        done = outcome({"when": LONG, "then": [TWO, ONE], "note": "pilots by length"})
        self.assertEqual(
            [(part.role, part.verdict) for part in done.parts],
            [("when", "passed"), ("", "passed"), ("", "failed")],
        )
        self.assertEqual(
            (done.note, done.check),
            (
                "pilots by length",
                "when $.lengthMetres is above 90: $.pilots counts 2; $.pilots counts 1",
            ),
        )
        self.assertEqual(done.why.sentence, "$.pilots counts 1: counts 2, expected 1")
        self.assertIn(
            "was 141.9, expected below 90", outcome({"when": SHORT, "then": ONE}).why.sentence
        )

    def test_each_item_is_told_with_its_place(self):
        done = outcome(
            {
                "for each": "$.lines[*]",
                "expect": [{"of": "$.amount", "above": 0}, {"of": "$.code", "present": True}],
            }
        )
        self.assertEqual([part.verdict for part in done.parts], ["failed", "passed"])
        self.assertEqual(done.parts[0].where, ("$.lines[1].amount", "$.lines[2].amount"))
        self.assertEqual(done.parts[0].why.sentence, "$.lines[1]: was 0, expected above 0")

    def test_a_step_with_nothing_but_a_skipped_group_is_unchecked(self):
        step = {"request": "a", "send": "GET http://h/", "expect": [{"when": SHORT, "then": ONE}]}
        items = case_from_data({"salt-path": 1, "case": "x", "steps": [step]}).steps[0].expect
        self.assertEqual(
            judge_all(items, Answer(200, b"", write_json(BODY), 1), Scopes(Scope()))[1], "unchecked"
        )

    def test_what_is_wrong_is_said(self):
        deep = TWO
        for _ in range(20):
            deep = {"all of": [deep]}
        for item, words in [
            ({"when": LONG}, "needs then"),
            ({"any of": []}, "a check is missing here"),
            ({"for each": "$.a[", "expect": [ONE]}, "cannot be read"),
            ({"all of": [ONE], "otherwise": [TWO]}, "unknown key 'otherwise'"),
            ({"all of": [{"of": "$.a", "iss": 1}]}, "did you mean 'is'?"),
            (deep, "at most 12 deep"),
        ]:
            with self.subTest(str(item)[:80]), self.assertRaises(FormatError) as caught:
                outcome(item)
            self.assertIn(words, str(caught.exception))


class Loose(unittest.TestCase):
    def places(self, actual, expected, exactly=False):
        return [place for place, _ in misfits(actual, read_pattern(expected), exactly, 20)]

    def test_every_kind_has_an_example_that_fits(self):
        for kind in KINDS.values():
            with self.subTest(kind.name):
                text, value = kind.example
                self.assertEqual(self.places(value, text), [])
                self.assertEqual(written(read_pattern(text)), text)
                if kind.name:
                    self.assertEqual(self.places(None, text), [""], "null fits only [?]")

    def test_what_fits(self):
        for actual, expected in [
            ({"a": 1, "b": 2}, {"a": "[?integer]"}),
            ({"a": 1}, {"a": Decimal("1.0"), "b?": 5}),
            ({"a?": 1}, {"a??": 1}),
            ([1, 2, 3], ["[?every]", "[?above 0]"]),
            ([3, 1, 2], ["[?any order]", 1, 2, 3]),
            ([{"n": 1, "m": 1}, {"n": 1}], ["[?any order]", {"n": 1}, {"m": 1}]),
            ([3, 1, 2, 9], ["[?any order]", 1, 2, "[?more]"]),
            ([1, 2, 3], [1, "[?more]"]),
            ([], []),
            ({"t": "a, b"}, {"t": '[?one of "a, b", c]'}),
            ({"t": 3}, {"t": "[?one of 3, x]"}),
            ({"t": "[?uuid"}, {"t": "[='[?']uuid"}),
            ("x", '"x"'.strip('"')),
            ({"n": Decimal("1318.40")}, '{ "n": 1318.4 }'),
        ]:
            with self.subTest(expected):
                pattern = filled(read_pattern(expected), Scopes(Scope()))
                self.assertEqual(list(misfits(actual, pattern, False, 20)), [])

    def test_what_does_not_and_where(self):
        for actual, expected, exactly, places in [
            ({"a": 1}, {"a": "[?text]"}, False, [".a"]),
            ({"a": 1}, {"a": 1, "b": "[?]"}, False, [".b"]),
            ({"a": 1, "c": 1}, {"a": 1}, True, [".c"]),
            ({"a": {"b": [1, "x"]}}, {"a": {"b": ["[?every]", "[?number]"]}}, False, [".a.b[1]"]),
            ([1, 2], [1], False, [""]),
            ([1], [1, 2], False, [""]),
            ([1], [1, 2, "[?more]"], False, [""]),
            ([], ["[?every]", 1], False, [""]),
            ([1, 2, 2], ["[?any order]", 2, 1, 1], False, [""]),
            ([1, 2, 3], ["[?any order]", 1, 3], False, ["[1]"]),
            ("15", 15, False, [""]),
            ({"a b": 1}, {"a b": 2}, False, ["['a b']"]),
        ]:
            with self.subTest(expected):
                self.assertEqual(self.places(actual, expected, exactly), places)

    def test_in_a_check(self):
        done = outcome(
            {
                "of": "$",
                "fits": {
                    "id": "[?matches ^PC-]",
                    "pilots": ["[?every]", {"name": "[?between 1 and 2]"}],
                },
            }
        )
        self.assertEqual(done.where, ("$.pilots[0].name", "$.pilots[1].name"))
        self.assertEqual(
            done.why.sentence,
            "does not fit at .pilots[0].name: was “Oda”, expected between 1 and 2; and 1 more",
        )
        self.assertEqual(
            outcome({"of": "$.lines[*]", "fits": {"code": "[?text]"}}).verdict, "passed"
        )
        self.assertEqual(outcome({"of": "$.id", "fits": "[=id]"}, id="PC-20931").verdict, "passed")
        self.assertEqual(
            outcome(
                {
                    "of": "$.lines[0]",
                    "fits exactly": {"code": "QUAY", "amount": "[?at least [=least]]"},
                },
                least=15,
            ).verdict,
            "passed",
        )

    def test_what_is_inserted_is_never_a_loose_value(self):
        self.assertEqual(outcome({"of": "$.id", "fits": "[=sly]"}, sly="[?]").verdict, "failed")
        self.assertEqual(
            outcome({"of": "$.lines[0]", "fits": "[=sly]"}, sly={"code": "[?]"}).verdict, "failed"
        )

    def test_what_is_wrong_is_said(self):
        for expected, words in [
            ("[?uid]", "did you mean [?uuid]?"),
            ("[?above x]", "needs a number"),
            ("[?matches (]", "cannot be read"),
            (["[?every]"], "exactly one pattern"),
            ([1, "[?every]"], "first in a list"),
            ("[?more]", "in a list only"),
            ("[?text] x", "is the whole text"),
            ("[?text 3]", "takes nothing"),
            ('{ "a": }', "is not JSON"),
        ]:
            with self.subTest(expected), self.assertRaises(Unreadable) as caught:
                read_pattern(expected)
            self.assertIn(words, str(caught.exception))

    def test_many_items_in_any_order(self):
        many = list(range(300))
        self.assertEqual(self.places(many[::-1], ["[?any order]", *many]), [])
        self.assertEqual(
            outcome({"of": "$", "fits": read_json(b'["[?any order]", 1]')}).verdict, "failed"
        )
