"""The tree of errors: whatever is raised for people has one root, a code of its own, and reads as a
whole sentence."""

import ast
import unittest

from saltpath.core.format.nodes import FormatError, Problem
from saltpath.core.values.errors import SaltPathError
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.why import Blocked, why
from tests.core.test_counts import trees

INSIDE = {
    "engine/client.py: Aborted": "an exchange that is given up; caught where it was begun",
    "core/paths/time_limit.py: TimeUp": "the end of a time limit, which becomes TooSlow",
    "core/paths/offloading.py: Slow": "a question handed to another process; never an answer",
    "demo/harbour/port.py: Refusal": "the harbour's own, which knows nothing of Salt Path",
    "cli/calls.py: NotUnderstood": "click's, which writes it to the terminal",
    "core/values/errors.py: SaltPathError": "the root",
    "server/listening.py: _NotYet": "what came is no whole record; read on when more has come",
}
"""Exceptions that are no error of somebody's, and why."""


class Errors(unittest.TestCase):
    def test_all_have_one_root(self):
        kinds: dict[str, tuple[str, list[str]]] = {}
        for name, _, tree in trees():
            for node in ast.walk(tree):
                if isinstance(node, ast.ClassDef):
                    bases = [ast.unparse(base).rpartition(".")[2] for base in node.bases]
                    kinds[f"{name}: {node.name}"] = (node.name, bases)
        rooted, known, before = {"SaltPathError"}, set(INSIDE), 0
        while before != len(rooted):
            before = len(rooted)
            rooted |= {name for name, bases in kinds.values() if rooted & set(bases)}
        for place, (name, bases) in kinds.items():
            is_error = any(base.endswith(("Error", "Exception")) for base in bases)
            if is_error and name not in rooted:
                self.assertIn(place, known)
        self.assertEqual(known - set(kinds), set(), "there is no such class any more")

    def test_a_text_becomes_a_whole_sentence(self):
        for error, sentence in (
            (Unreadable("a time is missing"), "A time is missing."),
            (Unreadable("Did you mean 5 s?"), "Did you mean 5 s?"),
            (Unreadable("“x” is no time"), "“x” is no time."),
            (Blocked(why("empty-list", of="$.a")), "$.a holds no item."),
            (FormatError([Problem("no steps", 3)]), "Line 3: no steps."),
            (SaltPathError(""), "."),
        ):
            self.assertEqual(error.sentence, sentence)
            self.assertTrue(error.code)


if __name__ == "__main__":
    unittest.main()
