"""Which values the cases of a project use. A version never changes, so what was worked out for it is remembered."""

from __future__ import annotations

import sqlite3
from functools import partial

from saltpath.core.inspect import references_of_checks
from saltpath.core.values import Wanted, wanted_by, wanted_by_values
from saltpath.server.compiled import compiled, environment_of, project_of, suite_of
from saltpath.server.remembered import ByVersion
from saltpath.server.sources import begin_of, source_of
from saltpath.store import cases, projects, shared_steps
from saltpath.store.cases import CaseHead, StoredCase
from saltpath.store.documents import Document

_wanted: ByVersion[frozenset[Wanted]] = ByVersion(20_000)

Uses = dict[tuple[str, str], list[CaseHead | StoredCase]]
"""By suite (empty: the project) and name, the cases that use the value."""


def wanted(stored: StoredCase) -> frozenset[Wanted]:
    """The values that a case looks for outside of itself."""
    return _wanted.of(stored.oid, stored.version, partial(_wanted_by, stored))


def _wanted_at(connection: sqlite3.Connection, head: CaseHead) -> frozenset[Wanted]:
    return _wanted_by(cases.case_at(connection, head.id, head.version))


def _wanted_by(stored: StoredCase) -> frozenset[Wanted]:
    case = compiled(stored)
    columns = begin_of(stored.project, source_of(stored.project, case)).names or ()
    return frozenset(item for item in wanted_by(case) if item.scope is not None or item.name not in columns)


def uses(connection: sqlite3.Connection, project: Document) -> tuple[Uses, set[str]]:
    """Who uses which value: cases by value, and the names that values and checks on every answer use."""
    suites = {suite.id: suite for suite in projects.suites(connection, project.id)}
    own = {suite.oid: _names(suite.document, "values", "values in") for suite in suites.values()}
    found: Uses = {}
    for head in cases.heads(connection, project.id):
        suite = suites[head.suite].oid
        for item in _wanted.of(head.oid, head.version, partial(_wanted_at, connection, head)):
            of_suite = item.scope == "suite" or (item.scope is None and item.name in own[suite])
            found.setdefault((suite if of_suite else "", item.name), []).append(head)
    for stored in shared_steps.shared_steps(connection, project.id):
        for item in wanted(stored):
            found.setdefault(("", item.name), []).append(stored)
    return found, _by_documents(connection, project)


def _names(document: dict[str, object], *fields: str) -> set[str]:
    values, inside = (document.get(field) or {} for field in fields)
    assert isinstance(values, dict) and isinstance(inside, dict)
    return {*values, *(name for several in inside.values() for name in several)}


def _by_documents(connection: sqlite3.Connection, project: Document) -> set[str]:
    read = project_of(project)
    several = [
        read.values,
        *(environment_of(e).values for e in projects.environments(connection, project.id)),
    ]
    names = {reference.name for reference in references_of_checks(read.every_answer)}
    for suite in projects.suites(connection, project.id):
        of_suite = suite_of(suite)
        several += [of_suite.values, *of_suite.values_in.values()]
        names |= {reference.name for reference in references_of_checks(of_suite.every_answer)}
    return names | {item.name for values in several for item in wanted_by_values(values)}
