"""A stored run as reports tell it, for the server and for deliveries: read piece by piece while it
is written out."""

from __future__ import annotations

import sqlite3
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from datetime import date, datetime
from functools import partial

from msgspec import Struct

from saltpath.core.format.readable import project_zone
from saltpath.core.running.cause_sentences import Cause, sentence, who
from saltpath.core.running.events import StepFinished
from saltpath.core.running.totals import STOPPED, StepsTotal, run_verdict
from saltpath.core.values.why import MaskedWhy, Why, as_masked
from saltpath.formats.reports.report import (
    Place,
    Report,
    ReportedCase,
    ReportedCause,
    ReportedRow,
)
from saltpath.store import (
    cases,
    causes,
    evidence,
    folders,
    known,
    projects,
    run_rows,
    runs,
    summaries,
)
from saltpath.store.evidence import StepEvidence
from saltpath.store.known import Known

ROWS_AT_ONCE = 200
MOST_KNOWN = 100_000
"""Failures of one known cause that are found by their places."""


class Stored(Struct, frozen=True):
    """Where a run is read from, in this thread."""

    main: sqlite3.Connection
    evidence: sqlite3.Connection


def report_of(
    stored: Stored, run: runs.Run, address: str = "", counted: Sequence[Cause] | None = None
) -> Report:
    """What reports tell of a run that has ended. Its cases are read when they are asked for, in the
    same thread. `address`: where its page is; `counted`: its causes, where they are known."""
    entries = {entry.position: entry for entry in runs.run_cases(stored.main, run.id)}
    found = causes.causes(stored.evidence, run.id) if counted is None else counted
    alone = entries[0] if len(entries) == 1 else None
    held, day = known.known(stored.main, run.project), today(stored.main, run.project)
    told, places = list[ReportedCause](), dict[Place, str]()
    for cause in found:
        one = held.get(cause.signature)
        said = _said(one) if one is not None and is_known(one, day) else ""
        told.append(
            ReportedCause(
                _who(stored, run, cause, entries),
                sentence(cause),
                cause.failure.verdict,
                cause.cases,
                said,
            )
        )
        if said:
            places |= dict.fromkeys(_places(stored, run, cause.signature), said)
    return Report(
        run.verdict or "skipped",  # type: ignore[arg-type]
        run.seed,
        run.started_at or run.asked_at,
        run.finished_at - run.started_at if run.finished_at and run.started_at else 0,
        Counter(entry.verdict or "skipped" for entry in entries.values()),
        partial(_cases, stored, run, entries),
        told,
        title=run.title,
        project=projects.project_by_id(stored.main, run.project).name,
        number=run.number,
        environment=run.environment,
        build=run.build,
        note=run.note,
        started_by=run.actor,
        stopped_by=run.stopped_by,
        address=address,
        rows=alone.rows if alone is not None else None,
        known=places,
    )


def verdict_beside(stored: Stored, run: runs.Run, allowed: Iterable[str]) -> str:
    """The verdict of a run that has ended if what is allowed (`known`: cases that only met known
    causes; `unchecked`) is not held against it."""
    met = causes.of_cases(stored.evidence, run.id) if "known" in allowed else {}
    held, day = known.known(stored.main, run.project), today(stored.main, run.project)
    ended: list[tuple[str | None, MaskedWhy | None]] = []
    for entry in runs.run_cases(stored.main, run.id):
        verdict = entry.verdict
        signatures = met.get(entry.position, set())
        known_only = all(is_known(held.get(signature), day) for signature in signatures)
        if verdict in ("failed", "blocked") and signatures and known_only:
            verdict = "passed"
        if verdict == "unchecked" and "unchecked" in allowed:
            verdict = "passed"
        why = entry.why
        stopped = why is not None and why["code"] == STOPPED
        ended.append((verdict, as_masked(Why(STOPPED, {})) if stopped else None))
    return run_verdict(ended)  # type: ignore[arg-type]


def today(main: sqlite3.Connection, project: int) -> date:
    """In the project's zone."""
    document = projects.project_by_id(main, project).document
    return datetime.now(project_zone(document)).date()


