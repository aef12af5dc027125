"""Which fields of the last answers any check watches, of a case and of a suite, and which none
does."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response

from saltpath.core.assist.coverage import by_name, coverage
from saltpath.core.references.scopes import Scope, Scopes
from saltpath.core.values import plain
from saltpath.server.asked import case_asked, suite_asked
from saltpath.server.compiled import compiled
from saltpath.server.context import database
from saltpath.server.declared import ID, declared, page
from saltpath.server.last_answers import SeenStep, judged
from saltpath.server.problems import json_answer
from saltpath.store import cases, kept_answers
from saltpath.store.cases import StoredCase

coverage_api = Blueprint("coverage", __name__)
MOST_LISTED = 500


@coverage_api.get("/cases/<id>/coverage")
@declared("readCaseCoverage", "Fields that no check watches", page("CaseCoverage"), ID)
def case_coverage(id: str) -> Response:
    """The requests of a case whose last answer is JSON: how many fields it has, and those that no
    check watches, items of a list together."""
    return json_answer({"items": [_of_case(case_asked(id))], "next": None})


@coverage_api.get("/suites/<id>/coverage")
@declared("readSuiteCoverage", "The same of a suite", page("CaseCoverage"), ID, dear=True)
def suite_coverage(id: str) -> Response:
    """The same of every case of a suite."""
    suite = suite_asked(id)
    found = [case for case in cases.cases(database(), suite.project) if case.suite == suite.id]
    return json_answer({"items": [_of_case(case) for case in found], "next": None})


def _of_case(case: StoredCase) -> dict[str, Any]:
    seen = judged(case).steps
    scopes = Scopes(Scope(), Scope(), Scope(), run=Scope())
    for of in seen:
        for name, value in of.seen.kept.items():
            scopes.keep(name, value)
    numbers = {step.key: number for number, (_, step) in enumerate(compiled(case).every_step(), 1)}
    steps = [
        view for of in seen if (view := _of_step(of, numbers[of.step.key], scopes)) is not None
    ]
    return {"case": case.oid, "name": case.name, "steps": steps}


def _of_step(of: SeenStep, number: int, scopes: Scopes) -> dict[str, Any] | None:
    answer = kept_answers.answer_of(of.seen, of.namespaces) if of.step.answered else None
    if answer is None or not of.step.answered or len(answer.body) > kept_answers.LARGEST_BODY:
        return None
    size = len(answer.body)
    found = coverage(
        of.step.expect, answer, scopes, lambda subject: kept_answers.may_take_long(subject, size)
    )
    if found is None or not found.fields:
        return None
    unchecked = [
        {
            "path": field.path,
            "places": field.places,
            "kind": plain.kind_of(field.value),
            "value": plain.show(field.value, 120),
            "check": field.check,
        }
        for field in by_name(found.unchecked)[:MOST_LISTED]
    ]
    checked = found.fields - len(found.unchecked)
    return {
        "step": of.step.key,
        "number": number,
        "name": of.step.name,
        "fields": found.fields,
        "checked": checked,
        "unchecked": unchecked,
    }
