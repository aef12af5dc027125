"""Sending one request: cookies, sign-ins that ask first, retries, redirects. Every exchange on the
way is evidence."""

from __future__ import annotations

from msgspec.structs import replace
from msgspec.structs import replace as replaced

from saltpath.core.answers.answer import mentions
from saltpath.core.answers.exchange import REDIRECTS, Exchange, origin_of
from saltpath.core.answers.header_values import location_of, retry_after_of
from saltpath.core.cases.case import Request
from saltpath.core.cases.options import Options
from saltpath.core.paths import offloading
from saltpath.core.running.prepare import Prepared, prepare
from saltpath.core.values.why import Blocked, why
from saltpath.engine.client import Aborted
from saltpath.engine.session import Session

MOST_REDIRECTS = 10
LONGEST_RETRY_AFTER_S = 60.0
_BODY_HEADERS = frozenset(
    ["content-type", "content-length", "content-encoding", "content-language"]
)
_TO_STRANGERS = frozenset(["accept", "accept-encoding", "accept-language", "user-agent"])
"""The headers that go along to another origin. A browser that is led there by an answer sends no
others of a page's own, no credentials, and none of the first one's cookies (Fetch, 4.4; RFC 9110,
15.4)."""
ASKING = frozenset(["digest", "oauth2"])
_UNSAFE = frozenset(["POST", "PATCH"])


async def send(
    step: Request, options: Options, session: Session, exchanges: list[Exchange]
) -> Exchange:
    """Send the step's request and follow where it leads. Every exchange is appended to `exchanges`;
    the last one is returned.

    Raises Blocked: a value is missing, no token, redirects without end. What the network did stands
    in the exchange."""
    auth = step.auth
    if auth is not None and auth.kind == "oauth2":
        return await _with_token(step, options, session, exchanges)
    prepared = await prepared_for(step, session)
    session.private = True
    exchange = await _tried(prepared, options, session, exchanges)
    if (
        auth is not None
        and auth.kind == "digest"
        and exchange.status == 401
        and exchange.why is None
    ):
        exchange = await _by_digest(step, prepared, options, session, exchanges)
    if exchange.status in REDIRECTS and exchange.why is None and options.follow_redirects:
        exchange = await _follow(prepared, options, session, exchanges)
    return exchange


async def followed(
    prepared: Prepared, options: Options, session: Session, exchanges: list[Exchange]
) -> Exchange:
    """The last exchange after the one that was made alone (quick/sole.py): its cookies taken, its
    redirects followed."""
    exchange = exchanges[-1]
    if options.cookies:
        session.jar.take(prepared.address, exchange.headers, session.now_us())
    if exchange.status in REDIRECTS and exchange.why is None and options.follow_redirects:
        session.private = True
        exchange = await _follow(prepared, options, session, exchanges)
    return exchange


async def prepared_for(step: Request, session: Session, token: str = "") -> Prepared:
    """The finished request."""
    try:
        return prepare(step, session.scopes, token)
    except offloading.Slow as asked:
        return await session.patiently(lambda: prepare(step, session.scopes, token), asked)


async def _tried(
    prepared: Prepared, options: Options, session: Session, exchanges: list[Exchange]
) -> Exchange:
    """One exchange, tried again as often as the options say while it is blocked."""
    exchange = await _exchange(prepared, options, session)
    exchanges.append(exchange)
    left = options.retries or 0
    while exchange.why is not None and left and _may_retry(exchange, options):
        left -= 1
        if await session.pause((options.retry_after_us or 0) / 1e6):
            raise Aborted
        exchange = await _exchange(prepared, options, session)
        exchanges.append(exchange)
    return exchange


def _may_retry(exchange: Exchange, options: Options) -> bool:
    """What may have been carried out by the server is not sent twice unless the options say so."""
    return bool(options.retry_sent) or exchange.method not in _UNSAFE or not exchange.sent_head


async def _exchange(prepared: Prepared, options: Options, session: Session) -> Exchange:
    if session.jar.cookies and options.cookies:
        prepared = _with_cookies(prepared, session)
    exchange = await session.client.exchange(prepared, options)
    if options.cookies and mentions(exchange.received_head).cookie:
        session.jar.take(prepared.address, exchange.headers, session.now_us())
    return exchange


def _with_cookies(prepared: Prepared, session: Session) -> Prepared:
    own = "; ".join(value for name, value in prepared.headers if name.lower() == "cookie")
    text = session.jar.header(prepared.address, own, session.now_us())
    if text == own:
        return prepared
    headers = tuple(pair for pair in prepared.headers if pair[0].lower() != "cookie")
    return replace(prepared, headers=(*headers, ("Cookie", text)), private=True)


# ---- sign-ins that ask first


