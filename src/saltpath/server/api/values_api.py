"""Environments, and the values of a project and its suites as they read in each: what Setup shows
and changes."""

from __future__ import annotations

import re
from typing import Any

from flask import Blueprint, Response
from msgspec import UNSET

from saltpath.core.assist.value_cells import EVERYWHERE, is_secret, read_value, write_value
from saltpath.core.references.templates import is_name
from saltpath.core.values.grammar import Unreadable
from saltpath.server.asked import environment_asked, project_asked
from saltpath.server.audited import named, nothing_done
from saltpath.server.bodies import EnvironmentChange, NewEnvironment, ValueChange, ValueChanges
from saltpath.server.context import actor, database, folder
from saltpath.server.declared import ID, PROJECT, declared, of, page
from saltpath.server.entry.bodies import EnvironmentGuard
from saltpath.server.problems import json_answer
from saltpath.server.used_values import uses
from saltpath.store import environments, guards, people, projects, secrets
from saltpath.store.database import write
from saltpath.store.documents import Document
from saltpath.store.guards import Guard
from saltpath.store.values import Aside, CellChange, change_values

values_api = Blueprint("values", __name__)
MOST_CASES_NAMED = 3
_NUMBER = re.compile(r"[1-9][0-9]{0,17}")


@values_api.get("/values")
@declared("listValues", "Values as they read in each environment", page("ValueRow"), PROJECT)
def list_values() -> Response:
    """Every value of the project and its suites with a cell for everywhere and one for each
    environment; and the names that cases look for and nobody has. What a secret reads as is never
    given."""
    return json_answer({"items": _table(project_asked()), "next": None})


def _table(project: Document) -> list[dict[str, Any]]:
    connection = database()
    names = [EVERYWHERE, *(e.name for e in projects.environments(connection, project.id))]
    by_case, by_documents = uses(connection, project)
    sealed = secrets.places(connection, project.id)
    rows: list[dict[str, Any]] = []
    for suite, name, values in _places(connection, project, names):
        hidden = any(is_secret(value) for value in values.values())
        cells = {}
        for environment in names:
            value = values.get(environment, ...)
            given = (
                (suite.oid if suite else "", environment, name) in sealed
                if hidden
                else value is not ...
            )
            cells[environment] = {
                "given": given,
                "text": write_value(value) if given and not hidden else "",
            }
        everywhere = cells[EVERYWHERE]["given"]
        users = by_case.get((suite.oid if suite else "", name), [])
        rows.append(
            {
                "suite": suite.oid if suite else "",
                "suiteName": suite.name if suite else "",
                "name": name,
                "secret": hidden,
                "cells": [
                    {
                        "environment": environment,
                        "missing": bool(environment) and not everywhere and not cell["given"],
                        **cell,
                    }
                    for environment, cell in cells.items()
                ],
                "uses": len(users),
                "usedByValues": name in by_documents,
                "cases": [{"id": case.oid, "name": case.name} for case in users[:MOST_CASES_NAMED]],
                "nowhere": False,
            }
        )
    known = {row["name"] for row in rows}
    for (_, name), users in sorted(by_case.items()):
        if name not in known:
            rows.append(_nowhere(name, names, users))
            known.add(name)
    return rows


def _nowhere(name: str, names: list[str], users: list[Any]) -> dict[str, Any]:
    """A name that cases look for, and that has no value."""
    return {
        "suite": "",
        "suiteName": "",
        "name": name,
        "secret": False,
        "uses": len(users),
        "usedByValues": False,
        "nowhere": True,
        "cells": [
            {"environment": environment, "given": False, "text": "", "missing": bool(environment)}
            for environment in names
        ],
        "cases": [{"id": case.oid, "name": case.name} for case in users[:MOST_CASES_NAMED]],
    }


