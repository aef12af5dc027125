"""An endpoint is declared where it is: its address and method by Flask's own decorator, and by
`declared` below it what it is called, takes and gives. Our OpenAPI document is made of these
(`openapi.py`), and so are the pages' types."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import nullcontext
from functools import wraps
from typing import Any, TypeVar, cast

from saltpath.server import audited, rights
from saltpath.server.bodies import Body
from saltpath.server.context import database
from saltpath.server.rights import Right
from saltpath.server.taking import taken

View = TypeVar("View", bound=Callable[..., Any])
BODIES: dict[str, type[Body]] = {}
"""What endpoints take, by name."""
OPERATION = "operation"
"""The attribute of a view in which its operation stands."""


def parameter(
    name: str, about: str, required: bool = False, place: str = "query", kind: str = "string"
) -> dict[str, Any]:
    return {
        "name": name,
        "in": place,
        "required": required,
        "description": about,
        "schema": {"type": kind},
    }


ID = parameter("id", "the identity", True, "path")
PROJECT = parameter("project", "the project's identity", True)
DATABASE = parameter("name", "the database's name", True)
TABLE = parameter("name", "the table's name", True)
WRITTEN_BY = parameter("run", "which run wrote them; the newest unless it is said")
SOURCE = parameter("name", "the source's name", True)
TEXT = parameter("text", "false leaves the case's text out")
LIMIT = parameter("limit", "how many at most, 1 to 1000", kind="integer")


ANY = "application/octet-stream"
JSON = "application/json"
"""As an upload: a document that is read as it comes."""
SHEET = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
FORM = parameter("format", "xlsx or csv")


def of(shape: str) -> dict[str, Any]:
    return {"$ref": f"#/components/schemas/{shape}"}


def page(shape: str) -> dict[str, Any]:
    return {
        "type": "object",
        "required": ["items", "next"],
        "properties": {
            "items": {"type": "array", "items": of(shape)},
            "next": {"type": ["string", "null"]},
        },
    }


IF_MATCH = parameter("If-Match", "the version that was changed, in quotes", True, "header")
IDEMPOTENCY = parameter("Idempotency-Key", "asks for the same run once", place="header")
AFTER = parameter("after", "the last id that was seen; without one, what comes from now on")
POSITION = parameter("position", "the case's place in the run, from 0", True, "path", "integer")
FILE_PATH = parameter(
    "path", "the file's path in the project, such as data/papers.pdf", True, "path"
)


def declared(
    id: str,
    about: str,
    answer: dict[str, Any] | None,
    *parameters: dict[str, Any],
    status: int = 200,
    takes: type[Body] | None = None,
    media: str = "application/json",
    upload: str = "",
    may: Right | None = None,
    did: str = "",
    dear: bool = False,
    again: bool = False,
) -> Callable[[View], View]:
    """Say of a view what it does. `answer`: the schema of what it gives (None: octets of `media`);
    `takes`: what the JSON body is that it wants, which the view is given first; `upload`: the media
    type of another body; `may`: the right that it needs, by default to read. What changes something
    says its own, and in `did` what is written down of it, {} being the name of what it is about;
    `dear`: it costs much, and is done a few times at once for each who asks; `again`: it opens
    something to others, and the password is asked again before it."""
    operation: dict[str, Any] = {
        "operationId": id,
        "summary": about,
        "x-right": may or "read",
        "parameters": list(parameters),
        "responses": _responses(answer, status, media),
    }
    if did:
        operation["x-did"] = did
    if again:
        operation["x-again"] = True
    if takes is not None:
        BODIES[takes.__name__] = takes
        operation["requestBody"] = _body("application/json", of(takes.__name__))
    if upload:
        operation["requestBody"] = _body(upload, {"type": "object"} if upload == JSON else _OCTETS)

    def mark(view: View) -> View:
        @wraps(view)
        def served(**named: Any) -> Any:
            rights.begin(database(), id, may or "read")
            if again:
                rights.confirmed(database())
            with rights.turn() if dear else nullcontext():
                answer = view(**named) if takes is None else view(taken(takes), **named)
            rights.end(id)
            if did:
                audited.done(id, did, answer)
            return answer

        setattr(served, OPERATION, operation)
        return cast(View, served)

    return mark


_OCTETS = {"type": "string", "format": "binary"}


def _body(media: str, schema: dict[str, Any]) -> dict[str, Any]:
    return {"required": True, "content": {media: {"schema": schema}}}


def _responses(answer: dict[str, Any] | None, status: int, media: str) -> dict[str, Any]:
    schema = answer if answer is not None else _OCTETS
    return {
        str(status): {"description": "as asked", "content": {media: {"schema": schema}}},
        "default": {
            "description": "a problem",
            "content": {"application/problem+json": {"schema": of("Problem")}},
        },
    }
