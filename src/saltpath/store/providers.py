"""The provider that vouches for people (OpenID Connect Core 1.0), as the administrator named it.
Its secret is sealed."""

from __future__ import annotations

import base64
import sqlite3
from contextlib import suppress
from pathlib import Path
from typing import Any

import msgspec
from msgspec import Struct

from saltpath.store import people, projects
from saltpath.store.database import Conflict, write
from saltpath.store.people import ROLES, Person, set_setting, setting
from saltpath.store.secrets import PROVIDER_SECRET as SECRET
from saltpath.store.secrets import open_text, seal_text

NAME, ABOUT = "provider", "installation/provider"
ADMINISTRATOR = "administrator"
MOST_NAME = 200


class Given(Struct, frozen=True):
    """What a value of the claim makes of somebody: an administrator, or a role in a project."""

    value: str
    role: str
    project: str = ""
    """Its identity; empty for administrators."""


class Provider(Struct, frozen=True):
    """Empty issuer: there is none."""

    issuer: str = ""
    client_id: str = ""
    called: str = ""
    """What people call it, on the page where they sign in."""
    claim: str = ""
    """The claim whose values give roles, such as groups; empty: none does."""
    given: tuple[Given, ...] = ()
    newcomers: bool = False
    """Whoever it vouches for may come in; else only those to whom the claim gives something, or who
    came before."""


def provider(connection: sqlite3.Connection) -> Provider:
    text = setting(connection, NAME)
    return msgspec.json.decode(text, type=Provider) if text else Provider()


def set_provider(
    connection: sqlite3.Connection, folder: Path, wanted: Provider, secret: str | None
) -> None:
    """`secret`: None leaves the one that stands."""
    with write(connection):
        set_setting(connection, NAME, msgspec.json.encode(wanted).decode())
        if secret is not None:
            sealed = base64.b64encode(seal_text(folder, ABOUT, secret)).decode() if secret else ""
            set_setting(connection, SECRET, sealed)


def has_secret(connection: sqlite3.Connection) -> bool:
    return bool(setting(connection, SECRET))


def secret_of(connection: sqlite3.Connection, folder: Path) -> str:
    """Raises StoreError if the key does not fit."""
    sealed = setting(connection, SECRET)
    if not sealed:
        return ""
    return open_text(folder, ABOUT, base64.b64decode(sealed), "the provider's secret")


def reseal(connection: sqlite3.Connection, folder: Path, key: bytes) -> int:
    """Seal it under another key, within a transaction of the caller's; how many values these
    were."""
    secret = secret_of(connection, folder)
    if not secret:
        return 0
    sealed = base64.b64encode(seal_text(folder, ABOUT, secret, key)).decode()
    set_setting(connection, SECRET, sealed)
    return 1


class Vouched(Struct, frozen=True):
    person: Person
    is_changed: bool
    """Whether the claims gave or took away something."""


def vouched_for(
    connection: sqlite3.Connection, held: Provider, claims: dict[str, Any]
) -> Vouched | None:
    """Whom the claims are of, with the roles that they give now; None where they may not come in.
    In projects of which the list speaks the claims alone give roles, and take them away; what
    somebody was made in others stays. The last administrator stays one."""
    subject = f"{held.issuer} {claims['sub']}"
    values = claims.get(held.claim) if held.claim else None
    said = {str(value) for value in (values if isinstance(values, list) else [values])}
    given = [one for one in held.given if one.value in said]
    person = people.by_subject(connection, subject)
    if person is not None and person.ended:
        return None
    with write(connection):
        is_new = person is None
        if person is None:
            if not (given or held.newcomers):
                return None
            person = people.add_person(connection, _name(claims), "")
            people.set_subject(connection, person, subject)
        is_changed = _give(connection, held, person, given)
    return Vouched(people.person_by_id(connection, person.id), is_new or is_changed)


def _name(claims: dict[str, Any]) -> str:
    """What somebody is called first; a claim that is no name a page could show is left out."""
    for claim in ("name", "preferred_username", "email"):
        given = claims.get(claim)
        if isinstance(given, str):
            shown = " ".join("".join(c if c.isprintable() else " " for c in given).split())
            if shown:
                return shown[:MOST_NAME]
    return "Somebody"


def _give(
    connection: sqlite3.Connection, held: Provider, person: Person, given: list[Given]
) -> bool:
    is_changed = False
    if any(one.role == ADMINISTRATOR for one in held.given):
        wanted = any(one.role == ADMINISTRATOR for one in given)
        if wanted != person.administrator:
            with suppress(Conflict):
                people.set_administrator(connection, person, wanted)
                is_changed = True
    known = {project.oid: project.id for project in projects.projects(connection)}
    roles = people.roles_of(connection, person)
    for oid in {one.project for one in held.given if one.project in known}:
        of_this = {one.role for one in given if one.project == oid}
        best = next((role for role in ROLES if role in of_this), None)
        if best != roles.get(known[oid]):
            people.set_role(connection, known[oid], person, best, person.id)
            is_changed = True
    return is_changed
