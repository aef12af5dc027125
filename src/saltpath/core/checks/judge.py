"""Judging: a check against an answer gives an outcome; a list of outcomes gives a step's verdict."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from decimal import Decimal
from typing import Any

import msgspec

from saltpath.core import plain
from saltpath.core.answer import Answer
from saltpath.core.case import Check
from saltpath.core.checks.relations import TABLE, Setting
from saltpath.core.jsonpath import MISSING
from saltpath.core.scopes import Scopes
from saltpath.core.subjects import Found, find
from saltpath.core.verdicts import Verdict
from saltpath.core.why import Blocked, Why, why

_SETTINGS = {source: Setting(source) for source in ("json", "text", "duration", "size")}
MOST_PLACES = 20
_UNREADABLE = ("not-json", "not-text", "empty-body")


class Outcome(msgspec.Struct, frozen=True, gc=False):
    """What became of one check. `where` holds the exact location of each offending node (the first 20)."""

    verdict: Verdict
    check: str
    expected: Any = None
    actual: Any = None
    where: tuple[str, ...] = ()
    why: Why | None = None
    advice: bool = False
    note: str = ""

    @property
    def counts(self) -> bool:
        """Whether it counts for the step's verdict: advice is shown, and never counts."""
        return not self.advice and self.verdict != "skipped"


def judge_all(checks: Iterable[Check], answer: Answer, scopes: Scopes) -> tuple[tuple[Outcome, ...], Verdict]:
    """The outcome of each check, and the verdict that they make together.

    What a quick test says yes to (most checks, most of the time) is passed at once. Raises Blocked if the body is nested
    too deeply, which blocks the step whoever asks."""
    document = answer.json() if answer.looks_json else MISSING
    status = answer.status
    outcomes: list[Outcome] = []
    all_quick = True
    for check in checks:
        quick = check.quick
        outcome = None if quick is None else quick(status, document)
        if outcome is None:
            all_quick = False
            outcome = judge(check, answer, scopes)
        outcomes.append(outcome)
    return tuple(outcomes), "passed" if all_quick and outcomes else verdict_of(outcomes)


def quickly(check: Check) -> Check:
    """The check with its `quick` way to pass, if there is one. Advice has none: it never counts."""
    of, expected, test = check.of, check.expected, TABLE[check.relation].quick(check.expected)
    if not of.plain or not check.fixed or check.off or check.advice or test is None:
        return check
    get = of.path.get if of.path is not None else None
    kind, equal = type(expected), check.relation == "is"
    passed = Outcome("passed", check.sentence, expected, expected, note=check.note)

    def same(status: int, document: Any) -> Outcome | None:
        value = status if get is None else get(document)
        return passed if type(value) is kind and value == expected else None

    def holds(status: int, document: Any) -> Outcome | None:
        value = status if get is None else get(document)
        return Outcome("passed", sentence, expected, value, (), None, False, note) if test(value) else None

    sentence, note = check.sentence, check.note
    return replace(check, quick=same if equal and kind is not Decimal else holds)


def judge(check: Check, answer: Answer, scopes: Scopes) -> Outcome:
    """Judge one check. Never raises: what cannot be judged is a blocked outcome with its reason."""
    if check.off:
        return _outcome(check, "skipped", reason=why("switched-off"))
    expected = None
    try:
        expected = check.expected if check.fixed else scopes.fill(check.expected)
        found = find(check.of, answer, scopes)
        if not found.nodes or TABLE[check.relation].of_list:
            return _judge_list(check, expected, found)
        return _judge_nodes(check, expected, found)
    except Blocked as problem:
        return _outcome(check, "blocked", expected, reason=problem.reason)
    except RecursionError:
        return _outcome(check, "blocked", expected, reason=why("too-deep", levels=1000))


def _outcome(
    check: Check,
    verdict: Verdict,
    expected: Any = None,
    actual: Any = None,
    where: tuple[str, ...] = (),
    reason: Why | None = None,
) -> Outcome:
    return Outcome(verdict, check.sentence, expected, actual, where, reason, check.advice, check.note)


