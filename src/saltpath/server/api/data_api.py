"""Data sources of a project: what each is, how its rows look, what its columns hold, what a new
version of its file changed."""

from __future__ import annotations

from itertools import islice
from typing import Any

from flask import Blueprint, Response, request
from msgspec import UNSET

from saltpath.core.cases.case import Case, Project, Suite
from saltpath.core.cases.row_sources import (
    FileRows,
    MadeRows,
    Row,
    Source,
)
from saltpath.core.format.project import read_project
from saltpath.core.format.readable import readable_project
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.why import Blocked
from saltpath.server.api.case_view import scopes_for_rows
from saltpath.server.api.views import moment
from saltpath.server.asked import project_asked
from saltpath.server.audited import named
from saltpath.server.bodies import NewSource, SourceChange, SourceToLookAt, VersionsToCompare
from saltpath.server.compiled import project_of
from saltpath.server.context import actor, confined, database, folder
from saltpath.server.declared import PROJECT, SOURCE, declared, of, page, parameter
from saltpath.server.problems import Refused, json_answer
from saltpath.server.profiling import looked_through, profile_of_rows
from saltpath.server.sources import begin_of, first_rows, rows_elsewhere
from saltpath.server.tasks import MOST_LOOKED_AT, MOST_SHOWN, NOTHING_SHOWN, row_shown
from saltpath.store import project_files, projects, sources
from saltpath.store.cases import StoredCase
from saltpath.store.database import NotFound
from saltpath.store.documents import Document

data_api = Blueprint("data", __name__)
MOST_CASES_NAMED = 5


@data_api.get("/sources")
@declared("listSources", "Data sources", page("DataSource"), PROJECT)
def list_sources() -> Response:
    """The project's data sources in their order, and the files that none of them reads."""
    project = project_asked()
    read = project_of(project)
    files = {file.path: file for file in project_files.listed(database(), project.id)}
    told = {
        item.place.removeprefix("sources."): item.sentence
        for item in readable_project(project.document)[1]
    }
    users = sources.users(database(), project.id)
    items = [
        _line(project, read, name, files, users.get(name, []))
        if name in read.sources
        else _broken(project, name, told.get(name, ""), users.get(name, []))
        for name in sources.sources(project)
    ]
    return json_answer({"items": items, "next": None})


def _line(
    project: Document, read: Project, name: str, files: dict[str, Any], users: list[StoredCase]
) -> dict[str, Any]:
    """A source in the list: where its rows come from, its columns, who uses it."""
    source = read.sources[name]
    begin = begin_of(project.id, source, scopes_for_rows(_NOBODY, Suite(""), read))
    path = source.reads_file()
    file = files.get(path.removeprefix("./")) if path else None
    return {
        "name": name,
        "kind": source.kind,
        "file": path,
        "sheet": source.sheet if isinstance(source, FileRows) else "",
        "size": file.size if file else None,
        "changedAt": moment(file.at) if file else None,
        "changedBy": file.actor if file else "",
        "columns": begin.names or [],
        "problem": begin.problem,
        "document": sources.sources(project)[name],
        "uses": len(users),
        "cases": [{"id": case.oid, "name": case.name} for case in users[:MOST_CASES_NAMED]],
    }


def _broken(project: Document, name: str, sentence: str, users: list[StoredCase]) -> dict[str, Any]:
    """A source that was stored and cannot be read: it stands in the list with what is wrong, and
    can be changed or taken away."""
    return {
        "name": name,
        "kind": "",
        "file": "",
        "sheet": "",
        "size": None,
        "changedAt": None,
        "changedBy": "",
        "columns": [],
        "problem": f"this source cannot be read: {sentence}",
        "document": sources.sources(project)[name],
        "uses": len(users),
        "cases": [{"id": case.oid, "name": case.name} for case in users[:MOST_CASES_NAMED]],
    }


_NOBODY = Case(name="", key="aaaaaaaaaa")
"""What a source is looked at for, outside of any case."""


