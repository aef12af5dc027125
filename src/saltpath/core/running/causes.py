"""What a failure is a case of: its signature, by which the failures of a run, and of many runs, are
told as one cause. It is made of what does not change from one time to the next: the step (of shared
steps the step in them, whoever uses them), the check as it is written, the code of the reason, the
place in the answer without its indexes, an error's status; never of values. Where nobody answers at
all, it is the host that failed, whichever step asked."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterable, Sequence

from msgspec import Struct
from msgspec.structs import replace

from saltpath.core.cases.case import Case, Step
from saltpath.core.checks.outcome import Outcome
from saltpath.core.running.events import CaseFinished, RowFinished, StepFinished
from saltpath.core.values import plain
from saltpath.core.values.plain import cut
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import Why

ERROR = 400
"""An answer from this status on is another cause than one below it."""
LONGEST_SAID = 200
"""Characters of what one failure says for itself."""
_BAD = ("failed", "blocked")
_ONE_OF = ("any of",)
"""Groups that fail as a whole: none of their parts is to blame."""
_INDEX = re.compile(r"\[\d+\]")
_NAMED = ("name", "column")
"""Parameters of reasons that name something of the case, and are no values."""
_OF_HOST = {
    "refused": ("host", "port"),
    "no-host": ("host",),
    "timed-out-connecting": ("host",),
    "tls": ("host",),
    "not-up": ("host",),
    "set-up": ("case",),
}
"""Reasons for which no step is to blame, and what they are told apart by."""
_HOLDERS = ("inside", "inside-item")
"""Codes of steps that failed because one inside them did, which is told by itself."""
_WANTING = "no-value"
_CASE = -1
"""Where a row's number would stand: anything of the case."""


class Failure(Struct, frozen=True, omit_defaults=True):
    """A step, row or case that failed or was blocked."""

    verdict: Verdict
    step: str = ""
    """What the step is called; empty of a row or a case that never came to one."""
    shared: str = ""
    """What the shared steps are called that it stands in, else empty."""
    checks: tuple[str, ...] = ()
    """The check as it is written, after the groups that it stands in."""
    of: str = ""
    """The subject of the check, as it writes it."""
    place: str = ""
    """Where in the answer, without indexes."""
    status: int = 0
    """Of the answer, if that is an error's; else 0."""
    code: str = ""
    """Of the reason (see values/why.py); empty where there is none."""
    said: str = ""
    """What it was this time, with values."""
    signature: str = ""
    """16 hexadecimal digits."""


def failure_of(event: StepFinished, case: Case) -> Failure | None:
    """What a step's end is a case of; None if it is no failure, or that of a step inside it.
    `case`: with the shared steps in their places."""
    if event.verdict not in _BAD or (event.why is not None and event.why.code in _HOLDERS):
        return None
    step, holder = _located(case, event.part, event.step, event.inner)
    path = tuple(_to_blame(event.outcomes, event.verdict))
    outcome = path[-1] if path else None
    failure = Failure(
        verdict=event.verdict,
        step=step.name,
        shared="" if holder is case else holder.name,
        checks=tuple(item.check for item in path),
        of=outcome.of if outcome is not None else "",
        place=_INDEX.sub("[*]", outcome.where[0]) if outcome is not None and outcome.where else "",
        status=event.status if event.status >= ERROR else 0,
    )
    reason = event.why if outcome is None else outcome.why
    return _signed(failure, (holder.key, step.key), reason, event.why or reason)


def failure_without_step(event: RowFinished | CaseFinished, case: Case) -> Failure | None:
    """The same of a row, or a case, that went wrong before any step of it did."""
    if event.verdict not in _BAD or event.why is None:
        return None
    return _signed(Failure(event.verdict), (case.key, ""), event.why, event.why)


class FailureFinder:
    """Finds the failures among the events of a run. `cases`: the plan's, with their shared steps in
    their places."""

    def __init__(self, cases: Sequence[Case]) -> None:
        self._cases = cases
        self._went_wrong: set[tuple[int, int]] = set()

    def find(self, event: StepFinished | RowFinished | CaseFinished) -> Failure | None:
        """What the event is a case of; None if it is no failure, or only follows from what went
        wrong before it."""
        failure = self._failure(event) if event.verdict in _BAD and self._cases else None
        if isinstance(event, RowFinished):
            self._went_wrong.discard((event.case, event.row))
        return failure

    def _failure(self, event: StepFinished | RowFinished | CaseFinished) -> Failure | None:
        case = self._cases[event.case]
        of_case, around_rows = (event.case, _CASE), (event.case, 0)
        if isinstance(event, CaseFinished):
            return None if of_case in self._went_wrong else failure_without_step(event, case)
        place = (event.case, event.row)
        went_wrong_before = place in self._went_wrong or around_rows in self._went_wrong
        if isinstance(event, RowFinished):
            failure, only_follows = failure_without_step(event, case), True
        else:
            failure = failure_of(event, case)
            only_follows = failure is not None and follows(failure)
        if failure is not None:
            self._went_wrong |= {place, of_case}
        return None if only_follows and went_wrong_before else failure


def is_of_host(failure: Failure) -> bool:
    """Whether nobody answered at all, so that no step and no case is to blame."""
    return failure.code in _OF_HOST and failure.code != "set-up"


def follows(failure: Failure) -> bool:
    """Whether it may only follow from another of its row: a value was never kept."""
    return failure.code == _WANTING


def _signed(
    failure: Failure, where: tuple[str, str], reason: Why | None, told: Why | None
) -> Failure:
    """The failure with its signature and what it says. `where`: the keys of the document and the
    step to blame; `reason`: of the check, where there is one; `told`: the step's."""
    code = reason.code if reason is not None else ""
    params = reason.params if reason is not None else {}
    apart = _OF_HOST.get(code)
    if apart is not None:
        where, failure = ("", ""), replace(failure, step="", shared="")
    same = [
        *where,
        failure.checks,
        code,
        [params[one] for one in apart or _NAMED if one in params],
        failure.place,
        failure.status,
    ]
    signature = hashlib.blake2b(plain.write_json(same), digest_size=8).hexdigest()
    said = cut(told.sentence, LONGEST_SAID) if told is not None else ""
    shown = {
        name: plain.whole_text(getattr(failure, name)) for name in ("step", "shared", "place", "of")
    }
    return replace(
        failure,
        **shown,
        checks=tuple(map(plain.whole_text, failure.checks)),
        code=code,
        said=plain.whole_text(said),
        signature=signature,
    )


def _to_blame(outcomes: Iterable[Outcome], verdict: Verdict) -> Iterable[Outcome]:
    """The first check that gave a step its verdict, after the groups that it stands in."""
    first = next((item for item in outcomes if item.verdict == verdict and item.counts), None)
    if first is not None:
        yield first
        if first.relation not in _ONE_OF:
            yield from _to_blame((part for part in first.parts if part.role != "when"), verdict)


def _located(case: Case, part: str, index: int, inner: str) -> tuple[Step, Case]:
    """A step by where it stands (see events.py), and the document that holds it."""
    step, holder = case.part(part)[index], case  # type: ignore[arg-type]
    for piece in inner.split("/") if inner else ():
        item, dot, at = piece.partition(".")
        if dot:
            step = step.inside[int(at)]
        else:
            holder = step.shared or holder  # type: ignore[attr-defined]
            step = step.carried_out[int(item)]
    return step, holder
