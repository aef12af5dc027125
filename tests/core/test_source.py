"""What a text means: YAML 1.2 core, JSON, and everything that is refused with its line."""

import unittest
from decimal import Decimal

from saltpath.core.format.nodes import FormatError
from saltpath.core.format.source import read_source


def data(text: str):
    return read_source(text).root.data()


class Scalars(unittest.TestCase):
    def test_plain_scalars_are_what_they_look_like(self):
        read = data(
            "a: no\nb: 12:30:45\nc: 2026-01-01\nd: 010\ne: 0x1F\nf: 0o17\ng: ~\nh: true\ni: off\n"
            "j: 1_000"
        )
        self.assertEqual(
            read,
            {
                "a": "no",
                "b": "12:30:45",
                "c": "2026-01-01",
                "d": 10,
                "e": 31,
                "f": 15,
                "g": None,
                "h": True,
                "i": "off",
                "j": "1_000",
            },
        )

    def test_numbers_keep_their_text(self):
        read = data("a: 1318.40\nb: 0.30\nc: 9007199254740993\nd: 1e3")
        self.assertEqual(str(read["a"]), "1318.40")
        self.assertEqual(str(read["b"]), "0.30")
        self.assertEqual(read["c"], 9007199254740993)
        self.assertIsInstance(read["d"], Decimal)

    def test_json_is_read_where_yaml_is(self):
        self.assertEqual(
            data('{"a": [1, 2.50, "x", null, true], "b": {}}'),
            {"a": [1, Decimal("2.50"), "x", None, True], "b": {}},
        )

    def test_comments_belong_to_what_follows(self):
        source = read_source(
            "# first\na: 1\nlist:\n  # second\n  - x: 1\n    # third\n    y: 2\ntext: |\n  # not "
            "one\n  word\n"
        )
        self.assertEqual(
            source.comments, {"a": ["# first"], "list[0]": ["# second"], "list[0].y": ["# third"]}
        )


class Refusals(unittest.TestCase):
    def refused(self, text: str, line: int, words: str):
        with self.assertRaises(FormatError) as caught:
            read_source(text)
        problem = caught.exception.problems[0]
        self.assertIn(words, problem.sentence)
        self.assertEqual(problem.line, line, problem)

    def test_yaml_that_the_format_leaves_out(self):
        self.refused("a: &x 1\n", 1, "anchor")
        self.refused("a: 1\nb: *x\n", 2, "alias")
        self.refused("a: !!str 1\n", 1, "tag")
        self.refused("a:\n  <<: {b: 1}\n", 2, "merge key")
        self.refused("a: 1\n---\nb: 2\n", 2, "second document")
        self.refused("a: 1\nb: .inf\n", 2, "not a number")
        self.refused("a:\nb: 1\n", 1, "missing")
        self.refused("", 1, "empty")
        self.refused("\ta: 1\n", 1, "tab")

    def test_doubled_keys(self):
        self.refused("a: 1\nb: 2\na: 3\n", 3, "stands twice, first in line 1")
        self.refused('{"a": 1,\n "a": 2}', 2, "stands twice")

    def test_references_without_quotes(self):
        self.refused("a: [=x]\n", 1, "put in quotes")
        self.refused("a: 1\nb: [?uuid]\n", 2, "quotes")
        self.refused("a: =x\n", 1, "quotes")
        self.refused("- { of: $.a, is: [=x | text] }\n", 1, "quotes")
        self.refused("of: $.a #b\n", 1, "quotes")

    def test_json_says_where(self):
        self.refused('{"a": 1,\n "b": }', 2, "expected a value")
        self.refused('{"a": 1\n "b": 2}', 2, "expected , or }")
        self.refused("[1, 2]x", 1, "expected the end")

    def test_nesting_has_an_end(self):
        self.refused("[" * 5000 + "]" * 5000, 1, "nested deeper")
        self.refused("a: " + "[" * 5000, 1, "nested deeper")
