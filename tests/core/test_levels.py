"""What a folder says reaches the suites in it, and the nearest wins: held against a plain model, on
folders in folders drawn at random."""

import random
import unittest
from typing import Any

from msgspec.structs import replace

from saltpath.core.cases.case import NamedValues, Project, Suite
from saltpath.core.format.project import read_suite
from saltpath.core.format.reader import read_case
from saltpath.core.running.compiled import compiled
from saltpath.core.running.inherited import options_of, scope_of_suite, values_of_suite
from saltpath.core.running.supplies import Kept

NAMES = "abcd"
CASE = "salt-path: 1\ncase: C\nsteps:\n  - { request: R, send: GET http://x/ }\n"


class Levels(unittest.TestCase):
    def test_the_nearest_value_wins(self) -> None:
        counted = 0
        for number in range(400):
            draw = random.Random(number)
            suite: Suite | None = None
            handed: dict[int, Kept] = {}
            wanted: dict[str, tuple[Any, bool]] = {}
            for depth in range(draw.randint(1, 4)):
                suite, kept = self.level(draw, depth, suite, wanted)
                if kept.values:
                    handed[id(suite)] = kept
            scope = scope_of_suite(suite, "Live", {"a": "plan's"}, handed)
            values = {name: value for name, (value, _) in wanted.items() if value is not None}
            secret = {name for name, (_, hidden) in wanted.items() if hidden}
            self.assertEqual((scope.values, scope.secret), (values, secret), number)
            assert suite is not None
            held = {name for one in values_of_suite(suite) for name in (*one.values, *one.secret)}
            self.assertLessEqual(set(wanted) - set("xyz"), held)
            counted += len(values)
        print(f"counted: {counted} values of 400 suites in folders are the nearest ones")

    def level(
        self,
        draw: random.Random,
        depth: int,
        within: Suite | None,
        wanted: dict[str, tuple[Any, bool]],
    ) -> tuple[Suite, Kept]:
        """One more level, and in `wanted` what the names read as there, by hand."""
        plain = {name: f"{depth}{name}" for name in NAMES if draw.random() < 0.4}
        hidden = {name for name in NAMES if name not in plain and draw.random() < 0.2}
        there = {name: f"{depth}{name} there" for name in NAMES if draw.random() < 0.2}
        elsewhere = {name: "elsewhere" for name in NAMES if draw.random() < 0.2}
        sealed = {name: f"{depth}{name} sealed" for name in hidden if draw.random() < 0.7}
        suite = Suite(
            str(depth),
            values=NamedValues(plain, frozenset(hidden)),
            values_in={"Live": NamedValues(there), "Other": NamedValues(elsewhere)},
            secrets=sealed,
            within=within,
        )
        wanted.update({name: (value, False) for name, value in plain.items()})
        for name in hidden:
            wanted[name] = (sealed.get(name, "plan's" if name == "a" else None), True)
        wanted.update({name: (value, False) for name, value in there.items()})
        down = {name: f"{depth}{name} kept" for name in "xyz" if draw.random() < 0.3}
        secret = frozenset(name for name in down if draw.random() < 0.5)
        wanted.update({name: (value, name in secret) for name, value in down.items()})
        return suite, Kept(down, secret)

    def test_sign_in_checks_options_and_tags(self) -> None:
        outer = read_suite(
            "salt-path: 1\nsuite: Port\ntags: [port, nightly]\nauth: { bearer: outer }\n"
            "options: { timeout: 3 s, retries: 2 }\n"
            "every answer: [ { of: status, below: 500, note: no fault } ]\n"
        )
        inner = read_suite(
            "salt-path: 1\nsuite: Quay\ntags: [quay]\noptions: { timeout: 1 s }\n"
            "every answer: [ { of: time, below: 9 s } ]\n"
        )
        inner = replace(inner, within=outer)
        case = read_case(CASE)
        planned = compiled(case, inner, "suites/port/quay/c.case.yaml", Project("P"))
        [step] = planned.case.steps
        self.assertEqual(step.signed_by, "suite")
        self.assertEqual(
            [(origin, item.sentence) for origin, item in step.inherited],
            [("suite", "status is below 500"), ("suite", "time is below 9 s")],
        )
        options = options_of(Project("P"), inner, case)
        self.assertEqual((options.timeout_us, options.retries), (1_000_000, 2))
        self.assertEqual(inner.every_tag, {"port", "nightly", "quay"})
        without = read_suite("salt-path: 1\nsuite: Quay\nauth: none\n")
        [bare] = compiled(case, replace(without, within=outer)).case.steps
        self.assertIsNone(bare.auth, "a suite excepts itself from what its folder says")


if __name__ == "__main__":
    unittest.main()
