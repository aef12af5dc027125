"""Looks into databases, so that tables and columns can be pointed at: each is a case of one look-up in a hidden place of the project, since only
a runner may ask a database. The same look is the same case."""

from __future__ import annotations

import sqlite3
from typing import Any

from saltpath.store import cases, single
from saltpath.store.cases import StoredCase

KIND = 3
NAME = "Looks"


def look(connection: sqlite3.Connection, project: int, actor: int, name: str, database: str, sql: str) -> StoredCase:
    """The case of this look, made when it is first wanted."""
    step: dict[str, Any] = {"look up": name, "in": database, "sql": sql}
    for known in cases.hidden_cases(connection, project, KIND):
        if known.name == name:
            steps = [{key: value for key, value in step.items() if key != "key"} for step in known.document["steps"]]
            if steps == [step]:
                return known
            document = {**known.document, "steps": [step]}
            return cases.save_case(connection, known.oid, actor, known.version, document, known.comments)
    place = single.home(connection, project, actor, KIND, NAME)
    return cases.add_case(connection, project, place, actor, {"salt-path": 1, "case": name, "steps": [step]})
