"""Shared steps: each is stored as a case in a place of the project that no outline, run or export
shows as one, so that all that works on a case works on them. Cases know them by the name of their
file."""

from __future__ import annotations

import sqlite3
from typing import Any

from saltpath.core.cases.case import Case
from saltpath.core.format.folder import SHARED_ENDING, slug
from saltpath.core.format.readable import readable_case
from saltpath.store import cases, single
from saltpath.store.cases import SHARED, StoredCase, called

NAME = "Shared steps"


def shared_steps(connection: sqlite3.Connection, project: int) -> list[StoredCase]:
    """Those of a project, by their names."""
    return sorted(
        cases.hidden_cases(connection, project, SHARED), key=lambda stored: stored.name.lower()
    )


def documents(connection: sqlite3.Connection, project: int) -> dict[str, Any]:
    """Those of a project, by the name that others know them by."""
    return {
        called(stored): stored.unread or stored.document
        for stored in shared_steps(connection, project)
    }


def library(connection: sqlite3.Connection, project: int) -> dict[str, Case]:
    """Those of a project as cases link them; what cannot be read is not among them."""
    found = {}
    for stored in shared_steps(connection, project):
        case, broken = readable_case(stored.unread or stored.document, stored.name, stored.key)
        if not broken:
            found[called(stored)] = case
    return found


def add(
    connection: sqlite3.Connection,
    project: int,
    actor: int,
    document: dict[str, Any],
    comments: dict[str, list[str]] | None = None,
    name: str = "",
) -> StoredCase:
    """New ones, under a name that no others have; by default one made of what they are called."""
    taken = {called(stored) for stored in shared_steps(connection, project)}
    wanted = name or slug(cases.name_of(document), "steps")
    free = next(
        item
        for item in (wanted, *(f"{wanted}-{n}" for n in range(2, len(taken) + 3)))
        if item not in taken
    )
    place = single.home(connection, project, actor, SHARED, NAME)
    return cases.add_case(
        connection, project, place, actor, document, comments, f"shared/{free}{SHARED_ENDING}"
    )