@data_api.post("/sources")
@declared(
    "addSource",
    "A new one",
    of("DataSource"),
    status=201,
    takes=NewSource,
    may="edit",
    did="made the data source {}",
)
def add_source(data: NewSource) -> Response:
    """A new source by its name and what it is."""
    project = project_asked(data.project)
    name = data.name.strip()
    _readable(project, name, data.document)
    sources.put_source(database(), project, actor().id, name, data.document, new=True)
    named(name)
    return json_answer(_stored(project, name), 201)


@data_api.patch("/sources")
@declared(
    "changeSource",
    "What it is, or is called",
    of("DataSource"),
    PROJECT,
    SOURCE,
    takes=SourceChange,
    may="edit",
    did="changed the data source {}",
)
def change_source(data: SourceChange) -> Response:
    """What `?name=` is from now on (`document`), unless it is no longer what was `seen`; or what it
    is called (`to`; cases that name it follow)."""
    project, name = project_asked(), request.args.get("name", "")
    if data.document is not UNSET:
        _readable(project, name, data.document)
        sources.put_source(database(), project, actor().id, name, data.document, seen=data.seen)
    if data.to is not UNSET:
        to = data.to.strip()
        if to != name:
            sources.rename_source(database(), project, actor().id, name, to)
            name = to
    named(name)
    return json_answer(_stored(project, name))


@data_api.delete("/sources")
@declared(
    "removeSource",
    "Take it away",
    of("Gone"),
    PROJECT,
    SOURCE,
    may="edit",
    did="took the data source {} away",
)
def remove_source() -> Response:
    """Take `?name=` away; refused while cases use it. Its file stays."""
    name = request.args.get("name", "")
    sources.remove_source(database(), project_asked(), actor().id, name)
    named(name)
    return json_answer({"gone": True})


def _stored(project: Document, name: str) -> dict[str, Any]:
    now = projects.project_by_id(database(), project.id)
    files = {file.path: file for file in project_files.listed(database(), project.id)}
    read = project_of(now)
    if name not in sources.sources(now):
        raise NotFound(f"there is no source {name}")
    users = sources.using(database(), project.id, name)
    if name not in read.sources:
        told = {item.place: item.sentence for item in readable_project(now.document)[1]}
        return _broken(now, name, told.get(f"sources.{name}", ""), users)
    return _line(now, read, name, files, users)


def _readable(project: Document, name: str, document: object) -> None:
    """Raises FormatError for what is no source."""
    held = sources.sources(project)
    read_project({**project.document, "sources": {**held, name: document}})


def _alone(project: Document, document: object) -> Project:
    """The project with one source alone, called `it`. Raises FormatError for what is no source."""
    held = {
        key: value
        for key, value in project.document.items()
        if key in ("salt-path", "project", "zone", "values")
    }
    return read_project({**held, "sources": {"it": document}})


@data_api.post("/sources/looked")
@declared(
    "lookAtSource",
    "How its rows would look",
    of("LookedAt"),
    takes=SourceToLookAt,
    may="read",
    dear=True,
)
def look_at_source(data: SourceToLookAt) -> Response:
    """How rows would look if a source were this `document`: a file's first cells as they stand, its
    frame, and what the columns hold, of the first 5,000 rows. Of a database it is what a runner saw
    there last (`/databases/looks`), of an output table what a run wrote last."""
    project = project_asked(data.project)
    read = _alone(project, data.document)
    source = read.sources["it"]
    if source.reads_file():
        return json_answer(confined("looked", project.id, source))
    said = source.columns_said()
    return json_answer(_kept(project, source) if said is None else _made(read, source, said))


def _kept(project: Document, source: Source) -> dict[str, Any]:
    """Rows that are there when a case runs, as they were last."""
    answer: dict[str, Any] = {
        **NOTHING_SHOWN,
        "kind": source.kind,
        "problem": "",
        "columns": [],
    }
    try:
        found = rows_elsewhere(project.id, source, MOST_LOOKED_AT + 1)
    except Blocked as problem:
        return {**answer, "problem": str(problem)}
    if found is not None:
        names, rows = found
        answer |= {
            "columns": names,
            "rows": [row_shown(row, names) for row in rows[:MOST_SHOWN]],
            "profile": _profile(names, rows),
        }
    return answer


