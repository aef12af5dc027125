"""One request step: its request sent, also several times, and what becomes of it."""

from __future__ import annotations

from functools import partial

from msgspec.structs import replace as replaced

from saltpath.core.answers.answer import Answer, Mentions
from saltpath.core.answers.exchange import Exchange, led_here
from saltpath.core.cases.case import Part, Request
from saltpath.core.cases.options import NO_OPTIONS, Options
from saltpath.core.checks.judge import Outcome
from saltpath.core.references.scopes import Scopes
from saltpath.core.references.templates import Template
from saltpath.core.values.why import Blocked
from saltpath.engine.client import Aborted
from saltpath.engine.ending import ended
from saltpath.engine.judging import Done, blocked_step, faulty_step, repeated
from saltpath.engine.quick.sole import sole_exchange
from saltpath.engine.sending import send
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
            sole = await sole_exchange(step, options, session, exchanges)
            if sole is None:
                exchange = await send(step, options, session, exchanges)
            else:
                exchange, seen = sole
        else:
            sending_again = partial(send, step, options, session)
            exchange, until, attempts = await repeated(
                step, step.repeat, options, session, exchanges, sending_again
            )
        if exchange.why is not None:
            raise Blocked(exchange.why)
        answer = Answer(
            exchange.status,
            exchange.received_head,
            exchange.body,
            exchange.times.total,
            exchange.times.total - exchange.times.receiving,
            options.namespaces,
            seen,
            led_here(exchanges) if len(exchanges) > 1 else (),
        )
        return await ended(step, answer, session, part, wanted, exchanges, until, attempts)
    except Blocked as problem:
        return blocked_step(step, problem.reason, exchanges, masker)
    except Aborted:
        raise
    except Exception as problem:
        return faulty_step(step, problem, exchanges, masker)
    finally:
        scopes.asking = None


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
