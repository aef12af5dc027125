"""What differs between what a step sent and got now, and what it sent and got when it last passed;
what differs among passes, too, is told apart."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import Any

from msgspec import Struct

from saltpath.core.answers.answer import Answer
from saltpath.core.answers.exchange import Exchange
from saltpath.core.assist.observations import places
from saltpath.core.paths.jsonpath import MISSING
from saltpath.core.values import plain
from saltpath.core.values.why import Blocked

MOST = 200
"""Differences of one step."""
MOST_PLACES = 20_000
LONGEST_TEXT = 20_000
_INDEX = re.compile(r"\[\d+\]")
_ALWAYS = ("date", "content-length", "age")
"""Headers that say nothing of the service that their answer does not."""
Part = str
Facts = dict[tuple[Part, str], Any]


class Difference(Struct, frozen=True):
    """One place that is otherwise. `part`: `answer` or `request`; `where`: `status`, `header X`, a
    path in the body, or `body` as a text."""

    part: Part
    where: str
    before: Any
    """MISSING: nothing stood there."""
    after: Any
    volatile: bool
    """It differs among passes, too."""


def since_pass(now: Exchange, passes: Sequence[Exchange]) -> list[Difference]:
    """What differs from the newest of the passes (newest first; at least one). Those that are
    always otherwise stand last."""
    after, *others = (facts_of(one) for one in (now, *passes))
    before = others[0]
    volatile = {_plain(place) for place in _varying(others)}
    found = []
    for place in dict.fromkeys([*before, *after]):
        was, is_now = before.get(place, MISSING), after.get(place, MISSING)
        if _same(was, is_now) or _inside_another(place, before, after):
            continue
        part, where = place
        found.append(Difference(part, where, was, is_now, _plain(place) in volatile))
        if len(found) >= MOST:
            break
    return sorted(found, key=lambda one: one.volatile)


def facts_of(exchange: Exchange) -> Facts:
    """What an exchange says, place by place."""
    facts: Facts = {}
    facts["request", "address"] = f"{exchange.method} {exchange.address}"
    facts |= {
        ("request", where): value for where, value in _body(exchange.sent_head, exchange.sent_body)
    }
    facts["answer", "status"] = exchange.status
    for name, value in exchange.headers:
        if name.lower() not in _ALWAYS:
            facts["answer", f"header {name.lower()}"] = value
    facts |= {
        ("answer", where): value for where, value in _body(exchange.received_head, exchange.body)
    }
    return facts


def _body(head: bytes, body: bytes) -> Iterator[tuple[str, Any]]:
    """A body place by place where it is JSON, else as one text."""
    if not body:
        return
    answer = Answer(0, head, body, 0)
    try:
        document = answer.json()
    except Blocked:
        document = MISSING
    if document is MISSING:
        yield "body", body[:LONGEST_TEXT].decode("utf-8", "replace")
        return
    if not isinstance(document, dict | list):
        yield "$", document
        return
    for number, (path, value) in enumerate(places(document)):
        if number >= MOST_PLACES:
            return
        yield path, value


def _varying(passes: Sequence[Facts]) -> Iterator[tuple[Part, str]]:
    """The places that are not the same in all passes."""
    for place in dict.fromkeys(place for facts in passes for place in facts):
        values = [facts.get(place, MISSING) for facts in passes]
        if any(not _same(value, values[0]) for value in values[1:]):
            yield place


def _plain(place: tuple[Part, str]) -> tuple[Part, str]:
    """A place of a list's item stands for that of every item."""
    return place[0], _INDEX.sub("[*]", place[1])


def _inside_another(place: tuple[Part, str], before: Facts, after: Facts) -> bool:
    """Whether what holds it differs as a whole, so that it is told there; or it holds others, which
    tell it."""
    was, is_now = before.get(place, MISSING), after.get(place, MISSING)
    if isinstance(was, dict | list) and plain.kind_of(was) == _kind(is_now):
        return True
    part, where = place
    above = (part, _above(where))
    if above not in before and above not in after:
        return False
    holder = before.get(above, MISSING), after.get(above, MISSING)
    return _kind(holder[0]) != _kind(holder[1])


def _kind(value: Any) -> str:
    return "" if value is MISSING else plain.kind_of(value)


def _above(where: str) -> str:
    """The path of what holds a place."""
    cut = max(where.rfind("."), where.rfind("["))
    return where[:cut] if cut > 0 else ""


def _same(one: Any, other: Any) -> bool:
    if one is MISSING or other is MISSING:
        return one is other
    return plain.same(one, other)
