"""What a failure is a case of: one cause keeps one signature whatever its values, two causes never
share one."""

import random
import unittest
from typing import Any

from saltpath.core.cases.case import Case
from saltpath.core.cases.shared import linked
from saltpath.core.checks.outcome import Outcome
from saltpath.core.format.reader import case_from_data
from saltpath.core.running.causes import (
    Failure,
    failure_of,
    failure_without_step,
    follows,
)
from saltpath.core.running.events import RowFinished, StepFinished
from saltpath.core.values.why import said

STEP = {"send": "GET http://h/", "expect": [{"of": "status", "is": 200}]}
SIGN_IN = case_from_data(
    {
        "salt-path": 1,
        "shared": "Sign in",
        "key": "sharedsign",
        "steps": [
            {"request": "Ask for a token", "key": "askfor", **STEP},
            {"request": "Say who it is", "key": "saywho", **STEP},
        ],
    }
)


def case(key: str) -> Case:
    """Its first step is shared by all, the second has two steps for each of a list."""
    inner = [{"request": "Read one", "key": "readit", **STEP}, {"wait": "1 ms", "key": "pause1"}]
    document = {
        "salt-path": 1,
        "case": f"Case {key}",
        "key": key,
        "steps": [
            {"shared": "sign-in", "key": "signin"},
            {"for each": "[=kept.all]", "as": "one", "key": "eachof", "steps": inner},
            {"request": "Confirm", "key": "confir", **STEP},
        ],
    }
    return linked(case_from_data(document), {"sign-in": SIGN_IN})


def outcome(check: str, code: str, place: str, actual: Any) -> Outcome:
    reason = said(code, actual=str(actual), expected="7")
    return Outcome("failed", check, "7", actual, (place,) if place else (), reason, of="$.a")


def ended(
    where: tuple[int, str], outcomes: tuple[Outcome, ...], status: int = 200, **more: Any
) -> StepFinished:
    step, inner = where
    facts = {
        "at": 1,
        "case": 0,
        "row": 1,
        "part": "steps",
        "step": step,
        "key": "",
        "name": "",
        "kind": "request",
        "verdict": "failed",
        "why": outcomes[0].why if outcomes else None,
        "us": 1,
        "status": status,
        "exchanges": (),
        "outcomes": outcomes,
        "kept": {},
        "used": {},
        "inner": inner,
    }
    return StepFinished(**{**facts, **more})


WHERE = [(0, "0"), (0, "1"), (1, "{item}.0"), (2, "")]
CHECKS = ["status is 200", "$.fee.total is [=fee]", "$.lines[*].amount is above 0"]
CODES = ["is-not", "nothing-there", "of-kind"]
PLACES = ["", "$.fee.total", "$.lines[{item}].amount", "$.lines[{item}].code"]
STATUSES = [200, 201, 401, 500]


def at_random(chance: random.Random) -> tuple[Any, ...]:
    """What makes a cause: never a value."""
    picked = [chance.choice(list_) for list_ in (CHECKS, CODES, PLACES)]
    status = chance.choice(STATUSES)
    where = chance.choice(WHERE)
    # in shared steps it is the same cause, whichever case uses them
    of = "shared" if where[0] == 0 else chance.choice(["case000001", "case000002"])
    return of, where, *picked, status if status >= 400 else 200


def made(cause: tuple[Any, ...], chance: random.Random) -> Failure:
    """One failure of a cause, with values at random."""
    of, (step, inner), check, code, place, status = cause
    key = chance.choice(["case000001", "case000002"]) if of == "shared" else of
    item = chance.randrange(50)
    value = outcome(check, code, place.format(item=chance.randrange(9)), chance.random())
    ok = Outcome("passed", "time is below 1 s")
    event = ended((step, inner.format(item=item)), (ok, value), status, row=chance.randrange(99))
    found = failure_of(event, case(key))
    assert found is not None
    return found


