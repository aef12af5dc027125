"""`link`: whoever may read the application's folder lets somebody in, such as an owner who has
forgotten the password."""

from __future__ import annotations

from contextlib import closing
from pathlib import Path

import click

from saltpath.cli.calls import NotUnderstood
from saltpath.cli.keeping import store_of


@click.command()
@click.option(
    "--data",
    type=click.Path(path_type=Path, file_okay=False),
    default=Path("saltpath-data"),
    show_default=True,
    help="The application's folder.",
)
@click.option(
    "--person", default="", help="The name that they sign in by; the owner unless it is said."
)
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
    from saltpath.store import audit, links, people

    with closing(store_of(data)) as store:
        whom = people.by_sign_in(store, person) if person else people.local_owner(store)
        if whom is None:
            raise NotUnderstood(f"nobody signs in by the name {person}")
        if whom.ended:
            raise NotUnderstood(f"{whom.name} comes in here no more; an administrator can undo it")
        kind: links.Kind = "own" if not (whom.sign_in or person) else "enter"
        if password and whom.sign_in:
            kind = "password"
        _, token = links.add_link(store, kind, None, person=whom)
        about = f"made a link that lets {whom.name} in"
        audit.write_down(store, audit.Act("link", about, "command", person=whom.id))
    click.echo(f"{at.rstrip('/')}/enter#{token}")
