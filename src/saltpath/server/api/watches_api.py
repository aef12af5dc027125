"""Watches: made from what exists, changed by their sentence, run besides their schedule."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, request
from msgspec import UNSET

from saltpath.core.format.nodes import FormatError
from saltpath.core.format.watch_reader import read_watch
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.nearest import nearest
from saltpath.core.watching.sentences import SENTENCE_KEYS, read_sentence
from saltpath.server.asked import case_asked, project_asked, suite_asked, watch_asked
from saltpath.server.context import actor, database, version_changed
from saltpath.server.declared import ID, IF_MATCH, PROJECT, declared, of, page
from saltpath.server.guarding import (
    changing_steps,
    guarded_among,
    may_change_there,
    may_run_there,
)
from saltpath.server.problems import Refused, json_answer
from saltpath.server.watch_bodies import NewWatch, SaidWatch, WatchChange
from saltpath.server.watch_views import list_views, one_view, understood
from saltpath.store import around, documents, projects, routes, watches
from saltpath.store.database import NotFound, now_us
from saltpath.store.documents import Document
from saltpath.store.history import runs

watches_api = Blueprint("watches", __name__)


@watches_api.get("/watches")
@declared("listWatches", "The watches of a project", page("Watch"), PROJECT)
def list_watches() -> Response:
    """By name, each with how it stands."""
    return json_answer({"items": list_views(project_asked()), "next": None})


@watches_api.post("/watch-sentences")
@declared(
    "readWatchSentence",
    "What a sentence would have a watch do",
    of("WatchUnderstood"),
    takes=SaidWatch,
    may="read",
)
def read_watch_sentence(data: SaidWatch) -> Response:
    """How it is understood, with the next five times; or what of it is not."""
    project = project_asked(data.project)
    return json_answer(understood(data.sentence, str(project.document.get("zone") or "UTC")))


@watches_api.post("/watches")
@declared(
    "addWatch",
    "Watch a case, a suite or a tag",
    of("WatchInFull"),
    status=201,
    takes=NewWatch,
    may="edit",
    did="began to watch {}",
)
def add_watch(data: NewWatch) -> Response:
    """It runs at once, and then as its sentence says. 409 where it goes to a guarded environment
    and it was not said whether its steps may change something there."""
    project = project_asked(data.project)
    name, target = _target(data, project)
    document: dict[str, Any] = {
        "salt-path": 1,
        "watch": data.name.strip() or name,
        **target,
        **_said(data.sentence),
    }
    if data.may_change is not UNSET and data.may_change:
        document["may change"] = True
    _check(document)
    _may(project, document, asked=data.may_change is UNSET)
    made = watches.add(database(), project.id, actor().id, document)
    runs.ask(database("history"), made.id, now_us())
    answer = json_answer(one_view(made), 201)
    answer.headers["Location"] = f"/api/v1/watches/{made.oid}"
    return answer


def _target(data: NewWatch, project: Document) -> tuple[str, dict[str, str]]:
    """What is watched, by what it is called, and as the document says it."""
    said = [kind for kind in (data.case, data.suite, data.tag.strip()) if kind]
    if len(said) != 1:
        raise Refused(422, "of", "Name what is watched: one of case, suite and tag.")
    if data.tag.strip():
        tag = data.tag.strip()
        return f"Cases with the tag {tag}", {"tag": tag}
    if data.case:
        case = case_asked(data.case)
        if case.project != project.id or not case.key:
            raise Refused(422, "case", "Name a case of this project.")
        return case.name, {"case": case.key}
    suite = suite_asked(data.suite)
    if suite.project != project.id or suite.hidden:
        raise Refused(422, "suite", "Name a suite of this project.")
    return suite.name, {"suite": suite.folder}


def _said(text: str) -> dict[str, Any]:
    try:
        return read_sentence(text)
    except Unreadable as problem:
        raise Refused(422, "sentence", f"{problem}.") from None


def _check(document: dict[str, Any]) -> None:
    """Raises Refused for what is no watch."""
    try:
        read_watch(document)
    except FormatError as problem:
        raise Refused(422, "watch", f"{problem.problems[0].sentence}.") from None


def _may(project: Document, document: dict[str, Any], asked: bool) -> None:
    """Raises Refused where whoever asks may not have that run there, or (`asked`) was not asked yet
    whether its steps may change something."""
    watch = read_watch(document)
    name = watch.environment or str(project.document.get("environment", ""))
    known = [one.name for one in projects.environments(database(), project.id)]
    routed = [one.route.name for one in routes.routes(database(), project.id)]
    for wanted in watch.tell:
        if wanted not in routed:
            near = nearest(wanted, routed)
            hint = f"did you mean {near}?" if near else "Setup has the routes."
            raise Refused(422, "no-route", f"There is no route {wanted}; {hint}")
    if watch.environment and watch.environment not in known:
        raise Refused(422, "no-environment", f"There is no environment {watch.environment}.")
    may_run_there(project, [name])
    if not guarded_among(project, [name]):
        return
    if watch.may_change:
        may_change_there(project, [name])
        return
    if not asked:
        return
    try:
        chosen = around.meant_by(database(), project.id, watch.of, watch.what)
    except NotFound:
        return
    steps = changing_steps(chosen)
    if steps:
        raise Refused(
            409,
            "guarded",
            f"{name} is guarded, and some steps may change something there. Say whether they may, "
            "as mayChange.",
            steps=steps[:500],
        )


@watches_api.get("/watches/<id>")
@declared("readWatch", "A watch", of("WatchInFull"), ID)
def read_one(id: str) -> Response:
    """With its document, how it stands, and the next five times."""
    return _answer(watch_asked(id))


@watches_api.patch("/watches/<id>")
@declared(
    "changeWatch",
    "Change a watch",
    of("WatchInFull"),
    ID,
    IF_MATCH,
    takes=WatchChange,
    may="edit",
    did="changed the watch {}",
)
def change_watch(data: WatchChange, id: str) -> Response:
    """By its sentence, some of its keys, or as a whole. Its key stays."""
    stored, version = watch_asked(id), version_changed()
    project = projects.project_by_id(database(), stored.project)

    def edit(held: dict[str, Any]) -> dict[str, Any]:
        return _changed(held, data)

    after = edit(stored.document)
    _check(after)
    asked = ("environment", "may change", "tell")
    if [stored.document.get(key) for key in asked] != [after.get(key) for key in asked]:
        _may(project, after, asked=False)
    documents.change(database(), stored, actor().id, edit, version)
    return _answer(watch_asked(id))


def _changed(held: dict[str, Any], data: WatchChange) -> dict[str, Any]:
    if data.document is not UNSET:
        return {**data.document, "key": held["key"]}
    made = dict(held)
    if data.sentence is not UNSET:
        made = {key: value for key, value in held.items() if key not in SENTENCE_KEYS}
        said = _said(data.sentence)
        over = (held.get("limits") or {}).get("over")
        if over is not None and {"available", "answers"} & set(said.get("limits", {})):
            said["limits"]["over"] = over
        made |= said
    for key, value in (
        ("watch", data.name),
        ("about", data.about),
        ("supplier", data.supplier),
        ("tags", data.tags),
        ("off", data.off),
        ("may change", data.may_change),
    ):
        if value is not UNSET:
            made[key] = value.strip() if isinstance(value, str) else value
            if not made[key]:
                del made[key]
    return made


@watches_api.delete("/watches/<id>")
@declared("removeWatch", "Watch no more", of("Gone"), ID, may="edit", did="took the watch {} away")
def remove_watch(id: str) -> Response:
    """Its history stays. `back` undoes it."""
    watches.remove(database(), watch_asked(id))
    return json_answer({"gone": True})


@watches_api.post("/watches/<id>/back")
@declared(
    "bringBackWatch",
    "Watch again as before",
    of("Gone"),
    ID,
    may="edit",
    did="brought the watch {} back",
)
def bring_back_watch(id: str) -> Response:
    """Undo that it was taken away."""
    watches.bring_back(database(), watch_asked(id, gone=True))
    return json_answer({"gone": False})


@watches_api.post("/watches/<id>/run")
@declared(
    "runWatch",
    "Run it now, besides its schedule",
    of("Gone"),
    ID,
    may="run",
    did="ran the watch {} besides its schedule",
)
def run_watch(id: str) -> Response:
    """As soon as can be; it is one of its runs like any other."""
    stored = watch_asked(id)
    if stored.document.get("off"):
        raise Refused(409, "off", "It is off; turn it on first.")
    project = projects.project_by_id(database(), stored.project)
    name = str(stored.document.get("environment") or project.document.get("environment", ""))
    may_run_there(project, [name])
    runs.ask(database("history"), stored.id, now_us())
    return json_answer({"gone": False})


def _answer(stored: Document) -> Response:
    answer = json_answer(one_view(stored))
    answer.headers["ETag"] = f'"{stored.version}"'
    if request.method == "GET":
        answer.headers["Cache-Control"] = "no-store"
    return answer
