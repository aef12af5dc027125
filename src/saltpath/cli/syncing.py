"""`sync`: a folder of files and a project of the application are made the same, both ways."""

from __future__ import annotations

import difflib
import os
import time
from contextlib import closing
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click
from msgspec import Struct

from saltpath.cli.calls import NotUnderstood

if TYPE_CHECKING:
    import sqlite3

    from saltpath.core.format.folder import Folder
    from saltpath.core.format.syncing import Change, Items, Plan
    from saltpath.store.documents import Document

STATE = ".saltpath"
"""Beside the files: what both sides were when they were last the same. It belongs to this copy of
the folder, and not into version control; its own .gitignore says so."""
BASE = "synced.json"
LOOK_S = 1.0
MOST_LINES = 40
CONFLICTS = 1


@click.command()
@click.argument("folder", type=click.Path(path_type=Path, file_okay=False))
@click.option("--project", default="", help="The project's name, if the folder has none yet.")
@click.option(
    "--data",
    type=click.Path(path_type=Path, file_okay=False),
    default=Path("saltpath-data"),
    show_default=True,
    help="The application's folder.",
)
@click.option("--look", is_flag=True, help="Only say what would be done.")
@click.option("--yes", is_flag=True, help="Do it without asking.")
@click.option("--full", is_flag=True, help="Show what differs, line by line.")
@click.option(
    "--take",
    type=click.Choice(["folder", "project"]),
    default=None,
    help="Where both were changed otherwise: the side that stands.",
)
@click.option("--watch", is_flag=True, help="Go on, whenever either side changes; implies --yes.")
def sync(
    folder: Path,
    project: str,
    data: Path,
    look: bool,
    yes: bool,
    full: bool,
    take: str | None,
    watch: bool,
) -> None:
    """Hold a folder and a project against each other, and make them the same.

    What was changed on one side is changed on the other; what was changed on both is put together
    where that can be, and is a conflict where it cannot: it is said, and left alone. Exit status: 0
    both are the same; 1 there are conflicts, or (with --look) something to do; 2 not understood."""
    from saltpath.cli.keeping import store_of

    with closing(store_of(data)) as connection:
        there = _Sides(folder, connection, _project(connection, folder, project))
        status = there.once(look=look, ask=not (yes or watch), full=full, take=take or "")
        while watch:
            there.wait()
            try:
                there.once(look=False, ask=False, full=full, take=take or "")
            except NotUnderstood as problem:
                problem.show()  # a file that is half written; it is looked at again
    raise SystemExit(status)


class _Sides(Struct):
    """The folder, and the project in the application."""

    root: Path
    connection: sqlite3.Connection
    project: Document
    seen: tuple[int, Any] = (0, ())

    def once(self, *, look: bool, ask: bool, full: bool, take: str) -> int:
        """One comparison and what comes of it; the exit status."""
        from saltpath.core.format.syncing import items_of, plan
        from saltpath.formats.terminal import printable
        from saltpath.store import folders

        self.seen = self._signature()
        here, files = self._read()
        there = folders.folder_of(self.connection, self.project)
        seen = items_of(there)
        made = plan(self._base(), items_of(here) if here else {}, seen, take)
        for line in _told(made, here, there, full):
            click.echo(printable(line))
        todo = [change for change in made.changes if not change.conflict]
        if not todo:
            if not made.conflicts:
                click.echo("both are the same")
            if not look:
                self._remember(made)
            return CONFLICTS if made.conflicts else 0
        if look:
            return CONFLICTS
        if ask and not click.confirm("Do it?"):
            raise NotUnderstood("nothing was changed")
        self._carry_out(made, seen, here, there, files)
        self._remember(made)
        click.echo(f"done: {_counted(todo)}")
        return CONFLICTS if made.conflicts else 0

    def _read(self) -> tuple[Folder | None, dict[str, bytes]]:
        """What the folder holds; None of one that is empty, or not there."""
        from saltpath.core.format.folder import read_folder
        from saltpath.core.format.nodes import FormatError
        from saltpath.formats.folders import read_disk

        if not self.root.is_dir():
            return None, {}
        try:
            files = read_disk(self.root)
            if not files and not self._base():
                return None, {}
            return read_folder(files), files
        except FormatError as problem:
            raise NotUnderstood("\n".join(map(str, problem.problems))) from None

    def _carry_out(
        self,
        made: Plan,
        seen: Items,
        here: Folder | None,
        there: Folder,
        files: dict[str, bytes],
    ) -> None:
        from saltpath.core.values.errors import SaltPathError
        from saltpath.store import people, syncing

        actor = people.local_owner(self.connection).id
        try:
            syncing.change_project(
                self.connection, self.project, actor, made, seen, lambda path: files[path]
            )
        except SaltPathError as problem:
            raise NotUnderstood(f"{problem.sentence} Nothing was changed.") from None
        self._write(made, here, there, files)

    def _write(
        self, made: Plan, here: Folder | None, there: Folder, files: dict[str, bytes]
    ) -> None:
        from saltpath.core.format.synced_files import changed_files
        from saltpath.formats.folders import inside
        from saltpath.store import folders

        now = folders.folder_of(self.connection, self.project)
        written, gone = changed_files(made, here, there, now, files)
        for path, octets in written.items():
            target = self.root / inside(path)
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(octets)
        for path in gone:
            (self.root / inside(path)).unlink(missing_ok=True)

    def _base(self) -> Items:
        """What both were when they were last the same."""
        from saltpath.core.format.syncing import Item
        from saltpath.core.values import plain

        file = self.root / STATE / BASE
        if not file.is_file():
            return {}
        try:
            held = plain.read_json(file.read_bytes())
            if held["project"] != self.project.oid:
                raise NotUnderstood(
                    f"{self.root} was synced with another project ({held['name']}); "
                    f"take {self.root / STATE} away to begin anew"
                )
            items = [Item(*item) for item in held["items"]]
        except (plain.NotPlain, KeyError, TypeError, OSError):
            raise NotUnderstood(
                f"{file} cannot be read; take it away, and what differs is asked about anew"
            ) from None
        return {(item.kind, item.id): item for item in items}

    def _remember(self, made: Plan) -> None:
        """What both have in common now, as it was read: whatever somebody does meanwhile is found
        next time. Cases that got a key are known by it."""
        from saltpath.core.format.syncing import items_of, with_keys
        from saltpath.core.values import plain
        from saltpath.store import folders

        now = items_of(folders.folder_of(self.connection, self.project))
        common = with_keys(made.base, now)
        items = [
            [getattr(item, name) for name in item.__struct_fields__] for item in common.values()
        ]
        state = self.root / STATE
        state.mkdir(parents=True, exist_ok=True)
        (state / ".gitignore").write_text("*\n")
        held = {"project": self.project.oid, "name": self.project.name, "items": items}
        new = state / f"{BASE}.new"
        new.write_bytes(plain.write_json(held))
        os.replace(new, state / BASE)

    def _signature(self) -> tuple[int, Any]:
        """What tells whether either side may have changed."""
        found = []
        for path in sorted(self.root.rglob("*")) if self.root.is_dir() else ():
            if not any(part.startswith(".") for part in path.relative_to(self.root).parts):
                about = path.lstat()
                found.append((str(path), about.st_mtime_ns, about.st_size))
        version = self.connection.execute("PRAGMA data_version").fetchone()[0]
        return version, tuple(found)

    def wait(self) -> None:
        while self._signature() == self.seen:
            time.sleep(LOOK_S)


