"""One check against an answer."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from msgspec.structs import replace

from saltpath.core.answers.answer import Answer
from saltpath.core.answers.subjects import Found, find, taken
from saltpath.core.cases.expectations import Check
from saltpath.core.checks import loose
from saltpath.core.checks.outcome import MOST_PLACES, Outcome
from saltpath.core.checks.relations import TABLE, Relation, Setting
from saltpath.core.checks.relations.shapes import COUNT
from saltpath.core.references.scopes import Scopes, moment
from saltpath.core.values import plain
from saltpath.core.values.measures import show_in
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import Blocked, Why, why

_SETTINGS = {source: Setting(source) for source in ("json", "text", "duration", "size")}
_TIMED = ("before", "after", "near")
_UNREADABLE = (
    "not-json",
    "not-json-but-marked-up",
    "not-xml",
    "not-text",
    "no-charset",
    "empty-body",
)
AS_BEFORE = "same as last pass"


def judge_one(check: Check, answer: Answer, scopes: Scopes, any_node: bool = False) -> Outcome:
    """Judge one check. Never raises: what cannot be judged is a blocked outcome with its reason.
    `any_node`: it holds if any node does, whatever it says itself."""
    if check.off:
        return outcome_of(check, "skipped", reason=why("switched-off"))
    expected = shown = None
    try:
        relation = TABLE[check.relation]
        if relation.takes.compiled == "body":
            expected = loose.filled(check.expected, scopes)
            shown = loose.written(expected)
        else:
            expected = shown = check.expected if check.fixed else scopes.fill(check.expected)
        found = find(check.of, answer, scopes)
        if check.relation == AS_BEFORE:
            return replace(_judge_as_before(check, found, scopes), whole=True)
        if not found.nodes or relation.of_list:
            return _judge_list(check, relation, shown, found)
        setting = _SETTINGS[found.source]
        if check.relation in _TIMED:
            setting = Setting(found.source, scopes.zone, moment(scopes.now_us))
        return _judge_nodes(check, relation, expected, shown, found, setting, check.any or any_node)
    except Blocked as problem:
        return outcome_of(check, "blocked", shown, reason=problem.reason)
    except RecursionError:
        return outcome_of(check, "blocked", shown, reason=why("too-deep", levels=1000))


def outcome_of(
    check: Check,
    verdict: Verdict,
    expected: Any = None,
    actual: Any = None,
    where: tuple[str, ...] = (),
    reason: Why | None = None,
) -> Outcome:
    return Outcome(
        verdict,
        check.sentence,
        expected,
        actual,
        where,
        reason,
        check.advice,
        check.note,
        of=check.of.text,
        relation=check.relation,
    )


def _judge_nodes(
    check: Check,
    relation: Relation,
    expected: Any,
    shown: Any,
    found: Found,
    setting: Setting,
    any_node: bool,
) -> Outcome:
    """Every node must hold, or one with `any: true`."""
    if found.single:
        place, value = found.nodes[0]
        reason = relation.judge(value, expected, setting)
        if reason is None:
            return outcome_of(check, "passed", shown, value)
        return outcome_of(check, "failed", shown, value, tuple(_exactly(place, reason)), reason)
    offending = [
        (place, value, reason)
        for place, value in found.nodes
        if (reason := relation.judge(value, expected, setting)) is not None
    ]
    values = [value for _, value in found.nodes]
    actual = values[0] if len(values) == 1 else values
    if any_node:
        if len(offending) < len(found.nodes):
            return outcome_of(check, "passed", shown, actual)
        reason = why("any-none", count=len(offending), first=offending[0][2].sentence)
        return outcome_of(check, "failed", shown, actual, _places(offending), reason)
    if not offending:
        return outcome_of(check, "passed", shown, actual)
    return outcome_of(check, "failed", shown, offending[0][1], _places(offending), offending[0][2])


def _exactly(place: str, reason: Why) -> list[str]:
    """The place, or the places within it that the reason names."""
    return [place + inner for inner in reason.params.get("at", ())] or [place]


def _places(offending: Iterable[tuple[str, Any, Why]]) -> tuple[str, ...]:
    places: list[str] = []
    for place, _, reason in offending:
        places += _exactly(place, reason)
        if len(places) >= MOST_PLACES:
            break
    return tuple(places[:MOST_PLACES])


def _judge_list(check: Check, relation: Relation, expected: Any, found: Found) -> Outcome:
    """Relations that look at the nodes together, and every other one where there is no node."""
    if check.relation == "present":
        if found.nodes:
            return outcome_of(check, "passed", True, taken(found))
        return outcome_of(check, "failed", True, None, (check.of.text,), found.nothing)
    unreadable = found.nothing is not None and found.nothing.code in _UNREADABLE
    if check.relation == "absent":
        if unreadable:
            return outcome_of(check, "failed", True, None, (), found.nothing)
        if not found.nodes:
            return outcome_of(check, "passed", True)
        places = tuple(place for place, _ in found.nodes)[:MOST_PLACES]
        return outcome_of(
            check, "failed", True, taken(found), places, why("is-there", path=places[0])
        )
    if unreadable or (not found.nodes and check.relation != "count"):
        return outcome_of(
            check, "failed", expected, None, () if unreadable else (check.of.text,), found.nothing
        )
    return _judge_together(check, relation, expected, found)


def _judge_together(check: Check, relation: Relation, expected: Any, found: Found) -> Outcome:
    """A singular path's value is looked into; any other path's nodes are looked at as a list."""
    inside = found.single and bool(found.nodes)
    value = found.nodes[0][1] if inside else [node for _, node in found.nodes]
    problem = relation.judge(value, expected, _SETTINGS[found.source])
    counted = relation.takes is COUNT and isinstance(value, (list, dict, str))
    actual = len(value) if counted else value
    if problem is None:
        return outcome_of(check, "passed", expected, actual)
    at = problem.params.get("at", ())
    places = [check.of.text]
    if inside:
        places = (
            _exactly(found.nodes[0][0], problem)
            if at
            else [found.nodes[0][0] if not counted else check.of.text]
        )
    elif at:
        places = [found.nodes[int(inner[1:-1])][0] for inner in at]
    return outcome_of(check, "failed", expected, actual, tuple(places), problem)


def _judge_as_before(check: Check, found: Found, scopes: Scopes) -> Outcome:
    """Against what the same check saw at the step's last pass; the first such answer is taken as
    the measure."""
    if scopes.measures is None:
        return outcome_of(check, "skipped", reason=why("no-measure"))
    if not found.nodes:
        return outcome_of(check, "failed", None, None, (check.of.text,), found.nothing)
    actual = taken(found)
    if check.sentence not in scopes.measures:
        return outcome_of(check, "passed", None, actual, reason=why("taken-as-measure"))
    before = scopes.measures[check.sentence]
    if plain.same(actual, before):
        return outcome_of(check, "passed", before, actual)
    problem = TABLE["is"].judge(actual, before, _SETTINGS["json"])
    if problem is None or problem.code != "differs-at":
        problem = why(
            "not-as-before",
            actual=show_in(actual, check.of.unit),
            expected=show_in(before, check.of.unit),
        )
    return outcome_of(check, "failed", before, actual, (check.of.text,), problem)
