"""Who asks: somebody signed in, a key that acts for somebody, or the one who works alone on this
machine. Found out once for each request, by the first operation that needs to know."""

from __future__ import annotations

import sqlite3
from ipaddress import ip_address
from typing import Literal

from flask import current_app, g, request
from msgspec import Struct

from saltpath.server.entry import cookies
from saltpath.server.guard import LOCAL, host_name
from saltpath.server.problems import Refused
from saltpath.store import access_keys, people, sessions
from saltpath.store.access_keys import AccessKey
from saltpath.store.people import Person
from saltpath.store.sessions import Session

_PASSED_ON = ("Forwarded", "X-Forwarded-For", "X-Forwarded-Host", "X-Real-IP", "Via")
_WRITES = frozenset(["POST", "PUT", "PATCH", "DELETE"])


class Caller(Struct, frozen=True):
    """Who asks, and by what."""

    person: Person
    way: Literal["session", "key", "alone"]
    session: Session | None = None
    key: AccessKey | None = None

    def still(self, connection: sqlite3.Connection) -> Caller | None:
        """The same as things are now; None where it has ended meanwhile."""
        if self.session is not None:
            stands = sessions.stands(connection, self.session.id)
        elif self.key is not None:
            stands = access_keys.stands(connection, self.key.id)
        else:
            stands = people.is_alone(connection)
        person = people.person_by_id(connection, self.person.id)
        if not stands or person.ended:
            return None
        return Caller(person, self.way, self.session, self.key)


def caller(connection: sqlite3.Connection) -> Caller:
    """Raises Refused for whoever is not known."""
    if "caller" not in g:
        g.caller = _found(connection)
    found: Caller | None = g.caller
    if found is None:
        raise Refused(401, "signed-out", "Sign in first.")
    return found


def known(connection: sqlite3.Connection) -> Caller | None:
    """The same; None for nobody, and for a key that is none."""
    try:
        return caller(connection)
    except Refused:
        return None


def _found(connection: sqlite3.Connection) -> Caller | None:
    given = request.headers.get("Authorization", "")
    if given:
        return _by_key(connection, given)
    token = cookies.read(cookies.SESSION)
    if token:
        found = sessions.of_token(connection, token)
        if found is not None:
            _check_own_page()
            sessions.seen(connection, found[0])
            return Caller(found[1], "session", session=found[0])
    if works_alone(connection):
        return Caller(people.local_owner(connection), "alone")
    return None


def _by_key(connection: sqlite3.Connection, given: str) -> Caller:
    scheme, _, text = given.partition(" ")
    found = access_keys.of_text(connection, text.strip()) if scheme.lower() == "bearer" else None
    if found is None:
        sentence = "This key is none that is known here, or it has ended."
        raise Refused(401, "key", sentence)
    access_keys.used(connection, found[0], request.remote_addr or "")
    return Caller(found[1], "key", key=found[0])


def _check_own_page() -> None:
    """What changes something with a cookie says that it is sent by a page of ours: a browser always
    does. Raises Refused."""
    told = request.headers.get("Origin") or request.headers.get("Sec-Fetch-Site")
    if request.method in _WRITES and not told:
        raise Refused(403, "foreign-origin", "A cookie counts only from pages; use a key.")


def works_alone(connection: sqlite3.Connection) -> bool:
    """Whether no sign-in is asked: the owner said so, this listens to this machine alone, and what
    asks is on it, with nothing between that might let others through."""
    return may_work_alone() and host_name(request.host) in LOCAL and people.is_alone(connection)


def may_work_alone() -> bool:
    """Whether the owner could say so here."""
    if not current_app.config["LOCAL_ONLY"] or any(name in request.headers for name in _PASSED_ON):
        return False
    try:
        return ip_address(request.remote_addr or "").is_loopback
    except ValueError:
        return False