def _project(connection: sqlite3.Connection, folder: Path, wanted: str) -> Document:
    """The project that is meant: by its name, else by that of the folder."""
    from saltpath.core.format.nodes import FormatError
    from saltpath.core.format.source import read_source
    from saltpath.store import projects

    file = folder / "project.yaml"
    if not wanted and file.is_file():
        try:
            wanted = str(read_source(file.read_text(encoding="utf-8")).root.data()["project"])
        except (FormatError, UnicodeDecodeError, KeyError, TypeError):
            raise NotUnderstood(f"{file} cannot be read; name the project with --project") from None
    found = [one for one in projects.projects(connection) if wanted in (one.name, one.oid)]
    if not found:
        known = ", ".join(one.name for one in projects.projects(connection)) or "none"
        said = f"there is no project {wanted!r}" if wanted else "name the project with --project"
        raise NotUnderstood(f"{said}; there are: {known}")
    return found[0]


def _told(made: Plan, here: Folder | None, there: Folder, full: bool) -> list[str]:
    """What is to be done, a line each, and the conflicts."""
    lines = []
    for change in made.changes:
        kind, name = change.id[0], change.shown.name
        what = f"{kind} {name}" if kind != "order" else name
        if kind == "project":
            what = "the project itself"
        if change.conflict:
            lines.append(f"conflict: {what}: {'; '.join(change.conflict)}")
        else:
            if change.to_folder:
                lines.append(f"in the folder:  {what}: {_did(change.folder, change.wanted)}")
            if change.to_project:
                lines.append(f"in the project: {what}: {_did(change.project, change.wanted)}")
        if full:
            lines += _lines(change)
    return lines


def _did(before: Any, after: Any) -> str:
    if before is None:
        return "new"
    if after is None:
        return "taken away"
    moved = f"moved to {after.path}" if before.path != after.path else ""
    changed = "changed" if before.document != after.document or not moved else ""
    return " and ".join(part for part in (moved, changed) if part)


def _lines(change: Change) -> list[str]:
    """What differs, as lines that are gone and lines that are new; at most 40."""
    from saltpath.core.format.writer import write_document

    def text(item: Any) -> list[str]:
        if item is None or not isinstance(item.document, dict):
            return [] if item is None else [str(item.document)]
        return list(write_document(item.document, item.comments or {}).splitlines())

    pairs = [("folder", change.folder), ("project", change.project)]
    lines = []
    for name, side in pairs:
        before, after = (change.base, side) if change.conflict else (side, change.wanted)
        names = ("before", name) if change.conflict else (name, "then")
        found = list(difflib.unified_diff(text(before), text(after), *names, "", "", 1, ""))
        lines += [f"    {line}" for line in found[:MOST_LINES]]
        if len(found) > MOST_LINES:
            lines.append(f"    and {len(found) - MOST_LINES} lines more")
    return lines


def _counted(changes: list[Change]) -> str:
    there = sum(change.to_project for change in changes)
    here = sum(change.to_folder for change in changes)
    return f"{there} changed in the project, {here} in the folder"
