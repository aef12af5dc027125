"""The causes of a run's failures: what each says, and whom it happened to."""

from __future__ import annotations

from saltpath.server.caches import VersionCache
from saltpath.server.compiled import summary_of
from saltpath.server.context import database
from saltpath.store import causes, runs
from saltpath.store.causes import Cause

_ended: VersionCache[tuple[Cause, ...]] = VersionCache(200)
"""The causes of runs that have ended."""

SENTENCES = {
    "answered": "{step} answered {status}",
    "at": "{step}: {said}",
    "by itself": "{said}",
    "differently": "{step}: {check} did not hold, in {values} ways; the first: {said}",
    "blocked differently": "{step} could not be carried out, in {values} ways; the first: {said}",
    "without a reason": "{step} was {verdict}",
}
"""What a cause says, whoever it happened to."""
WHO = {
    "one": "“{case}”",
    "row": "Row {row} of “{case}”",
    "again and again": "“{case}”, {failures} times",
    "rows": "{rows} rows of “{case}”",
    "cases": "{cases} cases",
    "rows of cases": "{rows} rows of {cases} cases",
}
"""Whom it happened to."""
ALONE = {
    "one": "",
    "row": "Row {row}",
    "again and again": "{failures} times",
    "rows": "{rows} rows",
}
"""The same in a run of one case, which need not be named."""
INSIDE = "{step} in {shared}"
OF_STATUS = "status"


def causes_of(run: runs.Run) -> tuple[Cause, ...]:
    """What the failures of a run are cases of. Of one that has ended it is counted once: of very
    many rows that takes as long as a page may."""

    def counted() -> tuple[Cause, ...]:
        return tuple(causes.causes(database("evidence"), run.id))

    return _ended.of(run.oid, run.state, counted) if run.state == "finished" else counted()


def who(cause: Cause, first: runs.RunCase, alone: bool) -> str:
    """Whom a cause was met in, of whom this is the first; `alone`: the run has no other case."""
    if cause.cases > 1:
        kind = "rows of cases" if cause.rows > cause.cases else "cases"
    elif cause.rows > 1:
        kind = "rows"
    elif cause.failures > 1:
        kind = "again and again"
    else:
        kind = "row" if cause.row and summary_of(first).has_rows else "one"
    return (ALONE if alone else WHO)[kind].format(
        case=first.name,
        row=cause.row,
        failures=cause.failures,
        rows=cause.rows,
        cases=cause.cases,
    )


def sentence(cause: Cause) -> str:
    """What a cause says, without whom it happened to."""
    failure = cause.failure
    step = (
        INSIDE.format(step=failure.step, shared=failure.shared)
        if failure.shared and failure.shared != failure.step
        else failure.step
    )
    said = cause.said[0] if cause.said else ""
    return SENTENCES[_kind(cause, said)].format(
        step=step,
        said=said,
        status=failure.status,
        check=failure.checks[-1] if failure.checks else "",
        verdict=failure.verdict,
        values=cause.values,
    )


def _kind(cause: Cause, said: str) -> str:
    failure = cause.failure
    if failure.status and failure.of == OF_STATUS:
        return "answered"
    if not failure.step:
        return "by itself"
    if cause.values > 1:
        return "differently" if failure.checks else "blocked differently"
    return "at" if said else "without a reason"