def _places(connection: Any, project: Document, names: list[str]) -> Any:
    """(suite or None, name, {environment: value}) for each value, in the order of the documents."""
    of_project: dict[str, dict[str, Any]] = {EVERYWHERE: project.document.get("values", {})}
    for environment in projects.environments(connection, project.id):
        of_project[environment.name] = environment.document.get("values", {})
    yield from ((None, name, values) for name, values in _by_name(of_project, names))
    for suite in projects.suites(connection, project.id):
        of_suite = {
            EVERYWHERE: suite.document.get("values", {}),
            **suite.document.get("values in", {}),
        }
        yield from ((suite, name, values) for name, values in _by_name(of_suite, names))


def _by_name(places: dict[str, dict[str, Any]], names: list[str]) -> Any:
    found: dict[str, dict[str, Any]] = {}
    for environment in names:
        for name, value in places.get(environment, {}).items():
            found.setdefault(name, {})[environment] = value
    return found.items()


@values_api.post("/values")
@declared(
    "changeValues",
    "Change cells in one act",
    of("ChangedValues"),
    takes=ValueChanges,
    may="edit",
    did="changed values: {}",
)
def change(data: ValueChanges) -> Response:
    """Change cells, all in one act: those that cannot be taken are told, the others are. Gives the
    changes that undo it; what was sealed and is taken away or replaced is put aside for 30 days,
    and comes back by a number, without being shown."""
    project = project_asked(data.project)
    before = {(row["suite"], row["name"]): row for row in _table(project) if not row["nowhere"]}
    faults: list[dict[str, Any]] = []
    changes: list[CellChange] = []
    for index, item in enumerate(data.changes):
        try:
            changes.append(_change(item))
        except Unreadable as problem:
            faults.append({"index": index, "sentence": str(problem)})
    aside = change_values(database(), folder(), project, actor().id, changes) if changes else []
    undo: list[dict[str, Any]] = []
    for made, kept in reversed(list(zip(changes, aside, strict=True))):
        undo += _undone(made, before.get((made.suite, made.name)), kept)
    if not changes:
        nothing_done()
    named(", ".join(dict.fromkeys(made.name for made in changes)))
    return json_answer({"faults": faults, "undo": undo})


def _change(item: ValueChange) -> CellChange:
    """Raises Unreadable."""
    kind, name, suite = item.kind, item.name, item.suite
    environment, text = item.environment, item.text
    if kind in ("put", "hide") and not is_name(name):
        raise Unreadable(
            "the name of a value begins with a letter and holds letters, digits, - and _; found "
            f"{name!r}"
        )
    if kind == "restore":
        if not _NUMBER.fullmatch(text):
            raise Unreadable("what was put aside is brought back by its number")
        return CellChange("restore", name, suite, environment, int(text))
    if kind != "put":
        return CellChange(kind, name, suite, environment)
    value = read_value(text)
    if is_secret(value):
        raise Unreadable("a value that is a secret is marked as one in its row")
    return CellChange("put", name, suite, environment, value)


def _undone(made: CellChange, row: dict[str, Any] | None, aside: Aside) -> list[dict[str, Any]]:
    """The changes that bring a row back to what it was."""
    about = {"suite": made.suite, "name": made.name}
    if row is None:
        return [{"kind": "remove", **about}]
    if row["secret"]:
        restored = [
            {"kind": "restore", **about, "environment": place.environment, "text": str(number)}
            for number, place in aside
        ]
        if made.kind == "remove":
            return [{"kind": "hide", **about}, *restored]
        empty = [{"kind": "clear", **about, "environment": made.environment}]
        return restored or (empty if made.kind in ("put", "restore") else [])
    cells = [
        cell
        for cell in row["cells"]
        if made.kind in ("remove", "hide") or cell["environment"] == made.environment
    ]
    undo = [{"kind": "remove", **about}] if made.kind == "hide" else []
    for cell in cells:
        place = {**about, "environment": cell["environment"]}
        undo.append(
            {"kind": "put", **place, "text": cell["text"]}
            if cell["given"]
            else {"kind": "clear", **place}
        )
    return undo


