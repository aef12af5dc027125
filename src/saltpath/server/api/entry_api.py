"""Getting in and out: by a name and a password, by a link that counts once; who asks."""

from __future__ import annotations

import math
from typing import Any

from flask import Blueprint, Response, current_app, request
from msgspec import UNSET

from saltpath.server import audited
from saltpath.server.api.person_view import as_person
from saltpath.server.api.views import moment
from saltpath.server.context import database, folder
from saltpath.server.declared import declared, of
from saltpath.server.entry import codes, cookies, passwords
from saltpath.server.entry.bodies import LinkToLookAt, LinkToUse, NameAndPassword
from saltpath.server.entry.callers import Caller, caller, known, may_work_alone
from saltpath.server.entry.delays import Delays, place_of
from saltpath.server.problems import Refused, json_answer
from saltpath.store import links, people, projects, providers, second_factors, sessions
from saltpath.store.database import write
from saltpath.store.links import Link
from saltpath.store.people import Person

entry_api = Blueprint("entry", __name__)
WRONG = "This name and password do not belong together."


@entry_api.get("/me")
@declared("readMe", "Who asks", of("Me"), may="anyone")
def me() -> Response:
    """The person, by what way they came in, and what is asked of them."""
    return json_answer(_me(caller(database())))


def _me(asking: Caller) -> dict[str, Any]:
    person = asking.person
    return {
        **as_person(person),
        "signIn": person.sign_in,
        "administrator": person.administrator and asking.way != "key",
        "way": asking.way,
        "hasPassword": person.has_password,
        "secondFactor": person.has_second,
        "codesLeft": second_factors.codes_left(database(), person),
        "mayWorkAlone": may_work_alone(),
    }


@entry_api.get("/entry")
@declared("readEntry", "How one comes in here", of("Entry"), may="open")
def read_entry() -> Response:
    """Who asks, if they are known; whether somebody owns this installation yet, and the provider
    that may vouch for people."""
    owned, asking = any(one.has_password for one in people.people(database())), known(database())
    me = _me(asking) if asking else None
    called = providers.provider(database()).called
    return json_answer({"provider": called, "owned": owned or bool(called), "me": me})


@entry_api.post("/sign-in")
@declared(
    "signIn", "Sign in by a name and a password", of("Entered"), takes=NameAndPassword, may="open"
)
def sign_in(data: NameAndPassword) -> Response:
    """401 `wrong` where they do not belong together, 401 `second-factor` where a code is asked, 429
    where it was tried too often."""
    name, person = people.as_sign_in(data.name), people.by_sign_in(database(), data.name)
    browser = cookies.browser_of(database(), person, cookies.read(cookies.KNOWN))
    place = f"browser {browser}" if browser else place_of(request.remote_addr or "")
    delays = too_often(name, place, bool(browser))
    stored = people.password_of(database(), person) if person else ""
    fits = passwords.fits(stored, data.password)
    if person is None or not fits or person.ended:
        _failed(person)
        raise Refused(401, "wrong", WRONG)
    if person.has_second and not data.code:
        raise Refused(401, "second-factor", "Give the code that your app shows now, too.")
    if person.has_second and not codes.accepted(database(), folder(), person, data.code):
        _failed(person)
        raise Refused(401, "second-factor", "This code is not the one of now, or was used.")
    delays.succeeded(name, place)
    if passwords.is_outdated(stored):
        people.set_password(database(), person, passwords.hashed(data.password))
    return entered(person, "password", 0 if browser else 1)


def too_often(name: str, place: str, known: bool = True) -> Delays:
    """A try begins; those to whom its success is told. Raises Refused where one has to wait."""
    delays: Delays = current_app.config["DELAYS"]
    seconds = math.ceil(delays.begin(name, place, known))
    if seconds > 0:
        told = f"That was tried too often. Try again in {seconds} s."
        raise Refused(429, "too-often", told, retryAfter=seconds)
    return delays


def _failed(person: Person | None) -> None:
    """Also of a name that nobody has, so that it takes as long; such a name itself is not written
    down: it may be a password."""
    who = person.id if person else None
    audited.note("signIn", "tried to sign in, and could not", who, "nobody")


