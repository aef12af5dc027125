"""Cases as rows with what their runs saw beside them, and a table's rows with what became of their
checks."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from saltpath.core.answers.answer import Answer
from saltpath.core.answers.exchange import MASK
from saltpath.core.answers.subjects import Subject, find, taken
from saltpath.core.assist.observations import in_words
from saltpath.core.cases.expectations import Check
from saltpath.core.checks.outcome import Outcome
from saltpath.core.paths.jsonpath import MISSING
from saltpath.core.references.scopes import Scope, Scopes
from saltpath.core.sheet.headings import BESIDE
from saltpath.core.sheet.plan import Known, Place, Plan
from saltpath.core.sheet.rows import Row, check_cells, requests_of, rows_of
from saltpath.core.values import plain
from saltpath.core.values.why import Blocked
from saltpath.server import rejudging
from saltpath.server.api.views import moment
from saltpath.server.compiled import compiled
from saltpath.server.context import database
from saltpath.server.last_answers import Found, SeenStep, judged, last_seen
from saltpath.store import evidence, kept_answers, runs
from saltpath.store.cases import StoredCase

MOST_ANSWERS = 12
NOT_TAKEN = "not taken over"
NOT_RUN = "not run yet"
NOT_READ = "not read"
WORST_FIRST = (NOT_READ, "failed", "blocked", NOT_TAKEN, NOT_RUN, "unchecked", "passed", "skipped")
"""What can be written beside a row."""


def rows_with_evidence(stored: StoredCase) -> Iterator[Row]:
    """The rows of a case with verdict, actual value, and what the last answers have shown."""
    found = {of.step.key: of for of in judged(stored).steps}
    words = _seen_in_words(stored)
    for row in rows_of(stored.document):
        outcome = _outcome(found.get(row.step_key), row.index)
        beside = {"seen": words.get((row.step_key, row.index), "")}
        if outcome is not None:
            beside |= {
                "verdict": outcome.verdict,
                "was": outcome.was,
            }
        row.cells.update({name: text for name, text in beside.items() if text})
        yield row


def _outcome(of: SeenStep | None, index: int) -> Outcome | None:
    """What became of a step's check; None where nothing did yet."""
    if of is None or not of.step.sends or not 0 <= index < len(of.seen.outcomes):
        return None
    outcome = of.seen.outcomes[index]
    return (
        outcome if not outcome.origin and outcome.check == of.step.expect[index].sentence else None
    )


def _seen_in_words(stored: StoredCase) -> dict[tuple[str, int], str]:
    """By step key and number of the check: what stood there in the last answers, at most 12."""
    checks = {
        step.key: [
            (index, item.of) for index, item in enumerate(step.expect) if isinstance(item, Check)
        ]
        for _, _, step in compiled(stored).parts()
        if step.sends
    }
    values: dict[tuple[str, int], list[Any]] = {}
    for run, position in runs.last_runs_of_case(
        database(), stored.project, stored.id, MOST_ANSWERS
    ):
        for step in evidence.steps(database("evidence"), run, position):
            answer = kept_answers.answer_of(step) if checks.get(step.key) else None
            if answer is None:
                continue
            scopes = Scopes(Scope(), Scope(), Scope(), run=Scope())
            for name, value in step.kept.items():
                scopes.keep(name, value)
            for index, of in checks[step.key]:
                values.setdefault((step.key, index), []).append(_value(of, answer, scopes))
    units = {(key, index): of.unit for key, items in checks.items() for index, of in items}
    return {
        place: in_words(found, units[place])
        for place, found in values.items()
        if MASK not in plain.as_text(_plain(found))
    }


def _plain(found: list[Any]) -> list[Any]:
    return [None if value is MISSING else value for value in found]


def _value(of: Subject, answer: Answer, scopes: Scopes) -> Any:
    if kept_answers.may_take_long(of, len(answer.body)):
        return MISSING
    try:
        there = find(of, answer, scopes)
    except Blocked:
        return MISSING
    value = taken(there) if there.nodes else MISSING
    return len(value) if isinstance(value, dict | list) else value


def known_paths(cases: Sequence[StoredCase]) -> Known:
    """Paths of the last answer by the name of their last part, of a step by its case's key and its
    own; each asked for once."""
    by_key = {case.key: case for case in cases}
    seen: dict[str, Found] = {}
    known: dict[tuple[str, str], Mapping[str, str]] = {}

    def ask(case_key: str, step_key: str) -> Mapping[str, str]:
        place = (case_key, step_key)
        if place not in known:
            if case_key in by_key and case_key not in seen:
                seen[case_key] = last_seen(by_key[case_key])[2]
            last = seen.get(case_key, {}).get(step_key)
            known[place] = rejudging.by_last_name(
                rejudging.paths_in(kept_answers.answer_of(last[1]) if last else None)
            )
        return known[place]

    return ask


def verdicts_beside(plan: Plan, cases: Sequence[StoredCase]) -> dict[int, dict[str, str]]:
    """By number of a table's row what is written beside it: verdict, actual value (or why the row
    cannot be read), and when."""
    by_key = {case.key: case for case in cases}
    found: dict[int, list[tuple[str, str, str]]] = {}
    seen: dict[str, dict[str, SeenStep]] = {}
    for place in plan.places:
        before = plan.cases[place.case].before
        case = by_key.get(str((before or {}).get("key", "")))
        if case is not None and case.key not in seen:
            seen[case.key] = {of.step.key: of for of in judged(case).steps}
        found.setdefault(place.row, []).append(_beside(case, place, seen))
    for fault in plan.faults:
        found.setdefault(fault.row, []).insert(0, (NOT_READ, fault.sentence, ""))
    return {
        row: dict(zip(BESIDE.values(), _together(items), strict=True))
        for row, items in found.items()
    }


def _together(items: list[tuple[str, str, str]]) -> tuple[str, str, str]:
    """The checks of one row as one: the worst verdict, every actual value, the last time."""
    verdict = next(
        (word for word in WORST_FIRST if any(word == v for v, _, _ in items)), items[0][0]
    )
    return verdict, "; ".join(was for _, was, _ in items if was), items[-1][2]


def _beside(
    case: StoredCase | None, place: Place, seen: Mapping[str, dict[str, SeenStep]]
) -> tuple[str, str, str]:
    requests = requests_of(case.document) if case is not None else []
    if case is None or place.request >= len(requests):
        return NOT_TAKEN, "", ""
    step = requests[place.request]
    cells = [check_cells(check) for check in step.get("expect") or []]
    wanted = [place.check[column] for column in ("of", "relation", "expected")]
    index = next(
        (
            at
            for at, of in enumerate(cells)
            if [of[c] for c in ("of", "relation", "expected")] == wanted
        ),
        -1,
    )
    if index < 0:
        return NOT_TAKEN, "", ""
    of = seen[case.key].get(str(step.get("key")))
    outcome = _outcome(of, index)
    if of is None or outcome is None:
        return NOT_RUN, "", ""
    return (
        outcome.verdict,
        outcome.was,
        str(moment(of.seen.head.at)),
    )
