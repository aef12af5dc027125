"""Keys for pipelines and scripts: made, seen and ended; the text of one is told once."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response
from msgspec import UNSET

from saltpath.server import rights
from saltpath.server.api.person_view import name_of, secret_answer
from saltpath.server.api.views import moment
from saltpath.server.asked import project_asked
from saltpath.server.audited import concerns
from saltpath.server.context import actor, database
from saltpath.server.declared import ID, declared, of, page
from saltpath.server.entry.bodies import NewKey
from saltpath.server.entry.callers import caller
from saltpath.server.problems import json_answer
from saltpath.store import access_keys, people, projects
from saltpath.store.access_keys import AccessKey
from saltpath.store.database import NotFound, now_us
from saltpath.store.documents import Document

keys_api = Blueprint("keys", __name__)


@keys_api.get("/keys")
@declared("listKeys", "Your keys", page("Key"), may="self")
def list_keys() -> Response:
    """The newest first; those that have ended stay for 30 days."""
    return json_answer(_page(access_keys.keys(database(), actor())))


@keys_api.get("/projects/<id>/keys")
@declared("listKeysInto", "Keys that open a project", page("Key"), ID, may="own")
def list_keys_into(id: str) -> Response:
    """Whoever made them."""
    project = project_asked(id)
    held = access_keys.keys_into(database(), project.id)
    return json_answer(_page(held))


def _page(found: list[AccessKey]) -> dict[str, Any]:
    return {"items": [_view(key) for key in found], "next": None}


def _view(key: AccessKey) -> dict[str, Any]:
    project = _shown_project(key.project)
    return {
        "id": key.oid,
        "name": key.name,
        "begins": key.begins,
        "scopes": list(key.scopes),
        "project": project.oid if project else None,
        "projectName": project.name if project else "a project of others" if key.project else "",
        "by": name_of(key.person),
        "mine": key.person == actor().id,
        "madeAt": moment(key.made_at),
        "endsAt": moment(key.ends_at),
        "usedAt": moment(key.used_at),
        "usedFrom": key.used_from,
        "ended": key.ended_at is not None or key.ends_at <= now_us(),
    }


def _shown_project(id: int | None) -> Document | None:
    """The project that a key is for, if whoever asks may know of it: they may have been taken out
    of it since."""
    if id is None or not rights.held_in(database(), caller(database()), id):
        return None
    return projects.project_by_id(database(), id)


@keys_api.post("/keys")
@declared(
    "addKey",
    "A new key",
    of("NewKeyText"),
    status=201,
    takes=NewKey,
    may="self",
    did="made the key {}",
    again=True,
)
def add_key(data: NewKey) -> Response:
    """The answer has its text, which is told this once."""
    project = None if data.project is UNSET else project_asked(data.project)
    key, text = access_keys.add_key(
        database(),
        actor(),
        data.name.strip(),
        data.scopes,
        data.days,
        project.id if project else None,
    )
    return secret_answer({"id": key.oid, "name": key.name, "text": text}, 201)


@keys_api.delete("/keys/<id>")
@declared("endKey", "It opens nothing any more", of("Gone"), ID, may="self", did="ended the key {}")
def end_key(id: str) -> Response:
    """At once; by whoever made it, by the owners of its project, by an administrator."""
    key = access_keys.key(database(), id)
    if not _may_end(key):
        raise NotFound("there is no such key of yours")
    access_keys.end_key(database(), key)
    concerns(key.project, key.oid, f"{key.name} ({key.begins})")
    return json_answer({"gone": True})


def _may_end(key: AccessKey) -> bool:
    asking = caller(database())
    if key.person == asking.person.id or asking.person.administrator:
        return True
    return key.project is not None and (
        people.role_in(database(), asking.person, key.project) == "owner"
        and "own" in rights.held_in(database(), asking, key.project)
    )