def entered(person: Person, way: str, new_browser: int = 0) -> Response:
    """The answer by which a browser holds a new session; what it held before counts no more."""
    before = sessions.of_token(database(), cookies.read(cookies.SESSION))
    if before is not None:
        sessions.end(database(), before[0].id)
    place, agent = request.remote_addr or "", request.headers.get("User-Agent", "")
    session, token = sessions.begin(database(), person, place, agent, way)
    audited.note("signIn", f"signed in by {way}", person.id, "session")
    answer = json_answer({"person": as_person(person)})
    cookies.give(answer, cookies.SESSION, token, (session.ends_at - session.made_at) // 1_000_000)
    if new_browser:
        known_browser = cookies.known_browser(database(), person)
        cookies.give(answer, cookies.KNOWN, known_browser, cookies.KNOWN_S)
    return answer


@entry_api.post("/sign-out")
@declared("signOut", "End this session", of("Ended"), may="self", did="signed out")
def sign_out() -> Response:
    """The browser holds nothing afterwards."""
    asking = caller(database())
    if asking.session is not None:
        sessions.end(database(), asking.session.id)
    answer = json_answer({"ended": int(asking.session is not None)})
    cookies.take_away(answer, cookies.SESSION)
    answer.headers["Clear-Site-Data"] = '"cache", "storage"'
    return answer


@entry_api.post("/links/look")
@declared("lookAtLink", "What a link is for", of("LinkSeen"), takes=LinkToLookAt, may="open")
def look_at_link(data: LinkToLookAt) -> Response:
    """It is not used up by this."""
    link = links.of_token(database(), data.token)
    asking = known(database())
    whom = people.person_by_id(database(), link.person) if link.person else None
    by = people.person_by_id(database(), link.actor) if link.actor else None
    return json_answer(
        {
            "kind": link.kind,
            "name": whom.name if whom else link.name,
            "signIn": whom.sign_in if whom else "",
            "project": projects.project_by_id(database(), link.project).name
            if link.project
            else "",
            "role": link.role,
            "administrator": link.administrator,
            "by": by.name if by else "",
            "endsAt": moment(link.ends_at),
            "me": as_person(asking.person) if asking and asking.way == "session" else None,
            "mayWorkAlone": link.kind == "own" and may_work_alone(),
        }
    )


@entry_api.post("/links/use")
@declared("useLink", "Come in by a link, once", of("Entered"), takes=LinkToUse, may="open")
def use_link(data: LinkToUse) -> Response:
    """What it makes of somebody stands afterwards, and they are signed in."""
    link = links.of_token(database(), data.token)
    if link.kind == "join" and data.as_me:
        asking = caller(database())
        if asking.way == "key":
            raise Refused(403, "not-allowed", "A key takes no invitation.")
        _join(link, asking.person)
        return json_answer({"person": as_person(asking.person)})
    if link.kind == "enter":
        person = people.person_by_id(database(), link.person or 0)
        if person.ended:
            raise Refused(403, "not-allowed", "This person comes in here no more.")
        with write(database()):
            links.use(database(), link, person)
        return entered(person, "link")
    hashed = "" if _without_password(link, data) else _new_password(link, data)
    with write(database()):
        person = _person_of(link, data)
        links.use(database(), link, person)
        if hashed:
            people.set_password(database(), person, hashed)
        else:
            people.set_alone(database(), True)
        sessions.end_all(database(), person)
    if link.kind == "join":
        audited.note("useLink", "took an invitation", person.id, "link")
    return entered(person, "link", 1)


def _without_password(link: Link, data: LinkToUse) -> bool:
    """Whether the owner goes on alone. Raises Refused where that is not to be had."""
    if not data.alone:
        return False
    if link.kind != "own" or not may_work_alone():
        told = "Without signing in one works only on this machine itself, as its owner."
        raise Refused(403, "not-allowed", told)
    return True


def _new_password(link: Link, data: LinkToUse) -> str:
    """The hash of the one that is given. Raises Refused where it is too easy to guess."""
    if data.password is UNSET:
        raise Refused(422, "password", "Give a password.")
    if link.kind != "password" and (data.name is UNSET or data.sign_in is UNSET):
        raise Refused(422, "name", "Give your name, and the one to sign in by.")
    whom = people.person_by_id(database(), link.person) if link.person else None
    names = (whom.name, whom.sign_in) if whom else ()
    given = (str(data.name or ""), str(data.sign_in or ""))
    fault = passwords.fault(data.password, *names, *given)
    if fault:
        raise Refused(422, "password", fault)
    return passwords.hashed(data.password)


def _person_of(link: Link, data: LinkToUse) -> Person:
    """Whose password it is, from now on; within a transaction."""
    if link.kind == "join":
        person = people.add_person(
            database(), str(data.name).strip(), str(data.sign_in), link.administrator
        )
        _give_part(link, person)
        return person
    person = people.person_by_id(database(), link.person or 0)
    if link.kind == "own" and data.name is not UNSET and data.sign_in is not UNSET:
        people.rename(database(), person, data.name.strip(), data.sign_in)
    return people.person_by_id(database(), person.id)


def _join(link: Link, person: Person) -> None:
    with write(database()):
        links.use(database(), link, person)
        _give_part(link, person)
    audited.note("useLink", "took an invitation", person.id, "session")


def _give_part(link: Link, person: Person) -> None:
    """What an invitation makes of somebody, who keeps what they are where that is more."""
    if link.administrator and not person.administrator:
        people.set_administrator(database(), person, True)
    role = links.role_of(link)
    if link.project is None or role is None:
        return
    now = people.roles_of(database(), person).get(link.project)
    if now is None or people.ROLES.index(role) < people.ROLES.index(now):
        by = link.actor or person.id
        people.set_role(database(), link.project, person, role, by)