async def _by_digest(
    step: Request, prepared: Prepared, options: Options, session: Session, exchanges: list[Exchange]
) -> Exchange:
    """Answer the challenge; once more if the server says that its nonce was stale."""
    from saltpath.engine.digest import answered, challenge_of  # few servers ask for it

    assert step.auth is not None
    user, password = (session.scopes.text(part) for part in step.auth.parts)
    session.masker.add(password)
    exchange = exchanges[-1]
    for _ in range(2):
        challenge = challenge_of(exchange.headers)
        exchange = await _tried(
            answered(prepared, challenge, user, password), options, session, exchanges
        )
        if (
            exchange.why is not None
            or exchange.status != 401
            or b"stale=true" not in exchange.received_head.lower()
        ):
            break
    return exchange


async def _with_token(
    step: Request, options: Options, session: Session, exchanges: list[Exchange]
) -> Exchange:
    """Sign in by OAuth 2; a token of an earlier step that is refused is fetched anew, once."""
    session.private = True
    assert step.auth is not None
    address, name, secret, scope = (session.scopes.text(part) for part in step.auth.parts)
    who = (address, name, secret, scope)
    session.masker.add(secret)
    old = session.tokens.known(who)
    token = old or await session.tokens.fetch(who, session.client, options, exchanges)
    session.masker.add(token)
    prepared = await prepared_for(step, session, token)
    exchange = await _tried(prepared, options, session, exchanges)
    if old is not None and exchange.status == 401 and exchange.why is None:
        session.tokens.forget(who, old)
        token = await session.tokens.fetch(who, session.client, options, exchanges)
        session.masker.add(token)
        session.scopes.draw_again({})
        prepared = await prepared_for(step, session, token)
        exchange = await _tried(prepared, options, session, exchanges)
    if exchange.status in REDIRECTS and exchange.why is None and options.follow_redirects:
        exchange = await _follow(prepared, options, session, exchanges)
    return exchange


# ---- redirects


async def _follow(
    prepared: Prepared, options: Options, session: Session, exchanges: list[Exchange]
) -> Exchange:
    """Follow redirects ourselves (RFC 9110, 15.4), from the last of `exchanges`. Every hop is
    appended; the last one is returned."""
    seen: set[tuple[str, str]] = set()
    hops = 0
    while True:
        exchange = exchanges[-1]
        seen.add((prepared.method, prepared.address))
        location = next(
            (value for name, value in exchange.headers if name.lower() == "location"), None
        )
        address = None if location is None else location_of(prepared.address, location)
        if exchange.status not in REDIRECTS or exchange.why is not None or address is None:
            return exchange
        prepared = _redirected(prepared, exchange.status, address, options.trusted or ())
        if prepared.stranger and options.certificate is not None:
            options = replaced(options, certificate=None)
        if (prepared.method, prepared.address) in seen:
            raise Blocked(why("redirect-loop", address=prepared.address))
        hops += 1
        if hops > MOST_REDIRECTS:
            raise Blocked(why("redirect-many", limit=MOST_REDIRECTS, address=prepared.address))
        await _tried(prepared, options, session, exchanges)


def _redirected(
    prepared: Prepared, status: int, address: str, trusted: tuple[str, ...]
) -> Prepared:
    """The request that a redirect asks for. To another origin goes what a browser would send,
    unless it is trusted."""
    try:
        here, there = origin_of(prepared.address), origin_of(address)
    except ValueError as problem:
        raise Blocked(why("redirect-nowhere", address=address, problem=str(problem))) from None
    scheme, host, port = there
    if scheme not in ("http", "https") or not host:
        raise Blocked(
            why("redirect-nowhere", address=address, problem="only http and https are followed")
        )
    method, body, headers = prepared.method, prepared.body, prepared.headers
    if (status == 303 and method != "HEAD") or (status in (301, 302) and method == "POST"):
        method, body = "GET", None
        headers = tuple(pair for pair in headers if pair[0].lower() not in _BODY_HEADERS)
    stranger = prepared.stranger or (here != there and not {host, f"{host}:{port}"} & set(trusted))
    if stranger:
        if body is not None:
            raise Blocked(why("redirect-with-body", status=status, address=address, host=host))
        headers = tuple(pair for pair in headers if pair[0].lower() in _TO_STRANGERS)
    return Prepared(method, address, headers, body, redirected=True, stranger=stranger)


def retry_after_s(exchange: Exchange, usual_s: float) -> float:
    """How long to wait before sending again: what the answer's Retry-After says in seconds, up to a
    minute, else as usual."""
    for name, value in exchange.headers if exchange.why is None else ():
        if name.lower() == "retry-after" and (seconds := retry_after_of(value)) is not None:
            return min(seconds, LONGEST_RETRY_AFTER_S)
    return usual_s
