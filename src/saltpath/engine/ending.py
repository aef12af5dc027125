"""The end of a step that got an answer: its checks judged, its verdict, its values kept, secrets
masked. Requests and look-ups share it."""

from __future__ import annotations

from saltpath.core.answers.answer import Answer
from saltpath.core.answers.exchange import Exchange
from saltpath.core.cases.case import CLEANING, Part, Step
from saltpath.core.checks.judge import Outcome, judge_all, verdict_of
from saltpath.core.paths import offloading
from saltpath.core.running.sent import asker
from saltpath.core.values.why import Why
from saltpath.engine.judging import (
    NOTHING,
    Done,
    inherited,
    judged_slowly,
    kept_slowly,
    mask_done,
    masked,
    reasoned,
    take_kept,
)
from saltpath.engine.session import Session


async def ended(
    step: Step,
    answer: Answer,
    session: Session,
    part: Part,
    wanted: frozenset[str],
    exchanges: list[Exchange],
    until: tuple[Outcome, ...] = (),
    attempts: int = 1,
) -> Done:
    """What becomes of a step of this part with the answer of the last of its exchanges. `wanted`:
    the names of kept values that later steps use; `until`: the outcomes of what was waited for, in
    so many attempts. Raises whatever a fault raises."""
    scopes, masker, exchange = session.scopes, session.masker, exchanges[-1]
    us = exchange.times.total
    scopes.now_us = exchange.begun_us + us
    if step.asks:
        scopes.asking = asker(exchange, answer, scopes)
    try:
        outcomes, verdict = judge_all(step.expect, answer, scopes)
    except offloading.Slow as asked:
        outcomes, verdict = await judged_slowly(step, answer, session, asked)
    if step.inherited or until:
        outcomes = (*outcomes, *await inherited(step, answer, session), *until)
        verdict = verdict_of(outcomes)
    reason: Why | None = None
    if verdict != "passed":
        verdict, reason = reasoned(step, outcomes, verdict, answer, part, wanted)
    kept, lost = NOTHING
    if step.keep:
        try:
            kept, lost = take_kept(step.keep, answer, scopes, masker)
        except offloading.Slow as asked:
            kept, lost = await kept_slowly(step, answer, session, asked)
    if lost is not None and verdict != "failed":
        verdict, reason = "blocked", reason if verdict == "blocked" else lost
    counts = verdict != "unchecked" or part not in CLEANING
    shown: tuple[Exchange, ...] = ()
    if not masker.any:  # and so nothing else has to be masked
        shown = masked(exchanges, masker) if session.private or len(exchanges) > 1 else (exchange,)
    done = Done(
        verdict,
        masker.why(reason),
        us,
        exchange.status,
        shown,
        outcomes,
        kept,
        (),
        counts,
        attempts,
    )
    return mask_done(done, step, exchanges, masker) if masker.any else done
