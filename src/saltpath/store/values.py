"""The values of a project and its suites, changed cell by cell: any number of cells in one
transaction."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable
from pathlib import Path
from typing import Any, Literal

from msgspec import Struct

from saltpath.core.assist.renaming import renaming
from saltpath.core.assist.value_cells import (
    EVERYWHERE,
    SECRET,
    is_secret,
    with_value,
    with_value_in,
    write_value,
)
from saltpath.store import documents, projects, secrets
from saltpath.store.database import NotFound, now_us, write
from saltpath.store.documents import Document
from saltpath.store.events import add_event


class CellChange(Struct, frozen=True):
    """What becomes of a value. `put`: it reads as `value` in `environment` (empty: everywhere);
    `clear`: nothing is said of it there; `hide`: it is a secret from now on, whatever it read as
    sealed; `remove`: it is gone everywhere; `restore`: what was sealed there and put aside under
    the number `value` stands there again. `suite`: a suite's id, or empty."""

    kind: Literal["put", "clear", "hide", "remove", "restore"]
    name: str
    suite: str = ""
    environment: str = EVERYWHERE
    value: Any = None


Aside = list[tuple[int, secrets.Place]]
"""What a change has put aside: sealed values by the numbers that bring them back."""


def change_values(
    connection: sqlite3.Connection,
    folder: Path,
    project: Document,
    actor: int,
    changes: Iterable[CellChange],
) -> list[Aside]:
    """Carry the changes out, one after another, and all of them or none; for each what it has put
    aside. Raises NotFound for a suite or an environment that is not there, or for what is kept no
    more."""
    aside: list[Aside] = []
    with write(connection):
        desk = _Desk(connection, folder, projects.project_by_id(connection, project.id), actor)
        for change in changes:
            before = secrets.newest_aside(connection)
            desk.take(change)
            aside.append(secrets.aside_after(connection, before, project.id))
        desk.save()
        add_event(connection, project.id, None, now_us(), "values changed", {})
    return aside


def has_value(connection: sqlite3.Connection, project: Document, suite: str, name: str) -> bool:
    """Whether the project, or one of its suites, says anything of the value, anywhere. Raises
    NotFound for a suite that is not there."""
    desk = _Desk(connection, Path(), projects.project_by_id(connection, project.id), 0)
    return desk.has(suite, name)


def holders(connection: sqlite3.Connection, project: Document, name: str) -> dict[str, str]:
    """By a suite's id whose value a name means there: the id of the nearest suite around it that
    has the value; empty for the project's."""
    desk = _Desk(connection, Path(), projects.project_by_id(connection, project.id), 0)
    return desk.holders(name)


def rename_value(
    connection: sqlite3.Connection,
    folder: Path,
    project: Document,
    actor: int,
    suite: str,
    name: str,
    to: str,
    keep: bool,
) -> None:
    """What is said of a value under another name, and in its place; other values that are made of
    it follow. `keep`: it has its old name as well."""
    with write(connection):
        desk = _Desk(connection, folder, projects.project_by_id(connection, project.id), actor)
        desk.rename(suite, name, to, keep)
        desk.save()
        secrets.rename(connection, folder, project.id, suite, name, to, keep)
        add_event(connection, project.id, None, now_us(), "values changed", {})


