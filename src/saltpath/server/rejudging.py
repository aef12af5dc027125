"""Edited checks judged on answers that were kept: nothing is sent. And what a typed sentence can
speak of.

The web server has no time limit for paths (see core/paths/time_limit.py), so what could take long
waits for the next run.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import msgspec
from msgspec.structs import replace

from saltpath.core.answers.answer import Answer
from saltpath.core.answers.exchange import MASK
from saltpath.core.cases.case import Case, Environment, Project, Step, Suite
from saltpath.core.cases.expectations import Expectation, checks_in, subjects_in
from saltpath.core.checks.check import AS_BEFORE
from saltpath.core.checks.judge import Outcome, about, judge, unjudged, verdict_of
from saltpath.core.paths import offloading
from saltpath.core.paths.jsonpath import MISSING, as_path
from saltpath.core.references.scopes import Scope, Scopes
from saltpath.core.running.inherited import scope_of, scope_of_suite
from saltpath.core.running.sent import asker
from saltpath.core.values import plain
from saltpath.core.values.moments import zone_of
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import Why, as_masked, why
from saltpath.store.evidence import StepEvidence
from saltpath.store.kept_answers import LARGEST_BODY, answer_of, may_take_long

MOST_PATHS = 400


def scopes_of(
    case: Case,
    suite: Suite,
    project: Project,
    environment: Environment | None,
    seen: Iterable[StepEvidence],
) -> Scopes:
    """What a check's references resolve to: the documents' values, and what the steps kept when
    they ran."""
    over = environment.values if environment else None
    scopes = Scopes(
        scope_of(project.values, over, {}),
        scope_of_suite(suite, environment.name if environment else "", {}),
        scope_of(case.values, None, {}),
        run=Scope(),
    )
    for step in seen:
        for name, value in step.kept.items():
            scopes.keep(name, value)
    scopes.zone = zone_of(project.zone)
    return scopes


def judged(
    step: Step, seen: StepEvidence, scopes: Scopes, namespaces: tuple[tuple[str, str], ...] = ()
) -> tuple[StepEvidence, tuple[bool, ...]]:
    """The step's evidence with outcomes for its checks as they are now, its own and those on every
    answer, and which of these were judged again. What was waited for (`until`) stands behind them
    as it was."""
    before = {
        (outcome.origin, outcome.check, outcome.advice, _was_off(outcome)): outcome
        for outcome in seen.outcomes
    }
    answer = answer_of(seen, namespaces)
    outcomes: list[Outcome] = []
    again: list[bool] = []
    if answer is not None:
        scopes.now_us = seen.exchanges[-1].begun_us + answer.time_us
        scopes.asking = asker(seen.exchanges[-1], answer, scopes)
    for origin, item in (*(("", own) for own in step.expect), *step.inherited):
        known = before.get((origin, item.sentence, item.advice, item.off))
        again.append(known is None and answer is not None)
        if known is None and answer is not None:
            known = judge_kept(item, answer, scopes)
        known = known or unjudged(item, "skipped")
        outcomes.append(msgspec.structs.replace(known, origin=origin, note=item.note))
    outcomes += [outcome for outcome in seen.outcomes if outcome.origin == "until"]
    if answer is None:
        return replace(seen, outcomes=tuple(outcomes)), tuple(again)
    if not any(again) and len(outcomes) == len(seen.outcomes) and not _found_again(step, seen):
        return seen, tuple(again)
    verdict, reason = _verdict(step, seen, outcomes)
    head = replace(seen.head, verdict=verdict)
    return replace(
        seen, head=head, why=as_masked(reason) if reason else None, outcomes=tuple(outcomes)
    ), tuple(again)


def _was_off(outcome: Outcome) -> bool:
    return outcome.why is not None and outcome.why.code == "switched-off"


def _found_again(step: Step, seen: StepEvidence) -> bool:
    """A keep had found nothing, and as the keeps are now each finds something."""
    lost = seen.why is not None and seen.why.code == "keep-nothing"
    return lost and all(keep.name in seen.kept for keep in step.keep)


def _verdict(step: Step, seen: StepEvidence, outcomes: list[Outcome]) -> tuple[Verdict, Why | None]:
    """What the step's verdict is now. A keep that found nothing still blocks it, and without any
    check the verdict of the run stands."""
    verdict = verdict_of(outcomes)
    if _found_again(step, seen) and verdict == "unchecked":
        return verdict, None
    lost = seen.why is not None and seen.why.code == "keep-nothing" and not _found_again(step, seen)
    if verdict == "unchecked" or (lost and verdict != "failed"):
        blocked = seen.head.verdict == "blocked"
        return ("blocked", seen.why) if blocked else (verdict, None)
    for index, outcome in enumerate(outcomes):
        if outcome.verdict == verdict and outcome.counts and outcome.why is not None:
            return verdict, about(outcome, step.expect[index] if index < len(step.expect) else None)
    return verdict, None


def judge_kept(item: Expectation, answer: Answer, scopes: Scopes) -> Outcome:
    """One check or group on a kept answer. What is masked, or could take long, is blocked with the
    reason."""
    later = any(check.relation == AS_BEFORE for check in checks_in([item]))
    if later or any(may_take_long(subject, len(answer.body)) for subject in subjects_in([item])):
        return _cannot(item, "judged-later")
    try:
        with offloading.deferred({}):
            outcome = judge(item, answer, scopes)
    except offloading.Slow:
        return _cannot(item, "judged-later")
    sized = any(subject.kind == "size" for subject in subjects_in([item]))
    if _masked(outcome) or (sized and MASK.encode() in answer.body):
        return _cannot(item, "masked")
    return outcome


def _masked(outcome: Outcome) -> bool:
    values = (outcome.actual, outcome.expected)
    return any(MASK in plain.as_text(value) for value in values) or any(map(_masked, outcome.parts))


def _cannot(item: Expectation, code: str) -> Outcome:
    return unjudged(item, "blocked", why(code))


def paths_in(answer: Answer | None) -> list[str]:
    """The places of a JSON answer in its order, lists by their first item; at most 400."""
    if answer is None or not answer.looks_json or len(answer.body) > LARGEST_BODY:
        return []
    document = answer.json()
    found: list[str] = []
    waiting: list[tuple[tuple[str | int, ...], Any]] = (
        [((), document)] if document is not MISSING else []
    )
    while waiting and len(found) < MOST_PATHS:
        place, value = waiting.pop()
        if place:
            found.append(as_path(place))
        children = (
            list(value.items())
            if isinstance(value, dict)
            else [(0, value[0])]
            if isinstance(value, list) and value
            else []
        )
        waiting += [((*place, key), child) for key, child in reversed(children)]
    return found


def by_last_name(paths: Iterable[str]) -> dict[str, str]:
    """Paths by the name of their last part, where just one has it; the top's own fields come
    first."""
    found: dict[str, str] = {}
    several: set[str] = set()
    for path in paths:
        name = path.rpartition(".")[2]
        if name in found and found[name].count(".") > 1:
            several.add(name)
        if name not in found or path.count(".") == 1:
            found[name] = path
    return {
        name: path for name, path in found.items() if name not in several or path.count(".") == 1
    }
