"""Groups of checks: when/then/otherwise, any of, all of, none of, for each. A group is one outcome
with its parts inside."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from saltpath.core.answers.answer import Answer
from saltpath.core.answers.subjects import find
from saltpath.core.cases.expectations import Check, Expectation, Group
from saltpath.core.checks.check import judge_one
from saltpath.core.checks.outcome import MOST_PLACES, Outcome
from saltpath.core.references.scopes import Scopes
from saltpath.core.values import plain
from saltpath.core.values.verdicts import Verdict, worst
from saltpath.core.values.why import Blocked, Why, why

MOST_ITEMS = 10_000


def judge(item: Expectation, answer: Answer, scopes: Scopes, any_node: bool = False) -> Outcome:
    """Judge a check or a group. Never raises."""
    if isinstance(item, Check):
        return judge_one(item, answer, scopes, any_node)
    if item.off:
        return _outcome(item, "skipped", reason=why("switched-off"))
    return _JUDGES[item.kind](item, answer, scopes)


def _outcome(
    group: Group,
    verdict: Verdict,
    parts: tuple[Outcome, ...] = (),
    reason: Why | None = None,
    where: tuple[str, ...] = (),
) -> Outcome:
    return Outcome(
        verdict,
        group.sentence,
        None,
        None,
        where,
        reason,
        group.advice,
        group.note,
        parts,
        of=group.of.text if group.of else "",
        relation=group.kind,
    )


def _all(items: tuple[Expectation, ...], answer: Answer, scopes: Scopes) -> tuple[Outcome, ...]:
    return tuple(judge(item, answer, scopes) for item in items)


def _worst(parts: tuple[Outcome, ...]) -> Verdict:
    """Of the judged parts; advice never counts, all skipped is skipped."""
    return worst(part.verdict for part in parts if part.counts)


def _first(parts: tuple[Outcome, ...], verdict: Verdict) -> tuple[Why | None, tuple[str, ...]]:
    """Why and where, of the first part that has the verdict."""
    part = next((part for part in parts if part.verdict == verdict and part.counts), None)
    if part is None or part.why is None:
        return None, ()
    return why("part", check=part.check, problem=part.why.sentence), part.where


def _of_worst(
    group: Group, parts: tuple[Outcome, ...], before: tuple[Outcome, ...] = ()
) -> Outcome:
    verdict = _worst(parts)
    reason, where = _first(parts, verdict) if verdict in ("failed", "blocked") else (None, ())
    return _outcome(group, verdict, before + parts, reason, where)


def _when(group: Group, answer: Answer, scopes: Scopes) -> Outcome:
    conditions = tuple(replace(part, role="when") for part in _all(group.when, answer, scopes))
    for condition in conditions:
        if condition.verdict == "blocked":
            return _outcome(group, "blocked", conditions, condition.why)
    false = next((part for part in conditions if part.verdict == "failed"), None)
    if false is None:
        return _of_worst(group, _all(group.parts, answer, scopes), conditions)
    if group.otherwise:
        return _of_worst(group, _all(group.otherwise, answer, scopes), conditions)
    problem = false.why.sentence if false.why else false.check
    return _outcome(group, "skipped", conditions, why("condition-false", problem=problem))


def _any_of(group: Group, answer: Answer, scopes: Scopes) -> Outcome:
    parts = _all(group.parts, answer, scopes)
    verdicts = {part.verdict for part in parts if part.counts}
    if "passed" in verdicts or not verdicts:
        return _outcome(group, "passed" if verdicts else "skipped", parts)
    verdict: Verdict = "blocked" if "blocked" in verdicts else "failed"
    first = next(part for part in parts if part.verdict == verdict and part.counts)
    reason = why("none-holds", first=first.why.sentence if first.why else first.check)
    return _outcome(group, verdict, parts, reason, first.where)


def _all_of(group: Group, answer: Answer, scopes: Scopes) -> Outcome:
    return _of_worst(group, _all(group.parts, answer, scopes))


def _none_of(group: Group, answer: Answer, scopes: Scopes) -> Outcome:
    """Each part is turned round: one that holds of any node is the failed one."""
    parts = tuple(_turned(judge(item, answer, scopes, any_node=True)) for item in group.parts)
    return _of_worst(group, parts)


def _turned(part: Outcome) -> Outcome:
    if part.verdict == "passed":
        return replace(part, verdict="failed", why=why("holds-and-must-not", check=part.check))
    if part.verdict == "failed":
        return replace(part, verdict="passed", why=None, where=())
    return part


def _for_each(group: Group, answer: Answer, scopes: Scopes) -> Outcome:
    """Every item of a list, or every node, is looked at as a document of its own; a part is the
    outcome of one check over all of them, at its first item that does not hold."""
    assert group.of is not None
    try:
        found = find(group.of, answer, scopes)
    except Blocked as problem:
        return _outcome(group, "blocked", (), problem.reason)
    nodes = found.nodes
    if found.single and nodes and isinstance(nodes[0][1], list):
        place = nodes[0][0]
        nodes = [(f"{place}[{index}]", item) for index, item in enumerate(nodes[0][1])]
    if not nodes:
        if group.may_be_empty:
            return _outcome(group, "skipped", (), why("no-items", of=group.of.text + " "))
        reason = found.nothing or why("no-items", of=group.of.text + " ")
        return _outcome(group, "failed", (), reason, (group.of.text,))
    parts = tuple(_over_items(item, nodes[:MOST_ITEMS], answer, scopes) for item in group.parts)
    return _of_worst(group, parts)


def _over_items(
    item: Expectation, nodes: list[tuple[str, Any]], answer: Answer, scopes: Scopes
) -> Outcome:
    outcomes = [(place, judge(item, as_answer(answer, value), scopes)) for place, value in nodes]
    verdict = worst(outcome.verdict for _, outcome in outcomes)
    of_verdict = [(place, outcome) for place, outcome in outcomes if outcome.verdict == verdict]
    place, first = of_verdict[0]
    if verdict not in ("failed", "blocked"):
        return first if len(outcomes) == 1 else replace(first, actual=None)
    where = [
        _within(place, inner)
        for place, outcome in of_verdict[:MOST_PLACES]
        for inner in outcome.where or ("$",)
    ]
    problem = first.why.sentence if first.why else first.check
    return replace(
        first, where=tuple(where[:MOST_PLACES]), why=why("of-item", item=place, problem=problem)
    )


def _within(place: str, inner: str) -> str:
    return place + inner[1:] if inner.startswith("$") else place


def as_answer(answer: Answer, item: Any) -> Answer:
    """The same answer with the item as its body."""
    return replace(answer, body=plain.write_json(item), _json=item, _unread=None, _xml=None)


_JUDGES = {
    "when": _when,
    "any of": _any_of,
    "all of": _all_of,
    "none of": _none_of,
    "for each": _for_each,
}
