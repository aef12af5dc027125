"""Which values the cases of a project use. A version never changes, so what was worked out for it
is remembered."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable
from functools import partial
from typing import Any

from msgspec import Struct

from saltpath.core.assist.value_cells import Wanted, wanted_by, wanted_by_values
from saltpath.core.cases.case import NamedValues, Project
from saltpath.core.cases.expectations import Expectation
from saltpath.core.cases.row_sources import Source
from saltpath.core.references.templates import references_in
from saltpath.core.running.step_references import references_of_checks
from saltpath.server.caches import VersionCache
from saltpath.server.compiled import compiled, environment_of, project_of, suite_of
from saltpath.server.sources import begin_of, source_of
from saltpath.store import cases, projects
from saltpath.store.cases import CaseHead
from saltpath.store.documents import Document

_known: VersionCache[_Looked] = VersionCache(20_000)
_said: VersionCache[frozenset[str]] = VersionCache(5_000)

Uses = dict[tuple[str, str], list[CaseHead]]
"""By suite (empty: the project) and name, the cases that use the value."""


class _Looked(Struct, frozen=True):
    """What a version of a case says of this. The columns of its rows are none of it: they are its
    source's, which changes by itself."""

    wanted: frozenset[Wanted]
    rows: Source | None


def _looked(connection: sqlite3.Connection, head: CaseHead) -> _Looked:
    case = compiled(cases.case_at(connection, head.id, head.version))
    return _Looked(frozenset(wanted_by(case)), case.rows)


def _wanted(
    connection: sqlite3.Connection, head: CaseHead, project: int, read: Project
) -> Iterable[Wanted]:
    """The values that a case looks for outside of itself."""
    looked = _known.of(head.oid, head.version, partial(_looked, connection, head))
    if looked.rows is None:
        return looked.wanted
    columns = begin_of(project, source_of(project, looked.rows, read)).names or ()
    return [item for item in looked.wanted if item.scope is not None or item.name not in columns]


def uses(connection: sqlite3.Connection, project: Document) -> tuple[Uses, set[str]]:
    """Who uses which value: cases by value, and the names that the project and its suites use
    themselves: in values, checks on every answer, options, sources, databases."""
    suites = {suite.id: suite for suite in projects.suites(connection, project.id)}
    standing = projects.standing_of_each(list(suites.values()))
    own = {suite.oid: _names(suite.document, "values", "values in") for suite in suites.values()}
    found: Uses = {}
    read = project_of(project)
    for head in cases.heads(connection, project.id):
        levels = [level.oid for level in reversed(standing[head.suite])]
        meant = set[tuple[str, str]]()
        for item in _wanted(connection, head, project.id, read):
            of = next((level for level in levels if item.name in own[level]), "")
            if item.scope == "suite":
                of = of or levels[0]
            elif item.scope is not None:
                of = ""
            meant.add((of, item.name))
        for value in meant:
            found.setdefault(value, []).append(head)
    for head in cases.heads(connection, project.id, cases.SHARED):
        for name in {item.name for item in _wanted(connection, head, project.id, read)}:
            found.setdefault(("", name), []).append(head)
    return found, _by_documents(connection, project)


def _names(document: dict[str, object], *fields: str) -> set[str]:
    values, inside = (document.get(field) or {} for field in fields)
    assert isinstance(values, dict) and isinstance(inside, dict)
    return {*values, *(name for several in inside.values() for name in several)}


def _by_documents(connection: sqlite3.Connection, project: Document) -> set[str]:
    documents = (
        project,
        *projects.environments(connection, project.id),
        *projects.suites(connection, project.id),
    )
    return {
        name for one in documents for name in _said.of(one.oid, one.version, partial(_said_by, one))
    }


def _said_by(document: Document) -> frozenset[str]:
    """The names of values that a project, environment or suite uses itself."""
    if document.kind == "environment":
        return _names_in([environment_of(document).values])
    if document.kind == "suite":
        suite = suite_of(document)
        parts = suite.auth.parts if suite.auth else ()
        return _names_in(
            [suite.values, *suite.values_in.values()],
            suite.every_answer,
            [*parts, *suite.options.trees()],
        )
    project = project_of(document)
    trees = [tree for source in project.sources.values() for tree in source.trees()]
    trees += project.auth.parts if project.auth else ()
    for one in project.databases.values():
        trees += [one.at, one.user, one.password]
    return _names_in([project.values], project.every_answer, [*trees, *project.options.trees()])


def _names_in(
    several: Iterable[NamedValues], checks: Iterable[Expectation] = (), trees: Iterable[Any] = ()
) -> frozenset[str]:
    names = {item.name for values in several for item in wanted_by_values(values)}
    names |= {reference.name for reference in references_of_checks(checks)}
    return frozenset(names | {reference.name for reference in references_in(trees)})
