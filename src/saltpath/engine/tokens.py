"""Tokens by OAuth 2's client credentials (RFC 6749, 4.4): fetched once a run, renewed when they end
or are refused."""

from __future__ import annotations

import asyncio
import base64
import time
from collections.abc import Callable
from urllib.parse import quote, quote_plus, urlsplit

from msgspec import Struct

from saltpath.core.answers.exchange import Exchange
from saltpath.core.cases.options import Options
from saltpath.core.running.prepare import Prepared
from saltpath.core.values import plain
from saltpath.core.values.why import Blocked, why
from saltpath.engine.client import Client

EARLY_S = 10.0
"""A token counts as ended so long before it does."""


class _Token(Struct):
    text: str
    ends_s: float


class Tokens:
    """The tokens of a run, by where and for whom they were fetched."""

    def __init__(self, now_s: Callable[[], float] = time.monotonic) -> None:
        self._known: dict[tuple[str, ...], _Token] = {}
        self._locks: dict[tuple[str, ...], asyncio.Lock] = {}
        self._now_s = now_s

    def known(self, who: tuple[str, ...]) -> str | None:
        """The token for (token url, client id, client secret, scope), if there is one that has not
        ended."""
        token = self._known.get(who)
        return token.text if token is not None and self._now_s() < token.ends_s else None

    def forget(self, who: tuple[str, ...], text: str) -> None:
        """Drop a token that was refused."""
        if who in self._known and self._known[who].text == text:
            del self._known[who]

    async def fetch(
        self, who: tuple[str, ...], client: Client, options: Options, exchanges: list[Exchange]
    ) -> str:
        """Fetch a token; the exchange is appended. Steps that want the same one wait for it. Raises
        Blocked."""
        lock = self._locks.setdefault(who, asyncio.Lock())
        async with lock:
            known = self.known(who)
            if known is not None:
                return known
            exchange = await client.exchange(_request(who), options)
            exchanges.append(exchange)
            token = self._known[who] = _token(exchange, self._now_s())
            return token.text


def _request(who: tuple[str, ...]) -> Prepared:
    address, name, secret, scope = who
    if urlsplit(address).scheme not in ("http", "https"):
        raise Blocked(
            why(
                "oauth2",
                address=address,
                problem="its token url must begin with http:// or https://",
            )
        )
    signed = base64.b64encode(f"{quote_plus(name)}:{quote_plus(secret)}".encode()).decode()
    body = "grant_type=client_credentials" + (f"&scope={quote(scope, safe='')}" if scope else "")
    headers = (
        ("Authorization", f"Basic {signed}"),
        ("Content-Type", "application/x-www-form-urlencoded"),
        ("Accept", "application/json"),
        ("User-Agent", "saltpath"),
    )
    return Prepared("POST", address, headers, body.encode())


def _token(exchange: Exchange, now_s: float) -> _Token:
    """What a token endpoint answered (RFC 6749, 5.1 and 5.2)."""
    if exchange.why is not None:
        raise Blocked(why("oauth2", address=exchange.address, problem=exchange.why.sentence))
    try:
        document = plain.read_json(exchange.body)
    except plain.NotPlain:
        document = None
    fields = document if isinstance(document, dict) else {}
    if exchange.status != 200:
        reason = ": ".join(
            str(fields[key]) for key in ("error", "error_description") if fields.get(key)
        )
        raise Blocked(
            why(
                "oauth2",
                address=exchange.address,
                problem=f"answered {exchange.status}" + (f", {reason}" if reason else ""),
            )
        )
    text = fields.get("access_token")
    if not isinstance(text, str) or not text:
        raise Blocked(
            why("oauth2", address=exchange.address, problem="the answer holds no access_token")
        )
    if str(fields.get("token_type", "bearer")).lower() != "bearer":
        raise Blocked(
            why(
                "oauth2",
                address=exchange.address,
                problem=f"it is of type {fields['token_type']}, not bearer",
            )
        )
    lasts = fields.get("expires_in")
    seconds = 3600.0
    if plain.is_number(lasts) and 0 < lasts < 10**9:  # type: ignore[operator]
        seconds = float(lasts)  # type: ignore[arg-type]
    return _Token(text, now_s + max(seconds - EARLY_S, seconds / 2))
