"""What came back is judged: checks, what is waited for, kept values, the verdict; with patience for
what is slow, and secrets masked."""

from __future__ import annotations

import logging
import time
from collections.abc import Awaitable, Callable
from typing import Any, TypeVar

import msgspec
from msgspec.structs import replace

from saltpath.core.answers.answer import Answer
from saltpath.core.answers.exchange import Exchange, led_here
from saltpath.core.answers.subjects import find, taken
from saltpath.core.cases.case import CLEANING, Part, Request, Step, Write
from saltpath.core.cases.expectations import Expectation, Keep, Repeat
from saltpath.core.cases.options import NO_OPTIONS, Options
from saltpath.core.checks.judge import Outcome, about, judge_all, judge_inherited, unjudged
from saltpath.core.paths import offloading
from saltpath.core.paths.jsonpath import MISSING
from saltpath.core.references.scopes import Scopes
from saltpath.core.running.events import Wrote
from saltpath.core.running.outputs import written
from saltpath.core.running.sent import asker
from saltpath.core.values.measures import show_duration
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import Blocked, MaskedWhy, Why, fault, said, why
from saltpath.engine.client import Aborted
from saltpath.engine.masking import Masker
from saltpath.engine.sending import retry_after_s
from saltpath.engine.session import Session

log = logging.getLogger("saltpath.engine")
T = TypeVar("T")
Kept = tuple[dict[str, Any], Why | None]
NOTHING: Kept = ({}, None)


class Done(msgspec.Struct, frozen=True, gc=False):
    """What became of a step, secrets already masked. A cleaning-up step without checks does not
    count. `attempts`: how often a step that repeats was sent; `exchanges` then holds the first and
    the last attempt's. `judged`: of a step that holds others, whether a check of theirs was.
    `wrote`: its row of an output table."""

    verdict: Verdict
    why: MaskedWhy | None
    us: int
    status: int
    exchanges: tuple[Exchange, ...] = ()
    outcomes: tuple[Outcome, ...] = ()
    kept: dict[str, Any] = {}
    secret_kept: tuple[str, ...] = ()
    counts: bool = True
    attempts: int = 1
    judged: bool = False
    wrote: Wrote | None = None


async def now(work: Callable[[], T], session: Session) -> T:
    """The work's result; what is slow in it is done by the helper, while other exchanges go on."""
    try:
        return work()
    except offloading.Slow as asked:
        return await session.patiently(work, asked)


async def judged_slowly(
    step: Step, answer: Answer, session: Session, asked: offloading.Slow
) -> tuple[tuple[Outcome, ...], Verdict]:
    return await session.patiently(lambda: judge_all(step.expect, answer, session.scopes), asked)


async def inherited(step: Step, answer: Answer, session: Session) -> tuple[Outcome, ...]:
    return await now(lambda: judge_inherited(step.inherited, answer, session.scopes), session)


async def kept_slowly(step: Step, answer: Answer, session: Session, asked: offloading.Slow) -> Kept:
    return await session.patiently(
        lambda: take_kept(step.keep, answer, session.scopes, session.masker), asked
    )


def answer_of(exchange: Exchange, options: Options, redirects: tuple[bytes, ...] = ()) -> Answer:
    times = exchange.times
    return Answer(
        exchange.status,
        exchange.received_head,
        exchange.body,
        times.total,
        times.total - times.receiving,
        options.namespaces or (),
        redirects=redirects,
    )


async def repeated(
    step: Step,
    repeat: Repeat,
    options: Options,
    session: Session,
    exchanges: list[Exchange],
    attempt_of: Callable[[list[Exchange]], Awaitable[Exchange]],
) -> tuple[Exchange, tuple[Outcome, ...], int]:
    """Send until the checks hold or the time is up. A blocked attempt counts as not yet; no attempt
    starts after the time. Gives the last exchange, the outcomes of `until`, and the number of
    attempts. Raises Blocked with the last one's reason."""
    begun = time.monotonic()
    attempt = first = 0
    while True:
        attempt += 1
        session.scopes.begin_attempt(step.key, attempt)
        tried: list[Exchange] = []
        problem: Blocked | None = None
        outcomes: tuple[Outcome, ...] = ()
        try:
            exchange = await attempt_of(tried)
            if exchange.why is not None:
                problem = Blocked(exchange.why)
            else:
                outcomes = await _until_outcomes(step, repeat.until, tried, options, session)
        except Blocked as blocked:
            problem = blocked
        del exchanges[first:]
        exchanges += tried
        if attempt == 1:
            first = len(exchanges)
        if outcomes and all(outcome.verdict in ("passed", "skipped") for outcome in outcomes):
            return exchange, outcomes, attempt
        pause = repeat.every_us / 1e6 if problem else retry_after_s(exchange, repeat.every_us / 1e6)
        if time.monotonic() - begun + pause > repeat.at_most_us / 1e6:
            if problem is not None:
                raise problem
            return (
                exchange,
                tuple(_never(outcome, repeat, attempt) for outcome in outcomes),
                attempt,
            )
        if await session.pause(pause):
            raise Aborted


async def _until_outcomes(
    step: Step,
    until: tuple[Expectation, ...],
    tried: list[Exchange],
    options: Options,
    session: Session,
) -> tuple[Outcome, ...]:
    exchange = tried[-1]
    answer = answer_of(exchange, options, led_here(tried))
    session.scopes.now_us = exchange.begun_us + exchange.times.total
    if step.asks:
        session.scopes.asking = asker(exchange, answer, session.scopes)
    pairs = tuple(("until", item) for item in until)
    return await now(lambda: judge_inherited(pairs, answer, session.scopes), session)


