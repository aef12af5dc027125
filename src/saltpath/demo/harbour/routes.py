"""What a route of the harbour takes and gives, and the table of routes."""

from __future__ import annotations

import re
from collections.abc import Callable
from email.message import Message
from html import escape
from typing import Any, NamedTuple

from msgspec import Struct

from saltpath.core.values import plain
from saltpath.demo.harbour.port import Port, Refusal


class Call(Struct, frozen=True):
    """One request as the routes see it."""

    port: Port
    method: str
    path: str
    keys: dict[str, str]
    query: dict[str, str]
    raw: bytes
    headers: Message
    agent: str
    base: str

    @property
    def body(self) -> Any:
        """The body as JSON; an empty one as an empty object. Raises Refusal."""
        if not self.raw:
            return {}
        try:
            return plain.read_json(self.raw)
        except plain.NotPlain as problem:
            raise Refusal(400, f"the body is not JSON: {problem}") from None


class Reply(NamedTuple):
    """`body`: octets as they are, anything else as JSON, None for none."""

    status: int
    body: Any = None
    headers: tuple[tuple[str, str], ...] = ()


Route = Callable[[Call], Reply]
ROUTES: list[tuple[str, re.Pattern[str], Route, bool]] = []


def route(method: str, path: str, signed: bool = False) -> Callable[[Route], Route]:
    """Enter a function into the table. `signed`: only for agents who signed in at /sessions."""
    pattern = re.compile(re.sub(r"\{(\w+)\}", r"(?P<\1>[^/]+)", path) + r"/?")

    def register(answer: Route) -> Route:
        ROUTES.append((method, pattern, answer, signed))
        return answer

    return register


def page(title: str, said: str, lines: str) -> Reply:
    """A small page of what has come; `lines` is HTML."""
    text = (
        f'<!doctype html><meta charset="utf-8"><title>{escape(title)}</title>'
        f"<h1>{escape(title)}</h1><p>{escape(said)}</p>{lines}"
    )
    return Reply(200, text.encode(), (("Content-Type", "text/html; charset=utf-8"),))


def wants_json(call: Call) -> bool:
    return call.headers.get("Accept", "").startswith("application/json")