# ---- environments


@values_api.get("/environments")
@declared("listEnvironments", "Environments", page("Environment"), PROJECT)
def list_environments() -> Response:
    """The project's environments in their order."""
    project = project_asked()
    usual = project.document.get("environment", "")
    items = [environment_view(e, usual) for e in projects.environments(database(), project.id)]
    return json_answer({"items": items, "next": None})


@values_api.post("/environments")
@declared(
    "addEnvironment",
    "A new environment",
    of("Environment"),
    status=201,
    takes=NewEnvironment,
    may="edit",
    did="made the environment {}",
)
def add_environment(data: NewEnvironment) -> Response:
    """A new environment by its name; `like`: another one, whose values it begins with."""
    project = project_asked(data.project)
    with write(database()):
        made = environments.add_environment(
            database(), project, actor().id, data.name.strip(), data.like
        )
        if data.like:  # what it holds of the other is guarded as there
            like = environment_asked(data.like)
            guards.set_guard(database(), made.id, guards.guard_of(database(), like.id))
    return json_answer(_view(project, made), 201)


def _view(project: Document, environment: Document) -> dict[str, Any]:
    usual = projects.project_by_id(database(), project.id).document.get("environment", "")
    return environment_view(environment_asked(environment.oid), usual)


def environment_view(environment: Document, usual: str) -> dict[str, Any]:
    guard = guards.guard_of(database(), environment.id)
    role = people.role_in(database(), actor(), environment.project)
    return {
        "id": environment.oid,
        "name": environment.name,
        "about": environment.document.get("about", ""),
        "guarded": bool(environment.document.get("guarded") or guard.change),
        "usual": environment.name == usual,
        "runRole": guard.run,
        "changeRole": guard.change,
        "mayRun": guard.lets_run(role),
    }


@values_api.put("/environments/<id>/guard")
@declared(
    "guardEnvironment",
    "Who may run against it, and change something there",
    of("Environment"),
    ID,
    takes=EnvironmentGuard,
    may="own",
    did="said who may run against {}",
)
def guard_environment(data: EnvironmentGuard, id: str) -> Response:
    """The least roles; a role that lets steps change something is asked about each of them, too."""
    of = environment_asked(id)
    guards.set_guard(database(), of.id, Guard(data.run, data.change))
    return json_answer(_view(projects.project_by_id(database(), of.project), of))


@values_api.patch("/environments/<id>")
@declared(
    "changeEnvironment",
    "Rename, guard or describe it",
    of("Environment"),
    ID,
    takes=EnvironmentChange,
    may="edit",
    did="changed the environment {}",
)
def change_environment(data: EnvironmentChange, id: str) -> Response:
    """Rename an environment, say what it is about, guard it, or make it the usual one. Only what is
    given changes."""
    of = environment_asked(id)
    project = projects.project_by_id(database(), of.project)
    name = data.name if data.name is UNSET else data.name.strip()
    said = {"environment": name, "about": data.about, "guarded": data.guarded}
    put = {key: value for key, value in said.items() if value is not UNSET}

    def edit(document: dict[str, Any]) -> dict[str, Any]:
        return {
            key: held
            for key, held in {**document, **put}.items()
            if held or key not in ("about", "guarded")
        }

    with write(database()):
        environments.change_environment(database(), folder(), project, of, actor().id, edit)
        if data.usual:
            environments.make_usual(database(), project, actor().id, of)
    return json_answer(_view(project, of))


@values_api.delete("/environments/<id>")
@declared(
    "removeEnvironment",
    "Take it away",
    of("Gone"),
    ID,
    may="edit",
    did="took the environment {} away",
)
def remove_environment(id: str) -> Response:
    """Take an environment away with what is said of values there. Runs against it stay."""
    gone = environment_asked(id)
    environments.remove_environment(
        database(), projects.project_by_id(database(), gone.project), gone, actor().id
    )
    return json_answer({"gone": True})
