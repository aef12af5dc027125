"""Runs: asking for them, reading them, stopping them; the exchanges that they kept."""

from __future__ import annotations

import secrets
from itertools import product

import msgspec
from flask import Blueprint, Response, request
from msgspec import UNSET
from msgspec.structs import replace

from saltpath.core.assist.single_step import needs
from saltpath.core.cases.steps import changing
from saltpath.core.format.picking import picks_of, read_picks
from saltpath.core.format.syncing import digest
from saltpath.core.references.templates import is_name, read_template
from saltpath.core.running.inherited import signed_in
from saltpath.core.running.plan import RunRequest
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.measures import counted
from saltpath.core.values.nearest import listed
from saltpath.server.api.run_answer import run_with_cases
from saltpath.server.api.views import run_view, step_view
from saltpath.server.asked import case_asked, project_asked, run_asked
from saltpath.server.choosing import chosen_cases
from saltpath.server.context import actor, database, folder, limit, whole
from saltpath.server.declared import (
    ID,
    IDEMPOTENCY,
    LIMIT,
    POSITION,
    PROJECT,
    declared,
    of,
    page,
    parameter,
)
from saltpath.server.guarding import (
    changing_steps,
    guarded_among,
    may_change_there,
    may_run_there,
)
from saltpath.server.last_answers import around
from saltpath.server.outcome import Wanted, form_wanted, outcome_when_ended
from saltpath.server.problems import Refused, json_answer
from saltpath.server.run_bodies import NewRun, RunChange
from saltpath.server.shared_cases import with_shared
from saltpath.server.suite_roles import with_around
from saltpath.store import cases, evidence, jobs, projects, run_rows, runs
from saltpath.store.database import VersionConflict, write
from saltpath.store.documents import Document
from saltpath.store.kept_answers import last_handed, last_kept
from saltpath.store.secrets import seal_given

runs_api = Blueprint("runs", __name__)
TRIES = 5
MOST_GOING_ON = 20
MOST_ASKED = 500


@runs_api.post("/runs")
@declared(
    "askRun",
    "Ask for a run",
    of("Run"),
    IDEMPOTENCY,
    status=201,
    takes=NewRun,
    may="run",
    did="began {}",
)
def ask(data: NewRun) -> Response:
    """Ask for a run of cases, of a suite, of paths, or of everything; or for a trial of single
    steps. With `wait` the answer is that of `/runs/{id}/outcome`, once the run has ended."""
    form = form_wanted() if data.wait else ""  # what is not understood begins nothing
    run, new = _asked_for(data)
    if data.wait:
        allow = frozenset[str](data.allow)
        wanted = Wanted(form, data.wait, data.beat, tuple(data.want), allow)
        return outcome_when_ended(run, wanted)
    answer = json_answer(run_view(run), 201 if new else 200)
    answer.headers["Location"] = f"/api/v1/runs/{run.oid}"
    return answer


def _asked_for(data: NewRun) -> tuple[runs.Run, bool]:
    for _ in range(TRIES):
        try:
            return _asked(data)
        except VersionConflict:
            continue  # a case was saved between reading and asking; its newest version is meant
    with write(database()):
        return _asked(data)


def _asked(data: NewRun) -> tuple[runs.Run, bool]:
    connection = database()
    project = project_asked(data.project)
    chosen, title = chosen_cases(data, project.id)
    where = _environments(data, project)
    asked = _request(data, chosen, project.id)
    if len(where) > 1:
        asked = replace(asked, environments=tuple(where))
    meant = {case.id for case in chosen}
    if not asked.only:
        chosen = with_around(chosen, project.id)
    asked = replace(asked, picks=_picks(data, chosen, meant, asked, where))
    earlier = _earlier(data, project.id)
    if earlier is not None:
        started = earlier.request.started or earlier.started_at
        asked = replace(asked, started=started, files=earlier.request.files)
    may_run_there(project, where)
    guarded = guarded_among(project, where)
    if guarded:
        asked = replace(asked, changes=_changes(data, chosen, asked, listed(guarded)))
        if asked.changes:
            may_change_there(project, guarded)
    return runs.ask(
        connection,
        project.id,
        actor().id,
        [(case.id, case.version, case.name) for case in chosen],
        kind=data.kind,
        title=data.title.strip() or title,
        environments=where,
        seed=earlier.seed if earlier else _seed(data),
        build=data.build.strip(),
        note=data.note.strip(),
        request=asked,
        idempotency=_idempotency(),
        digest=_digest(data),
    )


def _environments(data: NewRun, project: Document) -> list[str]:
    """Where it is meant to go, by their names; an empty one where the project has none."""
    usual = str(project.document.get("environment", ""))
    names = [usual] if data.environment is UNSET else [data.environment]
    if data.environments is not UNSET:
        if data.environment is not UNSET or data.kind == "trial":
            sentence = "Name one environment, or for a run several as environments."
            raise Refused(422, "environments", sentence)
        names = list(dict.fromkeys(data.environments))
    known = [e.name for e in projects.environments(database(), project.id)]
    for name in names:
        if (name or len(names) > 1) and name not in known:
            raise Refused(422, "no-environment", f"There is no environment {name}.")
    return names


