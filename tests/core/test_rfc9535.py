"""JSONPath against RFC 9535: the public compliance suite, and our own shapes against the library on
generated documents.

In the suite the second has three seconds; `python -m tests.core.test_rfc9535` compares all
100,000."""

import json
import random
import sys
import time
import unittest
from decimal import Decimal
from pathlib import Path

from saltpath.core.answers.answer import Answer
from saltpath.core.answers.subjects import find, read_subject
from saltpath.core.paths import jsonpath, jsonpath_library
from saltpath.core.references.scopes import Scope, Scopes
from saltpath.core.values import plain

SUITE = Path(__file__).resolve().parents[2] / "web/node_modules/jsonpath-rfc9535"
GENERATED = 100_000


def suite() -> list[dict]:
    file = next(SUITE.rglob("cts.json"), None)
    if file is None:
        raise unittest.SkipTest("the suite comes with the front-end packages: make setup")
    return json.loads(file.read_text(encoding="utf-8"))["tests"]


class Compliance(unittest.TestCase):
    def test_every_case_of_the_suite(self):
        cases = suite()
        wrong = [case["name"] for case in cases if not self.right(case)]
        print(
            f"counted: RFC 9535, {len(cases) - len(wrong)} of {len(cases)} cases are answered "
            "rightly",
            file=sys.__stdout__,
        )
        self.assertEqual(wrong, [])
        self.assertGreaterEqual(len(cases), 687)

    def right(self, case: dict) -> bool:
        """As a tester's check reads it: by a subject, from an answer's body."""
        try:
            if case["selector"] != case["selector"].strip():
                raise ValueError  # a subject's text is trimmed, a path's is not
            subject = read_subject(case["selector"])
            if subject.kind != "path" or subject.pipes:
                raise ValueError
        except ValueError:
            try:  # what is no subject must be no path either
                jsonpath.read_path(case["selector"])
            except jsonpath.PathError:
                return bool(case.get("invalid_selector"))
            return False
        if case.get("invalid_selector"):
            return False
        body = json.dumps(case["document"]).encode()
        found = find(subject, Answer(200, b"", body, 0), Scopes(Scope()))
        values = [_plain(value) for _, value in found.nodes]
        return any(_same(values, result) for result in case.get("results", [case.get("result")]))


def _plain(value):
    if isinstance(value, Decimal):
        return float(value)
    if isinstance(value, list):
        return [_plain(item) for item in value]
    return {key: _plain(item) for key, item in value.items()} if isinstance(value, dict) else value


def _same(left, right) -> bool:
    return json.dumps(left, sort_keys=True) == json.dumps(right, sort_keys=True) or left == right


class Generated(unittest.TestCase):
    """Documents and paths made from a seed: our shapes give what the library gives, for as long as
    there is time."""

    NAMES = ("a", "b", "id", "odd name", "ø")

    def document(self, chance: random.Random, depth: int = 0):
        kind = chance.random()
        if depth < 4 and kind < 0.35:
            return {
                name: self.document(chance, depth + 1)
                for name in chance.sample(self.NAMES, chance.randrange(1, 5))
            }
        if depth < 4 and kind < 0.6:
            return [self.document(chance, depth + 1) for _ in range(chance.randrange(0, 5))]
        return chance.choice(
            [None, True, False, 0, 1, -1, 7, Decimal("1.5"), Decimal("7.0"), "", "a", "b", "PC-1"]
        )

    def path(self, chance: random.Random) -> str:
        text = "$"
        for _ in range(chance.randrange(1, 5)):
            name = chance.choice(self.NAMES)
            quoted = f"['{name}']"
            short = f".{name}" if name.isidentifier() else quoted
            operator = chance.choice(["==", "!=", "<", "<=", ">", ">="])
            value = chance.choice(
                ["1", "-1", "7", "1.5", "'a'", "'PC-1'", "null", "true", "false", "''"]
            )
            within = chance.choice(["@", f"@{short}", f"@{quoted}", f"@{short}.id"])
            text += chance.choice(
                [
                    short,
                    short,
                    quoted,
                    f"[{chance.randrange(-3, 4)}]",
                    "[*]",
                    ".*",
                    f"..{name}" if name.isidentifier() else f"..{quoted}",
                    f"[?{within}{operator}{value}]",
                    f"[?{within} {operator} {value}]",
                    f"[?{within}]",
                ]
            )
        return text

    def test_a_place_exists_whatever_stands_there(self):
        document = [0, 1, "", None, False, [], {}]
        self.assertEqual(
            [node.value for node in jsonpath.read_path("$[?@]").nodes(document)], document
        )

    def test_ours_agree_with_the_library(self, limit_s: float = 3.0):
        chance = random.Random(9535)
        begun, compared, ours = time.monotonic(), 0, 0
        while compared < GENERATED and time.monotonic() - begun < limit_s:
            document = self.document(chance)
            for _ in range(40):
                text = self.path(chance)
                path = jsonpath.read_path(text)
                compared += 1
                # the library leaves 0, "" and false out there
                if path.library is not None or "[?@]" in text:
                    continue
                ours += 1
                try:
                    mine = [(node.location, node.value) for node in path.nodes(document)]
                except jsonpath.PathTimeout:
                    continue  # the machine stood still for so long
                theirs = [
                    (node.location, node.value)
                    for node in jsonpath_library.compile_path(text).find(document)
                ]
                if "*" in text or ".." in text:  # the order of members is free (RFC 9535, 2.3.2.2)
                    mine, theirs = sorted(mine, key=repr), sorted(theirs, key=repr)
                self.assertEqual(mine, theirs, f"{text} on {plain.write_json(document)!r}")
        print(
            f"counted: RFC 9535, {ours} of {compared} generated paths are ours, and agree with "
            "the library",
            file=sys.__stdout__,
        )
        self.assertGreater(ours, compared // 2)
        self.assertGreater(compared, 400)


if __name__ == "__main__":
    Compliance().test_every_case_of_the_suite()
    Generated().test_ours_agree_with_the_library(600)
