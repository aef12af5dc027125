"""Who may do what: each operation says its right (`declared.py`), each role has some. Until people
come, one local owner may all."""

from __future__ import annotations

import sqlite3
from typing import Literal

from flask import g

from saltpath.server.problems import Refused
from saltpath.store import people
from saltpath.store.database import NotFound

Right = Literal["anyone", "read", "run", "edit", "own", "administer"]
"""`anyone`: it is about no project; `administer`: it is about the installation."""
ROLES: dict[str, frozenset[Right]] = {
    "viewer": frozenset({"read"}),
    "runner": frozenset({"read", "run"}),
    "editor": frozenset({"read", "run", "edit"}),
    "owner": frozenset({"read", "run", "edit", "own"}),
}
SAID: dict[Right, str] = {
    "read": "look at this",
    "run": "run this",
    "edit": "change this",
    "own": "decide about this",
    "administer": "administer this installation",
}


def begin(connection: sqlite3.Connection, person: people.Person, right: Right) -> None:
    """An operation begins that needs a right. Raises Refused where nothing that it could name would
    make a difference."""
    g.right, g.permitted = right, right == "anyone"
    if right == "administer":
        if not people.administers(connection, person):
            raise Refused(403, "not-allowed", f"You may not {SAID[right]}.")
        g.permitted = True


def permit(connection: sqlite3.Connection, person: people.Person, project: int) -> None:
    """Let the operation do what it does in a project. Raises NotFound for whoever has no part in
    it, and Refused for whoever may not do this there."""
    role = people.role_in(connection, person, project)
    if role is None:
        raise NotFound("there is no such project, or nothing of this name in one of yours")
    right: Right = g.right
    if right not in ("anyone", "administer") and right not in ROLES[role]:
        raise Refused(403, "not-allowed", f"As {role} of this project you may not {SAID[right]}.")
    g.permitted = True


def end(operation: str) -> None:
    """An operation has answered. Whoever wrote it forgot to ask for a right if none was looked
    at."""
    if not g.permitted:
        raise AssertionError(f"{operation} answers without having looked at any right")
