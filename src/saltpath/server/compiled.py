"""Stored documents as the core reads them; what of them cannot be read is left out
(core/format/readable.py). A version of a case or document never changes once it is committed, so
the last ones are remembered: hand in nothing that is not."""

from __future__ import annotations

from msgspec.structs import replace

from saltpath.core.cases.case import Case, Environment, Project, Suite
from saltpath.core.cases.summary import Summary
from saltpath.core.format.readable import (
    Broken,
    readable_case,
    readable_environment,
    readable_project,
    readable_suite,
)
from saltpath.core.format.reader import case_from_data
from saltpath.server.caches import VersionCache
from saltpath.server.context import database
from saltpath.store import projects, summaries
from saltpath.store.cases import StoredCase
from saltpath.store.documents import Document
from saltpath.store.runs import RunCase

_known: VersionCache[Case] = VersionCache(64)
_projects: VersionCache[Project] = VersionCache(16)
_suites: VersionCache[Suite] = VersionCache(2_000)
_summaries: VersionCache[Summary] = VersionCache(5_000)
_environments: VersionCache[Environment] = VersionCache(200)


def compiled(stored: StoredCase) -> Case:
    """The case at its stored version; without steps where that cannot be read (`broken` says
    why)."""
    if stored.unread is not None:
        return readable_case(stored.unread, stored.name, stored.key)[0]
    return _known.of(stored.oid, stored.version, lambda: case_from_data(stored.document))


def broken(stored: StoredCase) -> list[Broken]:
    """What is wrong with a case that cannot be read."""
    return [] if stored.unread is None else readable_case(stored.unread, stored.name, stored.key)[1]


def project_of(document: Document) -> Project:
    return _projects.of(
        document.oid, document.version, lambda: readable_project(document.document)[0]
    )


def suite_of(document: Document) -> Suite:
    return _suites.of(document.oid, document.version, lambda: readable_suite(document.document)[0])


def standing_of(suite: Document) -> Suite:
    """A suite within the folders that it stands in."""
    found: Suite | None = None
    for level in projects.standing(database(), suite):
        found = replace(suite_of(level), within=found)
    assert found is not None  # it stands in none, or in others, and is the last itself
    return found


def environment_of(document: Document) -> Environment:
    return _environments.of(
        document.oid, document.version, lambda: readable_environment(document.document)[0]
    )


def summary_of(entry: RunCase) -> Summary:
    """What a run's case is, at the version that was run."""
    return _summaries.of(
        entry.case,
        entry.version,
        lambda: summaries.summary_at(database(), entry.case_id, entry.version),
    )


def remember(stored: StoredCase, case: Case) -> Case:
    """Note what a version reads as, where that is known from checking it before it was stored."""
    return _known.put(stored.oid, stored.version, case)
