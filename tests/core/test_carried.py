"""Comments of a file when its document was edited as data: they stay with the step and the check they stand above."""

import unittest

from saltpath.core.format.carried import carried


def step(key: str, *checks: str) -> dict:
    return {
        "request": key,
        "key": key,
        "send": "GET http://h/",
        "expect": [{"of": check, "present": True} for check in checks],
    }


class Carried(unittest.TestCase):
    BEFORE = {"case": "x", "steps": [step("a", "$.x", "$.y"), step("b")], "afterwards": [step("c")]}
    COMMENTS = {
        "case": ["# the case"],
        "steps[0]": ["# first"],
        "steps[0].expect[1]": ["# why"],
        "steps[1].send": ["# how"],
        "afterwards[0]": ["# last"],
    }

    def after(self, steps: list, afterwards: list) -> dict:
        return carried(self.BEFORE, {"case": "x", "steps": steps, "afterwards": afterwards}, self.COMMENTS)

    def test_nothing_changed(self):
        self.assertEqual(carried(self.BEFORE, self.BEFORE, self.COMMENTS), self.COMMENTS)

    def test_steps_moved_also_to_another_part(self):
        moved = self.after([step("b"), step("new")], [step("a", "$.x", "$.y"), step("c")])
        self.assertEqual(
            moved,
            {
                "case": ["# the case"],
                "afterwards[0]": ["# first"],
                "afterwards[0].expect[1]": ["# why"],
                "steps[0].send": ["# how"],
                "afterwards[1]": ["# last"],
            },
        )

    def test_checks_moved_changed_and_gone(self):
        self.assertIn("steps[0].expect[0]", self.after([step("a", "$.y", "$.x"), step("b")], [step("c")]))
        self.assertIn("steps[0].expect[1]", self.after([step("a", "$.x", "$.changed"), step("b")], [step("c")]))
        gone = self.after([step("a", "$.x"), step("b")], [step("c")])
        self.assertEqual([path for path in gone if "expect" in path], [])

    def test_what_is_gone_takes_its_comments_along(self):
        self.assertEqual(self.after([], []), {"case": ["# the case"]})
        self.assertEqual(
            carried(self.BEFORE, {"case": "x", "steps": "no list"}, self.COMMENTS), {"case": ["# the case"]}
        )
