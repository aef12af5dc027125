"""A project's folder as an archive, and the files in it that cases send, sign in with, or are
checked against."""

from __future__ import annotations

from typing import Any, BinaryIO, cast

from flask import Blueprint, Response, request

from saltpath.core.format.folder import is_document, read_folder, slug, write_folder
from saltpath.core.format.syncing import Change, items_of
from saltpath.formats.folders import inside, read_zip, write_zip
from saltpath.server.api.views import moment
from saltpath.server.asked import project_asked
from saltpath.server.audited import concerns, named, nothing_done
from saltpath.server.context import actor, database
from saltpath.server.declared import FILE_PATH, ID, declared, of, page, parameter
from saltpath.server.entry.callers import caller
from saltpath.server.problems import Refused, json_answer
from saltpath.server.rights import held_in, permit_administrator
from saltpath.store import folders, importing, project_files, projects

MOST_TOLD = 200
LOOK = parameter("look", "true: only say what would change")
ONLY = parameter("only", "only what stands below this path; several times for several")
files_api = Blueprint("files", __name__)
LONGEST_PATH = 300


@files_api.get("/projects/<id>/folder")
@declared(
    "saveFolder",
    "The project as a folder of files, zipped",
    None,
    ID,
    media="application/zip",
    dear=True,
)
def project_folder(id: str) -> Response:
    """The project as a folder of files, in a zip archive. Secrets are left out."""
    project = project_asked(id)
    octets = write_zip(write_folder(folders.folder_of(database(), project)))
    name = slug(project.name, "project")
    return Response(
        octets,
        200,
        {"Content-Disposition": f'attachment; filename="{name}.zip"'},
        mimetype="application/zip",
    )


@files_api.post("/projects/folder")
@declared(
    "bringInFolder",
    "A project's folder in a zip archive",
    of("Brought"),
    LOOK,
    ONLY,
    status=201,
    upload="application/zip",
    may="edit",
    did="brought files onto the project {}",
    dear=True,
)
def bring_in_folder() -> Response:
    """A zip archive of a project's folder, at most 100 MB: onto the project of its name, or as a
    new one. With `look` nothing is changed, and the answer says what would be."""
    found = read_folder(read_zip(request.get_data()))
    name, look = found.project.document["project"], request.args.get("look") == "true"
    asking = caller(database())
    same = next(
        (
            item
            for item in projects.projects(database())
            if item.name == name and held_in(database(), asking, item.id)
        ),
        None,
    )
    only = request.args.getlist("only")
    if same is None:
        permit_administrator(database())
        if look:
            nothing_done()
        made = importing.planned({}, found, ()).changes
        done = None if look else folders.bring_in(database(), actor().id, found)
        if done:
            concerns(projects.project(database(), done.project).id, done.project, name)
        return _brought(done.project if done else "", name, made, len(made), 200 if look else 201)
    now = folders.folder_of(database(), project_asked(same.oid))
    if look:
        nothing_done()
        made = importing.planned(items_of(now), found, only).changes
    else:
        before = write_zip(write_folder(now))
        made = importing.bring(database(), same, actor().id, found, only, before)
    return _brought(same.oid, name, made, len(found.cases), 200 if look else 201)


@files_api.post("/projects/<id>/folder/undo")
@declared(
    "undoFolder",
    "Undo what was last brought in",
    of("Brought"),
    ID,
    may="edit",
    did="undid what was brought onto the project {}",
)
def undo_folder(id: str) -> Response:
    """The project is what it was before; only if nothing else was changed since."""
    project = project_asked(id)
    made = importing.undo(
        database(), project, actor().id, lambda archive: read_folder(read_zip(archive))
    )
    return _brought(project.oid, project.name, made, 0, 200)


def _brought(project: str, name: str, made: list[Change], held: int, status: int) -> Response:
    """What bringing a folder in has changed, or would change. `held`: how many cases it has."""
    of_cases = [change for change in made if change.id[0] == "case"]
    new = sum(change.project is None for change in of_cases)
    return json_answer(
        {
            "project": project,
            "name": name,
            "new": new,
            "changed": len(of_cases) - new,
            "same": max(held - len(of_cases), 0),
            "changes": [_change_view(change) for change in made[:MOST_TOLD]],
            "more": max(len(made) - MOST_TOLD, 0),
        },
        status,
    )


def _change_view(change: Change) -> dict[str, str]:
    what = "changed"
    if change.project is None:
        what = "new"
    elif change.wanted is None:
        what = "taken away"
    return {"kind": change.id[0], "name": change.shown.name, "what": what}


@files_api.get("/projects/<id>/files")
@declared("listFiles", "A project's files", page("ProjectFile"), ID)
def list_files(id: str) -> Response:
    """The files of a project, by path."""
    items = project_files.listed(database(), project_asked(id).id)
    return json_answer({"items": [_view(item) for item in items], "next": None})


@files_api.put("/projects/<id>/files/<path:path>")
@declared(
    "putFile",
    "Keep a file",
    of("ProjectFile"),
    ID,
    FILE_PATH,
    upload="application/octet-stream",
    may="edit",
    did="kept the file {}",
)
def put_file(id: str, path: str) -> Response:
    """Keep a file of at most 1 GB in the project, or a new version of it."""
    project = project_asked(id)
    path = inside(path)
    if is_document(path) or len(path) > LONGEST_PATH:
        raise Refused(
            422, "path", "This path is none for a file; give it one such as data/papers.pdf."
        )
    named(path)
    stream = cast(BinaryIO, request.stream)
    return json_answer(
        _view(project_files.put_stream(database(), project.id, actor().id, path, stream))
    )


@files_api.delete("/projects/<id>/files/<path:path>")
@declared(
    "removeFile",
    "Take a file away",
    of("Gone"),
    ID,
    FILE_PATH,
    may="edit",
    did="took the file {} away",
)
def remove_file(id: str, path: str) -> Response:
    """Take a file away; a step that needs it is blocked from then on, and says so."""
    project_files.remove_file(database(), project_asked(id).id, path)
    named(path)
    return json_answer({"gone": True})


def _view(item: project_files.StoredFile) -> dict[str, Any]:
    return {"path": item.path, "size": item.size, "at": moment(item.at)}
