"""What runs made at the services that they asked, and what removed it again: kept as steps end, so
that it is known for as long as the run is."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable

import msgspec
from msgspec import Struct

from saltpath.core.running.resources import ResourceEvent, left
from saltpath.store import runs
from saltpath.store.causes import Place
from saltpath.store.runs import Run
from saltpath.store.step_rows import StepRow

REMOVAL = "removal"
"""The kind of a run that removes what another one left."""
PLACE = 4
NAME_OF_PLACE = "Removals"
"""The hidden place of the cases of such runs (single.py)."""


class Left(Struct, frozen=True):
    """Something that a run made and nobody took away, and where in the run it was made."""

    place: Place
    event: ResourceEvent


def insert(
    connection: sqlite3.Connection, project: int, run: int, finished: Iterable[StepRow]
) -> None:
    """What steps made and took away, within the caller's transaction; what is there already is
    left alone."""
    connection.executemany(
        "INSERT OR IGNORE INTO resource (run, position, row, part, step, inner, attempt, nth, "
        "project, event) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        [
            (
                run,
                step.position,
                step.row,
                step.part,
                step.step,
                step.inner,
                step.attempt,
                nth,
                project,
                msgspec.json.encode(event).decode(),
            )
            for step in finished
            for nth, event in enumerate(step.resources)
        ],
    )


def left_by(main: sqlite3.Connection, evidence: sqlite3.Connection, run: Run) -> list[Left]:
    """What a run made that neither it nor a removal took away, in the order in which it was made.
    What signing in for a removal made is told of the removal itself."""
    events: list[ResourceEvent] = []
    places: dict[int, Place] = {}
    for place, event in _events(evidence, run.id):
        events.append(event)
        places[id(event)] = place
    for removal in removals(main, run):
        events += (event for _, event in _events(evidence, removal.id) if event.gone)
    return [Left(places[id(event)], event) for event in left(events)]


def _events(connection: sqlite3.Connection, run: int) -> list[tuple[Place, ResourceEvent]]:
    rows = connection.execute(
        "SELECT position, row, part, step, inner, event FROM resource WHERE run = ? ORDER BY "
        "position, row, part, step, inner, attempt, nth",
        (run,),
    ).fetchall()
    return [
        (Place(*row[:5]), msgspec.json.decode(row["event"], type=ResourceEvent)) for row in rows
    ]


# ---- removing


def note_removal(connection: sqlite3.Connection, run: Run, removal: Run) -> None:
    """Within the caller's transaction."""
    connection.execute(
        "INSERT OR IGNORE INTO removal (run, of_run, project) VALUES (?, ?, ?)",
        (removal.id, run.id, run.project),
    )


def removals(connection: sqlite3.Connection, run: Run) -> list[Run]:
    """The runs that remove, or removed, what a run left; the newest first."""
    rows = connection.execute(
        "SELECT run FROM removal WHERE of_run = ? ORDER BY run DESC", (run.id,)
    ).fetchall()
    return [runs.run_by_id(connection, row["run"]) for row in rows]


def removed_for(connection: sqlite3.Connection, run: Run) -> Run | None:
    """The run whose leavings this one removes, if it does."""
    row = connection.execute("SELECT of_run FROM removal WHERE run = ?", (run.id,)).fetchone()
    return None if row is None else runs.run_by_id(connection, row["of_run"])
