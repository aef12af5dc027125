"""What checks would notice of an answer in which one value is otherwise, and how often each
failed."""

import unittest

from saltpath.core.answers.answer import Answer
from saltpath.core.assist.check_record import Judged, records
from saltpath.core.assist.noticing import notice, turned
from saltpath.core.checks.judge import judge
from saltpath.core.checks.outcome import Outcome
from saltpath.core.format.reader import case_from_data
from saltpath.core.references.scopes import Scope, Scopes
from saltpath.core.values import plain

HEAD = b"HTTP/1.1 200 OK\r\nContent-Type: application/json\r\n\r\n"
DOCUMENT = {
    "name": "Gannet",
    "length": 23.5,
    "berths": [{"id": 1, "free": True}],
    "note": None,
    "of": {},
}


def checks(*items):
    step = {"request": "Ask", "key": "askask", "send": "GET http://h/", "expect": list(items)}
    case = case_from_data({"salt-path": 1, "case": "C", "key": "0123456789", "steps": [step]})
    return list(case.steps[0].expect)


def answer(document=DOCUMENT, status=200):
    return Answer(status, HEAD, plain.write_json(document), 1_000)


def noticed(*items, of=None):
    scopes = Scopes(Scope())
    return notice(checks(*items), of or answer(), lambda item, seen: judge(item, seen, scopes))


class Noticing(unittest.TestCase):
    def test_each_value_is_turned_round_once_and_taken_away_once(self):
        found = [(one.where, one.became) for one in turned(answer())]
        self.assertEqual(found[:2], [("status", "500"), ("headers", "gone")])
        places = {"$.name", "$.length", "$.berths[0].id", "$.berths[0].free", "$.note", "$.of"}
        self.assertEqual({where for where, _ in found[2:]}, places | {"$.berths"})
        self.assertEqual(found[-1], ("$.berths", "one item fewer"))
        self.assertEqual(sum(became == "gone" for _, became in found), len(places) + 1)
        documents = [plain.write_json(one.answer.document()) for one in turned(answer())]
        self.assertEqual(len(set(documents[2:])), len(documents) - 2)
        self.assertEqual(DOCUMENT["berths"], [{"id": 1, "free": True}])
        self.assertEqual(next(turned(answer(status=404))).became, "200")
        self.assertEqual(len(list(turned(Answer(200, HEAD, b"plain", 1)))), 2)
        self.assertEqual(len(list(turned(answer([])))), 3)

    def test_what_is_watched_is_noticed_and_the_rest_is_named(self):
        found = noticed({"of": "status", "is": 200}, {"of": "$.name", "is": "Gannet"})
        self.assertEqual((found.number, found.noticed), (17, 3))
        self.assertNotIn("$.name", {where for where, _ in found.unnoticed})
        self.assertIn(("$.length", "-24.5"), found.unnoticed)
        self.assertEqual(found.deaf, ())
        whole = noticed({"of": "status", "is": 200}, {"of": "body", "fits exactly": DOCUMENT})
        self.assertEqual({where for where, _ in whole.unnoticed}, {"headers"})

    def test_a_number_of_items_is_watched(self):
        counted = noticed({"of": "status", "is": 200}, {"of": "$.berths", "count": 1})
        self.assertEqual((counted.deaf, counted.noticed), ((), 2))
        self.assertEqual([one.where for one in turned(answer([[1, 2]]))][-2:], ["$", "$[0]"])

    def test_a_check_that_minds_nothing_is_named(self):
        found = noticed({"of": "status", "is": 200}, {"of": "time", "below": "5 s"})
        self.assertEqual(found.deaf, (1,))
        loose = noticed({"of": "$.length", "above": 0})
        lengths = [became for where, became in loose.unnoticed if where == "$.length"]
        self.assertEqual(lengths, ["236.0"])
        absent = noticed(
            {"of": "$.token", "absent": True}, {"of": "header Content-Type", "present": True}
        )
        self.assertEqual((absent.deaf, absent.noticed), ((), 1))

    def test_what_does_not_hold_says_nothing(self):
        self.assertIsNone(noticed({"of": "status", "is": 201}))
        self.assertIsNone(noticed({"of": "status", "is": 200, "advice": True}))
        self.assertIsNone(noticed())


class Records(unittest.TestCase):
    def test_a_check_is_counted_once_a_run(self):
        def step(key, *outcomes):
            made = [Outcome(verdict, check, advice=note) for verdict, check, note in outcomes]
            return Judged(key, f"Step {key}", made)

        good, bad, unsure = (
            ("passed", "a is 1", False),
            ("failed", "a is 1", False),
            ("blocked", "a is 1", False),
        )
        runs = [
            [step("one", good, ("failed", "time is below 1 s", True)), step("two", bad)],
            [step("one", good), step("one", bad), step("one", good)],
            [step("one", unsure), step("two", ("skipped", "a is 1", False), good)],
            [],
        ]
        self.assertEqual(
            [(one.key, one.step, one.check, one.runs, one.failed) for one in records(runs)],
            [("one", "Step one", "a is 1", 2, 1), ("two", "Step two", "a is 1", 2, 1)],
        )


if __name__ == "__main__":
    unittest.main()
