"""A project out of the store as a folder, and a folder into the store: new, or onto the project
that is there."""

from __future__ import annotations

import sqlite3

from msgspec import Struct

from saltpath.core.format.folder import Comments, Entry, Folder, slug
from saltpath.core.values import plain
from saltpath.store import cases, documents, project_files, projects, shared_steps, watches
from saltpath.store.database import write
from saltpath.store.documents import Document


class Imported(Struct):
    """What an import did: how many cases are new, were changed, and stood as they are."""

    project: str
    new: int = 0
    changed: int = 0
    same: int = 0


def folder_of(connection: sqlite3.Connection, project: Document) -> Folder:
    """Everything of a project but its secrets and its runs."""
    folder = Folder(Entry(project.document, _comments(connection, "project", project.id)))
    for item in projects.environments(connection, project.id):
        folder.environments[item.name] = Entry(
            item.document, _comments(connection, "environment", item.id)
        )
    for shared in shared_steps.shared_steps(connection, project.id):
        folder.shared[cases.called(shared)] = Entry(shared.document, shared.comments)
    suites = sorted(projects.suites(connection, project.id), key=lambda suite: suite.folder)
    for suite in suites:
        folder.suites[suite.folder] = Entry(
            suite.document, _comments(connection, "suite", suite.id)
        )
    stored = {case.id: case for case in cases.cases(connection, project.id)}
    for id, path in paths_of(connection, project.id).items():
        folder.cases[path] = Entry(stored[id].document, stored[id].comments)
    for watch in sorted(watches.watches(connection, project.id), key=lambda one: one.folder):
        folder.watches[watch.folder] = Entry(
            watch.document, _comments(connection, "watch", watch.id)
        )
    read = project_files.file_reader(connection, project.id)
    folder.files = {path: read(path) for path in project_files.paths(connection, project.id)}
    return folder


def paths_of(connection: sqlite3.Connection, project: int) -> dict[int, str]:
    """Where each case stands in the project's folder, by its id: suites in the order of their
    folders, in each its cases in their order."""
    found: dict[int, str] = {}
    taken = set[str]()
    heads = cases.heads(connection, project)
    for suite in sorted(projects.suites(connection, project), key=lambda suite: suite.folder):
        for case in heads:
            if case.suite == suite.id:
                name = case.file.rpartition("/")[2] or f"{slug(case.name)}.case.yaml"
                found[case.id] = _free(suite.folder, name, taken)
                taken.add(found[case.id])
    return found


def _free(suite: str, name: str, taken: set[str]) -> str:
    stem, _, ending = name.partition(".case.")
    path, number = f"{suite}/{name}" if suite else name, 2
    while path in taken:
        path, number = f"{suite}/{stem}-{number}.case.{ending}", number + 1
    return path


def bring_in(
    connection: sqlite3.Connection, actor: int, folder: Folder, into: Document | None = None
) -> Imported:
    """Store a folder, as a new project or onto one that is there, all of it or nothing. Cases are
    known again by key, suites by folder, environments by name; what the folder does not hold stays
    as it is."""
    with write(connection):
        return _bring_in(connection, actor, folder, into)


def _bring_in(
    connection: sqlite3.Connection, actor: int, folder: Folder, into: Document | None
) -> Imported:
    if into is None:
        into = projects.add_project(connection, actor, folder.project.document)
    else:
        documents.put(
            connection,
            documents.current(connection, "project", into.id),
            actor,
            folder.project.document,
        )
    set_comments(connection, "project", into.id, folder.project.comments)
    _environments(connection, actor, folder, into)
    suites = _suites(connection, actor, folder, into)
    known = {case.key: case for case in cases.cases(connection, into.id)}
    brought = Imported(into.oid)
    for path, entry in folder.cases.items():
        before = known.get(str(entry.document.get("key", "")))
        if before is None:
            suite = suites[path.rpartition("/")[0]]
            cases.add_case(connection, into.id, suite, actor, entry.document, entry.comments, path)
            brought.new += 1
        elif plain.same(before.document, entry.document) and before.comments == entry.comments:
            brought.same += 1
        else:
            cases.save_case(
                connection, before.oid, actor, before.version, entry.document, entry.comments
            )
            brought.changed += 1
    _shared(connection, actor, folder, into)
    for stem, entry in folder.watches.items():
        put_watch(connection, actor, into.id, stem, entry)
    for path, octets in folder.files.items():
        project_files.put_file(connection, into.id, actor, path, octets)
    return brought


def _shared(connection: sqlite3.Connection, actor: int, folder: Folder, into: Document) -> None:
    """Shared steps, known again by the name that cases use."""
    known = {
        cases.called(stored): stored for stored in shared_steps.shared_steps(connection, into.id)
    }
    for name, entry in folder.shared.items():
        before = known.get(name)
        if before is None:
            shared_steps.add(connection, into.id, actor, entry.document, entry.comments, name)
        elif not plain.same(before.document, entry.document) or before.comments != entry.comments:
            cases.save_case(
                connection, before.oid, actor, before.version, entry.document, entry.comments
            )


def put_watch(
    connection: sqlite3.Connection, actor: int, project: int, stem: str, entry: Entry
) -> None:
    """A watch as a file of this name has it: one of its key, else the one of that file, is changed;
    where there is neither it is new."""
    live = watches.watches(connection, project)
    key = entry.document.get("key")
    held = next((one for one in live if key and one.document.get("key") == key), None)
    held = held or next((one for one in live if one.folder == stem), None)
    if held is None:
        held = watches.add(connection, project, actor, entry.document, stem)
    else:
        known = {"key": held.document.get("key"), **entry.document}
        documents.change(connection, held, actor, lambda _: known)
        if held.folder != stem and all(one.folder != stem for one in live):
            watches.rename_file(connection, held, stem)
    set_comments(connection, "watch", held.id, entry.comments)


def _environments(
    connection: sqlite3.Connection, actor: int, folder: Folder, into: Document
) -> None:
    known = {item.name: item for item in projects.environments(connection, into.id)}
    usual = folder.project.document.get("environment")
    for name in sorted(folder.environments, key=lambda name: name != usual):
        entry = folder.environments[name]
        if name in known:
            documents.put(connection, known[name], actor, entry.document)
        else:
            projects.add_environment(connection, into.id, actor, entry.document)
    for item in projects.environments(connection, into.id):
        if item.name in folder.environments:
            set_comments(
                connection, "environment", item.id, folder.environments[item.name].comments
            )


def _suites(
    connection: sqlite3.Connection, actor: int, folder: Folder, into: Document
) -> dict[str, int]:
    known = {item.folder: item for item in projects.suites(connection, into.id)}
    for path, entry in folder.suites.items():
        if path in known:
            documents.put(connection, known[path], actor, entry.document)
        else:
            known[path] = projects.add_suite(connection, into.id, actor, path, entry.document)
        set_comments(connection, "suite", known[path].id, entry.comments)
    return {path: suite.id for path, suite in known.items()}


def _comments(connection: sqlite3.Connection, table: str, id: int) -> Comments:
    row = connection.execute(f"SELECT comments FROM {table} WHERE id = ?", (id,)).fetchone()
    found: Comments = plain.read_json(row["comments"])
    return found


def set_comments(connection: sqlite3.Connection, table: str, id: int, comments: Comments) -> None:
    with write(connection):
        connection.execute(
            f"UPDATE {table} SET comments = ? WHERE id = ?",
            (plain.write_json(comments).decode(), id),
        )
