"""Relations, subjects and outcomes: what holds, and what is said where it does not."""

import time
import unittest
from decimal import Decimal

from saltpath.core.answers.answer import Answer
from saltpath.core.answers.subjects import KINDS, find, read_subject
from saltpath.core.checks.judge import judge, judge_all, verdict_of
from saltpath.core.checks.relations import TABLE, Setting
from saltpath.core.format.reader import case_from_data, read_case
from saltpath.core.references.scopes import Scope, Scopes
from saltpath.core.values.plain import NotPlain, read_json, write_json
from saltpath.core.values.why import Blocked

BODY = b"""{ "id": "PC-20931", "state": "quoted", "big": 9007199254740993, "half": 0.30,
  "none": null, "empty": [],
  "fee": { "total": 1318.40, "currency": "FHC", "lines": [ { "code": "QUAY", "amount": 15 },
    { "code": "TON", "amount": 0.5 } ] },
  "berth": { "name": "East 4", "metres": 120 }, "text15": "15" }"""
HEAD = (
    b"HTTP/1.1 201 Created\r\nContent-Type: application/json; charset=utf-8\r\nX-Count: 015\r\n"
    b"Set-Cookie: desk=a=b; Path=/\r\nX-Two: a\r\nX-Two: b\r\n\r\n"
)


def answer(body: bytes = BODY, head: bytes = HEAD) -> Answer:
    return Answer(201, head, body, 41_300)


def outcome(check: str, body: bytes = BODY, **values):
    case = read_case(
        "salt-path: 1\ncase: x\nsteps:\n  - request: a\n    send: GET http://h/\n    expect:\n   "
        f"   - {check}\n"
    )
    return judge(case.steps[0].expect[0], answer(body), Scopes(Scope(), case=Scope(values)))


WHOLE = frozenset(["fits", "fits exactly", "schema"])
"""What they are said of is a document; of a measure nobody asks them."""


