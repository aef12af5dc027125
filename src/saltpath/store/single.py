"""Single requests: requests that belong to no case yet. Each is stored as a case of one step in a
place of the project that no outline, run or export shows, so that all that works on a case works on
them: revisions, trials, evidence."""

from __future__ import annotations

import sqlite3
from typing import Any

from saltpath.core.values import plain
from saltpath.store import cases, evidence, runs
from saltpath.store.cases import StoredCase
from saltpath.store.database import VersionConflict, new_id, now_us, write

SINGLE = 1
NAME = "Single requests"
_TRIES = 5


def home(
    connection: sqlite3.Connection, project: int, actor: int, kind: int = SINGLE, name: str = NAME
) -> int:
    """The id of the hidden place of this kind, which holds a project's single requests; made when
    it is first needed."""
    document = plain.write_json({"salt-path": 1, "suite": name}).decode()
    with write(connection):
        connection.execute(
            "INSERT OR IGNORE INTO suite (project, oid, name, folder, document, version, "
            "position, actor, made_at, hidden)"
            " VALUES (?, ?, ?, ?, ?, 1, -1, ?, ?, ?)",
            (project, new_id("suite"), name, f"({name.lower()})", document, actor, now_us(), kind),
        )
    row = connection.execute(
        "SELECT id FROM suite WHERE project = ? AND hidden = ?", (project, kind)
    ).fetchone()
    return int(row["id"])


def into_new_case(
    connection: sqlite3.Connection, single: StoredCase, suite: int, name: str, actor: int
) -> StoredCase:
    """The single request becomes the first step of a case in a suite. It stays the same record, so
    its evidence goes with it. Raises VersionConflict if it was saved meanwhile; then it is where it
    was."""
    document = {**single.document, "case": name}
    cases.save_case(connection, single.oid, actor, single.version, document, single.comments)
    return cases.move_case(connection, single.oid, suite, None)


def into_case(
    connection: sqlite3.Connection,
    kept: sqlite3.Connection,
    single: StoredCase,
    target: str,
    actor: int,
) -> tuple[StoredCase, str]:
    """The single request becomes the last step of a case (`target`, its oid), with what it saw
    last. Gives the case and the step's key. `kept`: the connection to the evidence. Raises
    VersionConflict where the case is saved by others again and again."""
    step: dict[str, Any] = single.document["steps"][0]
    for tried in range(_TRIES):
        case = cases.case(connection, target)
        keys = {other.get("key") for other in case.document.get("steps", [])}
        own = {name: value for name, value in step.items() if name != "key" or value not in keys}
        document = {**case.document, "steps": [*case.document.get("steps", []), own]}
        try:
            saved = cases.save_case(
                connection, target, actor, case.version, document, case.comments
            )
            break
        except VersionConflict:
            if tried == _TRIES - 1:
                raise
    made = saved.document["steps"][-1]
    _take_evidence(connection, kept, single, saved, len(saved.document["steps"]) - 1, made["key"])
    cases.remove_case(connection, single.oid)
    return saved, str(made["key"])


def _take_evidence(
    connection: sqlite3.Connection,
    kept: sqlite3.Connection,
    single: StoredCase,
    case: StoredCase,
    index: int,
    key: str,
) -> None:
    """What the single request saw last, as a trial of the case's new step: evidence first, as
    everywhere."""
    last = runs.last_run_of_case(connection, single.project, single.id, ("trial",))
    if last is None:
        return
    run, position = last
    with write(kept):
        evidence.copy_step(kept, run, position, position + 1, index, key)
    with write(connection):
        runs.copy_case(connection, run, position, case, position + 1)
