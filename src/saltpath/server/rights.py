"""Who may do what: each operation says its right (`declared.py`), each role and each scope of a key
has some. This is the one table; what the API does, what pages offer and what `docs/permissions.md`
says come from it."""

from __future__ import annotations

import sqlite3
from contextlib import AbstractContextManager
from typing import Literal, get_args

from flask import current_app, g, request

from saltpath.server.entry.callers import Caller, caller
from saltpath.server.entry.pace import Pace
from saltpath.server.problems import Refused
from saltpath.store import people, second_factors
from saltpath.store.access_keys import Scope
from saltpath.store.database import NotFound, now_us
from saltpath.store.people import Role

Right = Literal["open", "anyone", "self", "read", "run", "edit", "own", "administer"]
"""`open`: nobody need be known; `anyone`: it is about no project; `self`: it is about the account
of whoever asks, or what only a person does; `administer`: it is about the installation."""
RIGHTS: tuple[Right, ...] = get_args(Right)
ROLES: dict[Role, frozenset[Right]] = {
    "owner": frozenset({"read", "run", "edit", "own"}),
    "editor": frozenset({"read", "run", "edit"}),
    "runner": frozenset({"read", "run"}),
    "viewer": frozenset({"read"}),
}
SCOPES: dict[Scope, frozenset[Right]] = {
    "read": frozenset({"read"}),
    "run": frozenset({"read", "run"}),
    "write": frozenset({"read", "edit"}),
}
"""What a key may do at most: what its maker may there, and one of its scopes."""
SAID: dict[Right, str] = {
    "self": "do this, which is for people alone",
    "read": "look at this",
    "run": "run this",
    "edit": "change this",
    "own": "decide about this",
    "administer": "administer this installation",
}
_OF_PROJECTS: frozenset[Right] = frozenset({"read", "run", "edit", "own"})
CONFIRMED_US = 15 * 60_000_000
"""So long a password that was given counts for what lets others in."""
_PEOPLE_ALONE: frozenset[Right] = frozenset({"self", "own", "administer"})


def begin(connection: sqlite3.Connection, operation: str, right: Right) -> None:
    """An operation begins that needs a right. Raises Refused where nothing that it could name would
    make a difference, so that nothing is read of what whoever may not do it has sent."""
    g.right, g.permitted = right, right in ("open", "anyone", "self")
    if right == "open":
        return
    asking = caller(connection)
    if asking.way == "key" and right in _PEOPLE_ALONE:
        raise Refused(403, "not-allowed", f"A key may not {SAID[right]}.")
    if right == "administer":
        permit_administrator(connection)
    elif right in _OF_PROJECTS and not _anywhere(connection, asking, right):
        raise Refused(403, "not-allowed", f"You may not {SAID[right]}, in any project.")


def _anywhere(connection: sqlite3.Connection, asking: Caller, right: Right) -> bool:
    """Whether whoever asks has the right in some project, or would in one that they make."""
    if asking.key is not None and asking.key.project is not None:
        return right in held_in(connection, asking, asking.key.project)
    if asking.person.administrator:
        return right in ROLES["owner"] & _of_key(asking)
    roles = people.roles_of(connection, asking.person).values()
    return any(right in ROLES[role] & _of_key(asking) for role in roles)


def turn() -> AbstractContextManager[None]:
    """A turn of something that costs much, for whoever asks."""
    asking: Caller | None = g.get("caller")
    key = asking.key.oid if asking and asking.key else ""
    pace: Pace = current_app.config["PACE"]
    return pace.turn(key or (asking.person.oid if asking else request.remote_addr or ""))


def permit(connection: sqlite3.Connection, asking: Caller, project: int) -> None:
    """Let the operation do what it does in a project. Raises NotFound for whoever has no part in
    it, and Refused for whoever may not do this there."""
    held = held_in(connection, asking, project)
    if not held:
        raise NotFound("there is no such project, or nothing of this name in one of yours")
    right: Right = g.right
    if right in _OF_PROJECTS and right not in held:
        what = (
            "With this key" if asking.way == "key" else f"As {_role(connection, asking, project)}"
        )
        where = "" if asking.way == "key" else " of this project"
        raise Refused(403, "not-allowed", f"{what}{where} you may not {SAID[right]}.")
    g.permitted = True


def permit_administrator(connection: sqlite3.Connection) -> None:
    """Let an operation on the installation do what it does, which on a project needs less. Raises
    Refused."""
    asking = caller(connection)
    if asking.way == "key" or not asking.person.administrator:
        raise Refused(403, "not-allowed", f"You may not {SAID['administer']}.")
    by_password = asking.session is not None and asking.session.way != "provider"
    if by_password and not asking.person.has_second and second_factors.is_needed(connection):
        told = "Administrators need a second factor here: set one in your account first."
        raise Refused(403, "second-factor-needed", told)
    g.permitted = True


def confirmed(connection: sqlite3.Connection) -> None:
    """Look whether whoever asks has shown just now that it is they, and no other at a page that was
    left open. Whoever has no password here came by somebody who vouches, or works alone. Raises
    Refused."""
    asking = caller(connection)
    if asking.session is None or not asking.person.has_password:
        return
    if now_us() - asking.session.confirmed_at > CONFIRMED_US:
        raise Refused(403, "confirm", "Give your password again: this opens something to others.")


def held_in(connection: sqlite3.Connection, asking: Caller, project: int) -> frozenset[Right]:
    """What whoever asks may do in a project; nothing for whoever has no part in it."""
    role = _role(connection, asking, project)
    if role is None:
        return frozenset()
    if asking.key is not None and asking.key.project not in (None, project):
        return frozenset()
    return ROLES[role] & _of_key(asking)


def _of_key(asking: Caller) -> frozenset[Right]:
    """What a key lets its maker do at most; without one everything."""
    if asking.key is None:
        return frozenset(RIGHTS)
    return frozenset().union(*(SCOPES[scope] for scope in asking.key.scopes))


def _role(connection: sqlite3.Connection, asking: Caller, project: int) -> Role | None:
    return people.role_in(connection, asking.person, project)


def end(operation: str) -> None:
    """An operation has answered. Whoever wrote it forgot to ask for a right if none was looked
    at."""
    if not g.permitted:
        raise AssertionError(f"{operation} answers without having looked at any right")