def is_known(one: Known | None, day: date) -> bool:
    """Whether a cause is no news on that day."""
    return one is not None and date.fromisoformat(one.said.until) >= day


def _who(stored: Stored, run: runs.Run, cause: Cause, entries: dict[int, runs.RunCase]) -> str:
    first = entries[cause.first]
    met, of = causes.met_in(stored.evidence, run.id, cause.signature, entries)
    has_rows = _has_rows(stored, first)
    return who(cause, first.name, has_rows, len(entries) == 1, met, of)


def _has_rows(stored: Stored, entry: runs.RunCase) -> bool:
    return summaries.summary_at(stored.main, entry.case_id, entry.version).has_rows


def _said(one: Known) -> str:
    note = f": {one.said.note}" if one.said.note else ""
    return f"known until {one.said.until}, {one.said.owner}{note}"


def _places(stored: Stored, run: runs.Run, signature: str) -> Iterator[Place]:
    for failure in causes.failures(stored.evidence, run.id, signature, 0, MOST_KNOWN):
        place = failure.place
        yield place.position, place.row, place.part, place.step, place.inner


def _cases(
    stored: Stored, run: runs.Run, entries: dict[int, runs.RunCase]
) -> Iterator[ReportedCase]:
    paths = folders.paths_of(stored.main, run.project)
    for entry in entries.values():
        case = cases.case_at(stored.main, entry.case_id, entry.version)
        why = as_masked(Why(entry.why["code"], entry.why["params"])) if entry.why else None
        yield ReportedCase(
            entry.position,
            entry.name,
            case.key,
            str(case.document.get("register", "")),
            paths.get(entry.case_id, case.file),
            entry.suite,
            entry.verdict or "skipped",  # type: ignore[arg-type]
            why,
            entry.us or 0,
            _has_rows(stored, entry),
            [
                _event(step)
                for step in evidence.steps_of_row(stored.evidence, run.id, entry.position, 0)
            ],
            partial(_rows, stored, run, entry),
            entry.environment if len(run.environments) > 1 else "",
        )


def _rows(stored: Stored, run: runs.Run, entry: runs.RunCase) -> Iterator[ReportedRow]:
    if not _has_rows(stored, entry):
        yield from _only_row(stored, run, entry)
        return
    connection, last = stored.evidence, 0
    while True:
        rows = run_rows.after(connection, run.id, entry.position, last, ROWS_AT_ONCE)
        if not rows:
            return
        steps: dict[int, list[StepFinished]] = {}
        found = evidence.steps_of_rows(
            connection, run.id, entry.position, rows[0].row, rows[-1].row
        )
        for step in found:
            steps.setdefault(step.head.row, []).append(_event(step))
        for row in rows:
            yield ReportedRow(
                row.row,
                row.verdict,  # type: ignore[arg-type]
                row.why,
                row.us,
                row.data,
                steps.get(row.row, []),
            )
        last = rows[-1].row


def _only_row(stored: Stored, run: runs.Run, entry: runs.RunCase) -> Iterator[ReportedRow]:
    """That of a case without rows, which is not recorded by itself: what its steps add up to."""
    connection = stored.evidence
    found = evidence.steps_of_row(connection, run.id, entry.position, 1)
    if not found:
        return
    total = StepsTotal()
    recorded = evidence.recorded_steps(connection, run.id, entry.position, 1)
    for step in recorded.values():
        total.add(step)
    verdict, steps = total.verdict(), [_event(step) for step in found]
    yield ReportedRow(1, verdict, total.why, total.us, {}, steps)


def _event(step: StepEvidence) -> StepFinished:
    head = step.head
    return StepFinished(
        head.at,
        head.position,
        head.row,
        head.part,
        head.step,
        step.key,
        step.name,
        step.kind,
        head.verdict,  # type: ignore[arg-type]
        step.why,
        head.us,
        head.status,
        step.exchanges,
        step.outcomes,
        step.kept,
        step.used,
        step.secret_kept,
        step.counts,
        step.attempts,
        head.inner,
    )
