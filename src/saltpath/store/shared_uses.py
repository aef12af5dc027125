"""Which shared steps cases name. What a version of a case names never changes, so the last ones
are remembered, for all threads of this process."""

from __future__ import annotations

import sqlite3

from saltpath.core.cases.shared import uses
from saltpath.core.format.readable import readable_case
from saltpath.store.cases import SHARED, StoredCase, called, cases, heads

MOST = 20_000
_named: dict[tuple[str, int], tuple[str, ...]] = {}


def named_in(stored: StoredCase) -> tuple[str, ...]:
    """The names of the shared steps that a case, or shared steps, name, in order, each once."""
    key = (stored.oid, stored.version)
    found = _named.get(key)
    if found is None:
        case, _ = readable_case(stored.unread or stored.document, stored.name, stored.key)
        if len(_named) >= MOST:
            _named.clear()
        found = _named[key] = tuple(uses(case))
    return found


def of_project(connection: sqlite3.Connection, project: int) -> dict[int, set[int]]:
    """The numbers of the shared steps that there are and each case names, by the case's number."""
    every = heads(connection, project)
    found = {head.id: _named.get((head.oid, head.version)) for head in every}
    if None in found.values():
        found = {stored.id: named_in(stored) for stored in cases(connection, project)}
    number = {called(head): head.id for head in heads(connection, project, SHARED)}
    return {
        case: {number[name] for name in names or () if name in number}
        for case, names in found.items()
    }
