"""What a case's steps kept last, also what its keeps, as they are now, take from answers that were
kept before: for a page that shows it, and for a step that is sent by itself."""

from __future__ import annotations

import sqlite3
from typing import Any

from msgspec.structs import replace

from saltpath.core.answers.answer import Answer
from saltpath.core.answers.exchange import MASK, led_here
from saltpath.core.answers.subjects import Subject, find, taken
from saltpath.core.cases.case import Case, Step
from saltpath.core.format.readable import readable_case, readable_suite
from saltpath.core.paths import offloading
from saltpath.core.references.scopes import Scope, Scopes
from saltpath.core.running.roles import role_of
from saltpath.core.values import plain
from saltpath.core.values.why import Blocked
from saltpath.store import cases, evidence, runs
from saltpath.store.documents import Document
from saltpath.store.evidence import StepEvidence

LARGEST_BODY = 256_000


def last_kept(
    main: sqlite3.Connection,
    evidence_side: sqlite3.Connection,
    stored: tuple[int, int],
    case: Case,
    environment: str,
) -> dict[str, Any]:
    """By name what was kept last in an environment: in the case's newest run, or in a trial since
    then. What was kept as a secret is not known any more. `stored`: the project's id and the
    case's."""
    keeping = {step.key: step for _, _, step in case.parts() if step.answered}
    values: dict[str, Any] = {}
    for run, position in reversed(runs.since_last_run(main, *stored, environment)):
        for step in evidence.steps(evidence_side, run, position):
            if evidence.hidden(step.head.inner):
                continue
            known = Scopes(Scope())
            for name, value in values.items():
                known.keep(name, value)
            now = kept(keeping[step.key], step, known) if step.key in keeping else step
            for name, value in now.kept.items():
                if name not in step.secret_kept and MASK not in str(value):
                    values[name] = value
    return values


def last_handed(
    main: sqlite3.Connection,
    evidence_side: sqlite3.Connection,
    stored: cases.StoredCase,
    levels: list[Document],
    environment: str,
) -> dict[str, Any]:
    """By name what the cases that set a case's suite up, and the folders around it, kept last in an
    environment. `levels`: these, the outermost first."""
    values: dict[str, Any] = {}
    read = [(level.id, readable_suite(level.document)[0]) for level in levels]
    heads = cases.heads(main, stored.project) if any(suite.set_up for _, suite in read) else []
    for level, suite in read:
        for head in heads:
            if head.suite != level or head.id == stored.id:
                continue
            if role_of(suite, head.key, head.file) != "set up":
                continue
            other = cases.case_at(main, head.id, head.version)
            case = readable_case(other.unread or other.document, other.name, other.key)[0]
            of = (stored.project, other.id)
            values |= last_kept(main, evidence_side, of, case, environment)
    return values


def kept(step: Step, seen: StepEvidence, scopes: Scopes) -> StepEvidence:
    """The step's evidence with what its keeps, as they are now, take from the kept answer; secrets
    and what cannot be taken stay as they were."""
    answer = answer_of(seen)
    if answer is None:
        return seen
    values = {keep.name: seen.kept[keep.name] for keep in step.keep if keep.name in seen.kept}
    for keep in step.keep:
        if keep.secret or keep.name in seen.secret_kept or may_take_long(keep.of, len(answer.body)):
            continue
        try:
            with offloading.deferred({}):
                found = find(keep.of, answer, scopes)
        except (Blocked, offloading.Slow):
            continue
        value = taken(found) if found.nodes else None
        if found.nodes and MASK not in plain.as_text(value):
            values[keep.name] = value
    return replace(seen, kept=values)


_JUDGED = ("nothing-handed-over", "cleanup-answered", "keep-nothing")


def answer_of(step: StepEvidence, namespaces: tuple[tuple[str, str], ...] = ()) -> Answer | None:
    """The answer that the step's checks were judged on; None if none came, or the step was blocked
    before that."""
    if not step.exchanges or step.exchanges[-1].why is not None:
        return None
    judged_any = any(outcome.verdict != "skipped" for outcome in step.outcomes)
    if (
        step.head.verdict == "blocked"
        and not judged_any
        and step.why is not None
        and step.why.code not in _JUDGED
    ):
        return None
    last = step.exchanges[-1]
    times = last.times
    return Answer(
        last.status,
        last.received_head,
        last.body,
        times.total,
        times.total - times.receiving,
        namespaces,
        redirects=led_here(step.exchanges),
    )


def may_take_long(subject: Subject, size: int) -> bool:
    """Whether a subject waits for the runner, which has a time limit."""
    if subject.kind != "path" or subject.plain:
        return False
    return (
        size > LARGEST_BODY
        or subject.text.count("..") > 1
        or subject.path is None
        or subject.path.library is not None
    )
