"""One request step: prepare, send, follow redirects, judge, keep."""

from __future__ import annotations

from typing import Any
from urllib.parse import urljoin, urlsplit

import msgspec
from msgspec.structs import replace

from saltpath.core.answer import Answer
from saltpath.core.case import NO_OPTIONS, Keep, Options, Part, Request
from saltpath.core.checks.judge import Outcome, judge_all
from saltpath.core.exchange import Exchange
from saltpath.core.jsonpath import MISSING
from saltpath.core.prepare import Prepared, prepare
from saltpath.core.scopes import Scopes
from saltpath.core.subjects import find, taken
from saltpath.core.verdicts import Verdict
from saltpath.core.why import Blocked, Why, why
from saltpath.engine.client import Client
from saltpath.engine.masking import Masker

MOST_REDIRECTS = 10
_REDIRECTS = frozenset([301, 302, 303, 307, 308])
_BODY_HEADERS = frozenset(["content-type", "content-length", "content-encoding", "content-language"])
_OWN_HEADERS = frozenset(["authorization", "cookie"])


class Done(msgspec.Struct, frozen=True, gc=False):
    """What became of a step, secrets already masked. A cleaning-up step without checks does not count."""

    verdict: Verdict
    why: Why | None
    us: int
    status: int
    exchanges: tuple[Exchange, ...] = ()
    outcomes: tuple[Outcome, ...] = ()
    kept: dict[str, Any] = {}
    secret_kept: tuple[str, ...] = ()
    counts: bool = True


async def carry_out(
    step: Request, scopes: Scopes, options: Options, client: Client, masker: Masker, part: Part, wanted: frozenset[str]
) -> Done:
    """Carry out the step of this part. `wanted`: the names of kept values that later steps use."""
    if step.options is not NO_OPTIONS:
        options = step.options.over(options)
    exchanges: list[Exchange] = []
    try:
        prepared = prepare(step, scopes)
        exchange = await client.exchange(prepared, options)
        exchanges.append(exchange)
        if exchange.status in _REDIRECTS and exchange.why is None and options.follow_redirects:
            exchange = await _follow(prepared, options, client, exchanges)
        if exchange.why is not None:
            raise Blocked(exchange.why)
        us = exchange.times.total
        answer = Answer(exchange.status, exchange.received_head, exchange.body, us)
        outcomes, verdict = judge_all(step.expect, answer, scopes)
        reason: Why | None = None
        if verdict != "passed":
            verdict, reason = _verdict(step, outcomes, verdict, answer, part, wanted)
        kept, lost = _keep(step.keep, answer, scopes, masker) if step.keep else ({}, None)
        if lost is not None and verdict != "failed":
            verdict, reason = "blocked", reason if verdict == "blocked" else lost
    except Blocked as problem:
        return _blocked(step, problem.reason, exchanges, masker)
    counts = verdict != "unchecked" or part != "afterwards"
    if not masker.any:
        shown = _masked(exchanges, masker) if prepared.private or len(exchanges) > 1 else (exchange,)
        return Done(verdict, reason, us, exchange.status, shown, outcomes, kept, (), counts)
    shown = _masked(exchanges, masker)
    secret = tuple(keep.name for keep in step.keep if keep.secret and keep.name in kept)
    outcomes = tuple(_mask_outcome(item, masker) for item in outcomes)
    return Done(verdict, masker.why(reason), us, exchange.status, shown, outcomes, masker.value(kept), secret, counts)


def _blocked(step: Request, reason: Why, exchanges: list[Exchange], masker: Masker) -> Done:
    skipped = tuple(Outcome("skipped", check.sentence, note=check.note, advice=check.advice) for check in step.expect)
    last = exchanges[-1] if exchanges else None
    return Done(
        "blocked",
        masker.why(reason),
        last.times.total if last else 0,
        last.status if last else 0,
        _masked(exchanges, masker),
        skipped,
    )


def _verdict(
    step: Request, outcomes: tuple[Outcome, ...], verdict: Verdict, answer: Answer, part: Part, wanted: frozenset[str]
) -> tuple[Verdict, Why | None]:
    """The verdict of a step that did not pass, with the rules for hand-over and cleaning-up steps (decisions.md)."""
    if verdict != "unchecked":
        bad, check = next(
            (o, c) for o, c in zip(outcomes, step.expect, strict=True) if o.verdict == verdict and o.counts
        )
        return verdict, bad.why.about(check.of.text) if bad.why else None
    if part == "afterwards":
        if answer.status < 400 or (step.method == "DELETE" and answer.status in (404, 410)):
            return "unchecked", None
        return "blocked", why("cleanup-answered", status=answer.status)
    if answer.status >= 400 and any(keep.name in wanted for keep in step.keep):
        return "blocked", why("nothing-handed-over", status=answer.status)
    return "unchecked", None


