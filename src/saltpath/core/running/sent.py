"""What a check may ask beyond its subject: `[=sent ...]` of the request, `[=answer ...]` of the
answer."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any
from urllib.parse import parse_qsl, urlsplit

from saltpath.core.answers.answer import Answer
from saltpath.core.answers.exchange import Exchange
from saltpath.core.answers.subjects import Found, Subject, find, read_subject
from saltpath.core.references.scopes import Scopes
from saltpath.core.references.templates import Reference
from saltpath.core.values.why import Blocked, why


def asker(exchange: Exchange, answer: Answer, scopes: Scopes) -> Callable[[Reference], Any]:
    """Answers the references of this step's checks. They raise Blocked where there is nothing."""
    request = Answer(0, exchange.sent_head, exchange.sent_body, 0)

    def asked(reference: Reference) -> Any:
        kind, text = reference.asks or ("", "")
        if kind == "sent" and text.startswith("query "):
            return _of_query(exchange.address, text.removeprefix("query ").strip())
        subject = read_subject(text)
        found = find(subject, request if kind == "sent" else answer, scopes)
        if not found.nodes:
            problem = found.nothing.sentence if found.nothing else f"nothing at {text}"
            raise Blocked(why("unreadable", problem=f"{reference.text}: {problem}"))
        return _value(found, subject, bool(reference.pipes))

    return asked


def _value(found: Found, subject: Subject, piped: bool) -> Any:
    """One node as its value, several as a list; with pipes a path that may find several gives a
    list in any case."""
    values = [value for _, value in found.nodes]
    if piped and not found.single:
        return values
    return values[0] if len(values) == 1 else values


def _of_query(address: str, name: str) -> Any:
    values = [
        value
        for key, value in parse_qsl(urlsplit(address).query, keep_blank_values=True)
        if key == name
    ]
    if not values:
        raise Blocked(why("unreadable", problem=f"the request has no query parameter {name}"))
    return values[0] if len(values) == 1 else values
