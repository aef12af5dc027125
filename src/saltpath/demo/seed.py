"""Puts the demonstration project's files into a store, once; the addresses follow the harbour that
was started."""

from __future__ import annotations

import re
import sqlite3
from contextlib import closing
from importlib.resources import as_file, files
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace

from saltpath.core.format.folder import read_folder
from saltpath.core.running.plan import RunRequest
from saltpath.core.watching.alerts import CHAT
from saltpath.demo.harbour.desks import SECRET
from saltpath.demo.harbour.port import AGENTS, LIVE_AGENTS
from saltpath.demo.harbour.receiver import KEY
from saltpath.formats.folders import read_disk
from saltpath.store import cases, deliveries, documents, people, projects, routes, runs, secrets
from saltpath.store.database import connect
from saltpath.store.documents import Document
from saltpath.store.folders import bring_in
from saltpath.store.people import Person

FOLDERS = {"project": "Fernholm Harbour", "troubles": "Troubles at Fernholm"}
"""The demonstration's projects: where their files stand, and what they are called."""


TEAM: tuple[tuple[str, str, people.Role], ...] = (
    ("Odd Vermeer", "odd", "editor"),
    ("Tilda Brask", "tilda", "runner"),
    ("Joren Falk", "joren", "viewer"),
)
_REGISTER = re.compile(r"http://127\.0\.0\.1(:\d+)?/results")
_POST = re.compile(r"127\.0\.0\.1:\d+")
NIGHT = "night watch"
_CHAT = re.compile(r"http://127\.0\.0\.1(:\d+)?/chat")


class Place(Struct, frozen=True):
    """Where a harbour answers, its SQLite file."""

    address: str
    database: str
    post: str = "127.0.0.1:1"
    """Its mail server."""


def seed(folder: Path, harbours: dict[str, Place]) -> bool:
    """Bring in the projects with all they hold if the store is empty; else only set the harbours'
    addresses and databases, by environment. Whether it was empty."""
    with closing(connect(folder)) as connection:
        owner = people.local_owner(connection)
        is_new = not projects.projects(connection)
        if is_new:
            for name in FOLDERS:
                _bring_in(connection, name, owner)
            _let_in(connection, owner.id)
            _give_secrets(connection, folder, owner.id)
            _tell(connection, owner.id)
        for project in _ours(connection):
            _follow(connection, project.id, owner.id, harbours)
            _tell_there(connection, project.id, owner.id, harbours)
        return is_new


def begin(folder: Path, harbours: dict[str, Place], is_new: bool) -> None:
    """What happens from now on: results go to where the harbour is, and in a new store everything
    runs once."""
    with closing(connect(folder)) as connection:
        owner = people.local_owner(connection)
        if is_new:
            _deliver(connection, folder, owner.id)
        for project in _ours(connection):
            _deliver_there(connection, project.id, owner.id, harbours)
            if is_new:
                _ask_for_a_run(connection, project, owner.id)


def _ours(connection: sqlite3.Connection) -> list[Document]:
    return [one for one in projects.projects(connection) if one.name in FOLDERS.values()]


def _bring_in(connection: sqlite3.Connection, name: str, owner: Person) -> None:
    with as_file(files("saltpath.demo") / name) as root:
        found = read_folder(read_disk(root))
    made = bring_in(connection, owner.id, found)
    project = projects.project(connection, made.project)
    people.set_role(connection, project.id, owner, "owner", owner.id)


def _let_in(connection: sqlite3.Connection, owner: int) -> None:
    """A team, so that there is something to see of roles; none of them has a password."""
    for name, sign_in, role in TEAM:
        known = people.by_sign_in(connection, sign_in)
        person = known or people.add_person(connection, name, sign_in)
        for project in projects.projects(connection):
            people.set_role(connection, project.id, person, role, owner)


