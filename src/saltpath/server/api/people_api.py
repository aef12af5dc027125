"""Who has a part in a project, and whom an administrator lets in."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response
from msgspec import UNSET

from saltpath.server.api.person_view import as_person, link_view, name_of, secret_answer
from saltpath.server.api.views import moment
from saltpath.server.asked import permitted, project_asked
from saltpath.server.audited import concerns
from saltpath.server.context import actor, database
from saltpath.server.declared import ID, PROJECT, declared, of, page, parameter
from saltpath.server.entry.bodies import Invitation, Part, PersonChange
from saltpath.server.problems import Refused, json_answer
from saltpath.server.rights import permit_administrator
from saltpath.store import links, people, projects, second_factors, sessions
from saltpath.store.database import Conflict, NotFound, write
from saltpath.store.documents import Document
from saltpath.store.links import Link
from saltpath.store.people import Person

people_api = Blueprint("people", __name__)
PERSON = parameter("person", "the person's identity", True, "path")


@people_api.get("/people")
@declared("listMembers", "Who has a part in a project", page("Member"), PROJECT)
def list_members() -> Response:
    """By name. Administrators own each project; they stand here where they were given a part."""
    items = [
        {
            **as_person(one.person),
            "role": one.role,
            "since": moment(one.at),
            "you": one.person.id == actor().id,
        }
        for one in people.members(database(), project_asked().id)
    ]
    return json_answer({"items": items, "next": None})


@people_api.put("/projects/<id>/people/<person>")
@declared(
    "setPart",
    "What somebody is in a project",
    of("Member"),
    ID,
    PERSON,
    takes=Part,
    may="own",
    did="said what {} is in the project",
    again=True,
)
def set_part(data: Part, id: str, person: str) -> Response:
    """Of one who has a part already; others are invited."""
    project = project_asked(id)
    member = next(
        (one for one in people.members(database(), project.id) if one.person.oid == person),
        None,
    )
    if member is None and not actor().administrator:
        raise NotFound("there is nobody of this identity in the project")
    whom = member.person if member else people.person(database(), person)
    if whom.ended:
        raise Refused(409, "taken", f"{whom.name} comes in here no more.")
    with write(database()):
        _check_owner_left(project, whom, data.role)
        people.set_role(database(), project.id, whom, data.role, actor().id)
    concerns(project.id, whom.oid, f"{whom.name} ({data.role})")
    since = people.members(database(), project.id)
    at = next(one.at for one in since if one.person.id == whom.id)
    you = whom.id == actor().id
    return json_answer({**as_person(whom), "role": data.role, "since": moment(at), "you": you})


@people_api.delete("/projects/<id>/people/<person>")
@declared(
    "removePart",
    "Somebody has no part in it any more",
    of("Gone"),
    ID,
    PERSON,
    may="own",
    did="took {} out of the project",
)
def remove_part(id: str, person: str) -> Response:
    """At once, in every page that they have open."""
    project, whom = project_asked(id), people.person(database(), person)
    if not any(one.person.id == whom.id for one in people.members(database(), project.id)):
        raise NotFound("there is nobody of this identity in the project")
    with write(database()):
        _check_owner_left(project, whom, "")
        people.set_role(database(), project.id, whom, None, actor().id)
    concerns(project.id, whom.oid, whom.name)
    return json_answer({"gone": True})


def _check_owner_left(project: Document, person: Person, role: str) -> None:
    """Raises Conflict where an owner would leave a project without one by a slip; an administrator
    may."""
    others = [
        one
        for one in people.members(database(), project.id)
        if one.role == "owner" and one.person.id != person.id
    ]
    if role != "owner" and not others and not actor().administrator:
        raise Conflict("nobody would own the project any more; name another owner first")


@people_api.get("/projects/<id>/invitations")
@declared("listInvitations", "Who is invited, and has not come", page("Invited"), ID, may="own")
def list_invitations(id: str) -> Response:
    """The newest first."""
    return json_answer(_invited(links.open_links(database(), project_asked(id).id)))


def _invited(found: list[Link]) -> dict[str, Any]:
    items = [
        {
            "id": link.oid,
            "name": link.name,
            "role": link.role,
            "administrator": link.administrator,
            "by": name_of(link.actor),
            "endsAt": moment(link.ends_at),
        }
        for link in found
    ]
    return {"items": items, "next": None}


@people_api.post("/projects/<id>/invitations")
@declared(
    "invite",
    "Invite somebody into a project",
    of("NewLink"),
    ID,
    status=201,
    takes=Invitation,
    may="own",
    did="invited {} into the project",
    again=True,
)
def invite(data: Invitation, id: str) -> Response:
    """The answer has the link, which is told this once: it is good for a week, and for one
    person."""
    project = project_asked(id)
    if data.administrator or data.role is UNSET:
        raise Refused(422, "role", "Say which role they have in the project.")
    link, token = links.add_link(
        database(),
        "join",
        actor().id,
        project=project.id,
        role=data.role,
        name=data.name.strip(),
    )
    return secret_answer(link_view(link, token), 201)


@people_api.delete("/invitations/<id>")
@declared(
    "endInvitation",
    "It lets nobody in any more",
    of("Gone"),
    ID,
    may="own",
    did="took back the invitation of {}",
)
def end_invitation(id: str) -> Response:
    """Of a project, by its owners; any other by administrators."""
    link = links.link(database(), id)
    if link.kind != "join":
        raise NotFound(links.USED)
    if link.project is None:
        permit_administrator(database())
    else:
        permitted(link.project)
    links.end_link(database(), link)
    concerns(link.project, link.oid, link.name)
    return json_answer({"gone": True})


@people_api.get("/accounts")
@declared("listAccounts", "Everybody who comes in here", page("Account"), may="administer")
def list_accounts() -> Response:
    """By name, also those who come in no more."""
    names = {one.id: one for one in projects.projects(database())}
    return json_answer(
        {"items": [_account(one, names) for one in people.people(database())], "next": None}
    )


def _account(person: Person, names: dict[int, Document]) -> dict[str, Any]:
    held = sessions.sessions(database(), person)
    return {
        **as_person(person),
        "signIn": person.sign_in,
        "administrator": person.administrator,
        "ended": person.ended,
        "secondFactor": person.has_second,
        "sessions": len(held),
        "seenAt": moment(max((one.seen_at for one in held), default=None)),
        "parts": [
            {"project": names[id].oid, "name": names[id].name, "role": role}
            for id, role in people.roles_of(database(), person).items()
            if id in names
        ],
        "you": person.id == actor().id,
    }


@people_api.patch("/accounts/<id>")
@declared(
    "changeAccount",
    "What somebody is here",
    of("Account"),
    ID,
    takes=PersonChange,
    may="administer",
    did="said what {} is here",
    again=True,
)
def change_account(data: PersonChange, id: str) -> Response:
    """Whether they administer the installation, and whether they come in."""
    person = _asked(id)
    with write(database()):
        if data.administrator is not UNSET:
            people.set_administrator(database(), person, data.administrator)
        if data.ended is not UNSET:
            person = people.person_by_id(database(), person.id)
            people.end_person(database(), person, data.ended)
    said = [
        text
        for text, given in (
            ("an administrator", data.administrator is True),
            ("no administrator", data.administrator is False),
            ("comes in no more", data.ended is True),
            ("comes in again", data.ended is False),
        )
        if given
    ]
    concerns(None, person.oid, f"{person.name} ({', '.join(said)})")
    names = {one.id: one for one in projects.projects(database())}
    return json_answer(_account(people.person_by_id(database(), person.id), names))


def _asked(id: str) -> Person:
    found = people.person(database(), id)
    concerns(None, found.oid, found.name)
    return found


@people_api.post("/accounts/<id>/password-link")
@declared(
    "makePasswordLink",
    "A link by which somebody gives a new password",
    of("NewLink"),
    ID,
    may="administer",
    did="made a link for a new password of {}",
    again=True,
)
def make_password_link(id: str) -> Response:
    """Told this once, good for a day; their sessions end when it is used."""
    person = _asked(id)
    link, token = links.add_link(database(), "password", actor().id, person=person)
    return secret_answer({**link_view(link, token), "name": person.name})


@people_api.post("/accounts/<id>/sessions/end")
@declared(
    "endSessionsOf",
    "End all sessions of somebody",
    of("Ended"),
    ID,
    may="administer",
    did="ended the sessions of {}",
)
def end_sessions_of(id: str) -> Response:
    """At once."""
    return json_answer({"ended": sessions.end_all(database(), _asked(id))})


@people_api.post("/accounts/<id>/second-factor/off")
@declared(
    "dropSecondFactorOf",
    "Somebody lost the phone and the codes",
    of("Ended"),
    ID,
    may="administer",
    did="set the second factor of {} off",
    again=True,
)
def drop_second_factor_of(id: str) -> Response:
    """They sign in by their password alone, until they set another one."""
    second_factors.drop_second(database(), _asked(id))
    return json_answer({"ended": 0})


@people_api.get("/account-invitations")
@declared(
    "listAccountInvitations", "Who is invited into no project", page("Invited"), may="administer"
)
def list_account_invitations() -> Response:
    """The newest first."""
    return json_answer(_invited(links.open_links(database(), None)))


@people_api.post("/account-invitations")
@declared(
    "inviteAccount",
    "Let somebody in who has no part in any project yet",
    of("NewLink"),
    status=201,
    takes=Invitation,
    may="administer",
    did="invited {}",
    again=True,
)
def invite_account(data: Invitation) -> Response:
    """Such as another administrator."""
    if data.role is not UNSET:
        raise Refused(422, "role", "A role is one in a project; invite them there.")
    name, administrator = data.name.strip(), data.administrator
    link, token = links.add_link(
        database(), "join", actor().id, name=name, administrator=administrator
    )
    return secret_answer(link_view(link, token), 201)
