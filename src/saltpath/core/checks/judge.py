"""Judging: the expectations of a step against an answer give outcomes, and these a verdict."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from types import NoneType
from typing import Any

import msgspec
from msgspec.structs import replace

from saltpath.core.answers.answer import Answer
from saltpath.core.cases.expectations import Check, Expectation
from saltpath.core.checks.groups import judge
from saltpath.core.checks.outcome import Outcome, verdict_of
from saltpath.core.checks.relations import TABLE
from saltpath.core.references.scopes import Scopes
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import Why, why

__all__ = ["Outcome", "about", "judge", "judge_all", "judge_inherited", "quickly", "verdict_of"]


def judge_all(
    items: Sequence[Expectation], answer: Answer, scopes: Scopes
) -> tuple[tuple[Outcome, ...], Verdict]:
    """The outcome of each check or group, and the verdict that they make together.

    What a quick test says yes to (most checks, most of the time) is passed at once. Raises Blocked
    if the body is nested too deeply, which blocks the step whoever asks."""
    document = answer.document()
    status = answer.status
    sure: list[Outcome | None] = []
    for item in items:
        quick = item.quick
        sure.append(quick(status, document))
    if sure and all(sure):
        return tuple(sure), "passed"  # type: ignore[arg-type]  # there is no None
    return _with_the_unsure(sure, items, answer, scopes)


def _with_the_unsure(
    sure: list[Outcome | None], items: Sequence[Expectation], answer: Answer, scopes: Scopes
) -> tuple[tuple[Outcome, ...], Verdict]:
    outcomes = tuple(one or judge(items[at], answer, scopes) for at, one in enumerate(sure))
    return outcomes, verdict_of(outcomes)


def judge_inherited(
    items: Iterable[tuple[str, Expectation]], answer: Answer, scopes: Scopes
) -> tuple[Outcome, ...]:
    """Outcomes of checks on every answer, each with where it comes from."""
    return tuple(
        msgspec.structs.replace(judge(item, answer, scopes), origin=origin)
        for origin, item in items
    )


def about(outcome: Outcome, item: Expectation | None) -> Why | None:
    """The outcome's reason as the step's, with its subject said. `item`: what of the step it
    judges; None if it comes from elsewhere."""
    if outcome.why is None:
        return None
    if isinstance(item, Check):
        return outcome.why.about(item.of.text)
    return (
        outcome.why
        if item is not None
        else why("part", check=outcome.check, problem=outcome.why.sentence)
    )


def unjudged(item: Expectation, verdict: Verdict, reason: Why | None = None) -> Outcome:
    """The outcome of what was not judged: `skipped`, or `blocked` with the reason."""
    return Outcome(
        verdict,
        item.sentence,
        why=reason,
        advice=item.advice,
        note=item.note,
        of=item.of.text if item.of is not None else "",
        relation=item.relation if isinstance(item, Check) else item.kind,
    )


def quickly(check: Check) -> Check:
    """The check with its `quick` way to pass, if there is one. Advice has none: it never counts."""
    of, expected, test = check.of, check.expected, TABLE[check.relation].quick(check.expected)
    if not of.plain or not check.fixed or check.off or check.advice or test is None:
        return check
    kind, get = type(expected), of.path.get if of.path is not None else None
    sentence, note, text, relation = check.sentence, check.note, of.text, check.relation
    passed = Outcome(
        "passed", sentence, expected, expected, note=note, of=of.text, relation=check.relation
    )

    def same_status(status: int, document: Any) -> Outcome | None:
        return passed if status == expected else None

    def same_text(status: int, document: Any) -> Outcome | None:
        # there is a path
        return passed if get(document) == expected else None  # type: ignore[misc]

    def same(status: int, document: Any) -> Outcome | None:
        value = status if get is None else get(document)
        return passed if type(value) is kind and value == expected else None

    def holds(status: int, document: Any) -> Outcome | None:
        value = status if get is None else get(document)
        if not test(value):
            return None
        if value is expected:
            return passed
        return Outcome(
            "passed",
            sentence,
            expected,
            value,
            (),
            None,
            False,
            note,
            (),
            "",
            "",
            False,
            text,
            relation,
        )

    way = same_status if get is None else same_text if kind is str else same
    return replace(
        check, quick=way if check.relation == "is" and kind in (int, str, bool, NoneType) else holds
    )