def _give_secrets(connection: sqlite3.Connection, folder: Path, owner: int) -> None:
    project = next(one for one in projects.projects(connection) if one.name == FOLDERS["project"])
    for name, value, environment in (
        ("agentPassword", AGENTS["desk"], ""),
        ("clientSecret", SECRET, ""),
        ("agentPassword", LIVE_AGENTS["desk"], "Live"),
    ):
        place = secrets.Place(project.id, name, environment=environment)
        secrets.set_secret(connection, folder, place, owner, value)


def _deliver(connection: sqlite3.Connection, folder: Path, owner: int) -> None:
    """Results of the project's runs go to the harbour's register of them."""
    project = next(one for one in projects.projects(connection) if one.name == FOLDERS["project"])
    rule = deliveries.Rule("http://127.0.0.1/results", header="X-Key")
    stored = deliveries.add_rule(connection, project.id, owner, rule)
    place = secrets.Place(project.id, deliveries.secret_name(stored))
    secrets.set_secret(connection, folder, place, owner, KEY)


def _tell(connection: sqlite3.Connection, owner: int) -> None:
    """The desk's chat hears of the project's watches; when nobody there has taken an outage, the
    night watch gets a mail."""
    project = next(one for one in projects.projects(connection) if one.name == FOLDERS["project"])
    night = routes.Route(
        NIGHT,
        "mail",
        to=("night@fernholm.example",),
        server="127.0.0.1:1",
        security="none",
        sender="Salt Path <salt@fernholm.example>",
        only_urgent=True,
    )
    routes.add(connection, project.id, owner, night)
    address = "http://127.0.0.1/chat"
    desk = routes.Route("desk", "webhook", address=address, template=CHAT, then=NIGHT)
    routes.add(connection, project.id, owner, desk)


def _tell_there(
    connection: sqlite3.Connection, project: int, owner: int, harbours: dict[str, Place]
) -> None:
    """The chat is where the harbour to rehearse in answers now, and so is the mail server."""
    post = harbours["Rehearsal"].post
    for stored in routes.routes(connection, project):
        address = f"{harbours['Rehearsal'].address}/chat"
        if _CHAT.fullmatch(stored.route.address) and stored.route.address != address:
            moved = replace(stored.route, address=address)
            routes.change(connection, stored, owner, stored.version, moved)
        elif _POST.fullmatch(stored.route.server) and stored.route.server != post:
            moved = replace(stored.route, server=post)
            routes.change(connection, stored, owner, stored.version, moved)


def _deliver_there(
    connection: sqlite3.Connection, project: int, owner: int, harbours: dict[str, Place]
) -> None:
    """The register is where the harbour to rehearse in answers now."""
    for stored in deliveries.rules(connection, project):
        address = f"{harbours['Rehearsal'].address}/results"
        is_its_own = _REGISTER.fullmatch(stored.rule.address)
        if is_its_own and stored.rule.address != address:
            rule = replace(stored.rule, address=address)
            deliveries.change_rule(connection, stored, owner, stored.version, rule)


def _ask_for_a_run(connection: sqlite3.Connection, project: Document, owner: int) -> None:
    everything = [
        (case.id, case.version, case.name) for case in cases.cases(connection, project.id)
    ]
    runs.ask(
        connection,
        project.id,
        owner,
        everything,
        kind="run",
        title="Every suite",
        environments=[str(project.document["environment"])],
        seed=90417,
        request=RunRequest(jobs=2),
    )


def _follow(
    connection: sqlite3.Connection, project: int, owner: int, harbours: dict[str, Place]
) -> None:
    """The environments are where the harbours answer now."""
    for environment in projects.environments(connection, project):
        harbour = harbours.get(environment.name)
        if harbour is not None:
            there = {"harbour": harbour.address, "harbourDatabase": harbour.database}
            values = {**environment.document.get("values", {}), **there}
            documents.put(
                connection, environment, owner, {**environment.document, "values": values}
            )