class Holding(unittest.TestCase):
    def test_every_relation_has_an_example_that_holds(self):
        for name, relation in TABLE.items():
            actual, expected = relation.example
            with self.subTest(name):
                data = {
                    "salt-path": 1,
                    "case": "x",
                    "steps": [
                        {
                            "request": "a",
                            "send": "GET http://h/",
                            "expect": [
                                {"of": "$.gone" if name == "absent" else "$", name: expected}
                            ],
                        }
                    ],
                }
                check = case_from_data(data).steps[0].expect[0]
                known = Scopes(Scope())
                known.measures = {check.sentence: actual}
                answer = Answer(200, b"", write_json(actual), 0)
                self.assertEqual(judge(check, answer, known).verdict, "passed")

    def test_every_subject_has_an_example_that_finds_something(self):
        xml = b'<r><cargo code="H1">herring</cargo></r>'
        known = Scopes(Scope(), case=Scope({"portCallId": "PC-20931"}))
        head = HEAD.replace(b"X-Count: 015", b"Location: /port-calls/PC-20931")
        for name, kind in KINDS.items():
            with self.subTest(name):
                seen = Answer(201, head, xml if name == "xpath" else BODY, 41_300, 30_000)
                self.assertTrue(find(read_subject(kind.example), seen, known).nodes, kind.example)

    def test_what_holds(self):
        for check in [
            "{ of: status, is: 201 }",
            "{ of: time, between: [41 ms, 42 ms] }",
            "{ of: size, below: 1 kB }",
            "{ of: type, is: application/json }",
            "{ of: header x-count, is: 15 }",
            "{ of: header X-Two, is one of: [a, b] }",
            '{ of: cookie desk, is: "a=b" }',
            "{ of: body, contains: East 4 }",
            "{ of: $.half, is: 0.3 }",
            "{ of: $.fee.total, is: 1318.4 }",
            "{ of: $.big, is: 9007199254740993 }",
            "{ of: $.none, is: null }",
            "{ of: $.none, present: true }",
            "{ of: $.nothing, absent: true }",
            "{ of: $.empty, empty: true }",
            "{ of: $.empty, count: 0 }",
            '{ of: "$.fee.lines[*].amount", above: 0 }',
            '{ of: "$.fee.lines[*].amount", is: 15, any: true }',
            "{ of: \"$.fee.lines[?@.code == 'TON'].amount\", is: 0.5 }",
            '{ of: "$..amount", count: 2 }',
            '{ of: "$.fee.lines[-1].code", is: TON }',
            '{ of: "$.fee.lines[0:1]", count: 1 }',
            '{ of: "$.fee.lines[?length(@.code) == 3].code", is: TON }',
            "{ of: $.fee.lines, kind: list }",
            "{ of: $.berth, is: { metres: 120.0, name: East 4 } }",
            "{ of: $.id | cut 3 to 8 | number, is: 20931 }",
            '{ of: "$.fee.lines[*].code", contains: T, any: true }',
        ]:
            with self.subTest(check):
                self.assertEqual(outcome(check).verdict, "passed", outcome(check))

    def test_the_body_is_its_document_where_structure_is_spoken_of(self):
        for check in [
            "{ of: body, fits: { id: '[?matches ^PC-]' } }",
            "{ of: body, schema: { type: object, required: [id] } }",
            "{ of: body, kind: object }",
            "{ of: body, count: { above: 3 } }",
            "{ of: body, contains: East 4 }",
            "{ of: body, starts with: '{' }",
        ]:
            with self.subTest(check):
                self.assertEqual(outcome(check).verdict, "passed", outcome(check))
        spoken = {
            name: relation.example[1] for name, relation in TABLE.items() if relation.of_document
        }
        self.assertEqual(
            set(spoken), {"fits", "fits exactly", "schema", "kind", "count", "unique", "sorted"}
        )
        for name, expected in spoken.items():
            with self.subTest(name):
                found = outcome(
                    f"{{ of: body, {name}: {write_json(expected).decode()} }}", b"nothing of it"
                )
                self.assertEqual(found.verdict, "failed")
                self.assertIn("the body is not JSON", str(found.why.sentence))
                self.assertTrue(found.check.startswith("body "))
        wrong = outcome("{ of: body, fits: { id: 5 } }")
        self.assertEqual((wrong.verdict, wrong.where), ("failed", ("$.id",)))

    def test_references_in_expectations_and_paths(self):
        self.assertEqual(
            outcome(
                '{ of: $.berth.metres, at least: "[=length]" }', length=Decimal("23.4")
            ).verdict,
            "passed",
        )
        self.assertEqual(
            outcome(
                '{ of: "$.fee.lines[?@.code == [=code]].amount", is: 15 }', code="QUAY"
            ).verdict,
            "passed",
        )
        self.assertEqual(
            outcome('{ of: "$.fee.lines[[=n]].code", is: TON }', n=1).verdict, "passed"
        )
        self.assertEqual(
            outcome('{ of: "$.fee.[=what]", is: FHC }', what="currency").verdict, "passed"
        )
        self.assertEqual(outcome("{ of: value length, above: 3 }", length=4).verdict, "passed")


VALUES = [
    "1",
    "1.0",
    "1e0",
    "15",
    "15.0",
    "0",
    "-3",
    "0.30",
    "0.3",
    "true",
    "false",
    "null",
    '""',
    '"15"',
    '"a"',
    "[]",
    "[1]",
    "{}",
    '{"a": 1}',
    "1e401",
    "1e-401",
    "0e999",
    "1" + "0" * 1200,
    "1." + "0" * 1200,
    "9007199254740993",
]


