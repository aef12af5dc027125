"""A project's folder as an archive, and the files in it that cases send, sign in with, or are
checked against."""

from __future__ import annotations

from typing import Any, BinaryIO, cast

from flask import Blueprint, Response, request

from saltpath.core.format.folder import is_document, read_folder, slug, write_folder
from saltpath.formats.folders import inside, read_zip, write_zip
from saltpath.server.api.views import moment
from saltpath.server.asked import project_asked
from saltpath.server.context import actor, database
from saltpath.server.declared import FILE_PATH, ID, declared, of, page
from saltpath.server.problems import Refused, json_answer
from saltpath.store import folders, project_files, projects

files_api = Blueprint("files", __name__)
LONGEST_PATH = 300


@files_api.get("/projects/<id>/folder")
@declared(
    "saveFolder", "The project as a folder of files, zipped", None, ID, media="application/zip"
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
    status=201,
    upload="application/zip",
    may="administer",
)
def bring_in_folder() -> Response:
    """A zip archive of a project's folder, at most 100 MB: onto the project of its name, or as a
    new one."""
    found = read_folder(read_zip(request.get_data()))
    name = found.project.document["project"]
    same = next((item for item in projects.projects(database()) if item.name == name), None)
    done = folders.bring_in(database(), actor().id, found, same)
    return json_answer(
        {
            "project": done.project,
            "name": name,
            "new": done.new,
            "changed": done.changed,
            "same": done.same,
        },
        201,
    )


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
)
def put_file(id: str, path: str) -> Response:
    """Keep a file of at most 1 GB in the project, or a new version of it."""
    project = project_asked(id)
    path = inside(path)
    if is_document(path) or len(path) > LONGEST_PATH:
        raise Refused(
            422, "path", "This path is none for a file; give it one such as data/papers.pdf."
        )
    stream = cast(BinaryIO, request.stream)
    return json_answer(
        _view(project_files.put_stream(database(), project.id, actor().id, path, stream))
    )


@files_api.delete("/projects/<id>/files/<path:path>")
@declared("removeFile", "Take a file away", of("Gone"), ID, FILE_PATH, may="edit")
def remove_file(id: str, path: str) -> Response:
    """Take a file away; a step that needs it is blocked from then on, and says so."""
    project_files.remove_file(database(), project_asked(id).id, path)
    return json_answer({"gone": True})


def _view(item: project_files.StoredFile) -> dict[str, Any]:
    return {"path": item.path, "size": item.size, "at": moment(item.at)}
