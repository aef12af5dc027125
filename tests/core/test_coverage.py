"""Which fields of an answer the checks watch, and what would watch the others."""

import json
import unittest

from saltpath.core.answers.answer import Answer
from saltpath.core.assist.coverage import MOST_FIELDS, by_name, coverage
from saltpath.core.format.reader import case_from_data
from saltpath.core.references.scopes import Scope, Scopes

CALL = {
    "id": "PC-1",
    "fee": {"total": 1318.5, "lines": [{"code": "QUAY", "n": 1}, {"code": "PILOT", "n": 2}]},
    "tags": [],
    "odd name": None,
    "berth": {"id": "E1", "pier": {"side": "east"}},
}
ALL = [
    "$.id",
    "$.fee.total",
    "$.fee.lines[0].code",
    "$.fee.lines[0].n",
    "$.fee.lines[1].code",
    "$.fee.lines[1].n",
    "$.tags",
    "$['odd name']",
    "$.berth.id",
    "$.berth.pier.side",
]


def unchecked(*expect, body=CALL):
    step = {"request": "x", "send": "GET http://x/", "expect": list(expect)}
    [read] = case_from_data({"salt-path": 1, "case": "x", "steps": [step]}).steps
    octets = body if isinstance(body, bytes) else json.dumps(body).encode()
    answer = Answer(200, b"HTTP/1.1 200 OK\r\nContent-Type: application/json\r\n\r\n", octets, 1, 1)
    return coverage(read.expect, answer, Scopes(Scope(), Scope(), Scope(), run=Scope()))


class Covered(unittest.TestCase):
    def watches(self, check, *paths):
        found = unchecked(check)
        self.assertEqual(found.fields, len(ALL))
        self.assertEqual(
            [path for path in ALL if path not in [left for left, _ in found.unchecked]], list(paths)
        )

    def test_a_check_watches_what_its_subject_finds(self):
        self.watches({"of": "$.id", "is": "another"}, "$.id")
        self.watches({"of": "$.id | lower", "is": "x"}, "$.id")
        self.watches(
            {"of": "$.fee.lines[*].code", "present": True},
            "$.fee.lines[0].code",
            "$.fee.lines[1].code",
        )
        self.watches(
            {"of": "$..n", "above": 0, "advice": True}, "$.fee.lines[0].n", "$.fee.lines[1].n"
        )
        self.watches({"of": "$['odd name']", "is": None}, "$['odd name']")

    def test_a_branch_that_is_there_or_counted_says_nothing_of_the_fields_below(self):
        for relation in ({"present": True}, {"kind": "object"}):
            self.watches({"of": "$.fee", **relation})
        self.watches({"of": "$.fee.lines", "count": 2})
        self.watches({"of": "$.tags", "count": 0}, "$.tags")

    def test_a_branch_that_is_said_whole_watches_all_below(self):
        self.watches({"of": "$.berth", "is": {"id": "E1"}}, "$.berth.id", "$.berth.pier.side")
        self.watches({"of": "$", "same as last pass": True}, *ALL)

    def test_an_expected_body_watches_what_it_speaks_of(self):
        body = {
            "fee": {"lines": ["[?every]", {"code": "[?text]"}]},
            "berth": "[?object]",
            "id?": "[?]",
            "gone?": 1,
        }
        self.watches(
            {"of": "$", "fits": body},
            "$.id",
            "$.fee.lines[0].code",
            "$.fee.lines[1].code",
            "$.berth.id",
            "$.berth.pier.side",
        )
        self.watches({"of": "$.fee", "fits": {"lines": [{"n": 1}, "[?more]"]}}, "$.fee.lines[0].n")

    def test_groups_watch_by_their_parts_and_conditions_do_not(self):
        each = {"for each": "$.fee.lines", "expect": [{"of": "$.n", "above": 0}]}
        self.watches(each, "$.fee.lines[0].n", "$.fee.lines[1].n")
        self.watches(
            {"when": {"of": "$.id", "is": "x"}, "then": [{"of": "$.fee.total", "above": 0}]},
            "$.fee.total",
        )
        self.watches({"none of": [{"of": "$.berth.id", "is": "x"}]}, "$.berth.id")

    def test_what_is_switched_off_or_no_path_watches_nothing(self):
        self.watches({"of": "$.id", "is": "x", "off": True})
        self.watches({"of": "status", "is": 200})

    def test_answers_of_every_kind(self):
        self.assertIsNone(unchecked(body=b"no json"))
        self.assertIsNone(unchecked(body=b"7"), "a bare value has no fields")
        self.assertEqual(unchecked(body=b"[]").fields, 0)
        self.assertEqual(unchecked(body={str(n): n for n in range(9000)}).fields, MOST_FIELDS)


class ByName(unittest.TestCase):
    def test_items_of_lists_stand_together_and_each_has_a_check_that_holds(self):
        fields = by_name(unchecked().unchecked)
        self.assertEqual(
            [(field.path, field.places) for field in fields][2:4],
            [("$.fee.lines[*].code", 2), ("$.fee.lines[*].n", 2)],
        )
        checks = [field.check for field in fields]
        self.assertIn({"of": "$.fee.lines[*].code", "kind": "text"}, checks)
        self.assertIn({"of": "$.tags", "empty": True}, checks)
        self.assertIn({"of": "$['odd name']", "is": None}, checks)
        self.assertEqual(unchecked(*checks).unchecked, [])

    def test_what_is_masked_or_of_several_kinds_is_only_there(self):
        fields = by_name([("$.token", "●●●"), ("$.a[0].b", 1), ("$.a[1].b", "x")])
        self.assertEqual(
            [field.check for field in fields],
            [{"of": "$.token", "present": True}, {"of": "$.a[*].b", "present": True}],
        )


if __name__ == "__main__":
    unittest.main()
