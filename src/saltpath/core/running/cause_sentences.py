"""The causes of a run's failures: what each says, and whom it happened to."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence

from msgspec import Struct, field
from msgspec.structs import replace

from saltpath.core.running.causes import Failure
from saltpath.core.values.nearest import listed

MOST_SAID = 3
"""Of what failures of one cause said, so many different ones are given."""
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


class Cause(Struct, frozen=True):
    """What failures with one signature have in common."""

    signature: str
    failure: Failure
    """The first that was recorded."""
    cases: int
    rows: int
    """Of all its cases; a case without rows has one."""
    failures: int
    first: int
    """The position of the first case that it was met in."""
    row: int
    """The first row there; 0 around the rows."""
    said: tuple[str, ...]
    """What they said, the first few that differ."""
    values: int
    """In how many different ways they said it."""


def worst_first(causes: Sequence[Cause]) -> list[Cause]:
    """Failures before what was blocked, those of most cases first."""
    return sorted(
        causes, key=lambda one: (one.failure.verdict != "failed", -one.cases, -one.failures)
    )


def sentence_of(failure: Failure) -> str:
    """What one failure says, by itself."""
    return sentence(Cause(failure.signature, failure, 1, 1, 1, 0, 0, (failure.said,), 1))


class _Counted(Struct):
    failure: Failure
    places: set[tuple[int, int]] = field(default_factory=set)
    said: Counter[str] = field(default_factory=Counter)


class CauseCount:
    """Counts failures as they happen: `add` each, then ask for the `causes`."""

    def __init__(self) -> None:
        self._counted: dict[str, _Counted] = {}

    def add(self, position: int, row: int, failure: Failure) -> None:
        counted = self._counted.setdefault(failure.signature, _Counted(failure))
        counted.places.add((position, row))
        counted.said[failure.said] += 1

    def positions(self, signature: str) -> set[int]:
        """Of the cases that a cause was met in."""
        return {position for position, _ in self._counted[signature].places}

    def causes(self) -> list[Cause]:
        found = []
        for signature, counted in self._counted.items():
            first, row = min(counted.places)
            cases = len({position for position, _ in counted.places})
            said = tuple(text for text, _ in counted.said.most_common(MOST_SAID))
            found.append(
                Cause(
                    signature,
                    counted.failure,
                    cases,
                    len(counted.places),
                    counted.said.total(),
                    first,
                    row,
                    said,
                    len(counted.said),
                )
            )
        return worst_first(found)


def who(
    cause: Cause,
    case: str,
    has_rows: bool,
    alone: bool,
    met: Iterable[tuple[object, str]] = (),
    of: int = 1,
) -> str:
    """Whom a cause was met in. `case`: what the first is called, `has_rows`: whether it has such;
    `alone`: the run has no other case. Where the run went to `of` several environments, `met` are
    the cases that it was met in, each with where that was."""
    if of > 1:
        found = set(met)
        cause = _once(cause, len({case for case, _ in found}))
        where = sorted({environment for _, environment in found})
    if cause.cases > 1:
        kind = "rows of cases" if cause.rows > cause.cases else "cases"
    elif cause.rows > 1:
        kind = "rows"
    elif cause.failures > 1:
        kind = "again and again"
    else:
        kind = "row" if cause.row and has_rows else "one"
    there = f" against {listed(where)}" if of > 1 and len(where) < of else ""
    said = (ALONE if alone else WHO)[kind].format(
        case=case,
        row=cause.row,
        failures=cause.failures,
        rows=cause.rows,
        cases=cause.cases,
    )
    return f"{said}{there}"


def _once(cause: Cause, cases: int) -> Cause:
    """With the cases counted once that it was met in, wherever they went."""
    rows = cases if cause.rows == cause.cases else cause.rows
    failures = rows if cause.failures == cause.rows else cause.failures
    return replace(cause, cases=cases, rows=rows, failures=failures)


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