class Quickly(unittest.TestCase):
    """Most checks pass, and have a short way to it. It must never say more than the long one."""

    def check(self, of: str, relation: str, expected: str):
        case = (
            f'{{"salt-path": 1, "case": "x", "steps": [{{"request": "a", "send": "GET '
            f'http://h/", "expect": [{{"of": "{of}", "{relation}": {expected}}}]}}]}}'
        )
        return read_case(case).steps[0].expect[0]

    def test_it_agrees_with_the_long_way(self):
        quick, scopes = 0, Scopes(Scope())
        for relation in ("is", "above", "below", "at least", "at most", "present"):
            for expected in VALUES if relation != "present" else ["true"]:
                if len(expected) > 1000 or (
                    relation not in ("is", "present") and expected[0] not in "-0123456789"
                ):
                    continue
                check = self.check("$.at", relation, expected)
                for value in VALUES:
                    seen = answer(b'{"at": ' + value.encode() + b"}")
                    short = check.quick(seen.status, seen.json())
                    if short is not None:
                        quick += 1
                        with self.subTest(relation=relation, expected=expected, value=value):
                            long = judge(check, seen, scopes)
                            self.assertEqual(short, long)
                            self.assertEqual(write_json(short.actual), write_json(long.actual))
        self.assertGreater(quick, 100)

    def test_it_needs_a_document(self):
        for of, body in (
            ("$", b""),
            ("$", b"null"),
            ("$.a", b"no JSON"),
            ("$", b"{"),
            ("$[0]", b'"text"'),
        ):
            seen, check = answer(body), self.check(of, "is", "null")
            self.assertEqual(
                judge_all([check], seen, Scopes(Scope()))[0][0], judge(check, seen, Scopes(Scope()))
            )

    def test_the_verdict_of_all(self):
        good, bad = self.check("status", "is", "201"), self.check("status", "is", "404")
        for checks, verdict in (
            ([], "unchecked"),
            ([good], "passed"),
            ([good, bad], "failed"),
            ([bad], "failed"),
        ):
            self.assertEqual(judge_all(checks, answer(), Scopes(Scope()))[1], verdict)