class Causes(unittest.TestCase):
    def test_at_random_one_cause_is_one_and_two_are_two(self):
        chance = random.Random(20261201)
        joined = 0
        for number in range(400):
            one, other = at_random(chance), at_random(chance)
            if number % 2:
                other = one
            first, second = made(one, chance), made(other, chance)
            with self.subTest(one=one, other=other):
                self.assertEqual(first.signature == second.signature, one == other)
                self.assertNotIn("0.", "".join(first.checks) + first.place)
            joined += one == other
        self.assertGreater(joined, 190)

    def test_a_group_leads_to_its_check_and_any_of_stands_for_itself(self):
        bad = outcome("$.a is 1", "is-not", "$.a", 3)
        good = Outcome("passed", "$.b is 1")
        when = Outcome("failed", "$.c is 1", role="when")
        for kind, wanted in [
            ("all of", ("the group", "$.a is 1")),
            ("when", ("the group", "$.a is 1")),
            ("any of", ("the group",)),
        ]:
            group = Outcome("failed", "the group", parts=(when, good, bad), relation=kind)
            failure = failure_of(ended((2, ""), (good, group)), case("case000001"))
            self.assertEqual(failure.checks if failure else None, wanted, kind)

    def test_advice_and_skipped_checks_are_not_to_blame(self):
        advice = Outcome("failed", "time is below 1 s", advice=True)
        bad = outcome("$.a is 1", "is-not", "$.a", 3)
        failure = failure_of(ended((2, ""), (advice, bad)), case("case000001"))
        self.assertEqual(failure.checks if failure else None, ("$.a is 1",))

    def test_who_holds_a_step_that_failed_is_no_cause_of_its_own(self):
        bad = said("inside", step="Ask for a token", problem="status was 401, expected 200")
        self.assertIsNone(failure_of(ended((0, ""), (), why=bad), case("case000001")))
        gone = said("no-shared", name="sign-in", near="")
        found = failure_of(ended((0, ""), (), why=gone, verdict="blocked"), case("case000001"))
        self.assertEqual(found.code if found else "", "no-shared")
        for verdict in ("passed", "skipped", "unchecked"):
            self.assertIsNone(failure_of(ended((2, ""), (), verdict=verdict), case("case000001")))

    def test_a_host_that_does_not_answer_is_one_cause_for_all(self):
        def blocked(where: tuple[int, str], key: str, port: int) -> str:
            why = said("refused", host="harbour", port=port)
            found = failure_of(ended(where, (), why=why, verdict="blocked"), case(key))
            return found.signature if found else ""

        one = blocked((2, ""), "case000001", 80)
        self.assertEqual(one, blocked((0, "1"), "case000002", 80))
        self.assertNotEqual(one, blocked((2, ""), "case000001", 81))

    def test_of_two_values_that_are_missing_each_is_a_cause_and_may_only_follow(self):
        def missing(name: str) -> Failure | None:
            why = said("no-value", name=name, scopes="kept", near="")
            return failure_of(ended((2, ""), (), why=why, verdict="blocked"), case("case000001"))

        one, other = missing("id"), missing("token")
        assert one is not None and other is not None
        self.assertNotEqual(one.signature, other.signature)
        self.assertTrue(follows(one))

    def test_a_row_that_never_came_to_a_step(self):
        why = said("cell-unfit", column="length", actual="“x”", kind="number")
        row = RowFinished(1, 0, 3, "blocked", why, 1)
        found = failure_without_step(row, case("case000001"))
        other = said("cell-unfit", column="length", actual="“y”", kind="number")
        same = failure_without_step(RowFinished(1, 0, 4, "blocked", other, 1), case("case000001"))
        assert found is not None and same is not None
        self.assertEqual((found.step, found.signature), ("", same.signature))
        self.assertIsNone(
            failure_without_step(RowFinished(1, 0, 3, "passed", None, 1), case("case000001"))
        )


if __name__ == "__main__":
    unittest.main()
