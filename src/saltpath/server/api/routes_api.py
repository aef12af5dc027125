"""Routes by which people are told of watches, what was told, who looks after trouble, and watches
of which nobody is told for a while."""

from __future__ import annotations

import re
from typing import Any

from flask import Blueprint, Response
from msgspec import UNSET, UnsetType
from msgspec.structs import replace

from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.measures import duration
from saltpath.core.values.text_formats import is_web_address
from saltpath.core.watching.alerts import body_of, message, read_template
from saltpath.core.watching.hours import read_hours
from saltpath.core.watching.sentences import show_every
from saltpath.server.api.views import moment, ms
from saltpath.server.asked import permitted, project_asked, watch_asked
from saltpath.server.audited import concerns
from saltpath.server.context import actor, database, folder, limit, version_changed, whole
from saltpath.server.declared import ID, IF_MATCH, LIMIT, PROJECT, declared, of, page, parameter
from saltpath.server.problems import Refused, json_answer
from saltpath.server.watch_bodies import Mute, NewRoute, RouteChange
from saltpath.server.watch_views import muted_view
from saltpath.store import projects, routes, secrets, watches
from saltpath.store.database import now_us, write
from saltpath.store.history import alerts, troubles
from saltpath.store.routes import Route, StoredRoute, tells_of

routes_api = Blueprint("routes", __name__)
LONGEST_MUTE_MIN = 7 * 24 * 60
MOST_ROUTES = 100


@routes_api.get("/routes")
@declared("listRoutes", "How people are told of watches", page("Route"), PROJECT)
def list_routes() -> Response:
    """By name. Passwords and keys are told nowhere."""
    project = project_asked()
    known = watches.watches(database(), project.id)
    items = [
        _view(one, [watch.name for watch in known if tells_of(one.route, watch.document)])
        for one in routes.routes(database(), project.id)
    ]
    return json_answer({"items": items, "next": None})


@routes_api.post("/routes")
@declared(
    "addRoute",
    "Add a way to tell people",
    of("Route"),
    status=201,
    takes=NewRoute,
    may="edit",
    did="added the route {}",
)
def add_route(data: NewRoute) -> Response:
    """Watches name it behind `tell`."""
    project = project_asked(data.project)
    if len(routes.routes(database(), project.id)) >= MOST_ROUTES:
        raise Refused(409, "most", f"A project has at most {MOST_ROUTES} routes.")
    made = _changed(Route("", kind=data.kind), data, project.id)
    with write(database()):
        stored = routes.add(database(), project.id, actor().id, made)
        _keep_secret(stored, data.secret)
    return json_answer(_view(stored, []), 201)


@routes_api.patch("/routes/<id>")
@declared(
    "changeRoute",
    "Tell people otherwise",
    of("Route"),
    ID,
    IF_MATCH,
    takes=RouteChange,
    may="edit",
    did="changed the route {}",
)
def change_route(data: RouteChange, id: str) -> Response:
    """Under a new name watches that named it do so still."""
    stored, version = _asked(id), version_changed()
    made = _changed(stored.route, data, stored.project)
    with write(database()):
        after = routes.change(database(), stored, actor().id, version, made)
        _keep_secret(after, data.secret)
        if made.name != stored.route.name:
            watches.rename_route(
                database(), stored.project, actor().id, stored.route.name, made.name
            )
    return json_answer(_view(after, []))


@routes_api.delete("/routes/<id>")
@declared(
    "removeRoute",
    "Take a route away",
    of("Gone"),
    ID,
    may="edit",
    did="took the route {} away",
)
def remove_route(id: str) -> Response:
    """Nobody is told by it any more. `back` undoes it."""
    routes.turn(database(), _asked(id), gone=True)
    return json_answer({"gone": True})


@routes_api.post("/routes/<id>/back")
@declared(
    "bringBackRoute",
    "Tell people by it again",
    of("Gone"),
    ID,
    may="edit",
    did="brought the route {} back",
)
def bring_back_route(id: str) -> Response:
    """Undo that it was taken away."""
    routes.turn(database(), _asked(id, gone=True), gone=False)
    return json_answer({"gone": False})