class _Desk:
    """The documents that hold values, while they are changed."""

    def __init__(
        self, connection: sqlite3.Connection, folder: Path, project: Document, actor: int
    ) -> None:
        self._connection, self._folder, self._project, self._actor = (
            connection,
            folder,
            project,
            actor,
        )
        self._places: dict[tuple[str, str], Document] = {("", EVERYWHERE): project}
        for environment in projects.environments(connection, project.id):
            self._places["", environment.name] = environment
        suites = projects.suites(connection, project.id)
        for suite in suites:
            self._places[suite.oid, EVERYWHERE] = suite
        standing = projects.standing_of_each(suites)
        self._standing = {
            suite.oid: [level.oid for level in standing[suite.id]] for suite in suites
        }
        self._now = {key: place.document for key, place in self._places.items()}

    def take(self, change: CellChange) -> None:
        if ("", change.environment) not in self._now:
            raise NotFound(f"there is no environment {change.environment}")
        if (change.suite, EVERYWHERE) not in self._now:
            raise NotFound(f"there is no suite {change.suite}")
        if change.kind == "hide":
            self._hide(change)
        elif change.kind == "restore":
            place = self._sealed_at(change.suite, change.environment, change.name)
            secrets.bring_back(self._connection, change.value, place)
        elif change.kind == "remove":
            for environment in self._environments():
                self._write(change.suite, environment, change.name, ...)
            secrets.forget(
                self._connection, self._sealed_at(change.suite, "", change.name), everywhere=True
            )
        elif self._hidden(change.suite, change.name):
            self._seal(change)
        else:
            self._write(
                change.suite,
                change.environment,
                change.name,
                change.value if change.kind == "put" else ...,
            )

    def _sealed_at(self, suite: str, environment: str, name: str) -> secrets.Place:
        return secrets.Place(self._project.id, name, suite, environment)

    def _seal(self, change: CellChange) -> None:
        place = self._sealed_at(change.suite, change.environment, change.name)
        if change.kind == "clear":
            secrets.forget(self._connection, place)
        else:
            self._set_secret(place, change.value)

    def _set_secret(self, place: secrets.Place, value: Any) -> None:
        text = value if isinstance(value, str) else write_value(value)
        secrets.set_secret(self._connection, self._folder, place, self._actor, text)

    def _hide(self, change: CellChange) -> None:
        for environment in self._environments():
            value = self._read(change.suite, environment, change.name)
            if value is not ... and not is_secret(value):
                self._set_secret(self._sealed_at(change.suite, environment, change.name), value)
            self._write(change.suite, environment, change.name, ...)
        self._write(change.suite, EVERYWHERE, change.name, dict(SECRET))

    def has(self, suite: str, name: str) -> bool:
        if (suite, EVERYWHERE) not in self._now:
            raise NotFound(f"there is no suite {suite}")
        return any(
            self._read(suite, environment, name) is not ... for environment in self._environments()
        )

    def holders(self, name: str) -> dict[str, str]:
        return {suite: self._holder(suite, name) for suite in self._standing}

    def _holder(self, suite: str, name: str) -> str:
        """Whose value a name means in a suite: that of the nearest around it; empty for the
        project's."""
        levels = reversed(self._standing.get(suite, []))
        return next((level for level in levels if self.has(level, name)), "")

    def rename(self, suite: str, name: str, to: str, keep: bool) -> None:
        for place, document in self._now.items():
            mine = place[0] == suite
            bare = mine or self._holder(place[0], name) == suite
            if suite and not bare:
                continue
            follow = renaming(name, to, "suite" if suite else "project", bare)
            followed = dict(document)
            for field in (
                "values",
                "values in",
                "every answer",
                "auth",
                "options",
                "sources",
                "databases",
            ):
                if field in document:
                    followed[field] = follow(document[field])
            if mine and "values" in followed:
                followed["values"] = _called(followed["values"], name, to, keep)
            if mine and "values in" in followed:
                inside = followed["values in"].items()
                followed["values in"] = {
                    where: _called(values, name, to, keep) for where, values in inside
                }
            self._now[place] = followed

    def _environments(self) -> list[str]:
        return [environment for suite, environment in self._places if not suite]

    def _hidden(self, suite: str, name: str) -> bool:
        return any(
            is_secret(self._read(suite, environment, name)) for environment in self._environments()
        )

    def _read(self, suite: str, environment: str, name: str) -> Any:
        """The value as a document has it, or `...`."""
        if suite and environment:
            return (
                self._now[suite, EVERYWHERE]
                .get("values in", {})
                .get(environment, {})
                .get(name, ...)
            )
        return self._now[suite, environment].get("values", {}).get(name, ...)

    def _write(self, suite: str, environment: str, name: str, value: Any) -> None:
        if suite and environment:
            self._now[suite, EVERYWHERE] = with_value_in(
                self._now[suite, EVERYWHERE], environment, name, value
            )
        elif value is not ... or self._read(suite, environment, name) is not ...:
            self._now[suite, environment] = with_value(self._now[suite, environment], name, value)

    def save(self) -> None:
        for key, place in self._places.items():
            documents.put(self._connection, place, self._actor, self._now[key])


def _called(values: dict[str, Any], name: str, to: str, keep: bool) -> dict[str, Any]:
    """The values with one under its new name, in its place; with `keep` under both."""
    found: dict[str, Any] = {}
    for key, value in values.items():
        if key == name:
            found[to] = value
        if key != to and (key != name or keep):
            found[key] = value
    return found