def _profile(names: list[str], rows: list[Row]) -> dict[str, Any]:
    """What the first of these rows hold."""
    return {**profile_of_rows(names, rows[:MOST_LOOKED_AT]), "whole": len(rows) <= MOST_LOOKED_AT}


def _made(project: Project, source: Source, names: list[str]) -> dict[str, Any]:
    """Rows that no file holds, as they would be made with the seed 1."""
    answer: dict[str, Any] = {
        **NOTHING_SHOWN,
        "kind": source.kind,
        "problem": "",
        "columns": [],
    }
    answer["columns"] = names
    scopes = scopes_for_rows(_NOBODY, Suite(""), project)
    try:
        rows = list(islice(first_rows(source, scopes), MOST_LOOKED_AT + 1))
    except (Unreadable, Blocked) as problem:
        return {**answer, "problem": str(problem)}
    answer["rows"] = [row_shown(row, names) for row in rows[:MOST_SHOWN]]
    answer["profile"] = _profile(names, rows)
    if isinstance(source, MadeRows):
        answer["profile"] |= {"rows": source.count, "whole": True}
    return answer


@data_api.post("/sources/profile")
@declared(
    "profileSource",
    "What all of its rows hold",
    of("SourceProfile"),
    takes=SourceToLookAt,
    may="read",
    dear=True,
)
def profile_source(data: SourceToLookAt) -> Response:
    """What all rows of a source's file hold: asked again and again until `state` is done; a file is
    looked through once for each version."""
    project = project_asked(data.project)
    read = _alone(project, data.document)
    source = read.sources["it"]
    if not isinstance(source, FileRows):
        raise Refused(422, "no-file", "Only the rows of a file are looked through.")
    file = _current(project, source.file)
    found = looked_through(folder(), project.id, file.version, data.document)
    return json_answer(
        {"columns": [], "bad": [], "badCount": 0, "whole": True, "problem": "", **found}
    )


def _current(project: Document, path: str) -> project_files.StoredFile:
    file = project_files.current(database(), project.id, path)
    if file is None:
        raise NotFound(f"the project has no file {path}")
    return file


@data_api.get("/file-versions")
@declared(
    "listFileVersions",
    "The versions of a file",
    page("FileVersion"),
    PROJECT,
    parameter("path", "the file's path", True),
)
def list_versions() -> Response:
    """The versions of the project's file `?path=` that are kept, newest first."""
    project = project_asked()
    path = _current(project, request.args.get("path", "")).path
    items = [
        {"version": item.version, "size": item.size, "at": moment(item.at), "by": item.actor}
        for item in project_files.versions(database(), project.id, path)
    ]
    return json_answer({"items": items, "next": None})


@data_api.post("/sources/changes")
@declared(
    "compareVersions",
    "What a new version of its file changed",
    of("SourceChanges"),
    takes=VersionsToCompare,
    may="read",
    dear=True,
)
def changes_of_version(data: VersionsToCompare) -> Response:
    """What version `after` of a source's file has otherwise than `before`."""
    project = project_asked(data.project)
    source = _alone(project, data.document).sources["it"]
    if not isinstance(source, FileRows):
        raise Refused(422, "no-file", "Only the rows of a file are compared.")
    kept = {
        item.version
        for item in project_files.versions(database(), project.id, source.file.removeprefix("./"))
    }
    versions = [data.before, data.after]
    if not kept.issuperset(versions):
        raise Refused(404, "not-found", "This version is not kept.")
    try:
        found = confined("changed", project.id, source, versions)
    except Unreadable as problem:
        raise Refused(
            422, "unreadable", f"One of the versions cannot be read: {problem}."
        ) from None
    return json_answer(
        {
            "key": found.key,
            "columnsNew": found.columns_new,
            "columnsGone": found.columns_gone,
            "rowsBefore": found.rows_before,
            "rowsNow": found.rows_now,
            "cells": [
                {"row": c.row, "column": c.column, "was": c.was, "now": c.now} for c in found.cells
            ],
            "cellsChanged": found.cells_changed,
            "rowsChanged": found.rows_changed,
            "new": found.new,
            "rowsNew": found.rows_new,
            "gone": found.gone,
            "rowsGone": found.rows_gone,
            "whole": found.whole,
        }
    )
