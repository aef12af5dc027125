"""The files of a folder that a sync changes (syncing.py); whatever else lies there stays as it is,
letter by letter."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from saltpath.core.format.folder import (
    SHARED_ENDING,
    Entry,
    Folder,
    slug,
    watch_path,
    write_folder,
)
from saltpath.core.format.source import read_source
from saltpath.core.format.syncing import Change, Plan, items_of
from saltpath.core.format.writer import write_document


def changed_files(
    plan: Plan, here: Folder | None, there: Folder, now: Folder, files: Mapping[str, bytes]
) -> tuple[dict[str, bytes], set[str]]:
    """What is to be written, by path, and the paths that go. `here`: the folder (None: there is
    none), with its `files`; `there`: the project as it was, and `now` as it has become: cases that
    got a key there are written with it."""
    wanted = _wanted_folder(plan, here, there)
    paths, gone = set[str](), set[str]()
    for change in plan.changes:
        if change.conflict:
            continue
        kind, id = change.id
        if kind == "case" and change.to_project and id == change.shown.path:
            wanted.cases[id] = now.cases[id]
            paths.add(id)
        if kind == "watch" and change.to_project and id in now.watches:
            wanted.watches[id] = now.watches[id]
            paths.add(watch_path(id))
        if change.to_folder:
            paths |= _paths(change, files)
            gone |= _paths_before(change, files)
    written = write_folder(wanted)
    for path in paths:
        if path.startswith("environments/"):
            written[path] = _environment_text(path, wanted, files)
    return {path: written[path] for path in sorted(paths) if path in written}, gone - paths


def _wanted_folder(plan: Plan, here: Folder | None, there: Folder) -> Folder:
    """The folder as it is to be: what the plan wants, and what it holds of conflicts."""
    items = items_of(here) if here else {}
    for change in plan.changes:
        if change.conflict:
            continue
        if change.wanted is None:
            items.pop(change.id, None)
        else:
            items[change.id] = change.wanted

    def entry(item: Any) -> Entry:
        return Entry(item.document, item.comments or {})

    made_of = Folder(entry(items["project", ""]))
    cases = {item.id: item for (kind, _), item in items.items() if kind == "case"}
    for (kind, id), item in items.items():
        if kind == "environment":
            made_of.environments[id] = entry(item)
        elif kind == "shared":
            made_of.shared[id] = entry(item)
        elif kind == "watch":
            made_of.watches[id] = entry(item)
        elif kind == "suite":
            held = here.suites.get(id) if here else None
            order = held.document.get("order") if held else None
            more = {"order": order} if order is not None else {}
            made_of.suites[id] = Entry({**item.document, **more}, item.comments or {})
        elif kind == "file" and id in there.files:
            made_of.files[id] = there.files[id]
    placed = [id for (kind, _), item in items.items() if kind == "order" for id in item.document]
    for id in dict.fromkeys([*placed, *cases]):
        if id in cases:
            made_of.cases[cases[id].path] = entry(cases[id])
    return made_of


def _paths(change: Change, files: Mapping[str, bytes]) -> set[str]:
    """The files that say what an item is to be."""
    kind, id = change.id
    if change.wanted is None:
        return set()
    if kind == "environment":
        return {_environment_files(files).get(id) or _new_environment(id, files)}
    places = {
        "project": "project.yaml",
        "suite": f"{id}/suite.yaml",
        "order": f"{id}/suite.yaml",
        "shared": f"shared/{id}{SHARED_ENDING}",
        "case": change.wanted.path,
        "watch": watch_path(id),
        "file": id,
    }
    return {places[kind]}


def _paths_before(change: Change, files: Mapping[str, bytes]) -> set[str]:
    """The files that say what it is now, if it goes, or goes elsewhere."""
    kind, id = change.id
    if change.folder is None:
        return set()
    if kind == "case":
        moved = change.wanted is None or change.wanted.path != change.folder.path
        return {change.folder.path} if moved else set()
    if change.wanted is not None:
        return set()
    if kind == "environment":
        return {path for name, path in _environment_files(files).items() if name == id}
    places = {
        "suite": f"{id}/suite.yaml",
        "shared": f"shared/{id}{SHARED_ENDING}",
        "watch": watch_path(id),
        "file": id,
    }
    return {places[kind]} if kind in places else set()


def _environment_files(files: Mapping[str, bytes]) -> dict[str, str]:
    """The files of environments by the names in them: they may be called otherwise."""
    return {
        str(read_source(octets.decode()).root.data().get("environment", path)): path
        for path, octets in files.items()
        if path.startswith("environments/") and path.endswith(".yaml")
    }


def _new_environment(name: str, files: Mapping[str, bytes]) -> str:
    stem = f"environments/{slug(name, 'environment')}"
    names = [f"{stem}.yaml", *(f"{stem}-{number}.yaml" for number in range(2, 1_000))]
    return next(path for path in names if path not in files)


def _environment_text(path: str, wanted: Folder, files: Mapping[str, bytes]) -> bytes:
    """What belongs into an environment's file, whatever the file is called."""
    names = {file: name for name, file in _environment_files(files).items()}
    name = names.get(path) or next(
        one
        for one in wanted.environments
        if one not in names.values() and _new_environment(one, files) == path
    )
    entry = wanted.environments[name]
    return write_document(entry.document, entry.comments).encode()
