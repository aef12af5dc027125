"""The cookies by which a browser is known again: the session's, and one that says in which browser
somebody has signed in before. Over TLS their names begin with `__Host-`, which browsers take only
with Secure, for this host and from its root alone (RFC 6265bis, 4.1.3.2)."""

from __future__ import annotations

import base64
import hmac
import os
import sqlite3
from hashlib import sha256

from flask import Response, request

from saltpath.store import people
from saltpath.store.people import Person

SESSION, KNOWN, STATE = "saltpath", "saltpath-known", "saltpath-state"
KNOWN_S = 365 * 86_400


def _name(kind: str) -> str:
    """Without TLS the port is part of it: what listens at other ports of a host shares its
    cookies."""
    if request.is_secure:
        return f"__Host-{kind}"
    _, _, port = request.host.rpartition(":")
    return f"{kind}-{port}" if port.isdigit() else kind


def read(kind: str) -> str:
    """The cookie's value; empty: there is none."""
    return request.cookies.get(_name(kind), "")


def give(answer: Response, kind: str, value: str, seconds: int) -> None:
    answer.set_cookie(
        _name(kind),
        value,
        max_age=seconds,
        path="/",
        secure=request.is_secure,
        httponly=True,
        samesite="Lax",
    )


def take_away(answer: Response, kind: str) -> None:
    answer.delete_cookie(
        _name(kind), path="/", secure=request.is_secure, httponly=True, samesite="Lax"
    )


def known_browser(connection: sqlite3.Connection, person: Person) -> str:
    """What a browser is given in which somebody has signed in: a number of its own, vouched for by
    the installation."""
    number = base64.urlsafe_b64encode(os.urandom(12)).decode()
    return f"{number}.{_vouched(connection, person, number)}"


def browser_of(connection: sqlite3.Connection, person: Person | None, value: str) -> str:
    """The number of a browser in which this person has signed in before; empty for any other text,
    and for nobody, which takes as long."""
    number, _, vouched = value.partition(".")
    right = hmac.compare_digest(
        vouched.encode("utf-8", "replace"), _vouched(connection, person, number).encode()
    )
    return number if right and person is not None else ""


def _vouched(connection: sqlite3.Connection, person: Person | None, number: str) -> str:
    key, whose = people.browsers_key(connection), person.oid if person else ""
    made = hmac.new(key, f"{whose}/{number}".encode("utf-8", "replace"), sha256).digest()
    return base64.urlsafe_b64encode(made).decode().rstrip("=")
