"""What an operation does is written down (store/audit.py): who did it, by which way and from where,
to what. Each says in `declared.py` what it did, as a sentence goes on behind a name."""

from __future__ import annotations

from flask import Response, g, request

from saltpath.core.values import plain
from saltpath.server.context import database
from saltpath.store import audit
from saltpath.store.audit import Act, Way

MADE = 201
FOLDED = ("saveCase", "changeValues", "describeRun")
"""What pages do by themselves while somebody types: one line within ten minutes."""
_NAMES = ("name", "title", "address", "begins")


def concerns(project: int | None, oid: str, name: str) -> None:
    """What the operation is about; the last thing that is said counts."""
    g.concerns = (project, oid, name)


def named(name: str) -> None:
    """By what name it is to be written down what the operation is about."""
    project, oid, _ = g.get("concerns", (None, "", ""))
    g.concerns = (project, oid, name)


def nothing_done() -> None:
    """The operation only looked, this time."""
    g.nothing_done = True


def done(operation: str, did: str, answer: Response) -> None:
    """Write down what an operation did, once it is done and before it is answered."""
    if g.get("nothing_done", False):
        return
    project, oid, name = g.get("concerns", (None, "", ""))
    if answer.status_code == MADE and answer.mimetype == "application/json":
        made = plain.read_json(answer.get_data())
        oid = str(made.get("id", oid))
        name = next((str(made[key]) for key in _NAMES if made.get(key)), name)
        name = f"run {made['number']}, {name}" if "number" in made else name
    caller = g.get("caller")
    act = Act(
        operation,
        did.format(name),
        caller.way if caller else "nobody",
        request.remote_addr or "",
        caller.person.id if caller else None,
        project,
        oid,
    )
    audit.write_down(database(), act, fold=operation in FOLDED)


def note(operation: str, about: str, person: int | None, way: Way) -> None:
    """Write down something that is no operation's success: a failed sign-in, a refusal."""
    act = Act(operation, about, way, request.remote_addr or "", person)
    audit.write_down(database(), act, fold=True)
