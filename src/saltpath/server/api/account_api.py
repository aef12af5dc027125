"""The account of whoever is signed in: name, password, second factor, sessions."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response
from msgspec import UNSET

from saltpath.server.api.entry_api import too_often
from saltpath.server.api.person_view import as_person, secret_answer
from saltpath.server.api.views import moment
from saltpath.server.context import actor, database, folder
from saltpath.server.declared import ID, declared, of, page
from saltpath.server.entry import codes, passwords
from saltpath.server.entry.bodies import (
    AccountChange,
    Alone,
    PasswordAgain,
    PasswordChange,
    SecondFactor,
    SecondFactorSaid,
)
from saltpath.server.entry.callers import caller, may_work_alone
from saltpath.server.problems import Refused, json_answer
from saltpath.store import people, reaching, second_factors, sessions
from saltpath.store.database import NotFound

account_api = Blueprint("account", __name__)


@account_api.patch("/me")
@declared(
    "changeMe",
    "How you are called",
    of("Person"),
    takes=AccountChange,
    may="self",
    did="changed their own name",
)
def change_me(data: AccountChange) -> Response:
    """Your name, and the one to sign in by."""
    person = actor()
    name = person.name if data.name is UNSET else data.name.strip()
    sign_in = person.sign_in if data.sign_in is UNSET else data.sign_in
    people.rename(database(), person, name, sign_in)
    return json_answer(as_person(people.person_by_id(database(), person.id)))


@account_api.put("/password")
@declared(
    "changePassword",
    "Another password",
    of("Ended"),
    takes=PasswordChange,
    may="self",
    did="changed their password",
)
def change_password(data: PasswordChange) -> Response:
    """All other sessions end."""
    person = actor()
    _check_password(data.old)
    fault = passwords.fault(data.new, person.name, person.sign_in)
    if fault:
        raise Refused(422, "password", fault)
    people.set_password(database(), person, passwords.hashed(data.new))
    return json_answer({"ended": sessions.end_all(database(), person, _here())})


def _here() -> int:
    session = caller(database()).session
    return session.id if session else 0


def _check_password(given: str) -> None:
    """That somebody who sits at an open page is the one whose it is. Whoever has no password yet
    needs to give none. Raises Refused."""
    person = actor()
    if not person.has_password:
        return
    delays = too_often(f"again {person.oid}", f"session {_here()}")
    if not passwords.fits(people.password_of(database(), person), given):
        raise Refused(403, "wrong", "This is not your password.")
    delays.succeeded(f"again {person.oid}", f"session {_here()}")


@account_api.post("/second-factor/begin")
@declared("beginSecondFactor", "What an app of codes reads", of("SecondFactorToSet"), may="self")
def begin_second_factor() -> Response:
    """A secret, also as a picture; nothing is kept until a code of it is given."""
    secret = codes.new_secret()
    address = codes.address_of(secret, actor(), "Salt Path")
    picture = codes.picture_of(address)
    return secret_answer({"secret": secret, "address": address, "picture": picture})


@account_api.put("/second-factor")
@declared(
    "setSecondFactor",
    "Ask for a code, too",
    of("RecoveryCodes"),
    takes=SecondFactor,
    may="self",
    did="set a second factor",
)
def set_second_factor(data: SecondFactor) -> Response:
    """From now on signing in asks for it. The answer has the codes for the day on which the phone
    is lost; they are told this once. All other sessions end."""
    person = actor()
    _check_password(data.password)
    if not person.has_password:
        raise Refused(422, "password", "Set a password first; this is asked beside it.")
    step = codes.step_of(data.secret, data.code)
    if step is None:
        raise Refused(422, "code", "This is not the code that the app shows now.")
    made = codes.new_codes()
    second_factors.set_second(database(), folder(), person, data.secret, made)
    second_factors.use_step(database(), person, step)
    sessions.end_all(database(), person, _here())
    return secret_answer({"codes": made})


@account_api.post("/second-factor/off")
@declared(
    "dropSecondFactor",
    "Ask for no code any more",
    of("Ended"),
    takes=PasswordAgain,
    may="self",
    did="set the second factor off",
)
def drop_second_factor(data: PasswordAgain) -> Response:
    """The codes for a lost phone count no more, either."""
    _check_password(data.password)
    second_factors.drop_second(database(), actor())
    return json_answer({"ended": 0})


@account_api.post("/me/confirm")
@declared(
    "confirmMe",
    "The password once more",
    of("Ended"),
    takes=PasswordAgain,
    may="self",
    did="gave their password again",
)
def confirm_me(data: PasswordAgain) -> Response:
    """For what is asked in the next 15 minutes and opens something to others: without it, that is
    answered with 403 `confirm`."""
    _check_password(data.password)
    session = caller(database()).session
    if session is not None:
        sessions.confirm(database(), session)
    return json_answer({"ended": 0})


@account_api.get("/installation/second-factor")
@declared(
    "readSecondFactorRule", "Who needs a second factor", of("SecondFactorRule"), may="administer"
)
def read_second_factor_rule() -> Response:
    """`administrators` is null where it follows from who comes here."""
    return json_answer(_rule())


@account_api.put("/installation/second-factor")
@declared(
    "saySecondFactorRule",
    "Say who needs a second factor",
    of("SecondFactorRule"),
    takes=SecondFactorSaid,
    may="administer",
    did="said who needs a second factor",
    again=True,
)
def say_second_factor_rule(data: SecondFactorSaid) -> Response:
    """Without it administrators decide nothing about the installation. Whoever says that it is
    needed must have one."""
    if data.administrators and not actor().has_second:
        raise Refused(409, "taken", "Set one in your account first, so that you are not kept out.")
    second_factors.say_needed(database(), data.administrators)
    return json_answer(_rule())


def _rule() -> dict[str, Any]:
    return {
        "administrators": second_factors.said_needed(database()),
        "shared": reaching.is_shared(database()),
    }


@account_api.get("/sessions")
@declared("listSessions", "Where you are signed in", page("Session"), may="self")
def list_sessions() -> Response:
    """The newest first."""
    items = [
        {
            "id": one.oid,
            "madeAt": moment(one.made_at),
            "seenAt": moment(one.seen_at),
            "endsAt": moment(one.ends_at),
            "place": one.place,
            "agent": one.agent,
            "way": one.way,
            "here": one.id == _here(),
        }
        for one in sessions.sessions(database(), actor())
    ]
    return json_answer({"items": items, "next": None})


@account_api.delete("/sessions/<id>")
@declared("endSession", "End one", of("Ended"), ID, may="self", did="ended a session of theirs")
def end_session(id: str) -> Response:
    """At once, whatever is open there."""
    found = sessions.session(database(), id)
    if found.person != actor().id:
        raise NotFound("there is no such session of yours")
    sessions.end(database(), found.id)
    return json_answer({"ended": 1})


@account_api.delete("/sessions")
@declared(
    "endSessions", "End all others", of("Ended"), may="self", did="ended their other sessions"
)
def end_sessions() -> Response:
    """All but this one."""
    return json_answer({"ended": sessions.end_all(database(), actor(), _here())})


@account_api.put("/alone")
@declared(
    "setAlone",
    "Whether sign-in is asked on this machine",
    of("Ended"),
    takes=Alone,
    may="administer",
    did="said whether sign-in is asked on this machine",
)
def set_alone(data: Alone) -> Response:
    """Only where it listens to this machine alone. Going back to sign-in wants a password first."""
    person = actor()
    if data.alone and not may_work_alone():
        told = "Others can reach this server; it is not used without signing in."
        raise Refused(403, "not-allowed", told)
    if not data.alone and not any(
        one.has_password and one.administrator and not one.ended
        for one in people.people(database())
    ):
        told = "Nobody who decides here has a password yet, so nobody could sign in."
        raise Refused(409, "taken", told)
    people.set_alone(database(), data.alone)
    return json_answer(
        {"ended": 0 if data.alone else sessions.end_all(database(), person, _here())}
    )