async def wrote(write: Write, done: Done, session: Session) -> Wrote:
    """The step's row of an output table, secrets masked."""
    last = done.exchanges[-1] if done.exchanges and done.exchanges[-1].why is None else None
    answer = answer_of(last, NO_OPTIONS) if last else None
    reason = done.why.sentence if done.why else ""
    row = await now(lambda: written(write, session.scopes, done.verdict, reason, answer), session)
    return Wrote(write.table, session.masker.value(row) if session.masker.any else row)


def _never(outcome: Outcome, repeat: Repeat, attempts: int) -> Outcome:
    """A check of `until` that did not hold in the end is a failed check of the step."""
    if outcome.verdict in ("passed", "skipped") or outcome.why is None:
        return outcome
    limit = show_duration(repeat.at_most_us)
    return replace(
        outcome,
        why=why("until-never", limit=limit, attempts=attempts, problem=outcome.why.sentence),
    )


def blocked_step(step: Step, reason: Why, exchanges: list[Exchange], masker: Masker) -> Done:
    skipped = tuple(unjudged(item, "skipped") for item in step.expect)
    last = exchanges[-1] if exchanges else None
    return Done(
        "blocked",
        masker.why(reason),
        last.times.total if last else 0,
        last.status if last else 0,
        masked(exchanges, masker),
        skipped,
    )


def masked_fault(problem: BaseException, masker: Masker) -> MaskedWhy:
    """The reason of a fault of Salt Path's own, which may speak of anything."""
    try:
        return masker.reason(fault(problem))
    except Exception:
        return said("fault", problem=type(problem).__name__)


def faulty_step(step: Step, problem: Exception, exchanges: list[Exchange], masker: Masker) -> Done:
    """What becomes of a step in which Salt Path itself made a mistake: it is blocked, with the
    exchanges that there were."""
    log.error("a fault of Salt Path's own in the step %s", step.name, exc_info=problem)
    reason = masked_fault(problem, masker)
    try:
        return blocked_step(step, reason, exchanges, masker)
    except Exception:
        return Done("blocked", reason, 0, exchanges[-1].status if exchanges else 0)


def reasoned(
    step: Step,
    outcomes: tuple[Outcome, ...],
    verdict: Verdict,
    answer: Answer,
    part: Part,
    wanted: frozenset[str],
) -> tuple[Verdict, Why | None]:
    """The verdict of a step that did not pass, with the rules for hand-over and cleaning-up
    steps."""
    if verdict != "unchecked":
        index, bad = next(
            (i, o) for i, o in enumerate(outcomes) if o.verdict == verdict and o.counts
        )
        return verdict, about(bad, step.expect[index] if index < len(step.expect) else None)
    if part in CLEANING:
        if answer.status < 400 or (
            isinstance(step, Request) and step.method == "DELETE" and answer.status in (404, 410)
        ):
            return "unchecked", None
        return "blocked", why("cleanup-answered", status=answer.status)
    if answer.status >= 400 and any(keep.name in wanted for keep in step.keep):
        return "blocked", why("nothing-handed-over", status=answer.status)
    return "unchecked", None


def take_kept(keeps: tuple[Keep, ...], answer: Answer, scopes: Scopes, masker: Masker) -> Kept:
    """Take the kept values into the scope. The first that finds nothing blocks the step; the others
    are still kept."""
    kept: dict[str, Any] = {}
    lost: Why | None = None
    for keep in keeps:
        path = keep.of.path
        try:
            if path is not None and keep.of.plain:
                get = path.get
                value = get(answer.json())
                if value is not MISSING:
                    kept[keep.name] = value
                    continue
            found = find(keep.of, answer, scopes)
            if not found.nodes:
                problem = found.nothing.sentence if found.nothing else f"nothing at {keep.of.text}"
                near = found.nothing.params.get("near", "") if found.nothing else ""
                raise Blocked(why("keep-nothing", name=keep.name, problem=problem, near=near))
            kept[keep.name] = taken(found)
        except Blocked as problem:
            lost = lost or problem.reason
    for keep in keeps:
        name = keep.name
        if name in kept:
            scopes.keep(name, kept[name], keep.secret)
            if keep.secret:
                masker.add(kept[name])
    return kept, lost


# ---- masking


def masked(exchanges: list[Exchange], masker: Masker) -> tuple[Exchange, ...]:
    return tuple(masker.exchange(item) if masker.concerns(item) else item for item in exchanges)


def mask_done(done: Done, step: Step, exchanges: list[Exchange], masker: Masker) -> Done:
    """What became of a step, with these exchanges, secrets masked."""
    return replace(
        done,
        exchanges=masked(exchanges, masker),
        outcomes=tuple(mask_outcome(item, masker) for item in done.outcomes),
        kept=masker.value(done.kept),
        secret_kept=tuple(
            keep.name for keep in step.keep if keep.secret and keep.name in done.kept
        ),
    )


def mask_outcome(outcome: Outcome, masker: Masker) -> Outcome:
    return replace(
        outcome,
        check=masker.text(outcome.check),
        of=masker.text(outcome.of),
        where=tuple(map(masker.text, outcome.where)),
        expected=masker.value(outcome.expected),
        actual=masker.value(outcome.actual),
        why=masker.why(outcome.why),
        parts=tuple(mask_outcome(part, masker) for part in outcome.parts),
    )
