"""One request step: its request sent, also several times, its answer judged, values kept."""

from __future__ import annotations

from functools import partial

from msgspec.structs import replace as replaced

from saltpath.core.answers.answer import Answer, Mentions, mentions
from saltpath.core.answers.exchange import REDIRECTS, Exchange, led_here
from saltpath.core.cases.case import CLEANING, Part, Request
from saltpath.core.cases.options import NO_OPTIONS, Options
from saltpath.core.checks.judge import Outcome, judge_all, verdict_of
from saltpath.core.paths import offloading
from saltpath.core.references.scopes import Scopes
from saltpath.core.references.templates import Template
from saltpath.core.running.sent import asker
from saltpath.core.values.why import Blocked, Why
from saltpath.engine.client import Aborted
from saltpath.engine.handle import Sending
from saltpath.engine.judging import (
    NOTHING,
    Done,
    blocked_step,
    faulty_step,
    inherited,
    judged_slowly,
    kept_slowly,
    mask_done,
    masked,
    reasoned,
    repeated,
    take_kept,
)
from saltpath.engine.sending import at_once, followed, send
from saltpath.engine.session import Session


async def carry_out(
    step: Request, options: Options, session: Session, part: Part, wanted: frozenset[str]
) -> Done:
    """Carry out the step of this part. `wanted`: the names of kept values that later steps use."""
    scopes, masker = session.scopes, session.masker
    exchanges: list[Exchange] = []
    until: tuple[Outcome, ...] = ()
    attempts = 1
    seen: Mentions | None = None
    try:
        if step.options is not NO_OPTIONS:
            options = step.options.over(options)
        if not options.straight:
            options = _filled(options, scopes)
        if step.repeat is None:
            prepared = at_once(step, options, session)
            if prepared is None:
                exchange = await send(step, options, session, exchanges)
            else:  # most of the time; two layers of coroutines less
                sending = session.client.begin(prepared, options)
                if isinstance(sending, Sending):
                    await sending
                    exchange = session.client.end(sending, prepared, options)
                else:
                    exchange = sending
                exchanges.append(exchange)
                seen = mentions(exchange.received_head)
                if exchange.status in REDIRECTS or seen.cookie:
                    seen, exchange = None, await followed(prepared, options, session, exchanges)
        else:
            sending_again = partial(send, step, options, session)
            exchange, until, attempts = await repeated(
                step, step.repeat, options, session, exchanges, sending_again
            )
        if exchange.why is not None:
            raise Blocked(exchange.why)
        us = exchange.times.total
        answer = Answer(
            exchange.status,
            exchange.received_head,
            exchange.body,
            us,
            us - exchange.times.receiving,
            options.namespaces,
            seen,
            led_here(exchanges) if len(exchanges) > 1 else (),
        )
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
        scopes.asking = None
        counts = verdict != "unchecked" or part not in CLEANING
        if not masker.any:
            shown = (
                masked(exchanges, masker) if session.private or len(exchanges) > 1 else (exchange,)
            )
            return Done(
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
        done = Done(
            verdict,
            masker.why(reason),
            us,
            exchange.status,
            (),
            outcomes,
            kept,
            (),
            counts,
            attempts,
        )
        return mask_done(done, step, exchanges, masker)
    except Blocked as problem:
        scopes.asking = None
        return blocked_step(step, problem.reason, exchanges, masker)
    except Aborted:
        scopes.asking = None
        raise
    except Exception as problem:
        scopes.asking = None
        return faulty_step(step, problem, exchanges, masker)


def _filled(options: Options, scopes: Scopes) -> Options:
    """The options with their references resolved and their files read. Raises Blocked."""
    certificate = options.certificate
    if certificate is not None:
        pem = scopes.file(certificate.file)
        key = scopes.file(certificate.key) if certificate.key else pem
        certificate = replaced(
            certificate, pem=pem, key_pem=key, password=_fixed(scopes.text(certificate.password))
        )
    proxy = None if options.proxy is None else _fixed(scopes.text(options.proxy))
    if proxy is None and certificate is None:
        return options
    return replaced(options, proxy=proxy, certificate=certificate)


def _fixed(text: str) -> Template:
    return Template(text, (text,) if text else ())