def _picks(
    data: NewRun,
    chosen: list[cases.StoredCase],
    meant: set[int],
    asked: RunRequest,
    where: list[str],
) -> dict[str, str]:
    """Which rows of the cases that are `meant` are run, by a case's position: those that `pick`
    says, those that did not pass in the run `bad`, of a step sent alone the first."""
    pick = ("1" if asked.only else "") if data.pick is UNSET else data.pick
    try:
        read_picks(pick)
    except Unreadable as problem:
        raise Refused(422, "pick", f"{problem}.") from None
    before = None if data.bad is UNSET else run_asked(data.bad)
    entries: dict[int, list[runs.RunCase]] = {}
    for entry in runs.run_cases(database(), before.id) if before else ():
        entries.setdefault(entry.case_id, []).append(entry)
    found: dict[str, str] = {}
    for position, (case, environment) in enumerate(product(chosen, where)):
        if case.id not in meant or "rows" not in case.document:
            continue
        own = entries.get(case.id, [])
        there = [entry for entry in own if entry.environment == environment] or own
        bad: list[int] = []
        if before is not None and there:
            bad = run_rows.numbers(
                database("evidence"),
                before.id,
                there[0].position,
                ("failed", "blocked", "unchecked"),
            )
        if bad or pick:
            found[str(position)] = picks_of(bad) if bad else pick
    if data.pick and not found:
        raise Refused(422, "pick", "None of these cases has rows.")
    return found


def _idempotency() -> str | None:
    key = request.headers.get("Idempotency-Key")
    if key is not None and not 1 <= len(key) <= 200:
        raise Refused(400, "idempotency-key", "Idempotency-Key has from 1 to 200 characters.")
    return key


def _digest(data: NewRun) -> str:
    """What tells whether the same run is asked for; how its end is waited for makes no
    difference."""
    asked = replace(data, wait=0, beat=15, want=[], allow=[])
    return digest(msgspec.json.encode(asked))


def _seed(data: NewRun) -> int:
    return secrets.randbelow(1_000_000) if data.seed is None else data.seed


def _earlier(data: NewRun, project: int) -> runs.Run | None:
    """The run whose data are to be drawn again: its seed, and the moment that it began at."""
    if data.again is UNSET:
        return None
    found = run_asked(data.again)
    if found.project != project or found.started_at is None:
        raise Refused(422, "again", "Name a run of this project that has begun.")
    return found


def _request(data: NewRun, chosen: list[cases.StoredCase], project: int) -> RunRequest:
    only = None
    if data.steps is not UNSET:
        count = len(chosen[0].document.get("steps", [])) if len(chosen) == 1 else 0
        if data.kind != "trial" or not all(0 <= index < count for index in data.steps):
            raise _not_alone()
        only = tuple(data.steps)
    if not all(map(is_name, data.values)):
        raise Refused(422, "values", "values is an object of names and texts.")
    sealed = seal_given(folder(), project, data.values) if data.values else ""
    return RunRequest(
        data.jobs,
        only,
        sealed,
        wait_us=round(data.wait_until_up * 1e6),
        up_at=_up_at(data.up_at),
        stop_after=data.stop_after,
    )


def _up_at(text: str) -> str:
    """An address that is waited for. Raises Refused for what is none."""
    text = text.strip()
    problem = "it begins with http:// or https://, or with a value: [=harbour]/health"
    try:
        read_template(text)
    except Unreadable as wrong:
        problem = str(wrong)
    else:
        if not text or text.startswith(("http://", "https://", "[=")):
            return text
    raise Refused(422, "up-at", f"The address that is waited for cannot be read: {problem}.")


def _not_alone() -> Refused:
    sentence = "steps belongs to a trial of one case: indexes of its steps, from 0."
    return Refused(422, "steps", sentence)


@runs_api.post("/changing-steps")
@declared(
    "listChangingSteps",
    "What of a run may change something",
    page("ChangingStep"),
    takes=NewRun,
    may="read",
)
def list_changing_steps(data: NewRun) -> Response:
    """The steps of a run that may change something where it goes, so that they can be asked about
    before it is asked for; at most 500."""
    project = project_asked(data.project)
    chosen, _ = chosen_cases(data, project.id)
    asked = _request(data, chosen, project.id)
    if not asked.only:
        chosen = with_around(chosen, project.id)
    return json_answer({"items": changing_steps(chosen, asked.only)[:MOST_ASKED], "next": None})


