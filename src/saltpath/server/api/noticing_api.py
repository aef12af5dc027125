"""Would a case notice? Its checks on kept answers with one value turned round after another, and
how often each failed; nothing is sent."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from flask import Blueprint, Response, request

from saltpath.core.answers.answer import Answer
from saltpath.core.assist.check_record import Judged, records
from saltpath.core.assist.noticing import Noticed, notice
from saltpath.core.cases.case import Step
from saltpath.core.cases.expectations import Expectation
from saltpath.core.checks.outcome import Outcome
from saltpath.core.references.scopes import Scopes
from saltpath.core.running.inherited import inheriting
from saltpath.core.running.sent import asker
from saltpath.server.asked import case_asked
from saltpath.server.context import database
from saltpath.server.declared import ID, declared, of, page, parameter
from saltpath.server.last_answers import SeenStep, around, judged
from saltpath.server.problems import json_answer
from saltpath.server.rejudging import judge_kept
from saltpath.server.shared_cases import with_shared
from saltpath.store import case_history, evidence, kept_answers

noticing_api = Blueprint("noticing", __name__)
MOST_STEPS = 60
MOST_TOLD = 30
MOST_RUNS = 100
MOST_JUDGED = 400
"""Steps of a case in one of them."""


@noticing_api.get("/cases/<id>/noticing")
@declared(
    "readNoticing",
    "Whether a case would notice",
    of("Noticing"),
    ID,
    dear=True,
)
def read_noticing(id: str) -> Response:
    """Of each step that was answered: how many values of its last answer were turned round (the
    status, another value, gone), how often a check noticed, what none did, and the checks that no
    change made fail."""
    stored = case_asked(id)
    found = judged(stored)
    items = [
        _view(step, noticed)
        for step in found.steps[:MOST_STEPS]
        if (noticed := _noticed(step, found.scopes)) is not None
    ]
    return json_answer(
        {
            "case": stored.oid,
            "name": stored.name,
            "changes": sum(one["changes"] for one in items),
            "noticed": sum(one["noticed"] for one in items),
            "steps": items,
        }
    )


@noticing_api.get("/cases/<id>/checks")
@declared(
    "listCheckRecords",
    "How often each check of a case failed",
    page("CheckRecord"),
    ID,
    parameter("environment", "only of runs against it"),
    dear=True,
)
def list_check_records(id: str) -> Response:
    """Over its last runs of which evidence is kept, of the checks that it has now: in how many runs
    each was judged, and in how many it failed."""
    stored = case_asked(id)
    case = inheriting(with_shared(stored), *around(stored))
    there = {
        (step.key, item.sentence)
        for step in _every_step(each for *_, each in case.parts())
        for item in _checks_of(step)
    }
    environment = request.args.get("environment") or None
    past = case_history.past_runs(
        database(), stored.project, stored.id, environment, None, MOST_RUNS
    )
    found = records(
        [
            Judged(step.key, step.name, step.outcomes)
            for step in evidence.steps_judged(
                database("evidence"), run.run, run.position, MOST_JUDGED
            )
        ]
        for run in past
    )
    items = [
        {
            "step": one.key,
            "name": one.step,
            "check": one.check,
            "runs": one.runs,
            "failed": one.failed,
        }
        for one in found
        if (one.key, one.check) in there
    ]
    return json_answer({"items": items, "next": None})


def _every_step(steps: Iterable[Step]) -> Iterator[Step]:
    for step in steps:
        yield step
        yield from _every_step(step.carried_out)


def _checks_of(step: Step) -> list[Expectation]:
    return [*step.expect, *(item for _, item in step.inherited)]


def _noticed(of: SeenStep, scopes: Scopes) -> Noticed | None:
    answer = kept_answers.answer_of(of.seen, of.namespaces) if of.step.answered else None
    if answer is None or len(answer.body) > kept_answers.LARGEST_BODY:
        return None
    last = of.seen.exchanges[-1]

    def judge(item: Expectation, with_answer: Answer) -> Outcome:
        scopes.now_us = last.begun_us + answer.time_us
        scopes.asking = asker(last, with_answer, scopes)
        return judge_kept(item, with_answer, scopes)

    return notice(_checks_of(of.step), answer, judge)


def _view(of: SeenStep, found: Noticed) -> dict[str, Any]:
    checks = _checks_of(of.step)
    return {
        "step": of.step.key,
        "name": of.step.name,
        "changes": found.number,
        "noticed": found.noticed,
        "unnoticed": [
            {"where": where, "became": became} for where, became in found.unnoticed[:MOST_TOLD]
        ],
        "deaf": [checks[place].sentence for place in found.deaf],
    }