def _keep(keeps: tuple[Keep, ...], answer: Answer, scopes: Scopes, masker: Masker) -> tuple[dict[str, Any], Why | None]:
    """Take the kept values into the scope. The first that finds nothing blocks the step; the others are still kept."""
    kept: dict[str, Any] = {}
    lost: Why | None = None
    for keep in keeps:
        try:
            if keep.of.plain and keep.of.path is not None:
                value = keep.of.path.get(answer.json())
                if value is not MISSING:
                    kept[keep.name] = value
                    continue
            found = find(keep.of, answer, scopes)
            if not found.nodes:
                problem = found.nothing.sentence if found.nothing else f"nothing at {keep.of.text}"
                raise Blocked(why("keep-nothing", name=keep.name, problem=problem))
            kept[keep.name] = taken(found)
        except Blocked as problem:
            lost = lost or problem.reason
    for keep in keeps:
        if keep.name in kept:
            scopes.keep(keep.name, kept[keep.name], keep.secret)
            if keep.secret:
                masker.add(kept[keep.name])
    return kept, lost


# ---- sending, redirects


async def _follow(prepared: Prepared, options: Options, client: Client, exchanges: list[Exchange]) -> Exchange:
    """Follow redirects ourselves (RFC 9110, 15.4), from the last of `exchanges`. Every hop is appended; the last one is
    returned."""
    seen: set[tuple[str, str]] = set()
    while True:
        exchange = exchanges[-1]
        seen.add((prepared.method, prepared.address))
        location = next((value for name, value in exchange.headers if name.lower() == "location"), None)
        if exchange.status not in _REDIRECTS or exchange.why is not None or location is None:
            return exchange
        prepared = _redirected(prepared, exchange.status, location)
        if (prepared.method, prepared.address) in seen:
            raise Blocked(why("redirect-loop", address=prepared.address))
        if len(exchanges) > MOST_REDIRECTS:
            raise Blocked(why("redirect-many", limit=MOST_REDIRECTS, address=prepared.address))
        exchanges.append(await client.exchange(prepared, options))


def _redirected(prepared: Prepared, status: int, location: str) -> Prepared:
    address = urljoin(prepared.address, location).partition("#")[0]
    try:
        parts, before = urlsplit(address), urlsplit(prepared.address)
        same_place = (parts.scheme, parts.hostname, parts.port) == (before.scheme, before.hostname, before.port)
    except ValueError as problem:
        raise Blocked(why("redirect-nowhere", address=address, problem=str(problem))) from None
    if parts.scheme not in ("http", "https") or not parts.hostname:
        raise Blocked(why("redirect-nowhere", address=address, problem="only http and https are followed"))
    method, body, headers = prepared.method, prepared.body, prepared.headers
    if (status == 303 and method != "HEAD") or (status in (301, 302) and method == "POST"):
        method, body = "GET", None
        headers = tuple(pair for pair in headers if pair[0].lower() not in _BODY_HEADERS)
    if not same_place:
        headers = tuple(pair for pair in headers if pair[0].lower() not in _OWN_HEADERS)
    return Prepared(method, address, headers, body)


# ---- masking


def _masked(exchanges: list[Exchange], masker: Masker) -> tuple[Exchange, ...]:
    return tuple(_mask_exchange(item, masker) if masker.concerns(item) else item for item in exchanges)


def _mask_exchange(exchange: Exchange, masker: Masker) -> Exchange:
    return replace(
        exchange,
        address=masker.text(exchange.address),
        sent_head=masker.head(exchange.sent_head),
        sent_body=masker.octets(exchange.sent_body),
        received_head=masker.octets(exchange.received_head),
        raw_body=masker.octets(exchange.raw_body),
        body=masker.octets(exchange.body),
        why=masker.why(exchange.why),
    )


def _mask_outcome(outcome: Outcome, masker: Masker) -> Outcome:
    expected, actual = masker.value(outcome.expected), masker.value(outcome.actual)
    return replace(outcome, expected=expected, actual=actual, why=masker.why(outcome.why))
