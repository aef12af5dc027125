"""Would a case notice? Its checks on kept answers with one value turned round after another;
nothing is sent."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response

from saltpath.core.answers.answer import Answer
from saltpath.core.assist.noticing import Noticed, notice
from saltpath.core.cases.expectations import Expectation
from saltpath.core.checks.outcome import Outcome
from saltpath.core.references.scopes import Scopes
from saltpath.core.running.sent import asker
from saltpath.server.asked import case_asked
from saltpath.server.declared import ID, declared, of
from saltpath.server.last_answers import SeenStep, judged
from saltpath.server.problems import json_answer
from saltpath.server.rejudging import judge_kept
from saltpath.store import kept_answers

noticing_api = Blueprint("noticing", __name__)
MOST_STEPS = 60
MOST_TOLD = 30


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


def _noticed(of: SeenStep, scopes: Scopes) -> Noticed | None:
    answer = kept_answers.answer_of(of.seen, of.namespaces) if of.step.answered else None
    if answer is None or len(answer.body) > kept_answers.LARGEST_BODY:
        return None
    last = of.seen.exchanges[-1]

    def judge(item: Expectation, with_answer: Answer) -> Outcome:
        scopes.now_us = last.begun_us + answer.time_us
        scopes.asking = asker(last, with_answer, scopes)
        return judge_kept(item, with_answer, scopes)

    return notice([*of.step.expect, *(item for _, item in of.step.inherited)], answer, judge)


def _view(of: SeenStep, found: Noticed) -> dict[str, Any]:
    checks = [*of.step.expect, *(item for _, item in of.step.inherited)]
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
