"""What the application holds, in and out of it: projects as folders, backups, the key of its
secrets."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from saltpath.cli.calls import NotUnderstood

_DATA = click.option(
    "--data",
    type=click.Path(path_type=Path, file_okay=False),
    default=Path("saltpath-data"),
    show_default=True,
    help="The application's folder.",
)


@click.command(name="export")
@click.argument("project")
@click.argument("folder", type=click.Path(path_type=Path, file_okay=False))
@_DATA
def export_project(project: str, folder: Path, data: Path) -> None:
    """Write a project of the application as a folder of files. Secrets are left out."""
    from saltpath.core.format.folder import write_folder
    from saltpath.formats.folders import write_disk
    from saltpath.store import folders, projects

    connection = store_of(data)
    found = next(
        (item for item in projects.projects(connection) if project in (item.name, item.oid)), None
    )
    if found is None:
        known = ", ".join(item.name for item in projects.projects(connection)) or "none"
        raise NotUnderstood(f"there is no project {project!r}; there are: {known}")
    files = write_folder(folders.folder_of(connection, found))
    changed = write_disk(folder, files)
    click.echo(f"{len(files)} files in {folder}, {changed} of them new or changed")


@click.command(name="import")
@click.argument("folder", type=click.Path(path_type=Path, file_okay=False))
@click.option("--as-new", is_flag=True, help="As a new project, even if there is one of this name.")
@click.option("--look", is_flag=True, help="Only say what would change.")
@click.option(
    "--only",
    multiple=True,
    metavar="PATH",
    help="Only what stands at or below this path of the folder; several times for several.",
)
@click.option("--undo", is_flag=True, help="Undo what was last brought onto this project.")
@_DATA
def import_project(
    folder: Path, as_new: bool, look: bool, only: tuple[str, ...], undo: bool, data: Path
) -> None:
    """Bring a folder of files into the application: onto the project of its name, or as a new
    one."""
    from saltpath.core.format.folder import read_folder, write_folder
    from saltpath.core.format.nodes import FormatError
    from saltpath.core.format.syncing import items_of
    from saltpath.core.values.errors import SaltPathError
    from saltpath.formats.folders import read_disk, read_zip, write_zip
    from saltpath.formats.terminal import printable
    from saltpath.store import folders, importing, people, projects

    try:
        found = read_folder(read_disk(folder))
    except FormatError as problem:
        raise NotUnderstood("\n".join(map(str, problem.problems))) from None
    connection = store_of(data, make=True)
    name = found.project.document["project"]
    same = [] if as_new else [item for item in projects.projects(connection) if item.name == name]
    actor = people.local_owner(connection).id
    if not same and not (look or undo or only):
        done = folders.bring_in(connection, actor, found)
        click.echo(f"{name}: {done.new} new cases, 0 changed, 0 as they were")
        return
    if not same:
        raise NotUnderstood(f"there is no project {name} yet, onto which a part could be brought")
    try:
        now = folders.folder_of(connection, same[0])
        if undo:
            made = importing.undo(
                connection, same[0], actor, lambda archive: read_folder(read_zip(archive))
            )
        elif look:
            made = importing.planned(items_of(now), found, only).changes
        else:
            before = write_zip(write_folder(now))
            made = importing.bring(connection, same[0], actor, found, only, before)
    except SaltPathError as problem:
        raise NotUnderstood(problem.sentence) from None
    for change in made if look else ():
        what = "new" if change.project is None else "taken away" if not change.wanted else "changed"
        click.echo(printable(f"{what:10} {change.id[0]} {change.shown.name}"))
    of_cases = [change for change in made if change.id[0] == "case"]
    new = sum(change.project is None for change in of_cases)
    same_as = len(found.cases) - len(of_cases)
    told = f"{name}: {new} new cases, {len(of_cases) - new} changed, {same_as} as they were"
    click.echo(told if not undo else f"{name} is as it was before")


@click.command()
@click.argument("archive", type=click.Path(path_type=Path, dir_okay=False))
@click.option(
    "--with-key",
    is_flag=True,
    help="The key that secrets are sealed under, too; keep such an archive as you keep the key.",
)
@_DATA
def backup(archive: Path, with_key: bool, data: Path) -> None:
    """Write everything into one archive (zip), also while the application runs; `restore` makes an
    application of it."""
    from saltpath.core.values.measures import show_size
    from saltpath.store.backup import back_up
    from saltpath.store.database import StoreError
    from saltpath.store.secrets import KEY_FILE

    store_of(data)
    try:
        size = back_up(data, archive, with_key)
    except StoreError as problem:
        raise NotUnderstood(str(problem)) from None
    key = "without the key: secrets in it can be read only where the key is"
    if with_key:
        there = (data / KEY_FILE).exists()
        key = "with the key" if there else "and there is no key yet, since nothing was sealed"
    click.echo(f"{archive}, {show_size(size)}, {key}")


@click.command()
@click.argument("archive", type=click.Path(path_type=Path, dir_okay=False, exists=True))
@_DATA
def restore(archive: Path, data: Path) -> None:
    """Make an application of a backup, in a folder that is empty or not there yet. Whoever was
    signed in signs in anew."""
    from saltpath.core.values.measures import counted
    from saltpath.store.database import StoreError
    from saltpath.store.restoring import restore as restored
    from saltpath.store.secrets import KEY_FILE

    try:
        done = restored(archive, data)
    except StoreError as problem:
        raise NotUnderstood(str(problem)) from None
    key = "" if done.key else f"; its secrets can be read once {KEY_FILE} of then lies in it"
    held = f"{counted(done.projects, 'project')} and {counted(done.runs, 'run')}"
    click.echo(f"{data} holds {held}{key}")


@click.command(name="change-key")
@_DATA
def change_key(data: Path) -> None:
    """Seal every secret anew under a new key; the old one opens nothing any more."""
    from saltpath.core.values.measures import counted
    from saltpath.store import providers, second_factors
    from saltpath.store import secrets as sealed
    from saltpath.store.database import StoreError

    try:
        number = sealed.change_key(store_of(data), data, (second_factors.reseal, providers.reseal))
    except StoreError as problem:
        raise NotUnderstood(str(problem)) from None
    click.echo(f"{counted(number, 'value')} sealed under a new key, in {data / sealed.KEY_FILE}")


def store_of(data: Path, make: bool = False) -> Any:
    from saltpath.store.database import FILES, StoreError, connect, migrate

    if make:
        data.mkdir(parents=True, exist_ok=True)
    elif not (data / FILES["main"]).is_file():
        raise NotUnderstood(f"there is no application in {data}; name its folder with --data")
    try:
        migrate(data)
        return connect(data)
    except StoreError as problem:
        raise NotUnderstood(str(problem)) from None