@routes_api.post("/routes/<id>/test")
@declared(
    "testRoute",
    "Send a test by a route",
    of("AlertMessage"),
    ID,
    status=201,
    may="edit",
    did="sent a test by the route {}",
)
def test_route(id: str) -> Response:
    """What comes of it stands among what was told; it is tried once."""
    stored = _asked(id)
    project = projects.project_by_id(database(), stored.project)
    now = now_us()
    made = message("test", (), str(project.document.get("zone") or "UTC"), now // 1_000_000)
    body = body_of(stored.route.template, "test", made, (), project.name)
    said = (made.subject, made.text, made.html, body)
    put = alerts.put(database("history"), stored.project, stored.id, "test", "", said, (), now)
    return json_answer(_message(put, [], stored.route.name), 201)


@routes_api.get("/alert-messages")
@declared(
    "listAlertMessages",
    "What people were told, newest first",
    page("AlertMessage"),
    PROJECT,
    LIMIT,
    parameter("before", "the page's next"),
)
def list_messages() -> Response:
    """Each with its tries; `next` goes into `before`."""
    project, most = project_asked(), limit(50)
    before = whole("before", 0) or None
    found = alerts.log_of(database("history"), project.id, before, most + 1)
    names = _names(project.id)
    items = [_message(one, tries, names(one.route)) for one, tries in found[:most]]
    more = str(found[most - 1][0].id) if len(found) > most else None
    return json_answer({"items": items, "next": more})


@routes_api.post("/alert-messages/<id>/again")
@declared(
    "sendAlertAgain",
    "Send a message again",
    of("Gone"),
    ID,
    may="edit",
    did="sent “{}” again",
)
def send_again(id: str) -> Response:
    """Now, and from now on for a day, whatever came of it."""
    found = alerts.message(database("history"), id)
    permitted(found.project)
    concerns(found.project, found.oid, found.subject)
    alerts.send_again(database("history"), id, now_us())
    return json_answer({"gone": False})


# ---- trouble that somebody looks after, watches that are muted


@routes_api.put("/troubles/<id>/taken")
@declared(
    "takeTrouble",
    "Look after trouble",
    of("Gone"),
    ID,
    may="run",
    did="looks after {}",
)
def take_trouble(id: str) -> Response:
    """People are reminded of it no more, and nobody else is told."""
    return _take(id, actor().name)


@routes_api.delete("/troubles/<id>/taken")
@declared(
    "leaveTrouble",
    "Look after trouble no more",
    of("Gone"),
    ID,
    may="run",
    did="looks after {} no more",
)
def leave_trouble(id: str) -> Response:
    """People are reminded of it again."""
    return _take(id, "")


def _take(id: str, by: str) -> Response:
    found = troubles.trouble(database("history"), id)
    permitted(found.project)
    watch = watches.watch_by_id(database(), found.watch)
    concerns(found.project, found.oid, f"trouble of {watch.name}")
    troubles.take(database("history"), found, by, now_us())
    return json_answer({"gone": not by})


@routes_api.put("/watches/<id>/mute")
@declared(
    "muteWatch",
    "Tell nobody of a watch for a while",
    of("Muted"),
    ID,
    takes=Mute,
    may="edit",
    did="muted the watch {}",
)
def mute_watch(data: Mute, id: str) -> Response:
    """What is held back is told after. 0 minutes end it."""
    return _mute(watch_asked(id).id, data.minutes, "watch")


@routes_api.put("/routes/<id>/mute")
@declared(
    "muteRoute",
    "Tell nobody by a route for a while",
    of("Muted"),
    ID,
    takes=Mute,
    may="edit",
    did="muted the route {}",
)
def mute_route(data: Mute, id: str) -> Response:
    """Such as whose it is is away. What is held back is told after. 0 minutes end it."""
    return _mute(_asked(id).id, data.minutes, "route")


def _mute(id: int, minutes: int, what: alerts.Muted) -> Response:
    until = now_us() + minutes * 60_000_000 if minutes else 0
    alerts.mute(database("history"), id, until, actor().name, what)
    return json_answer({"until": moment(until) if until else None, "by": actor().name})


# ---- parts


def _asked(id: str, gone: bool = False) -> StoredRoute:
    found = routes.route(database(), id, gone)
    permitted(found.project)
    concerns(found.project, found.oid, found.route.name)
    return found


def _changed(held: Route, data: RouteChange, project: int) -> Route:
    """Raises Refused."""
    said: dict[str, Any] = {}
    for name in ("to", "server", "security", "user", "sender", "address", "template", "then"):
        value = getattr(data, name)
        if value is not UNSET:
            said[name] = (
                tuple(one.strip() for one in value) if isinstance(value, list) else value.strip()
            )
    if data.name is not UNSET:
        said["name"] = " ".join(data.name.split())
        if " and " in said["name"] or "," in said["name"]:
            raise Refused(422, "name", "A route's name has no comma, and no “and” by itself.")
    if data.tags is not UNSET:
        said["tags"] = tuple(dict.fromkeys(filter(None, (one.strip() for one in data.tags))))
    if data.only_urgent is not UNSET:
        said["only_urgent"] = data.only_urgent
    if data.daily is not UNSET:
        said["daily"] = _clock(data.daily.strip())
    if data.heads is not UNSET:
        said["heads"] = data.heads
    if data.hours is not UNSET:
        said["hours"] = tuple(str(_read(read_hours, one, "hours")) for one in data.hours)
    if data.then_after is not UNSET:
        try:
            said["then_after_s"] = max(duration(data.then_after) // 1_000_000, 60)
        except ValueError as problem:
            raise Refused(422, "then-after", f"{problem}.") from None
    made = replace(held, **said)
    _read(read_template, made.template, "template")
    _check(made, project)
    return made


_CLOCK = re.compile(r"([01]?[0-9]|2[0-3]):([0-5][0-9])")


def _clock(text: str) -> str:
    """`7:30` as 07:30. Raises Refused."""
    found = _CLOCK.fullmatch(text)
    if text and found is None:
        raise Refused(422, "daily", "Give a time such as 07:30, or nothing.")
    return f"{int(found[1]):02d}:{found[2]}" if found else ""


def _read(read: Any, text: str, name: str) -> Any:
    try:
        return read(text)
    except Unreadable as problem:
        raise Refused(422, name, f"{problem}.") from None


def _check(made: Route, project: int) -> None:
    if not made.name:
        raise Refused(422, "name", "Give the route a name, by which watches tell it.")
    if made.kind == "webhook" and not is_web_address(made.address):
        raise Refused(422, "address", "Give an address such as https://chat.example/hook.")
    if made.kind == "mail":
        if not made.to or not all(_is_mail(one) for one in made.to):
            raise Refused(422, "to", "Give addresses such as desk@fernholm.example.")
        if not made.server or any(letter.isspace() for letter in made.server):
            raise Refused(422, "server", "Name the mail server, such as mail.example:587.")
        if (
            not _is_mail(made.sender.rpartition("<")[2].rstrip(">"))
            or not made.sender.isprintable()
        ):
            raise Refused(422, "sender", "Say from whom, such as salt@fernholm.example.")
    known = {one.route.name for one in routes.routes(database(), project)}
    if made.then and (made.then not in known or made.then == made.name):
        raise Refused(422, "then", f"There is no other route {made.then}.")


def _is_mail(text: str) -> bool:
    name, at, domain = text.strip().rpartition("@")
    plain = not any(letter.isspace() or letter in '<>,;"' for letter in text.strip())
    return bool(name and at and domain and plain and text.isprintable())


def _keep_secret(stored: StoredRoute, secret: str | UnsetType) -> None:
    if secret is not UNSET:
        place = secrets.Place(stored.project, routes.secret_name(stored))
        secrets.set_secret(database(), folder(), place, actor().id, secret)


def _view(stored: StoredRoute, told_of: list[str]) -> dict[str, Any]:
    route = stored.route
    place = secrets.Place(stored.project, routes.secret_name(stored))
    return {
        "id": stored.oid,
        "version": stored.version,
        "name": route.name,
        "kind": route.kind,
        "to": list(route.to),
        "server": route.server,
        "security": route.security,
        "user": route.user,
        "sender": route.sender,
        "address": route.address,
        "template": route.template,
        "hours": list(route.hours),
        "tags": list(route.tags),
        "onlyUrgent": route.only_urgent,
        "daily": route.daily,
        "heads": route.heads,
        "muted": muted_view(stored.id, "route"),
        "then": route.then,
        "thenAfter": _every(route.then_after_s),
        "hasSecret": bool(secrets.secret_at(database(), folder(), place)),
        "toldOf": told_of,
    }


def _every(seconds: int) -> str:
    text = show_every(seconds * 1_000_000)
    return text if text[0].isdigit() else f"1 {text.replace('minute', 'min').replace('hour', 'h')}"


def _names(project: int) -> Any:
    known: dict[int, str] = {}

    def name(id: int) -> str:
        if id not in known:
            known[id] = routes.route_by_id(database(), id).route.name
        return known[id]

    return name


def _message(one: alerts.Message, tries: list[alerts.Try], route: str) -> dict[str, Any]:
    return {
        "id": one.oid,
        "route": route,
        "kind": one.kind,
        "subject": one.subject,
        "text": one.text,
        "state": one.state,
        "at": moment(one.at),
        "due": moment(one.due),
        "tries": [{"at": moment(each.at), "ms": ms(each.us), "said": each.said} for each in tries],
    }
