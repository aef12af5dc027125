"""Looks into databases, so that tables and columns can be pointed at: each is a case of one look-up
in a hidden place of the project, since only a runner may ask a database. The same look is the same
case; the oldest go."""

from __future__ import annotations

import sqlite3
from typing import Any

from saltpath.store import cases, single
from saltpath.store.cases import StoredCase

KIND = 3
NAME = "Looks"
MOST = 40


def look(
    connection: sqlite3.Connection, project: int, actor: int, name: str, asked: dict[str, Any]
) -> StoredCase:
    """The case of this look, made when it is first wanted. `asked`: the keys of a look-up that say
    what is asked."""
    step: dict[str, Any] = {"look up": name, **asked}
    known = of_name(connection, project, name)
    if known is not None:
        steps = [
            {key: value for key, value in step.items() if key != "key"}
            for step in known.document["steps"]
        ]
        if steps == [step]:
            return known
        document = {**known.document, "steps": [step]}
        return cases.save_case(
            connection, known.oid, actor, known.version, document, known.comments
        )
    held = cases.hidden_cases(connection, project, KIND)
    for old in sorted(held, key=lambda item: item.id)[: max(len(held) - MOST + 1, 0)]:
        cases.remove_case(connection, old.oid)
    place = single.home(connection, project, actor, KIND, NAME)
    return cases.add_case(
        connection, project, place, actor, {"salt-path": 1, "case": name, "steps": [step]}
    )


def of_name(connection: sqlite3.Connection, project: int, name: str) -> StoredCase | None:
    """The case of a look, if there was one."""
    return next(iter(cases.hidden_cases(connection, project, KIND, name)), None)
