"""`link` and `key`: whoever may read the application's folder lets somebody in, such as an owner
who has forgotten the password, or a script on this machine."""

from __future__ import annotations

from contextlib import closing
from pathlib import Path
from typing import TYPE_CHECKING

import click

from saltpath.cli.calls import NotUnderstood
from saltpath.cli.keeping import store_of

if TYPE_CHECKING:
    import sqlite3

    from saltpath.store.access_keys import Scope
    from saltpath.store.people import Person


_DATA = click.option(
    "--data",
    type=click.Path(path_type=Path, file_okay=False),
    default=Path("saltpath-data"),
    show_default=True,
    help="The application's folder.",
)
_PERSON = click.option(
    "--person", default="", help="The name that they sign in by; the owner unless it is said."
)


@click.command()
@_DATA
@_PERSON
@click.option(
    "--password",
    is_flag=True,
    help="They give a new password, and their sessions end; else the link lets them in once.",
)
@click.option(
    "--at", default="http://127.0.0.1:8420", show_default=True, help="Where the application is."
)
def link(data: Path, person: str, password: bool, at: str) -> None:
    """Print a link that lets somebody in, once, within a day."""
    from saltpath.store import audit, links

    with closing(store_of(data)) as store:
        whom = _whom(store, person)
        kind: links.Kind = "own" if not (whom.sign_in or person) else "enter"
        if password and whom.sign_in:
            kind = "password"
        _, token = links.add_link(store, kind, None, person=whom)
        about = f"made a link that lets {whom.name} in"
        audit.write_down(store, audit.Act("link", about, "command", person=whom.id))
    click.echo(f"{at.rstrip('/')}/enter#{token}")


def _whom(store: sqlite3.Connection, person: str) -> Person:
    from saltpath.store import people

    whom = people.by_sign_in(store, person) if person else people.local_owner(store)
    if whom is None:
        raise NotUnderstood(f"nobody signs in by the name {person}")
    if whom.ended:
        raise NotUnderstood(f"{whom.name} comes in here no more; an administrator can undo it")
    return whom


@click.command()
@_DATA
@_PERSON
@click.option("--project", default="", help="Only into this project, by its name.")
@click.option(
    "--may",
    "scopes",
    multiple=True,
    type=click.Choice(["read", "run", "write"]),
    default=("run",),
    show_default=True,
    help="What it lets do; several times for several.",
)
@click.option("--days", type=click.IntRange(1, 400), default=30, show_default=True)
@click.option("--name", default="Made on the machine", show_default=True)
def key(
    data: Path, person: str, project: str, scopes: tuple[Scope, ...], days: int, name: str
) -> None:
    """Print a new key for scripts, which acts for somebody, with less."""
    from saltpath.store import access_keys, audit, projects

    with closing(store_of(data)) as store:
        whom = _whom(store, person)
        found = [one for one in projects.projects(store) if project in (one.name, one.oid)]
        if project and not found:
            raise NotUnderstood(f"there is no project {project}")
        into = found[0].id if project else None
        made, text = access_keys.add_key(store, whom, name, scopes, days, into)
        about = f"made the key {made.name} ({made.begins}) for {whom.name}"
        act = audit.Act("key", about, "command", person=whom.id, project=into, thing=made.oid)
        audit.write_down(store, act)
    click.echo(text)