@runs_api.post("/steps-before")
@declared(
    "listStepsBefore",
    "What steps sent alone would need",
    of("StepsBefore"),
    takes=NewRun,
    may="read",
)
def list_steps_before(data: NewRun) -> Response:
    """The kept values that steps sent by themselves (`steps` of a trial) would miss, and the
    earlier steps that keep them: these are sent only where they are asked for, too."""
    project = project_asked(data.project)
    chosen, _ = chosen_cases(data, project.id)
    asked = _request(data, chosen, project.id)
    if not asked.only:
        raise _not_alone()
    [stored] = chosen
    suite, of_project = around(stored)
    case = signed_in(with_shared(stored), suite, of_project)
    environment = _environments(data, project)[0]
    sides = (database(), database("evidence"))
    kept = last_kept(*sides, (project.id, stored.id), case, environment)
    standing = projects.standing(database(), projects.suite_by_id(database(), stored.suite))
    handed = last_handed(*sides, stored, standing, environment)
    found = needs(case, asked.only, {*handed, *kept, *data.values})
    steps = [(index, case.steps[index]) for index in found.sent]
    items = [
        {
            "index": index,
            "step": step.key,
            "name": step.name,
            "changes": bool(list(changing([step]))),
        }
        for index, step in steps
    ]
    return json_answer({"items": items, "names": list(found.names), "once": list(found.once)})


def _changes(
    data: NewRun, chosen: list[cases.StoredCase], asked: RunRequest, environment: str
) -> tuple[str, ...]:
    """The keys of the steps that may change something there. Raises Refused where it was not said,
    with the steps to be asked about."""
    steps = changing_steps(chosen, asked.only)
    said = data.changes
    if said is UNSET and steps:
        sentence = (
            f"{environment} is guarded, and {counted(len(steps), 'step')} may change "
            "something there. Say which may, as changes."
        )
        raise Refused(409, "guarded", sentence, steps=steps[:MOST_ASKED])
    if said == "all":
        return tuple(sorted({step["step"] for step in steps}))
    return () if said is UNSET else tuple(said)


@runs_api.get("/runs")
@declared(
    "listRuns",
    "Runs, newest first",
    page("Run"),
    PROJECT,
    LIMIT,
    parameter("before", "the page's next"),
    parameter("case", "only runs of this case"),
)
def list_runs() -> Response:
    """Newest first; `next` goes into `before`."""
    project = project_asked()
    before = whole("before", 0) or None
    size = limit(50)
    case = case_asked(request.args["case"]).id if "case" in request.args else None
    found = runs.runs(database(), project.id, before=before, limit=size + 1, case=case)
    items = [run_view(run) for run in found[:size]]
    return json_answer(
        {"items": items, "next": str(found[size - 1].id) if len(found) > size else None}
    )


@runs_api.get("/going-on")
@declared("listGoingOn", "Runs that have not ended", page("GoingOn"), PROJECT)
def list_going_on() -> Response:
    """The newest first, at most 20, with how many of their cases have ended."""
    found = runs.going_on(database(), project_asked().id, MOST_GOING_ON)
    items = [
        {"id": run.oid, "number": run.number, "title": run.title, "done": run.done, "of": run.of}
        for run in found
    ]
    return json_answer({"items": items, "next": None})


@runs_api.get("/runs/<id>")
@declared("readRun", "A run with its cases", of("RunReport"), ID)
def read_run(id: str) -> Response:
    """A run with its cases and their steps."""
    return json_answer(run_with_cases(run_asked(id)))


@runs_api.get("/runs/<id>/cases/<int:position>")
@declared(
    "readRunCase",
    "A case's steps with evidence",
    page("StepEvidence"),
    ID,
    POSITION,
    parameter("row", "of which row", kind="integer"),
)
def read_run_case(id: str, position: int) -> Response:
    """Every step of one case of a run, with its evidence; of a case with rows those of `?row=`, by
    default of the row to look at first."""
    run = run_asked(id)
    steps = evidence.steps(
        database("evidence"), run.id, min(position, 2**31), whole("row", 0) or None
    )
    written = [msgspec.Raw(plain.write_json(step_view(step, run.oid))) for step in steps]
    return json_answer({"items": written, "next": None})


@runs_api.patch("/runs/<id>")
@declared(
    "describeRun",
    "Say something of a run",
    of("Run"),
    ID,
    takes=RunChange,
    may="run",
    did="said something of {}",
)
def describe_run(data: RunChange, id: str) -> Response:
    """Its title, what was tested, a note."""
    run = run_asked(id)
    title = run.title if data.title is UNSET else data.title.strip()
    build = run.build if data.build is UNSET else data.build.strip()
    note = run.note if data.note is UNSET else data.note.strip()
    runs.describe(database(), run, title, build, note)
    return json_answer(run_view(run_asked(id)))


@runs_api.post("/runs/<id>/stop")
@declared("stopRun", "Stop a run", of("Run"), ID, status=202, may="run", did="stopped {}")
def stop_run(id: str) -> Response:
    """Ask for a run to be stopped; afterwards still runs."""
    run = run_asked(id)
    if not jobs.ask_to_stop(database(), run.id, actor().name):
        raise Refused(409, "over", "This run is over already.")
    return json_answer(run_view(run_asked(id)), 202)
