"""What several answers have shown, literals that repeat earlier values, and what differs between
two versions."""

import unittest
from datetime import UTC, datetime, timedelta
from decimal import Decimal

from saltpath.core.assist.difference import differences
from saltpath.core.assist.observations import in_words, places, seen, telling
from saltpath.core.assist.repeated import literals, repeated
from saltpath.core.paths.jsonpath import MISSING
from saltpath.core.values import plain

AT = datetime(2026, 11, 23, 9, 0, tzinfo=UTC)


def answers(*texts):
    return [(plain.read_json(text), AT) for text in texts]


class Seen(unittest.TestCase):
    def reasons(self, *texts):
        return {place.path: place.loose.sentence for place in seen(answers(*texts)) if place.loose}

    def test_what_varies_is_loose_with_its_reason(self):
        found = self.reasons(
            '{ "id": "PC-1", "berth": { "name": "East 4", "metres": 120 }, "tug": null, "lines": '
            "[1, 2] }",
            '{ "id": "PC-2", "berth": { "name": "East 4", "metres": 120 }, "tug": "Marl", '
            '"lines": [1] }',
            '{ "id": "PC-3", "berth": { "name": "East 4", "metres": 120 }, "tug": null, "lines": '
            "[1] }",
        )
        self.assertEqual(
            found,
            {
                "$.id": "3 different values in the last 3 answers",
                "$.tug": "it was null and text in the last 3 answers",
                "$.lines": "2 different values in the last 3 answers",
                "$.lines[1]": "it was there in 1 of the last 3 answers",
            },
        )

    def test_numbers_differ_by_value_as_they_were_written(self):
        found = {
            place.path: place
            for place in seen(
                answers('{"a": 1318.40}', '{"a": 1318.40}', '{"a": 12345678901234567890}')
            )
        }
        self.assertEqual(found["$.a"].distinct, 2)
        self.assertEqual(plain.write_json(found["$.a"].values[0]), b"1318.40")

    def test_one_answer_says_what_it_has_anew_by_nature(self):
        soon = (AT + timedelta(hours=3)).isoformat()
        text = (
            f'{{ "key": "0b2d9b1e-8d0c-4d1f-9f2e-6a1c2b3d4e5f", "eta": "{soon}", "built": '
            f'"1998-05-01T00:00:00Z", "n": 4 }}'
        )
        self.assertEqual(sorted(self.reasons(text)), ["$.eta", "$.key"])
        self.assertEqual(self.reasons(text, text), {})

    def test_places_of_deep_and_large_documents(self):
        deep = plain.read_json("[" * 300 + "]" * 300)
        self.assertEqual(sum(1 for _ in places(deep)), 299)
        self.assertEqual(len(seen([(list(range(10_000)), AT)])), 3_000)

    def test_a_short_word_or_number_proves_nothing(self):
        for value in (True, None, 7, 120, "east", "", {}, []):
            self.assertEqual(telling(value), "", value)
        for value in ("PC-20931", "Marrow Finch", 20931, "0b2d"):
            self.assertEqual(telling(value), str(value))


class Repeated(unittest.TestCase):
    def test_literals_of_a_request(self):
        step = {
            "send": "POST [=harbour]/port-calls/PC%2020931/[=x]?from=PC-1",
            "query": {"berth": "East 4", "of": "[=y]"},
            "headers": [["X-Trace", "abc"], ["X-Trace", "def"]],
            "json": '{ "vessel": { "id": 4711 }, "eta": "[=now]", "names": ["Marrow Finch"] }',
        }
        self.assertEqual(
            list(literals(step)),
            [
                "port-calls",
                "PC 20931",
                "PC-1",
                "East 4",
                "X-Trace",
                "abc",
                "X-Trace",
                "def",
                "4711",
                "Marrow Finch",
            ],
        )
        known = {
            "PC 20931": ("ask001", "$.id"),
            "4711": ("lst001", "$.items[0].id"),
            "abc": ("x", "$.a"),
        }
        self.assertEqual(
            repeated(step, known),
            [("PC 20931", "ask001", "$.id"), ("4711", "lst001", "$.items[0].id")],
        )

    def test_a_body_that_is_no_json_has_no_literals(self):
        self.assertEqual(list(literals({"send": "GET http://x", "json": "{"})), [])