class Failing(unittest.TestCase):
    def says(
        self, check: str, sentence: str, body: bytes = BODY, verdict: str = "failed", **values
    ):
        found = outcome(check, body, **values)
        self.assertEqual((found.verdict, found.why and found.why.sentence), (verdict, sentence))
        return found

    def test_did_you_mean(self):
        self.says("{ of: $.fee.totl, is: 1 }", "nothing at $.fee.totl; did you mean $.fee.total?")
        self.says(
            "{ of: $.berth.length, is: 1 }",
            "nothing at $.berth.length; $.berth has name and metres",
        )
        self.says(
            "{ of: $.currency, is: FHC }", "nothing at $.currency; did you mean $.fee.currency?"
        )
        self.says(
            '{ of: "$.fee.lines[7]", is: 1 }',
            "nothing at $.fee.lines[7]; $.fee.lines is a list of 2",
        )
        self.says("{ of: $.id.x, is: 1 }", "nothing at $.id.x; $.id is “PC-20931”")
        self.says(
            "{ of: header Content-Typ, is: x }",
            "the answer has no header Content-Typ; did you mean Content-Type?",
        )

    def test_kinds_are_strict_and_said(self):
        self.says("{ of: $.text15, is: 15 }", "was “15”, text; expected 15, an integer")
        self.says(
            "{ of: $.text15, above: 3 }", "was “15”, text; only a number can be compared with 3"
        )
        self.says(
            "{ of: $.big, contains: 9 }", "was 9007199254740993, an integer; contains needs text"
        )

    def test_numbers_are_exact(self):
        self.says(
            "{ of: $.big, is: 9007199254740992 }", "was 9007199254740993, expected 9007199254740992"
        )
        self.says("{ of: $.fee.total, at most: 1318.39 }", "was 1318.40, expected at most 1318.39")
        self.assertEqual(
            outcome("{ of: $.a, is: 0.3 }", b'{"a": 0.30000000000000004}').verdict, "failed"
        )

    def test_several_nodes_name_the_offending_places(self):
        found = self.says('{ of: "$.fee.lines[*].amount", above: 1 }', "was 0.5, expected above 1")
        self.assertEqual(found.where, ("$.fee.lines[1].amount",))
        self.says(
            '{ of: "$.fee.lines[*].amount", above: 99, any: true }',
            "none of 2 places holds; the first: was 15, expected above 99",
        )

    def test_units(self):
        self.says("{ of: time, below: 41 ms }", "was 41 ms, expected below 41 ms")
        self.says("{ of: time, below: 2 us }", "was 41 ms, expected below 2 us")

    def test_structures_say_where_they_differ(self):
        self.says(
            "{ of: $.berth, is: { name: East 4, metres: 121 } }",
            "differs at .metres: was 120, expected 121",
        )

    def test_bodies_that_are_not_json(self):
        marked_up = (
            "the body is not JSON: it begins with <, as XML and HTML do; XPath looks into "
            "XML, such as //name"
        )
        self.says("{ of: $.a, is: 1 }", marked_up, b"<html>")
        self.says(
            "{ of: $.a, is: 1 }", "the body is not JSON: invalid character (byte 0)", b"id: 1"
        )
        self.says(
            "{ of: $.a, absent: true }", "the body is empty, so there is nothing to read at $", b""
        )
        self.says("{ of: body, contains: x }", "the body is not text in utf-8", b"\xff\xfe")

    def test_what_blocks(self):
        self.says(
            "{ of: $.id, matches: '[=p]' }",
            "the pattern ( cannot be read: missing ) at position 1",
            verdict="blocked",
            p="(",
        )
        self.says(
            "{ of: $.big, above: '[=x]' }",
            "“many” is text; above needs a number",
            verdict="blocked",
            x="many",
        )
        self.says(
            "{ of: $.n, above: 3 }",
            "a number with more than 1,000 digits or an exponent beyond 400 is not compared",
            b'{"n": 1e401}',
            "blocked",
        )
        self.says(
            "{ of: $.id, is: '[=gone]' }",
            "there is no value gone; looked in run, kept, row, case, suite and project",
            verdict="blocked",
        )

    def test_patterns_and_paths_that_backtrack_for_ever_end(self):
        body = b'{"s": "' + b"a" * 60 + b'!", "l": [' + b",".join([b'{"k":1}'] * 3000) + b"]}"
        for check in [
            "{ of: $.s, matches: '^(a|aa)+$' }",
            "{ of: \"$..[?count($..k) > 1 && match(@.s, '(a|aa)+')]\", count: 1 }",
        ]:
            with self.subTest(check):
                begun = time.monotonic()
                self.assertEqual(outcome(check, body).verdict, "blocked")
                self.assertLess(
                    time.monotonic() - begun,
                    10,
                    "200 ms, and what a slow machine adds; without a limit it is hours",
                )

    def test_no_relation_shows_bare_microseconds_or_bytes(self):
        for unit, actual in (("duration", 7_654_321), ("size", 7_654_321)):
            for name, relation in TABLE.items():
                measured = "3 ms" if unit == "duration" else "3 kB"
                expected = [
                    relation.example[1],
                    measured,
                    [measured, measured],
                    str(actual),
                    False,
                    "text",
                    {},
                ]
                for value in expected:
                    with self.subTest(unit=unit, relation=name, expected=value):
                        try:
                            problem = relation.judge(actual, value, Setting(unit))
                        except (
                            Blocked,
                            ValueError,
                            TypeError,
                            KeyError,
                            IndexError,
                            AttributeError,
                        ):
                            continue  # what a reader refuses for such a relation
                        if problem is not None and value != str(actual) and name not in WHOLE:
                            self.assertNotIn(str(actual), problem.sentence)


class Verdicts(unittest.TestCase):
    def test_advice_and_switched_off_checks_do_not_count(self):
        advice = outcome("{ of: status, is: 1, advice: true }")
        off = outcome("{ of: status, is: 1, off: true }")
        good = outcome("{ of: status, is: 201 }")
        self.assertEqual((advice.verdict, off.verdict), ("failed", "skipped"))
        self.assertEqual(verdict_of([advice, off]), "unchecked")
        self.assertEqual(verdict_of([advice, off, good]), "passed")

    def test_big_numbers_survive_reading(self):
        value = read_json(b"[1" + b"0" * 5000 + b", 1318.40, 9007199254740993]")
        self.assertEqual((str(value[1]), value[2]), ("1318.40", 9007199254740993))
        self.assertEqual(str(read_json(b"1.5e999999999999999999")), "1.5E+999999999999999999")
        for text in (
            b"1e99999999999999999999",
            b"[1e-99999999999999999999]",
            b"-1.5e1000000000000000000",
        ):
            with self.subTest(text), self.assertRaisesRegex(NotPlain, "exponent"):
                read_json(text)
