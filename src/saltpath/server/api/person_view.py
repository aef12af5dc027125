"""People, links and sessions as the API gives them."""

from __future__ import annotations

from typing import Any

from flask import Response, g, request

from saltpath.server.api.views import moment
from saltpath.server.context import database
from saltpath.server.problems import json_answer
from saltpath.store import people
from saltpath.store.links import Link
from saltpath.store.people import Person


def as_person(person: Person) -> dict[str, Any]:
    """Somebody as everybody may see them."""
    initials = "".join(word[0] for word in person.name.split()[:2]).upper()
    return {"id": person.oid, "name": person.name, "initials": initials}


def name_of(id: int | None) -> str:
    """What somebody is called; empty for nobody."""
    return people.person_by_id(database(), id).name if id else ""


def here(path: str) -> str:
    """The address of a page of ours, as whoever asks has found us."""
    return f"{request.host_url.rstrip('/')}{path}"


def link_view(link: Link, token: str) -> dict[str, Any]:
    """A new link with its token, which goes behind # so that no server on the way keeps it."""
    address = here(f"/enter#{token}")
    return {"id": link.oid, "name": link.name, "address": address, "endsAt": moment(link.ends_at)}


def secret_answer(body: dict[str, Any], status: int = 200) -> Response:
    """An answer that holds a secret, told this once: it is not compressed, so that nothing can be
    learned from its length beside what somebody else put into it."""
    g.uncompressed = True
    return json_answer(body, status)