class Difference(unittest.TestCase):
    BEFORE = {
        "case": "A",
        "tags": ["smoke"],
        "steps": [
            {
                "request": "List",
                "key": "a",
                "send": "GET /x",
                "expect": [{"of": "status", "is": 200}, {"of": "$.n", "above": 1}],
            },
            {"request": "Read", "key": "b", "send": "GET /y", "keep": {"id": "$.id"}},
            {"wait": "1 s", "key": "c"},
        ],
        "afterwards": [{"request": "Clean", "key": "d", "send": "DELETE /y"}],
    }

    def changed(self, change):
        after = plain.read_json(plain.write_json(self.BEFORE))
        change(after)
        return differences(self.BEFORE, after)

    def test_nothing_differs(self):
        self.assertEqual(self.changed(lambda d: None), [])

    def test_each_kind_of_change_is_said(self):
        def steps(change):
            return self.changed(lambda d: change(d["steps"]))

        self.assertEqual(
            self.changed(lambda d: d.update(case="B")),
            ["the case is called “B”, and was called “A”"],
        )
        self.assertEqual(
            self.changed(lambda d: d.pop("tags")), ['tags of the case: ["smoke"] became nothing']
        )
        self.assertEqual(
            steps(lambda s: s.insert(0, s.pop())), ["the step wait 1 s stands at place 1"]
        )
        self.assertEqual(steps(lambda s: s.pop(1)), ["“Read” is gone"])
        self.assertEqual(
            steps(lambda s: s.append({"set": {"a": "b"}, "key": "e"})),
            ['the step set {"a":"b"} is new'],
        )
        self.assertEqual(steps(lambda s: s[0].update(off=True)), ["“List” is switched off"])
        self.assertEqual(
            steps(lambda s: s[0].update(send="GET /z")), ["“List”, send: GET /x became GET /z"]
        )
        self.assertEqual(
            steps(lambda s: s[0].update(query={"a": "1"})), ['“List”, query is new: {"a":"1"}']
        )
        self.assertEqual(
            steps(lambda s: s[1].update(keep={"id": "$.key"})),
            ["“Read” keeps $.key as id, and kept $.id"],
        )
        self.assertEqual(
            steps(lambda s: s[0]["expect"][0].update({"is": 404})),
            ["“List” no longer expects status is 200", "“List” expects status is 404"],
        )
        self.assertEqual(
            steps(lambda s: s[0]["expect"][0].update(advice=True)),
            ["“List”, the check status is 200 is marked otherwise"],
        )
        self.assertEqual(
            steps(lambda s: s[0]["expect"].reverse()), ["“List” has its checks in another order"]
        )

    def test_a_step_that_runs_always_now(self):
        self.assertEqual(
            self.changed(lambda d: d["afterwards"].append(d["steps"].pop(0))),
            ["“List” runs afterwards, always"],
        )


class InWords(unittest.TestCase):
    def test_what_stood_at_a_place_in_a_few_words(self):
        for values, words in (
            ([], ""),
            ([200], ""),
            ([200, 200], "200, always, in 2"),
            (["a", "b", "a"], "“a” or “b”, in 3"),
            ([1, 2, 3, 4.5], "1 to 4.5, in 4"),
            (["a", "b", "c", "d"], "4 different ones, in 4"),
            ([1, MISSING, 1], "1, always, in 2; not there in 1 of 3"),
            ([MISSING, MISSING], "never there in 2"),
            ([1, "1"], "1 or “1”, in 2"),
            ([None, None], "null, always, in 2"),
        ):
            exact = [Decimal(str(value)) if isinstance(value, float) else value for value in values]
            self.assertEqual(in_words(exact), words)