def _judge_nodes(check: Check, expected: Any, found: Found) -> Outcome:
    """Every node must hold, or one with `any: true`."""
    setting = _SETTINGS[found.source]
    judge_one = TABLE[check.relation].judge
    if found.single:
        place, value = found.nodes[0]
        reason = judge_one(value, expected, setting)
        if reason is None:
            return _outcome(check, "passed", expected, value)
        return _outcome(check, "failed", expected, value, (place,), reason)
    offending = [
        (place, value, reason)
        for place, value in found.nodes
        if (reason := judge_one(value, expected, setting)) is not None
    ]
    values = [value for _, value in found.nodes]
    actual = values[0] if len(values) == 1 else values
    if check.any:
        if len(offending) < len(found.nodes):
            return _outcome(check, "passed", expected, actual)
        reason = why("any-none", count=len(offending), first=offending[0][2].sentence)
        return _outcome(check, "failed", expected, actual, _places(offending), reason)
    if not offending:
        return _outcome(check, "passed", expected, actual)
    first = offending[0]
    return _outcome(check, "failed", expected, first[1], _places(offending), first[2])


def _places(offending: Iterable[tuple[str, Any, Why]]) -> tuple[str, ...]:
    return tuple(place for place, _, _ in offending)[:MOST_PLACES]


def _judge_list(check: Check, expected: Any, found: Found) -> Outcome:
    """Relations that look at the nodes together, and every other one where there is no node."""
    relation = TABLE[check.relation]
    if check.relation == "present":
        if found.nodes:
            return _outcome(check, "passed", True, _values(found))
        return _outcome(check, "failed", True, None, (check.of.text,), found.nothing)
    if check.relation == "absent":
        if found.nothing is not None and found.nothing.code in _UNREADABLE:
            return _outcome(check, "failed", True, None, (), found.nothing)
        if not found.nodes:
            return _outcome(check, "passed", True)
        places = tuple(place for place, _ in found.nodes)[:MOST_PLACES]
        return _outcome(check, "failed", True, _values(found), places, why("is-there", path=places[0]))
    if check.relation == "count":
        if found.nothing is not None and found.nothing.code in _UNREADABLE:
            return _outcome(check, "failed", expected, None, (), found.nothing)
        return _judge_count(check, expected, found)
    assert found.nothing is not None or not found.nodes, relation.name
    return _outcome(check, "failed", expected, None, (check.of.text,), found.nothing)


def _values(found: Found) -> Any:
    values = [value for _, value in found.nodes]
    return values[0] if len(values) == 1 else values


def _judge_count(check: Check, expected: Any, found: Found) -> Outcome:
    """A singular path's value is looked into; any other path's nodes are counted."""
    if found.single and found.nodes:
        value = found.nodes[0][1]
        if not isinstance(value, (list, dict, str)):
            reason = why("not-countable", actual=plain.show(value), actual_kind=plain.with_kind(value))
            return _outcome(check, "failed", expected, value, (found.nodes[0][0],), reason)
        count = len(value)
    else:
        count = len(found.nodes)
    problem = TABLE["count"].judge(count, expected, _SETTINGS["json"])
    if problem is None:
        return _outcome(check, "passed", expected, count)
    return _outcome(check, "failed", expected, count, (check.of.text,), problem)


def verdict_of(outcomes: Iterable[Outcome]) -> Verdict:
    """A step's verdict from its checks: failed > blocked > passed; without any judged one, unchecked."""
    verdict: Verdict = "unchecked"
    for outcome in outcomes:
        one = outcome.verdict
        if one == "passed":
            if verdict == "unchecked" and not outcome.advice:
                verdict = "passed"
        elif outcome.advice or one == "skipped":
            continue
        elif one == "failed":
            return "failed"
        else:
            verdict = "blocked"
    return verdict
