"""A request that takes one exchange: most do, and each layer of coroutines less is a hundredth of
what an exchange costs."""

from __future__ import annotations

from saltpath.core.answers.answer import Mentions, mentions
from saltpath.core.answers.exchange import REDIRECTS, Exchange
from saltpath.core.cases.case import Request
from saltpath.core.cases.options import Options
from saltpath.core.paths import offloading
from saltpath.core.running.prepare import Prepared, prepare
from saltpath.engine.handle import Sending
from saltpath.engine.sending import ASKING, followed
from saltpath.engine.session import Session

Sole = tuple[Exchange, Mentions | None]
"""The exchange, and what its head mentions where that is known."""


async def sole_exchange(
    step: Request, options: Options, session: Session, exchanges: list[Exchange]
) -> Sole | None:
    """The step's last exchange, of those that are added to `exchanges`; None where it may take
    several, and nothing was sent."""
    prepared = _prepared(step, options, session)
    if prepared is None:
        return None
    sending = session.client.begin(prepared, options)
    if isinstance(sending, Sending):
        await sending
        exchange = session.client.end(sending, prepared, options)
    else:
        exchange = sending
    exchanges.append(exchange)
    seen = mentions(exchange.received_head)
    if exchange.status in REDIRECTS or seen.cookie:
        return await followed(prepared, options, session, exchanges), None
    return exchange, seen


def _prepared(step: Request, options: Options, session: Session) -> Prepared | None:
    """The finished request, if nothing but redirects or cookies can come of it; else None."""
    if session.jar.cookies or not options.straight:
        return None
    if step.auth is not None and step.auth.kind in ASKING:
        return None
    try:
        prepared = prepare(step, session.scopes)
    except offloading.Slow:
        return None
    session.private = prepared.private
    return prepared
