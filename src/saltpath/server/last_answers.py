"""What the last runs and trials of a case saw, step by step, its checks as they are now judged on
it: nothing here sends anything."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from typing import Any

from msgspec import Struct

from saltpath.core.answers.answer import Answer
from saltpath.core.assist.outline import placed
from saltpath.core.cases.case import Case, Project, Step, Suite
from saltpath.core.cases.row_sources import Row
from saltpath.core.references.scopes import Scope, Scopes
from saltpath.core.running.inherited import inheriting
from saltpath.server import rejudging
from saltpath.server.compiled import compiled, environment_of, project_of, standing_of
from saltpath.server.context import database
from saltpath.server.shared_cases import with_shared
from saltpath.server.sources import begin_of, source_of
from saltpath.store import evidence, kept_answers, projects, run_rows, runs
from saltpath.store.cases import StoredCase
from saltpath.store.database import NotFound, now_us
from saltpath.store.evidence import StepEvidence

MOST_INSIDE = 300
Found = dict[str, tuple[runs.Run, StepEvidence]]
"""By step key, which run saw the step last, and what."""


class SeenStep(Struct, frozen=True):
    """A step as it stands in the case now, what it saw last, and which of its checks were judged
    anew on that. `namespaces`: prefixes that its XPaths may use besides those of its answer.
    `where`: its part, index and place now. `inside`: what the steps inside it saw."""

    step: Step
    run: runs.Run
    seen: StepEvidence
    again: tuple[bool, ...]
    namespaces: tuple[tuple[str, str], ...]
    where: dict[str, Any]
    inside: list[StepEvidence]


class Judged(Struct, frozen=True):
    """The newest run or trial of a case with its verdict, and what each step of the case saw."""

    newest: runs.Run | None
    verdict: str | None
    steps: list[SeenStep]
    scopes: Scopes
    """What references of its checks stand for."""


def judged(
    stored: StoredCase, run: str = "", row: int | None = None, environment: str = ""
) -> Judged:
    """What the last run or trial of a case saw, a trial's steps over the last run's; of the run
    with an oid, what that one saw; of one against several environments in one of them, by default
    the first. Checks that were edited since are judged on the kept answers. Of
    a case with rows it is one row, by default that to look at first."""
    suite, project = around(stored)
    case = inheriting(with_shared(stored), suite, project)
    newest, verdict, found = (
        _seen_in(stored, run, row, environment) if run else last_seen(stored, row)
    )
    saw = [seen for _, seen in found.values()]
    scopes = _scopes(stored, case, (suite, project), newest, saw, environment if run else "")
    keep_again(case, found, scopes)
    steps = []
    for where, step in placed(case):
        if step.key not in found:
            continue
        of, seen = found[step.key]
        anew: tuple[bool, ...] = ()
        spaces: tuple[tuple[str, str], ...] = ()
        if step.answered:
            spaces = _namespaces(step, case, suite, project)
            with _items_of(seen, scopes):
                seen, anew = rejudging.judged(step, seen, scopes, spaces)
        inside = _inside(of, seen) if step.carried_out or step.uses else []
        steps.append(SeenStep(step, of, seen, anew, spaces, where, inside))
    return Judged(newest, verdict, steps, scopes)


def keep_again(case: Case, found: Found, scopes: Scopes) -> None:
    """What the steps' keeps, as they are now, take from the answers that were seen: in `found`, and
    into the scopes."""
    for _, step in case.every_step():
        if step.answered and step.key in found:
            of, seen = found[step.key]
            found[step.key] = (of, kept_answers.kept(step, seen, scopes))
            for name, value in found[step.key][1].kept.items():
                scopes.keep(name, value)


@contextmanager
def _items_of(seen: StepEvidence, scopes: Scopes) -> Iterator[None]:
    """The items that a step was carried out for have their names again."""
    items = {text[2:-1]: use["value"] for text, use in seen.used.items() if use["from"] == "item"}
    backs = [scopes.name_item(name, value) for name, value in items.items()]
    yield
    for back in reversed(backs):
        back()


def _inside(run: runs.Run, seen: StepEvidence) -> list[StepEvidence]:
    """What the steps inside one saw, at most 300 of them."""
    head = seen.head
    return evidence.steps_inside(database("evidence"), run.id, head, MOST_INSIDE)


def _namespaces(
    step: Step, case: Case, suite: Suite, project: Project
) -> tuple[tuple[str, str], ...]:
    """The prefixes of the nearest options that name some."""
    own = step.options.over(case.options)
    return own.over(suite.options.over(project.options)).namespaces or ()


def last_answer(stored: StoredCase, key: str) -> tuple[StepEvidence, Answer, Scopes] | None:
    """What the step with a key saw last, its answer as its checks read it, and what their
    references stand for; None without an answer."""
    case = compiled(stored)
    _, _, found = last_seen(stored)
    step = next((step for _, step in case.every_step() if step.key == key), None)
    if key not in found or step is None:
        return None
    run, seen = found[key]
    surroundings = around(stored)
    answer = kept_answers.answer_of(seen, _namespaces(step, case, *surroundings))
    if answer is None:
        return None
    scopes = _scopes(stored, case, surroundings, run, [of for _, of in found.values()])
    for text, use in seen.used.items():
        if use["from"] == "item":
            scopes.name_item(text[2:-1], use["value"])
    return seen, answer, scopes


def scopes_now(stored: StoredCase, key: str) -> Scopes:
    """What references of the step with a key stand for now: the documents' values as the last run
    read them, what steps kept in it, and what is drawn from its seed."""
    case = compiled(stored)
    newest, _, found = last_seen(stored)
    scopes = _scopes(stored, case, around(stored), newest, [of for _, of in found.values()])
    for text, use in found[key][1].used.items() if key in found else ():
        if use["from"] == "item":
            scopes.name_item(text[2:-1], use["value"])
    scopes.seeded = (newest.seed if newest else 1, case.key, scopes.built_in["row.number"])
    scopes.now_us = newest.started_at or newest.asked_at if newest else now_us()
    scopes.built_in |= {"run.seed": scopes.seeded[0], "case.name": case.name}
    scopes.begin_step(key)
    return scopes


def around(stored: StoredCase) -> tuple[Suite, Project]:
    """The suite, within its folders, and the project that the case stands in."""
    suite = standing_of(projects.suite_by_id(database(), stored.suite))
    return suite, project_of(projects.project_by_id(database(), stored.project))


def last_seen(
    stored: StoredCase, row: int | None = None
) -> tuple[runs.Run | None, str | None, Found]:
    """The newest run or trial of the case with its verdict, and what each step saw last, in that
    run or in a trial before it: of several rows one, by default that to look at first."""
    found: Found = {}
    newest: runs.Run | None = None
    verdict = None
    for last in reversed(runs.since_last_run(database(), stored.project, stored.id)):
        newest = runs.run_by_id(database(), last[0])
        verdict = runs.verdict_of_case(database(), *last)
        found |= _by_key(newest, evidence.steps(database("evidence"), *last, row))
    return newest, verdict, found


def _seen_in(
    stored: StoredCase, oid: str, row: int | None, environment: str
) -> tuple[runs.Run | None, str | None, Found]:
    run = runs.run(database(), oid)
    position = next(
        (
            entry.position
            for entry in runs.run_cases(database(), run.id)
            if entry.case == stored.oid and entry.environment == (environment or entry.environment)
        ),
        None,
    )
    if position is None:
        raise NotFound("this run does not hold this case")
    steps = evidence.steps(database("evidence"), run.id, position, row)
    return run, runs.verdict_of_case(database(), run.id, position), _by_key(run, steps)


def _by_key(run: runs.Run, steps: Iterable[StepEvidence]) -> Found:
    """What each step of the case saw, by its key; one for each item the first time that it was bad,
    else the last time. What stands inside shared steps belongs to these."""
    found: Found = {}
    for step in steps:
        if evidence.hidden(step.head.inner):
            continue
        before = found.get(step.key)
        if before is None or before[1].head.verdict not in ("failed", "blocked"):
            found[step.key] = (run, step)
    return found


def _scopes(
    stored: StoredCase,
    case: Case,
    around: tuple[Suite, Project],
    run: runs.Run | None,
    seen: list[StepEvidence],
    environment: str = "",
) -> Scopes:
    environments = [environment_of(e) for e in projects.environments(database(), stored.project)]
    # of several it is the first that is looked at, unless one is asked for
    went = [environment, *run.environments] if run is not None else []
    there = next((e for e in environments if e.name == next(filter(None, went), "")), None)
    scopes = rejudging.scopes_of(case, *around, there, seen)
    row = row_seen(stored, case, around[1], run, seen, scopes)
    if row is not None:
        scopes.by_name["row"] = Scope(dict(row.values))
    scopes.built_in["row.number"] = row.number if row is not None else 1
    return scopes


def row_seen(
    stored: StoredCase,
    case: Case,
    project: Project,
    run: runs.Run | None,
    seen: Iterable[StepEvidence],
    scopes: Scopes,
) -> Row | None:
    """The row that was seen in a run, or else the first of the source; None of a case without rows,
    or where none is known."""
    if case.rows is None:
        return None
    number = next((step.head.row for step in seen if step.head.row), None)
    if run is not None and number is not None:
        entry = next((e for e in runs.run_cases(database(), run.id) if e.case == stored.oid), None)
        ended = (
            run_rows.finished(database("evidence"), run.id, entry.position, number)
            if entry
            else None
        )
        if ended is not None:
            return Row(number, ended.data)
    scopes.seeded = (run.seed if run else 1, case.key, 1)
    scopes.now_us = (run.started_at if run else None) or now_us()
    begin = begin_of(stored.project, source_of(stored.project, case.rows, project), scopes)
    return begin.rows[0] if begin.rows else None
