"""Which cases belong to a run besides those that are meant: those that set their suites up and
clean up after them (core/running/roles.py); and which cases a tag, a suite, a name means."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable

from saltpath.core.cases.case import Suite
from saltpath.core.format.readable import readable_suite
from saltpath.core.running.roles import Role, role_of
from saltpath.core.watching.watch import Of
from saltpath.store import cases, folders, projects
from saltpath.store.cases import CaseHead, StoredCase
from saltpath.store.database import NotFound, StoreError
from saltpath.store.documents import Document

ROLES: tuple[Role, ...] = ("set up", "clean up")
ReadSuite = Callable[[Document], Suite]


class NoSuchRole(StoreError):
    """A suite names a case that sets it up or cleans up after it, and does not have it."""


def as_read(suite: Document) -> Suite:
    return readable_suite(suite.document)[0]


def with_around(
    connection: sqlite3.Connection,
    chosen: list[StoredCase],
    project: int,
    read: ReadSuite = as_read,
) -> list[StoredCase]:
    """The chosen cases between those that set up, and clean up after, the suites that they are in
    and the folders around these. Raises NoSuchRole."""
    meant = {case.suite for case in chosen}
    suites = projects.suites(connection, project)
    standing = projects.standing_of_each(suites)
    of_meant = {level.id for one in meant for level in standing.get(one, ())}
    around = [
        suite
        for suite in sorted(suites, key=lambda suite: len(standing[suite.id]))
        if suite.id in of_meant and any(suite.document.get(role) for role in ROLES)
    ]
    if not around:
        return chosen
    there = {case.id for case in chosen}
    before, behind = list[StoredCase](), list[StoredCase]()
    heads = cases.heads(connection, project)
    for suite in around:
        known = read(suite)
        own = [head for head in heads if head.suite == suite.id]
        _all_there(suite, known, own)
        missing: dict[Role, list[StoredCase]] = {"set up": [], "clean up": []}
        for head in own:
            if head.id not in there and (role := role_of(known, head.key, head.file)):
                missing[role].append(cases.case_at(connection, head.id, head.version))
        before, behind = [*before, *missing["set up"]], [*missing["clean up"], *behind]
    return [*before, *chosen, *behind]


def _all_there(suite: Document, read: Suite, own: list[CaseHead]) -> None:
    for role, names in zip(ROLES, (read.set_up, read.clean_up), strict=True):
        for name in names:
            if not any(names_case(name, case) for case in own):
                does = {"set up": "sets it up", "clean up": "cleans up after it"}[role]
                raise NoSuchRole(
                    f"The suite {suite.name} has no case {name}, which {does}: "
                    "bring it back, or say anew which of its cases do."
                )


def names_case(name: str, case: StoredCase | CaseHead) -> bool:
    """Whether a suite's name of a case is that of this one."""
    return bool(role_of(Suite("", set_up=(name,)), case.key, case.file))


def tags_around(
    connection: sqlite3.Connection, project: int, read: ReadSuite = as_read
) -> dict[int, frozenset[str]]:
    """By suite the tags that its cases have from it, and from the folders around it."""
    standing = projects.standing_of_each(projects.suites(connection, project))
    return {
        id: frozenset(tag for level in levels for tag in read(level).tags)
        for id, levels in standing.items()
    }


def meant_by(connection: sqlite3.Connection, project: int, of: Of, what: str) -> list[StoredCase]:
    """The cases that a watch runs, in their order. Raises NotFound where there are none."""
    every = cases.cases(connection, project)
    if of == "case":
        paths = folders.paths_of(connection, project)
        found = [
            case
            for case in every
            if what in (case.key, paths[case.id], paths[case.id].removesuffix(".case.yaml"))
        ][:1]
    elif of == "suite":
        suites = projects.suites(connection, project)
        top = next((suite for suite in suites if suite.folder == what), None)
        inside = {one.id for one in projects.inside(top, suites)} if top else set()
        found = [case for case in every if case.suite in inside]
    else:
        around = tags_around(connection, project)
        found = [
            case
            for case in every
            if what in map(str, case.document.get("tags", ()))
            or what in around.get(case.suite, frozenset())
        ]
    if not found:
        missing = {
            "case": f"there is no case {what} any more",
            "suite": f"there is no suite at {what} that has a case",
            "tag": f"no case has the tag {what}",
        }
        raise NotFound(missing[of])
    return found
