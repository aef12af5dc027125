"""What a run made and left, and its removal by a run of its own."""

from __future__ import annotations

import secrets
from typing import Any

from flask import Blueprint, Response, request

from saltpath.core.cases.steps import changing
from saltpath.core.running.plan import RunRequest
from saltpath.core.values.measures import counted
from saltpath.server.api.views import moment, run_view
from saltpath.server.asked import run_asked
from saltpath.server.caches import VersionCache
from saltpath.server.context import actor, database
from saltpath.server.declared import ID, declared, of, parameter
from saltpath.server.guarding import guarded_among, may_change_there, may_run_there
from saltpath.server.problems import Refused, json_answer
from saltpath.server.removing import Leaving, RemovalCase, leavings, removal_cases
from saltpath.server.run_bodies import ToRemove
from saltpath.server.shared_cases import with_shared
from saltpath.store import cases, projects, resources, runs, single
from saltpath.store.cases import StoredCase
from saltpath.store.database import write
from saltpath.store.runs import Run

left_api = Blueprint("left", __name__)
_numbers: VersionCache[int] = VersionCache(1_000)


@left_api.get("/runs/<id>/left")
@declared(
    "readLeft",
    "What a run made and left",
    of("Left"),
    ID,
    parameter("items", "false tells only how much it is", kind="boolean"),
)
def read_left(id: str) -> Response:
    """In the order in which it was made, at most 300 of it: answers to POST, PUT and PATCH that
    told of something new, and no DELETE of it since, neither by the run nor by a removal."""
    run = run_asked(id)
    if request.args.get("items") == "false":
        found, count = list[Leaving](), _number(run)
    else:
        found, count = leavings(run)
    of_run = resources.removed_for(database(), run)
    return json_answer(
        {
            "items": [_view(one) for one in found],
            "count": count,
            "removals": [run_view(one) for one in resources.removals(database(), run)],
            "removes": run_view(of_run) if of_run is not None else None,
        }
    )


def _number(run: Run) -> int:
    """How much it left: asked with each look at a run's page, and the same until a removal."""
    removals = tuple((one.id, one.state) for one in resources.removals(database(), run))
    return _numbers.of(
        run.oid,
        (run.state, removals),
        lambda: len(resources.left_by(database(), database("evidence"), run)),
    )


def _view(one: Leaving) -> dict[str, Any]:
    event, place = one.thing.event, one.thing.place
    return {
        "address": event.address,
        "method": event.method,
        "status": event.status,
        "how": event.how,
        "sure": event.is_sure,
        "why": one.why,
        "at": moment(event.at),
        "case": one.entry.case,
        "name": one.entry.name,
        "environment": one.entry.environment,
        "position": place.position,
        "row": place.row,
        "part": place.part,
        "index": place.step,
    }


@left_api.post("/runs/<id>/removal")
@declared(
    "removeLeft",
    "Remove what a run left",
    of("Run"),
    ID,
    status=201,
    takes=ToRemove,
    may="run",
    did="began {}",
)
def remove_left(data: ToRemove, id: str) -> Response:
    """By a run of its own, whose steps sign in as those did that made it. What is to go is named by
    its addresses; 409 where one of them is not left any more."""
    run = run_asked(id)
    if run.state != "finished":
        raise Refused(409, "not-ended", "The run has not ended yet; what it makes may still go.")
    wanted = dict.fromkeys(data.addresses)
    found = {one.thing.event.address: one for one in leavings(run)[0]}
    for address in wanted:
        if address not in found:
            raise Refused(409, "not-left", f"{address} is not among what the run left any more.")
        if found[address].signed_in is None:
            sentence = f"{address} cannot be removed from here: {found[address].why}."
            raise Refused(422, "not-removable", sentence)
    made = removal_cases(run, [one for address, one in found.items() if address in wanted])
    removal = _asked(run, made, len(wanted))
    answer = json_answer(run_view(removal), 201)
    answer.headers["Location"] = f"/api/v1/runs/{removal.oid}"
    return answer


def _under_way(run: Run) -> bool:
    return any(one.state != "finished" for one in resources.removals(database(), run))


def _asked(run: Run, made: list[RemovalCase], count: int) -> Run:
    connection = database()
    project = projects.project_by_id(connection, run.project)
    where = list(dict.fromkeys(one.environment for one in made))
    may_run_there(project, where)
    guarded = guarded_among(project, where)
    if guarded:
        may_change_there(project, guarded)
    place = single.home(
        connection, run.project, actor().id, resources.PLACE, resources.NAME_OF_PLACE
    )
    with write(connection):
        if _under_way(run):
            raise Refused(409, "under-way", "A removal is under way; look again when it has ended.")
        stored = [
            cases.add_case(connection, run.project, place, actor().id, one.document) for one in made
        ]
        removal, _ = runs.ask(
            connection,
            run.project,
            actor().id,
            [(case.id, case.version, case.name) for case in stored],
            kind=resources.REMOVAL,
            title=f"Remove {counted(count, 'thing')} that run {run.number} left",
            environments=where,
            each_in=[one.environment for one in made],
            seed=secrets.randbelow(1_000_000),
            build=run.build,
            request=RunRequest(
                sealed=run.request.sealed,
                changes=_keys(stored) if guarded else None,
                within={str(at): one.suite for at, one in enumerate(made)},
            ),
        )
        resources.note_removal(connection, run, removal)
    return removal


def _keys(stored: list[StoredCase]) -> tuple[str, ...]:
    """Those of all steps that may change something: what is to go was named by whoever asks."""
    read = [with_shared(case) for case in stored]
    return tuple(step.key for case in read for step in changing(case.steps))
