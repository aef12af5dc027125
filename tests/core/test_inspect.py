"""What is wrong with a case before it runs, and how it reads."""

import unittest

from saltpath.core.assist.inspect import inspect, surroundings
from saltpath.core.assist.outline import outline
from saltpath.core.cases.case import NamedValues
from saltpath.core.format.reader import read_case

CASE = """\
salt-path: 1
case: x
values: { apiToken: abc, unused: 1 }
steps:
  - request: Read it
    send: GET [=harbour]/port-calls/[=portCallId]
    expect: [ { of: status, is: 200 } ]
  - request: Ask
    send: POST http://10.0.0.1/port-calls
    headers: { Authorization: Bearer abc }
    expect: [ { of: $.id, is: "[=portCallId]" } ]
    keep: { portCallId: $.id, never: $.x }
  - request: Nothing checked
    send: GET [=harbor]/[=portCallId]
  - set: { twice: "[=portCallId]-[=row.number]" }
"""


def findings(text: str = CASE) -> list[tuple[str, str]]:
    around = surroundings(
        ["given"], None, NamedValues({"harbour": "x"}), [NamedValues({"weather": "y"})]
    )
    return [(finding.why.code, finding.step) for finding in inspect(read_case(text), around)]


class Findings(unittest.TestCase):
    def test_everything_that_is_wrong(self):
        self.assertEqual(
            findings(),
            [
                ("secret-in-text", ""),
                ("used-before-kept", "Read it"),
                ("own-answer", "Ask"),
                ("hard-coded-address", "Ask"),
                ("secret-in-text", "Ask"),
                ("kept-nowhere", "Nothing checked"),
                ("no-checks", "Nothing checked"),
                ("unused-keep", "Ask"),
            ],
        )

    def test_the_sentence_names_the_step(self):
        around = surroundings([], None, NamedValues({"harbour": "x"}), [])
        found = [f.sentence for f in inspect(read_case(CASE), around)]
        self.assertIn("portCallId is used here, and kept only later, in step 2 (Ask)", found)
        self.assertIn("there is no value harbor; did you mean harbour?", found)

    def test_a_sound_case_has_none(self):
        self.assertEqual(
            findings(
                'salt-path: 1\ncase: x\nsteps: [ { request: a, send: "GET [=weather]/[=given]", '
                "expect: [ { of: status, is: 200 } ] } ]"
            ),
            [],
        )


class Outline(unittest.TestCase):
    def test_threads_and_pieces(self):
        shown = outline(read_case(CASE))
        self.assertEqual(
            shown["threads"],
            [
                {"name": "portCallId", "from": 2, "to": [3, 4], "broken": False},
                {"name": "portCallId", "from": 2, "to": [1], "broken": True},
            ],
        )
        self.assertEqual(
            shown["steps"][0]["send"]["address"],
            [
                {"text": "[=harbour]", "name": "harbour"},
                {"text": "/port-calls/"},
                {"text": "[=portCallId]", "name": "portCallId"},
            ],
        )
        self.assertEqual(shown["steps"][1]["keep"][0]["to"], [3, 4])
        self.assertEqual(shown["steps"][3]["set"][0]["name"], "twice")
